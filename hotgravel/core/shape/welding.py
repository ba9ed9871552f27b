"""Meshes whose faces hang together by their vertices, and finer ones made of them."""

import numpy as np
from numpy.typing import NDArray
from trimesh.remesh import subdivide_to_size

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
THIN = 1e-9  # of a thing's size: what lies nearer together is one vertex
HALVINGS = 16  # of a face, at most
MOST = 10_000_000  # vertices


def welded(vertices: Array, faces: Ints) -> tuple[Array, Ints]:
    """A mesh whose faces hang together by vertices that are one; faces without area are left out."""
    size = max(float(np.ptp(vertices, axis=0).max()), 1e-30)
    _, first, number = np.unique(np.round(vertices / (THIN * size)), axis=0, return_index=True, return_inverse=True)
    order = np.argsort(np.argsort(first))
    place, faces = vertices[np.sort(first)], order[number.ravel()[faces]]
    a, b, c = (place[faces[:, n]] for n in range(3))
    faces = faces[np.linalg.norm(np.cross(b - a, c - a), axis=1) > (THIN * size) ** 2]
    used, at = np.unique(faces, return_inverse=True)
    return place[used], at.reshape(-1, 3)


class TooMany(ValueError):
    """A mesh would have more vertices than it may: so many at least."""

    def __init__(self, count: int) -> None:
        super().__init__(f"{count} vertices")
        self.count = count


def least_vertices(vertices: Array, faces: Ints, side: float) -> int:
    """How many vertices a finer mesh has at least: no face has more than the area of an even triangle of such sides,
    and there are about half as many vertices as faces."""
    a, b, c = (vertices[faces[:, n]] for n in range(3))
    area = 0.5 * float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum())
    return int(min(area / (0.5 * np.sqrt(3.0) * side**2), 1e15))


def in_parts(vertices: Array, faces: Ints, segments: int, most: int = MOST) -> tuple[Array, Ints]:
    """The same mesh, in faces no wider than one of so many parts of its size. Raises `TooMany`."""
    return finer(vertices, faces, max(float(np.ptp(vertices, axis=0).max()) / segments, 1e-9), most)


def finer(vertices: Array, faces: Ints, side: float, most: int = MOST) -> tuple[Array, Ints]:
    """The same mesh, in faces of which no side is longer. Raises `TooMany`, mostly before it makes any."""
    if (least := least_vertices(vertices, faces, side)) > most:
        raise TooMany(least)
    made = welded(*subdivide_to_size(*welded(vertices, faces), side, max_iter=HALVINGS))
    if len(made[0]) > most:
        raise TooMany(len(made[0]))
    return made
