"""Kernels that let energies move vertices: extended position-based dynamics (Macklin, Müller and Chentanez 2016), one
round in each of many small steps (Macklin and others 2019).

An energy half k C² moves its vertices along the slope of C by what it then lacks. What calms moves not their places
but their velocities, so that C goes slower: `damping` (n,) is the time in which it gives way, seconds, by its first
vertex. So damping is nothing where nothing moves. Each group's energies have no vertex in common, so they may go side
by side.
"""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.vectors import at, dot, plus, put, times

LEAST = 1e-12
PARTS = 8  # of a group, that go side by side


@njit(cache=True, inline="always")
def _mixed(p, q, r, a, b, c):
    """Three vectors by as much as each counts."""
    return plus(plus(times(p, a), q, b), r, c)


@njit(cache=True, inline="always")
def _ways(u, v):
    """One over the lengths of both ways of a triangle, and these ways as long as 1."""
    lu, lv = 1.0 / max(math.sqrt(dot(u, u)), LEAST), 1.0 / max(math.sqrt(dot(v, v)), LEAST)
    return lu, lv, times(lu, u), times(lv, v)


@njit(cache=True, inline="always")
def _askew(lu, lv, u, v, ua, ub, uc, va, vb, vc):
    """How far both ways are off right angles, and its slopes by the three vertices."""
    value = dot(u, v)
    p, q = times(lu, plus(v, -value, u)), times(lv, plus(u, -value, v))
    return value, plus(times(ua, p), va, q), plus(times(ub, p), vb, q), plus(times(uc, p), vc, q)


@njit(cache=True, inline="always")
def _pulled(a, b, c, wa, wb, wc, sa, sb, sc, stiff):
    """Where vertices a, b and c are put as one way of their triangle, in which they count sa, sb and sc, becomes 1
    long; `stiff` is k dt²."""
    way = _mixed(sa, sb, sc, a, b, c)
    long = max(math.sqrt(dot(way, way)), LEAST)
    go = (1.0 - long) / ((wa * sa * sa + wb * sb * sb + wc * sc * sc + 1.0 / stiff) * long)
    return plus(a, go * wa * sa, way), plus(b, go * wb * sb, way), plus(c, go * wc * sc, way)


@njit(cache=True)
def _stretched_some(x, w, nodes, numbers, first, last, dt):
    """Triangles from first to last, in place."""
    for t in range(first, last):
        i, j, k = nodes[t, 0], nodes[t, 1], nodes[t, 2]
        wa, wb, wc = w[i], w[j], w[k]
        if wa + wb + wc <= 0.0:
            continue
        ub, vb, uc, vc = numbers[t, 0], numbers[t, 1], numbers[t, 2], numbers[t, 3]
        ua, va, square = -ub - uc, -vb - vc, dt * dt * numbers[t, 4]
        stiff, shear = square * numbers[t, 5], square * numbers[t, 6]
        a, b, c = at(x, i), at(x, j), at(x, k)
        if stiff > 0.0:
            a, b, c = _pulled(a, b, c, wa, wb, wc, ua, ub, uc, stiff)
            a, b, c = _pulled(a, b, c, wa, wb, wc, va, vb, vc, stiff)
        if shear > 0.0:
            lu, lv, u, v = _ways(_mixed(ua, ub, uc, a, b, c), _mixed(va, vb, vc, a, b, c))
            value, to_a, to_b, to_c = _askew(lu, lv, u, v, ua, ub, uc, va, vb, vc)
            go = -value / (wa * dot(to_a, to_a) + wb * dot(to_b, to_b) + wc * dot(to_c, to_c) + 1.0 / shear)
            a, b, c = plus(a, go * wa, to_a), plus(b, go * wb, to_b), plus(c, go * wc, to_c)
        put(x, i, a)
        put(x, j, b)
        put(x, k, c)


