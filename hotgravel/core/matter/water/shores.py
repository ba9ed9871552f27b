"""Shores: where props that stand still in the water throw its waves back.

Nothing flows through a shore, so that waves go on as if their mirror image came out of it (the method of images: Lamb,
Hydrodynamics, from memory). Waves of each basin are therefore stepped by themselves, with their mirror image round it.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt, label, map_coordinates

from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.pose import Pose

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]
Moved = Callable[[Array, Array], tuple[Array, Array]]
FLATTEST = 0.1  # how much the gap changes along the water, at least: less is the crest of a ridge
LEAST = 0.01  # of the square: what is smaller between rocks lies still


@dataclass(frozen=True, eq=False)
class Basin:
    """Water with shores round it: its cells (n, n), those outside it, and of each of these the water beside it and
    where the mirror has it (2, cells)."""

    inside: Mask
    outside: Mask
    beside: NDArray[np.int64]
    mirror: Array

    @staticmethod
    def of(inside: Mask, gap: Array) -> "Basin":
        """`gap` is how far each cell (n, n) is from what stands in the water, in cells, below zero within it. The shore
        beside a cell of water is taken for straight."""
        outside = ~inside
        beside = distance_transform_edt(outside, return_distances=False, return_indices=True)[:, outside]
        slope = np.array(np.gradient(gap))[:, *beside]
        steep = np.maximum(np.hypot(*slope), FLATTEST)  # the gap to a beach is shorter than the way along the water
        out, here = slope / steep, np.argwhere(outside).T
        behind = gap[tuple(beside)] / steep + ((here - beside) * out).sum(axis=0)
        return Basin(inside, outside, beside, here - 2.0 * behind * out)

    def filled(self, values: Array) -> Array:
        """Values (n, n) as they are in the basin, with their mirror image round it."""
        made = values.copy()
        made[self.outside] = values[tuple(self.beside)]  # between cells on either side of the shore, too
        made[self.outside] = map_coordinates(made, self.mirror, order=1, mode="nearest")
        return made


@dataclass(frozen=True, eq=False)
class Shores:
    """The basins of a square of water, where its cells (n, n) are `open`, and the water beside each of them (2, n, n).
    Without shores there are no basins."""

    basins: tuple[Basin, ...]
    open: Mask
    nearest: NDArray[np.int64]

    @staticmethod
    def of(props: Iterable[tuple[Shaped, Pose]], nodes: Array, cell: float) -> "Shores":
        """Of props in a square with cells at `nodes` (n, n, 3), m."""
        points = nodes.reshape(-1, 3)
        gap = np.full(nodes.shape[:2], np.inf)
        for shape, pose in props:
            gap = np.minimum(gap, shape.gap(points, pose).reshape(gap.shape))
        parts, many = label(gap >= 0.0)
        found = [parts == n + 1 for n in range(many)]
        wide = [inside for inside in found if inside.mean() >= LEAST]
        if (gap >= 0.0).all() or not wide:
            return Shores((), gap >= 0.0, np.indices(gap.shape))
        nearest = distance_transform_edt(~np.any(wide, axis=0), return_distances=False, return_indices=True)
        return Shores(tuple(Basin.of(inside, gap / cell) for inside in wide), gap >= 0.0, nearest)

    def stepped(self, move: Moved, high: Array, potential: Array) -> tuple[Array, Array]:
        """Height and potential (n, n) after `move`, which steps both where there are no shores."""
        if not self.basins:
            return move(high, potential)
        made = np.zeros_like(high), np.zeros_like(potential)
        for basin in self.basins:
            for whole, part in zip(made, move(basin.filled(high), basin.filled(potential)), strict=True):
                whole[basin.inside] = part[basin.inside]
        high, potential = (whole[tuple(self.nearest)] for whole in made)
        return high, potential
