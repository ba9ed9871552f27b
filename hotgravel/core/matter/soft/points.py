"""Points and triangles of skins: no point passes a triangle of any skin, its own too.

A point and a triangle that come nearer than both are thick are moved apart along the triangle's normal, to the side on
which the point was before the small step; so a sheet that has gone through another within it comes back. They are moved
one after another, so that the result does not hang on threads.
"""

import math

import numpy as np
from numba import njit

from hotgravel.core.matter.soft.pairs import (
    MET,
    across,
    along,
    from_to_at,
    from_triangle,
    gives,
    needed,
    push_apart,
)  # fmt: skip

CLINGS = 1.5  # times as far apart as both are thick: what is sticky pulls no farther
APART = 2.0  # times as far as both are thick: what is nearer at rest does not stick to itself


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
def point_lies(points, old, four, was, part, normal):
    """How far a point lies from a triangle, below 0 where it has gone through it, if it lies over it, or then did; else
    infinite. `was` (3,) is the triangle's normal before; `part` (4,) and `normal` (3,) are filled."""
    m, i, j, k = four[0], four[1], four[2], four[3]
    side = along(old, m, i, was)  # the side it came from, and how far off it was
    if across(points, i, j, i, k, normal) == 0.0:
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
def points_parted(
    x, w, nodes, shares, rest, thick, grip, sticky, area, spent, thing, fours, points, old, dt, pressed
):  # fmt: skip
    """Keep points and triangles (P, 4) apart for a small step, in place, and together where one is `sticky` (m,), Pa,
    on the `area` (m,) that belongs to a point; the share of its pull that is `spent` (m,) in the small step is added
    to. What presses on vertices is added to `pressed` (n,), N s. Returns how many touch."""
    touches = 0
    was, normal, way, part = np.empty(3), np.empty(3), np.empty(3), np.empty(4)
    for k in range(len(fours)):
        four = fours[k]
        m, i = four[0], four[1]
        need, glue = 0.5 * (thick[m] + thick[i]), max(sticky[m], sticky[i])
        across(old, i, four[2], i, four[3], was)
        now = point_lies(points, old, four, was, part, normal)
        pulls = now >= need
        if pulls and (glue == 0.0 or now >= CLINGS * need):
            continue
        apart = from_triangle(rest, four) if thing[m] == thing[i] else np.inf
        if pulls:
            if apart <= APART * need or spent[m] >= 1.0:
                continue
            firm = 0.5 * glue * area[m] * dt * dt * gives(w, nodes, shares, four, part)  # each side has half of it
            deep = -min(now - need, (1.0 - spent[m]) * firm)
            spent[m] -= deep / firm
        else:
            need = needed(need, apart, along(old, m, i, was))
            if now >= need:
                continue
            deep = firm = need - now
        hold = math.sqrt(grip[m] * grip[i])
        moved = push_apart(x, w, nodes, shares, points, old, four, part, deep, firm, normal, hold, way, dt, pressed)
        touches += moved and not pulls
    return touches
