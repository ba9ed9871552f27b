"""The pressure of a liquid with a free surface: none where air is, reached where the surface lies between two middles
(the ghost fluid method: Gibou, Fedkiw, Cheng and Kang 2002; Enright, Nguyen, Gibou and Fedkiw 2003)."""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.matter.fluid.project import Faces, Grid, divergence_of, levels_of, pressure
from hotgravel.core.matter.fluid.solids import Solids

LEAST = 0.1  # of the way between two middles: a nearer surface counts as so near
HELD = 1e-5  # what holds the pressure of liquid that no air reaches
WALL = 0.5  # cells: liquid goes on so far into obstacles
LIGHT = 20.0  # times as light as liquid gas in it counts: lighter, the pressure would be hard to find


@njit(cache=True, parallel=True, nogil=True)
def _sealed(near, gas, distance):
    """Let liquid that lies at obstacles go on into them, in place: no air is between."""
    for i in prange(near.shape[0]):
        for j in range(near.shape[1]):
            for k in range(near.shape[2]):
                if distance[i, j, k] < WALL and near[i, j, k] < WALL and not gas[i, j, k]:
                    near[i, j, k] = -WALL


@njit(cache=True, inline="always")
def _reach(here, there):
    """How far the surface is from a wet middle towards a dry one, of the way."""
    return max(here / (here - there), LEAST)


@njit(cache=True, inline="always")
def _gives(here, there, light, other):
    """How readily what is between two middles gives way, of liquid, where one or both may be light."""
    if light and other:
        return LIGHT
    if light:
        return 1.0 / _reach(there, here)
    return 1.0 / _reach(here, there) if other else 1.0


@njit(cache=True, parallel=True, nogil=True)
def _weighed(near, gas, ox, oy, oz, pull, wx, wy, wz, extra, right):
    """What pressures of neighbours that are wet or of gas count, on faces wx, wy, wz, what air counts in each cell,
    `extra`, and what the pull of the surface adds to the right side, `pull` being its pressure (nx, ny, nz)."""
    nx, ny, nz = near.shape
    for row in prange(nx):
        i = np.int64(row)
        for j in range(ny):
            for k in range(nz):
                here, light = near[i, j, k], gas[i, j, k]
                if here >= 0.0 and not light:
                    continue
                total, shut = np.float32(HELD), True
                for side in range(6):
                    a, end = side // 2, side % 2
                    fi, fj, fk = i + end * (a == 0), j + end * (a == 1), k + end * (a == 2)
                    open_ = ox[fi, fj, fk] if a == 0 else (oy[fi, fj, fk] if a == 1 else oz[fi, fj, fk])
                    if open_ <= 0.0:
                        continue
                    shut = False
                    way = 2 * end - 1
                    p, q, r = i + way * (a == 0), j + way * (a == 1), k + way * (a == 2)
                    outside = not (0 <= p < nx and 0 <= q < ny and 0 <= r < nz)
                    other = not outside and gas[p, q, r]
                    if outside or (near[p, q, r] >= 0.0 and not other):
                        dry = open_ if outside else open_ * (LIGHT if light else 1.0 / _reach(here, near[p, q, r]))
                        total += dry
                        if not outside and not light:
                            right[i, j, k] += dry * 0.5 * (pull[i, j, k] + pull[p, q, r])
                        continue
                    weight = open_ * _gives(here, near[p, q, r], light, other)
                    if light != other:
                        over = weight * 0.5 * (pull[i, j, k] + pull[p, q, r])
                        right[i, j, k] += -over if light else over
                    if end == 1:  # each face is of the cell before it
                        if a == 0:
                            wx[fi, fj, fk] = weight
                        elif a == 1:
                            wy[fi, fj, fk] = weight
                        else:
                            wz[fi, fj, fk] = weight
                if shut:  # it lies in an obstacle: no pressure is there, and no neighbour asks for any
                    near[i, j, k] = WALL
                else:
                    extra[i, j, k] = total


@njit(cache=True, parallel=True, nogil=True)
def _released(flow, solid, open_, near, gas, p, pull, axis, known):
    """Take the slope of the pressure off velocities across an axis, in place; `known` tells which are then the
    liquid's or an obstacle's."""
    nx, ny, nz = flow.shape
    for row in prange(nx):
        i = np.int64(row)
        for j in range(ny):
            for k in range(nz):
                a, b, c = i - (axis == 0), j - (axis == 1), k - (axis == 2)
                if open_[i, j, k] <= 0.0:
                    flow[i, j, k], known[i, j, k] = solid[i, j, k], True
                    continue
                within = a >= 0 and b >= 0 and c >= 0
                back = near[a, b, c] if within else np.float32(1.0)
                inside = i < near.shape[0] and j < near.shape[1] and k < near.shape[2]
                front = near[i, j, k] if inside else np.float32(1.0)
                one, other = within and gas[a, b, c], inside and gas[i, j, k]
                known[i, j, k] = back < 0.0 or front < 0.0
                if not known[i, j, k] and not one and not other:
                    continue
                low, high = p[a + 1, b + 1, c + 1], p[i + 1, j + 1, k + 1]
                over = np.float32(0.0)
                if inside and within:
                    over = 0.5 * (pull[a, b, c] + pull[i, j, k])
                if one or other:
                    if (back < 0.0 or one) and (front < 0.0 or other):
                        over = np.float32(0.0) if one == other else (over if other else -over)
                        flow[i, j, k] -= _gives(back, front, one, other) * (high + over - low)
                    else:
                        flow[i, j, k] -= LIGHT * (high - low)  # beside open air, whose pressure is none
                elif back >= 0.0:
                    flow[i, j, k] -= (high - over) / (_reach(front, back) if inside and within else 1.0)
                elif front >= 0.0:
                    flow[i, j, k] -= (over - low) / (_reach(back, front) if inside else 1.0)
                else:
                    flow[i, j, k] -= high - low


def released(
    velocity: Faces,
    solids: Solids,
    near: Grid,
    gas: NDArray[np.bool_],
    distance: Grid,
    source: Grid,
    pull: Grid,
    guess: Grid | None,
) -> tuple[Grid, tuple[NDArray[np.bool_], ...], int]:
    """Take the divergence off a liquid's velocity, in place. `near` (nx, ny, nz) is less than 0 where it is wet, in
    cells from its surface, `gas` tells where gas is, and `distance` how far middles lie from obstacles, in cells;
    `source` is what comes into cells, in velocity; `pull` is the pressure of its surface. Returns the pressure, with a
    rim of zeros, on which faces the velocity is the liquid's, and in how many rounds it was found."""
    _sealed(near, gas, distance)
    wx, wy, wz = (np.zeros_like(face) for face in velocity)
    extra, right = np.zeros_like(near), np.zeros_like(near)
    _weighed(near, gas, *solids.open, pull, wx, wy, wz, extra, right)
    apart = divergence_of(velocity, solids.open, solids.moving) - source
    p, rounds = pressure(levels_of((wx, wy, wz), extra), apart - right, guess)
    known = tuple(np.zeros(face.shape, bool) for face in velocity)
    for axis in range(3):
        _released(velocity[axis], solids.moving[axis], solids.open[axis], near, gas, p, pull, axis, known[axis])
    return p, known, rounds
