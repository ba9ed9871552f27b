"""The distance between two convex shapes, and the direction and points between which it is the least.

Source: Gilbert, Johnson and Keerthi, "A fast procedure for computing the distance between complex objects in
three-dimensional space" (1988); the nearest point of a simplex by regions as in Ericson, "Real-time collision
detection" (2005), sections 5.1.5 and 5.1.6.
"""

import math

import numpy as np
from numba import njit

from hotgravel.core.matter.rigid.support import support
from hotgravel.core.vectors import at, cross, dot, plus, put

MOST_ROUNDS = 40
FLAT = 1e-24  # the sine squared of a corner over a face, that is rounding
NEAR_ENOUGH = 1e-9  # of the distance squared: nearer is not looked for
SIMPLEX = 9  # rows of scratch, 4 wide: corners of the simplex, the points of A that made them, their shares


@njit(cache=True)
def _on_segment(a, b):
    """Shares of its ends that make a segment's nearest point to the origin."""
    ab = plus(b, -1.0, a)
    long = dot(ab, ab)
    t = -dot(a, ab) / long if long > 0.0 else 0.0
    t = min(1.0, max(0.0, t))
    return 1.0 - t, t


@njit(cache=True)
def _on_triangle(a, b, c):
    """Shares of its corners that make a triangle's nearest point to the origin."""
    ab, ac = plus(b, -1.0, a), plus(c, -1.0, a)
    d1, d2 = -dot(ab, a), -dot(ac, a)
    if d1 <= 0.0 and d2 <= 0.0:
        return 1.0, 0.0, 0.0
    d3, d4 = -dot(ab, b), -dot(ac, b)
    if d3 >= 0.0 and d4 <= d3:
        return 0.0, 1.0, 0.0
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        t = d1 / (d1 - d3) if d1 != d3 else 0.0
        return 1.0 - t, t, 0.0
    d5, d6 = -dot(ab, c), -dot(ac, c)
    if d6 >= 0.0 and d5 <= d6:
        return 0.0, 0.0, 1.0
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        t = d2 / (d2 - d6) if d2 != d6 else 0.0
        return 1.0 - t, 0.0, t
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        t = (d4 - d3) / ((d4 - d3) + (d5 - d6)) if (d4 - d3) + (d5 - d6) > 0.0 else 0.0
        return 0.0, 1.0 - t, t
    total = va + vb + vc
    if total <= 0.0:  # flat: its first side says all
        s, t = _on_segment(a, b)
        return s, t, 0.0
    return va / total, vb / total, vc / total


@njit(cache=True)
def _outside(a, b, c, d):
    """Whether the origin lies on the other side of a face (a, b, c) of the simplex than its fourth corner d; of one
    that is flat but for rounding it does."""
    ad, n = plus(d, -1.0, a), cross(plus(b, -1.0, a), plus(c, -1.0, a))
    origin, fourth = -dot(n, a), dot(n, ad)
    return origin * fourth < 0.0 or fourth * fourth <= FLAT * dot(n, n) * dot(ad, ad)


@njit(cache=True)
def _on_tetrahedron(w, share):
    """Shares of the corners of a simplex of four that make its nearest point to the origin; False if the origin is
    inside. It is not beyond the face without the last corner, for towards the origin from there that was found."""
    best, out = np.inf, False
    d = at(w, 3)
    for face in range(3):
        i, j = (face + 1) % 3, (face + 2) % 3
        a, b = at(w, i), at(w, j)
        if not _outside(a, b, d, at(w, face)):
            continue
        out = True
        p, q, r = _on_triangle(a, b, d)
        near = plus(plus((p * a[0], p * a[1], p * a[2]), q, b), r, d)
        far = dot(near, near)
        if far < best:
            best = far
            share[face], share[i], share[j], share[3] = 0.0, p, q, r
    return out


@njit(cache=True)
def _nearest(w, n, share):
    """Shares of the corners of a simplex that make its nearest point to the origin; False if the origin is inside."""
    if n == 1:
        share[0] = 1.0
    elif n == 2:
        share[0], share[1] = _on_segment(at(w, 0), at(w, 1))
    elif n == 3:
        share[0], share[1], share[2] = _on_triangle(at(w, 0), at(w, 1), at(w, 2))
    else:
        return _on_tetrahedron(w, share)
    return True


@njit(cache=True)
def _less(w, p, share, n):
    """Drop the corners of a simplex that have no share, in place. Returns how many are left, the nearest point and the
    point of A that makes it."""
    m, near, own = 0, (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
    for k in range(n):
        if share[k] <= 0.0:
            continue
        corner, point = at(w, k), at(p, k)
        near, own = plus(near, share[k], corner), plus(own, share[k], point)
        put(w, m, corner)
        put(p, m, point)
        m += 1
    return m, near, own


@njit(cache=True)
def closest(part_a, corners_a, part_b, corners_b, core, r, px, py, pz, x, y, z, room):
    """The distance from a part A to a part B, the unit direction from A to B, and the nearest point of A, all in A's
    frame; 0 where they overlap.

    B stands at (px, py, pz) in A's frame, turned by r (3, 3); x, y, z is a first guess of the direction from A to B.
    `core` says whether parts are taken without their margins. room (SIMPLEX, 4) is scratch.
    """
    w, p, share = room[0:4], room[4:8], room[8]
    n, (vx, vy, vz) = 0, (-x, -y, -z)
    if vx == 0.0 and vy == 0.0 and vz == 0.0:
        vy = 1.0
    far, q = np.inf, (0.0, 0.0, 0.0)
    for _ in range(MOST_ROUNDS):
        a = support(part_a, corners_a, core, -vx, -vy, -vz)
        lx = r[0, 0] * vx + r[1, 0] * vy + r[2, 0] * vz
        ly = r[0, 1] * vx + r[1, 1] * vy + r[2, 1] * vz
        lz = r[0, 2] * vx + r[1, 2] * vy + r[2, 2] * vz
        bx, by, bz = support(part_b, corners_b, core, lx, ly, lz)
        sx = a[0] - (r[0, 0] * bx + r[0, 1] * by + r[0, 2] * bz + px)
        sy = a[1] - (r[1, 0] * bx + r[1, 1] * by + r[1, 2] * bz + py)
        sz = a[2] - (r[2, 0] * bx + r[2, 1] * by + r[2, 2] * bz + pz)
        gain = far - (vx * sx + vy * sy + vz * sz)
        if n > 0 and gain <= NEAR_ENOUGH * far:
            break
        again = False
        for k in range(n):
            again |= w[k, 0] == sx and w[k, 1] == sy and w[k, 2] == sz
        if again:
            break
        put(w, n, (sx, sy, sz))
        put(p, n, a)
        n += 1
        if not _nearest(w, n, share):
            return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        n, near, own = _less(w, p, share, n)
        new = dot(near, near)
        if new >= far:
            break  # a simplex that is flat but for rounding tells nothing: the last one that came nearer counts
        far, q = new, own
        vx, vy, vz = near
        if far < 1e-24:
            return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    d = math.sqrt(vx * vx + vy * vy + vz * vz)
    return d, -vx / d, -vy / d, -vz / d, q[0], q[1], q[2]
