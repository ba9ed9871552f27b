"""Kernels that move free vertices on in a small step, by their velocity, what pulls, and the air; and tell how they
went in the end."""

import math

import numpy as np
from numba import njit, prange


@njit(cache=True, parallel=True, nogil=True)
def flown(x, v, free, pull, rate, drift, bite, normal, share, dt):
    """Vertices in place: those of numbers `free` (k,), whose pull, rate, drift, bite, normal and share are (k, ...).
    Air takes hold straight on, and by a share along the cloth; of what has no normal it does from everywhere."""
    for row in prange(len(free)):
        n = np.int64(row)
        i = free[n]
        gx, gy, gz = v[i, 0] + dt * pull[n, 0], v[i, 1] + dt * pull[n, 1], v[i, 2] + dt * pull[n, 2]
        grip = rate[n] + bite[n] * math.sqrt(gx * gx + gy * gy + gz * gz)
        if grip > 0.0:
            hold = -math.expm1(-grip * dt) / grip
            ax, ay, az = (
                hold * (drift[n, 0] - grip * gx),
                hold * (drift[n, 1] - grip * gy),
                hold * (drift[n, 2] - grip * gz),
            )
            nx, ny, nz, part = normal[n, 0], normal[n, 1], normal[n, 2], share[n]
            if nx != 0.0 or ny != 0.0 or nz != 0.0:
                ahead = ax * nx + ay * ny + az * nz
                ax, ay, az = (
                    ahead * nx + part * (ax - ahead * nx),
                    ahead * ny + part * (ay - ahead * ny),
                    (ahead * nz + part * (az - ahead * nz)),
                )
            gx, gy, gz = gx + ax, gy + ay, gz + az
        x[i, 0] += dt * gx
        x[i, 1] += dt * gy
        x[i, 2] += dt * gz


@njit(cache=True, parallel=True, nogil=True)
def sped(x, before, dt, v, way):
    """The velocities (n, 3) of vertices that have come from `before` to x in dt seconds, into `v`; how far that is, is
    added to `way` (n,)."""
    for row in prange(len(x)):
        i = np.int64(row)
        dx, dy, dz = x[i, 0] - before[i, 0], x[i, 1] - before[i, 1], x[i, 2] - before[i, 2]
        v[i, 0], v[i, 1], v[i, 2] = dx / dt, dy / dt, dz / dt
        way[i] += math.sqrt(dx * dx + dy * dy + dz * dz)