@njit(cache=True, parallel=True, nogil=True)
def stretched(x, w, nodes, numbers, groups, dt):
    """Triangles, in place: lengths along their two ways become 1, and these stay at right angles."""
    for g in range(len(groups) - 1):
        many = groups[g + 1] - groups[g]
        for part in prange(PARTS):
            first = groups[g] + many * np.int64(part) // PARTS
            last = groups[g] + many * (np.int64(part) + 1) // PARTS
            _stretched_some(x, w, nodes, numbers, first, last, dt)


@njit(cache=True, inline="always")
def _slowed(way, a, b, c, wa, wb, wc, sa, sb, sc, drag):
    """What is left of the velocities a, b and c of vertices as a triangle's length along a way, in which they count sa,
    sb and sc, goes slower."""
    go = -drag * dot(way, _mixed(sa, sb, sc, a, b, c)) / (1.0 + drag * (wa * sa * sa + wb * sb * sb + wc * sc * sc))
    return plus(a, go * wa * sa, way), plus(b, go * wb * sb, way), plus(c, go * wc * sc, way)


@njit(cache=True)
def _calmed_some(x, y, w, nodes, numbers, first, last, dt, damping):
    """Triangles from first to last, of velocities y, in place."""
    for t in range(first, last):
        i, j, k = nodes[t, 0], nodes[t, 1], nodes[t, 2]
        wa, wb, wc, much = w[i], w[j], w[k], dt * damping[i] * numbers[t, 4]
        if wa + wb + wc <= 0.0:
            continue
        ub, vb, uc, vc = numbers[t, 0], numbers[t, 1], numbers[t, 2], numbers[t, 3]
        ua, va, drag, shear = -ub - uc, -vb - vc, much * numbers[t, 5], much * numbers[t, 6]
        a, b, c = at(x, i), at(x, j), at(x, k)
        lu, lv, u, v = _ways(_mixed(ua, ub, uc, a, b, c), _mixed(va, vb, vc, a, b, c))
        a, b, c = at(y, i), at(y, j), at(y, k)
        a, b, c = _slowed(u, a, b, c, wa, wb, wc, ua, ub, uc, drag)
        a, b, c = _slowed(v, a, b, c, wa, wb, wc, va, vb, vc, drag)
        if shear > 0.0:
            _, to_a, to_b, to_c = _askew(lu, lv, u, v, ua, ub, uc, va, vb, vc)
            slope = wa * dot(to_a, to_a) + wb * dot(to_b, to_b) + wc * dot(to_c, to_c)
            go = -shear * (dot(to_a, a) + dot(to_b, b) + dot(to_c, c)) / (1.0 + shear * slope)
            a, b, c = plus(a, go * wa, to_a), plus(b, go * wb, to_b), plus(c, go * wc, to_c)
        put(y, i, a)
        put(y, j, b)
        put(y, k, c)


@njit(cache=True, parallel=True, nogil=True)
def calmed(x, v, w, nodes, numbers, groups, dt, damping):
    """Triangles, in place: velocities (n, 3) that stretch or shear them are less."""
    for g in range(len(groups) - 1):
        many = groups[g + 1] - groups[g]
        for part in prange(PARTS):
            first = groups[g] + many * np.int64(part) // PARTS
            last = groups[g] + many * (np.int64(part) + 1) // PARTS
            _calmed_some(x, v, w, nodes, numbers, first, last, dt, damping)


@njit(cache=True, nogil=True)
def pulled_most(x, nodes, numbers, most):
    """By how much triangles are longer than at rest along either of their ways, the most about each vertex, into `most`
    (n,), which is no less than it was."""
    for t in range(len(nodes)):
        a, b, c = at(x, nodes[t, 0]), at(x, nodes[t, 1]), at(x, nodes[t, 2])
        for way in range(2):
            sb, sc = numbers[t, way], numbers[t, 2 + way]
            along = _mixed(-sb - sc, sb, sc, a, b, c)
            long = math.sqrt(dot(along, along)) - 1.0
            for n in range(3):
                most[nodes[t, n]] = max(most[nodes[t, n]], long)


