"""What quality sets: how many steps a frame takes."""

import math
from dataclasses import dataclass

from hotgravel.core.shot.finish import Quality

MOST_STEPS = 64


@dataclass(frozen=True)
class Fineness:
    """steps: at least so many in a frame. travel: how far the fastest particle may go in a step,
    as a share of the smallest thing it can hit."""

    steps: int
    travel: float


FINENESS: dict[Quality, Fineness] = {
    "rough": Fineness(2, 1.0),
    "fair": Fineness(4, 0.5),
    "fine": Fineness(8, 0.25),
}
CELLS: dict[Quality, float] = {"rough": 1.0, "fair": 2.0 / 3.0, "fine": 0.5}  # their size, of that at rough


def steps_for(quality: Quality, fastest: float, smallest: float, span: float) -> int:
    """Steps for a frame of `span` seconds: by quality, and more where the fastest particle
    (m/s) would cross too much of the smallest prop (m) in one. Nothing passes a prop either
    way; the further steps are for the shape of the path."""
    fineness = FINENESS[quality]
    wanted = fastest * span / (fineness.travel * smallest) if smallest > 0.0 else 0.0
    return min(MOST_STEPS, max(fineness.steps, math.ceil(wanted)))
