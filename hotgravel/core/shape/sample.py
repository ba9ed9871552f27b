"""Points on and in shapes, evenly by area or volume, from uniform numbers.

All in the shape's own frame, metres. Each takes u (n, 4) in [0, 1) and returns points
(n, 3) and outward unit normals (n, 3).
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.shape.distance import (
    BOX,
    CONE,
    CYLINDER,
    DISC,
    HEMISPHERE,
    MESH,
    PLANE,
    SPHERE,
    TORUS,
    distances,
)
from hotgravel.core.shape.kinds import Shaped

Array = NDArray[np.float64]
Again = Callable[[NDArray[np.int64], int], Array]


class NoVolume(ValueError):
    """A sheet or an open mesh has nothing inside to sample."""


def on_surface(shape: Shaped, u: Array) -> tuple[Array, Array]:
    """Points evenly by area. A dome's flat underside is not part of its surface."""
    a, b, c = shape.sizes
    if shape.kind == SPHERE:
        normals = _on_ball(u[:, 0], u[:, 1])
        return a * normals, normals
    if shape.kind == HEMISPHERE:
        normals = _on_ball(0.5 + 0.5 * u[:, 0], u[:, 1])
        return a * normals, normals
    if shape.kind == BOX:
        return _on_box(a, b, c, u)
    if shape.kind == PLANE:
        points = np.stack([a * (u[:, 0] - 0.5), np.zeros(len(u)), b * (u[:, 1] - 0.5)], axis=1)
        return points, _up(len(u))
    if shape.kind == DISC:
        return _in_disc(a, u[:, 0], u[:, 1], 0.0), _up(len(u))
    if shape.kind == CYLINDER:
        return _on_cylinder(a, b, u)
    if shape.kind == CONE:
        return _on_cone(a, b, u)
    if shape.kind == TORUS:
        return _on_torus(a, b, u)
    return _on_triangles(shape, u)


def in_volume(shape: Shaped, u: Array, again: Again) -> tuple[Array, Array]:
    """Points evenly by volume; the normal is the way to the nearest surface. Raises `NoVolume`.

    `again(which, attempt)` draws fresh numbers (k, 4) for points that fell outside a mesh.
    """
    a, b = shape.sizes[:2]
    turn = 2.0 * np.pi * u[:, 1]
    if shape.kind in (SPHERE, HEMISPHERE):
        height = u[:, 0] if shape.kind == SPHERE else 0.5 + 0.5 * u[:, 0]
        points = a * np.cbrt(u[:, 2])[:, None] * _on_ball(height, u[:, 1])
    elif shape.kind == BOX:
        points = (u[:, :3] - 0.5) * shape.sizes
    elif shape.kind == CYLINDER:
        points = _in_disc(a, u[:, 0], u[:, 1], b * (u[:, 2] - 0.5))
    elif shape.kind == CONE:
        left = np.cbrt(u[:, 2])  # fraction of the radius left at this height, tip 0
        points = _in_disc(a * left, u[:, 0], u[:, 1], b * (0.5 - left))
    elif shape.kind == TORUS:
        rho, y = _tube(a, b * np.sqrt(u[:, 2]), u)
        points = np.stack([rho * np.cos(turn), y, rho * np.sin(turn)], axis=1)
    elif shape.kind == MESH and shape.has_volume:
        points = _in_mesh(shape, u, again)
    else:
        raise NoVolume("a sheet or an open mesh has no volume")
    return points, _outward(shape, points)


def at_vertices(vertices: Array, normals: Array, which: NDArray[np.int64]) -> tuple[Array, Array]:
    """Corner points in turn: `which` (n,) counts on and wraps round."""
    pick = which % len(vertices)
    return vertices[pick], normals[pick]


def _up(n: int) -> Array:
    return np.tile([0.0, 1.0, 0.0], (n, 1))


def _on_ball(height: Array, turn: Array) -> Array:
    """Unit vectors; equal steps of height cover equal areas (Archimedes)."""
    y = 2.0 * height - 1.0
    rho = np.sqrt(np.maximum(0.0, 1.0 - y * y))
    angle = 2.0 * np.pi * turn
    return np.stack([rho * np.cos(angle), y, rho * np.sin(angle)], axis=1)


def _in_disc(radius: Array | float, u: Array, turn: Array, y: Array | float) -> Array:
    rho, angle = radius * np.sqrt(u), 2.0 * np.pi * turn
    return np.stack([rho * np.cos(angle), np.broadcast_to(y, u.shape), rho * np.sin(angle)], axis=1)


