"""What a shot's rows say that will not come to anything, before a run. Findings, not faults: it runs."""

from collections.abc import Iterator
from functools import partial
from typing import Any

import numpy as np

from hotgravel.core.drive.ask import Ask
from hotgravel.core.drive.driver import Driver, answer
from hotgravel.core.drive.formulas import Formula
from hotgravel.core.drive.keys import Keys
from hotgravel.core.drive.responses import Response
from hotgravel.core.drive.value import bounded, plain
from hotgravel.core.matter.particles.emitter import MOST
from hotgravel.core.preflight.reach import born_with, out_of_reach
from hotgravel.core.shot import actions as do
from hotgravel.core.shot import conditions as c
from hotgravel.core.shot import edit
from hotgravel.core.shot.dials import Pick, Quantity, dials_of
from hotgravel.core.shot.document import Shot, load
from hotgravel.core.shot.finding import Finding, Remedy, setting
from hotgravel.core.shot.finish import Finish
from hotgravel.core.shot.liquid import Drip, Fill, Gas, Outlet, Spout
from hotgravel.core.shot.row import Clause
from hotgravel.core.shot.signals import signals_in
from hotgravel.core.shot.smoke import Drain, Fume, Puff
from hotgravel.core.shot.sources import Asked, Burst, Crown, Offshoot, Opening, Source, Stream, Trail
from hotgravel.core.shot.spot import Edited
from hotgravel.core.shot.totals import given_by
from hotgravel.core.shot.units import show_quantity
from hotgravel.core.shot.water import Rain

WHOLE = Finish.model_fields["last"].default  # the last frame of a shot that says nothing else
LEVEL = {"slower": "speed", "faster": "speed", "hotter": "temperature", "cooler": "temperature"}


def in_rows(shot: Shot) -> Iterator[Finding]:
    """Sentences about rows that can have no effect as they stand, or not the one they state."""
    yield from _beyond(shot)
    yield from _ending(shot)
    yield from _spans(shot)
    yield from _supply(shot)
    yield from _to_go_into(shot)
    yield from _too_many(shot)
    yield from _states(shot)
    yield from _outside_the_range(shot)
    yield from _cues(shot)
    yield from _loops(shot)
    yield from _attributes(shot)


def _ending(shot: Shot) -> Iterator[Finding]:
    """Keys that fall to nothing before the shot is over."""
    for row, path, quantity, driver in signals_in(shot):
        if not isinstance(driver, Keys) or driver.outside != "zero" or len(driver.keys) < 2:
            continue
        end = driver.keys[-1].frame
        if end < shot.finish.last:
            said = f"{quantity.label} ends at frame {end:g}, and the shot goes on to frame {shot.finish.last}."
            remedy = setting("Hold its last value", row.id, f"{path}.outside", "hold")
            yield Finding("signal ends", row.id, path, said, "doubtful", remedy)


def _spans(shot: Shot) -> Iterator[Finding]:
    """Supplies that give nothing within the shot, or whose end was set for a shorter one and never since."""
    first, last = shot.finish.begins, shot.finish.last
    for row in (row for row in (*shot.supply, *shot.rigid) if row.on):
        for path in ("", "emit", "copies"):
            clause: Any = getattr(row, path, None) if path else row
            start, end = getattr(clause, "start", None), getattr(clause, "end", None)
            if not isinstance(start, int) or not isinstance(end, int):
                continue
            at = f"{path}." if path else ""
            if start >= last or end < first:
                said = f"Gives nothing within frames {first} to {last}."
                yield Finding("outside range", row.id, f"{at}start", said, remedy=_span(row.id, path, shot))
            elif end < last and end == type(clause).model_fields["end"].default == WHOLE:
                said = f"Ends at frame {end}, and the shot goes on to frame {last}."
                remedy = setting(f"Go on to frame {last}", row.id, f"{at}end", last)
                yield Finding("ends early", row.id, f"{at}end", said, "doubtful", remedy)


