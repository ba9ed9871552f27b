"""Where the side of a drum lies along another's, or along an edge: a patch of two or three points on one line.

Edges that cross touch at one point. Edges that run along one another need a point at either end, or what lies on them
rocks about the one that is found.
"""

import math

from numba import njit

from hotgravel.core.matter.rigid.leads import BY_NOTHING, OUT_LEAD, farthest_edge
from hotgravel.core.vectors import at, cross, dot, plus, put, times

ALONG = 0.1  # the sine between lines until which they run along one another
LEVEL = 0.1  # the sine until which a line lies square to the normal
PARALLEL = 1e-4  # the sine from which on lines have one place where they come nearest


@njit(cache=True)
def _line(face, n, outward, normal, radius):
    """Where the line of a face (n corners) that lies farthest along a normal starts, the way to its end, and how thick
    it is. Two corners are a drum's side, whose axis is the line; its surface is a `radius` from that, `outward`."""
    if n == 2:
        start = plus(at(face, 0), -radius, outward)
        return start, plus(plus(at(face, 1), -radius, outward), -1.0, start), radius
    start, way = farthest_edge(face, n, normal)
    return start, way, 0.0


@njit(cache=True, inline="always")
def _from_line(point, start, way, normal):
    """From a point straight to a line, and how far that is: less than nothing where it goes against the normal."""
    off = plus(start, -1.0, point)
    off = plus(off, -dot(off, way) / dot(way, way), way)
    return math.copysign(math.sqrt(dot(off, off)), dot(off, normal))


@njit(cache=True)
def along_lines(of_a, n_a, out_a, radius_a, of_b, n_b, out_b, radius_b, normal, reach, out):
    """The patch of two lines, of which one is a drum's side, into `out` (MOST_POINTS, OUT_WIDTH): points where A is
    nearer to B than `reach`, half way between both. Returns how many; none where lines do not run along one another.

    The faces of A and B that look along the normal from A to B have n_a and n_b corners, look `out_a` and `out_b`, and
    lie `radius_a` and `radius_b` from an axis where they are a drum's side.
    """
    start, way, thick_a = _line(of_a, n_a, out_a, normal, radius_a)
    begin, along, thick_b = _line(of_b, n_b, out_b, times(-1.0, normal), radius_b)
    a_a, b_b, a_b = dot(way, way), dot(along, along), dot(way, along)
    long_a, long_b = math.sqrt(a_a), math.sqrt(b_b)
    if long_a * long_b < 1e-12:
        return 0  # an edge of a mesh whose ends are one
    turned = cross(way, along)
    sine = math.sqrt(dot(turned, turned)) / (long_a * long_b)
    if sine > ALONG or abs(dot(way, normal)) > LEVEL * long_a or abs(dot(along, normal)) > LEVEL * long_b:
        return 0
    between = plus(begin, -1.0, start)
    one, other = dot(between, way) / a_a, dot(plus(between, 1.0, along), way) / a_a
    low, high, nearest = max(0.0, min(one, other)), min(1.0, max(one, other)), -1.0
    if high <= low:
        return 0
    if sine > PARALLEL:
        nearest = (dot(between, way) * b_b - dot(between, along) * a_b) / (a_a * b_b - a_b * a_b)
    count = 0
    for share in (low, high, nearest):
        if share < low or share > high:
            continue
        point = plus(start, share, way)
        gap = _from_line(point, begin, along, normal) - thick_a - thick_b
        if gap <= reach:
            put(out, count, plus(point, thick_a + 0.5 * gap, normal))
            out[count, 3], out[count, OUT_LEAD] = gap, BY_NOTHING
            count += 1
    return count
