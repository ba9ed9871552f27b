"""What a shot's rows say that will not come to anything, before a run. Findings, not faults: it runs."""

from collections.abc import Iterator

from hotgravel.core.shot.cues import AtFrame, Enter, Touches
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault
from hotgravel.core.shot.sources import Burst


def findings(shot: Shot) -> Iterator[Fault]:
    """Sentences about rows that can have no effect as they stand."""
    first, last = shot.finish.first, shot.finish.last
    if not any(s.on for s in shot.supply):
        yield Fault("", "supply", "Nothing gives particles, so every frame will be empty. Add a source.")
    for source in (s for s in shot.supply if s.on):
        emit = source.emit
        if isinstance(emit, Burst) and not first <= emit.frame <= last:
            yield Fault(source.id, "emit.frame", f"Bursts at frame {emit.frame}, outside frames {first} to {last}.")
        if not isinstance(emit, Burst) and (emit.start >= last or emit.end <= first):
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
