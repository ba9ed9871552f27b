"""Cells of smoke as elements, so that what is driven can differ between them."""

from dataclasses import dataclass

import numpy as np

from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.smoke.solids import Box, in_middles

AIR = 20.0  # °C
FACES = ("u", "v", "w")  # the arrays of a state that hold velocities


@dataclass
class Cells(Elements):
    """Cubes of gas, from one cell to whole blocks of them; `radius` is half a side."""

    def density(self) -> Array:
        """How much smoke is in each, for its room."""
        found: Array = self.mass / np.maximum(2.0 * self.radius, 1e-12) ** 3
        return found


def cells_at(arrays: dict[str, Array], box: Box, points: Array, where: Array) -> Cells:
    """Some cells of a grid: their numbers (k,) of all, whose middles are `points` (n, 3)."""
    made = Cells.blank(len(where))
    made.position[:] = points[where]
    for axis, name in enumerate(FACES):
        made.velocity[:, axis] = in_middles(arrays[name], axis).ravel()[where]
    density = arrays["density"].ravel()[where]
    made.temperature[:] = AIR + arrays["heat"].ravel()[where]
    made.age[:] = arrays["age"].ravel()[where] / np.maximum(density, 1e-6)
    made.radius[:] = made.size[:] = 0.5 * box.cell
    made.mass[:] = density * box.cell**3
    made.id[:], made.state[:] = where, -1
    return made
