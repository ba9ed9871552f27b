"""The because of one particle: what made it what it is at a frame."""

from dataclasses import dataclass

import numpy as np

from hotgravel.core.cues.record import DID, Events
from hotgravel.core.shot import cues as c
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.row import sentence
from hotgravel.core.shot.sources import Offshoot
from hotgravel.core.shot.units import Dress, show_quantity


@dataclass(frozen=True)
class Reason:
    """One link of the chain: the frame, the row that acted, and a sentence."""

    frame: int
    row: str
    text: str


def because(shot: Shot, events: Events, particle: int, source: int, born: int, frame: int) -> list[Reason]:
    """The chain that explains a particle at a frame, oldest first."""
    row = shot.supply[source]
    state = shot.names()[row.state]
    left = "another particle" if isinstance(row, Offshoot) else f"the {row.part} of {shot.names()[row.prop]}"
    chain = [Reason(born, row.id, f"Left {left} in state {state}.")]
    mine = np.flatnonzero((events.particle == particle) & (events.frame <= frame))
    for i in mine:
        cue = shot.cues[int(events.cue[i])]
        said = sentence(cue, shot.dress, shot.names())
        crossed = _crossed(cue, float(events.value[i]), shot.dress) if events.what[i] == DID else "That is over."
        chain.append(Reason(int(events.frame[i]), cue.id, f"{said} {crossed}".strip()))
    return chain


UNITS: dict[type, tuple[str, str]] = {
    c.Slower: ("It had", "m/s"), c.Faster: ("It had", "m/s"), c.Older: ("Its age was", "s"),
    c.Travelled: ("It had come", "m"), c.Hotter: ("It had", "°C"), c.Cooler: ("It had", "°C"),
    c.Touches: ("It came in at", "m/s"), c.Nearer: ("It was off by", "m"), c.Inside: ("It weighed", "%"),
    c.Enters: ("It weighed", "%"), c.Leaves: ("It weighed", "%"), c.AtFrame: ("It was frame", "frame"),
    c.Every: ("It was frame", "frame"), c.ShareIn: ("The share was", "%"), c.Reads: ("It had", ""),
}  # fmt: skip


def _crossed(cue: c.Cue, value: float, dress: Dress) -> str:
    said = UNITS.get(type(cue.when))
    return f"{said[0]} {show_quantity(round(value, 3), said[1], dress)}." if said else ""
