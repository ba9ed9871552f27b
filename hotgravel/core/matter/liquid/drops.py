"""Drops: the particles that a liquid is worked out with."""

from dataclasses import dataclass

import numpy as np

from hotgravel.core.chance import uniforms
from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fluid.solids import Box

PARTS = np.array([[a, b, c] for a in (0.25, 0.75) for b in (0.25, 0.75) for c in (0.25, 0.75)])
STIRRED = 0.4  # of half a cell: how far a drop is from the middle of its eighth of a cell


@dataclass
class Drops(Elements):
    """Elements that are an eighth of a cell each. `affine` (n, 9) is how their velocity changes along the axes, m/s in
    a cell: of that along x, then y, then z."""

    affine: Array


def eighths(box: Box, cells: Array, row: str, number: int) -> Array:
    """Where the eight drops of each cell (c, 3) of a box lie (8 c, 3), each a little off by chance."""
    named = (cells * np.array([1 << 42, 1 << 21, 1])).sum(axis=1).astype(np.uint64)
    off = uniforms(named, 24, seed=number, who=row).reshape(-1, 8, 3) - 0.5
    at = cells[:, None, :] + PARTS + 0.5 * STIRRED * off
    found: Array = np.array(box.low) + box.cell * at.reshape(-1, 3)
    return found
