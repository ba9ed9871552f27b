"""Swirl: the small whirls that a grid loses, given back."""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.matter.fluid.project import Faces
from hotgravel.core.matter.smoke.sample import at


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


def swirled(velocity: Faces, strength: float, force: Faces) -> None:
    """Add the accelerations of vorticity confinement, m/s² for velocities in m/s, to `force`, in place; strength, 1/s,
    is by how much of a whirl is given back each second."""
    _swirled(*velocity, strength, *force, np.empty((4, *force[0].shape), np.float32))
