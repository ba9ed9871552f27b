"""Edges of skins among themselves: no edge goes through another.

Two edges that come nearer than both are thick are moved apart along the direction square to both, to the side on which
they were before the small step.
"""

import math

import numpy as np
from numba import njit

from hotgravel.core.matter.soft.model import Ints
from hotgravel.core.matter.soft.pairs import (
    MET,
    across,
    along,
    between_edges,
    from_to_at,
    needed,
    push_apart,
)  # fmt: skip

ALIKE = 0.02  # sine of the angle between edges that run alike: points and triangles keep those apart


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


@njit(cache=True)
def edges_lie(points, old, four, part, normal, was):
    """How far apart two edges are along the direction square to both, below 0 where they have gone through each other,
    if they are, or then were, nearest between their ends; else infinite. `part` (4,) and `normal` (3,) are filled."""
    a, b, c, d = four[0], four[1], four[2], four[3]
    if across(points, a, b, c, d, normal) < ALIKE:
        return np.inf
    now = along(points, a, c, normal)
    if across(old, a, b, c, d, was) < ALIKE:
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
def edges_parted(x, w, nodes, shares, rest, thick, grip, thing, fours, points, old, dt, pressed):
    """Keep pairs of edges (P, 4) apart for a small step, in place. What presses on vertices
    is added to `pressed` (n,), N s. Returns how many touch."""
    touches = 0
    was, normal, way, part = np.empty(3), np.empty(3), np.empty(3), np.empty(4)
    for k in range(len(fours)):
        four = fours[k]
        one, other = four[0], four[2]
        need = 0.5 * (thick[one] + thick[other])
        now = edges_lie(points, old, four, part, normal, was)
        if now >= need:
            continue
        apart = between_edges(rest, four) if thing[one] == thing[other] else np.inf
        need = needed(need, apart, along(old, one, other, was))
        if now >= need:
            continue
        hold, deep = math.sqrt(grip[one] * grip[other]), need - now
        touches += push_apart(x, w, nodes, shares, points, old, four, part, deep, deep, normal, hold, way, dt, pressed)
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
