"""Cameras: where a picture is seen from, and a view that holds what moves."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
FIELD_OF_VIEW = math.radians(38.0)
TAN = math.tan(0.5 * FIELD_OF_VIEW)


@dataclass(frozen=True)
class View:
    """A camera: where it stands, what it looks at (both (3,), metres), y up."""

    eye: Array
    aim: Array

    def axes(self) -> Array:
        """Right, up and forward as rows (3, 3)."""
        return axes_along(self.aim - self.eye)

    @property
    def distance(self) -> float:
        return float(np.linalg.norm(self.aim - self.eye))


def axes_along(forward: Array) -> Array:
    """Right, up and forward as rows (3, 3), for a camera that looks along a direction."""
    forward = forward / np.linalg.norm(forward)
    upright = np.array([0.0, 1.0, 0.0]) if abs(forward[1]) < 1.0 - 1e-9 else np.array([0.0, 0.0, 1.0])
    right = np.cross(forward, upright)
    right /= np.linalg.norm(right)
    return np.stack([right, np.cross(right, forward), forward])


def view_on(low: Array, high: Array) -> View:
    """A view that holds the box between two corners, from a little above, and the more so the flatter it is."""
    middle, size = 0.5 * (low + high), high - low
    front = 0.5 * math.hypot(size[0], size[2])  # how far its front stands before its middle
    tall = 0.55 * size[1] / TAN  # from where its height, and a tenth, fills the picture
    away = max(1.02 * float(np.linalg.norm(size)), front + tall, 0.5)
    flat = max(0.0, 1.0 - 3.0 * size[1] / max(size[0], size[2], 1e-9))
    way = np.array([0.62, 0.16 + 0.2 * flat, 0.74])
    return View(middle + 0.98 * away * way / np.linalg.norm(way), middle)
