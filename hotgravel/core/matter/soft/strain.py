"""Kernels that solve for cloth that is pulled: a step of Newton's method in each small step, by conjugate gradients.

Each triangle holds half its stiffness times the square of how much longer than at rest it is along either of its two
ways, and of how far these are off right angles. Its tangent leaves out all that would push vertices on, so that the
matrix is positive (Baraff and Witkin 1998). What hangs together is solved by itself, so that the result is the same on
any number of threads. What lies on something that does not give way is solved for along that alone, as they filter
their gradients; what then pulls it into that is told, for it to rub and press by.

The gradients are conditioned by going through vertices there and back, each moved as those before it have been; of the
matrix only its halves are needed then, K = D + L and its transpose (Eisenstat 1981). The first direction is how the
pull moved vertices in the small step before: what hangs, or is pulled alike for a time, is solved for at once, however
many triangles it has.
"""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.vectors import at, dot, mixed, plus, put, times

LEAST = 1e-12
CLOSE = 1e-2  # of what was off before: so little is left off


@njit(cache=True, inline="always")
def _along(p, a, q, b, much):
    """The matrix p a aT + q b bT, with so `much` more on its diagonal: its upper half, by rows."""
    x, y, z, u, v, w = p * a[0], p * a[1], p * a[2], q * b[0], q * b[1], q * b[2]
    return (
        x * a[0] + u * b[0] + much, x * a[1] + u * b[1], x * a[2] + u * b[2],
        y * a[1] + v * b[1] + much, y * a[2] + v * b[2], z * a[2] + w * b[2] + much,
    )  # fmt: skip


@njit(cache=True, inline="always")
def _both(sign, a, b):
    """The sum of two upper halves, or less than nothing by as much."""
    return (
        sign * (a[0] + b[0]), sign * (a[1] + b[1]), sign * (a[2] + b[2]),
        sign * (a[3] + b[3]), sign * (a[4] + b[4]), sign * (a[5] + b[5]),
    )  # fmt: skip


@njit(cache=True, inline="always")
def _count_own(own, m, a, s):
    """Count the upper half a and that of s sT as a vertex's own."""
    own[m, 0], own[m, 1], own[m, 2], own[m, 3], own[m, 4], own[m, 5] = (
        own[m, 0] + a[0] + s[0] * s[0], own[m, 1] + a[1] + s[0] * s[1], own[m, 2] + a[2] + s[0] * s[2],
        own[m, 3] + a[3] + s[1] * s[1], own[m, 4] + a[4] + s[1] * s[2], own[m, 5] + a[5] + s[2] * s[2],
    )  # fmt: skip


@njit(cache=True, inline="always")
def _count(blocks, k, a, s, t):
    """Count the matrix of the upper half a and s tT as that of a pair."""
    blocks[k, 0], blocks[k, 1], blocks[k, 2] = (
        blocks[k, 0] + a[0] + s[0] * t[0], blocks[k, 1] + a[1] + s[0] * t[1], blocks[k, 2] + a[2] + s[0] * t[2]
    )  # fmt: skip
    blocks[k, 3], blocks[k, 4], blocks[k, 5] = (
        blocks[k, 3] + a[1] + s[1] * t[0], blocks[k, 4] + a[3] + s[1] * t[1], blocks[k, 5] + a[4] + s[1] * t[2]
    )  # fmt: skip
    blocks[k, 6], blocks[k, 7], blocks[k, 8] = (
        blocks[k, 6] + a[2] + s[2] * t[0], blocks[k, 7] + a[4] + s[2] * t[1], blocks[k, 8] + a[5] + s[2] * t[2]
    )  # fmt: skip


@njit(cache=True, inline="always")
def _pulling(x, nodes, numbers, t, square):
    """How a triangle pulls, times the small step squared: how stiff it is, both its ways, as long as 1, and one over
    their lengths, how much more askew it is as its second and its third vertex move, by the root of what that counts,
    and the pull on these two, turned round."""
    ub, vb, uc, vc = numbers[t, 0], numbers[t, 1], numbers[t, 2], numbers[t, 3]
    k, shear = square * numbers[t, 4] * numbers[t, 5], square * numbers[t, 4] * numbers[t, 6]
    corner = at(x, nodes[t, 0])
    to_b, to_c = plus(at(x, nodes[t, 1]), -1.0, corner), plus(at(x, nodes[t, 2]), -1.0, corner)
    u, v = mixed(ub, to_b, uc, to_c), mixed(vb, to_b, vc, to_c)
    long_u, long_v = max(math.sqrt(dot(u, u)), LEAST), max(math.sqrt(dot(v, v)), LEAST)
    lu, lv = 1.0 / long_u, 1.0 / long_v
    u, v = times(lu, u), times(lv, v)
    askew, root = dot(u, v), math.sqrt(shear)
    p, q = mixed(root * lu, v, -root * lu * askew, u), mixed(root * lv, u, -root * lv * askew, v)
    sb, sc = mixed(ub, p, vb, q), mixed(uc, p, vc, q)
    of_u, of_v = times(k * (long_u - 1.0), u), times(k * (long_v - 1.0), v)
    to_b = plus(mixed(ub, of_u, vb, of_v), root * askew, sb)
    to_c = plus(mixed(uc, of_u, vc, of_v), root * askew, sc)
    return k, u, v, lu, lv, sb, sc, to_b, to_c


