"""Coordinates for textures: where the corners of faces lie on a flat picture, from its lower left, (0, 0), to (1, 1).

A plain is its own picture, seen from above. An imported mesh has those of its file. All else is laid flat side by side:
each face lies on that side of its box which it looks out of.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from trimesh.triangles import points_to_barycentric

from hotgravel.core.shape.bvh import nearest_triangle, ordered_tree
from hotgravel.core.shape.mesh import file_corners, triangles_of
from hotgravel.core.shot.props import Mesh, Plane

Array = NDArray[Any]
Chart = Callable[[Array], Array]  # from the corners of faces (F, 3, 3) in a prop's own frame to (F, 3, 2)
ACROSS, UP = 3, 2  # sides of a box in a picture
MARGIN = 0.02  # of a side's room, about it
ALONG = np.array([[2, 1], [0, 2], [0, 1]])  # the axes of a side that looks along x, y or z
FLIPS = np.array([[-1, 1], [1, -1], [1, 1]])  # below 0: along that axis a side is seen from outside the other way round


def chart_of(shape: Any, find_mesh: Callable[[str], Any]) -> Chart:
    """The chart of a shape. Raises `MeshFault`."""
    if isinstance(shape, Plane):
        return lambda corners: corners[..., [0, 2]] / np.array([shape.width, -shape.depth]) + 0.5
    if isinstance(shape, Mesh):
        corners, own = file_corners(shape, find_mesh)
        if own is not None:
            return looked_up(corners, own)
    return in_box_of(triangles_of(shape, find_mesh)[0])


def in_box_of(vertices: Array) -> Chart:
    """The chart of what has its vertices (V, 3) there: on the sides of their box."""
    low, size = vertices.min(axis=0), float(np.ptp(vertices, axis=0).max())
    return lambda corners: boxed((corners - low) / max(size, 1e-30))


def boxed(corners: Array) -> Array:
    """Corners of faces (F, 3, 3), in a box from 0 to 1, on the six sides of that box (F, 3, 2)."""
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    axis = np.abs(across).argmax(axis=1)
    back = np.take_along_axis(across, axis[:, None], axis=1)[:, 0] < 0.0
    flat = np.take_along_axis(corners, np.repeat(ALONG[axis][:, None], 3, axis=1), axis=2)
    flips = FLIPS[axis]
    flips[back, 0] *= -1  # from behind, left is right
    flat = np.where(flips[:, None] < 0, 1.0 - flat, flat)
    room = np.array([1.0 / ACROSS, 1.0 / UP])
    side = np.stack([axis, back], axis=1)[:, None]
    found: Array = (side + MARGIN + (1.0 - 2.0 * MARGIN) * flat) * room
    return found


def looked_up(corners: Array, own: Array) -> Chart:
    """The chart of a mesh whose faces with such corners (S, 3, 3) lie so (S, 3, 2) on a picture: other faces lie as
    the one that is nearest to their middles does."""
    sides = corners[:, 1:] - corners[:, :1]
    wide = np.linalg.norm(np.cross(sides[:, 0], sides[:, 1]), axis=1) > 0.0  # in the others no place has shares
    corners, own = corners[wide], own[wide]
    tree, order = ordered_tree(corners.reshape(-1, 3), np.arange(3 * len(corners)).reshape(-1, 3))

    def chart(faces: Array) -> Array:
        rows = np.zeros(len(faces), np.int64)
        _nearest(tree, np.ascontiguousarray(faces.mean(axis=1)), rows)
        at = np.repeat(order[rows - (len(tree) - len(order))], 3)
        shares = points_to_barycentric(corners[at], faces.reshape(-1, 3))
        found: Array = np.einsum("ns,nsc->nc", shares, own[at]).reshape(-1, 3, 2)
        return found

    return chart


@njit(cache=True, parallel=True, nogil=True)
def _nearest(tree, points, rows):
    """The row (n,) in a tree of the triangle nearest to each of some points (n, 3)."""
    for k in prange(len(points)):
        i = np.int64(k)
        rows[i] = nearest_triangle(tree, 0, points[i, 0], points[i, 1], points[i, 2])[1]
