"""What forces do to velocities."""

import math

import numpy as np
from numba import njit, prange


@njit(cache=True, parallel=True, nogil=True)
def forced(velocity, state, by_element, pull, rate, drift, bite, dt):
    """What pulls elements and the air that holds them change their velocities, in place."""
    for n in prange(len(velocity)):
        s = np.int64(n) if by_element else np.int64(state[n])
        x, y, z = velocity[n, 0] + dt * pull[s, 0], velocity[n, 1] + dt * pull[s, 1], velocity[n, 2] + dt * pull[s, 2]
        grip = rate[s] + bite[s] * math.sqrt(x * x + y * y + z * z)
        hold = -math.expm1(-grip * dt) / grip if grip > 0.0 else dt
        velocity[n, 0] = x + hold * (drift[s, 0] - grip * x)
        velocity[n, 1] = y + hold * (drift[s, 1] - grip * y)
        velocity[n, 2] = z + hold * (drift[s, 2] - grip * z)
