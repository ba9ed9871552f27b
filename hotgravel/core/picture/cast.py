"""What smoke does to all around it: the shadow that it casts in the key's light, and the light that its fire throws."""

import math
from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.picture.camera import axes_along
from hotgravel.core.picture.light import Light
from hotgravel.core.picture.volume import Volume

Array = NDArray[np.float64]
ACROSS = 96  # places of a shadow's map, each way
BEGINS, ENDS = 0.1, 0.9  # of what smoke takes along a line of light: where its shadow counts as begun, and as whole
BRIGHT = np.array([0.2126, 0.7152, 0.0722])  # of linear sRGB (IEC 61966-2-1)


@dataclass(frozen=True, eq=False)
class Cast:
    """The shadow of smoke across the key's light. `map` (n, n, 3) has, as bytes, the share of the light that gets
    through at each place, and from where to where along the light it is taken. `frame` (5, 3) has the axes across, up
    and along the light, the low corner of the map in them and its size, metres. Both are empty where nothing casts."""

    map: NDArray[np.uint8]
    frame: Array


NO_CAST = Cast(np.zeros((0, 0, 3), np.uint8), np.zeros((5, 3)))


def cast_of(volume: Volume, light: Light) -> Cast:
    """The shadow that smoke casts in a light."""
    at = np.argwhere(volume.density)
    if not len(at):
        return NO_CAST
    ends = volume.low + volume.cell * np.stack([at.min(axis=0), at.max(axis=0) + 1.0])
    axes = axes_along(-np.array(light.key_from))
    corners = ends[[[a, b, c] for a in (0, 1) for b in (0, 1) for c in (0, 1)], [0, 1, 2]] @ axes.T
    low, size = corners.min(axis=0), np.ptp(corners, axis=0)
    out = np.empty((ACROSS, ACROSS, 3), np.uint8)
    _cast(volume.density, volume.take * volume.cell / 255.0, volume.low, volume.cell, axes, low, size, out)
    return Cast(out, np.stack([*axes, low, size]))


@njit(cache=True)
def _taken(density, place, way, many, take, most):
    """What smoke takes along a line of steps, and after how many of them it has taken so much."""
    x, y, z, deep = place[0], place[1], place[2], 0.0
    nx, ny, nz = density.shape
    for n in range(many):
        if 0.0 <= x < nx and 0.0 <= y < ny and 0.0 <= z < nz:
            deep += take * density[int(x), int(y), int(z)]
            if deep >= most:
                return deep, n
        x, y, z = x + way[0], y + way[1], z + way[2]
    return deep, many


@njit(cache=True, parallel=True, nogil=True)
def _cast(density, take, low, cell, axes, corner, size, out):
    n, many = len(out), math.ceil(size[2] / cell)
    for r in prange(n):
        place, way = np.empty(3), axes[2]
        for k in range(n):
            for c in range(3):
                across = (corner[0] + size[0] * (k + 0.5) / n) * axes[0, c]
                up = (corner[1] + size[1] * (np.int64(r) + 0.5) / n) * axes[1, c]
                place[c] = (across + up + (corner[2] + 0.5 * cell) * axes[2, c] - low[c]) / cell
            deep, _ = _taken(density, place, way, many, take, math.inf)
            out[r, k, 0] = round(255.0 * math.exp(-deep))
            for c, share in ((1, BEGINS), (2, ENDS)):
                out[r, k, c] = round(255.0 * _taken(density, place, way, many, take, share * deep)[1] / many)


def lamp_of(volume: Volume) -> Array:
    """The lamp (8,) that fire in smoke is to all around it: its place, strength, reach and colour; empty where nothing
    glows. A ball of that reach and colour throws as much light far away."""
    if len(volume.hot) < 2:
        return np.zeros(0)
    seen = 1.0 - np.exp(-volume.take * volume.cell * volume.density.astype(float) / 255.0)
    glow = volume.glow[volume.hot] * seen[..., None]
    weight = glow @ BRIGHT
    total = float(weight.sum())
    if total <= 0.0:
        return np.zeros(0)
    at = np.stack(np.meshgrid(*(np.arange(n) + 0.5 for n in weight.shape), indexing="ij"), axis=-1)
    middle = (weight[..., None] * at).sum(axis=(0, 1, 2)) / total
    spread = math.sqrt(float((weight * ((at - middle) ** 2).sum(axis=-1)).sum()) / total)
    colour = (weight[..., None] * volume.glow[volume.hot]).sum(axis=(0, 1, 2)) / total
    return np.array([*(volume.low + volume.cell * middle), 1.0, max(spread, 0.5) * volume.cell, *colour])
