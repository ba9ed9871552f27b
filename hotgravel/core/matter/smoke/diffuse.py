"""Viscosity and diffusion: what differs between neighbours evens out, in as many small steps as keep it stable."""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.matter.fluid.project import Faces, Grid

STABLE = 1.0 / 6.0  # of the square of a cell: an explicit step in three dimensions can spread no farther


@njit(cache=True, parallel=True, nogil=True)
def _evened(field, ox, oy, oz, share, out):
    """A field (nx, ny, nz) in the middles of cells, evened out through the open share of faces within the box."""
    nx, ny, nz = field.shape
    for row in prange(nx):
        i = np.int64(row)
        for j in range(ny):
            for k in range(nz):
                here = field[i, j, k]
                total = np.float32(0.0)
                if i > 0:
                    total += ox[i, j, k] * (field[i - 1, j, k] - here)
                if i < nx - 1:
                    total += ox[i + 1, j, k] * (field[i + 1, j, k] - here)
                if j > 0:
                    total += oy[i, j, k] * (field[i, j - 1, k] - here)
                if j < ny - 1:
                    total += oy[i, j + 1, k] * (field[i, j + 1, k] - here)
                if k > 0:
                    total += oz[i, j, k] * (field[i, j, k - 1] - here)
                if k < nz - 1:
                    total += oz[i, j, k + 1] * (field[i, j, k + 1] - here)
                out[i, j, k] = here + share * total


@njit(cache=True, parallel=True, nogil=True)
def _dragged(flow, open_, walls, clings, axis, share, out):
    """Velocities on faces across an axis, dragged along by those beside them. Walls (3, 2) move along the axis at those
    speeds where their side clings (3, 2); where `clings` has none, air slides along what is shut."""
    nx, ny, nz = flow.shape
    for row in prange(nx):
        i = np.int64(row)
        for j in range(ny):
            for k in range(nz):
                here, total = flow[i, j, k], np.float32(0.0)
                for side in range(6):
                    a, end = side // 2, side % 2
                    way = 2 * end - 1
                    p, q, r = i + way * (a == 0), j + way * (a == 1), k + way * (a == 2)
                    at = (p, q, r)[a]
                    if at < 0 or at >= flow.shape[a]:
                        if clings[a, end] and a != axis:
                            total += np.float32(2.0) * (walls[a, end] - here)  # the wall is half a cell off
                        continue
                    if a == axis or clings[3, 0] or open_[p, q, r] > 0.0:
                        total += flow[p, q, r] - here
                out[i, j, k] = here + share * total if open_[i, j, k] > 0.0 else here


def rounds_of(much: float) -> int:
    """In how many steps something spreads by `much` squares of a cell."""
    return max(1, math.ceil(much / STABLE - 1e-9))


def diffused(field: Grid, open_: Faces, much: float) -> Grid:
    """A field (nx, ny, nz) that has spread for `much` = diffusivity times seconds over the square of a cell."""
    rounds = rounds_of(much)
    other = np.empty_like(field)
    for _ in range(rounds):
        _evened(field, *open_, np.float32(much / rounds), other)
        field, other = other, field
    return field


def dragged(velocity: Faces, open_: Faces, much: float, clings: Grid, walls: Grid) -> Faces:
    """Velocities that have spread as far; clings (4, 2) says which sides of the box drag air along, and its last row
    whether obstacles do; walls (3, 2, 3) m/s how fast sides move."""
    rounds, made = rounds_of(much), list[Grid]()
    for axis, flow in enumerate(velocity):
        there, other, along = flow.copy(), np.empty_like(flow), np.ascontiguousarray(walls[..., axis])
        for _ in range(rounds):
            _dragged(there, open_[axis], along, clings, axis, np.float32(much / rounds), other)
            there, other = other, there
        made.append(there)
    return made[0], made[1], made[2]
