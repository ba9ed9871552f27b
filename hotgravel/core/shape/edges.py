"""The corner points and sharp edges of a shape's triangles."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import trimesh
from numpy.typing import NDArray

Array = NDArray[np.float64]
SHARP = 20.0  # degrees between two faces


@dataclass(frozen=True)
class Lines:
    """Corners (V, 3) with the triangles (F, 3) between them and their normals (V, 3), in the shape's own frame."""

    corners: Array
    faces: NDArray[np.int64]
    normals: Array

    @cached_property
    def edges(self) -> tuple[Array, Array]:
        """Edges (E, 2, 3) and their unit normals (E, 3): those where faces meet at an angle or end; all of them where
        the shape is round all over."""
        mesh = trimesh.Trimesh(self.corners, self.faces, process=False)
        mesh.merge_vertices(merge_norm=True, merge_tex=True)
        sharp = mesh.face_adjacency_angles > np.radians(SHARP)
        sides, once = np.unique(np.sort(mesh.edges, axis=1), axis=0, return_counts=True)
        pairs = np.concatenate([mesh.face_adjacency_edges[sharp], sides[once == 1]])
        if not len(pairs):
            pairs = sides
        across = np.asarray(mesh.vertex_normals)[pairs].sum(axis=1)
        across /= np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-12)
        return np.asarray(mesh.vertices)[pairs], across


def on_edges(lines: Lines, u: Array) -> tuple[Array, Array]:
    """Points (n, 3) evenly along the edges, from u (n, 2 or more), and outward unit normals (n, 3)."""
    edges, across = lines.edges
    start, end = edges[:, 0], edges[:, 1]
    far = np.cumsum(np.linalg.norm(end - start, axis=1))
    pick = np.minimum(np.searchsorted(far, u[:, 0] * far[-1], side="right"), len(far) - 1)
    along = u[:, 1:2]
    return (1.0 - along) * start[pick] + along * end[pick], across[pick]
