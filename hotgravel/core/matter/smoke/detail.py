"""Detail: smoke worked out once more on a finer grid, which the air of the coarse one moves, with curls below its cell.

The curls are the curl of a potential, so they neither gather nor thin (Bridson, Hourihan and Nordenstam 2007), as
strong as the motion just above the coarse cell lets expect: energy falls by 2^(-5/3) from octave to octave
(Kolmogorov 1941; Kim, Thuerey, James and Gross 2008).
"""

from functools import lru_cache
from typing import Any

import numpy as np
from numba import njit, prange

from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.fluid.project import Faces, Grid
from hotgravel.core.matter.fluid.solids import Box, in_middles
from hotgravel.core.matter.smoke.sample import at
from hotgravel.core.noise import noise_at

TILE = 48  # cells along a side of the potential, which is laid beside itself
FALL = 2.0 ** (-5.0 / 6.0)  # of the speed, from an octave to the next
FINE = "fine "  # what the names of the arrays of the finer grid begin with


def finer(box: Box, times: int) -> Box:
    """The same box in smaller cells."""
    x, y, z = (n * times for n in box.shape)
    return Box(box.low, box.cell / times, (x, y, z))


@njit(cache=True, parallel=True, nogil=True)
def _spread_out(field, times, ox, oy, oz, out):
    """A field at offsets in its cells, between its values, at the same offsets in finer cells."""
    for i in prange(out.shape[0]):
        for j in range(out.shape[1]):
            for k in range(out.shape[2]):
                out[i, j, k] = at(field, (i + ox) / times - ox, (j + oy) / times - oy, (k + oz) / times - oz)


def spread_out(field: Grid, times: int, where: tuple[float, float, float], shape: tuple[int, ...]) -> Grid:
    """A field whose values stand at `where` in their cells, in so many times finer ones."""
    out = np.empty(shape, np.float32)
    _spread_out(field, float(times), *where, out)
    return out


def lively(velocity: Faces) -> Grid:
    """How fast air moves that goes another way than the air about it, in each cell (nx, ny, nz), m/s."""
    total = np.zeros((velocity[1].shape[0], velocity[0].shape[1], velocity[0].shape[2]), np.float32)
    for axis, flow in enumerate(velocity):
        here = in_middles(flow, axis)
        mean: Any = here
        for along in range(3):
            ends = np.take(mean, np.clip(np.arange(-1, mean.shape[along] + 1), 0, mean.shape[along] - 1), along)
            n = mean.shape[along]
            mean = sum(np.take(ends, np.arange(s, s + n), along) for s in range(3)) / np.float32(3.0)
        total += (here - mean) ** 2
    found: Grid = np.sqrt(total)
    return found


@lru_cache(maxsize=8)
def tile(seed: int, phase: int, lump: int) -> Array:
    """A potential (TILE, TILE, TILE, 3) in lumps of so many cells that goes on where it ends, and whose curl is about 1
    fast where cells are 1 wide."""
    places = np.stack(np.meshgrid(*[np.arange(TILE)] * 3, indexing="ij"), axis=-1).reshape(-1, 3).astype(float)
    found = np.zeros((TILE**3, 3))
    share = places / TILE
    for corner in range(8):  # blended with itself a tile farther on, so that it has no seam
        far = np.array([(corner >> axis) & 1 for axis in range(3)])
        weight = np.prod(np.where(far, share, 1.0 - share), axis=1)
        for axis in range(3):
            noise = noise_at(places - TILE * far, size=float(lump), time=float(phase), seed=seed + 97 * axis)
            found[:, axis] += weight * noise
    made = found.reshape(TILE, TILE, TILE, 3)
    slope = [[np.diff(made[..., c], axis=a, append=made[..., c].take([0], a)) for a in range(3)] for c in range(3)]
    turns = [slope[2][1] - slope[1][2], slope[0][2] - slope[2][0], slope[1][0] - slope[0][1]]
    fast = np.sqrt(sum((turn**2).mean() for turn in turns))
    return np.ascontiguousarray(made / fast, np.float32)


@njit(cache=True, parallel=True, nogil=True)
def _potential(sooner, later, share, strong, times, octaves, fall, shift, out):
    """The potential at the corners of fine cells (nx + 1, ny + 1, nz + 1, 3): two tiles, blended, times how strong
    curls are about there; one octave from each halving of the coarse cell on."""
    side = sooner.shape[0]
    for i in prange(out.shape[0]):
        for j in range(out.shape[1]):
            for k in range(out.shape[2]):
                much = at(strong, i / times - 0.5, j / times - 0.5, k / times - 0.5)
                for c in range(3):
                    total, height, wide = 0.0, 1.0, 1
                    for _ in range(octaves):
                        a = (np.int64(i) * wide + shift[0]) % side
                        b, d = (j * wide + shift[1]) % side, (k * wide + shift[2]) % side
                        value = (1.0 - share) * sooner[a, b, d, c] + share * later[a, b, d, c]
                        total += height * value / wide
                        height, wide = height * fall, wide * 2
                    out[i, j, k, c] = much * total


@njit(cache=True, parallel=True, nogil=True)
def _curled(p, flow, axis, cell):
    """Add the curl of a potential at the corners of cells to velocities on faces across an axis, in place."""
    for i in prange(flow.shape[0]):
        for j in range(flow.shape[1]):
            for k in range(flow.shape[2]):
                if axis == 0:
                    turn = p[i, j + 1, k, 2] + p[i, j + 1, k + 1, 2] - p[i, j, k, 2] - p[i, j, k + 1, 2]
                    turn -= p[i, j, k + 1, 1] + p[i, j + 1, k + 1, 1] - p[i, j, k, 1] - p[i, j + 1, k, 1]
                elif axis == 1:
                    turn = p[i, j, k + 1, 0] + p[i + 1, j, k + 1, 0] - p[i, j, k, 0] - p[i + 1, j, k, 0]
                    turn -= p[i + 1, j, k, 2] + p[i + 1, j, k + 1, 2] - p[i, j, k, 2] - p[i, j, k + 1, 2]
                else:
                    turn = p[i + 1, j, k, 1] + p[i + 1, j + 1, k, 1] - p[i, j, k, 1] - p[i, j + 1, k, 1]
                    turn -= p[i, j + 1, k, 0] + p[i + 1, j + 1, k, 0] - p[i, j, k, 0] - p[i + 1, j, k, 0]
                flow[i, j, k] += 0.5 * turn / cell


def curl(
    velocity: Faces, strong: Grid, times: int, cell: float, first: Array, seed: int, changes: float
) -> None:  # fmt: skip
    """Add curls to the velocities of a fine grid, in place: `strong` m/s below the coarse cell (nx, ny, nz), falling
    from octave to octave. `cell` is the fine cell, `first` (3,) the number of the first one in all of the box, so that
    curls stay where they are when a window moves; `changes` counts how often they have become others."""
    out = np.empty((*(n * times + 1 for n in strong.shape), 3), np.float32)
    phase, share = divmod(changes, 1.0)
    shift = np.array([int(n) % TILE for n in first], np.int64)
    sooner, later = (tile(seed, int(phase) + n, 2 * times) for n in (0, 1))
    octaves = 2 if times >= 4 else 1
    _potential(sooner, later, share, strong * np.float32(cell), float(times), octaves, FALL, shift, out)
    for axis, flow in enumerate(velocity):
        _curled(out, flow, axis, cell)
