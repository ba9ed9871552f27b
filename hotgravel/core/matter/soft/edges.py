"""Edges of skins among themselves: no edge goes through another.

Two edges that come nearer than both are thick are moved apart along the direction square to both, to the side on which
they were before the small step. They are found in the cells of a hashed grid that the boxes about their ways touch
(Teschner and others 2003); a pair that shares several cells is taken in the one with the greater of their low corners.
"""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.matter.soft.model import Ints
from hotgravel.core.matter.soft.pairs import MET, across, along, from_to, from_to_at, hashed, needed, push_apart

ALIKE = 0.02  # sine of the angle between edges that run alike: points and triangles keep those apart
BEYOND = 0.5  # of its length past an edge's end: how far its nearest place may lie, and still come to lie on it
MOST_CELLS = 512  # that an edge may touch: one that is flung about farther meets nothing in that small step


@njit(cache=True, parallel=True, nogil=True)
def boxed(points, old, thick, edges, lows, highs):
    """The box about the way of each edge (E, 2), half as thick as it is, from `lows` to `highs` (E, 3)."""
    for row in prange(len(edges)):
        e = np.int64(row)
        i, j = edges[e, 0], edges[e, 1]
        for c in range(3):
            lows[e, c] = min(min(points[i, c], old[i, c]), min(points[j, c], old[j, c])) - 0.5 * thick[i]
            highs[e, c] = max(max(points[i, c], old[i, c]), max(points[j, c], old[j, c])) + 0.5 * thick[i]


@njit(cache=True)
def _cells(lows, highs, e, per, cells):
    """The first and last cell along each axis that an edge touches, into `cells` (6,). Returns how many it does."""
    many = 1.0
    for c in range(3):
        low, high = math.floor(per * lows[e, c]), math.floor(per * highs[e, c])
        many *= high - low + 1.0
        cells[c], cells[3 + c] = int(low), int(high)
    return many


@njit(cache=True)
def edges_celled(lows, highs, wide, first, order):
    """The edges in each cell, into `order`, from where `first` tells. Returns how many there are: it may be more than
    there is room for, and then `order` is not filled."""
    mask, per = len(first) - 2, 1.0 / wide
    cells = np.empty(6, np.int64)
    first[:] = 0
    for e in range(len(lows)):
        if _cells(lows, highs, e, per, cells) <= MOST_CELLS:
            for a in range(cells[0], cells[3] + 1):
                for b in range(cells[1], cells[4] + 1):
                    for c in range(cells[2], cells[5] + 1):
                        first[hashed(a, b, c, mask) + 1] += 1
    for k in range(1, len(first)):
        first[k] += first[k - 1]
    total = first[len(first) - 1]
    if total > len(order):
        return total
    place = first.copy()
    for e in range(len(lows)):
        if _cells(lows, highs, e, per, cells) <= MOST_CELLS:
            for a in range(cells[0], cells[3] + 1):
                for b in range(cells[1], cells[4] + 1):
                    for c in range(cells[2], cells[5] + 1):
                        at = hashed(a, b, c, mask)
                        order[place[at]] = e
                        place[at] += 1
    return total


@njit(cache=True, inline="always")
def _shares_at(points, old, a, b, c, d, when):
    """The shares along the edges from a to b and from c to d of where their lines are nearest, and how far apart, at a
    share `when` of the way from `old` to `points`."""
    rx, ry, rz = from_to_at(points, old, a, c, when)
    ux, uy, uz = from_to_at(points, old, a, b, when)
    vx, vy, vz = from_to_at(points, old, c, d, when)
    x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    under = max(x * x + y * y + z * z, 1e-300)
    s = (rx * (vy * z - vz * y) + ry * (vz * x - vx * z) + rz * (vx * y - vy * x)) / under
    t = (rx * (uy * z - uz * y) + ry * (uz * x - ux * z) + rz * (ux * y - uy * x)) / under
    return s, t, abs(rx * x + ry * y + rz * z) / math.sqrt(under)


@njit(cache=True, inline="always")
def _may_touch(of, a, b, c, d, far):
    """Whether the lines of two edges are no farther apart than that, and nearest not far beyond their ends."""
    rx, ry, rz = from_to(of, a, c)
    ux, uy, uz = from_to(of, a, b)
    vx, vy, vz = from_to(of, c, d)
    x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    under = x * x + y * y + z * z
    if under < ALIKE * ALIKE * (ux * ux + uy * uy + uz * uz) * (vx * vx + vy * vy + vz * vz):
        return False
    if (rx * x + ry * y + rz * z) ** 2 > far * far * under:
        return False
    s = rx * (vy * z - vz * y) + ry * (vz * x - vx * z) + rz * (vx * y - vy * x)
    t = rx * (uy * z - uz * y) + ry * (uz * x - ux * z) + rz * (ux * y - uy * x)
    low, high = -BEYOND * under, (1.0 + BEYOND) * under
    return low <= s <= high and low <= t <= high


