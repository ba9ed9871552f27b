"""Kernels that solve for cloth that is pulled: a step of Newton's method in each small step, by conjugate gradients.

Each triangle holds half its stiffness times the square of how much longer than at rest it is along either of its two
ways, and of how far these are off right angles. Its tangent leaves out all that would push vertices on, so that the
matrix is positive (Baraff and Witkin 1998). What hangs together is solved by itself, so that the result is the same on
any number of threads.

The gradients are conditioned by going through vertices there and back, each moved as those before it have been; of the
matrix only its halves are needed then, K = D + L and its transpose (Eisenstat 1981). The first direction is how the
pull moved vertices in the small step before: what hangs, or is pulled alike for a time, is solved for at once, however
many triangles it has.
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
def _count_own(own, i, a):
    """Count a vertex's own matrix, which is the same turned: its upper half, by rows."""
    own[i, 0], own[i, 1], own[i, 2] = own[i, 0] + a[0], own[i, 1] + a[1], own[i, 2] + a[2]
    own[i, 3], own[i, 4], own[i, 5] = own[i, 3] + a[4], own[i, 4] + a[5], own[i, 5] + a[8]


@njit(cache=True, inline="always")
def _count(blocks, place, turned, much, a):
    """Count a matrix of two vertices, turned where their pair has them the other way round."""
    if turned:
        for e in range(9):
            blocks[place, e] += much * a[e % 3 * 3 + e // 3]
    else:
        for e in range(9):
            blocks[place, e] += much * a[e]


@njit(cache=True, inline="always")
def _push(force, i, much, a):
    force[i, 0], force[i, 1], force[i, 2] = (
        force[i, 0] + much * a[0], force[i, 1] + much * a[1], force[i, 2] + much * a[2]
    )  # fmt: skip


@njit(cache=True, nogil=True)
def _linearised(x, nodes, numbers, places, first, last, square, force, own, blocks):
    """Add how triangles from first to last pull to `force` (u, 3), in place, and how that changes with vertices to
    `own` (u, 6), of each by itself, and `blocks` (P, 9), of pairs, all times the small step squared."""
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
        _count_own(own, a, _joined(1.0, ab, 1.0, ac))
        _count_own(own, b, bb)
        _count_own(own, c, cc)
        _count(blocks, place[0], a > b, -1.0, ab)
        _count(blocks, place[1], a > c, -1.0, ac)
        _count(blocks, place[2], b > c, 1.0, bc)


@njit(cache=True, inline="always")
def _by(own, m, a):
    """A vertex's own matrix times a vector."""
    return (
        own[m, 0] * a[0] + own[m, 1] * a[1] + own[m, 2] * a[2], own[m, 1] * a[0] + own[m, 3] * a[1] + own[m, 4] * a[2],
        own[m, 2] * a[0] + own[m, 4] * a[1] + own[m, 5] * a[2],
    )  # fmt: skip


@njit(cache=True, inline="always")
def _at(p, m):
    return p[m, 0], p[m, 1], p[m, 2]


@njit(cache=True, inline="always")
def _of_later(blocks, lines, columns, m, p):
    """What p (u, 3) of the vertices that come later counts at vertex m."""
    x, y, z = 0.0, 0.0, 0.0
    for k in range(lines[m], lines[m + 1]):
        j = columns[k]
        a, b, c = p[j, 0], p[j, 1], p[j, 2]
        x += blocks[k, 0] * a + blocks[k, 1] * b + blocks[k, 2] * c
        y += blocks[k, 3] * a + blocks[k, 4] * b + blocks[k, 5] * c
        z += blocks[k, 6] * a + blocks[k, 7] * b + blocks[k, 8] * c
    return x, y, z


@njit(cache=True, nogil=True)
def _fit(light, own, inverse, blocks, lines, columns, force, first, last):
    """Vertices that nothing moves hang on none and are not pulled, in place; the inverses of own matrices (u, 6)."""
    for m in range(first, last):
        for k in range(lines[m], lines[m + 1]):
            if light[m] == 0.0 or light[columns[k]] == 0.0:
                blocks[k] = 0.0
        if light[m] == 0.0:
            force[m], own[m] = 0.0, 0.0
            own[m, 0] = own[m, 3] = own[m, 5] = 1.0
        a, b, c, d, e, f = own[m, 0], own[m, 1], own[m, 2], own[m, 3], own[m, 4], own[m, 5]
        p, q, r = d * f - e * e, c * e - b * f, b * e - c * d
        much = 1.0 / (a * p + b * q + c * r)
        inverse[m, 0], inverse[m, 1], inverse[m, 2] = much * p, much * q, much * r
        inverse[m, 3], inverse[m, 4], inverse[m, 5] = (
            much * (a * f - c * c), much * (b * c - a * e), much * (a * d - b * b)
        )  # fmt: skip


@njit(cache=True, nogil=True)
def _there(inverse, blocks, lines, columns, first, last, left):
    """The inverse of K times what is left (u, 3), in place."""
    for m in range(first, last):
        a, b, c = _by(inverse, m, _at(left, m))
        left[m, 0], left[m, 1], left[m, 2] = a, b, c
        for k in range(lines[m], lines[m + 1]):
            j = columns[k]
            left[j, 0] -= blocks[k, 0] * a + blocks[k, 3] * b + blocks[k, 6] * c
            left[j, 1] -= blocks[k, 1] * a + blocks[k, 4] * b + blocks[k, 7] * c
            left[j, 2] -= blocks[k, 2] * a + blocks[k, 5] * b + blocks[k, 8] * c


@njit(cache=True, nogil=True)
def _times(inverse, blocks, lines, columns, first, last, p, way, q):
    """The conditioned matrix times p (u, 3), into q (u, 3), and what moves vertices so, into `way` (u, 3). Returns p
    times that."""
    for m in range(last - np.int64(1), np.int64(first) - 1, -1):
        x, y, z = _of_later(blocks, lines, columns, m, way)
        q[m, 0], q[m, 1], q[m, 2] = x, y, z
        way[m, 0], way[m, 1], way[m, 2] = _by(inverse, m, (p[m, 0] - x, p[m, 1] - y, p[m, 2] - z))
    _there(inverse, blocks, lines, columns, first, last, q)
    for m in range(first, last):
        for c in range(3):
            q[m, c] += way[m, c]
    return _summed(p, q, first, last)


@njit(cache=True, nogil=True)
def _summed(p, q, first, last):
    x = y = z = 0.0  # sums that do not wait for one another
    for m in range(first, last):
        x += p[m, 0] * q[m, 0]
        y += p[m, 1] * q[m, 1]
        z += p[m, 2] * q[m, 2]
    return x + y + z


@njit(cache=True, nogil=True)
def _off(own, left, first, last):
    """How much is left in all, by the energy that it stands for."""
    off = 0.0
    for m in range(first, last):
        a, b, c = _by(own, m, _at(left, m))
        off += left[m, 0] * a + left[m, 1] * b + left[m, 2] * c
    return off


@njit(cache=True, nogil=True)
def _turn(own, left, share, first, last, p):
    """The next direction: that of what is left, and a share of the last."""
    for m in range(first, last):
        a, b, c = _by(own, m, _at(left, m))
        p[m, 0], p[m, 1], p[m, 2] = a + share * p[m, 0], b + share * p[m, 1], c + share * p[m, 2]


@njit(cache=True, parallel=True, nogil=True)
def strained(x, w, nodes, numbers, members, starts, begins, lines, columns, places, rounds, dt, eased):
    """Move vertices (n, 3) in place as triangles that are pulled would have them at the end of a small step of dt
    seconds; `w` (n,) is one over their masses, and the triangles' numbers (T, 7) are in the order of a `Web`. `eased`
    (n, 3) is by how much the small step before moved them so, and becomes that of this one; there are so many `rounds`
    at most."""
    u = len(members)
    here, gone, way, p, q = np.empty((u, 3)), np.empty((u, 3)), np.empty((u, 3)), np.empty((u, 3)), np.empty((u, 3))
    left, light, own, inverse = np.zeros((u, 3)), np.empty(u), np.zeros((u, 6)), np.empty((u, 6))
    blocks = np.zeros((len(columns), 9))
    for row in prange(len(starts) - 1):
        part = np.int64(row)
        first, last, given = begins[part], begins[part + 1], 0.0
        for m in range(first, last):
            i = members[m]
            light[m] = w[i]
            own[m, 0] = own[m, 3] = own[m, 5] = 1.0 / w[i] if w[i] > 0.0 else 0.0
            for e in range(3):
                here[m, e], gone[m, e] = x[i, e], 0.0
                way[m, e] = eased[i, e] if w[i] > 0.0 else 0.0
                given = max(given, abs(way[m, e]))
        _linearised(here, nodes, numbers, places, starts[part], starts[part + 1], dt * dt, left, own, blocks)
        _fit(light, own, inverse, blocks, lines, columns, left, first, last)
        _there(inverse, blocks, lines, columns, first, last, left)
        off = _off(own, left, first, last)
        enough = max(CLOSE * CLOSE * off, LEAST * LEAST)
        for m in range(first, last):
            its_own, later = _by(own, m, _at(way, m)), _of_later(blocks, lines, columns, m, way)
            for e in range(3):
                p[m, e] = its_own[e] + later[e]
        if given == 0.0:
            _turn(own, left, 0.0, first, last, p)
        for turn in range(rounds):
            if off <= enough:
                break
            curve = _times(inverse, blocks, lines, columns, first, last, p, way, q)
            along = off if turn else _summed(p, left, first, last)  # the first direction is not that of what is left
            far = along / curve
            for m in range(first, last):
                for e in range(3):
                    gone[m, e] += far * way[m, e]
                    left[m, e] -= far * q[m, e]
            before, off = off, _off(own, left, first, last)
            share = off / before
            if turn == 0:
                share = 0.0
                for m in range(first, last):
                    a, b, c = _by(own, m, _at(left, m))
                    share -= (a * q[m, 0] + b * q[m, 1] + c * q[m, 2]) / curve
            _turn(own, left, share, first, last, p)
        for m in range(first, last):
            for e in range(3):
                eased[members[m], e] = gone[m, e]
                x[members[m], e] += gone[m, e]
