"""Slack: bodies that were made overlapping, and how deep they may therefore be in one another."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.elements import LOOSE
from hotgravel.core.matter.rigid.contacts import boxes, keys_of, near_pairs, parts_of
from hotgravel.core.matter.rigid.detect import GAP, POINT_WIDTH, SLOTS, THERE, touch_bodies
from hotgravel.core.matter.rigid.state import Bodies
from hotgravel.core.shape.turns import matrices

if TYPE_CHECKING:
    from hotgravel.core.matter.rigid.solver import RigidSolver


@dataclass
class Slack:
    """How deep pairs (k, 2) of bodies, by their ids, may overlap, because they were made so: the hulls of neighbours
    that are not convex do. What they no longer overlap by is taken from it."""

    ids: NDArray[np.int64] = field(default_factory=lambda: np.zeros((0, 2), np.int64))
    depth: Array = field(default_factory=lambda: np.zeros(0))

    def allow(self, bodies: Bodies, pairs: NDArray[np.int64], slots: Array) -> None:
        """Take it off the points (p, SLOTS, POINT_WIDTH) of pairs of bodies (p, 2), in place."""
        if not len(self.ids) or not len(pairs):
            return
        keys, asked = keys_of(self.ids), keys_of(np.sort(bodies.id[pairs], axis=1))
        place = np.minimum(np.searchsorted(keys, asked), len(keys) - 1)
        known = np.flatnonzero(keys[place] == asked)
        touching = slots[known, :, THERE] > 0.0
        deep = np.where(touching, -slots[known, :, GAP], 0.0).max(axis=1)
        self.depth[place[known]] = np.minimum(self.depth[place[known]], np.maximum(deep, 0.0))
        slots[known, :, GAP] += self.depth[place[known], None]

    def join(self, solver: "RigidSolver", new: Bodies) -> None:
        """Remember by how much new bodies, which have their ids, overlap."""
        found = [(new.id[i], new.id[j], depth) for i, j, depth in overlapping(solver, new)]
        if found:
            ids, depth = np.array([f[:2] for f in found], np.int64), np.array([f[2] for f in found])
            self.ids, self.depth = np.concatenate([self.ids, np.sort(ids, axis=1)]), np.append(self.depth, depth)
            order = np.lexsort((self.ids[:, 1], self.ids[:, 0]))
            self.ids, self.depth = self.ids[order], self.depth[order]


def overlapping(solver: "RigidSolver", bodies: Bodies) -> Iterator[tuple[int, int, float]]:
    """Pairs of bodies that overlap, by their places, and how deep, metres."""
    library, first, count = parts_of(solver, bodies)
    turn = matrices(bodies.turn)
    low, high = np.empty((len(bodies), 3)), np.empty((len(bodies), 3))
    boxes(bodies.position, turn, first, count, library.parts, library.corners, low, high)
    pairs = near_pairs(_all_loose(bodies), low, high)
    slots = np.zeros((len(pairs), SLOTS, POINT_WIDTH))
    touch_bodies(
        pairs, bodies.position, turn, first, count, library.parts, library.corners, library.cores, library.faces,
        library.normals, np.zeros(len(pairs)), slots,
    )  # fmt: skip
    for (i, j), points in zip(pairs.tolist(), slots, strict=True):
        depth = float(-points[points[:, THERE] > 0.0, GAP].min(initial=0.0))
        if depth > 0.0:
            yield i, j, depth


def _all_loose(bodies: Bodies) -> Bodies:
    """The same bodies, all of them loose and awake."""
    made = bodies.copy()
    made.pinned[:], made.asleep[:], made.supported[:] = LOOSE, 0, 0
    return made
