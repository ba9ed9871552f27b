"""Four points of skins that touch: a point and the corners of a triangle, or the ends of two edges.

`part` (4,) has the share of each in how far they are apart: those of the one side above 0, of the other below. `split`
is how many are of the one side: 1 for a point and a triangle, 2 for two edges.
"""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.shape.bvh import closest_on_triangle

MET = 0.3  # of the way past each other: so far apart two may seem as they meet, as that way is no straight line
BACK = 0.03  # of both their thicknesses: what has been pressed nearer than that comes back by so much in a small step
TORN = 1e-3  # of both their thicknesses: what is nearer at rest was one, and has been torn, and goes its way
NEAR = 0.9  # of how far they lie apart at rest: so near they may come at least


@njit(cache=True)
def laid(x, nodes, shares, out):
    """Where points lie (m, 3) that follow vertices (m, 4) by shares (m, 4), into `out`."""
    for m in range(len(nodes)):
        for c in range(3):
            out[m, c] = 0.0
            for n in range(4):
                out[m, c] += shares[m, n] * x[nodes[m, n], c]


@njit(cache=True, inline="always")
def from_to(of, a, b):
    """The way from point a to b."""
    return of[b, 0] - of[a, 0], of[b, 1] - of[a, 1], of[b, 2] - of[a, 2]


@njit(cache=True, inline="always")
def from_to_at(points, old, a, b, when):
    """The way from point a to b, at a share `when` of the way from `old` to `points`."""
    was = 1.0 - when
    x = when * (points[b, 0] - points[a, 0]) + was * (old[b, 0] - old[a, 0])
    y = when * (points[b, 1] - points[a, 1]) + was * (old[b, 1] - old[a, 1])
    z = when * (points[b, 2] - points[a, 2]) + was * (old[b, 2] - old[a, 2])
    return x, y, z


@njit(cache=True, inline="always")
def along(of, p, q, way):
    """How far point p lies from q along a way."""
    return (of[p, 0] - of[q, 0]) * way[0] + (of[p, 1] - of[q, 1]) * way[1] + (of[p, 2] - of[q, 2]) * way[2]


@njit(cache=True, inline="always")
def across(of, a, b, c, d, out):
    """The direction (3,) square to both the way from point a to b and that from c to d, into `out`. Returns the sine of
    the angle between them: 0 where they run alike, or are no ways."""
    ux, uy, uz = from_to(of, a, b)
    vx, vy, vz = from_to(of, c, d)
    x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    long = math.sqrt(x * x + y * y + z * z)
    if long < 1e-14:
        return 0.0
    out[0], out[1], out[2] = x / long, y / long, z / long
    return long / math.sqrt((ux * ux + uy * uy + uz * uz) * (vx * vx + vy * vy + vz * vz))


@njit(cache=True, inline="always")
def needed(need, at_rest, before):
    """How far apart a pair has to be, of what both are thick: no farther than nearly as at rest, as what lies near then
    may stay so; not at all what was one at rest; and what has been pressed nearer comes back by and by."""
    if at_rest < TORN * need:
        return -math.inf
    need = min(need, NEAR * at_rest)
    return min(need, abs(before) + BACK * need)


@njit(cache=True, inline="always")
def from_triangle(of, four):
    """How far a point lies from a triangle."""
    m, i, j, k = four[0], four[1], four[2], four[3]
    row = (of[i, 0], of[i, 1], of[i, 2], of[j, 0], of[j, 1], of[j, 2], of[k, 0], of[k, 1], of[k, 2])
    x, y, z, _ = closest_on_triangle(of[m, 0], of[m, 1], of[m, 2], row)
    return math.sqrt((of[m, 0] - x) ** 2 + (of[m, 1] - y) ** 2 + (of[m, 2] - z) ** 2)


@njit(cache=True, inline="always")
def between_edges(of, four):
    """How far two edges lie apart where they are nearest (Ericson 2005, 5.1.9)."""
    a, b, c, d = four[0], four[1], four[2], four[3]
    ux, uy, uz = from_to(of, a, b)
    vx, vy, vz = from_to(of, c, d)
    rx, ry, rz = from_to(of, c, a)
    uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
    ur, vr = ux * rx + uy * ry + uz * rz, vx * rx + vy * ry + vz * rz
    under = uu * vv - uv * uv
    s = min(max((uv * vr - ur * vv) / under, 0.0), 1.0) if under > 1e-12 * uu * vv else 0.0
    t = (uv * s + vr) / vv
    if t < 0.0 or t > 1.0:
        t = min(max(t, 0.0), 1.0)
        s = min(max((uv * t - ur) / uu, 0.0), 1.0)
    x, y, z = rx + s * ux - t * vx, ry + s * uy - t * vy, rz + s * uz - t * vz
    return math.sqrt(x * x + y * y + z * z)


@njit(cache=True, inline="always")
def gap_of(of, four, split):
    """How far apart both sides of a pair are."""
    return from_triangle(of, four) if split == 1 else between_edges(of, four)


@njit(cache=True, inline="always")
def nearer_by(old, points, four, split):
    """By how much both sides of a pair come nearer, at most, on their way from `old` to `points`."""
    mx, my, mz, one, other = 0.0, 0.0, 0.0, 0.0, 0.0
    for p in range(4):
        m = four[p]
        mx, my, mz = mx + points[m, 0] - old[m, 0], my + points[m, 1] - old[m, 1], mz + points[m, 2] - old[m, 2]
    for p in range(4):
        m = four[p]
        x, y, z = (
            points[m, 0] - old[m, 0] - 0.25 * mx, points[m, 1] - old[m, 1] - 0.25 * my,
            points[m, 2] - old[m, 2] - 0.25 * mz,
        )  # fmt: skip
        way = x * x + y * y + z * z
        if p < split:
            one = max(one, way)
        else:
            other = max(other, way)
    return math.sqrt(one) + math.sqrt(other)


