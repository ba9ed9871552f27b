"""Slack: bodies that were made overlapping, and how deep they may therefore be in one another."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.elements import LOOSE
from hotgravel.core.matter.rigid.contacts import boxes_of, keys_of, near_pairs, parts_of, touches_of
from hotgravel.core.matter.rigid.detect import GAP, SLOTS, Touches
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

    def allow(self, bodies: Bodies, touches: Touches) -> None:
        """Take it off the points between bodies, in place."""
        pairs, slots, counts = touches
        if not len(self.ids) or not len(pairs):
            return
        keys, asked = keys_of(self.ids), keys_of(np.sort(bodies.id[pairs], axis=1))
        place = np.minimum(np.searchsorted(keys, asked), len(keys) - 1)
        known = np.flatnonzero(keys[place] == asked)
        row, slot = np.nonzero(np.arange(SLOTS) < counts[known, None])
        deep = np.zeros(len(known))
        np.maximum.at(deep, row, -slots[known[row], slot, GAP])
        self.depth[place[known]] = np.minimum(self.depth[place[known]], deep)
        slots[known[row], slot, GAP] += self.depth[place[known[row]]]

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
    parts, turn = parts_of(solver, bodies), matrices(bodies.turn)
    pairs = near_pairs(_all_loose(bodies), *boxes_of(bodies, turn, parts))
    touches = touches_of(bodies, turn, parts, pairs, np.zeros(len(pairs)))
    for (i, j), points, many in zip(pairs.tolist(), touches.slots, touches.counts.tolist(), strict=True):
        depth = float(-points[:many, GAP].min(initial=0.0))
        if depth > 0.0:
            yield i, j, depth


def _all_loose(bodies: Bodies) -> Bodies:
    """The same bodies, all of them loose and awake."""
    made = bodies.copy()
    made.pinned[:], made.asleep[:], made.supported[:] = LOOSE, 0, 0
    return made
