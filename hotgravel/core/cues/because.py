"""The because of one particle: what made it what it is at a frame."""

from dataclasses import dataclass

import numpy as np

from hotgravel.core.cues.record import Events
from hotgravel.core.shot.cues import AtFrame, Cue, Faster, Inside, Older, Slower, Touches
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.row import sentence
from hotgravel.core.shot.units import show_quantity


@dataclass(frozen=True)
class Reason:
    """One link of the chain: the frame, the row that acted, and a sentence."""

    frame: int
    row: str
    text: str


def because(shot: Shot, events: Events, particle: int, source: int, born: int, frame: int) -> list[Reason]:
    """The chain that explains a particle at a frame, oldest first."""
    row = shot.supply[source]
    prop = shot.names()[row.prop]
    state = shot.names()[row.state]
    chain = [Reason(born, row.id, f"Left the {row.part} of {prop} in state {state}.")]
    mine = np.flatnonzero((events.particle == particle) & (events.frame <= frame))
    for i in mine:
        cue = shot.cues[int(events.cue[i])]
        crossed = _crossed(cue, float(events.value[i]), shot)
        chain.append(Reason(int(events.frame[i]), cue.id, f"{sentence(cue, shot.dress, shot.names())} {crossed}"))
    return chain


def _crossed(cue: Cue, value: float, shot: Shot) -> str:
    when, dress, value = cue.when, shot.dress, round(value, 3)
    if isinstance(when, Slower | Faster):
        return f"It had {show_quantity(value, 'm/s', dress)}."
    if isinstance(when, Older):
        return f"It was {show_quantity(value, 's', dress)} old."
    if isinstance(when, Touches):
        return f"It came in at {show_quantity(value, 'm/s', dress)}."
    if isinstance(when, Inside):
        return f"It weighed {show_quantity(value, '%', dress)} there."
    assert isinstance(when, AtFrame)
    return f"It was frame {when.frame}."
