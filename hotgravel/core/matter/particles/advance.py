"""One step of all particles: through free space, up to the first thing each one hits, and on.

A particle's motion is tested as a straight line against each prop in the prop's own frame,
from where the prop stood to where it will stand, so neither can pass the other however
fast they are. At a contact the particle bounces (restitution along the normal, Coulomb
friction along the surface) or, when it comes in slower than two steps of free fall would
make it, slides for the rest of the step under Coulomb's law.
"""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.chance import UNIT, philox
from hotgravel.core.matter.particles.flow import fading, flow
from hotgravel.core.shape.colliders import (
    BOUNCE,
    FRICTION,
    MOVING,
    P0,
    SCATTER,
    SPREAD,
    contact_at,
    first_hit,
    pose_of,
    to_world,
)
from hotgravel.core.shape.sweep import MISS

SCATTERS = 0x5C  # the key that turns of bounces are drawn with
DROPPED = np.uint64(11)  # of a word's bits: the rest make a number in 0 to 1
CONTACTS = 8  # in one step; after that a particle rests where it is until the next


@njit(cache=True)
def _slid(x, y, z, vx, vy, vz, x2, y2, z2, wx, wy, wz, h, nx, ny, nz, ux, uy, uz, friction):
    """A free motion from (x, v) to (x2, w) held to a surface of normal n and velocity u, with friction."""
    rx, ry, rz = wx - ux, wy - uy, wz - uz
    inward = rx * nx + ry * ny + rz * nz
    if inward >= 0.0:
        out = (x2 - x - ux * h) * nx + (y2 - y - uy * h) * ny + (z2 - z - uz * h) * nz
        lift = max(0.0, -out)
        return x2 + lift * nx, y2 + lift * ny, z2 + lift * nz, wx, wy, wz
    rx, ry, rz = rx - inward * nx, ry - inward * ny, rz - inward * nz
    along = math.sqrt(rx * rx + ry * ry + rz * rz)
    keep = max(0.0, 1.0 + friction * inward / along) if along > 0.0 else 0.0
    rx, ry, rz = keep * rx, keep * ry, keep * rz
    qx, qy, qz = vx - ux, vy - uy, vz - uz
    q = qx * nx + qy * ny + qz * nz
    qx, qy, qz = qx - q * nx, qy - q * ny, qz - q * nz
    if rx == 0.0 and ry == 0.0 and rz == 0.0:  # it stops on the way: half of what it had left
        speed2, loss = qx * qx + qy * qy + qz * qz, -friction * inward
        h_stop = 0.5 * h * min(1.0, math.sqrt(speed2) / max(loss, 1e-300))
        return x + ux * h + h_stop * qx, y + uy * h + h_stop * qy, z + uz * h + h_stop * qz, ux, uy, uz
    half = 0.5 * h
    return (x + ux * h + half * (qx + rx), y + uy * h + half * (qy + ry), z + uz * h + half * (qz + rz),
            ux + rx, uy + ry, uz + rz)  # fmt: skip


@njit(cache=True)
def _outward(c, j, x, y, z, nx, ny, nz, rx, ry, rz):
    """Along the surface, away from the prop's middle; onward where the contact is right over it."""
    dx, dy, dz = x - c[j, P0], y - c[j, P0 + 1], z - c[j, P0 + 2]
    d = dx * nx + dy * ny + dz * nz
    dx, dy, dz = dx - d * nx, dy - d * ny, dz - d * nz
    size = math.sqrt(dx * dx + dy * dy + dz * dz)
    if size < 1e-9:
        dx, dy, dz = rx, ry, rz
        size = math.sqrt(dx * dx + dy * dy + dz * dz)
    if size < 1e-9:
        return 0.0, 0.0, 0.0
    return dx / size, dy / size, dz / size


@njit(cache=True)
def _scattered(x, y, z, nx, ny, nz, angle, ident, step, nth):
    """A velocity turned by chance, evenly over the cap within an angle of it, but never into the surface."""
    speed = math.sqrt(x * x + y * y + z * z)
    if speed == 0.0:
        return x, y, z
    a, b, _c, _d = philox(ident, step, nth, 0, SCATTERS, 0)
    height = 1.0 - (a >> DROPPED) * UNIT * (1.0 - math.cos(angle))
    rho, turn = math.sqrt(max(0.0, 1.0 - height * height)), 2.0 * math.pi * ((b >> DROPPED) * UNIT)
    x, y, z = x / speed, y / speed, z / speed
    sign = 1.0 if z >= 0.0 else -1.0
    p = -1.0 / (sign + z)
    q = x * y * p
    u, v = rho * math.cos(turn), rho * math.sin(turn)
    wx = height * x + u * (1.0 + sign * x * x * p) + v * q
    wy = height * y + u * sign * q + v * (sign + y * y * p)
    wz = height * z - u * sign * x - v * y
    inward = min(0.0, wx * nx + wy * ny + wz * nz)
    return speed * (wx - 2 * inward * nx), speed * (wy - 2 * inward * ny), speed * (wz - 2 * inward * nz)


