"""What leads a point of contact: the face of one body, or edges of both that cross.

They turn with the bodies. Until contacts are looked for again the gap of a point is measured along the normal of its
face as it then looks, or along the direction square to both edges: so a body that turns on the rim of another, or
slides over it, is known to come nearer. Faces that lie flat on one another do not lead.
"""

import math

from numba import njit

from hotgravel.core.vectors import at, cross, dot, plus, put, times

BY_NOTHING, BY_A, BY_B, BY_EDGES = 0.0, 1.0, 2.0, 3.0
OUT_LEAD, OUT_A, OUT_B, OUT_WIDTH = 4, 5, 8, 11  # columns of a point after its place and gap
EVEN = 0.9999  # the cosine between faces from which on they lie flat on one another
CROSSING, STILL_CROSSING = 0.1, 0.05  # sines from which on edges cross, and until which they do as bodies turn
ON = 1e-6  # of an edge's length: what is so near lies on it
ALIKE = 0.7  # the cosine between the normal and what is square to edges from which on these lead
SQUARE = 0.99  # the same, where no face touches


@njit(cache=True)
def _cross_there(out, i, one, other, normal, alike):
    """Have edges of A and B lead the i-th point, if they cross and the normal is square to both: by at least such a
    cosine with what is."""
    way, sizes = cross(one, other), math.sqrt(dot(one, one) * dot(other, other))
    long, along = math.sqrt(dot(way, way)), dot(way, normal)
    if long <= CROSSING * sizes or abs(along) < alike * long:
        return
    out[i, OUT_LEAD] = BY_EDGES
    put(out[:, OUT_A : OUT_A + 3], i, times(math.copysign(1.0 / math.sqrt(dot(one, one)), along), one))
    put(out[:, OUT_B : OUT_B + 3], i, times(1.0 / math.sqrt(dot(other, other)), other))


@njit(cache=True)
def lead(out, i, point, ref, m, up, whole, many, normal, own):
    """Find out what leads the i-th point, of a face (many corners) that was clipped to another (m corners), which looks
    `up` and is `own` to A or B: that one, where a corner of the first lies over it; the first, where the point lies
    over a corner of the other; else edges of both. `normal` goes from A to B."""
    sides, edge = 0, (0.0, 0.0, 0.0)
    for k in range(m):
        start = at(ref, k)
        way = plus(at(ref, k + 1 if k + 1 < m else 0), -1.0, start)
        if abs(dot(cross(way, up), plus(point, -1.0, start))) < ON * dot(way, way):
            sides, edge = sides + 1, way
    out[i, OUT_LEAD] = own if sides < 2 else BY_A + BY_B - own
    if sides != 1:
        return
    best, other = math.inf, (0.0, 0.0, 0.0)
    for k in range(many):
        start = at(whole, k)
        way = plus(at(whole, k + 1 if k + 1 < many else 0), -1.0, start)
        off = cross(way, plus(point, -1.0, start))
        far = dot(off, off) / max(dot(way, way), 1e-300)
        if far < best:
            best, other = far, way
    if own == BY_A:
        _cross_there(out, i, edge, other, normal, ALIKE)
    else:
        _cross_there(out, i, other, edge, normal, ALIKE)


@njit(cache=True)
def farthest_edge(face, n, normal):
    """Where the edge of a face (n corners) starts that goes farthest along a normal, and the way to its end."""
    best, begin, way = -math.inf, (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
    for i in range(n):
        start, end = at(face, i), at(face, i + 1 if i + 1 < n else 0)
        far = min(dot(normal, start), dot(normal, end))
        if far > best:
            best, begin, way = far, start, plus(end, -1.0, start)
    return begin, way


@njit(cache=True)
def lead_edges(out, of_a, n_a, of_b, n_b, normal):
    """Have edges of two faces lead the first point: those that go farthest along the normal from A to B, if it is
    square to both."""
    _, one = farthest_edge(of_a, n_a, normal)
    _, other = farthest_edge(of_b, n_b, times(-1.0, normal))
    _cross_there(out, 0, one, other, normal, SQUARE)
