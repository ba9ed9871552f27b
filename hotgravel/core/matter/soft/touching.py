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
from numba import njit, prange

from hotgravel.core.matter.soft.model import Array, Ints, Surface
from hotgravel.core.shape.bvh import closest_on_triangle

NEAR = 0.9  # of how far a point lies from a triangle at rest: so near it may come at least
ROOM = 16  # points that may come to touch a triangle, until more do
MOST_CELLS = 4096.0  # about a triangle: one that is flung about farther meets nothing in that small step
REACH = 2.0  # times as far as they have come may a point and a triangle have been apart
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
def _parted(
    m, i, j, k, x, w, nodes, shares, rest, thick, grip, thing, points, old, reach, was, normal, slid, dt, pressed
):  # fmt: skip
    """Move a point and a triangle apart, in place, if they touch. `reach` is how far both may have come, `was` (3,) the
    triangle's normal before; `normal` and `slid` (3,) are room to work in. What presses on vertices is added to
    `pressed` (n,), N s. Returns whether they do."""
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
    push = math.sqrt(dx * dx + dy * dy + dz * dz) / dt
    for n in range(4):
        pressed[nodes[m, n]] += push * shares[m, n]
        pressed[nodes[i, n]] += push * a * shares[i, n]
        pressed[nodes[j, n]] += push * b * shares[j, n]
        pressed[nodes[k, n]] += push * c * shares[k, n]
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


@njit(cache=True, inline="always")
def _far_from(points, old, faces, f, c):
    """Where a triangle begins and ends along an axis, from before to now."""
    low = high = points[faces[f, 0], c]
    for n in range(3):
        low = min(low, min(points[faces[f, n], c], old[faces[f, n], c]))
        high = max(high, max(points[faces[f, n], c], old[faces[f, n], c]))
    return low, high


@njit(cache=True, parallel=True, nogil=True)
def neared(points, old, went, fastest, thick, faces, wide, first, order, found, count):
    """For each triangle the points that may come to touch it, into `found` (F, most), and how many, into `count` (F,):
    it may be more than there is room for. `went` (m,) is how far each point has come, `fastest` the greatest of that,
    `wide` a cell of the grid."""
    mask, most = len(first) - 2, found.shape[1]
    for row in prange(len(faces)):
        f = np.int64(row)
        i, j, k = faces[f, 0], faces[f, 1], faces[f, 2]
        count[f] = 0
        was = np.empty(3)
        if not _normal(old[i], old[j], old[k], was):
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
                    cell = ((a * 73856093) ^ (b * 19349663) ^ (e * 83492791)) & mask
                    for at in range(first[cell], first[cell + 1]):
                        m = order[at]
                        near = 0.5 * (thick[i] + thick[m]) + went[m]
                        x, y, z = points[m, 0], points[m, 1], points[m, 2]
                        if (x < x0 - near or x > x1 + near or y < y0 - near or y > y1 + near
                                or z < z0 - near or z > z1 + near or m == i or m == j or m == k):  # fmt: skip
                            continue
                        if abs(_along(old[m], old[i], was)) > near + REACH * mine:
                            continue
                        if count[f] < most:
                            found[f, count[f]] = m
                        count[f] += 1


@njit(cache=True)
def touching(
    x, before, w, nodes, shares, rest, thick, grip, thing, faces, found, count, went, points, old, dt, pressed
):  # fmt: skip
    """Keep skins apart for a small step, in place; `found` and `count` are of `neared`. What presses on vertices is
    added to `pressed` (n,), N s. Returns how many touch."""
    touches = 0
    was, normal, slid = np.empty(3), np.empty(3), np.empty(3)
    for f in range(len(faces)):
        if count[f] == 0:
            continue
        i, j, k = faces[f, 0], faces[f, 1], faces[f, 2]
        _normal(old[i], old[j], old[k], was)
        mine = max(went[i], max(went[j], went[k]))
        for at in range(count[f]):
            m = found[f, at]
            touches += _parted(
                m, i, j, k, x, w, nodes, shares, rest, thick, grip, thing, points, old, REACH * (mine + went[m]),
                was, normal, slid, dt, pressed,
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
    each point grips, where it lies at rest now that its skin has grown to `sizes` (m,), and room to work in."""

    def __init__(self, skins: Skins, grip: Array, at: Ints, spacing: float, sizes: Array) -> None:
        there = np.asarray((at[skins.nodes] >= 0).all(axis=1))
        self.skins, self.grip, self.rest = skins, grip, sizes[:, None] * skins.rest
        self.faces = np.ascontiguousarray(skins.faces[there[skins.faces].all(axis=1)])
        many = len(skins.nodes)
        self.wide = 2.0 * max(spacing, float(skins.thick.max(initial=0.0)))
        self.first = np.zeros((1 << int(np.ceil(np.log2(TABLE * many + 1)))) + 1, np.int64)
        self.order, self.points, self.old = np.zeros(many, np.int64), np.zeros((many, 3)), np.zeros((many, 3))
        self.found, self.count = np.zeros((len(self.faces), ROOM), np.int64), np.zeros(len(self.faces), np.int64)

    def part(self, x: Array, before: Array, w: Array, dt: float, pressed: Array) -> int:
        """Keep skins apart for a small step, in place: once more where they touch, as what moves one apart may push it
        into the next. What presses on vertices is added to `pressed` (n,), N s. Returns how many touch."""
        if not len(self.faces):
            return 0
        s = self.skins
        _laid(x, s.nodes, s.shares, self.points)
        _laid(before, s.nodes, s.shares, self.old)
        went = np.linalg.norm(self.points - self.old, axis=1)
        _hashed(self.points, self.wide, self.first, self.order)
        while True:
            neared(
                self.points, self.old, went, float(went.max()), s.thick, self.faces, self.wide, self.first, self.order,
                self.found, self.count,
            )  # fmt: skip
            most = int(self.count.max())
            if most <= self.found.shape[1]:
                break
            self.found = np.zeros((len(self.faces), 2 * most), np.int64)
        touches = 0
        for turn in range(2):
            many = int(touching(
                x, before, w, s.nodes, s.shares, self.rest, s.thick, self.grip, s.thing, self.faces, self.found,
                self.count, went, self.points, self.old, dt, pressed,
            ))  # fmt: skip
            touches = many if turn == 0 else touches
            if not many:
                break
        return touches
