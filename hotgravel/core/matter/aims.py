"""Directions: along an aim, within a cone or a belt about it."""

from typing import Any

import numpy as np

from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.drive.value import three
from hotgravel.core.shot.sources import Anywhere, Ring, Toward

UP = np.array([0.0, 1.0, 0.0])


def unit(direction: Array) -> Array:
    """The direction at length one; zero stays zero (keys may pass through it)."""
    length = float(np.sqrt(direction @ direction))
    return direction / length if length > 0 else direction


def headings(velocity: Array) -> Array:
    """The way each flies, as unit vectors (n, 3); up for those at rest."""
    speed = np.linalg.norm(velocity, axis=1, keepdims=True)
    result: Array = np.where(speed > 0.0, velocity / np.maximum(speed, 1e-300), UP)
    return result


def ways_of(aim: Any, normals: Array, u: Array, ask: Ask) -> Array:
    """Unit vectors (n, 3) as an aim scatters them, from u (n, 2). Those aims that have no direction of their
    own scatter about `normals` (n, 3), a surface's or the way each flies."""
    if isinstance(aim, Anywhere):
        return within_cone(np.broadcast_to(UP, normals.shape), 180.0, u)
    if isinstance(aim, Ring):
        axis = unit(three(aim, "axis", ask))
        return about_ring(np.broadcast_to(axis if axis.any() else UP, normals.shape), aim.cone, u)
    if isinstance(aim, Toward):
        direction = unit(three(aim, "direction", ask))
        return within_cone(np.broadcast_to(direction if direction.any() else UP, normals.shape), aim.cone, u)
    return within_cone(normals, aim.cone, u)


def about_ring(axes: Array, degrees: float, u: Array) -> Array:
    """Unit vectors evenly over the belt within `degrees` of the plane square to each axis (n, 3)."""
    height = np.sin(np.radians(degrees)) * (2.0 * u[:, 0] - 1.0)
    return turned_about(axes, height, 2.0 * np.pi * u[:, 1])


def within_cone(aims: Array, degrees: float, u: Array) -> Array:
    """Unit vectors evenly over the cap within `degrees` of each aim (n, 3), from u (n, 2)."""
    return turned_about(aims, 1.0 - u[:, 0] * (1.0 - np.cos(np.radians(degrees))), 2.0 * np.pi * u[:, 1])


def turned_about(aims: Array, height: Array, angle: Array) -> Array:
    """Unit vectors at a height (n,) along aims (n, 3), turned about them by angles (n,), radians.

    The frame about an aim is that of Duff et al., "Building an orthonormal basis, revisited" (2017).
    """
    rho = np.sqrt(np.maximum(0.0, 1.0 - height * height))
    x, y, z = aims[:, 0], aims[:, 1], aims[:, 2]
    sign = np.where(z >= 0.0, 1.0, -1.0)
    a = -1.0 / (sign + z)
    b = x * y * a
    first = np.stack([1.0 + sign * x * x * a, sign * b, -sign * x], axis=1)
    second = np.stack([b, sign + y * y * a, -y], axis=1)
    result: Array = (
        height[:, None] * aims + (rho * np.cos(angle))[:, None] * first + (rho * np.sin(angle))[:, None] * second
    )
    return result
