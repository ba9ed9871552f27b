"""Carrying fields along with the gas: back along its way (Stam 1999), corrected there and back (MacCormack; Selle and
others 2008) and kept between the values that surround the place it came from.

Places are in cells: a cell i reaches from i to i + 1, so its middle is at i + 0.5. Velocities stand on faces: u
(nx + 1, ny, nz) on those across x, v (nx, ny + 1, nz) and w (nx, ny, nz + 1); scalars (nx, ny, nz) in the middles.
"""

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Grid = NDArray[np.float32]
CENTRE, ON_X, ON_Y, ON_Z = (0.5, 0.5, 0.5), (0.0, 0.5, 0.5), (0.5, 0.0, 0.5), (0.5, 0.5, 0.0)


@njit(cache=True)
def at(field, x, y, z):
    """A field between its values, at a place counted in them; held at its ends."""
    nx, ny, nz = field.shape
    x, y, z = min(max(x, 0.0), nx - 1.0), min(max(y, 0.0), ny - 1.0), min(max(z, 0.0), nz - 1.0)
    i, j, k = min(int(x), nx - 2), min(int(y), ny - 2), min(int(z), nz - 2)
    a, b, c = x - i, y - j, z - k
    low = (field[i, j, k] * (1 - a) + field[i + 1, j, k] * a) * (1 - b) + (
        field[i, j + 1, k] * (1 - a) + field[i + 1, j + 1, k] * a
    ) * b
    high = (field[i, j, k + 1] * (1 - a) + field[i + 1, j, k + 1] * a) * (1 - b) + (
        field[i, j + 1, k + 1] * (1 - a) + field[i + 1, j + 1, k + 1] * a
    ) * b
    return low * (1 - c) + high * c


@njit(cache=True, parallel=True, nogil=True)
def _carried(fields, u, v, w, step, ox, oy, oz, fresh, out, low, high):
    """Values of fields (m, nx, ny, nz) from where they were `step` cells per unit of velocity ago (second order in
    time), into out; and the least and most of the values around that place. Beyond the box is nothing where `fresh`,
    else what its side has."""
    many, nx, ny, nz = fields.shape
    sx, sy, sz = u.shape[0] - 1.0, v.shape[1] - 1.0, w.shape[2] - 1.0
    for i in prange(nx):
        for j in range(ny):
            for k in range(nz):
                x, y, z = i + ox, j + oy, k + oz
                half = 0.5 * step
                p = x - half * at(u, x, y - 0.5, z - 0.5)
                q = y - half * at(v, x - 0.5, y, z - 0.5)
                r = z - half * at(w, x - 0.5, y - 0.5, z)
                x -= step * at(u, p, q - 0.5, r - 0.5)
                y -= step * at(v, p - 0.5, q, r - 0.5)
                z -= step * at(w, p - 0.5, q - 0.5, r)
                if fresh and (x < 0.0 or y < 0.0 or z < 0.0 or x > sx or y > sy or z > sz):
                    for m in range(many):
                        out[m, i, j, k] = low[m, i, j, k] = high[m, i, j, k] = 0.0
                    continue
                x, y, z = x - ox, y - oy, z - oz
                a = min(max(math.floor(x), 0), nx - 2)
                b = min(max(math.floor(y), 0), ny - 2)
                c = min(max(math.floor(z), 0), nz - 2)
                for m in range(many):
                    field = fields[m]
                    out[m, i, j, k] = at(field, x, y, z)
                    least = most = field[a, b, c]
                    for n in range(1, 8):
                        value = field[a + (n & 1), b + ((n >> 1) & 1), c + (n >> 2)]
                        least, most = min(least, value), max(most, value)
                    low[m, i, j, k], high[m, i, j, k] = least, most