def _supply(shot: Shot) -> Iterator[Finding]:
    first, last = shot.finish.begins, shot.finish.last
    if not any(s.on for s in shot.supply) and not (shot.shaped or shot.sloshes or shot.waters):
        said = (
            "Nothing gives particles, and nothing is rigid, soft or liquid: all frames will be empty. Add a source or "
        )
        said += "a body."
        yield Finding("no supply", "", "", said)
    asked = {act.offshoot for cue in shot.cues if cue.on for act in cue.doing(do.Shed)}
    for row in (s for s in shot.particle_sources if s.on):
        emit = row.emit
        if isinstance(emit, Burst) and not first <= emit.frame <= last:
            said = f"Bursts at frame {emit.frame}, outside frames {first} to {last}."
            yield Finding(
                "outside range",
                row.id,
                "emit.frame",
                said,
                remedy=setting(f"Burst at frame {first}", row.id, "emit.frame", first),
            )
        if isinstance(emit, Stream) and plain(emit.rate) == 0.0:
            yield Finding(
                "empty source",
                row.id,
                "emit.rate",
                "A rate of 0 gives nothing.",
                remedy=setting("Give 500 a second", row.id, "emit.rate", 500.0),
            )
        if isinstance(row, Source) and not shot.row(row.prop).on:
            said, on = (
                "The prop it leaves is switched off, so it gives nothing.",
                partial(edit.switch, row_id=row.prop, on=True),
            )
            yield Finding("prop off", row.id, "prop", said, remedy=Remedy("Switch it on", on))
        if isinstance(row, Offshoot) and isinstance(emit, Asked) and row.id not in asked:
            said = "It waits for a cue, and no cue sets it off."
            remedy = setting("Leave a trail instead", row.id, "emit", {"kind": "trail"})
            yield Finding("never asked", row.id, "emit", said, remedy=remedy)
        if isinstance(row, Offshoot) and isinstance(emit, Opening) and not shot.bonds:
            said = "It leaves faces that part, and no row bonds any pieces."
            remedy = setting("Leave a trail instead", row.id, "emit", {"kind": "trail"})
            yield Finding("nothing parts", row.id, "emit", said, remedy=remedy)
        if isinstance(row, Offshoot) and isinstance(emit, Crown) and not (shot.rains and shot.waters):
            said = "It leaves where rain falls on wide water, and there is none."
            remedy = setting("Leave a trail instead", row.id, "emit", {"kind": "trail"})
            yield Finding("no rain falls", row.id, "emit", said, remedy=remedy)
        if row.through is not None and not shot.zones[row.through].on:
            said, remedy = "The zone it leaves through is off.", setting("Leave anywhere", row.id, "through", None)
            yield Finding("empty source", row.id, "through", said, remedy=remedy)


def _to_go_into(shot: Shot) -> Iterator[Finding]:
    """Supplies of liquid, smoke or rain where there is no box or water for them."""
    wanted = (
        (Fill | Spout | Outlet | Gas | Drip, "liquid", "box of liquid", shot.liquids),
        (Fume | Puff | Drain, "smoke", "box of smoke", shot.smokes),
        (Rain, "water", "wide water", shot.waters),
    )
    for row in (s for s in shot.supply if s.on):
        for rows, kind, called, there in wanted:
            if isinstance(row, rows) and not there:
                said = f"There is no {called} for it, so it comes to nothing."
                remedy = Remedy(f"Add {called}", partial(_add, kind=kind))
                yield Finding("nothing to go into", row.id, "prop" if hasattr(row, "prop") else "", said, remedy=remedy)


def _add(shot: Shot, kind: str) -> Edited:
    return edit.add_row(shot, kind)[0]


def _too_many(shot: Shot) -> Iterator[Finding]:
    """More particles at once than a run holds, as far as rows tell: of the source that gives the most."""
    there = {row: _at_once(shot, row) for row in shot.particle_sources if row.on and isinstance(row, Source)}
    total = sum(there.values())
    if total <= MOST:
        return
    most = max(there, key=there.__getitem__)
    said = f"Sources give about {total / 1e6:.3g} million particles, and a run holds {MOST // 10**6} million; "
    said += f"{shot.names()[most.id]} gives the most."
    share = (0.9 * MOST - total + there[most]) / there[most]
    emit = most.emit
    path, value = ("emit.count", emit.count) if isinstance(emit, Burst) else ("emit.rate", plain(emit.rate))
    fitting = round(max(0.0, share) * (value or 0.0))
    remedy = setting(f"Give {fitting}", most.id, path, fitting) if fitting else None
    yield Finding("too many particles", most.id, path, said, remedy=remedy)


def _at_once(shot: Shot, source: Source) -> float:
    """How many particles of a source there are at once, at most; those whose life varies as if they had no end."""
    given, life = given_by(shot, source), plain(source.life, shot.finish.rate)
    rate = None if isinstance(source.emit, Burst) else plain(source.emit.rate)
    return min(given, rate * life) if rate and life else given


def _span(row: str, path: str, shot: Shot) -> Remedy:
    first, last = shot.finish.first, shot.finish.last

    def act(shot: Shot) -> Edited:
        document = shot.dump()
        found = next(r for section in ("matter", "supply", "forces") for r in document[section] if r["id"] == row)
        here = found[path] if path else found
        here["start"], here["end"] = first, last
        return Edited(load(document), f"{shot.names()[row]}: within frames {first} to {last}")

    return Remedy(f"From frame {first} to {last}", act)


