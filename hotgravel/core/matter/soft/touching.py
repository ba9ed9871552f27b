"""Soft things among themselves: no point of a skin passes a triangle of any skin, its own too.

A point and a triangle that come nearer than both are thick are moved apart along the triangle's normal, to the side on
which the point was before the small step; so a sheet that has gone through another within it comes back. They are found
in a grid of points that is hashed (Teschner and others 2003), and moved one after another, so that the result does not
hang on threads.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit

from hotgravel.core.matter.soft.model import Array, Ints, Surface
from hotgravel.core.shape.bvh import closest_on_triangle

NEAR = 0.9  # of how far a point lies from a triangle at rest: so near it may come at least
MOST_CELLS = 4096.0  # about a triangle: one that is flung about farther meets nothing in that small step
TABLE = 2  # cells of the table for each point, and more, to the next power of two


@dataclass(frozen=True, eq=False)
class Skins:
    """The points of all skins: the vertices (m, 4) that each follows by shares (m, 4), where they lie at rest (m, 3),
    how thick what they are on is (m,), how it grips (m,), and its number (m,); and the triangles (F, 3) between them.
    """

    nodes: Ints
    shares: Array
    rest: Array
    thick: Array
    thing: Ints
    faces: Ints


@njit(cache=True, inline="always")
def _cell(x, y, z, wide, mask):
    i, j, k = math.floor(x / wide), math.floor(y / wide), math.floor(z / wide)
    return ((int(i) * 73856093) ^ (int(j) * 19349663) ^ (int(k) * 83492791)) & mask


@njit(cache=True)
def _laid(x, nodes, shares, out):
    for m in range(len(nodes)):
        for c in range(3):
            out[m, c] = 0.0
            for n in range(4):
                out[m, c] += shares[m, n] * x[nodes[m, n], c]


@njit(cache=True)
def _hashed(points, wide, first, order):
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


@njit(cache=True)
def _shares_of(px, py, pz, a, b, c):
    """The shares of a triangle's corners in a place on it."""
    ux, uy, uz, vx, vy, vz = b[0] - a[0], b[1] - a[1], b[2] - a[2], c[0] - a[0], c[1] - a[1], c[2] - a[2]
    ox, oy, oz = px - a[0], py - a[1], pz - a[2]
    uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
    ou, ov = ox * ux + oy * uy + oz * uz, ox * vx + oy * vy + oz * vz
    under = max(uu * vv - uv * uv, 1e-300)
    s, t = (vv * ou - uv * ov) / under, (uu * ov - uv * ou) / under
    return 1.0 - s - t, s, t


@njit(cache=True)
def _normal(a, b, c, out):
    ux, uy, uz, vx, vy, vz = b[0] - a[0], b[1] - a[1], b[2] - a[2], c[0] - a[0], c[1] - a[1], c[2] - a[2]
    out[0], out[1], out[2] = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    long = math.sqrt(out[0] * out[0] + out[1] * out[1] + out[2] * out[2])
    if long < 1e-14:
        return False
    out /= long
    return True


@njit(cache=True)
def _moved(x, w, nodes, shares, points, m, share, dx, dy, dz):
    """Move a point of a skin, by what it follows, in place."""
    for n in range(4):
        i, s = nodes[m, n], shares[m, n] * share
        if s != 0.0:
            x[i, 0] += w[i] * s * dx
            x[i, 1] += w[i] * s * dy
            x[i, 2] += w[i] * s * dz
    for c in range(3):
        points[m, c] = 0.0
        for n in range(4):
            points[m, c] += shares[m, n] * x[nodes[m, n], c]


@njit(cache=True, inline="always")
def _along(p, q, way):
    """How far p lies from q along a way."""
    return (p[0] - q[0]) * way[0] + (p[1] - q[1]) * way[1] + (p[2] - q[2]) * way[2]


