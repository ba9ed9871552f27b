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


@njit(cache=True, parallel=True, nogil=True)
def stretched(x, v, w, nodes, numbers, groups, dt, damping, calms):
    """Triangles, in place: lengths along their two ways become 1, and these stay at right angles."""
    y = v if calms else x
    for g in range(len(groups) - 1):
        for row in prange(groups[g], groups[g + 1]):
            t = np.int64(row)
            a, b, c = nodes[t, 0], nodes[t, 1], nodes[t, 2]
            wa, wb, wc = w[a], w[b], w[c]
            if wa + wb + wc <= 0.0:
                continue
            area = numbers[t, 4]
            ub, vb, uc, vc = numbers[t, 0], numbers[t, 1], numbers[t, 2], numbers[t, 3]
            ua, va = -ub - uc, -vb - vc
            for way in range(3):
                k = area * (numbers[t, 6] if way == 2 else numbers[t, 5])
                if k <= 0.0:
                    continue
                ux = ub * (x[b, 0] - x[a, 0]) + uc * (x[c, 0] - x[a, 0])
                uy = ub * (x[b, 1] - x[a, 1]) + uc * (x[c, 1] - x[a, 1])
                uz = ub * (x[b, 2] - x[a, 2]) + uc * (x[c, 2] - x[a, 2])
                vx = vb * (x[b, 0] - x[a, 0]) + vc * (x[c, 0] - x[a, 0])
                vy = vb * (x[b, 1] - x[a, 1]) + vc * (x[c, 1] - x[a, 1])
                vz = vb * (x[b, 2] - x[a, 2]) + vc * (x[c, 2] - x[a, 2])
                lu = max(math.sqrt(ux * ux + uy * uy + uz * uz), LEAST)
                lv = max(math.sqrt(vx * vx + vy * vy + vz * vz), LEAST)
                ux, uy, uz, vx, vy, vz = ux / lu, uy / lu, uz / lu, vx / lv, vy / lv, vz / lv
                # How each vertex turns C: along p by sp, along q by sq.
                if way == 0:
                    value, px, py, pz, pa, pb, pc = lu - 1.0, ux, uy, uz, ua, ub, uc
                    qx, qy, qz, qa, qb, qc = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
                elif way == 1:
                    value, px, py, pz, pa, pb, pc = lv - 1.0, vx, vy, vz, va, vb, vc
                    qx, qy, qz, qa, qb, qc = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
                else:
                    value = ux * vx + uy * vy + uz * vz
                    px, py, pz = (vx - value * ux) / lu, (vy - value * uy) / lu, (vz - value * uz) / lu
                    qx, qy, qz = (ux - value * vx) / lv, (uy - value * vy) / lv, (uz - value * vz) / lv
                    pa, pb, pc, qa, qb, qc = ua, ub, uc, va, vb, vc
                slope, rate = 0.0, 0.0
                for n in range(3):
                    i = a if n == 0 else (b if n == 1 else c)
                    sp = pa if n == 0 else (pb if n == 1 else pc)
                    sq = qa if n == 0 else (qb if n == 1 else qc)
                    gx, gy, gz = sp * px + sq * qx, sp * py + sq * qy, sp * pz + sq * qz
                    slope += w[i] * (gx * gx + gy * gy + gz * gz)
                    rate += gx * v[i, 0] + gy * v[i, 1] + gz * v[i, 2]
                go = _moved(value, slope, rate, k, dt, damping[a], calms)
                for n in range(3):
                    i = a if n == 0 else (b if n == 1 else c)
                    sp = pa if n == 0 else (pb if n == 1 else pc)
                    sq = qa if n == 0 else (qb if n == 1 else qc)
                    y[i, 0] += w[i] * go * (sp * px + sq * qx)
                    y[i, 1] += w[i] * go * (sp * py + sq * qy)
                    y[i, 2] += w[i] * go * (sp * pz + sq * qz)


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
