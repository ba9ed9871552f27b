"""Rain: how many drops of each size fall, how fast, and the rings that they make.

Sizes: Marshall and Palmer 1948. Fall speeds: Gunn and Kinzer's measurements (1949), as Atlas, Srivastava and Sekhon
fitted them (1973).
"""

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

Array = NDArray[np.float64]
LARGEST = 0.007  # m: larger drops fall apart
CLASSES = 24
WATER = 1000.0  # kg/m³
WIDE = 1.2  # cells: a ring begins no smaller
LOBES = (2, 3)  # how often a ragged ring is stronger and weaker round about


def fall_speed(diameter: Array) -> Array:
    """How fast drops (n,) of a diameter, m, fall at sea level, m/s."""
    found: Array = np.maximum(9.65 - 10.3 * np.exp(-600.0 * np.asarray(diameter)), 0.0)
    return found


def drops_in(rate: float, diameter: Array) -> Array:
    """How many drops there are in a cubic metre for each metre of diameter, 1/m⁴, in rain of a rate, mm/h."""
    if rate <= 0.0:
        return np.zeros_like(diameter)
    found: Array = 8e6 * np.exp(-4100.0 * rate**-0.21 * diameter)
    return found


def classes(rate: float, least: float) -> tuple[Array, Array]:
    """The middles (c,), m, of classes of drops from the least on, and how many of each fall on a square metre in a
    second."""
    ends = np.linspace(least, LARGEST, CLASSES + 1)
    middle = 0.5 * (ends[1:] + ends[:-1])
    return middle, drops_in(rate, middle) * fall_speed(middle) * np.diff(ends)


@njit(cache=True, nogil=True)
def ringed(potential, x, z, push, wide, ragged, turn):
    """Let drops hit the water at places in cells, in place: each pushes the potential down by `push` (n,), m⁴/s over
    the square of a cell, over so many cells, `wide` (n,); a share `ragged` of it more on some sides than on others,
    which are turned by `turn` (n,), radians, so that the whole push is the same."""
    many = len(potential)
    for d in range(len(x)):
        reach = int(np.ceil(3.0 * wide[d]))
        i0, k0 = int(np.floor(x[d])), int(np.floor(z[d]))
        norm = push[d] / (2.0 * np.pi * wide[d] * wide[d])
        for i in range(i0 - reach, i0 + reach + 1):
            for k in range(k0 - reach, k0 + reach + 1):
                if 0 <= i < many and 0 <= k < many:
                    off = (i + 0.5 - x[d]) ** 2 + (k + 0.5 - z[d]) ** 2
                    away = off / (wide[d] * wide[d])
                    side = math.atan2(k + 0.5 - z[d], i + 0.5 - x[d])
                    uneven = math.cos(LOBES[0] * side + turn[d]) + math.cos(LOBES[1] * side - 2.0 * turn[d])
                    potential[i, k] -= norm * math.exp(-0.5 * away) * (1.0 + ragged * away * uneven)
