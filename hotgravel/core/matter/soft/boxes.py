"""Boxes about the ways of points, edges and triangles, and a tree over them that tells which of them meet.

Boxes (n, 6) are low corners and high ones; near ones follow one another as they lie at rest. Node k of a tree has nodes
2 k and 2 k + 1 below it, and the second half of the nodes are leaves, of so many boxes each. As things move only the
boxes change, not what is below what (van den Bergen 1997).
"""

import math
from typing import NamedTuple

import numpy as np
from numba import njit, prange

from hotgravel.core.matter.soft.model import Array, Ints
from hotgravel.core.matter.soft.pairs import may_touch

LEAF = 4
PARTS = 64  # in which all are looked through, each of them all over, so that both threads have as much to do
BITS = 10  # of each coordinate, by which the near ones are put together


def in_order(middle: Array, thing: Ints) -> Ints:
    """The order (n,) of things, and of what lies near in each, by its middle (n, 3): along a curve that fills space
    (Morton 1966)."""
    low, size = middle.min(axis=0, initial=np.inf), np.ptp(middle, axis=0).max() if len(middle) else 1.0
    cell = ((middle - low) / max(size, 1e-12) * (2**BITS - 1)).astype(np.int64)
    code = np.zeros(len(middle), np.int64)
    for bit in range(BITS):
        for axis in range(3):
            code |= ((cell[:, axis] >> bit) & 1) << (3 * bit + axis)
    return np.lexsort((code, thing))


def tree_for(many: int) -> Array:
    """Nodes (2 L, 6) of a tree over so many boxes."""
    leaves = 1 << int(np.ceil(np.log2(max(1.0, many / LEAF))))
    return np.zeros((2 * leaves, 6))


class Swept(NamedTuple):
    """Points, edges or triangles by their corners (n, k) on their way: the boxes (n, 6) about it, and `ways` (n, 4),
    the mean one of the corners of each, and by how much that of any of them is another at most."""

    corners: Ints
    boxes: Array
    ways: Array

    def only(self, rows: Ints) -> "Swept":
        """Some of them; itself where they are all, as in most small steps."""
        whole = len(rows) == len(self.corners)
        return self if whole else Swept(self.corners[rows], self.boxes[rows], self.ways[rows])


def swept(old: Array, points: Array, thick: Array, share: float, corners: Ints) -> Swept:
    """Those that go from `old` to `points` (m, 3), with such a share of how thick they are (m,) about their boxes."""
    boxes, ways = np.empty((len(corners), 6)), np.empty((len(corners), 4))
    boxed(old, points, thick, share, corners, boxes, ways)
    return Swept(corners, boxes, ways)


@njit(cache=True, parallel=True, nogil=True)
def boxed(old, points, thick, share, corners, boxes, ways):
    """The boxes (n, 6) and ways (n, 4) of those by their corners (n, k)."""
    many = corners.shape[1]
    for row in prange(len(corners)):
        e = np.int64(row)
        room, off = share * thick[corners[e, 0]], 0.0
        for c in range(3):
            low, high, way = np.inf, -np.inf, 0.0
            for n in range(many):
                i = corners[e, n]
                low, high = min(low, min(old[i, c], points[i, c])), max(high, max(old[i, c], points[i, c]))
                way += (points[i, c] - old[i, c]) / many
            boxes[e, c], boxes[e, 3 + c], ways[e, c] = low - room, high + room, way
        for n in range(many):
            i, other = corners[e, n], 0.0
            for c in range(3):
                other += (points[i, c] - old[i, c] - ways[e, c]) ** 2
            off = max(off, other)
        ways[e, 3] = math.sqrt(off)


@njit(cache=True)
def refit(boxes, nodes):
    """The boxes of all nodes (2 L, 6), in place, about the boxes (n, 6) below them."""
    half = len(nodes) // 2
    for k in range(len(nodes) - 1, 0, -1):
        below, start, end = (nodes, 2 * k, 2 * k + 2) if k < half else (boxes, LEAF * (k - half), LEAF * (k - half + 1))
        for c in range(3):
            nodes[k, c], nodes[k, 3 + c] = np.inf, -np.inf
            for e in range(start, min(end, len(below))):
                nodes[k, c] = min(nodes[k, c], below[e, c])
                nodes[k, 3 + c] = max(nodes[k, 3 + c], below[e, 3 + c])


