"""How the surfaces of liquid in vessels swing: each a plane that hangs as a pendulum does, and waves on it.

The plane's normal is the rod of a spherical pendulum as long as 1 / (k tanh(k h)) along each of the surface's axes, in
the gravity that the vessel feels (Abramson 1966, chapter 6). Waves are what the surface departs from the plane by: to
first order, all of it together is the motion of a potential flow in a vessel with upright walls.
"""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.matter.slosh.vessel import HEIGHT, MIDDLE
from hotgravel.core.shape.turns import turn_matrix

SMALL = 0.04  # radians: what a pendulum's phase goes on by in a part of a step, at most
STEEPEST = 0.45  # of a wave, k times its height: it breaks, and is no higher
LEAST = 0.02  # of gravity along the plane's normal: less holds no wave


@njit(cache=True, nogil=True)
def hung(up, own, down, poses):
    """Vessels with poses (n, 8) and surfaces in them that hang along `down` (n, 3): the turns (n, 3, 3) of vessels, and
    in their frames normals (n, 3) and axes (n, 2, 3), which are `own` (2, 3) turned as little as takes `up` to the
    normal."""
    turn, normals, axes = np.empty((len(poses), 3, 3)), np.empty((len(poses), 3)), np.empty((len(poses), 2, 3))
    over = np.empty(3)
    for n in range(len(poses)):
        turn_matrix(poses[n, 3:7], turn[n])
        for c in range(3):
            normals[n, c] = 0.0
            for e in range(3):
                normals[n, c] -= turn[n, e, c] * down[n, e]
        about, long = 0.0, 0.0
        for c in range(3):
            d, e = (c + 1) % 3, (c + 2) % 3
            over[c] = up[d] * normals[n, e] - up[e] * normals[n, d]
            about += up[c] * normals[n, c]
            long += over[c] * over[c]
        for k in range(2):
            along = over[0] * own[k, 0] + over[1] * own[k, 1] + over[2] * own[k, 2]
            for c in range(3):
                d, e = (c + 1) % 3, (c + 2) % 3
                axes[n, k, c] = own[k, c]
                if about > -1.0 + 1e-6:
                    across = over[d] * own[k, e] - over[e] * own[k, d]
                    axes[n, k, c] += across + (over[c] * along - own[k, c] * long) / (1.0 + about)
    return turn, normals, axes


@njit(cache=True, nogil=True)
def swung_by(area, stretch, narrow, scale, volume, pull, share, number):
    """The bend, part, stiff and number that `swung` goes by, of surfaces with areas (n,) that are stretched (n, 2, 2),
    over a volume in their vessels' frames, m³, in vessels so large (n,); narrow (n, 2, 2), symmetric, makes a round
    surface of spread 1 of each; pull (2, 2), share (N, 2) and number (N,) as `Modes` has them."""
    shape = len(area), len(number)
    bend, part, stiff, made = np.zeros((len(area), 2, 2)), np.empty((*shape, 2)), np.zeros(shape), np.empty(shape)
    for n in range(len(area)):
        s, stretched = scale[n], stretch[n]
        for m in range(len(number)):
            for k in range(2):
                part[n, m, k] = s * (stretched[k, 0] * share[m, 0] + stretched[k, 1] * share[m, 1])
            made[n, m] = number[m]
        if area[n] <= 0.0:
            continue
        depth = s * volume / area[n]
        wide = s * math.sqrt(abs(stretched[0, 0] * stretched[1, 1] - stretched[0, 1] * stretched[1, 0]))
        for m in range(len(number)):
            made[n, m] = number[m] / wide
            stiff[n, m] = made[n, m] * math.tanh(made[n, m] * depth)
        a, b, d = narrow[n, 0, 0], narrow[n, 0, 1], narrow[n, 1, 1]  # the pull between two of them
        x, y, z = pull[0, 0] * a + pull[0, 1] * b, pull[0, 0] * b + pull[0, 1] * d, pull[1, 0] * b + pull[1, 1] * d
        w = pull[1, 0] * a + pull[1, 1] * b
        xx, xy, yy = a * x + b * w, a * y + b * z, b * y + d * z
        # k tanh(k h) of the root k of that: a function of a symmetric matrix of two lines is a multiple of it, and of 1
        middle, half = 0.5 * (xx + yy), math.hypot(0.5 * (xx - yy), xy)
        more, less = math.sqrt(max(middle + half, 0.0)) / s, math.sqrt(max(middle - half, 0.0)) / s
        more, less = more * math.tanh(more * depth), less * math.tanh(less * depth)
        times = 0.5 * (more - less) / half if half > 0.0 else 0.0
        plus = 0.5 * (more + less) - times * middle
        bend[n, 0, 0], bend[n, 1, 1] = times * xx + plus, times * yy + plus
        bend[n, 0, 1] = bend[n, 1, 0] = times * xy
    return bend, part, stiff, made


