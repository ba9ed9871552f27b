"""A skin around particles: the surface of their spheres, blended where they come near one another.

The distance to each sphere is joined by the exponential smooth minimum, -k log(sum exp(-d / k)),
on a grid, whose zero surface is drawn by marching cubes (Lewiner et al. 2003, in scikit-image).
"""

import math
from collections.abc import Iterable
from itertools import product
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter
from scipy.spatial import cKDTree

from hotgravel.core.colour import bits_of
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.pose import Pose

Array = NDArray[np.float64]
MOST_CELLS = 40_000_000
TAIL = 4.0  # times k: how far a sphere is felt
LEFT = math.exp(-TAIL)  # of a sphere, there; taken off, so that it ends without a jump
GAP, THIN_GAP = 0.1, 0.6  # cells: how far off what cuts it a skin ends; thin things would fall between its corners
THIN = 2.0  # cells
NEAREST = 4  # particles that a corner takes its colour and velocity from


class TooFine(ValueError):
    """The grid would have too many cells; `least` is the smallest cell that would do, metres."""

    def __init__(self, cells: float, least: float) -> None:
        self.cells, self.least = cells, least
        super().__init__(f"{cells:.3g} cells")


@njit(cache=True, nogil=True)
def _blobs(position, radius, k, low, cell, total):
    nx, ny, nz = total.shape
    for n in range(len(radius)):
        x, y, z = (position[n, 0] - low[0]) / cell, (position[n, 1] - low[1]) / cell, (position[n, 2] - low[2]) / cell
        reach = (radius[n] + TAIL * k) / cell
        for i in range(max(0, math.ceil(x - reach)), min(nx, math.floor(x + reach) + 1)):
            for j in range(max(0, math.ceil(y - reach)), min(ny, math.floor(y + reach) + 1)):
                across = (i - x) * (i - x) + (j - y) * (j - y)
                if across > reach * reach:
                    continue
                for m in range(max(0, math.ceil(z - reach)), min(nz, math.floor(z + reach) + 1)):
                    away = math.sqrt(across + (m - z) * (m - z)) * cell - radius[n]
                    if away < TAIL * k:
                        # Far within it does not matter how far, and the sum must stay finite.
                        total[i, j, m] += (math.exp(min(-away / k, 30.0)) - LEFT) / (1.0 - LEFT)


@njit(cache=True, parallel=True, nogil=True)
def _joined(total, k, field):
    for i in prange(total.shape[0]):
        for j in range(total.shape[1]):
            for m in range(total.shape[2]):
                sum_ = total[i, j, m]
                field[i, j, m] = min(-k * math.log(sum_), TAIL * k) if sum_ > 0.0 else TAIL * k


@njit(cache=True, parallel=True, nogil=True)
def _crossed(field, near):
    """Mark the corners of all cubes that the surface runs through."""
    nx, ny, nz = field.shape
    for i in prange(nx - 1):
        for j in range(ny - 1):
            for m in range(nz - 1):
                within = 0
                for a in range(8):
                    within += field[i + (a >> 2), j + (a >> 1 & 1), m + (a & 1)] <= 0.0
                if 0 < within < 8:
                    near[i : i + 2, j : j + 2, m : m + 2] = True


def skin(
    position: Array, radius: Array, *, blend: float, cell: float, smoothing: int = 0,
    off: Iterable[tuple[Shaped, Pose]] = (),
) -> tuple[Array, NDArray[np.int64]]:  # fmt: skip
    """Vertices (V, 3), metres, and faces (F, 3), facing outward, of the skin around spheres: positions
    (n, 3) and radii (n,). `blend` is how far apart they begin to join, `cell` the grid's spacing, both
    metres; `smoothing` rounds it off by so many cells; what lies in the shapes of `off` is cut off it.
    Raises `TooFine`."""
    solid = radius > 0.0
    if not solid.any():
        return np.zeros((0, 3)), np.zeros((0, 3), np.int64)
    position, radius = position[solid], radius[solid]
    k = max(0.5 * blend, 0.25 * cell)
    border = radius[:, None] + TAIL * k + (2 + 2 * smoothing) * cell
    low, high = (position - border).min(axis=0), (position + border).max(axis=0)
    shape = np.ceil((high - low) / cell).astype(np.int64) + 1
    cells = float(np.prod(shape.astype(float)))
    if cells > MOST_CELLS:
        raise TooFine(cells, cell * (cells / MOST_CELLS) ** (1 / 3))
    total = np.zeros(tuple(int(s) for s in shape), np.float32)
    _blobs(np.ascontiguousarray(position), np.ascontiguousarray(radius), k, low, cell, total)
    field, near = np.empty(total.shape, np.float32), np.zeros(total.shape, np.bool_)
    _joined(total, k, field)
    if smoothing:
        field = gaussian_filter(field, float(smoothing))
    for shape, pose in off:
        _cut(field, shape, pose, low, cell)
    _crossed(field, near)
    if not near.any():
        return np.zeros((0, 3)), np.zeros((0, 3), np.int64)
    from skimage.measure import marching_cubes

    vertices, faces, _normals, _values = marching_cubes(field, 0.0, mask=near)
    return vertices * cell + low, faces.astype(np.int64)


def _cut(field: NDArray[np.float32], shape: Shaped, pose: Pose, low: Array, cell: float) -> None:
    """Take what lies in a shape off distances, in place; and a little more, so that no faces lie in one plane."""
    corners = pose.to_world(np.array(list(product(*zip(*shape.box, strict=True)))))
    first = np.maximum(np.floor((corners.min(axis=0) - low) / cell).astype(int) - 1, 0)
    end = np.minimum(np.ceil((corners.max(axis=0) - low) / cell).astype(int) + 2, field.shape)
    if (end <= first).any():
        return
    part = field[tuple(slice(a, b) for a, b in zip(first, end, strict=True))]
    at = np.argwhere(part < cell)
    thick = pose.scale * min(b - a for a, b in zip(*shape.box, strict=True))
    gap = shape.gap(low + cell * (first + at), pose) - (GAP if thick > THIN * cell else THIN_GAP) * cell
    part[tuple(at.T)] = np.maximum(part[tuple(at.T)], -gap)


def clad(
    vertices: Array, faces: NDArray[Any], position: Array, paint: Array, velocity: Array
) -> dict[str, NDArray[Any]]:
    """A skin as frames keep it: vertices (V, 3), faces (F, 3), colour (V,) as 0xrrggbb and velocity (V, 3), from those
    of the elements in it: their places, paint of 0 to 255 and velocities (n, 3)."""
    colour, moving = carried(vertices, position, paint, velocity)
    return {"vertices": vertices, "faces": faces, "colour": bits_of(colour), "velocity": moving}


def carried(vertices: Array, position: Array, *values: NDArray[Any]) -> list[Array]:
    """Values of particles (n,) or (n, m) at corners (V, 3): means of the nearest, the nearer the heavier."""
    if not len(vertices):
        return [np.zeros((0, *np.shape(v)[1:])) for v in values]
    count = min(NEAREST, len(position))
    away, who = cKDTree(position).query(vertices, k=count, workers=-1)
    away, who = np.reshape(away, (-1, count)), np.reshape(who, (-1, count))
    weight = 1.0 / (away + 1e-6)
    weight /= weight.sum(axis=1, keepdims=True)
    return [np.einsum("vk,vk...->v...", weight, np.asarray(v, float)[who]) for v in values]
