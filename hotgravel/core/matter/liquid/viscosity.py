"""Viscosity: what goes faster drags along what is beside it, solved for at once, so that honey needs no small steps.

Each velocity is dragged by those beside it along the same axis. Thick liquid that turns as a whole at its surface is
held back a little by that; the full stress has what differs between axes too (Batty and Bridson 2008).
"""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.matter.fluid.project import Faces, Grid
from hotgravel.core.matter.fluid.solids import Solids

CLOSE = 1e-4  # of the greatest speed
MOST_ROUNDS = 400
AT_WALL = np.float32(2.0)  # a wall is half a cell off, what is beside it a whole one


@njit(cache=True, parallel=True, nogil=True)
def _dragged(flow, solid, open_, known, thick, clings, axis, part, out):
    """Into `out`, velocities across an axis less what drags them (part 0), what walls drag along (1), or what each
    counts itself (2); `thick` is viscosity times seconds over the square of a cell."""
    nx, ny, nz = flow.shape
    for row in prange(nx):
        i = np.int64(row)
        for j in range(ny):
            for k in range(nz):
                out[i, j, k] = 0.0
                if not known[i, j, k] or open_[i, j, k] <= 0.0:
                    continue
                here, total, own = flow[i, j, k], np.float32(0.0), np.float32(1.0)
                for side in range(6):
                    a, way = side // 2, 2 * (side % 2) - 1
                    p, q, r = i + way * (a == 0), j + way * (a == 1), k + way * (a == 2)
                    if not (0 <= p < nx and 0 <= q < ny and 0 <= r < nz):
                        continue
                    if open_[p, q, r] <= 0.0:
                        if a == axis or clings:
                            share = thick[i, j, k] * (np.float32(1.0) if a == axis else AT_WALL)
                            total += share * (solid[p, q, r] if part == 1 else np.float32(0.0))
                            own += share
                    elif known[p, q, r]:
                        share = np.float32(0.5) * (thick[i, j, k] + thick[p, q, r])
                        total += share * (np.float32(0.0) if part == 1 else flow[p, q, r])
                        own += share
                out[i, j, k] = own * here - total if part == 0 else (total if part == 1 else own)


def thickened(
    velocity: Faces, solids: Solids, known: tuple[NDArray[np.bool_], ...], thick: Faces, clings: bool
) -> tuple[Faces, int]:
    """Velocities that have dragged one another along, and in how many rounds of conjugate gradients all were found."""
    made, most = list[Grid](), 0
    for axis, start in enumerate(velocity):
        told = (solids.moving[axis], solids.open[axis], known[axis], thick[axis], clings, axis)
        free = known[axis] & (solids.open[axis] > 0.0)
        walls, own, out = np.empty_like(start), np.empty_like(start), np.empty_like(start)
        _dragged(start, *told, 1, walls)
        _dragged(start, *told, 2, own)
        own = np.asarray(np.where(free, own, np.float32(1.0)), np.float32)
        aim = CLOSE * float(np.abs(start[free]).max(initial=1e-3))
        now = start.copy()
        _dragged(now, *told, 0, out)
        left = np.where(free, start + walls - out, np.float32(0.0))
        ready: Grid = left / own
        way, size = ready, _times(left, ready)
        for done in range(MOST_ROUNDS):
            most = max(most, done)
            if float(np.abs(left).max(initial=0.0)) <= aim:
                break
            _dragged(way, *told, 0, out)
            along = np.float32(size / _times(way, out))
            now += along * way
            left -= along * out
            ready = left / own
            size, was = _times(left, ready), size
            way = ready + np.float32(size / was) * way
        made.append(now)
    return (made[0], made[1], made[2]), most


def _times(one: Grid, other: Grid) -> float:
    return float(np.einsum("ijk,ijk->", one, other, dtype=float, casting="same_kind"))
