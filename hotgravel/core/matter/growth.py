"""Growth and fading: elements larger or smaller than they were born, or seen through, and the end of those of which
nothing is left."""

from collections.abc import Mapping, Sequence

import numpy as np

from hotgravel.core.drive.value import each
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.elements import Elements
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.matter import Fading, Growth

LEAST = 1e-4  # of the radius at birth, or of what is seen: less is nothing


def grow(rows: Sequence[Growth], states: Mapping[str, int], matter: str, elements: Elements, scene: Scene) -> None:
    """Set radii, in place. A row that names no state is of particles alone."""
    mine = [(row, states.get(row.whom or "", -1)) for row in rows if row.whom or matter == "particles"]
    if not mine or not len(elements):
        return
    ask = asking(elements, scene)
    share, grown = np.ones(len(elements)), np.zeros(len(elements), bool)
    for row, state in mine:
        who = elements.in_state(state)
        grown |= who
        share *= np.where(who, each(row, "share", ask), 1.0)
    which = np.flatnonzero(grown)
    elements.grow(which, share[which])
    elements.life[(share < LEAST) & (elements.size > 0.0)] = -np.inf


def fade(rows: Sequence[Fading], states: Mapping[str, int], elements: Elements, scene: Scene) -> None:
    """Set how much of each is seen, in place."""
    if not rows or not len(elements):
        return
    ask, share = asking(elements, scene), np.ones(len(elements))
    for row in rows:
        share *= np.where(elements.in_state(states.get(row.whom or "", -1)), each(row, "share", ask), 1.0)
    elements.faded[:] = 1.0 - share
    elements.life[share < LEAST] = -np.inf