def entered(shot: Shot) -> set[str]:
    """The states that particles are born in, that bodies begin in, or that cues move either to."""
    found = {s.state for s in shot.particle_sources if s.on}
    found |= {row.state for row in (*shot.shaped, *shot.liquids, *shot.sloshes) if row.state}
    return found | {cue.enters for cue in shot.cues if cue.on and cue.enters}


def _states(shot: Shot) -> Iterator[Finding]:
    there, named = entered(shot), _named(shot)
    for state in shot.states:
        if state.id not in there:
            remove = Remedy("Remove it", partial(edit.remove_row, row_id=state.id))
            remedy = remove if state.id not in named and len(shot.states) > 1 else None
            yield Finding(
                "state never entered", state.id, "", f"Nothing ever enters the state {state.name}.", "doubtful", remedy
            )
    for force in (f for f in shot.forces if f.on):
        if force.whom is not None and force.whom not in there:
            said = f"No particle is ever in {shot.names()[force.whom]}, so none feels it."
            yield Finding(
                "force unfelt", force.id, "whom", said, remedy=setting("Let all feel it", force.id, "whom", None)
            )


def _named(shot: Shot) -> set[str]:
    """The rows that others refer to."""
    return set().union(*(edit.mentions(row) for row in shot.rows()))


def _outside_the_range(shot: Shot) -> Iterator[Finding]:
    first, last = shot.finish.begins, shot.finish.last
    for force in (f for f in shot.forces if f.on):
        start, end = force.start, force.end
        if (start is not None and start >= last) or (end is not None and end <= first):
            said = f"It acts in no frame from {first} to {last}."
            yield Finding("outside range", force.id, "start", said, remedy=_span(force.id, "", shot))
    for cue in (cue for cue in shot.cues if cue.on):
        when = cue.when
        if isinstance(when, c.AtFrame) and not first <= when.frame <= last:
            said = f"Frame {when.frame} lies outside frames {first} to {last}."
            yield Finding(
                "outside range",
                cue.id,
                "when.frame",
                said,
                remedy=setting(f"At frame {(first + last) // 2}", cue.id, "when.frame", (first + last) // 2),
            )
        if isinstance(when, c.Every) and when.start > last:
            said = f"Its first time, frame {when.start}, lies behind the last frame, {last}."
            yield Finding(
                "outside range",
                cue.id,
                "when.start",
                said,
                remedy=setting(f"From frame {first}", cue.id, "when.start", first),
            )


def _cues(shot: Shot) -> Iterator[Finding]:
    hit = {prop for row in shot.collisions if row.on for prop in row.props}
    bodies = {row.prop for row in shot.rigid}  # which meet one another without a row that says so
    of = {state.id: state.of for state in shot.states}
    there = entered(shot)
    for cue in (cue for cue in shot.cues if cue.on):
        when = cue.when
        met = hit | bodies if cue.whom is None or of[cue.whom] == "rigid" else hit
        if isinstance(when, c.MEETING) and when.prop is not None and when.prop not in met:
            said = f"No collision row names {shot.names()[when.prop]}: it is never touched."
            yield Finding("never touched", cue.id, "when.prop", said, remedy=_collide(shot, when.prop))
        if cue.whom is not None and cue.whom not in there:
            said = f"No particle is ever in {shot.names()[cue.whom]}."
            yield Finding("whom never", cue.id, "whom", said, remedy=setting("Concern all", cue.id, "whom", None))
        if plain(cue.chance) == 0.0:
            yield Finding(
                "no chance",
                cue.id,
                "chance",
                "A chance of 0 % never comes.",
                remedy=setting("Make it certain", cue.id, "chance", 1.0),
            )
        yield from out_of_reach(shot, cue)


def _collide(shot: Shot, prop: str) -> Remedy | None:
    rows = [row for row in shot.collisions if row.on]
    if not rows:
        return None
    return setting(f"Let {shot.names()[rows[0].id]} hit it too", rows[0].id, "props", [*rows[0].props, prop])


def _loops(shot: Shot) -> Iterator[Finding]:
    """Cues that lead back to themselves: by states that each may enter anew, or by what they give off."""
    shoots = {s.id: s for s in shot.supply if s.on and isinstance(s, Offshoot)}
    for cue, act in ((row, act) for row in shot.cues if row.on for act in row.doing(do.Shed)):
        shoot = shoots.get(act.offshoot)
        if (
            shoot is not None
            and isinstance(shoot.emit, Asked)
            and shoot.emit.count > 0
            and cue.whom in (None, shoot.state)
        ):
            if isinstance(cue.when, c.After | c.AtFrame):
                continue
            said = f"What {shot.names()[shoot.id]} gives off can set it off again, without end."
            others = [s.id for s in shot.states if s.id != shoot.state]
            remedy = setting(f"Only those in {shot.names()[others[0]]}", cue.id, "whom", others[0]) if others else None
            yield Finding("cue loop", cue.id, "whom", said, remedy=remedy)
    for shoot in shoots.values():
        if isinstance(shoot.emit, Trail) and shoot.whom in (None, shoot.state):
            said = "What it leaves behind leaves the same behind, without end."
            others = [s.id for s in shot.states if s.id != shoot.state]
            remedy = (
                setting(f"Only from those in {shot.names()[others[0]]}", shoot.id, "whom", others[0])
                if others
                else None
            )
            yield Finding("trail loop", shoot.id, "whom", said, remedy=remedy)
    moves = {cue.id: (cue.whom, cue.enters) for cue in shot.cues if cue.on and cue.again == "each" and cue.enters}
    for name, (whom, to) in moves.items():
        seen, ahead = {to}, [to]
        while ahead:
            state = ahead.pop()
            for start, end in moves.values():
                if start == state and end not in seen:
                    seen.add(end)
                    ahead.append(end)
        if whom is not None and whom in seen:
            said = f"Cues lead back to {shot.names()[whom]}, again each time: particles may go round and round."
            yield Finding("cue loop", name, "again", said, "doubtful", setting("Once for each", name, "again", "once"))
    follows = {cue.id: cue.when.cue for cue in shot.cues if cue.on and isinstance(cue.when, c.After)}
    for name in follows:
        here, steps = follows.get(name), 0
        while here in follows and here != name and steps <= len(follows):
            here, steps = follows[here], steps + 1
        if here == name:
            said = "It waits for a cue that waits for it, so neither ever fires."
            yield Finding(
                "cue loop",
                name,
                "when.cue",
                said,
                remedy=setting(
                    "Fire at the first frame", name, "when", {"kind": "at_frame", "frame": shot.finish.first}
                ),
            )


def _attributes(shot: Shot) -> Iterator[Finding]:
    """Numbers that vary over what is the same for all."""
    for row in (r for r in shot.rows() if r.on):
        for path, driver in drivers_of(row):
            reads = (
                {driver.attribute}
                if isinstance(driver, Response)
                else driver.reads()
                if isinstance(driver, Formula)
                else set()
            )
            for attribute in sorted(reads & {"temperature", "mass"}):
                born = born_with(shot, attribute)
                if born is None or len(set(born)) > 1:
                    continue
                remedy = (
                    setting("Go by age instead", row.id, f"{path}.attribute", "age")
                    if isinstance(driver, Response)
                    else None
                )
                said = f"All have the same {attribute}, so nothing varies by it; age does."
                yield Finding("attribute not carried", row.id, path, said, remedy=remedy)


def drivers_of(clause: Clause, prefix: str = "") -> Iterator[tuple[str, Driver]]:
    """Path and driver of each driven number of a row, and of those within."""
    for name, described in dials_of(type(clause)).items():
        value = getattr(clause, name)
        if isinstance(described, Pick):
            yield from drivers_of(value, f"{prefix}{name}.")
        elif isinstance(described, Quantity):
            for axis, part in enumerate(value if described.three else (value,)):
                if isinstance(part, Driver):
                    path = f"{prefix}{name}.{axis}" if described.three else f"{prefix}{name}"
                    yield path, part
                    yield from drivers_of(part, f"{path}.")


def _beyond(shot: Shot) -> Iterator[Finding]:
    """Signals that leave the bounds of what they drive somewhere in the shot; there they are held."""
    frames = np.linspace(shot.finish.begins, shot.finish.last, 400)
    ask = Ask((frames - shot.finish.first) / shot.finish.rate, shot.clock)
    for row, path, quantity, signal in signals_in(shot):
        values = np.asarray(answer(signal, ask))
        within = bounded(values, quantity)
        off = np.flatnonzero(np.abs(within - values) > 1e-9)
        if len(off):
            worst = off[np.argmax(np.abs(within - values)[off])]
            told = (float(f"{v[worst]:.4g}") for v in (values, within))
            shown, kept = (show_quantity(n, quantity.unit, shot.dress) for n in told)
            said = f"{quantity.label} comes to {shown} at frame {frames[worst]:.0f}; it is held at {kept}."
            low, high = (float(bounded(np.array([n]), quantity)[0]) for n in (-np.inf, np.inf))
            clip = {"kind": "clip", "of": signal.model_dump(mode="json")}
            clip |= {"low": max(low, float(within.min())), "high": min(high, float(within.max()))}
            yield Finding("beyond bounds", row.id, path, said, "doubtful", setting("Cut it there", row.id, path, clip))
