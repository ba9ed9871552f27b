"""What a shot's rows say that will not come to anything, before a run. Findings, not faults: it runs."""

from collections.abc import Iterator

import numpy as np

from hotgravel.core.drive.ask import Ask
from hotgravel.core.drive.driver import answer
from hotgravel.core.drive.value import held as hold
from hotgravel.core.shot.cues import AtFrame, Enter, Touches
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault
from hotgravel.core.shot.signals import signals_in
from hotgravel.core.shot.sources import Burst, Offshoot, Stream
from hotgravel.core.shot.units import show_quantity


def findings(shot: Shot) -> Iterator[Fault]:
    """Sentences about rows that can have no effect as they stand, or not the one they state."""
    yield from _beyond(shot)
    first, last = shot.finish.first, shot.finish.last
    if not any(s.on for s in shot.supply):
        yield Fault("", "supply", "Nothing gives particles, so every frame will be empty. Add a source.")
    for source in (s for s in shot.supply if s.on):
        emit = source.emit
        if isinstance(source, Offshoot):
            continue
        if isinstance(emit, Burst) and not first <= emit.frame <= last:
            yield Fault(source.id, "emit.frame", f"Bursts at frame {emit.frame}, outside frames {first} to {last}.")
        if isinstance(emit, Stream) and (emit.start >= last or emit.end <= first):
            yield Fault(source.id, "emit.start", f"Gives nothing within frames {first} to {last}.")
        if not shot.row(source.prop).on:
            yield Fault(source.id, "prop", "The prop it leaves is switched off, so it gives nothing.")
    entered = {s.state for s in shot.supply if s.on}
    entered |= {c.then.state for c in shot.cues if c.on and isinstance(c.then, Enter)}
    for state in shot.states:
        if state.id not in entered:
            yield Fault(state.id, "", f"Nothing ever enters the state {state.name}.")
    hit = {prop for c in shot.collisions if c.on for prop in c.props}
    for cue in (c for c in shot.cues if c.on):
        when = cue.when
        if isinstance(when, Touches) and when.prop is not None and when.prop not in hit:
            yield Fault(cue.id, "when.prop", f"No collision row names {shot.names()[when.prop]}: it is never touched.")
        if isinstance(when, AtFrame) and not first <= when.frame <= last:
            yield Fault(cue.id, "when.frame", f"Frame {when.frame} lies outside frames {first} to {last}.")


def _beyond(shot: Shot) -> Iterator[Fault]:
    """Signals that leave the bounds of what they drive somewhere in the shot; there they are held."""
    frames = np.linspace(shot.finish.first, shot.finish.last, 400)
    ask = Ask((frames - shot.finish.first) / shot.finish.rate, shot.clock)
    for row, path, quantity, signal in signals_in(shot):
        values = np.asarray(answer(signal, ask))
        held = hold(values, quantity)
        off = np.flatnonzero(np.abs(held - values) > 1e-9)
        if len(off):
            worst = off[np.argmax(np.abs(held - values)[off])]
            told = (float(f"{v[worst]:.4g}") for v in (values, held))
            shown, kept = (show_quantity(n, quantity.unit, shot.dress) for n in told)
            when = f"at frame {frames[worst]:.0f}"
            yield Fault(row.id, path, f"{quantity.label} comes to {shown} {when}; it is held at {kept}.")