@njit(cache=True)
def _bounced(c, j, x, y, z, nx, ny, nz, rx, ry, rz, inward, ident, step, nth):
    """The velocity, seen from a surface, after an impact with one of r, `inward` of it along the normal n."""
    rx, ry, rz = rx - inward * nx, ry - inward * ny, rz - inward * nz
    along = math.sqrt(rx * rx + ry * ry + rz * rz)
    grip = -c[j, FRICTION] * (1.0 + c[j, BOUNCE]) * inward
    keep = max(0.0, 1.0 - grip / along) if along > 0.0 else 0.0
    off = -c[j, BOUNCE] * inward
    rx, ry, rz = keep * rx, keep * ry, keep * rz
    if c[j, SPREAD] > 0.0:
        ox, oy, oz = _outward(c, j, x, y, z, nx, ny, nz, rx, ry, rz)
        flung = -c[j, SPREAD] * inward
        rx, ry, rz = rx + flung * ox, ry + flung * oy, rz + flung * oz
    wx, wy, wz = rx + off * nx, ry + off * ny, rz + off * nz
    if c[j, SCATTER] > 0.0:
        wx, wy, wz = _scattered(wx, wy, wz, nx, ny, nz, c[j, SCATTER], ident, step, nth)
    return wx, wy, wz


@njit(cache=True)
def _strike(i, j, x, y, z, dx, dy, dz, hit, blow, blow_at):
    """Note that a particle gave up a velocity to a collider at a place; of several in a step, the last."""
    if hit[i] != j:
        hit[i], blow[i, 0], blow[i, 1], blow[i, 2] = j, 0.0, 0.0, 0.0
    blow[i, 0] += dx
    blow[i, 1] += dy
    blow[i, 2] += dz
    blow_at[i, 0], blow_at[i, 1], blow_at[i, 2] = x, y, z


@njit(cache=True)
def _meet(
    i, s, whom, x0, y0, z0, vx, vy, vz, h, dt, radius, pull, rate, drift, bite, c, bits, tree, touched, impact, ident,
    step, elements, hit, blow, blow_at,
):  # fmt: skip
    """A particle's step with all its contacts. Returns its place, velocity and number of touches."""
    ax, ay, az = pull[s, 0], pull[s, 1], pull[s, 2]
    dx, dy, dz = drift[s, 0], drift[s, 1], drift[s, 2]
    k, b = rate[s], bite[s]
    t0 = 1.0 - h / dt
    held, last, touches, wedged = False, -1, 0, False
    sx, sy, sz = 0.0, 0.0, 0.0
    nx, ny, nz, ux, uy, uz, lx, ly, lz = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    for _ in range(CONTACTS):
        left = (1.0 - t0) * dt
        fade, reach = fading(k, left)
        x1, y1, z1, wx, wy, wz = flow(x0, y0, z0, vx, vy, vz, left, ax, ay, az, k, fade, reach, dx, dy, dz, b)
        if held:
            fx, fy, fz = wx, wy, wz
            x1, y1, z1, wx, wy, wz = _slid(x0, y0, z0, vx, vy, vz, x1, y1, z1, wx, wy, wz, left,
                                           nx, ny, nz, ux, uy, uz, c[last, FRICTION])  # fmt: skip
            if elements[last] >= 0:
                _strike(i, last, x1, y1, z1, fx - wx, fy - wy, fz - wz, hit, blow, blow_at)
        t, j = first_hit(c, tree, whom, x0, y0, z0, x1, y1, z1, t0, radius)
        if j < 0:
            return x1, y1, z1, wx, wy, wz, touches
        x, y, z, nx, ny, nz, ux, uy, uz, lx, ly, lz = contact_at(c, tree, j, x0, y0, z0, x1, y1, z1, t0, t, radius, dt)
        if c[j, MOVING] != 0.0 and t == 0.0:
            # What moves pushes it out; where something that stands is in the way, it stays there instead.
            _t, blocked = first_hit(c, tree, whom, x0, y0, z0, x, y, z, t0, radius, True)
            if blocked >= 0:
                touched[i] |= bits[j]
                return x0, y0, z0, 0.0, 0.0, 0.0, touches
        if held:
            vx, vy, vz = vx + t * (wx - vx), vy + t * (wy - vy), vz + t * (wz - vz)
        else:
            fade, reach = fading(k, t * left)
            _x, _y, _z, vx, vy, vz = flow(x0, y0, z0, vx, vy, vz, t * left, ax, ay, az, k, fade, reach, dx, dy, dz, b)
        x0, y0, z0 = x, y, z
        t0 += t * (1.0 - t0)
        rx, ry, rz = vx - ux, vy - uy, vz - uz
        inward = rx * nx + ry * ny + rz * nz
        # What two steps of the steady forces could have made of a particle at rest.
        resting = 2.0 * dt * max(0.0, -((ax + dx) * nx + (ay + dy) * ny + (az + dz) * nz))
        impact[i] = max(-inward, 0.0 if touched[i] == 0 else impact[i])
        touched[i] |= bits[j]
        last = j
        fx, fy, fz = vx, vy, vz
        if c[j, MOVING] == 0.0:
            wedged, sx, sy, sz = True, x, y, z
        if inward < -resting:
            touches += 1
            wx, wy, wz = _bounced(c, j, x, y, z, nx, ny, nz, rx, ry, rz, inward, ident, step, touches)
            vx, vy, vz = ux + wx, uy + wy, uz + wz
            held = c[j, BOUNCE] * inward == 0.0 and c[j, SPREAD] > 0.0  # what flows on along it stays on it
        else:
            if inward < 0.0:
                vx, vy, vz = vx - inward * nx, vy - inward * ny, vz - inward * nz
            held = True
        if elements[j] >= 0:
            _strike(i, j, x, y, z, fx - vx, fy - vy, fz - vz, hit, blow, blow_at)
    if wedged and c[last, MOVING] != 0.0:  # between what moves and what stands, it stays by what stands
        return sx, sy, sz, 0.0, 0.0, 0.0, touches
    m = pose_of(c, last, 1.0)  # cornered: it goes with what it last touched
    x0, y0, z0 = to_world(m, lx, ly, lz)
    return x0, y0, z0, vx, vy, vz, touches


