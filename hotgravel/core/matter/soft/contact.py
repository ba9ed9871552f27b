"""Kernels of what soft things meet: each point of a skin on its way, swept, so that nothing passes through."""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.shape.colliders import (
    HIGH,
    KIND,
    LOW,
    P0,
    P1,
    Q0,
    Q1,
    R0,
    S0,
    S1,
    SIDE,
    SIZES,
    contact_at,
    first_hit,
)  # fmt: skip
from hotgravel.core.shape.distance import PLANE, SPHERE

PASSES = 2  # surfaces that a point may meet in one small step
GLUED = 0.05  # of its radius: a point that has come off by less still clings


def moves(table):
    """Which colliders (m,) of a table go, turn or grow in its step."""
    ends = (P0, P1, 3), (Q0, Q1, 4), (S0, S1, 1)
    return np.any([(table[:, a : a + n] != table[:, b : b + n]).any(axis=1) for a, b, n in ends], axis=0)


def come_between(table, low, high, wide):
    """Which colliders (m,) may come through between points that lie so `wide` apart, metres, and stay from low to high
    (3,): balls no smaller do not, nor does what is met from inside, or a flat thing that is under all of them."""
    here = ((table[:, LOW : LOW + 3] <= high) & (table[:, HIGH : HIGH + 3] >= low)).all(axis=1)
    ball = (table[:, KIND] == SPHERE) & (table[:, SIZES] * np.minimum(table[:, S0], table[:, S1]) >= wide)
    within = ((table[:, LOW : LOW + 3] < low) & (table[:, HIGH : HIGH + 3] > high)).sum(axis=1) == 2
    return here & (table[:, SIDE] > 0.0) & ~ball & ~(within & (table[:, KIND] == PLANE))


@njit(cache=True, parallel=True, nogil=True)
def near_any(place, room, table, which, near):
    """Which places (n, 3) are no farther than `room`, metres, from the boxes of some colliders, `which` (k,) of a
    table; into `near` (n,)."""
    for row in prange(len(place)):
        i = np.int64(row)
        near[i] = False
        for j in which:
            apart = False
            for c in range(3):
                apart |= place[i, c] < table[j, LOW + c] - room or place[i, c] > table[j, HIGH + c] + room
            if not apart:
                near[i] = True
                break


def between(table, start, end):
    """A table of colliders for a part of its step: from shares of it to others. The way is a straight line, and turns
    are all alike."""
    made = table.copy()
    q0, q1 = table[:, Q0 : Q0 + 4], table[:, Q1 : Q1 + 4]
    for at, share in ((0, start), (1, end)):
        place, turn, scale = (P0, Q0, S0) if at == 0 else (P1, Q1, S1)
        made[:, place : place + 3] = (1.0 - share) * table[:, P0 : P0 + 3] + share * table[:, P1 : P1 + 3]
        q = (1.0 - share) * q0 + share * q1
        made[:, turn : turn + 4] = q / np.linalg.norm(q, axis=1, keepdims=True)
        made[:, scale] = (1.0 - share) * table[:, S0] + share * table[:, S1]
    x, y, z, s = (made[:, Q0 + n] for n in range(4))
    made[:, R0 : R0 + 9] = np.stack([
        1 - 2 * (y * y + z * z), 2 * (x * y - z * s), 2 * (x * z + y * s),
        2 * (x * y + z * s), 1 - 2 * (x * x + z * z), 2 * (y * z - x * s),
        2 * (x * z - y * s), 2 * (y * z + x * s), 1 - 2 * (x * x + y * y),
    ], axis=1)  # fmt: skip
    return made