@njit(cache=True)
def _parted(m, i, j, k, x, w, nodes, shares, rest, thick, grip, thing, points, old, reach, was, normal, slid):
    """Move a point and a triangle apart, in place, if they touch. `reach` is how far both may have come, `was` (3,) the
    triangle's normal before; `normal` and `slid` (3,) are room to work in. Returns whether they do."""
    need = 0.5 * (thick[m] + thick[i])
    off = _along(old[m], old[i], was)  # the side it came from, and how far off it was
    if abs(off) > need + reach or not _normal(points[i], points[j], points[k], normal):
        return False
    side = 1.0 if off >= 0.0 else -1.0
    now = side * _along(points[m], points[i], normal)
    if now >= need:
        return False
    a, b, c = _shares_of(points[m, 0], points[m, 1], points[m, 2], points[i], points[j], points[k])
    if a < 0.0 or b < 0.0 or c < 0.0:
        return False
    if thing[m] == thing[i]:  # what lies near at rest may stay so
        need = min(need, NEAR * _apart_at_rest(m, i, j, k, rest))
        if now >= need:
            return False
    give = 0.0
    for n in range(4):
        give += w[nodes[m, n]] * shares[m, n] ** 2 + w[nodes[i, n]] * (a * shares[i, n]) ** 2
        give += w[nodes[j, n]] * (b * shares[j, n]) ** 2 + w[nodes[k, n]] * (c * shares[k, n]) ** 2
    if give <= 0.0:
        return False
    deep, along, far = need - now, 0.0, 0.0
    # What rubs: how they go past each other along the triangle in this small step.
    for e in range(3):
        slid[e] = points[m, e] - old[m, e] - a * (points[i, e] - old[i, e])
        slid[e] -= b * (points[j, e] - old[j, e]) + c * (points[k, e] - old[k, e])
        along += slid[e] * normal[e]
    for e in range(3):
        slid[e] -= along * normal[e]
        far += slid[e] * slid[e]
    rub = min(1.0, math.sqrt(grip[m] * grip[i]) * deep / max(math.sqrt(far), 1e-12))
    dx = (side * deep * normal[0] - rub * slid[0]) / give
    dy = (side * deep * normal[1] - rub * slid[1]) / give
    dz = (side * deep * normal[2] - rub * slid[2]) / give
    _moved(x, w, nodes, shares, points, m, 1.0, dx, dy, dz)
    _moved(x, w, nodes, shares, points, i, -a, dx, dy, dz)
    _moved(x, w, nodes, shares, points, j, -b, dx, dy, dz)
    _moved(x, w, nodes, shares, points, k, -c, dx, dy, dz)
    return True


@njit(cache=True)
def _apart_at_rest(m, i, j, k, rest):
    """How far a point lies from a triangle at rest."""
    row = np.empty(9)
    for c in range(3):
        row[c], row[3 + c], row[6 + c] = rest[i, c], rest[j, c], rest[k, c]
    x, y, z, _ = closest_on_triangle(rest[m, 0], rest[m, 1], rest[m, 2], row)
    return math.sqrt((rest[m, 0] - x) ** 2 + (rest[m, 1] - y) ** 2 + (rest[m, 2] - z) ** 2)


