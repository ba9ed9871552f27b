"""What makes things wet, as those that hold liquid offer it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates
from scipy.spatial import cKDTree

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Wet:
    """Liquid in drops at places (k, 3), each so wide (m); or, of wide water, heights (n, n) over cells of a side (m)
    from a corner (x, z) on."""

    place: Array
    wide: float
    heights: Array | None = None
    corner: tuple[float, float] = (0.0, 0.0)

    def reaches(self, points: Array, reach: float) -> NDArray[np.bool_]:
        """Which of the points (p, 3) are in it, or as near to it as they reach."""
        if self.heights is not None:
            at = (points[:, [0, 2]] - np.array(self.corner)).T / self.wide
            over = (at >= -0.5).all(axis=0) & (at <= len(self.heights) - 0.5).all(axis=0)
            high: Array = map_coordinates(self.heights, at, order=1, mode="nearest")
            return np.asarray(over & (points[:, 1] <= high + reach))
        far = self.wide + reach
        low, high = (points.min(axis=0) - far, points.max(axis=0) + far) if len(points) else (np.zeros(3), np.zeros(3))
        near = self.place[((self.place >= low) & (self.place <= high)).all(axis=1)]
        if not len(near):
            return np.zeros(len(points), bool)
        found: NDArray[np.bool_] = np.isfinite(cKDTree(near).query(points, distance_upper_bound=far)[0])
        return found
