"""Points and triangles of skins: no point passes a triangle of any skin, its own too.

A point and a triangle that come nearer than both are thick are moved apart along the triangle's normal, to the side on
which the point was before the small step; so a sheet that has gone through another within it comes back. They are found
in a grid of points that is hashed (Teschner and others 2003), and moved one after another, so that the result does not
hang on threads.
"""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.matter.soft.pairs import MET, across, along, from_to_at, gives, hashed, needed, push_apart
from hotgravel.core.shape.bvh import closest_on_triangle

MOST_CELLS = 4096.0  # about a triangle: one that is flung about farther meets nothing in that small step
CLINGS = 1.5  # times as far apart as both are thick: what is sticky pulls no farther
REACH = 2.0  # times as far as they have come may a point and a triangle have been apart


@njit(cache=True, inline="always")
def _cell(x, y, z, wide, mask):
    return hashed(math.floor(x / wide), math.floor(y / wide), math.floor(z / wide), mask)


@njit(cache=True)
def points_celled(points, wide, first, order):
    """The points in each cell, into `order`, from where `first` tells."""
    mask = len(first) - 2
    first[:] = 0
    for m in range(len(points)):
        first[_cell(points[m, 0], points[m, 1], points[m, 2], wide, mask) + 1] += 1
    for k in range(1, len(first)):
        first[k] += first[k - 1]
    place = first.copy()
    for m in range(len(points)):
        cell = _cell(points[m, 0], points[m, 1], points[m, 2], wide, mask)
        order[place[cell]] = m
        place[cell] += 1


@njit(cache=True, inline="always")
def _shares_at(points, old, m, i, j, k, when):
    """The shares of a triangle's corners in the place on it that lies under a point, and how far off that is, at a
    share `when` of the way from `old` to `points`."""
    ux, uy, uz = from_to_at(points, old, i, j, when)
    vx, vy, vz = from_to_at(points, old, i, k, when)
    ox, oy, oz = from_to_at(points, old, i, m, when)
    uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
    ou, ov = ox * ux + oy * uy + oz * uz, ox * vx + oy * vy + oz * vz
    under = max(uu * vv - uv * uv, 1e-300)
    s, t = (vv * ou - uv * ov) / under, (uu * ov - uv * ou) / under
    x, y, z = ox - s * ux - t * vx, oy - s * uy - t * vy, oz - s * uz - t * vz
    return 1.0 - s - t, s, t, math.sqrt(x * x + y * y + z * z)


@njit(cache=True)
def point_lies(points, old, four, was, reach, part, normal):
    """How far a point lies from a triangle, below 0 where it has gone through it, if it lies over it, or then did, and
    was within `reach` of it; else infinite. `was` (3,) is the triangle's normal before; `part` (4,) and `normal` (3,)
    are filled."""
    m, i, j, k = four[0], four[1], four[2], four[3]
    side = along(old, m, i, was)  # the side it came from, and how far off it was
    if abs(side) > reach or across(points, i, j, i, k, normal) == 0.0:
        return np.inf
    now = along(points, m, i, normal)
    if side < 0.0:
        now = -now
        for e in range(3):
            normal[e] = -normal[e]
    way = abs(side) - now
    a, b, c, gap = _shares_at(points, old, m, i, j, k, abs(side) / way if now < 0.0 else 1.0)
    if a < 0.0 or b < 0.0 or c < 0.0 or (now < 0.0 and gap > MET * way):
        return np.inf
    part[0], part[1], part[2], part[3] = 1.0, -a, -b, -c
    return now


@njit(cache=True)
def from_triangle(of, four):
    """How far a point lies from a triangle."""
    m, i, j, k = four[0], four[1], four[2], four[3]
    row = np.empty(9)
    for c in range(3):
        row[c], row[3 + c], row[6 + c] = of[i, c], of[j, c], of[k, c]
    x, y, z, _ = closest_on_triangle(of[m, 0], of[m, 1], of[m, 2], row)
    return math.sqrt((of[m, 0] - x) ** 2 + (of[m, 1] - y) ** 2 + (of[m, 2] - z) ** 2)


@njit(cache=True, inline="always")
def _far_from(points, old, faces, f, c):
    """Where a triangle begins and ends along an axis, from before to now."""
    low = high = points[faces[f, 0], c]
    for n in range(3):
        low = min(low, min(points[faces[f, n], c], old[faces[f, n], c]))
        high = max(high, max(points[faces[f, n], c], old[faces[f, n], c]))
    return low, high