@njit(cache=True)
def _gone_on(x, v, rest, square, fade, dt):
    """A damped oscillator about `rest`, exactly; its frequency's square, and its damping 1/s."""
    x -= rest
    left = square - fade * fade
    if left > 0.0:
        w = math.sqrt(left)
        c, s = math.cos(w * dt), math.sin(w * dt) / w
    else:
        w = math.sqrt(-left)
        c, s = math.cosh(w * dt), (math.sinh(w * dt) / w if w > 1e-12 else dt)
    share = math.exp(-fade * dt)
    return rest + share * (c * x + s * (v + fade * x)), share * (c * v - s * (fade * v + square * x))


@njit(cache=True, parallel=True, nogil=True)
def swung(down, rate, wave, waving, pull, axes, bend, part, stiff, number, calms, dt, broke):
    """Move n surfaces on by dt seconds, in place.

    down, rate (n, 3): the rod of each pendulum, and how it turns (its own rate of change), 1/s. wave, waving (n, N):
    heights of waves, m, and their rates. pull (n, 3): the gravity that the vessel feels, m/s². axes (n, 2, 3): of the
    surface. bend (n, 2, 2): k tanh(k h) of the plane along them, 1/m. part (n, N, 2): shares of waves in a tilted
    plane, m. stiff, number (n, N): k tanh(k h) and k of the waves, 1/m. calms: damping of the plane, 1/s, which waves
    have more of as they are shorter. broke (n,): how much of their height waves have lost by breaking.
    """
    for row in prange(len(down)):
        i = np.int64(row)
        d, r, e, f = down[i].copy(), rate[i].copy(), axes[i, 0].copy(), axes[i, 1].copy()
        size = math.sqrt(pull[i, 0] ** 2 + pull[i, 1] ** 2 + pull[i, 2] ** 2)
        fastest = math.sqrt(size * max(bend[i, 0, 0], bend[i, 1, 1]))
        turning = math.sqrt(r[0] ** 2 + r[1] ** 2 + r[2] ** 2)
        parts = 1 + int(dt * max(fastest, turning) / SMALL)
        h = dt / parts
        for _ in range(parts):
            for half in range(2):
                u = pull[i, 0] * e[0] + pull[i, 1] * e[1] + pull[i, 2] * e[2]
                v = pull[i, 0] * f[0] + pull[i, 1] * f[1] + pull[i, 2] * f[2]
                a = 0.5 * h * (bend[i, 0, 0] * u + bend[i, 0, 1] * v)
                b = 0.5 * h * (bend[i, 1, 0] * u + bend[i, 1, 1] * v)
                for c in range(3):
                    r[c] += a * e[c] + b * f[c]
                if half == 1:
                    break
                turning = math.sqrt(r[0] ** 2 + r[1] ** 2 + r[2] ** 2)
                angle = turning * h
                if angle > 1e-15:
                    cos, sin = math.cos(angle), math.sin(angle)
                    for c in range(3):
                        before = d[c]
                        d[c] = before * cos + r[c] / turning * sin
                        r[c] = r[c] * cos - before * turning * sin
                    along = e[0] * d[0] + e[1] * d[1] + e[2] * d[2]
                    for c in range(3):
                        e[c] -= along * d[c]
                    long = math.sqrt(e[0] ** 2 + e[1] ** 2 + e[2] ** 2)
                    for c in range(3):
                        e[c] /= long
                    # (e, f, -d) is right-handed
                    f[0] = e[1] * d[2] - e[2] * d[1]
                    f[1] = e[2] * d[0] - e[0] * d[2]
                    f[2] = e[0] * d[1] - e[1] * d[0]
            for c in range(3):
                r[c] *= math.exp(-2.0 * calms * h)
            g = max(pull[i, 0] * d[0] + pull[i, 1] * d[1] + pull[i, 2] * d[2], LEAST * size)
            u = pull[i, 0] * e[0] + pull[i, 1] * e[1] + pull[i, 2] * e[2]
            v = pull[i, 0] * f[0] + pull[i, 1] * f[1] + pull[i, 2] * f[2]
            for n in range(wave.shape[1]):
                square = g * stiff[i, n]
                if square <= 0.0:
                    continue
                x = stiff[i, n] * u - bend[i, 0, 0] * u - bend[i, 0, 1] * v
                y = stiff[i, n] * v - bend[i, 1, 0] * u - bend[i, 1, 1] * v
                rest = (part[i, n, 0] * x + part[i, n, 1] * y) / square
                fade = calms * number[i, n] / number[i, 0]
                wave[i, n], waving[i, n] = _gone_on(wave[i, n], waving[i, n], rest, square, fade, h)
                most = STEEPEST / number[i, n]
                over = abs(wave[i, n]) / most
                if over > 1.0:
                    broke[i] += 1.0 - 1.0 / over
                    wave[i, n] /= over
                    waving[i, n] /= over
        for c in range(3):
            down[i, c], rate[i, c] = d[c], r[c]