@njit(cache=True, parallel=True, nogil=True)
def advance(
    position, velocity, age, state, radius, touched, impact, travelled, dt, by_element, pull, rate, drift, bite,
    colliders, bits, tree, ident, step, elements, hit, blow, blow_at,
):  # fmt: skip
    """Move all particles by dt seconds, in place. Returns how often anything was hit.

    position, velocity (n, 3) float64; age, radius, impact, travelled (n,); state (n,) int16; touched (n,)
    uint64; pull, drift (S, 3), rate, bite (S,) as in `forces.ForceTable`, a row for each particle if
    `by_element`, for each state if not; colliders (C, WIDTH) and
    bits (C,) as in `Colliders`, tree the meshes that their sizes point into; ident (n,) int64 and the
    number of the step are what chance goes by. Where elements (C,) names whose colliders feel it,
    hit (n,) int64 is the collider that a particle struck, -1 for none, blow (n, 3) the velocity that it gave up to it
    and blow_at (n, 3) where; they may be empty where it names none.
    """
    n = len(age)
    states = 0 if by_element else len(rate)
    fades, reaches = np.empty(states), np.empty(states)
    for s in range(states):
        fades[s], reaches[s] = fading(rate[s], dt)
    touches = 0
    some = len(colliders) > 0
    for i in prange(n):
        h = dt if age[i] >= 0.0 else dt + age[i]
        age[i] += dt
        touched[i] = 0
        if h <= 0.0:
            continue
        s = np.int64(i) if by_element else np.int64(state[i])  # type: ignore[assignment]
        x, y, z = position[i, 0], position[i, 1], position[i, 2]
        vx, vy, vz = velocity[i, 0], velocity[i, 1], velocity[i, 2]
        if by_element or h != dt:
            fade, reach = fading(rate[s], h)
        else:
            fade, reach = fades[s], reaches[s]
        x1, y1, z1, wx, wy, wz = flow(
            x, y, z, vx, vy, vz, h, pull[s, 0], pull[s, 1], pull[s, 2], rate[s], fade, reach,
            drift[s, 0], drift[s, 1], drift[s, 2], bite[s],
        )  # fmt: skip
        if some:
            t, _j = first_hit(colliders, tree, state[i], x, y, z, x1, y1, z1, 1.0 - h / dt, radius[i])
            if t < MISS:
                x1, y1, z1, wx, wy, wz, hits = _meet(
                    i, s, state[i], x, y, z, vx, vy, vz, h, dt, radius[i], pull, rate, drift, bite, colliders,
                    bits, tree, touched, impact, ident[i], step, elements, hit, blow, blow_at,
                )  # fmt: skip
                touches += hits
        travelled[i] += math.sqrt((x1 - x) ** 2 + (y1 - y) ** 2 + (z1 - z) ** 2)
        position[i, 0], position[i, 1], position[i, 2] = x1, y1, z1
        velocity[i, 0], velocity[i, 1], velocity[i, 2] = wx, wy, wz
    return touches