@njit(cache=True, parallel=True, nogil=True)
def points_neared(points, old, went, fastest, thick, faces, wide, first, order, found, count):
    """For each triangle the points that may come to touch it, into `found` (F, most), and how many, into `count` (F,):
    it may be more than there is room for. `went` (m,) is how far each point has come, `fastest` the greatest of that,
    `wide` a cell of the grid."""
    mask, most = len(first) - 2, found.shape[1]
    for row in prange(len(faces)):
        f = np.int64(row)
        i, j, k = faces[f, 0], faces[f, 1], faces[f, 2]
        count[f] = 0
        was = np.empty(3)
        if across(old, i, j, i, k, was) == 0.0:
            continue
        mine = max(went[i], max(went[j], went[k]))
        x0, x1 = _far_from(points, old, faces, f, 0)
        y0, y1 = _far_from(points, old, faces, f, 1)
        z0, z1 = _far_from(points, old, faces, f, 2)
        room = thick[i] + fastest
        a0, a1 = math.floor((x0 - room) / wide), math.floor((x1 + room) / wide)
        b0, b1 = math.floor((y0 - room) / wide), math.floor((y1 + room) / wide)
        e0, e1 = math.floor((z0 - room) / wide), math.floor((z1 + room) / wide)
        if (a1 - a0 + 1.0) * (b1 - b0 + 1.0) * (e1 - e0 + 1.0) > MOST_CELLS:
            continue
        for a in range(int(a0), int(a1) + 1):
            for b in range(int(b0), int(b1) + 1):
                for e in range(int(e0), int(e1) + 1):
                    cell = hashed(a, b, e, mask)
                    for at in range(first[cell], first[cell + 1]):
                        m = order[at]
                        near = 0.5 * (thick[i] + thick[m]) + went[m]
                        x, y, z = points[m, 0], points[m, 1], points[m, 2]
                        if (x < x0 - near or x > x1 + near or y < y0 - near or y > y1 + near
                                or z < z0 - near or z > z1 + near or m == i or m == j or m == k):  # fmt: skip
                            continue
                        if abs(along(old, m, i, was)) > near + REACH * mine:
                            continue
                        if count[f] < most:
                            found[f, count[f]] = m
                        count[f] += 1


@njit(cache=True)
def points_parted(
    x, w, nodes, shares, rest, thick, grip, sticky, area, thing, faces, found, count, went, points, old, dt, pressed
):  # fmt: skip
    """Keep points and triangles apart for a small step, in place, and together where one is `sticky` (m,), Pa, on the
    `area` (m,) that belongs to a point; `found` and `count` are of `points_neared`. What presses on vertices is added
    to `pressed` (n,), N s. Returns how many touch."""
    touches = 0
    was, normal, way, part = np.empty(3), np.empty(3), np.empty(3), np.empty(4)
    four = np.empty(4, np.int64)
    for f in range(len(faces)):
        if count[f] == 0:
            continue
        four[1], four[2], four[3] = faces[f, 0], faces[f, 1], faces[f, 2]
        across(old, four[1], four[2], four[1], four[3], was)
        mine = max(went[four[1]], max(went[four[2]], went[four[3]]))
        for at in range(count[f]):
            m = found[f, at]
            four[0] = m
            need = 0.5 * (thick[m] + thick[four[1]])
            now = point_lies(points, old, four, was, need + REACH * (mine + went[m]), part, normal)
            pull = 0.0
            if now >= need:
                pull = max(sticky[m], sticky[four[1]])
                if pull == 0.0 or now >= CLINGS * need:
                    continue
            apart = from_triangle(rest, four) if thing[m] == thing[four[1]] else np.inf
            if pull > 0.0:
                if apart <= REACH * need:
                    continue
                firm = 0.5 * pull * area[m] * dt * dt * gives(w, nodes, shares, four, part)  # each side has half of it
                deep = -min(now - need, firm)
            else:
                need = needed(need, apart, along(old, m, four[1], was))
                if now >= need:
                    continue
                deep = firm = need - now
            hold = math.sqrt(grip[m] * grip[four[1]])
            moved = push_apart(x, w, nodes, shares, points, old, four, part, deep, firm, normal, hold, way, dt, pressed)
            touches += moved and pull == 0.0
    return touches
