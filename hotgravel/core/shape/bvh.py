"""Distance to an imported mesh: a tree of boxes over its triangles.

The sign comes from angle-weighted normals at faces, edges and corners (Baerentzen and
Aanaes, "Signed distance computation using the angle weighted pseudonormal", 2005), which
is exact for a closed mesh. An open mesh has no inside: its distance is never negative.
"""

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

LEAF = 4


class MeshTree(NamedTuple):
    """Arrays of a tree, plain so that kernels take it as it is.

    vertices (V, 3) and faces (F, 3); boxes (N, 6) low and high corners; child (N,) the
    first of two children, or -1 - start of a leaf; count (N,) triangles of a leaf;
    order (F,) triangles in leaf order; normals (F, 7, 3): face, three edges, three corners;
    closed 1 or 0.
    """

    vertices: NDArray[np.float64]
    faces: NDArray[np.int64]
    boxes: NDArray[np.float64]
    child: NDArray[np.int64]
    count: NDArray[np.int64]
    order: NDArray[np.int64]
    normals: NDArray[np.float64]
    closed: int


def empty_tree() -> MeshTree:
    """What primitives carry in a mesh's place."""
    return MeshTree(
        np.zeros((0, 3)), np.zeros((0, 3), np.int64), np.zeros((0, 6)), np.zeros(0, np.int64),
        np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros((0, 7, 3)), 0,
    )  # fmt: skip


def build_tree(vertices: NDArray[np.float64], faces: NDArray[np.int64], closed: bool) -> MeshTree:
    """A tree over triangles: each node halves its triangles along its longest side."""
    corners = vertices[faces]
    low, high, middle = corners.min(axis=1), corners.max(axis=1), corners.mean(axis=1)
    order = np.arange(len(faces))
    boxes: list[NDArray[np.float64]] = []
    child: list[int] = []
    count: list[int] = []
    pending = [(0, 0, len(faces))]
    boxes.append(np.zeros(6))
    child.append(0)
    count.append(0)
    while pending:
        node, start, end = pending.pop()
        mine = order[start:end]
        boxes[node] = np.concatenate([low[mine].min(axis=0), high[mine].max(axis=0)])
        if end - start <= LEAF:
            child[node], count[node] = -1 - start, end - start
            continue
        axis = int(np.argmax(np.ptp(middle[mine], axis=0)))
        half = (end - start) // 2
        order[start:end] = mine[np.argpartition(middle[mine, axis], half, kind="introselect")]
        child[node] = len(boxes)
        for part in ((start, start + half), (start + half, end)):
            pending.append((len(boxes), *part))
            boxes.append(np.zeros(6))
            child.append(0)
            count.append(0)
    return MeshTree(
        np.ascontiguousarray(vertices), np.ascontiguousarray(faces), np.array(boxes), np.array(child),
        np.array(count), order, _pseudonormals(vertices, faces), int(closed),
    )  # fmt: skip


def _pseudonormals(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> NDArray[np.float64]:
    a, b, c = (vertices[faces[:, i]] for i in range(3))
    face = np.cross(b - a, c - a)
    face /= np.maximum(np.linalg.norm(face, axis=1, keepdims=True), 1e-300)
    normals = np.zeros((len(faces), 7, 3))
    normals[:, 0] = face
    edges = np.sort(np.stack([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]], axis=1), axis=2)
    keys = edges[..., 0] * np.int64(len(vertices)) + edges[..., 1]
    _, inverse = np.unique(keys.ravel(), return_inverse=True)
    by_edge = np.zeros((inverse.max() + 1, 3))
    np.add.at(by_edge, inverse, np.repeat(face, 3, axis=0))
    normals[:, 1:4] = by_edge[inverse].reshape(-1, 3, 3)
    by_corner = np.zeros_like(vertices)
    corners = (a, b, c)
    for i in range(3):
        u, v = corners[(i + 1) % 3] - corners[i], corners[(i + 2) % 3] - corners[i]
        lengths = np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1)
        cosine = np.clip((u * v).sum(axis=1) / np.maximum(lengths, 1e-300), -1.0, 1.0)
        np.add.at(by_corner, faces[:, i], face * np.arccos(cosine)[:, None])
    normals[:, 4:7] = by_corner[faces]
    return normals


@njit(cache=True)
def _box_distance2(box, x, y, z):
    dx = max(box[0] - x, 0.0, x - box[3])
    dy = max(box[1] - y, 0.0, y - box[4])
    dz = max(box[2] - z, 0.0, z - box[5])
    return dx * dx + dy * dy + dz * dz


@njit(cache=True)
def _closest_on_triangle(p, a, b, c):
    """Closest point (x, y, z) and the feature it lies on: 0 face, 1 to 3 edges ab, bc, ca, 4 to 6 corners.

    Regions as in Ericson, "Real-time collision detection" (2005), section 5.1.5.
    """
    ab, ac, ap = b - a, c - a, p - a
    d1, d2 = (ab * ap).sum(), (ac * ap).sum()
    if d1 <= 0.0 and d2 <= 0.0:
        return a, 4
    bp = p - b
    d3, d4 = (ab * bp).sum(), (ac * bp).sum()
    if d3 >= 0.0 and d4 <= d3:
        return b, 5
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        return a + ab * (d1 / (d1 - d3)), 1
    cp = p - c
    d5, d6 = (ab * cp).sum(), (ac * cp).sum()
    if d6 >= 0.0 and d5 <= d6:
        return c, 6
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        return a + ac * (d2 / (d2 - d6)), 3
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and (d4 - d3) >= 0.0 and (d5 - d6) >= 0.0:
        return b + (c - b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6))), 2
    scale = 1.0 / (va + vb + vc)
    return a + ab * (vb * scale) + ac * (vc * scale), 0


@njit(cache=True)
def mesh_distance(tree, x, y, z):
    """Signed distance and gradient (d, gx, gy, gz) to the mesh; unsigned if it is open."""
    p = np.array([x, y, z])
    stack = np.empty(64, np.int64)
    stack[0], top = 0, 1
    best, face, feature = np.inf, 0, 0
    nearest = p
    while top > 0:
        top -= 1
        node = stack[top]
        if _box_distance2(tree.boxes[node], x, y, z) >= best:
            continue
        first = tree.child[node]
        if first < 0:
            start = -1 - first
            for k in range(start, start + tree.count[node]):
                f = tree.order[k]
                corners = tree.faces[f]
                q, where = _closest_on_triangle(
                    p, tree.vertices[corners[0]], tree.vertices[corners[1]], tree.vertices[corners[2]]
                )
                d2 = ((p - q) ** 2).sum()
                if d2 < best:
                    best, face, feature, nearest = d2, f, where, q
            continue
        left = _box_distance2(tree.boxes[first], x, y, z)
        right = _box_distance2(tree.boxes[first + 1], x, y, z)
        nearer, further = (first, first + 1) if left <= right else (first + 1, first)
        stack[top] = further
        stack[top + 1] = nearer
        top += 2
    d = math.sqrt(best)
    n = tree.normals[face, feature]
    away = p - nearest
    sign = 1.0
    if tree.closed == 1 and (away * n).sum() < 0.0:
        sign = -1.0
    if d > 1e-12:
        g = away * (sign / d)
    else:
        g = n / math.sqrt((n * n).sum())
    return sign * d, g[0], g[1], g[2]
