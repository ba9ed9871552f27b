"""What would still go through within a small step, though it was pushed apart, goes on as one: the vertices of each
such zone keep their places to one another from before the step, and go as far as they do on the mean by mass (rigid
impact zones: Provot 1997; Bridson and others 2002; here without turning)."""

import math

import numpy as np
from numba import njit

from hotgravel.core.matter.grouping import root
from hotgravel.core.matter.soft.edges import between_edges
from hotgravel.core.matter.soft.pairs import TORN
from hotgravel.core.matter.soft.points import from_triangle

NEARER = 0.2  # of how far apart a pair was before: it may not come nearer than that
HARDLY = 1e-12  # m: what goes no farther against each other goes as one
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


@njit(cache=True, inline="always")
def _apart(at, local, split):
    """How far apart a pair is: a point and a triangle or, where `split` is 2, two edges."""
    return from_triangle(at, local) if split == 1 else between_edges(at, local)


@njit(cache=True)
def _meets(points, old, four, split, at, local):
    """Whether a pair comes nearer, on its way from `old` to `points`, than a share of how far apart it was (additive
    continuous collision detection: Li, Kaufman and Jiang 2021): a point and a triangle or, where `split` is 2, two
    edges. `at` (4, 3) is room to work in, `local` (4,) counts from 0."""
    mx, my, mz = 0.0, 0.0, 0.0
    for p in range(4):
        m = four[p]
        at[p, 0], at[p, 1], at[p, 2] = points[m, 0] - old[m, 0], points[m, 1] - old[m, 1], points[m, 2] - old[m, 2]
        mx, my, mz = mx + 0.25 * at[p, 0], my + 0.25 * at[p, 1], mz + 0.25 * at[p, 2]
    one, other = 0.0, 0.0
    for p in range(4):
        long = math.sqrt((at[p, 0] - mx) ** 2 + (at[p, 1] - my) ** 2 + (at[p, 2] - mz) ** 2)
        if p < split:
            one = max(one, long)
        else:
            other = max(other, long)
        for c in range(3):
            at[p, c] = old[four[p], c]
    way = one + other
    if way < HARDLY:
        return False
    gap = _apart(at, local, split)
    least, when, go = NEARER * gap, 0.0, (1.0 - NEARER) * gap / way
    for turn in range(MOST_TURNS):
        if when + go >= 1.0:
            return False
        for p in range(4):
            for c in range(3):
                at[p, c] = old[four[p], c] + (when + go) * (points[four[p], c] - old[four[p], c])
        gap = _apart(at, local, split)
        if turn > 0 and gap < least:
            return True
        when += go
        go = CAREFUL * gap / way
    return True


@njit(cache=True)
def _found(
    nodes, shares, rest, thick, thing, faces, near, many, edges, edge_near, edge_many, points, old, of, caught
):  # fmt: skip
    """Put into zones what would go through each other, and mark a vertex of each as caught."""
    at, local, four = np.empty((4, 3)), np.arange(4), np.empty(4, np.int64)
    for f in range(len(faces)):
        four[1], four[2], four[3] = faces[f, 0], faces[f, 1], faces[f, 2]
        for n in range(many[f]):
            four[0] = near[f, n]
            if _meets(points, old, four, 1, at, local) and not (
                thing[four[0]] == thing[four[1]]
                and from_triangle(rest, four) < TORN * 0.5 * (thick[four[0]] + thick[four[1]])
            ):
                caught[_joined(of, nodes, shares, four)] = True
    for e in range(len(edges)):
        four[0], four[1] = edges[e, 0], edges[e, 1]
        for n in range(edge_many[e]):
            four[2], four[3] = edges[edge_near[e, n], 0], edges[edge_near[e, n], 1]
            if _meets(points, old, four, 2, at, local) and not (
                thing[four[0]] == thing[four[2]]
                and between_edges(rest, four) < TORN * 0.5 * (thick[four[0]] + thick[four[2]])
            ):
                caught[_joined(of, nodes, shares, four)] = True


@njit(cache=True)
def zoned(
    x, before, w, held, nodes, shares, rest, thick, thing, faces, near, many, edges, edge_near, edge_many, points, old,
    of,
):  # fmt: skip
    """Join to zones what would go through each other, and move each such zone as one, in place: triangles and points
    near them, and edges and those near them. Where what they collide with holds some of its vertices (`held`, (n,)) it
    goes as the one of them does that goes least. `of` (n,) is the zone of each vertex, by one of its vertices, and is
    added to. Returns whether anything has been moved."""
    caught = np.zeros(len(of), np.bool_)
    _found(nodes, shares, rest, thick, thing, faces, near, many, edges, edge_near, edge_many, points, old, of, caught)
    if not caught.any():
        return False
    mean, least = np.zeros((len(of), 4)), np.full((len(of), 4), np.inf)
    for i in range(len(of)):
        at, long, mass = root(of, i), 0.0, 1.0 / w[i] if w[i] > 0.0 else 0.0
        caught[at] |= caught[i]
        for c in range(3):
            mean[at, c] += mass * (x[i, c] - before[i, c])
            long += (x[i, c] - before[i, c]) ** 2
        mean[at, 3] += mass
        if (held[i] or w[i] == 0.0) and long < least[at, 3]:
            least[at, 3] = long
            for c in range(3):
                least[at, c] = x[i, c] - before[i, c]
    for i in range(len(of)):
        at = root(of, i)
        if w[i] > 0.0 and caught[at]:
            for c in range(3):
                x[i, c] = before[i, c] + (mean[at, c] / mean[at, 3] if np.isinf(least[at, 3]) else least[at, c])
    return True
