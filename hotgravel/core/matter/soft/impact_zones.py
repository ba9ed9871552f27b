"""What would still go through within a small step, though it was pushed apart, goes on as one: the vertices of each
such zone keep their places to one another from before the step, and go as far as they do on the mean by mass (rigid
impact zones: Provot 1997; Bridson and others 2002; here without turning)."""

import numpy as np
from numba import njit, prange

from hotgravel.core.matter.grouping import root
from hotgravel.core.matter.soft.boxes import PARTS
from hotgravel.core.matter.soft.pairs import gap_of, nearer_by

NEARER = 0.2  # of how far apart a pair was before: it may not come nearer than that
HARDLY = 1e-12  # m: what goes no farther against each other goes as one
LED = 1e6  # times as much as what is held counts what is led, which nothing turns aside
CAREFUL, MOST_TURNS = 0.9, 100  # of the way that can bring a pair no nearer than it may come; turns of looking


@njit(cache=True)
def _joined(of, nodes, shares, four):
    """Put all vertices that four points follow into one zone. Returns one of them."""
    first = -1
    for p in range(4):
        for n in range(4):
            if shares[four[p], n] != 0.0:
                at = root(of, nodes[four[p], n])
                if first < 0:
                    first = at
                elif at != first:
                    of[max(at, first)] = min(at, first)
                    first = min(at, first)
    return first


@njit(cache=True)
def _meets(points, old, four, split, at, local):
    """Whether a pair comes nearer, on its way from `old` to `points`, than a share of how far apart it was (additive
    continuous collision detection: Li, Kaufman and Jiang 2021). `at` (4, 3) is room to work in, `local` (4,) counts
    from 0."""
    way = nearer_by(old, points, four, split)
    if way < HARDLY:
        return False
    gap = gap_of(old, four, split)
    least, when, go = NEARER * gap, 0.0, (1.0 - NEARER) * gap / way
    for turn in range(MOST_TURNS):
        if when + go >= 1.0:
            return False
        for p in range(4):
            for c in range(3):
                at[p, c] = old[four[p], c] + (when + go) * (points[four[p], c] - old[four[p], c])
        now = gap_of(at, local, split)
        if turn > 0 and now < least:
            return True
        when += go
        go = CAREFUL * now / way
    return True


@njit(cache=True, parallel=True, nogil=True)
def meeting(points, old, fours, split, hit):
    """Which pairs (P, 4) would go through each other, into `hit` (P,)."""
    for part in prange(PARTS):
        at, local = np.empty((4, 3)), np.arange(4)
        for k in range(np.int64(part), len(fours), PARTS):
            hit[k] = _meets(points, old, fours[k], split, at, local)


@njit(cache=True, inline="always")
def _add_way(way, x, before, i, much):
    """Count how vertex i goes to a way (4,), in place; its last is by how much all count."""
    for c in range(3):
        way[c] += much * (x[i, c] - before[i, c])
    way[3] += much


@njit(cache=True)
def zoned(x, before, w, held, nodes, shares, fours, of):
    """Join to zones those pairs (P, 4) that would go through each other, and move each such zone as one, in place: as
    its vertices go on the mean by mass; or as those that are led, or else those that are `held` (n,) by what they
    collide with, as they have gone with that. `of` (n,) is the zone of each vertex, by one of its vertices, and is
    added to."""
    caught = np.zeros(len(of), np.bool_)
    for k in range(len(fours)):
        caught[_joined(of, nodes, shares, fours[k])] = True
    mean, led = np.zeros((len(of), 4)), np.zeros((len(of), 4))
    for i in range(len(of)):
        at, mass = root(of, i), 1.0 / w[i] if w[i] > 0.0 else 0.0
        caught[at] |= caught[i]
        _add_way(mean[at], x, before, i, mass)
        if held[i] or w[i] == 0.0:
            _add_way(led[at], x, before, i, 1.0 if w[i] > 0.0 else LED)
    for i in range(len(of)):
        at = root(of, i)
        if w[i] > 0.0 and caught[at]:
            way = led[at] if led[at, 3] > 0.0 else mean[at]
            for c in range(3):
                x[i, c] = before[i, c] + way[c] / way[3]