@njit(cache=True, inline="always")
def _pull_on(force, nodes, t, to_b, to_c):
    """Count how a triangle pulls, in place."""
    a, b, c = nodes[t, 0], nodes[t, 1], nodes[t, 2]
    put(force, a, plus(plus(at(force, a), 1.0, to_b), 1.0, to_c))
    put(force, b, plus(at(force, b), -1.0, to_b))
    put(force, c, plus(at(force, c), -1.0, to_c))


@njit(cache=True, nogil=True)
def _pulled(x, nodes, numbers, square, force):
    """Add how triangles pull to `force` (u, 3), in place, times the small step squared."""
    for t in range(len(nodes)):
        _, _, _, _, _, _, _, to_b, to_c = _pulling(x, nodes, numbers, t, square)
        _pull_on(force, nodes, t, to_b, to_c)


@njit(cache=True, nogil=True)
def _linearised(x, nodes, numbers, places, square, force, own, blocks):
    """The same, and how that changes with vertices, to `own` (u, 6), of each by itself, and `blocks` (P, 9), of
    pairs."""
    for t in range(len(nodes)):
        a, b, c = nodes[t, 0], nodes[t, 1], nodes[t, 2]
        ub, vb, uc, vc = numbers[t, 0], numbers[t, 1], numbers[t, 2], numbers[t, 3]
        k, u, v, lu, lv, sb, sc, to_b, to_c = _pulling(x, nodes, numbers, t, square)
        _pull_on(force, nodes, t, to_b, to_c)
        sa = mixed(-1.0, sb, -1.0, sc)
        taut_u, taut_v = k * max(0.0, 1.0 - lu), k * max(0.0, 1.0 - lv)
        ku, kv = k - taut_u, k - taut_v
        # Those of b and c; a's is what takes all sums to nothing.
        bb = _along(ku * ub * ub, u, kv * vb * vb, v, taut_u * ub * ub + taut_v * vb * vb)
        bc = _along(ku * ub * uc, u, kv * vb * vc, v, taut_u * ub * uc + taut_v * vb * vc)
        cc = _along(ku * uc * uc, u, kv * vc * vc, v, taut_u * uc * uc + taut_v * vc * vc)
        ab, ac = _both(-1.0, bb, bc), _both(-1.0, bc, cc)
        _count_own(own, a, _both(-1.0, ab, ac), sa)
        _count_own(own, b, bb, sb)
        _count_own(own, c, cc, sc)
        _count(blocks, places[t, 0], ab, sa, sb)
        _count(blocks, places[t, 1], ac, sa, sc)
        _count(blocks, places[t, 2], bc, sb, sc)


@njit(cache=True, inline="always")
def _by(own, m, a):
    """A vertex's own matrix times a vector."""
    return (
        own[m, 0] * a[0] + own[m, 1] * a[1] + own[m, 2] * a[2], own[m, 1] * a[0] + own[m, 3] * a[1] + own[m, 4] * a[2],
        own[m, 2] * a[0] + own[m, 4] * a[1] + own[m, 5] * a[2],
    )  # fmt: skip


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


@njit(cache=True, inline="always")
def _kept_on(out, m, matrix):
    """A vertex's own matrix, in place, for motion along what it lies on, out of which the m-th of `out` leads: less
    what goes out or in, which counts by itself alone. Returns how much that is."""
    n = at(out, m)
    along = _by(matrix, m, n)
    much = dot(along, n)
    p = plus(along, -much, n)
    matrix[m, 0] -= 2.0 * p[0] * n[0]
    matrix[m, 1] -= p[0] * n[1] + n[0] * p[1]
    matrix[m, 2] -= p[0] * n[2] + n[0] * p[2]
    matrix[m, 3] -= 2.0 * p[1] * n[1]
    matrix[m, 4] -= p[1] * n[2] + n[1] * p[2]
    matrix[m, 5] -= 2.0 * p[2] * n[2]
    return much


