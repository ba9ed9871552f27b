"""What makes things wet, as those that hold liquid offer it."""

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates
from scipy.spatial import cKDTree

Array = NDArray[np.float64]


class Wet(Protocol):
    """Where liquid is."""

    def reaches(self, points: Array, reach: float) -> NDArray[np.bool_]:
        """Which of the points (p, 3) are in it, or as near to it as they reach, m."""


@dataclass(frozen=True)
class WetDrops:
    """Drops at places (k, 3), each so wide, m."""

    place: Array
    wide: float

    def reaches(self, points: Array, reach: float) -> NDArray[np.bool_]:
        far = self.wide + reach
        low, high = (points.min(axis=0) - far, points.max(axis=0) + far) if len(points) else (np.zeros(3), np.zeros(3))
        near = self.place[((self.place >= low) & (self.place <= high)).all(axis=1)]
        if not len(near):
            return np.zeros(len(points), bool)
        found: NDArray[np.bool_] = np.isfinite(cKDTree(near).query(points, distance_upper_bound=far)[0])
        return found


@dataclass(frozen=True)
class WetLevel:
    """Wide water: its heights (n, n), m, over cells of a side, m, from a corner (x, z) on."""

    heights: Array
    cell: float
    corner: tuple[float, float]

    def reaches(self, points: Array, reach: float) -> NDArray[np.bool_]:
        at = (points[:, [0, 2]] - np.array(self.corner)).T / self.cell
        over = (at >= -0.5).all(axis=0) & (at <= len(self.heights) - 0.5).all(axis=0)
        high: Array = map_coordinates(self.heights, at, order=1, mode="nearest")
        return np.asarray(over & (points[:, 1] <= high + reach))
