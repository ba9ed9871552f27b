"""What would still go through within a small step, though it was pushed apart, goes on as one: the vertices of each
such zone keep their places to one another from before the step, and go as far as they do on the mean by mass (rigid
impact zones: Provot 1997; Bridson and others 2002; here without turning)."""

import numpy as np
from numba import njit

from hotgravel.core.matter.grouping import root
from hotgravel.core.matter.soft.edges import between_edges, edges_lie
from hotgravel.core.matter.soft.pairs import TORN, across, along
from hotgravel.core.matter.soft.points import REACH, from_triangle, point_lies

HARDLY, IN_PLANE = 0.1, 1e-6  # of both their thicknesses


@njit(cache=True)
def _joined(of, nodes, shares, four):
    """Put all vertices that four points follow into one zone."""
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


@njit(cache=True, inline="always")
def _is_through(now, before, need):
    """Whether a pair has gone through each other, by how far apart it is; or hardly parted and was in one plane before,
    so that nothing tells from which side it came."""
    return now < 0.0 or (now < HARDLY * need and abs(before) < IN_PLANE * need)


@njit(cache=True)
def _found(
    nodes, shares, rest, thick, thing, faces, near, many, edges, edge_near, edge_many, went, points, old, of
):  # fmt: skip
    """Put into zones what has gone through each other. Returns how many pairs have."""
    was, normal, part, four = np.empty(3), np.empty(3), np.empty(4), np.empty(4, np.int64)
    through = 0
    for f in range(len(faces)):
        if many[f] == 0:
            continue
        four[1], four[2], four[3] = faces[f, 0], faces[f, 1], faces[f, 2]
        across(old, four[1], four[2], four[1], four[3], was)
        mine = max(went[four[1]], max(went[four[2]], went[four[3]]))
        for at in range(many[f]):
            four[0] = near[f, at]
            need = 0.5 * (thick[four[0]] + thick[four[1]])
            now = point_lies(points, old, four, was, need + REACH * (mine + went[four[0]]), part, normal)
            if _is_through(now, along(old, four[0], four[1], was), need) and not (
                thing[four[0]] == thing[four[1]] and from_triangle(rest, four) < TORN * need
            ):
                _joined(of, nodes, shares, four)
                through += 1
    for e in range(len(edges)):
        four[0], four[1] = edges[e, 0], edges[e, 1]
        for at in range(edge_many[e]):
            four[2], four[3] = edges[edge_near[e, at], 0], edges[edge_near[e, at], 1]
            need = 0.5 * (thick[four[0]] + thick[four[2]])
            far = max(went[four[0]], went[four[1]]) + max(went[four[2]], went[four[3]])
            now = edges_lie(points, old, four, need + far, part, normal, was)
            if _is_through(now, along(old, four[0], four[2], was), need) and not (
                thing[four[0]] == thing[four[2]] and between_edges(rest, four) < TORN * need
            ):
                _joined(of, nodes, shares, four)
                through += 1
    return through


@njit(cache=True)
def zoned(
    x, before, w, held, nodes, shares, rest, thick, thing, faces, near, many, edges, edge_near, edge_many, went, points,
    old, of,
):  # fmt: skip
    """Join to zones what went through each other, and move each zone as one, in place: triangles and points near them,
    and edges and those near them. Where what they collide with holds some of its vertices (`held`, (n,)) it goes as the
    one of them does that goes least. `of` (n,) is the zone of each vertex, by one of its vertices, and is added to.
    Returns how many pairs there are."""
    through = _found(
        nodes, shares, rest, thick, thing, faces, near, many, edges, edge_near, edge_many, went, points, old, of
    )
    if through == 0:
        return through
    mean, least, members = np.zeros((len(of), 4)), np.full((len(of), 4), np.inf), np.zeros(len(of), np.int64)
    for i in range(len(of)):
        at, long, mass = root(of, i), 0.0, 1.0 / w[i] if w[i] > 0.0 else 0.0
        for c in range(3):
            mean[at, c] += mass * (x[i, c] - before[i, c])
            long += (x[i, c] - before[i, c]) ** 2
        mean[at, 3] += mass
        members[at] += 1
        if (held[i] or w[i] == 0.0) and long < least[at, 3]:
            least[at, 3] = long
            for c in range(3):
                least[at, c] = x[i, c] - before[i, c]
    for i in range(len(of)):
        at = root(of, i)
        if w[i] > 0.0 and members[at] > 1:
            for c in range(3):
                x[i, c] = before[i, c] + (mean[at, c] / mean[at, 3] if np.isinf(least[at, 3]) else least[at, c])
    return through