@njit(cache=True, inline="always")
def _parted(out, m, j, blocks, k):
    """The matrix of a pair, in place, for motion of both along what they lie on, out of which `out` leads; 0 where they
    lie on nothing."""
    n, o = at(out, m), at(out, j)
    for c in range(3):
        b = n[0] * blocks[k, c] + n[1] * blocks[k, 3 + c] + n[2] * blocks[k, 6 + c]
        for r in range(3):
            blocks[k, 3 * r + c] -= n[r] * b
    for r in range(3):
        b = blocks[k, 3 * r] * o[0] + blocks[k, 3 * r + 1] * o[1] + blocks[k, 3 * r + 2] * o[2]
        for c in range(3):
            blocks[k, 3 * r + c] -= b * o[c]


@njit(cache=True, nogil=True)
def _fit(light, lies, out, own, inverse, blocks, lines, columns, force):
    """Vertices that nothing moves hang on none and are not pulled, and those that lie on something (u,), out of which
    `out` (u, 3) leads, go along it alone, in place; the inverses of own matrices (u, 6). `lies` becomes how hard it is
    to move them out."""
    for m in range(len(own)):
        for k in range(lines[m], lines[m + 1]):
            j = columns[k]
            if light[m] == 0.0 or light[j] == 0.0:
                blocks[k] = 0.0
            elif lies[m] > 0.0 or lies[j] > 0.0:
                _parted(out, m, j, blocks, k)
        if light[m] == 0.0:
            force[m], own[m] = 0.0, 0.0
            own[m, 0] = own[m, 3] = own[m, 5] = 1.0
        elif lies[m] > 0.0:
            n = at(out, m)
            put(force, m, plus(at(force, m), -dot(at(force, m), n), n))
            lies[m] = _kept_on(out, m, own)
        a, b, c, d, e, f = own[m, 0], own[m, 1], own[m, 2], own[m, 3], own[m, 4], own[m, 5]
        p, q, r = d * f - e * e, c * e - b * f, b * e - c * d
        much = 1.0 / (a * p + b * q + c * r)
        inverse[m, 0], inverse[m, 1], inverse[m, 2] = much * p, much * q, much * r
        inverse[m, 3], inverse[m, 4], inverse[m, 5] = (
            much * (a * f - c * c), much * (b * c - a * e), much * (a * d - b * b)
        )  # fmt: skip


@njit(cache=True, nogil=True)
def _there(inverse, blocks, lines, columns, left):
    """The inverse of K times what is left (u, 3), in place."""
    for m in range(len(left)):
        a, b, c = _by(inverse, m, at(left, m))
        left[m, 0], left[m, 1], left[m, 2] = a, b, c
        for k in range(lines[m], lines[m + 1]):
            j = columns[k]
            left[j, 0] -= blocks[k, 0] * a + blocks[k, 3] * b + blocks[k, 6] * c
            left[j, 1] -= blocks[k, 1] * a + blocks[k, 4] * b + blocks[k, 7] * c
            left[j, 2] -= blocks[k, 2] * a + blocks[k, 5] * b + blocks[k, 8] * c


@njit(cache=True, nogil=True)
def _there_and_back(inverse, blocks, lines, columns, p, way, q):
    """The conditioned matrix times p (u, 3), into q (u, 3), and what moves vertices so, into `way` (u, 3). Returns p
    times q."""
    for m in range(len(p) - 1, -1, -1):
        later = _of_later(blocks, lines, columns, m, way)
        put(q, m, later)
        put(way, m, _by(inverse, m, plus(at(p, m), -1.0, later)))
    _there(inverse, blocks, lines, columns, q)
    x = y = z = 0.0  # sums that do not wait for one another
    for m in range(len(p)):
        a, b, c = plus(at(q, m), 1.0, at(way, m))
        put(q, m, (a, b, c))
        x, y, z = x + p[m, 0] * a, y + p[m, 1] * b, z + p[m, 2] * c
    return x + y + z


@njit(cache=True, nogil=True)
def _gone(own, far, way, q, gone, left):
    """Vertices have `gone` (u, 3) so far along a way (u, 3), and less is `left` (u, 3) by as much of q (u, 3), in
    place; q becomes the next way down. Returns how much is left in all, by the energy that it stands for, and how much
    of that way lies along the q before."""
    off, again = 0.0, 0.0
    for m in range(len(left)):
        was = at(q, m)
        now = plus(at(left, m), -far, was)
        down = _by(own, m, now)
        put(gone, m, plus(at(gone, m), far, at(way, m)))
        put(left, m, now)
        put(q, m, down)
        off, again = off + dot(now, down), again + dot(was, down)
    return off, again