@njit(cache=True, parallel=True, nogil=True)
def edges_neared(points, went, thick, edges, lows, highs, wide, first, order, found, count):
    """For each edge those of greater numbers that may come to touch it, into `found` (E, most), and how many, into
    `count` (E,): it may be more than there is room for. `went` (m,) is how far each point has come."""
    mask, most, per = len(first) - 2, found.shape[1], 1.0 / wide
    for row in prange(len(edges)):
        e = np.int64(row)
        count[e] = 0
        cells = np.empty(6, np.int64)
        if _cells(lows, highs, e, per, cells) > MOST_CELLS:
            continue
        g, h = edges[e, 0], edges[e, 1]
        for a in range(cells[0], cells[3] + 1):
            for b in range(cells[1], cells[4] + 1):
                for c in range(cells[2], cells[5] + 1):
                    at = hashed(a, b, c, mask)
                    for n in range(first[at + 1] - 1, first[at] - 1, -1):
                        f = order[n]
                        if f <= e:  # they are in order
                            break
                        apart = (lows[f, 0] > highs[e, 0]) | (highs[f, 0] < lows[e, 0])
                        apart |= (lows[f, 1] > highs[e, 1]) | (highs[f, 1] < lows[e, 1])
                        apart |= (lows[f, 2] > highs[e, 2]) | (highs[f, 2] < lows[e, 2])
                        if apart:  # without a branch for each, as none of them could be guessed
                            continue
                        if (a != math.floor(per * max(lows[e, 0], lows[f, 0]))
                                or b != math.floor(per * max(lows[e, 1], lows[f, 1]))
                                or c != math.floor(per * max(lows[e, 2], lows[f, 2]))):  # fmt: skip
                            continue
                        i, j = edges[f, 0], edges[f, 1]
                        if i == g or i == h or j == g or j == h:
                            continue
                        far = max(went[g], went[h]) + max(went[i], went[j])
                        if not _may_touch(points, g, h, i, j, 0.5 * (thick[g] + thick[i]) + far):
                            continue
                        if count[e] < most:
                            found[e, count[e]] = f
                        count[e] += 1


@njit(cache=True)
def edges_lie(points, old, four, reach, part, normal, was):
    """How far apart two edges are along the direction square to both, below 0 where they have gone through each other,
    if they are, or then were, nearest between their ends, and within `reach`; else infinite. `part` (4,) and `normal`
    (3,) are filled."""
    a, b, c, d = four[0], four[1], four[2], four[3]
    if across(points, a, b, c, d, normal) < ALIKE:
        return np.inf
    now = along(points, a, c, normal)
    if abs(now) > reach or across(old, a, b, c, d, was) < ALIKE:
        return np.inf
    side = along(old, a, c, was)
    # The same side as before: edges that have turned past running alike have the direction turned as well.
    if (side < 0.0) != (normal[0] * was[0] + normal[1] * was[1] + normal[2] * was[2] < 0.0):
        now = -now
        for n in range(3):
            normal[n] = -normal[n]
    way = abs(side) - now
    s, t, gap = _shares_at(points, old, a, b, c, d, abs(side) / way if now < 0.0 else 1.0)
    if s < 0.0 or s > 1.0 or t < 0.0 or t > 1.0 or (now < 0.0 and gap > MET * way):
        return np.inf
    part[0], part[1], part[2], part[3] = 1.0 - s, s, t - 1.0, -t
    return now


@njit(cache=True)
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


@njit(cache=True)
def edges_parted(
    x, w, nodes, shares, rest, thick, grip, thing, edges, found, count, went, points, old, dt, pressed
):  # fmt: skip
    """Keep edges apart for a small step, in place; `found` and `count` are of `edges_neared`. What presses on vertices
    is added to `pressed` (n,), N s. Returns how many touch."""
    touches = 0
    was, normal, way, part = np.empty(3), np.empty(3), np.empty(3), np.empty(4)
    four = np.empty(4, np.int64)
    for e in range(len(edges)):
        four[0], four[1] = edges[e, 0], edges[e, 1]
        for at in range(count[e]):
            four[2], four[3] = edges[found[e, at], 0], edges[found[e, at], 1]
            need = 0.5 * (thick[four[0]] + thick[four[2]])
            far = max(went[four[0]], went[four[1]]) + max(went[four[2]], went[four[3]])
            now = edges_lie(points, old, four, need + far, part, normal, was)
            if now >= need:
                continue
            apart = between_edges(rest, four) if thing[four[0]] == thing[four[2]] else np.inf
            need = needed(need, apart, along(old, four[0], four[2], was))
            if now >= need:
                continue
            hold = math.sqrt(grip[four[0]] * grip[four[2]])
            deep = need - now
            touches += push_apart(
                x, w, nodes, shares, points, old, four, part, deep, deep, normal, hold, way, dt, pressed
            )
    return touches


def edges_of(faces: Ints) -> Ints:
    """The edges (E, 2) of triangles (F, 3), each once."""
    return np.unique(_sides(faces), axis=0)


def rim_of(faces: Ints) -> Ints:
    """The edges (e, 2) that only one of the triangles (F, 3) has."""
    known, many = np.unique(_sides(faces), axis=0, return_counts=True)
    found: Ints = known[many == 1]
    return found


def _sides(faces: Ints) -> Ints:
    """The three edges (3 F, 2) of each triangle (F, 3), from the lower number to the higher."""
    found: Ints = np.sort(faces[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    return found
