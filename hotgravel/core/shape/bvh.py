"""Distance to an imported mesh: a tree of boxes over its triangles.

The sign comes from angle-weighted normals at faces, edges and corners (Baerentzen and
Aanaes, "Signed distance computation using the angle weighted pseudonormal", 2005), which
is exact for a closed mesh. An open mesh has no inside: its distance is never negative.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

LEAF = 4


class MeshTree(NamedTuple):
    """Arrays of a tree, plain so that kernels take it as it is.

    vertices (V, 3) and faces (F, 3); boxes (N, 6) low and high corners; child (N,) the
    first of two children, or -1 - start of a leaf; count (N,) triangles of a leaf;
    order (F,) triangles in leaf order; normals (F, 7, 3): face, three edges, three corners.
    Several meshes share the arrays: roots (M,) their first nodes, closed (M,) 1 or 0.
    """

    vertices: NDArray[np.float64]
    faces: NDArray[np.int64]
    boxes: NDArray[np.float64]
    child: NDArray[np.int64]
    count: NDArray[np.int64]
    order: NDArray[np.int64]
    normals: NDArray[np.float64]
    roots: NDArray[np.int64]
    closed: NDArray[np.int64]


def empty_tree() -> MeshTree:
    """What primitives carry in a mesh's place."""
    return MeshTree(
        np.zeros((0, 3)), np.zeros((0, 3), np.int64), np.zeros((0, 6)), np.zeros(0, np.int64),
        np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros((0, 7, 3)),
        np.zeros(0, np.int64), np.zeros(0, np.int64),
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
        np.array(count), order, _pseudonormals(vertices, faces),
        np.zeros(1, np.int64), np.array([int(closed)]),
    )  # fmt: skip


def join_trees(trees: Sequence[MeshTree]) -> MeshTree:
    """All meshes in one set of arrays, in order."""
    joined = empty_tree()
    for tree in trees:
        vertices, faces, nodes = len(joined.vertices), len(joined.faces), len(joined.boxes)
        child = np.where(tree.child < 0, tree.child - faces, tree.child + nodes)
        parts = tree._replace(
            faces=tree.faces + vertices, child=child, order=tree.order + faces, roots=tree.roots + nodes
        )
        joined = MeshTree(*(np.concatenate(pair) for pair in zip(joined, parts, strict=True)))
    return joined


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
def _closest_on_triangle(px, py, pz, a, b, c):
    """Closest point (x, y, z) and the feature it lies on: 0 face, 1 to 3 edges ab, bc, ca, 4 to 6 corners.

    Regions as in Ericson, "Real-time collision detection" (2005), section 5.1.5.
    """
    abx, aby, abz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    acx, acy, acz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    apx, apy, apz = px - a[0], py - a[1], pz - a[2]
    d1 = abx * apx + aby * apy + abz * apz
    d2 = acx * apx + acy * apy + acz * apz
    if d1 <= 0.0 and d2 <= 0.0:
        return a[0], a[1], a[2], 4
    bpx, bpy, bpz = px - b[0], py - b[1], pz - b[2]
    d3 = abx * bpx + aby * bpy + abz * bpz
    d4 = acx * bpx + acy * bpy + acz * bpz
    if d3 >= 0.0 and d4 <= d3:
        return b[0], b[1], b[2], 5
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        t = d1 / (d1 - d3)
        return a[0] + t * abx, a[1] + t * aby, a[2] + t * abz, 1
    cpx, cpy, cpz = px - c[0], py - c[1], pz - c[2]
    d5 = abx * cpx + aby * cpy + abz * cpz
    d6 = acx * cpx + acy * cpy + acz * cpz
    if d6 >= 0.0 and d5 <= d6:
        return c[0], c[1], c[2], 6
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        t = d2 / (d2 - d6)
        return a[0] + t * acx, a[1] + t * acy, a[2] + t * acz, 3
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and (d4 - d3) >= 0.0 and (d5 - d6) >= 0.0:
        t = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        return b[0] + t * (c[0] - b[0]), b[1] + t * (c[1] - b[1]), b[2] + t * (c[2] - b[2]), 2
    v, w = vb / (va + vb + vc), vc / (va + vb + vc)
    return a[0] + v * abx + w * acx, a[1] + v * aby + w * acy, a[2] + v * abz + w * acz, 0


@njit(cache=True)
def mesh_distance(tree, mesh, x, y, z):
    """Signed distance and gradient (d, gx, gy, gz) to the mesh of that place; unsigned if it is open."""
    stack = np.empty(64, np.int64)
    stack[0], top = tree.roots[mesh], 1
    best, face, feature = np.inf, 0, 0
    nx, ny, nz = x, y, z
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
                i, j, l = tree.faces[f, 0], tree.faces[f, 1], tree.faces[f, 2]
                v = tree.vertices
                qx, qy, qz, where = _closest_on_triangle(x, y, z, v[i], v[j], v[l])
                d2 = (x - qx) ** 2 + (y - qy) ** 2 + (z - qz) ** 2
                if d2 < best:
                    best, face, feature, nx, ny, nz = d2, f, where, qx, qy, qz
            continue
        left = _box_distance2(tree.boxes[first], x, y, z)
        right = _box_distance2(tree.boxes[first + 1], x, y, z)
        nearer = first if left <= right else first + 1
        stack[top] = 2 * first + 1 - nearer
        stack[top + 1] = nearer
        top += 2
    d = math.sqrt(best)
    n = tree.normals[face, feature]
    ax, ay, az = x - nx, y - ny, z - nz
    sign = 1.0
    if tree.closed[mesh] == 1 and ax * n[0] + ay * n[1] + az * n[2] < 0.0:
        sign = -1.0
    if d > 1e-12:
        return sign * d, sign * ax / d, sign * ay / d, sign * az / d
    length = math.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
    return 0.0, n[0] / length, n[1] / length, n[2] / length
