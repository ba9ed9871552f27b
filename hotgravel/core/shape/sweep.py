"""When a ball that moves along a straight line first meets a shape.

The ball's middle goes from a to b in the shape's frame, while its radius goes from rho0 to
rho1. Wanted is the first t where f(t) = side * distance - rho(t) reaches zero.

For a convex shape met from outside f is convex along the line, so Newton's method started
before the root never steps over it. Met from inside, f is concave, so the chord between a
point before and one behind the root never does. Everything else is walked in steps that
f itself bounds. None of the three can pass a surface, whatever the speed.
"""

import math

from numba import njit

from hotgravel.core.shape.distance import TORUS_OR_MESH, distance

TOUCHING = 1e-6  # metres: closer than this counts as contact
MISS = 2.0


@njit(cache=True)
def _gap(kind, a, b, c, tree, side, ax, ay, az, dx, dy, dz, rho0, rho1, t):
    d, gx, gy, gz = distance(kind, a, b, c, tree, ax + t * dx, ay + t * dy, az + t * dz)
    f = side * d - (rho0 + t * (rho1 - rho0))
    return f, side * (gx * dx + gy * dy + gz * dz) - (rho1 - rho0)


@njit(cache=True)
def sweep(kind, a, b, c, tree, side, ax, ay, az, bx, by, bz, rho0, rho1):
    """The first t in [0, 1] at which the ball meets the shape while nearing it, or MISS.

    `side` is 1 for the outside, -1 for the inside. Lengths in metres.
    """
    dx, dy, dz = bx - ax, by - ay, bz - az
    f, slope = _gap(kind, a, b, c, tree, side, ax, ay, az, dx, dy, dz, rho0, rho1, 0.0)
    fastest = math.sqrt(dx * dx + dy * dy + dz * dz) + abs(rho1 - rho0)
    if f > fastest:
        return MISS
    if f <= TOUCHING and slope < 0.0:
        if f + slope < -TOUCHING:
            return 0.0
        if kind < TORUS_OR_MESH and side > 0.0:
            return MISS  # f is convex: it sinks less than counts as contact
    if kind < TORUS_OR_MESH and side > 0.0:
        return _newton(kind, a, b, c, tree, ax, ay, az, dx, dy, dz, rho0, rho1, f, slope)
    if kind < TORUS_OR_MESH and f > TOUCHING:
        return _chord(kind, a, b, c, tree, ax, ay, az, dx, dy, dz, rho0, rho1, f)
    return _walk(kind, a, b, c, tree, side, ax, ay, az, dx, dy, dz, rho0, rho1, f, fastest)


@njit(cache=True)
def _newton(kind, a, b, c, tree, ax, ay, az, dx, dy, dz, rho0, rho1, f, slope):
    t = 0.0
    for _ in range(60):
        if slope >= 0.0:
            return MISS
        t -= f / slope
        if t > 1.0:
            return MISS
        f, slope = _gap(kind, a, b, c, tree, 1.0, ax, ay, az, dx, dy, dz, rho0, rho1, t)
        if f <= TOUCHING:
            return t if slope < 0.0 else MISS
    return t


@njit(cache=True)
def _chord(kind, a, b, c, tree, ax, ay, az, dx, dy, dz, rho0, rho1, f0):
    f1, _ = _gap(kind, a, b, c, tree, -1.0, ax, ay, az, dx, dy, dz, rho0, rho1, 1.0)
    if f1 > TOUCHING:
        return MISS
    before, fb, behind, fh = 0.0, f0, 1.0, f1 - TOUCHING
    for _ in range(60):
        t = before + (behind - before) * fb / (fb - fh)
        f, _slope = _gap(kind, a, b, c, tree, -1.0, ax, ay, az, dx, dy, dz, rho0, rho1, t)
        if f <= TOUCHING:
            return t
        before, fb = t, f
        middle = 0.5 * (before + behind)  # pull the far end in, so that few steps suffice
        f, _slope = _gap(kind, a, b, c, tree, -1.0, ax, ay, az, dx, dy, dz, rho0, rho1, middle)
        if f > TOUCHING:
            before, fb = middle, f
        else:
            behind, fh = middle, f - TOUCHING
    return before


@njit(cache=True)
def _walk(kind, a, b, c, tree, side, ax, ay, az, dx, dy, dz, rho0, rho1, f, fastest):
    t = 0.0
    # Along a surface a step may sink into the skin, never through it: a quarter of the radius.
    least = max(0.25 * min(rho0, rho1), TOUCHING)
    for _ in range(256):
        before, was = t, f
        step = max(f, least) if f <= TOUCHING else f
        t = min(1.0, t + step / max(fastest, 1e-300))
        f, slope = _gap(kind, a, b, c, tree, side, ax, ay, az, dx, dy, dz, rho0, rho1, t)
        if f <= TOUCHING and slope < 0.0:
            if f >= -TOUCHING or was < -TOUCHING:
                return t
            for _halving in range(40):
                middle = 0.5 * (before + t)
                f, slope = _gap(kind, a, b, c, tree, side, ax, ay, az, dx, dy, dz, rho0, rho1, middle)
                if f < 0.0:
                    t = middle
                else:
                    before = middle
            return before
        if t >= 1.0:
            return MISS
    return t