@njit(cache=True, nogil=True)
def faced(x, nodes, normal):
    """The mean of the normals of triangles about each vertex by their areas, into `normal` (n, 3), which are 0."""
    for t in range(len(nodes)):
        a = at(x, nodes[t, 0])
        ux, uy, uz = plus(at(x, nodes[t, 1]), -1.0, a)
        vx, vy, vz = plus(at(x, nodes[t, 2]), -1.0, a)
        for n in range(3):
            i = nodes[t, n]
            normal[i, 0] += uy * vz - uz * vy
            normal[i, 1] += uz * vx - ux * vz
            normal[i, 2] += ux * vy - uy * vx
    for i in range(len(normal)):
        long = math.sqrt(dot(at(normal, i), at(normal, i)))
        if long > 0.0:
            normal[i, 0], normal[i, 1], normal[i, 2] = normal[i, 0] / long, normal[i, 1] / long, normal[i, 2] / long


@njit(cache=True, parallel=True, nogil=True)
def squashed(x, v, w, nodes, numbers, groups, dt, damping, calms):
    """Tetrahedra, in place: what is left of their volume and of their shape, both at once."""
    y = v if calms else x
    for g in range(len(groups) - 1):
        for row in prange(groups[g], groups[g + 1]):
            t = np.int64(row)
            volume, mu, lame = numbers[t, 9], numbers[t, 10], numbers[t, 11]
            f, cof = np.zeros((3, 3)), np.zeros((3, 3))
            for r in range(3):
                for n in range(3):
                    side = x[nodes[t, n + 1], r] - x[nodes[t, 0], r]
                    for c in range(3):
                        f[r, c] += side * numbers[t, 3 * n + c]
            for r in range(3):
                r1, r2 = (r + 1) % 3, (r + 2) % 3
                for c in range(3):
                    c1, c2 = (c + 1) % 3, (c + 2) % 3
                    cof[r, c] = f[r1, c1] * f[r2, c2] - f[r1, c2] * f[r2, c1]
            det = f[0, 0] * cof[0, 0] + f[0, 1] * cof[0, 1] + f[0, 2] * cof[0, 2]
            size = 0.0
            for r in range(3):
                for c in range(3):
                    size += f[r, c] * f[r, c]
            size = max(math.sqrt(size), LEAST)
            # Slopes of both conditions: of the volume (h) and of the shape (d), by vertices.
            h, d = np.zeros((4, 3)), np.zeros((4, 3))
            for n in range(3):
                for r in range(3):
                    for c in range(3):
                        h[n + 1, r] += cof[r, c] * numbers[t, 3 * n + c]
                        d[n + 1, r] += f[r, c] / size * numbers[t, 3 * n + c]
                    h[0, r] -= h[n + 1, r]
                    d[0, r] -= d[n + 1, r]
            hh, hd, dd, rate_h, rate_d = 0.0, 0.0, 0.0, 0.0, 0.0
            for n in range(4):
                i = nodes[t, n]
                for r in range(3):
                    hh += w[i] * h[n, r] * h[n, r]
                    hd += w[i] * h[n, r] * d[n, r]
                    dd += w[i] * d[n, r] * d[n, r]
                    rate_h += h[n, r] * v[i, r]
                    rate_d += d[n, r] * v[i, r]
            if hh <= 0.0:
                continue
            if calms:
                drag = volume * damping[nodes[t, 0]] * dt
                value_h, value_d = rate_h, rate_d
                hh, dd = hh + 1.0 / (lame * drag), dd + 1.0 / (mu * drag)
            else:
                value_h, value_d = det - 1.0 - mu / lame, size
                hh, dd = hh + 1.0 / (lame * volume * dt * dt), dd + 1.0 / (mu * volume * dt * dt)
            under = hh * dd - hd * hd
            go_h, go_d = (hd * value_d - dd * value_h) / under, (hd * value_h - hh * value_d) / under
            for n in range(4):
                i = nodes[t, n]
                for r in range(3):
                    y[i, r] += w[i] * (go_h * h[n, r] + go_d * d[n, r])
