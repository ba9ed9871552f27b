"""Growth: elements larger or smaller than they were born, and the end of those that have shrunk to nothing."""

from collections.abc import Mapping, Sequence

import numpy as np

from hotgravel.core.drive.value import each
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.elements import Elements
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.matter import Growth

LEAST = 1e-4  # of the radius at birth: smaller is nothing


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
