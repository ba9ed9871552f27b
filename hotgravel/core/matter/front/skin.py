"""The skin that a front creeps over: its points, and which of them each comes to next."""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.spatial import cKDTree

Array = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Skin:
    """Points (n, 3) in the frame of their prop, faces (F, 3) between them, and the neighbours of each: point i has
    those from `ends[i]` to before `ends[i + 1]` of `near`, and how far they are off, m."""

    place: Array
    faces: Ints
    ends: Ints
    near: Ints
    off: Array

    @property
    def apart(self) -> float:
        """The longest side of a face, in the frame of its prop."""
        corners = self.place[self.faces]
        return float(np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(initial=0.0))


def skin_of(place: Array, at: Ints, scale: float, reach: float, gaps: bool) -> Skin:
    """A fine mesh of points (n, 3) and faces (F, 3); `scale` is how many times larger it stands in the world, `reach`
    in metres there. With `gaps` neighbours are all that are within reach; else those that hang together with the point
    by edges within it."""
    tree = cKDTree(scale * place)
    pairs = tree.query_pairs(reach, output_type="ndarray").astype(np.int64)
    off = np.linalg.norm(scale * (place[pairs[:, 0]] - place[pairs[:, 1]]), axis=1)
    ends, near, off = _by_point(pairs, off, len(place))
    if not gaps:
        sides = np.concatenate([at[:, [0, 1]], at[:, [1, 2]], at[:, [2, 0]]])
        edges = np.unique(np.sort(sides, axis=1), axis=0)
        edge_ends, beside, _ = _by_point(edges, np.ones(len(edges)), len(place))
        kept = _hanging(ends, near, edge_ends, beside)
        counts = np.add.reduceat(np.append(kept, False).astype(int), ends[:-1]) * (np.diff(ends) > 0)
        ends, near, off = np.concatenate([[0], np.cumsum(counts)]), near[kept], off[kept]
    return Skin(place, at.astype(np.int64), ends.astype(np.int64), near, off)


def _by_point(pairs: Ints, values: Array, count: int) -> tuple[Ints, Ints, Array]:
    """Pairs (k, 2), both ways, in the order of their first: where those of each point end, the second, the values."""
    both = np.concatenate([pairs, pairs[:, ::-1]])
    made = coo_matrix((np.concatenate([values, values]), (both[:, 0], both[:, 1])), shape=(count, count)).tocsr()
    made.sort_indices()
    return made.indptr.astype(np.int64), made.indices.astype(np.int64), made.data


@njit(cache=True)
def _hanging(ends, near, edge_ends, beside):
    """Which of the neighbours of each point hang together with it, by edges between neighbours alone."""
    kept = np.zeros(len(near), np.bool_)
    at = np.full(len(ends) - 1, -1)  # where each is among the neighbours of the point that is looked at
    for i in range(len(ends) - 1):
        for n in range(ends[i], ends[i + 1]):
            at[near[n]] = n
        ahead = [np.int64(i)]
        while len(ahead):
            k = ahead.pop()
            for e in range(edge_ends[k], edge_ends[k + 1]):
                n = at[beside[e]]
                if n >= 0 and not kept[n]:
                    kept[n] = True
                    ahead.append(beside[e])
        for n in range(ends[i], ends[i + 1]):
            at[near[n]] = -1
    return kept


@njit(cache=True)
def crept(ends, near, off, rate, arrived, gone, alight, dt):
    """Let a front creep on for a time, in place: what has been reached reaches what is near it. `rate` (n,) is how fast
    it goes from each point, m/s, `arrived` (n,) how long ago it came there, -1 where it has not, `gone` (n,) how far it
    has come from there, `alight` (n,) whether a point can be reached."""
    ahead = [np.int64(0) for _ in range(0)]
    for k in range(len(rate)):
        if arrived[k] >= 0.0:
            arrived[k] += dt
            gone[k] += rate[k] * dt
            ahead.append(np.int64(k))
    while len(ahead):
        later = [np.int64(0) for _ in range(0)]
        for i in ahead:
            if rate[i] <= 0.0:
                continue
            for n in range(ends[i], ends[i + 1]):
                j = near[n]
                over = gone[i] - off[n]
                if over < 0.0 or not alight[j]:
                    continue
                since = min(over / rate[i], dt)  # it came there so long ago, within this time
                if arrived[j] >= 0.0 and (since <= arrived[j] or arrived[j] > dt):
                    continue
                arrived[j] = since
                gone[j] = rate[j] * since
                later.append(j)
        ahead = later
