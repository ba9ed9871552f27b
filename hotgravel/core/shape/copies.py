"""Where copies of a prop stand, and how they are turned."""

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

Array = NDArray[np.float64]
APART = 1e-4  # m: how far stacked copies are parted, so that none begins inside another


def stacked(many: tuple[int, int, int], step: Array) -> Array:
    """Offsets (n, 3) of so many copies across, up and deep, a step (3,) apart: side by side about the prop's place, and
    upwards from it."""
    wide, high, deep = step + APART
    across, up, back = (np.arange(k) for k in many)
    x, z = (across - 0.5 * (many[0] - 1)) * wide, (back - 0.5 * (many[2] - 1)) * deep
    grid = np.stack(np.meshgrid(up * high, x, z, indexing="ij"), axis=-1).reshape(-1, 3)
    return grid[:, [1, 0, 2]]


def turned_by(manner: str, u: Array) -> Rotation:
    """Turns of n copies from u (n, 3): none, about the upright, or any way."""
    if manner == "upright":
        return Rotation.from_euler("y", 2.0 * np.pi * u[:, :1])
    if manner == "any":
        return Rotation.from_quat(_any_turn(u))
    return Rotation.identity(len(u))


def _any_turn(u: Array) -> Array:
    """Turns (n, 4) spread evenly over all there are (Shoemake 1992), from u (n, 3)."""
    a, b = np.sqrt(1.0 - u[:, 0]), np.sqrt(u[:, 0])
    s, t = 2.0 * np.pi * u[:, 1], 2.0 * np.pi * u[:, 2]
    return np.stack([a * np.sin(s), a * np.cos(s), b * np.sin(t), b * np.cos(t)], axis=1)
