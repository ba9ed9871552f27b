"""What is soft and has become rigid: lumps of vertices that keep the shape they had.

After energies have moved vertices, and again after what they met has, each lump is put where its shape fits best
(Müller, Heidelberger, Teschner and Gross 2005), which keeps its momentum and how it turns. What something holds then
counts most, so that a lump that stands on a corner does not sink.
"""

from dataclasses import dataclass
from itertools import combinations

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from hotgravel.core.matter.soft.model import Array, Flags, Ints, Model
from hotgravel.core.matter.soft.state import NO_LUMP, Vertices

HELD = 1e3  # times its mass: what something holds counts as so heavy
LED = 1e6  # the same of what is led, or kept in place


def lumped(p: Vertices, model: Model) -> None:
    """Let elements that have become rigid, or soft again, be lumps of what hangs together, in place. All lumps take the
    shape that they now have."""
    if ((p.hard > 0) == (p.lump != NO_LUMP)).all():
        return
    many = len(model.place)
    hard = np.zeros(many, bool)
    hard[p.vertex] = p.hard > 0
    one, other = np.concatenate([
        of.nodes[:, pair] for of in (model.triangles, model.tets) for pair in combinations(range(of.nodes.shape[1]), 2)
    ]).T  # fmt: skip
    both = hard[one] & hard[other]
    graph = coo_matrix((np.ones(int(both.sum()), np.int8), (one[both], other[both])), shape=(many, many))
    p.lump[:] = np.where(p.hard > 0, connected_components(graph, directed=False)[1][p.vertex], NO_LUMP)
    p.form[:] = np.where(p.hard[:, None] > 0, p.position, 0.0)


@dataclass(frozen=True, eq=False)
class Lumps:
    """The lumps of a step: their vertices (k,), which lump each is of (k,), from 0 on, its place in the lump's shape
    (k, 3), and its mass (k,)."""

    vertices: Ints
    lump: Ints
    form: Array
    mass: Array

    @classmethod
    def of(cls, p: Vertices, free: Flags) -> "Lumps":
        """Those of elements, of which some are free (n,)."""
        who = np.flatnonzero(p.lump != NO_LUMP)
        lump = np.unique(p.lump[who], return_inverse=True)[1]
        mass = np.where(free[who], p.mass[who], LED * p.mass.max(initial=0.0))
        return cls(p.vertex[who], lump, p.form[who], mass)

    def fit(self, x: Array, held: Flags | None = None) -> None:
        """Put lumps where they fit best, in place; vertices are at x (n, 3), and of those some are `held` (n,)."""
        if not len(self.vertices):
            return
        mass = self.mass if held is None else self.mass * np.where(held[self.vertices], HELD, 1.0)
        at = x[self.vertices]
        total = np.bincount(self.lump, mass)[:, None]

        def middle(of: Array) -> Array:
            found = [np.bincount(self.lump, mass * of[:, axis]) for axis in range(3)]
            return np.stack(found, axis=1) / total

        here, there = middle(at), middle(self.form)
        out, shape = at - here[self.lump], self.form - there[self.lump]
        turned = [np.bincount(self.lump, mass * out[:, a] * shape[:, b]) for a in range(3) for b in range(3)]
        left, _, right = np.linalg.svd(np.stack(turned, axis=1).reshape(-1, 3, 3))
        left[:, :, 2] *= np.sign(np.linalg.det(left) * np.linalg.det(right))[:, None]  # no mirrored shape
        x[self.vertices] = here[self.lump] + np.einsum("kab,kb->ka", (left @ right)[self.lump], shape)
