"""Cells of smoke as elements, so that what is driven can differ between them."""

from dataclasses import dataclass

import numpy as np

from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fluid.solids import Box, in_middles

AIR = 20.0  # °C
FACES = ("u", "v", "w")  # the arrays of a state that hold velocities
PART = "of "  # what the names of the arrays begin with that hold what is of each source, before its number
TRACE = 1e-3  # of density, fuel or flames: less is nothing
WARM = 1.0  # °C from the air's: less is nothing


@dataclass
class Cells(Elements):
    """Cubes of gas, from one cell to whole blocks of them; `radius` is half a side."""

    def density(self) -> Array:
        """How much smoke is in each, for its room."""
        found: Array = self.mass / np.maximum(2.0 * self.radius, 1e-12) ** 3
        return found


def parts_of(arrays: dict[str, Array]) -> list[str]:
    """The names of the arrays that hold what is of each source, in their order; none where there is but one source."""
    return sorted((name for name in arrays if name.startswith(PART)), key=lambda name: int(name.removeprefix(PART)))


def velocity_in(arrays: dict[str, Array]) -> Array:
    """How the air moves in the middles of cells (nx, ny, nz, 3), m/s."""
    found: Array = np.stack([in_middles(arrays[name], axis) for axis, name in enumerate(FACES)], axis=-1)
    return found


def speed_in(arrays: dict[str, Array]) -> Array:
    """How fast the air is in the middles of cells (nx, ny, nz), m/s."""
    found: Array = np.sqrt(sum(in_middles(arrays[name], axis) ** 2 for axis, name in enumerate(FACES)))
    return found


def cells_at(arrays: dict[str, Array], box: Box, points: Array, where: Array) -> Cells:
    """Some cells of a grid: their numbers (k,) of all, whose middles are `points` (n, 3)."""
    made = Cells.blank(len(where))
    made.position[:] = points[where]
    made.velocity[:] = velocity_in(arrays).reshape(-1, 3)[where]
    density = arrays["density"].ravel()[where]
    made.temperature[:] = AIR + arrays["heat"].ravel()[where]
    made.age[:] = arrays["age"].ravel()[where] / np.maximum(density, 1e-6)
    made.radius[:] = made.size[:] = 0.5 * box.cell
    made.mass[:] = density * box.cell**3
    made.id[:], made.state[:] = where, -1
    return made
