"""Bending: the plates of cloth in one implicit step, solved at once.

How far the sides of a fold are out of line is linear in its vertices as long as cloth hardly stretches (Bergou and
others 2006). The folds about a triangle tell how it is curved, exactly for what is bent evenly, whichever way the mesh
runs; a plate holds half its stiffness times its curvature squared on each square metre. All plates together are one
sparse system, which is factored once as long as nothing is let go, so that what is stiff takes no more rounds.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import block_diag, csr_matrix, vstack

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
EVEN = 2.0  # how much it counts, beside curvature itself, that it differs from one triangle to the next


@dataclass(frozen=True, eq=False)
class Plates:
    """The folds of cloth and its plates. Folds: the ends and the two corners across (B, 4), what each weighs in how far
    it is out of line (B, 4), and its length (B,), metres. Plates, in rows of three: how curved each is along its two
    ways and askew, and how that differs across each fold, from the folds as a sparse matrix (P, B); and how much that
    counts (P,), N m times its area; and a vertex (P,) of the thing that each is of. The triangles on both sides of each
    fold (B, 2), by their numbers, and which are whole (B,): no tear goes along them."""

    nodes: Ints
    weights: Array
    span: Array
    curved: Any
    stiff: Array
    at: Ints
    sides: Ints
    whole: NDArray[np.bool_]

    @staticmethod
    def joined(parts: "list[Plates]") -> "Plates":
        """The plates of several things, whose vertices are counted together."""
        if not parts:
            none = np.zeros(0)
            return Plates(
                np.zeros((0, 4), int), np.zeros((0, 4)), none, csr_matrix((0, 0)), none, none.astype(int),
                np.zeros((0, 2), int), none.astype(bool),
            )  # fmt: skip
        nodes, weights, span, stiff, at, sides, whole = (
            np.concatenate([getattr(p, name) for p in parts])
            for name in ("nodes", "weights", "span", "stiff", "at", "sides", "whole")
        )
        return Plates(nodes, weights, span, block_diag([p.curved for p in parts], "csr"), stiff, at, sides, whole)


def plates_of(place: Array, faces: Ints, bend: float = 1.0, first: int = 0, before: int = 0) -> Plates:
    """The plates of a mesh of a bending stiffness, N m; its vertices are counted from `first`, its triangles from
    `before`."""
    edges = np.concatenate([faces[:, [0, 1, 2]], faces[:, [1, 2, 0]], faces[:, [2, 0, 1]]])
    key = np.sort(edges[:, :2], axis=1)
    _, number, many = np.unique(key, axis=0, return_inverse=True, return_counts=True)
    order = np.argsort(number.ravel(), kind="stable")
    both = (np.cumsum(many) - many)[many == 2]
    one, two = order[both], order[both + 1]
    nodes = np.stack([edges[one, 0], edges[one, 1], edges[one, 2], edges[two, 2]], axis=1)
    x0, x1, x2, x3 = (place[nodes[:, n]] for n in range(4))

    def cot(p: Array, q: Array) -> Array:
        found: Array = np.einsum("ij,ij->i", p, q) / np.maximum(np.linalg.norm(np.cross(p, q), axis=1), 1e-30)
        return found

    e = x1 - x0
    c01, c02, c03, c04 = cot(e, x2 - x0), cot(e, x3 - x0), cot(-e, x2 - x1), cot(-e, x3 - x1)
    weights = np.stack([c03 + c04, c01 + c02, -c01 - c03, -c02 - c04], axis=1)
    span = np.linalg.norm(e, axis=1)
    # Out of line by as much as its length times the sine of what it is folded by: the weights as Bergou has them.
    rows, columns, values = list[Ints](), list[Ints](), list[Array]()
    sides = [place[faces[:, n]] - place[faces[:, 0]] for n in (1, 2)]
    area = 0.5 * np.linalg.norm(np.cross(sides[0], sides[1]), axis=1)
    told = np.zeros((len(faces), 3, 3))  # of each triangle, by its edges: what each says of the three curvatures
    fold = np.full((len(faces), 3), -1)
    for mine, other in ((one, 3), (two, 2)):
        face, edge = mine % len(faces), mine // len(faces)
        fold[face, edge] = np.arange(len(mine))
        told[face, edge] = _told(place, faces[face], edge, nodes, weights, other)
    curved = np.linalg.pinv(told, rcond=1e-6)  # a fold that is not there says nothing, and nothing is held there
    for edge in range(3):
        there = np.flatnonzero(fold[:, edge] >= 0)
        for n in range(3):
            rows.append(3 * there + n)
            columns.append(fold[there, edge])
            values.append(curved[there, n, edge])
    mixed = csr_matrix(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(3 * len(faces), len(nodes))
    )
    jumps, beside = _jumps(place, faces, one, two, area)
    stiff = np.concatenate([np.repeat(area, 3), EVEN * np.repeat(beside, 3)]) * np.tile(
        [1.0, 1.0, 2.0], len(faces) + len(one)
    )
    at = np.repeat(np.concatenate([faces[:, 0], nodes[:, 0]]), 3) + first
    faced: Ints = np.stack([one % len(faces), two % len(faces)], axis=1) + before
    return Plates(
        nodes + first, weights, span, vstack([mixed, jumps @ mixed]).tocsr(), bend * stiff, at, faced,
        np.ones(len(nodes), bool),
    )  # fmt: skip


def _jumps(place: Array, faces: Ints, one: Ints, two: Ints, area: Array) -> tuple[Any, Array]:
    """By how much the curvatures of the triangles on both sides of a fold differ, in the fold's own frame, as a sparse
    matrix (3 B, 3 T); and how much room (B,) a fold has, m². `one` and `two` count edges by their triangles."""
    many, rows, columns, values = len(faces), list[Ints](), list[Ints](), list[Array]()
    for sign, mine in ((1.0, one), (-1.0, two)):
        face, edge = mine % many, mine // many
        row = np.arange(len(face))
        x, up = _frame(place, faces[face])
        e = place[faces[face, (edge + 1) % 3]] - place[faces[face, edge]]
        turn = np.arctan2(np.einsum("ij,ij->i", np.cross(x, e), up), np.einsum("ij,ij->i", x, e))
        c, s = np.cos(turn), np.sin(turn)
        turned = np.stack([
            np.stack([c * c, s * s, 2 * c * s], axis=1), np.stack([s * s, c * c, -2 * c * s], axis=1),
            np.stack([-c * s, c * s, c * c - s * s], axis=1),
        ], axis=1)  # fmt: skip
        for n in range(3):
            for m in range(3):
                rows.append(3 * row + n)
                columns.append(3 * face + m)
                values.append(sign * turned[:, n, m])
    made = csr_matrix(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(3 * len(one), 3 * many)
    )
    return made, (area[one % many] + area[two % many]) / 3.0


def _frame(place: Array, faces: Ints) -> tuple[Array, Array]:
    """A frame of each triangle's own: x (T, 3), along its first side, and its normal (T, 3)."""
    a, b, c = (place[faces[:, n]] for n in range(3))
    x, up = b - a, np.cross(b - a, c - a)
    for way in (x, up):
        way /= np.maximum(np.linalg.norm(way, axis=1), 1e-30)[:, None]
    return x, up


