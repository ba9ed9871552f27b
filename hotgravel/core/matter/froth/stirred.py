"""How a liquid is stirred: its drops on a grid, and where they take air in.

Potentials as in Ihmsen, Akinci, Akinci and Teschner, "Unified spray, foam and air bubbles for particle-based fluids"
(The Visual Computer, 2012): air is trapped where drops go against one another, and waves' crests tip over; both count
as much as a drop is fast. Here they are taken from a grid's means rather than from pairs of drops.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter, map_coordinates, uniform_filter

Array = NDArray[np.float64]
FULL = 8.0  # drops of a cell
RIM = 3  # cells beside those that hold drops
ALONG = 0.6  # of a crest's speed: so much of it goes out of the liquid
SURFACE = 0.75  # of a cell and those about it: less is at the surface


@dataclass(frozen=True)
class Stirred:
    """A liquid on a grid: its low corner, metres, its cells, how full they and those about them are, and how fast that
    goes (nx, ny, nz, 3), m/s."""

    low: Array
    cell: float
    fill: Array
    flow: Array

    def at(self, points: Array) -> tuple[Array, Array]:
        """How full the liquid is at points (n, 3), 0 outside of it, and how fast it goes there (n, 3)."""
        place = ((points - self.low) / self.cell - 0.5).T
        fill = map_coordinates(self.fill, place, order=1)
        going = [map_coordinates(self.flow[..., axis], place, order=1, mode="nearest") for axis in range(3)]
        return fill, np.stack(going, axis=1)


def stirred(position: Array, velocity: Array, cell: float) -> tuple[Stirred, Array, Array]:
    """The liquid of drops (n, 3), and of each how much air it traps and how much it is part of a crest, m/s (n,)."""
    low = cell * (np.floor(position.min(axis=0) / cell) - RIM)
    at = np.floor((position - low) / cell).astype(np.int64)
    shape = tuple(int(n) for n in at.max(axis=0) + 1 + RIM)
    number = np.ravel_multi_index(tuple(at.T), shape)

    def spread(weight: Array | None) -> Array:
        """A sum over drops in cells, and in those about them."""
        made = np.bincount(number, weight, int(np.prod(shape))).reshape(shape)
        return np.asarray(uniform_filter(made.astype(float), 3, mode="constant"))

    many = spread(None)
    there = np.maximum(many, 1e-9)
    flow = np.stack([spread(velocity[:, axis]) / there for axis in range(3)], axis=-1)
    square = spread((velocity**2).sum(axis=1)) / there
    fill = np.minimum(many / FULL, 1.0)
    against = np.sqrt(np.maximum(square - (flow**2).sum(axis=-1), 0.0))
    soft = gaussian_filter(fill, 1.0)
    slope = np.stack(np.gradient(soft), axis=-1)
    steep = np.sqrt((slope**2).sum(axis=-1))
    way = -slope / np.maximum(steep, 1e-6)[..., None]
    bent = np.maximum(sum(np.gradient(way[..., axis], axis=axis) for axis in range(3)), 0.0)
    here = tuple(at.T)
    speed = np.sqrt((velocity**2).sum(axis=1))
    outward = (velocity * way[here]).sum(axis=1)
    crest = np.where((outward > ALONG * speed) & (fill[here] < SURFACE), np.minimum(bent[here], 1.0) * speed, 0.0)
    air = np.where(steep[here] > 0.05, against[here], 0.0)  # near its surface, where there is air
    return Stirred(low, cell, fill, flow), air, crest
