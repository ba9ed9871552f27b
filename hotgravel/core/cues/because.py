"""The because of one particle: what made it what it is at a frame, back to the source of all it came off."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from hotgravel.core.cues.record import DID, Events
from hotgravel.core.matter.elements import NOBODY, hit_by
from hotgravel.core.shot import actions as do
from hotgravel.core.shot.cues import Cue
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.row import sentence
from hotgravel.core.shot.units import Dress, show_quantity

# A particle at a frame or before it: its source, age, parent, cause, and the frame it was found at.
Find = Callable[[int, int], dict[str, Any] | None]
DEEPEST = 12  # generations


@dataclass(frozen=True)
class Reason:
    """One link of the chain: the frame, the row that acted, a sentence, and the particle it concerned."""

    frame: int
    row: str
    text: str
    particle: int = NOBODY


def ancestry(shot: Shot, events: Events, particle: int, frame: int, find: Find) -> list[Reason]:
    """The chain that explains a particle at a frame, oldest first, through all it came off."""
    chain: list[Reason] = []
    until = frame
    for _ in range(DEEPEST):
        found = find(particle, until)
        if found is None:
            chain.insert(0, Reason(until, "", f"Particle {particle} lived less than a frame.", particle))
            break
        born = int(np.ceil(round(shot.pace.frame(shot.pace.at(found["frame"]) - found["age"]), 6)))
        chain[:0] = because(shot, events, particle, found["source"], born, until, found["parent"])
        if found["parent"] < 0:
            break
        if found["cause"] >= 0:
            chain = _set_off(shot, events, found, born) + chain
        particle, until = found["parent"], born
    return sorted(dict.fromkeys(chain), key=lambda r: r.frame)


def _set_off(shot: Shot, events: Events, found: dict[str, Any], born: int) -> list[Reason]:
    """The firing that made a parent give something off."""
    mine = np.flatnonzero(
        (events.particle == found["parent"]) & (events.cue == found["cause"]) & (events.frame <= born)
    )
    return [_told(shot, events, int(mine[-1]))] if len(mine) else []


def because(
    shot: Shot, events: Events, particle: int, source: int, born: int, frame: int, parent: int = NOBODY
) -> list[Reason]:  # fmt: skip
    """What one particle itself went through up to a frame, oldest first."""
    row = shot.origins[source]
    chain = [Reason(born, row.id, row.birth(shot.names(), parent), particle)]
    chain[:0] = _started(shot, events, row.id, born)
    mine = np.flatnonzero((events.particle == particle) & (events.frame <= frame))
    chain += [_told(shot, events, int(i)) for i in mine if not _ended(shot, events, int(i), frame)]
    return chain


def _ended(shot: Shot, events: Events, i: int, frame: int) -> bool:
    """Whether this is how it ended at the very frame: that does not explain what came off it before."""
    return shot.cues[int(events.cue[i])].removes and int(events.frame[i]) >= frame


def _started(shot: Shot, events: Events, row: str, born: int) -> list[Reason]:
    """The firing that had started a source, if a cue did."""
    starts = [n for n, cue in enumerate(shot.cues) if any(act.row == row for act in cue.doing(do.Start))]
    mine = np.flatnonzero(np.isin(events.cue, starts) & (events.frame <= born) & (events.what == DID))
    return [_told(shot, events, int(mine[-1]))] if len(mine) else []


def _told(shot: Shot, events: Events, i: int) -> Reason:
    cue = shot.cues[int(events.cue[i])]
    said = sentence(cue, shot.dress, shot.names())
    crossed = _crossed(cue, float(events.value[i]), shot.dress) if events.what[i] == DID else "That is over."
    by = hit_by(shot, int(events.other[i]))
    if by is not None:
        crossed = f"{crossed[:-1]}, by {by if isinstance(by, str) else f'body {by}'}."
    return Reason(int(events.frame[i]), cue.id, f"{said} {crossed}".strip(), int(events.particle[i]))


def _crossed(cue: Cue, value: float, dress: Dress) -> str:
    if not cue.when.says:
        return ""
    return f"{cue.when.says} {show_quantity(round(value, 3), cue.when.unit, dress)}."