@njit(cache=True)
def touching(x, before, w, nodes, shares, rest, thick, grip, thing, faces, wide, first, order, points, old):
    """Keep skins apart for a small step, in place. `wide` is a cell of the grid, metres; `first`, `order`, `points` and
    `old` are room to work in. Returns how many touch."""
    _laid(x, nodes, shares, points)
    _laid(before, nodes, shares, old)
    _hashed(points, wide, first, order)
    mask, touches, fastest = len(first) - 2, 0, 0.0
    for m in range(len(points)):
        for c in range(3):
            fastest = max(fastest, abs(points[m, c] - old[m, c]))
    low, high, begin, end = np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    was, normal, slid = np.empty(3), np.empty(3), np.empty(3)
    for f in range(len(faces)):
        i, j, k = faces[f, 0], faces[f, 1], faces[f, 2]
        if not _normal(old[i], old[j], old[k], was):
            continue
        room, cells = thick[i] + fastest, 1.0
        for c in range(3):
            low[c] = min(min(points[i, c], points[j, c]), min(points[k, c], min(old[i, c], min(old[j, c], old[k, c]))))
            high[c] = max(max(points[i, c], points[j, c]), max(points[k, c], max(old[i, c], max(old[j, c], old[k, c]))))
            low[c], high[c] = low[c] - room, high[c] + room
            begin[c], end[c] = math.floor(low[c] / wide), math.floor(high[c] / wide)
            cells *= end[c] - begin[c] + 1.0
        if cells > MOST_CELLS:
            continue
        for a in range(int(begin[0]), int(end[0]) + 1):
            for b in range(int(begin[1]), int(end[1]) + 1):
                for e in range(int(begin[2]), int(end[2]) + 1):
                    cell = ((a * 73856093) ^ (b * 19349663) ^ (e * 83492791)) & mask
                    for at in range(first[cell], first[cell + 1]):
                        m = order[at]
                        x_, y_, z_ = points[m, 0], points[m, 1], points[m, 2]
                        if x_ < low[0] or x_ > high[0] or y_ < low[1] or y_ > high[1] or z_ < low[2] or z_ > high[2]:
                            continue
                        if m != i and m != j and m != k:
                            touches += _parted(
                                m, i, j, k, x, w, nodes, shares, rest, thick, grip, thing, points, old, 4.0 * fastest,
                                was, normal, slid,
                            )  # fmt: skip
    return touches


def skins_of(surfaces: Mapping[int, Surface], thick: Sequence[float], rest: Array) -> Skins:
    """The skins of some things, by their numbers; `thick` has how thick each thing is, `rest` the vertices (n, 3) as
    they lie at rest."""
    many = [len(surface.nodes) for surface in surfaces.values()]
    nodes = np.concatenate([np.zeros((0, 4), np.int64), *(s.nodes for s in surfaces.values())])
    shares = np.concatenate([np.zeros((0, 4)), *(s.shares for s in surfaces.values())])
    starts = np.cumsum([0, *many])
    faces = [np.zeros((0, 3), np.int64)]
    faces += [s.faces + start for s, start in zip(surfaces.values(), starts, strict=False)]
    thing = np.repeat(np.array(list(surfaces), np.int64), many)
    at_rest = np.einsum("mn,mnc->mc", shares, rest[nodes])
    return Skins(nodes, shares, at_rest, np.asarray(thick, float)[thing], thing, np.concatenate(faces))


class Touching:
    """Skins in a step: those triangles that have all their vertices (`at` (n,) is less than 0 where one is gone), how
    each point grips, and room to work in."""

    def __init__(self, skins: Skins, grip: Array, at: Ints, spacing: float) -> None:
        there = np.asarray((at[skins.nodes] >= 0).all(axis=1))
        self.skins, self.grip = skins, grip
        self.faces = np.ascontiguousarray(skins.faces[there[skins.faces].all(axis=1)])
        many = len(skins.nodes)
        self.wide = 2.0 * max(spacing, float(skins.thick.max(initial=0.0)))
        self.first = np.zeros((1 << int(np.ceil(np.log2(TABLE * many + 1)))) + 1, np.int64)
        self.order, self.points, self.old = np.zeros(many, np.int64), np.zeros((many, 3)), np.zeros((many, 3))

    def part(self, x: Array, before: Array, w: Array) -> int:
        """Keep skins apart for a small step, in place: once more where they touch, as what moves one apart may push it
        into the next. Returns how many touch."""
        found = self._once(x, before, w) if len(self.faces) else 0
        if found:
            self._once(x, before, w)
        return found

    def _once(self, x: Array, before: Array, w: Array) -> int:
        s = self.skins
        return int(touching(
            x, before, w, s.nodes, s.shares, s.rest, s.thick, self.grip, s.thing, self.faces, self.wide, self.first,
            self.order, self.points, self.old,
        ))  # fmt: skip
