"""How a particle moves through free space for a time h, under its state's forces.

Pull, linear drag and wind have a closed form, which is used as it is. Air drag has one of
its own, v / (1 + bite |v| h), applied for half the time before and half after (Strang
1968): second order where both act, exact where either acts alone on the speed.
"""

import math

from numba import njit


@njit(cache=True)
def _bitten(vx, vy, vz, bite, h):
    if bite == 0.0:
        return vx, vy, vz
    left = 1.0 / (1.0 + bite * h * math.sqrt(vx * vx + vy * vy + vz * vz))
    return vx * left, vy * left, vz * left


@njit(cache=True)
def flow(x, y, z, vx, vy, vz, h, ax, ay, az, rate, fade, reach, dx, dy, dz, bite):
    """Position and velocity after h seconds.

    a pull (m/s²), d drift (m/s²), rate (1/s), bite (1/m); fade = exp(-rate h) and
    reach = (1 - fade) / rate, from `fading`.
    """
    vx, vy, vz = _bitten(vx, vy, vz, bite, 0.5 * h)
    if rate * h < 1e-6:
        bx, by, bz = ax + dx - rate * vx, ay + dy - rate * vy, az + dz - rate * vz
        x, y, z = x + h * (vx + 0.5 * h * bx), y + h * (vy + 0.5 * h * by), z + h * (vz + 0.5 * h * bz)
        vx, vy, vz = vx + h * bx, vy + h * by, vz + h * bz
    else:
        ux, uy, uz = (ax + dx) / rate, (ay + dy) / rate, (az + dz) / rate
        x, y, z = (
            x + ux * h + (vx - ux) * reach,
            y + uy * h + (vy - uy) * reach,
            z + uz * h + (vz - uz) * reach,
        )
        vx, vy, vz = ux + (vx - ux) * fade, uy + (vy - uy) * fade, uz + (vz - uz) * fade
    vx, vy, vz = _bitten(vx, vy, vz, bite, 0.5 * h)
    return x, y, z, vx, vy, vz


@njit(cache=True)
def fading(rate, h):
    """exp(-rate h), and the integral of it from 0 to h."""
    if rate == 0.0:
        return 1.0, h
    gone = -math.expm1(-rate * h)
    return 1.0 - gone, gone / rate
