"""Heat that a matter gives to what is near it."""

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from hotgravel.core.matter.elements import Array, Elements

NEAREST = 8  # points of it that each element is warmed by


@dataclass(frozen=True)
class Heat:
    """Hot points (k, 3), how hot each is (k,), °C, and how far they warm, m."""

    place: Array
    temperature: Array
    reach: float

    def warm(self, elements: Elements) -> None:
        """Elements within reach become as hot as the hottest of what is nearest, in place, if they are not hotter."""
        if not len(self.place) or not len(elements):
            return
        ranks = np.arange(1, min(NEAREST, len(self.place)) + 1)
        _, near = cKDTree(self.place).query(elements.position, ranks, distance_upper_bound=self.reach)
        hot = np.append(self.temperature, -np.inf)[near].max(axis=1)
        elements.temperature[:] = np.maximum(elements.temperature, hot)