@njit(cache=True, inline="always")
def _which_lie(firm, members, light, force, way, out):
    """Which vertices (u,) are pulled into what they lie on, out of which `firm` (n, 3) leads: with that, into `out`
    (u, 3), 0 for the others; and their `way` (u, 3) goes along it, in place."""
    lies = np.zeros(len(members))
    for m in range(len(members)):
        n = at(firm, members[m])
        if light[m] > 0.0 and dot(n, n) > 0.0 and dot(at(force, m), n) < 0.0:
            lies[m] = 1.0
            put(out, m, n)
            put(way, m, plus(at(way, m), -dot(at(way, m), n), n))
    return lies


@njit(cache=True, nogil=True)
def _eased(x, w, nodes, numbers, members, lines, columns, places, rounds, dt, firm, press, eased):
    """What hangs together, as `strained` has all."""
    u, given = len(members), False
    here, light, way, out = np.empty((u, 3)), np.empty(u), np.empty((u, 3)), np.zeros((u, 3))
    left, gone, p, q = np.zeros((u, 3)), np.zeros((u, 3)), np.empty((u, 3)), np.zeros((u, 3))
    own, inverse, blocks = np.zeros((u, 6)), np.empty((u, 6)), np.zeros((len(columns), 9))
    for m in range(u):
        i = members[m]
        light[m] = w[i]
        own[m, 0] = own[m, 3] = own[m, 5] = 1.0 / w[i] if w[i] > 0.0 else 0.0
        for e in range(3):
            here[m, e], way[m, e] = x[i, e], eased[i, e] if w[i] > 0.0 else 0.0
            given |= way[m, e] != 0.0
    _linearised(here, nodes, numbers, places, dt * dt, left, own, blocks)
    lies = _which_lie(firm, members, light, left, way, out)
    _fit(light, lies, out, own, inverse, blocks, lines, columns, left)
    _there(inverse, blocks, lines, columns, left)
    off, _ = _gone(own, 0.0, way, q, gone, left)
    for m in range(u):
        a, later = _by(own, m, at(way, m)), _of_later(blocks, lines, columns, m, way)
        put(p, m, plus(a, 1.0, later) if given else at(q, m))
    enough = max(CLOSE * CLOSE * off, LEAST * LEAST)
    for turn in range(rounds):
        if off <= enough:
            break
        curve = _there_and_back(inverse, blocks, lines, columns, p, way, q)
        before, along = off, off
        if turn == 0:  # the first direction is not that of what is left
            along = 0.0
            for m in range(u):
                along += dot(at(p, m), at(left, m))
        off, again = _gone(own, along / curve, way, q, gone, left)
        share = off / before if turn else -again / curve
        for m in range(u):
            put(p, m, plus(at(q, m), share, at(p, m)))
    for m in range(u):
        put(eased, members[m], at(gone, m))
        put(x, members[m], plus(at(here, m), 1.0, at(gone, m)))
    if not lies.any():
        return
    for m in range(u):
        put(here, m, at(x, members[m]))
    left[:] = 0.0
    _pulled(here, nodes, numbers, dt * dt, left)
    for m in range(u):
        if lies[m] > 0.0:
            pull = max(0.0, -dot(at(left, m), at(out, m)))
            press[members[m], 0], press[members[m], 1] = pull / lies[m], pull / dt


@njit(cache=True, parallel=True, nogil=True)
def strained(
    x, w, nodes, numbers, members, starts, begins, pairs, lines, columns, places, rounds, dt, firm, press, eased
):
    """Move vertices (n, 3) in place as triangles that are pulled would have them at the end of a small step of dt
    seconds; `w` (n,) is one over their masses, and the triangles' numbers (T, 7) are in the order of a `Web`, for
    corners in its order. `firm` (n, 3) leads out of what they lie on that does not give way: what is pulled into that
    goes along it; into `press` (n, 2) go how far its pull then would move it into that, if it alone gave way, and how
    hard it is, N s. `eased` (n, 3) is by how much the small step before moved them so, and becomes that of this one;
    there are so many `rounds` at most."""
    for row in prange(len(starts) - 1):
        n = np.int64(row)
        t, m, k = slice(starts[n], starts[n + 1]), slice(begins[n], begins[n + 1]), slice(pairs[n], pairs[n + 1])
        line = slice(begins[n] + n, begins[n + 1] + n + 1)
        _eased(
            x, w, nodes[t], numbers[t], members[m], lines[line], columns[k], places[t], rounds, dt, firm, press, eased
        )