def _on_box(a: float, b: float, c: float, u: Array) -> tuple[Array, Array]:
    areas = np.array([b * c, b * c, a * c, a * c, a * b, a * b])
    face = np.minimum(np.searchsorted(np.cumsum(areas) / areas.sum(), u[:, 2], side="right"), 5)
    axis, sign = face // 2, 1.0 - 2.0 * (face % 2)
    points = np.empty((len(u), 3))
    rows = np.arange(len(u))
    points[rows, (axis + 1) % 3] = u[:, 0] - 0.5
    points[rows, (axis + 2) % 3] = u[:, 1] - 0.5
    points[rows, axis] = 0.5 * sign
    normals = np.zeros((len(u), 3))
    normals[rows, axis] = sign
    return points * [a, b, c], normals


def _on_cylinder(radius: float, height: float, u: Array) -> tuple[Array, Array]:
    side, cap = 2.0 * radius * height, radius * radius  # areas over pi
    share = u[:, 2] * (side + 2.0 * cap)
    angle = 2.0 * np.pi * u[:, 1]
    around = np.stack([np.cos(angle), np.zeros(len(u)), np.sin(angle)], axis=1)
    on_side = (share < side)[:, None]
    up = np.where(share < side + cap, 1.0, -1.0)
    sides = radius * around + np.outer(height * (u[:, 0] - 0.5), [0.0, 1.0, 0.0])
    caps = _in_disc(radius, u[:, 0], u[:, 1], 0.5 * height * up)
    return np.where(on_side, sides, caps), np.where(on_side, around, np.outer(up, [0.0, 1.0, 0.0]))


def _on_cone(radius: float, height: float, u: Array) -> tuple[Array, Array]:
    slant = np.hypot(radius, height)
    on_side = (u[:, 2] * (slant + radius) < slant)[:, None]  # areas over pi times radius
    angle, left = 2.0 * np.pi * u[:, 1], np.sqrt(u[:, 0])
    around = np.stack([np.cos(angle), np.zeros(len(u)), np.sin(angle)], axis=1)
    sides = (radius * left)[:, None] * around + np.outer(height * (0.5 - left), [0.0, 1.0, 0.0])
    tilted = around * (height / slant) + np.array([0.0, radius / slant, 0.0])
    base = _in_disc(radius, u[:, 0], u[:, 1], -0.5 * height)
    return np.where(on_side, sides, base), np.where(on_side, tilted, -_up(len(u)))


def _tube_angle(ratio: Array | float, u: Array) -> Array:
    """Angles around a tube with density proportional to 1 + ratio cos, by Newton on its integral."""
    angle = 2.0 * np.pi * u
    wanted = angle.copy()
    for _ in range(60):
        angle -= (angle + ratio * np.sin(angle) - wanted) / np.maximum(1.0 + ratio * np.cos(angle), 0.2)
    return angle


def _tube(radius: float, tube: Array | float, u: Array) -> tuple[Array, Array]:
    angle = _tube_angle(tube / radius, u[:, 0])
    return radius + tube * np.cos(angle), tube * np.sin(angle)


def _on_torus(radius: float, tube: float, u: Array) -> tuple[Array, Array]:
    rho, y = _tube(radius, tube, u)
    turn = 2.0 * np.pi * u[:, 1]
    c, s, out = np.cos(turn), np.sin(turn), (rho - radius) / tube
    return np.stack([rho * c, y, rho * s], axis=1), np.stack([out * c, y / tube, out * s], axis=1)


def _on_triangles(shape: Shaped, u: Array) -> tuple[Array, Array]:
    a, b, c = (shape.vertices[shape.faces[:, i]] for i in range(3))
    across = np.cross(b - a, c - a)
    areas = np.linalg.norm(across, axis=1)
    pick = np.minimum(np.searchsorted(np.cumsum(areas) / areas.sum(), u[:, 2], side="right"), len(a) - 1)
    root = np.sqrt(u[:, 0])[:, None]
    v = u[:, 1][:, None]
    points = (1.0 - root) * a[pick] + root * (1.0 - v) * b[pick] + root * v * c[pick]
    return points, across[pick] / areas[pick][:, None]


def _in_mesh(shape: Shaped, u: Array, again: Again) -> Array:
    """By rejection from the mesh's box."""
    low, high = shape.box
    points = low + u[:, :3] * (high - low)
    outside = np.arange(len(u))
    for attempt in range(2000):
        inside = distances(MESH, shape.sizes, shape.tree, points[outside])[:, 0] < 0.0
        outside = outside[~inside]
        if len(outside) == 0:
            return points
        points[outside] = low + again(outside, attempt)[:, :3] * (high - low)
    raise NoVolume("this mesh encloses too little of its box to find points inside")


def _outward(shape: Shaped, points: Array) -> Array:
    result: Array = distances(shape.kind, shape.sizes, shape.tree, points)[:, 1:]
    return result
