"""Swirl: the small whirls that a grid loses, given back."""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.matter.fluid.project import Faces


@njit(cache=True, parallel=True, nogil=True)
def _swirled(u, v, w, strength, fx, fy, fz, room):
    """Vorticity confinement (Steinhoff and Underhill 1994; Fedkiw, Stam and Jensen 2001): accelerations (nx, ny, nz)
    that give back the small whirls that a grid loses. room (4, nx, ny, nz) takes the curl and its size, per cell."""
    nx, ny, nz = fx.shape
    quarter = np.float32(0.25)
    for row in prange(nx):
        i = np.int64(row)
        west, east = max(i - 1, 0), min(i + 1, nx - 1)
        for j in range(ny):
            for k in range(nz):
                below, above, near, far = max(j - 1, 0), min(j + 1, ny - 1), max(k - 1, 0), min(k + 1, nz - 1)
                wy = w[i, above, k] + w[i, above, k + 1] - w[i, below, k] - w[i, below, k + 1]
                vz = v[i, j, far] + v[i, j + 1, far] - v[i, j, near] - v[i, j + 1, near]
                uz = u[i, j, far] + u[i + 1, j, far] - u[i, j, near] - u[i + 1, j, near]
                wx = w[east, j, k] + w[east, j, k + 1] - w[west, j, k] - w[west, j, k + 1]
                vx = v[east, j, k] + v[east, j + 1, k] - v[west, j, k] - v[west, j + 1, k]
                uy = u[i, above, k] + u[i + 1, above, k] - u[i, below, k] - u[i + 1, below, k]
                a, b, c = quarter * (wy - vz), quarter * (uz - wx), quarter * (vx - uy)
                room[0, i, j, k], room[1, i, j, k], room[2, i, j, k] = a, b, c
                room[3, i, j, k] = math.sqrt(a * a + b * b + c * c)
    for row in prange(nx):
        i = np.int64(row)
        west, east = max(i - 1, 0), min(i + 1, nx - 1)
        for j in range(ny):
            for k in range(nz):
                gx = room[3, east, j, k] - room[3, west, j, k]
                gy = room[3, i, min(j + 1, ny - 1), k] - room[3, i, max(j - 1, 0), k]
                gz = room[3, i, j, min(k + 1, nz - 1)] - room[3, i, j, max(k - 1, 0)]
                size = math.sqrt(gx * gx + gy * gy + gz * gz)
                if size < 1e-9:
                    continue
                gx, gy, gz = gx / size, gy / size, gz / size
                a, b, c = room[0, i, j, k], room[1, i, j, k], room[2, i, j, k]
                fx[i, j, k] += strength * (gy * c - gz * b)
                fy[i, j, k] += strength * (gz * a - gx * c)
                fz[i, j, k] += strength * (gx * b - gy * a)


def swirled(velocity: Faces, strength: float, force: Faces) -> None:
    """Add the accelerations of vorticity confinement, m/s² for velocities in m/s, to `force`, in place; strength, 1/s,
    is by how much of a whirl is given back each second."""
    _swirled(*velocity, strength, *force, np.empty((4, *force[0].shape), np.float32))
