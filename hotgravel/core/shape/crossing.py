"""Where a mesh crosses itself: edges that go through triangles that they do not belong to; and its parts as one."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from hotgravel.core.shape.bvh import COUNT, FIRST, build_tree
from hotgravel.core.shape.cells import fused, solid, triangles_of

SLIGHT = 1e-12  # of the mesh's size cubed: what comes no farther through touches


def crossings(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> int:
    """How many edges of a mesh, (V, 3) metres and (F, 3), go through one of its triangles."""
    edges = np.unique(np.sort(faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1), axis=0)
    least = SLIGHT * float(np.ptp(vertices, axis=0).max()) ** 3
    return int(_through(build_tree(vertices, faces), vertices[edges[:, 0]], vertices[edges[:, 1]], least))


@njit(cache=True)
def _volume(ax, ay, az, bx, by, bz, cx, cy, cz):
    """Six times the volume between three arms, by sign the side that the third is on."""
    return ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)


@njit(cache=True)
def _crosses(row, start, end, least):
    """Whether an edge goes through a triangle, whose corners a row begins with, and has no corner in common with it."""
    a, b, c = row[0:3], row[3:6], row[6:9]
    for corner in (a, b, c):
        same, other = True, True
        for k in range(3):
            same, other = same and corner[k] == start[k], other and corner[k] == end[k]
        if same or other:
            return False
    u, v, p, q = b - a, c - a, start - a, end - a
    before = _volume(u[0], u[1], u[2], v[0], v[1], v[2], p[0], p[1], p[2])
    behind = _volume(u[0], u[1], u[2], v[0], v[1], v[2], q[0], q[1], q[2])
    if not (abs(before) > least and abs(behind) > least and before * behind < 0.0):
        return False
    d, sign = end - start, 0.0
    for one, two in ((a, b), (b, c), (c, a)):
        f, g = one - start, two - start
        side = _volume(d[0], d[1], d[2], f[0], f[1], f[2], g[0], g[1], g[2])
        if abs(side) <= least or side * sign < 0.0:
            return False
        sign = side
    return True


@njit(cache=True, nogil=True)
def _through(tree, starts, ends, least):
    """How many edges, from (E, 3) to (E, 3), go through a triangle of the tree."""
    found = 0
    for e in range(len(starts)):
        start, end = starts[e], ends[e]
        pending, met = [0], False
        while len(pending) and not met:
            node = tree[pending.pop()]
            apart = False
            for k in range(3):
                apart = apart or max(start[k], end[k]) < node[k] or min(start[k], end[k]) > node[3 + k]
            if apart:
                continue
            if node[FIRST] > 0.0:
                pending.append(int(node[FIRST]))
                pending.append(int(node[FIRST]) + 1)
                continue
            for k in range(int(node[COUNT])):
                if _crosses(tree[int(-node[FIRST]) + k], start, end, least):
                    met = True
                    break
        found += met
    return found


def united(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """A closed mesh whose parts, each closed and facing outward, go through one another, with these as one; another
    mesh as it is."""
    import trimesh

    parts = trimesh.Trimesh(vertices, faces, process=False).split(only_watertight=False)
    if len(parts) < 2 or not all(part.is_watertight for part in parts) or not crossings(vertices, faces):
        return vertices, faces
    return triangles_of(fused([solid(part.vertices, part.faces) for part in parts]).to_mesh64())
