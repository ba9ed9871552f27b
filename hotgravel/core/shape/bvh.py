"""Distance to an imported mesh: a tree of boxes over its triangles.

The sign comes from angle-weighted normals at faces, edges and corners (Baerentzen and
Aanaes, "Signed distance computation using the angle weighted pseudonormal", 2005), which
is exact for a closed mesh. An open mesh has no inside: its distance is never negative.
"""

import math
from collections.abc import Sequence

import numpy as np
from numba import njit
from numpy.typing import NDArray

LEAF = 4

# A tree is one array of rows, because kernels pass it on at every call. A node's row holds its
# box (low and high corner), the row of its first child (the second is the next one) or minus
# the row of its first triangle, and its count of triangles. A triangle's row holds its three
# corners and seven normals: of the face, of edges ab, bc, ca, and of the corners.
FIRST, COUNT, NORMALS, WIDTH = 6, 7, 9, 30
MeshTree = NDArray[np.float64]


def empty_tree() -> MeshTree:
    """What stands where there is no mesh."""
    return np.zeros((0, WIDTH))


def build_tree(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> MeshTree:
    """A tree over triangles: each node halves its triangles along its longest side.

    vertices (V, 3), faces (F, 3). The root is row 0.
    """
    return ordered_tree(vertices, faces)[0]


def ordered_tree(
    vertices: NDArray[np.float64], faces: NDArray[np.int64]
) -> tuple[MeshTree, NDArray[np.int64]]:  # fmt: skip
    """A tree over triangles, whose last rows they are, and their numbers (F,) in the order of those rows."""
    corners = vertices[faces]
    low, high, middle = corners.min(axis=1), corners.max(axis=1), corners.mean(axis=1)
    order, nodes = np.arange(len(faces)), np.zeros((2 * len(faces) + 1, WIDTH))
    count = _halved(low, high, middle, order, nodes)
    triangles = np.zeros((len(faces), WIDTH))
    triangles[:, :NORMALS] = corners[order].reshape(-1, 9)
    triangles[:, NORMALS:] = _pseudonormals(vertices, faces)[order].reshape(-1, 21)
    return np.concatenate([nodes[:count], triangles]), order


@njit(cache=True, nogil=True)
def _halved(low, high, middle, order, nodes):
    """Put triangles, by their boxes (n, 3) and middles (n, 3), in the order (n,) of leaves, and fill in the nodes.
    Returns how many nodes there are."""
    pending, made = [(0, 0, len(order))], 1
    while len(pending):
        node, start, end = pending.pop()
        axis, longest = 0, -1.0
        for c in range(3):
            least, most, first, last = np.inf, -np.inf, np.inf, -np.inf
            for k in order[start:end]:
                least, most = min(least, low[k, c]), max(most, high[k, c])
                first, last = min(first, middle[k, c]), max(last, middle[k, c])
            nodes[node, c], nodes[node, 3 + c] = least, most
            if last - first > longest:
                axis, longest = c, last - first
        if end - start <= LEAF:
            nodes[node, FIRST], nodes[node, COUNT] = -1.0 - start, end - start
            continue
        mine = order[start:end].copy()
        order[start:end] = mine[np.argsort(middle[mine, axis])]
        half = (end - start) // 2
        nodes[node, FIRST] = made
        pending.append((made, start, start + half))
        pending.append((made + 1, start + half, end))
        made += 2
    for node in range(made):
        if nodes[node, FIRST] < 0.0:
            nodes[node, FIRST] += 1.0 - made
    return made


def join_trees(trees: Sequence[MeshTree]) -> tuple[MeshTree, list[int]]:
    """All trees in one array, and the row of each one's root."""
    roots, parts, row = [], [empty_tree()], 0
    for tree in trees:
        moved = tree.copy()
        nodes = _node_count(tree)
        first = moved[:nodes, FIRST]
        moved[:nodes, FIRST] = np.where(first < 0, first - row, first + row)
        roots.append(row)
        parts.append(moved)
        row += len(moved)
    return np.concatenate(parts), roots


def _node_count(tree: MeshTree) -> int:
    """Nodes come first; the earliest triangle that a leaf names ends them."""
    node, least = [0], len(tree)
    while node:
        i = node.pop()
        first = int(tree[i, FIRST])
        if first < 0:
            least = min(least, -first)
        else:
            node += [first, first + 1]
    return least


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
def _box_distance2(tree, i, x, y, z):
    dx = max(tree[i, 0] - x, 0.0, x - tree[i, 3])
    dy = max(tree[i, 1] - y, 0.0, y - tree[i, 4])
    dz = max(tree[i, 2] - z, 0.0, z - tree[i, 5])
    return dx * dx + dy * dy + dz * dz


@njit(cache=True)
def closest_on_triangle(px, py, pz, row):
    """Closest point (x, y, z) and the feature it lies on: 0 face, 1 to 3 edges ab, bc, ca, 4 to 6 corners.

    Regions as in Ericson, "Real-time collision detection" (2005), section 5.1.5.
    """
    a, b, c = row[0:3], row[3:6], row[6:9]
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
def nearest_triangle(tree, root, x, y, z):
    """The square of how far off the nearest triangle of the mesh of that root is, its row, on which of its features the
    nearest place lies, and that place."""
    stack = np.empty(64, np.int64)
    stack[0], top = root, 1
    best, face, feature = np.inf, root, 0
    nx, ny, nz = x, y, z
    while top > 0:
        top -= 1
        node = stack[top]
        if _box_distance2(tree, node, x, y, z) >= best:
            continue
        first = int(tree[node, FIRST])
        if first < 0:
            for row in range(-first, -first + int(tree[node, COUNT])):
                qx, qy, qz, where = closest_on_triangle(x, y, z, tree[row])
                d2 = (x - qx) ** 2 + (y - qy) ** 2 + (z - qz) ** 2
                if d2 < best:
                    best, face, feature, nx, ny, nz = d2, row, where, qx, qy, qz
            continue
        nearer = first
        if _box_distance2(tree, first + 1, x, y, z) < _box_distance2(tree, first, x, y, z):
            nearer = first + 1
        stack[top] = 2 * first + 1 - nearer
        stack[top + 1] = nearer
        top += 2
    return best, face, feature, nx, ny, nz


@njit(cache=True)
def mesh_distance(tree, root, closed, x, y, z):
    """Signed distance and gradient (d, gx, gy, gz) to the mesh of that root; unsigned if not closed."""
    best, face, feature, nx, ny, nz = nearest_triangle(tree, root, x, y, z)
    d = math.sqrt(best)
    at = NORMALS + 3 * feature
    mx, my, mz = tree[face, at], tree[face, at + 1], tree[face, at + 2]
    ax, ay, az = x - nx, y - ny, z - nz
    sign = -1.0 if closed != 0.0 and ax * mx + ay * my + az * mz < 0.0 else 1.0
    if d > 1e-12:
        return sign * d, sign * ax / d, sign * ay / d, sign * az / d
    length = math.sqrt(mx * mx + my * my + mz * mz)
    return 0.0, mx / length, my / length, mz / length