@njit(cache=True, parallel=True, nogil=True)
def met(
    x, before, w, nodes, numbers, groups, friction, glue, clung, clings, state, table, bits, tree, light, dt, touched,
    impact, pushed, against, facing,
):  # fmt: skip
    """Points of skins, in place: what they run into holds them, and rubs. `numbers` (m, 7) has their shares in four
    vertices, their radii, rows and areas, which those between vertices have none of; `glue` (m,) is the pull, N, of
    what they touched last, out of which `clung` (n, 3) leads at their vertices; `clings` is that anew. `light` (C,) is
    one over the mass of what they may meet. What pushes each adds up in `pushed` (m, 3), N s; `against` (m,) is what
    did so last, out of which `facing` (m, 3) leads."""
    if len(table) == 0:
        return
    for g in range(len(groups) - 1):
        for row in prange(groups[g], groups[g + 1]):
            m = np.int64(row)
            give = 0.0
            ax, ay, az, bx, by, bz = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            best, most, last = nodes[m, 0], numbers[m, 0], -1
            for n in range(4):
                i, s = nodes[m, n], numbers[m, n]
                give += w[i] * s * s
                ax, ay, az = ax + s * before[i, 0], ay + s * before[i, 1], az + s * before[i, 2]
                bx, by, bz = bx + s * x[i, 0], by + s * x[i, 1], bz + s * x[i, 2]
                if s > most:
                    best, most = i, s
            if give <= 0.0:
                continue
            pull = 0.0
            if clung[best, 0] != 0.0 or clung[best, 1] != 0.0 or clung[best, 2] != 0.0:
                pull = min(dt * dt * give * glue[m], numbers[m, 4])  # so near that it meets no other
            ex, ey, ez, t0 = bx - pull * clung[best, 0], by - pull * clung[best, 1], bz - pull * clung[best, 2], 0.0
            fx, fy, fz = ax, ay, az
            for _ in range(PASSES):
                t, j = first_hit(table, tree, state[best], fx, fy, fz, ex, ey, ez, t0, numbers[m, 4])
                if j < 0 or t > 1.0:
                    break
                cx, cy, cz, nx, ny, nz, ux, uy, uz, _a, _b, _c = contact_at(
                    table, tree, j, fx, fy, fz, ex, ey, ez, t0, t, numbers[m, 4], dt
                )
                t = t0 + t * (1.0 - t0)
                ux, uy, uz = ux * dt, uy * dt, uz * dt
                # The rest of the way goes along the surface, less what rubs; the surface goes on as well.
                rest = 1.0 - t
                gx, gy, gz = ex - cx - rest * ux, ey - cy - rest * uy, ez - cz - rest * uz
                deep = -(gx * nx + gy * ny + gz * nz)
                if deep > 0.0:
                    gx, gy, gz = gx + deep * nx, gy + deep * ny, gz + deep * nz
                    # All of its motion along the surface in this small step is rubbed, not only what is left of it.
                    sx, sy, sz = (
                        cx + rest * ux + gx - ax - ux,
                        cy + rest * uy + gy - ay - uy,
                        cz + rest * uz + gz - az - uz,
                    )
                    along = sx * nx + sy * ny + sz * nz
                    sx, sy, sz = sx - along * nx, sy - along * ny, sz - along * nz
                    slid = math.sqrt(sx * sx + sy * sy + sz * sz)
                    share = min(1.0, friction[m] * deep / max(slid, 1e-12))
                    gx, gy, gz = gx - share * sx, gy - share * sy, gz - share * sz
                    last = j
                    touched[best] |= bits[j]
                    facing[m, 0], facing[m, 1], facing[m, 2] = nx, ny, nz
                    if numbers[m, 6] > 0.0:
                        clings[best, 0], clings[best, 1], clings[best, 2] = nx, ny, nz
                    impact[best] = max(impact[best], (deep - pull) / dt)
                ex, ey, ez = cx + rest * ux + gx, cy + rest * uy + gy, cz + rest * uz + gz
                fx, fy, fz, t0 = cx, cy, cz, min(t, 1.0 - 1e-9)
            if last < 0 and pull > 0.0:
                reach = (1.0 + GLUED) * numbers[m, 4]
                if first_hit(table, tree, state[best], ax, ay, az, ex, ey, ez, 0.0, reach)[1] >= 0:
                    clings[best, 0], clings[best, 1], clings[best, 2] = clung[best, 0], clung[best, 1], clung[best, 2]
            if last >= 0:
                give += light[last]
                against[m] = last
            mx, my, mz = (ex - bx) / give, (ey - by) / give, (ez - bz) / give
            pushed[m, 0] += mx / dt
            pushed[m, 1] += my / dt
            pushed[m, 2] += mz / dt
            if mx != 0.0 or my != 0.0 or mz != 0.0:
                for n in range(4):
                    i, s = nodes[m, n], numbers[m, n]
                    x[i, 0] += w[i] * s * mx
                    x[i, 1] += w[i] * s * my
                    x[i, 2] += w[i] * s * mz
