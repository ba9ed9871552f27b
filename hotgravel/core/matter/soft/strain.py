"""Kernels that solve for cloth that is pulled: a step of Newton's method in each small step, by conjugate gradients.

Each triangle holds half its stiffness times the square of how much longer than at rest it is along either of its two
ways, and of how far these are off right angles. Its tangent leaves out all that would push vertices on, so that the
matrix is positive (Baraff and Witkin 1998). The first direction of the gradients is how the pull moved vertices in the
small step before: what hangs, or is pulled alike for a time, is solved for at once, however many triangles it has. What
hangs together is solved by itself, so that the result is the same on any number of threads.
"""

import math

import numpy as np
from numba import njit, prange

LEAST = 1e-12
CLOSE = 1e-2  # of what was off before: so little is left off


@njit(cache=True, inline="always")
def _both_ways(x, a, b, c, n):
    """The two ways of a triangle, as long as they are stretched, from the first four of its numbers."""
    ux, uy, uz = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
    vx, vy, vz = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
    u = n[0] * ux + n[2] * vx, n[0] * uy + n[2] * vy, n[0] * uz + n[2] * vz
    return u, (n[1] * ux + n[3] * vx, n[1] * uy + n[3] * vy, n[1] * uz + n[3] * vz)


@njit(cache=True, inline="always")
def _dot(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(cache=True, inline="always")
def _mixed(p, a, q, b):
    return p * a[0] + q * b[0], p * a[1] + q * b[1], p * a[2] + q * b[2]


@njit(cache=True, inline="always")
def _outer(much, a, b):
    """The matrix of a and b, by rows."""
    x, y, z = much * a[0], much * a[1], much * a[2]
    return x * b[0], x * b[1], x * b[2], y * b[0], y * b[1], y * b[2], z * b[0], z * b[1], z * b[2]


@njit(cache=True, inline="always")
def _joined(p, a, q, b):
    """Matrices by as much as each counts."""
    return (
        p * a[0] + q * b[0], p * a[1] + q * b[1], p * a[2] + q * b[2], p * a[3] + q * b[3], p * a[4] + q * b[4],
        p * a[5] + q * b[5], p * a[6] + q * b[6], p * a[7] + q * b[7], p * a[8] + q * b[8],
    )  # fmt: skip


@njit(cache=True, inline="always")
def _turned(a):
    return a[0], a[3], a[6], a[1], a[4], a[7], a[2], a[5], a[8]


@njit(cache=True, inline="always")
def _count(blocks, place, much, a):
    for e in range(9):
        blocks[place, e] += much * a[e]


@njit(cache=True, inline="always")
def _push(force, i, much, a):
    force[i, 0], force[i, 1], force[i, 2] = (
        force[i, 0] + much * a[0], force[i, 1] + much * a[1], force[i, 2] + much * a[2]
    )  # fmt: skip


@njit(cache=True, nogil=True)
def _linearised(x, nodes, numbers, places, first, last, square, force, blocks):
    """Add how triangles from first to last pull to `force` (u, 3), in place, and how that changes with vertices to
    `blocks` (B, 9), both times the small step squared."""
    for t in range(first, last):
        n, place = numbers[t], places[t]
        a, b, c = nodes[t, 0], nodes[t, 1], nodes[t, 2]
        u, v = _both_ways(x, a, b, c, n)
        lu, lv = 1.0 / max(math.sqrt(_dot(u, u)), LEAST), 1.0 / max(math.sqrt(_dot(v, v)), LEAST)
        u, v = _mixed(lu, u, 0.0, u), _mixed(lv, v, 0.0, v)
        askew = _dot(u, v)
        p, q = _mixed(lu, v, -lu * askew, u), _mixed(lv, u, -lv * askew, v)
        k, shear = square * n[4] * n[5], square * n[4] * n[6]
        of_u = _mixed(k * (1.0 / lu - 1.0), u, shear * askew, p)
        of_v = _mixed(k * (1.0 / lv - 1.0), v, shear * askew, q)
        to_b, to_c = _mixed(n[0], of_u, n[1], of_v), _mixed(n[2], of_u, n[3], of_v)
        _push(force, b, -1.0, to_b)
        _push(force, c, -1.0, to_c)
        _push(force, a, 1.0, _mixed(1.0, to_b, 1.0, to_c))
        taut_u, taut_v = k * max(0.0, 1.0 - lu), k * max(0.0, 1.0 - lv)
        uu = _joined(1.0, _outer(k - taut_u, u, u), shear, _outer(1.0, p, p))
        vv = _joined(1.0, _outer(k - taut_v, v, v), shear, _outer(1.0, q, q))
        uv = _outer(shear, p, q)
        uu = uu[0] + taut_u, uu[1], uu[2], uu[3], uu[4] + taut_u, uu[5], uu[6], uu[7], uu[8] + taut_u
        vv = vv[0] + taut_v, vv[1], vv[2], vv[3], vv[4] + taut_v, vv[5], vv[6], vv[7], vv[8] + taut_v
        # Those of b and c; a's is what takes all sums to nothing.
        vu, both = _turned(uv), _joined(1.0, uv, 1.0, _turned(uv))
        bb = _joined(1.0, _joined(n[0] * n[0], uu, n[1] * n[1], vv), n[0] * n[1], both)
        cc = _joined(1.0, _joined(n[2] * n[2], uu, n[3] * n[3], vv), n[2] * n[3], both)
        bc = _joined(1.0, _joined(n[0] * n[2], uu, n[1] * n[3], vv), 1.0, _joined(n[0] * n[3], uv, n[1] * n[2], vu))
        cb = _turned(bc)
        ab, ac = _joined(1.0, bb, 1.0, cb), _joined(1.0, bc, 1.0, cc)
        _count(blocks, place[0], 1.0, _joined(1.0, ab, 1.0, ac))
        _count(blocks, place[1], -1.0, ab)
        _count(blocks, place[2], -1.0, ac)
        _count(blocks, place[3], -1.0, _turned(ab))
        _count(blocks, place[4], 1.0, bb)
        _count(blocks, place[5], 1.0, bc)
        _count(blocks, place[6], -1.0, _turned(ac))
        _count(blocks, place[7], 1.0, cb)
        _count(blocks, place[8], 1.0, cc)


@njit(cache=True, nogil=True)
def _times(blocks, lines, columns, mass, first, last, p, q):
    """The matrix times p (u, 3), into q (u, 3), of vertices from first to last. Returns p times that."""
    found = 0.0
    for m in range(first, last):
        x, y, z = mass[m] * p[m, 0], mass[m] * p[m, 1], mass[m] * p[m, 2]
        for k in range(lines[m], lines[m + 1]):
            j = columns[k]
            a, b, c = p[j, 0], p[j, 1], p[j, 2]
            x += blocks[k, 0] * a + blocks[k, 1] * b + blocks[k, 2] * c
            y += blocks[k, 3] * a + blocks[k, 4] * b + blocks[k, 5] * c
            z += blocks[k, 6] * a + blocks[k, 7] * b + blocks[k, 8] * c
        q[m, 0], q[m, 1], q[m, 2] = x, y, z
        found += p[m, 0] * x + p[m, 1] * y + p[m, 2] * z
    return found


@njit(cache=True, parallel=True, nogil=True)
def strained(x, w, nodes, numbers, members, starts, begins, lines, columns, places, rounds, dt, eased):
    """Move vertices (n, 3) in place as triangles that are pulled would have them at the end of a small step of dt
    seconds; `w` (n,) is one over their masses, and the triangles' numbers (T, 7) are in the order of a `Web`. `eased`
    (n, 3) is by how much the small step before moved them so, and becomes that of this one; there are so many `rounds`
    at most."""
    u = len(members)
    own, gone, p, q, mass = np.empty((u, 3)), np.empty((u, 3)), np.empty((u, 3)), np.empty((u, 3)), np.empty(u)
    left, light, blocks = np.zeros((u, 3)), np.empty(u), np.zeros((len(columns), 9))
    for row in prange(len(starts) - 1):
        part = np.int64(row)
        first, last, given = begins[part], begins[part + 1], 0.0
        for m in range(first, last):
            i = members[m]
            light[m] = w[i]
            mass[m] = 1.0 / w[i] if w[i] > 0.0 else 0.0
            for e in range(3):
                own[m, e], gone[m, e] = x[i, e], 0.0
                p[m, e] = eased[i, e] if w[i] > 0.0 else 0.0
                given = max(given, abs(p[m, e]))
        _linearised(own, nodes, numbers, places, starts[part], starts[part + 1], dt * dt, left, blocks)
        off = 0.0
        for m in range(first, last):
            for e in range(3):
                off += light[m] * left[m, e] ** 2
                if given == 0.0:
                    p[m, e] = light[m] * left[m, e]
        enough = max(CLOSE * CLOSE * off, LEAST * LEAST)
        for _ in range(rounds):
            if off <= enough:
                break
            curve, along, back = _times(blocks, lines, columns, mass, first, last, p, q), 0.0, 0.0
            for m in range(first, last):
                along += p[m, 0] * left[m, 0] + p[m, 1] * left[m, 1] + p[m, 2] * left[m, 2]
            far, off = along / curve, 0.0
            for m in range(first, last):
                for e in range(3):
                    gone[m, e] += far * p[m, e]
                    left[m, e] -= far * q[m, e]
                    off += light[m] * left[m, e] ** 2
                    back += light[m] * left[m, e] * q[m, e]
            for m in range(first, last):
                for e in range(3):
                    p[m, e] = light[m] * left[m, e] - back / curve * p[m, e]
        for m in range(first, last):
            for e in range(3):
                eased[members[m], e] = gone[m, e]
                x[members[m], e] += gone[m, e]
