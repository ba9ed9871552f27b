"""Swirls: eddies strewn by chance, each of which turns up, lives and dies."""

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.chance import uniforms

Array = NDArray[np.float64]


def strewn(count: int, life: float, time: float, upright: float, *, seed: int, who: str) -> tuple[Array, Array, Array]:
    """Eddies at a time (seconds): where they are (count, 3), in shares of half the room from its middle; the axes
    (count, 3) that they turn about; and how strong they are (count,), 0 to 1. Each lives for `life` seconds, and
    another comes in its place."""
    slots = np.arange(count, dtype=np.uint64)
    turn = time / life + uniforms(slots, 1, seed=seed, who=who)[:, 0]
    which = np.floor(turn).astype(np.int64)
    drawn = uniforms(slots + (count * (which + 1)).astype(np.uint64), 6, seed=seed, who=who, purpose=1)
    high, round_ = 2.0 * drawn[:, 3] - 1.0, 2.0 * np.pi * drawn[:, 4]
    flat = np.sqrt(1.0 - high**2)
    axis = (1.0 - upright) * np.stack([flat * np.cos(round_), high, flat * np.sin(round_)], axis=1)
    axis[:, 1] += np.where(drawn[:, 5] < 0.5, -upright, upright)
    axis /= np.maximum(np.sqrt((axis**2).sum(axis=1, keepdims=True)), 1e-9)
    return 2.0 * drawn[:, :3] - 1.0, axis, np.sin(np.pi * (turn - which)) ** 2


@njit(cache=True, parallel=True, nogil=True)
def air_of(points, places, axes, strong, size, air, hold):
    """How air turns in eddies at points (n, 3): fastest, at a speed of 1, at `size` from an axis, and less farther off;
    and how much it holds, 0 to 1."""
    for n in prange(len(points)):
        air[n, :], hold[n] = 0.0, 0.0
        for k in range(len(places)):
            x, y, z = points[n, 0] - places[k, 0], points[n, 1] - places[k, 1], points[n, 2] - places[k, 2]
            far = (x * x + y * y + z * z) / (size * size)
            if far > 16.0:
                continue
            a, b, c = axes[k, 0], axes[k, 1], axes[k, 2]
            times = strong[k] * math.exp(0.5 * (1.0 - far)) / size
            air[n, 0] += times * (b * z - c * y)
            air[n, 1] += times * (c * x - a * z)
            air[n, 2] += times * (a * y - b * x)
            hold[n] += strong[k] * math.exp(-0.25 * far)
        hold[n] = min(hold[n], 1.0)
