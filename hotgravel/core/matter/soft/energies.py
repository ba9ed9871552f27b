"""Kernels that let energies move vertices: extended position-based dynamics (Macklin, Müller and Chentanez 2016), one
round in each of many small steps (Macklin and others 2019).

An energy half k C² moves its vertices along the slope of C by what it then lacks. Where `calms` is true it moves not
their places but their velocities, so that C goes slower: `damping` (n,) is the time in which it gives way, seconds, by
its first vertex. So damping is nothing where nothing moves. Each group's energies have no vertex in common, so they may
go side by side.
"""

import math

import numpy as np
from numba import njit, prange

LEAST = 1e-12


@njit(cache=True, inline="always")
def _moved(c, slope, rate, k, dt, damping, calms):
    """How far the multiplier of C goes: `slope` is the sum of w |grad C|², `rate` how fast C goes."""
    if calms:
        drag = k * damping * dt
        return -drag * rate / (1.0 + drag * slope)
    return -c / (slope + 1.0 / (k * dt * dt))


@njit(cache=True, inline="always")
def both_ways(ub, uc, vb, vc, ax, ay, az, bx, by, bz):
    """The two ways of a triangle whose sides from its first vertex are a and b, as long as they are stretched; the ends
    of these count ub and uc in the one, vb and vc in the other."""
    return (
        ub * ax + uc * bx, ub * ay + uc * by, ub * az + uc * bz, vb * ax + vc * bx, vb * ay + vc * by, vb * az + vc * bz
    )  # fmt: skip


@njit(cache=True, inline="always")
def _pulled(x, v, y, a, b, c, wa, wb, wc, sa, sb, sc, k, dt, damping, calms):
    """One way of a triangle, whose vertices count sa, sb and sc in it, becomes 1 long."""
    ux = sb * (x[b, 0] - x[a, 0]) + sc * (x[c, 0] - x[a, 0])
    uy = sb * (x[b, 1] - x[a, 1]) + sc * (x[c, 1] - x[a, 1])
    uz = sb * (x[b, 2] - x[a, 2]) + sc * (x[c, 2] - x[a, 2])
    long = max(math.sqrt(ux * ux + uy * uy + uz * uz), LEAST)
    rate = 0.0
    if calms:
        rate = (
            ux * (sa * v[a, 0] + sb * v[b, 0] + sc * v[c, 0]) + uy * (sa * v[a, 1] + sb * v[b, 1] + sc * v[c, 1])
            + uz * (sa * v[a, 2] + sb * v[b, 2] + sc * v[c, 2])
        ) / long  # fmt: skip
    go = _moved(long - 1.0, wa * sa * sa + wb * sb * sb + wc * sc * sc, rate, k, dt, damping, calms) / long
    ta, tb, tc = go * wa * sa, go * wb * sb, go * wc * sc
    y[a, 0], y[a, 1], y[a, 2] = y[a, 0] + ta * ux, y[a, 1] + ta * uy, y[a, 2] + ta * uz
    y[b, 0], y[b, 1], y[b, 2] = y[b, 0] + tb * ux, y[b, 1] + tb * uy, y[b, 2] + tb * uz
    y[c, 0], y[c, 1], y[c, 2] = y[c, 0] + tc * ux, y[c, 1] + tc * uy, y[c, 2] + tc * uz


@njit(cache=True, inline="always")
def _squared(x, v, y, a, b, c, wa, wb, wc, ua, ub, uc, va, vb, vc, k, dt, damping, calms):
    """Both ways of a triangle, in which its vertices count ua, ub and uc, and va, vb and vc, come to right angles."""
    ux, uy, uz, vx, vy, vz = both_ways(
        ub, uc, vb, vc, x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2],
        x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2],
    )  # fmt: skip
    lu = 1.0 / max(math.sqrt(ux * ux + uy * uy + uz * uz), LEAST)
    lv = 1.0 / max(math.sqrt(vx * vx + vy * vy + vz * vz), LEAST)
    ux, uy, uz, vx, vy, vz = ux * lu, uy * lu, uz * lu, vx * lv, vy * lv, vz * lv
    value = ux * vx + uy * vy + uz * vz
    px, py, pz = (vx - value * ux) * lu, (vy - value * uy) * lu, (vz - value * uz) * lu
    qx, qy, qz = (ux - value * vx) * lv, (uy - value * vy) * lv, (uz - value * vz) * lv
    fx, fy, fz = ua * px + va * qx, ua * py + va * qy, ua * pz + va * qz
    gx, gy, gz = ub * px + vb * qx, ub * py + vb * qy, ub * pz + vb * qz
    hx, hy, hz = uc * px + vc * qx, uc * py + vc * qy, uc * pz + vc * qz
    slope = wa * (fx * fx + fy * fy + fz * fz) + wb * (gx * gx + gy * gy + gz * gz) + wc * (hx * hx + hy * hy + hz * hz)
    rate = 0.0
    if calms:
        rate = (
            fx * v[a, 0] + fy * v[a, 1] + fz * v[a, 2] + gx * v[b, 0] + gy * v[b, 1] + gz * v[b, 2]
            + hx * v[c, 0] + hy * v[c, 1] + hz * v[c, 2]
        )  # fmt: skip
    go = _moved(value, slope, rate, k, dt, damping, calms)
    ta, tb, tc = go * wa, go * wb, go * wc
    y[a, 0], y[a, 1], y[a, 2] = y[a, 0] + ta * fx, y[a, 1] + ta * fy, y[a, 2] + ta * fz
    y[b, 0], y[b, 1], y[b, 2] = y[b, 0] + tb * gx, y[b, 1] + tb * gy, y[b, 2] + tb * gz
    y[c, 0], y[c, 1], y[c, 2] = y[c, 0] + tc * hx, y[c, 1] + tc * hy, y[c, 2] + tc * hz


@njit(cache=True, parallel=True, nogil=True)
def stretched(x, v, w, nodes, numbers, groups, dt, damping, calms):
    """Triangles, in place: lengths along their two ways become 1, and these stay at right angles."""
    y = v if calms else x
    for g in range(len(groups) - 1):
        for row in prange(groups[g], groups[g + 1]):
            t = np.int64(row)
            a, b, c = nodes[t, 0], nodes[t, 1], nodes[t, 2]
            wa, wb, wc, drag = w[a], w[b], w[c], damping[a]
            if wa + wb + wc <= 0.0:
                continue
            ub, vb, uc, vc = numbers[t, 0], numbers[t, 1], numbers[t, 2], numbers[t, 3]
            ua, va = -ub - uc, -vb - vc
            k, shear = numbers[t, 4] * numbers[t, 5], numbers[t, 4] * numbers[t, 6]
            if k > 0.0:
                _pulled(x, v, y, a, b, c, wa, wb, wc, ua, ub, uc, k, dt, drag, calms)
                _pulled(x, v, y, a, b, c, wa, wb, wc, va, vb, vc, k, dt, drag, calms)
            if shear > 0.0:
                _squared(x, v, y, a, b, c, wa, wb, wc, ua, ub, uc, va, vb, vc, shear, dt, drag, calms)


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