@njit(cache=True, inline="always")
def apart_at_least(of, four, split):
    """How far apart both sides of a pair are at least, told along the way between their middles; below 0 where that
    tells nothing."""
    ux, uy, uz = 0.0, 0.0, 0.0
    for p in range(4):
        m, share = four[p], -1.0 / split if p < split else 1.0 / (4 - split)
        ux, uy, uz = ux + share * of[m, 0], uy + share * of[m, 1], uz + share * of[m, 2]
    one, other = -math.inf, math.inf
    for p in range(4):
        m = four[p]
        at = ux * of[m, 0] + uy * of[m, 1] + uz * of[m, 2]
        if p < split:
            one = max(one, at)
        else:
            other = min(other, at)
    return (other - one) / math.sqrt(ux * ux + uy * uy + uz * uz + 1e-300)


@njit(cache=True, inline="always")
def may_touch(old, rest, thick, thing, four, split, given, nearer):
    """Whether a pair may come to touch on its way from `old`, by which it comes `nearer` by so much at most, each point
    moved by another `given` times as thick as it is: none that shares a point does, or was one at rest."""
    if four[0] == four[2] or four[0] == four[3]:
        return False
    if four[1] == four[2] or four[1] == four[3] if split == 2 else four[0] == four[1]:
        return False
    both = thick[four[0]] + thick[four[3]]
    room = given * both + nearer
    if apart_at_least(old, four, split) - room > 0.5 * both:
        return False
    left = gap_of(old, four, split) - room
    if left > 0.5 * both:
        return False
    if thing[four[0]] == thing[four[3]]:
        at_rest = gap_of(rest, four, split)
        if at_rest < TORN * 0.5 * both or left > NEAR * at_rest:
            return False
    return True


@njit(cache=True, parallel=True, nogil=True)
def measured(of, fours, split, gap):
    """How far apart the sides of pairs (P, 4) are, into `gap` (P,)."""
    for row in prange(len(fours)):
        gap[np.int64(row)] = gap_of(of, fours[np.int64(row)], split)


@njit(cache=True, parallel=True, nogil=True)
def limited(rest, thing, fours, split, least):
    """How near pairs (P, 4) of one thing may come by how they lie at rest, into `least` (P,), which is infinite for
    others."""
    for row in prange(len(fours)):
        four = fours[np.int64(row)]
        alike = thing[four[0]] == thing[four[3]]
        least[np.int64(row)] = NEAR * gap_of(rest, four, split) if alike else np.inf


@njit(cache=True, parallel=True, nogil=True)
def touchable(old, points, thick, fours, split, gap, least, reach, hit):
    """Which pairs (P, 4) that were a `gap` (P,) apart may be nearer than both `reach` times as they are thick and
    `least` (P,) on their way from `old` to `points`, into `hit` (P,)."""
    for row in prange(len(fours)):
        k = np.int64(row)
        four = fours[k]
        near = min(least[k], reach * 0.5 * (thick[four[0]] + thick[four[3]]))
        hit[k] = gap[k] - nearer_by(old, points, four, split) < near


@njit(cache=True)
def gives(w, nodes, shares, four, part):
    """How far apart four points go for each unit that they are pushed by, over their masses."""
    give = 0.0
    for p in range(4):
        m = four[p]
        for n in range(4):
            give += w[nodes[m, n]] * (part[p] * shares[m, n]) ** 2
    return give


@njit(cache=True)
def push_apart(x, w, nodes, shares, points, old, four, part, deep, firm, normal, grip, way, dt, pressed):
    """Move four points, in place, until they are `deep` farther apart along `normal`, or nearer where that is below 0,
    and rub them as far as `grip` times `firm`. `old` (m, 3) is where all were before the small step; `way` (3,) is room
    to work in. What presses on vertices is added to `pressed` (n,), N s. Returns whether anything could be moved."""
    give = gives(w, nodes, shares, four, part)
    if give <= 0.0:
        return False
    straight, far = 0.0, 0.0
    for c in range(3):  # how they go past each other in this small step
        way[c] = 0.0
        for p in range(4):
            way[c] += part[p] * (points[four[p], c] - old[four[p], c])
        straight += way[c] * normal[c]
    for c in range(3):
        way[c] -= straight * normal[c]
        far += way[c] * way[c]
    rub = min(1.0, grip * firm / max(math.sqrt(far), 1e-12))
    for c in range(3):
        way[c] = (deep * normal[c] - rub * way[c]) / give
    push = math.sqrt(way[0] * way[0] + way[1] * way[1] + way[2] * way[2]) / dt
    for p in range(4):
        m = four[p]
        for n in range(4):
            i, s = nodes[m, n], part[p] * shares[m, n]
            if s != 0.0:
                if deep > 0.0:
                    pressed[i] += push * abs(s)
                for c in range(3):
                    x[i, c] += w[i] * s * way[c]
        for c in range(3):
            points[m, c] = 0.0
            for n in range(4):
                points[m, c] += shares[m, n] * x[nodes[m, n], c]
    return True