@njit(cache=True, nogil=True)
def filmed(walls, normals, levels, stays, film):
    """Films (n, W) on walls (W, 3) are whole where liquid of these levels stands, and elsewhere a share of themselves
    stays, in place."""
    for n in range(len(film)):
        for w in range(len(walls)):
            high = walls[w, 0] * normals[n, 0] + walls[w, 1] * normals[n, 1] + walls[w, 2] * normals[n, 2]
            film[n, w] = 1.0 if high < levels[n, HEIGHT] else stays * film[n, w]


@njit(cache=True, nogil=True)
def ridden(
    mine, row, node, apart, shapes, slopes, ripples, wave, waving, place, scale, axes, up, normal, levels, stretch,
    inverse, going, tipping, level_way, there, velocity, flow, steep,
):  # fmt: skip
    """Where points `mine` (P,) of all are, that ride on the surfaces of n vessels, how they go and how steep it is
    there, in place: into those lines of `there`, `velocity` and `flow`, and of `steep`, degrees.

    row (P,), node: the vessel of each, and of all points which of its points it is. apart (K, 2): how far those are
    from the middle of the surface at rest. shapes (N, K), slopes (N, K, 2): how high waves stand there, of which
    surfaces have so much as `wave` and `waving` (n, N), times `ripples`. place, up, normal, going, tipping (n, 3), axes
    (n, 2, 3): those of surfaces in the world, axes and up as long as vessels are large (scale (n,)), tipping what they
    turn by. levels (n, LEVEL_WIDTH); stretch, inverse (n, 2, 2). level_way (n, 3): away from what pulls."""
    for r in range(len(row)):
        n, p = row[r], mine[r]
        k, lift, rise, gx, gy = node[p], 0.0, 0.0, 0.0, 0.0
        for m in range(len(shapes)):
            lift += wave[n, m] * shapes[m, k]
            rise += waving[n, m] * shapes[m, k]
            gx += wave[n, m] * slopes[m, k, 0]
            gy += wave[n, m] * slopes[m, k, 1]
        share = ripples / scale[n]
        lift, rise, gx, gy = share * lift, ripples * rise, share / scale[n] * gx, share / scale[n] * gy
        x = stretch[n, 0, 0] * apart[k, 0] + stretch[n, 0, 1] * apart[k, 1]
        y = stretch[n, 1, 0] * apart[k, 0] + stretch[n, 1, 1] * apart[k, 1]
        gx, gy = gx * inverse[n, 0, 0] + gy * inverse[n, 1, 0], gx * inverse[n, 0, 1] + gy * inverse[n, 1, 1]
        high, long, along = levels[n, HEIGHT] + lift, 0.0, 0.0
        for c in range(3):
            a, b = axes[n, 0, c], axes[n, 1, c]
            there[p, c] = place[n, c] + (x + levels[n, MIDDLE]) * a + (y + levels[n, MIDDLE + 1]) * b + high * up[n, c]
            d, e = (c + 1) % 3, (c + 2) % 3
            arm_d, arm_e = x * axes[n, 0, d] + y * axes[n, 1, d], x * axes[n, 0, e] + y * axes[n, 1, e]
            flow[p, c] = going[n, c] + tipping[n, d] * arm_e - tipping[n, e] * arm_d + rise * normal[n, c]
            velocity[p, c] = flow[p, c]
            bent = normal[n, c] - gx * a - gy * b
            long += bent * bent
            along += bent * level_way[n, c]
        steep[p] = math.degrees(math.acos(min(max(along / math.sqrt(long), -1.0), 1.0)))