@njit(cache=True, parallel=True, nogil=True)
def _corrected(fields, u, v, w, step, ox, oy, oz, there, low, high):
    """Half of what a way there and back has lost is put right, where that stays between its neighbours, in place of
    `low`."""
    many, nx, ny, nz = fields.shape
    for i in prange(nx):
        for j in range(ny):
            for k in range(nz):
                x, y, z = i + ox, j + oy, k + oz
                half = 0.5 * step
                p = x + half * at(u, x, y - 0.5, z - 0.5)
                q = y + half * at(v, x - 0.5, y, z - 0.5)
                r = z + half * at(w, x - 0.5, y - 0.5, z)
                x += step * at(u, p, q - 0.5, r - 0.5) - ox
                y += step * at(v, p - 0.5, q, r - 0.5) - oy
                z += step * at(w, p - 0.5, q - 0.5, r) - oz
                for m in range(many):
                    value = there[m, i, j, k] + 0.5 * (fields[m, i, j, k] - at(there[m], x, y, z))
                    if not low[m, i, j, k] <= value <= high[m, i, j, k]:
                        value = there[m, i, j, k]
                    low[m, i, j, k] = value


def carried(fields: Grid, velocity: tuple[Grid, Grid, Grid], step: float, where: tuple[float, float, float],
            fresh: bool = False) -> Grid:  # fmt: skip
    """Fields (m, nx, ny, nz) whose values stand at `where` in their cells, carried with the velocity for `step` =
    seconds over metres of a cell. `fresh` lets nothing in from outside the box."""
    out, low, high = (np.empty_like(fields) for _ in range(3))
    _carried(fields, *velocity, step, *where, fresh, out, low, high)
    _corrected(fields, *velocity, step, *where, out, low, high)
    return low


@njit(cache=True, parallel=True, nogil=True)
def _swirled(u, v, w, strength, fx, fy, fz, room):
    """Vorticity confinement (Steinhoff and Underhill 1994; Fedkiw, Stam and Jensen 2001): accelerations (nx, ny, nz)
    that give back the small whirls that a grid loses. room (4, nx, ny, nz) takes the curl and its size, per cell."""
    nx, ny, nz = fx.shape
    for i in prange(nx):
        for j in range(ny):
            for k in range(nz):
                x, y, z = i + 0.5, j + 0.5, k + 0.5
                wy = at(w, x - 0.5, y + 0.5, z) - at(w, x - 0.5, y - 1.5, z)
                vz = at(v, x - 0.5, y, z + 0.5) - at(v, x - 0.5, y, z - 1.5)
                uz = at(u, x, y - 0.5, z + 0.5) - at(u, x, y - 0.5, z - 1.5)
                wx = at(w, x + 0.5, y - 0.5, z) - at(w, x - 1.5, y - 0.5, z)
                vx = at(v, x + 0.5, y, z - 0.5) - at(v, x - 1.5, y, z - 0.5)
                uy = at(u, x, y + 0.5, z - 0.5) - at(u, x, y - 1.5, z - 0.5)
                a, b, c = 0.5 * (wy - vz), 0.5 * (uz - wx), 0.5 * (vx - uy)
                room[0, i, j, k], room[1, i, j, k], room[2, i, j, k] = a, b, c
                room[3, i, j, k] = math.sqrt(a * a + b * b + c * c)
    for row in prange(nx):
        ahead, behind = min(np.int64(row) + 1, nx - 1), max(np.int64(row) - 1, 0)
        for j in range(ny):
            for k in range(nz):
                gx = room[3, ahead, j, k] - room[3, behind, j, k]
                gy = room[3, row, min(j + 1, ny - 1), k] - room[3, row, max(j - 1, 0), k]
                gz = room[3, row, j, min(k + 1, nz - 1)] - room[3, row, j, max(k - 1, 0)]
                size = math.sqrt(gx * gx + gy * gy + gz * gz)
                if size < 1e-9:
                    continue
                gx, gy, gz = gx / size, gy / size, gz / size
                a, b, c = room[0, row, j, k], room[1, row, j, k], room[2, row, j, k]
                fx[row, j, k] += strength * (gy * c - gz * b)
                fy[row, j, k] += strength * (gz * a - gx * c)
                fz[row, j, k] += strength * (gx * b - gy * a)


def swirled(velocity: tuple[Grid, Grid, Grid], strength: float, force: tuple[Grid, Grid, Grid]) -> None:
    """Add the accelerations of vorticity confinement, m/s² for velocities in m/s, to `force`, in place; strength, 1/s,
    is by how much of a whirl is given back each second."""
    _swirled(*velocity, strength, *force, np.empty((4, *force[0].shape), np.float32))
