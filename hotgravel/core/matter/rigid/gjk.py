"""The distance between two convex shapes, and the direction and points between which it is the least.

Source: Gilbert, Johnson and Keerthi, "A fast procedure for computing the distance between complex objects in
three-dimensional space" (1988); the nearest point of a simplex by regions as in Ericson, "Real-time collision
detection" (2005), sections 5.1.5 and 5.1.6.
"""

import math

import numpy as np
from numba import njit

from hotgravel.core.matter.rigid.support import support

MOST_ROUNDS = 40
FLAT = 1e-24  # the sine squared of a corner over a face, that is rounding
NEAR_ENOUGH = 1e-9  # of the distance squared: nearer is not looked for


@njit(cache=True)
def _dot(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(cache=True)
def _on_segment(w, i, j, share):
    """The nearest point to the origin of a segment of the simplex; shares of its ends into `share`."""
    ab0, ab1, ab2 = w[j, 0] - w[i, 0], w[j, 1] - w[i, 1], w[j, 2] - w[i, 2]
    long = ab0 * ab0 + ab1 * ab1 + ab2 * ab2
    t = -(w[i, 0] * ab0 + w[i, 1] * ab1 + w[i, 2] * ab2) / long if long > 0.0 else 0.0
    t = min(1.0, max(0.0, t))
    share[i], share[j] = 1.0 - t, t


@njit(cache=True)
def _on_triangle(w, i, j, k, share):
    """The nearest point to the origin of a triangle of the simplex."""
    a, b, c = w[i], w[j], w[k]
    ab0, ab1, ab2 = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    ac0, ac1, ac2 = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    d1 = -(ab0 * a[0] + ab1 * a[1] + ab2 * a[2])
    d2 = -(ac0 * a[0] + ac1 * a[1] + ac2 * a[2])
    if d1 <= 0.0 and d2 <= 0.0:
        share[i] = 1.0
        return
    d3 = -(ab0 * b[0] + ab1 * b[1] + ab2 * b[2])
    d4 = -(ac0 * b[0] + ac1 * b[1] + ac2 * b[2])
    if d3 >= 0.0 and d4 <= d3:
        share[j] = 1.0
        return
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        t = d1 / (d1 - d3) if d1 != d3 else 0.0
        share[i], share[j] = 1.0 - t, t
        return
    d5 = -(ab0 * c[0] + ab1 * c[1] + ab2 * c[2])
    d6 = -(ac0 * c[0] + ac1 * c[1] + ac2 * c[2])
    if d6 >= 0.0 and d5 <= d6:
        share[k] = 1.0
        return
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        t = d2 / (d2 - d6) if d2 != d6 else 0.0
        share[i], share[k] = 1.0 - t, t
        return
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        t = (d4 - d3) / ((d4 - d3) + (d5 - d6)) if (d4 - d3) + (d5 - d6) > 0.0 else 0.0
        share[j], share[k] = 1.0 - t, t
        return
    total = va + vb + vc
    if total <= 0.0:  # flat: its longest side says all
        _on_segment(w, i, j, share)
        return
    share[i], share[j], share[k] = va / total, vb / total, vc / total


@njit(cache=True)
def _outside(w, i, j, k, d):
    """Whether the origin lies on the other side of a face of the simplex than its fourth corner d; of one that is flat
    but for rounding it does."""
    ab0, ab1, ab2 = w[j, 0] - w[i, 0], w[j, 1] - w[i, 1], w[j, 2] - w[i, 2]
    ac0, ac1, ac2 = w[k, 0] - w[i, 0], w[k, 1] - w[i, 1], w[k, 2] - w[i, 2]
    n0, n1, n2 = ab1 * ac2 - ab2 * ac1, ab2 * ac0 - ab0 * ac2, ab0 * ac1 - ab1 * ac0
    ad0, ad1, ad2 = w[d, 0] - w[i, 0], w[d, 1] - w[i, 1], w[d, 2] - w[i, 2]
    origin, fourth = -(n0 * w[i, 0] + n1 * w[i, 1] + n2 * w[i, 2]), n0 * ad0 + n1 * ad1 + n2 * ad2
    whole = (n0 * n0 + n1 * n1 + n2 * n2) * (ad0 * ad0 + ad1 * ad1 + ad2 * ad2)
    return origin * fourth < 0.0 or fourth * fourth <= FLAT * whole


@njit(cache=True)
def _nearest(w, n, share, trial):
    """Shares of the corners of a simplex that make its nearest point to the origin; False if the origin is inside."""
    share[:] = 0.0
    if n == 1:
        share[0] = 1.0
    elif n == 2:
        _on_segment(w, 0, 1, share)
    elif n == 3:
        _on_triangle(w, 0, 1, 2, share)
    else:
        best, out = np.inf, False
        for face in range(4):
            i, j, k = (face + 1) % 4, (face + 2) % 4, (face + 3) % 4
            if not _outside(w, i, j, k, face):
                continue
            out = True
            trial[:] = 0.0
            _on_triangle(w, i, j, k, trial)
            far = 0.0
            for c in range(3):
                far += (trial[i] * w[i, c] + trial[j] * w[j, c] + trial[k] * w[k, c]) ** 2
            if far < best:
                best = far
                share[:] = trial
        return out
    return True


@njit(cache=True)
def closest(part_a, corners_a, part_b, corners_b, core, r, px, py, pz, x, y, z, room):
    """The distance from a part A to a part B, the unit direction from A to B, and the nearest point of A, all in A's
    frame; 0 where they overlap.

    B stands at (px, py, pz) in A's frame, turned by r (3, 3); x, y, z is a first guess of the direction from A to B.
    `core` says whether parts are taken without their margins. room (4, 8) is scratch.
    """
    w, p, share, trial = room[:, 0:3], room[:, 3:6], room[:, 6], room[:, 7]
    n, vx, vy, vz = 0, -x, -y, -z
    if vx == 0.0 and vy == 0.0 and vz == 0.0:
        vy = 1.0
    far, qx, qy, qz = np.inf, 0.0, 0.0, 0.0
    for _ in range(MOST_ROUNDS):
        ax, ay, az = support(part_a, corners_a, core, -vx, -vy, -vz)
        lx = r[0, 0] * vx + r[1, 0] * vy + r[2, 0] * vz
        ly = r[0, 1] * vx + r[1, 1] * vy + r[2, 1] * vz
        lz = r[0, 2] * vx + r[1, 2] * vy + r[2, 2] * vz
        bx, by, bz = support(part_b, corners_b, core, lx, ly, lz)
        sx = ax - (r[0, 0] * bx + r[0, 1] * by + r[0, 2] * bz + px)
        sy = ay - (r[1, 0] * bx + r[1, 1] * by + r[1, 2] * bz + py)
        sz = az - (r[2, 0] * bx + r[2, 1] * by + r[2, 2] * bz + pz)
        gain = far - (vx * sx + vy * sy + vz * sz)
        if n > 0 and gain <= NEAR_ENOUGH * far:
            break
        for k in range(n):
            if w[k, 0] == sx and w[k, 1] == sy and w[k, 2] == sz:
                gain = -1.0
        if gain < 0.0:
            break
        w[n, 0], w[n, 1], w[n, 2] = sx, sy, sz
        p[n, 0], p[n, 1], p[n, 2] = ax, ay, az
        n += 1
        if not _nearest(w, n, share, trial):
            return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        m = 0
        for k in range(n):
            if share[k] > 0.0:
                if m != k:
                    w[m] = w[k]
                    p[m] = p[k]
                    share[m] = share[k]
                m += 1
        n = m
        ux, uy, uz, tx, ty, tz = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for k in range(n):
            ux, uy, uz = ux + share[k] * w[k, 0], uy + share[k] * w[k, 1], uz + share[k] * w[k, 2]
            tx, ty, tz = tx + share[k] * p[k, 0], ty + share[k] * p[k, 1], tz + share[k] * p[k, 2]
        new = ux * ux + uy * uy + uz * uz
        if new >= far:
            break  # a simplex that is flat but for rounding tells nothing: the last one that came nearer counts
        far, vx, vy, vz, qx, qy, qz = new, ux, uy, uz, tx, ty, tz
        if far < 1e-24:
            return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    d = math.sqrt(vx * vx + vy * vy + vz * vz)
    return d, -vx / d, -vy / d, -vz / d, qx, qy, qz
