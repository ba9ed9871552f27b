"""Meshes whose faces hang together by their vertices, and finer ones made of them."""

import numpy as np
from numpy.typing import NDArray
from trimesh.remesh import subdivide_to_size

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
THIN = 1e-9  # of a thing's size: what lies nearer together is one vertex
HALVINGS = 16  # of a face, at most


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


def finer(vertices: Array, faces: Ints, side: float) -> tuple[Array, Ints]:
    """The same mesh, in faces of which no side is longer."""
    return welded(*subdivide_to_size(*welded(vertices, faces), side, max_iter=HALVINGS))