@njit(cache=True, inline="always")
def _box(of, i):
    return of[i, 0], of[i, 1], of[i, 2], of[i, 3], of[i, 4], of[i, 5]


@njit(cache=True, inline="always")
def _meet(box, others, j):
    """Whether a box meets one of others, without a branch, as none could be guessed."""
    meet = (box[0] <= others[j, 3]) & (box[3] >= others[j, 0]) & (box[1] <= others[j, 4])
    return meet & (box[4] >= others[j, 1]) & (box[2] <= others[j, 5]) & (box[5] >= others[j, 2])


@njit(cache=True, inline="always")
def _nearer(ways, e, others, f):
    """By how much two come nearer at most on their ways."""
    x, y, z = ways[e, 0] - others[f, 0], ways[e, 1] - others[f, 1], ways[e, 2] - others[f, 2]
    return math.sqrt(x * x + y * y + z * z) + ways[e, 3] + others[f, 3]


@njit(cache=True, parallel=True, nogil=True)
def neared(old, rest, thick, thing, given, mine, rows, others, nodes, known, later, found, count):
    """For each of `mine`, which are `Swept`, those of `others` that may come to touch it though each point is moved by
    another `given` times as thick as it is: into `found` (n, most), and how many, into `count` (n,): it may be more
    than there is room for. `nodes` is the tree of the others. Those of them that are `known` (p,) are among `mine` too,
    which stand in their `rows` (n,): each is looked for from lower numbers alone. `later` says that this holds for
    all."""
    half, most, split = len(nodes) // 2, found.shape[1], mine.corners.shape[1]
    many, other_many = len(mine.corners), len(others.corners)
    for part in prange(PARTS):
        stack, own = np.empty(64, np.int64), np.empty((1, 6))
        four, maybe = np.empty(4, np.int64), np.empty(LEAF, np.int64)
        for leaf in range(np.int64(part), (many + LEAF - 1) // LEAF, PARTS):
            first, last = LEAF * leaf, min(LEAF * (leaf + 1), many)
            for c in range(3):
                own[0, c], own[0, 3 + c] = np.inf, -np.inf
                for e in range(first, last):
                    own[0, c] = min(own[0, c], mine.boxes[e, c])
                    own[0, 3 + c] = max(own[0, 3 + c], mine.boxes[e, 3 + c])
            box = _box(own, 0)
            count[first:last] = 0
            stack[0], left = 1, 1
            while left > 0:
                left -= 1
                k = stack[left]
                if k < half:  # each goes on the stack, and stays there if it is met
                    stack[left] = 2 * k + 1
                    left += _meet(box, nodes, 2 * k + 1)
                    stack[left] = 2 * k
                    left += _meet(box, nodes, 2 * k) & (not later or _last(2 * k, half) >= leaf)
                    continue
                begin, end = LEAF * (k - half), min(LEAF * (k - half + 1), other_many)
                for e in range(first, last):
                    small, met = _box(mine.boxes, e), 0
                    if not _meet(small, nodes, k):
                        continue
                    for f in range(max(begin, rows[e] + 1) if later else begin, end):
                        maybe[met] = f
                        met += _meet(small, others.boxes, f)
                    for n in range(met):
                        f = maybe[n]
                        if known[f] and f <= rows[e]:
                            continue
                        for p in range(4):
                            four[p] = mine.corners[e, p] if p < split else others.corners[f, p - split]
                        nearer = _nearer(mine.ways, e, others.ways, f)
                        if may_touch(old, rest, thick, thing, four, split, given, nearer):
                            if count[e] < most:
                                found[e, count[e]] = f
                            count[e] += 1


@njit(cache=True)
def _last(node, half):
    """The last leaf below a node."""
    while node < half:
        node = 2 * node + 1
    return node - half


@njit(cache=True, parallel=True, nogil=True)
def listed(mine, others, found, count, ends, fours):
    """All that was found (n, most) as pairs (P, 4), in place: those of each of `mine` end at `ends` (n,)."""
    split = mine.shape[1]
    for row in prange(len(mine)):
        e = np.int64(row)
        for n in range(count[e]):
            k = ends[e] - count[e] + n
            for p in range(4):
                fours[k, p] = mine[e, p] if p < split else others[found[e, n], p - split]