def _told(place: Array, faces: Ints, edge: Ints, nodes: Ints, weights: Array, other: int) -> Array:
    """What a fold (k, 3) says of the curvature of a triangle beside it, along x, along y and askew, in a frame of the
    triangle's own: how far it would be out of line if all were curved evenly by 1. `other` is the place among the
    fold's vertices of the one that lies across it."""
    x, up = _frame(place, faces)
    y = np.cross(up, x)
    row, across = np.arange(len(faces)), place[nodes[:, other]]
    start, end = place[faces[row, edge]], place[faces[row, (edge + 1) % 3]]
    e = end - start
    long = np.maximum(np.linalg.norm(e, axis=1), 1e-30)[:, None]
    side = across - start
    along = np.einsum("ij,ij->i", side, e)[:, None] / long**2 * e
    high = np.linalg.norm(side - along, axis=1)[:, None]
    laid = start + along - high * np.cross(up, e / long)  # what lies across, folded flat into the triangle's plane
    found = np.zeros((len(faces), 3))
    for n in range(4):
        p = (laid if n == other else place[nodes[:, n]]) - place[faces[:, 0]]
        u, v = np.einsum("ij,ij->i", p, x), np.einsum("ij,ij->i", p, y)
        found += weights[:, n, None] * np.stack([0.5 * u * u, 0.5 * v * v, u * v], axis=1)
    return found


def normals(x: Array, plates: Plates) -> Array:
    """The mean normal (B, 3) of the two sides of each fold."""
    p = x[plates.nodes]
    e = p[:, 1] - p[:, 0]
    found = np.zeros((len(p), 3))
    for side in (np.cross(e, p[:, 2] - p[:, 0]), np.cross(p[:, 3] - p[:, 0], e)):
        found += side / np.maximum(np.linalg.norm(side, axis=1), 1e-30)[:, None]
    unit: Array = found / np.maximum(np.linalg.norm(found, axis=1), 1e-30)[:, None]
    return unit


def folded(x: Array, plates: Plates) -> Array:
    """The angle (B,) by which each fold is folded, radians; less than 0 the other way."""
    out = np.einsum("bn,bnc,bc->b", plates.weights, x[plates.nodes], normals(x, plates))
    angle: Array = 2.0 * np.arcsin(np.clip(out / (2.0 * plates.span), -1.0, 1.0))
    return angle
