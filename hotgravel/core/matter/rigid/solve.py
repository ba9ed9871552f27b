"""One step of all bodies under forces and contacts.

Contacts are soft constraints solved one after another in small substeps, first with a push that closes gaps and opens
overlaps, then without it, so that the push leaves no speed behind. Sources: Macklin and others, "Small steps in physics
simulation" (2019); Catto, "Soft constraints" (2011) and his published notes on solvers with soft steps (2024).
"""

import math

import numpy as np
from numba import njit

from hotgravel.core.matter.rigid.bounce import bounce
from hotgravel.core.matter.rigid.constraint import (
    ALONG,
    BOUNCE,
    COUPLED,
    DEEP,
    DRIFT,
    FIRST,
    FRICTION,
    GRIP,
    HIT,
    MASS,
    MASS_R,
    NOW,
    PUSH,
    ROLL,
    ROLLING,
    SECOND,
    SUM,
    SUM_FIRST,
    SUM_SECOND,
    apply_impulses,
    grip,
    prepare,
    relative_velocity,
    speed_along,
    twist,
    update_gap,
)  # fmt: skip
from hotgravel.core.shape.turns import turn_matrix, turned_after

STIFFNESS = 120.0  # Hz: how fast overlaps are opened, at most; never more than a quarter of the substeps' rate
DAMPING = 10.0  # of critical: so softly that what lies on something does not tremble
STIRRED = 0.05  # m/s: a body that a push has made so much faster may hand on a blow
FIRM = 1.0  # the same where overlaps are deep, which are opened at a quarter of that rate
FASTEST_PUSH = 4.0  # m/s: overlaps are opened no faster


@njit(cache=True)
def _turned(q, wx, wy, wz, h):
    """A quaternion turned for a time h by a spin (radians a second) of the world."""
    speed = math.sqrt(wx * wx + wy * wy + wz * wz)
    half = 0.5 * h * speed
    s = math.sin(half) / speed if speed > 1e-12 else 0.5 * h
    x, y, z, w = turned_after((s * wx, s * wy, s * wz, math.cos(half)), q)
    n = 1.0 / math.sqrt(x * x + y * y + z * z + w * w)
    return x * n, y * n, z * n, w * n


@njit(cache=True)
def _answer(r, share, x, y, z):
    """The inverse inertia, turned into the world, times a vector. share (3,) has 1 over the principal moments."""
    a = (r[0, 0] * x + r[1, 0] * y + r[2, 0] * z) * share[0]
    b = (r[0, 1] * x + r[1, 1] * y + r[2, 1] * z) * share[1]
    c = (r[0, 2] * x + r[1, 2] * y + r[2, 2] * z) * share[2]
    return (r[0, 0] * a + r[0, 1] * b + r[0, 2] * c, r[1, 0] * a + r[1, 1] * b + r[1, 2] * c,
            r[2, 0] * a + r[2, 1] * b + r[2, 2] * c)  # fmt: skip


@njit(cache=True, inline="always")
def _spin_on(position, q, velocity, spin, r, light, inertia, share, balls, i, h, middle, half):
    """A body on its way for a time h: straight on, and turning with its angular momentum kept (the middle of the step
    decides, so the error is of second order). The surface of a ball rolls on under where it touches: its r stays.
    `middle` (3, 3) and `half` (4,) are written over."""
    for x in range(3):
        position[i, x] += h * velocity[i, x]
    wx, wy, wz = spin[i, 0], spin[i, 1], spin[i, 2]
    if wx == 0.0 and wy == 0.0 and wz == 0.0:
        return
    even = inertia[i, 0] == inertia[i, 1] and inertia[i, 1] == inertia[i, 2]
    if light[i] == 0.0 or even:
        q[i, 0], q[i, 1], q[i, 2], q[i, 3] = _turned(q[i], wx, wy, wz, h)
        if not balls[i]:
            turn_matrix(q[i], r[i])
        return
    lx, ly, lz = _answer(r[i], inertia[i], wx, wy, wz)
    half[0], half[1], half[2], half[3] = _turned(q[i], wx, wy, wz, 0.5 * h)
    turn_matrix(half, middle)
    wx, wy, wz = _answer(middle, share[i], lx, ly, lz)
    q[i, 0], q[i, 1], q[i, 2], q[i, 3] = _turned(q[i], wx, wy, wz, h)
    turn_matrix(q[i], r[i])
    spin[i, 0], spin[i, 1], spin[i, 2] = _answer(r[i], share[i], lx, ly, lz)


@njit(cache=True)
def _inverse(r, share):
    """The inverse inertia (n, 3, 3) of bodies in the world."""
    out = np.empty(r.shape)
    for n in range(len(r)):
        for i in range(3):
            for j in range(3):
                out[n, i, j] = (
                    r[n, i, 0] * share[n, 0] * r[n, j, 0]
                    + r[n, i, 1] * share[n, 1] * r[n, j, 1]
                    + r[n, i, 2] * share[n, 2] * r[n, j, 2]
                )
    return out


@njit(cache=True)
def _solve(position, velocity, spin, r, inverse, light, c, one, other, h, pushing, again, opening, free, stirred):
    """One round over all contacts: a pushing one of a substep, or the one after bodies have moved, which ends it. They
    go to and fro, so that a push runs through a heap either way; `again` goes back through those contacts alone that
    have bodies which a round has `stirred` (n,), so that a blow runs on before they move. `opening` has (rate, mass
    share, impulse share) where bodies overlap and where they do so deeply, and what share of the overlap up to which
    they are soft does not count where they are firm: so their push is the same there."""
    soft, firm, left = opening
    for turn in range(len(c)):
        k = turn if pushing and not again else len(c) - 1 - turn
        a, b = one[k], other[k]
        if again and not (stirred[a] or stirred[b]):
            continue
        was = c[k, PUSH]
        if not pushing:
            update_gap(position, r, c, k, a, b, h)
            if was == 0.0 and c[k, NOW] > 0.0:
                continue  # it may still bounce when it gets there
        between = relative_velocity(velocity, spin, c, k, a, b)
        speed = speed_along(c, k, ALONG, between)
        bias, mass, keep = 0.0, 1.0, 0.0
        if c[k, NOW] > 0.0:
            bias = c[k, NOW] / h
        elif pushing:
            (rate, mass, keep), deep = soft, c[k, NOW]
            if deep < -c[k, DEEP] and light[a] > 0.0 and light[b] > 0.0:
                (rate, mass, keep), deep = firm, deep + left * c[k, DEEP]
            bias = rate * deep
        if pushing:  # what turning brings nearer is braked, but leaves no speed behind
            bias = max(bias + min(c[k, DRIFT], 0.0), -FASTEST_PUSH)
        if was == 0.0:
            if speed + bias >= 0.0:
                continue
            if speed < 0.0:
                c[k, HIT] = max(c[k, HIT], -speed)
        push = max(0.0, was - c[k, ALONG + MASS] * mass * (speed + bias) - keep * was)
        c[k, PUSH] = push
        free[a], free[b] = False, False
        more, f1, f2 = push - was, c[k, GRIP], c[k, GRIP + 1]
        if pushing:
            stirred[a] |= abs(more) * light[a] > STIRRED
            stirred[b] |= abs(more) * light[b] > STIRRED
        slip1 = speed_along(c, k, FIRST, between) + more * c[k, FIRST + COUPLED]
        slip2 = speed_along(c, k, SECOND, between) + more * c[k, SECOND + COUPLED]
        g1, g2 = grip(c, k, f1, f2, slip1, slip2, c[k, FRICTION] * push)
        apply_impulses(velocity, spin, light, c, k, a, b, more, g1 - f1, g2 - f2)
        c[k, GRIP], c[k, GRIP + 1] = g1, g2
        if c[k, ROLLING] > 0.0:
            t0 = c[k, ROLL] - c[k, MASS_R] * (spin[b, 0] - spin[a, 0])
            t1 = c[k, ROLL + 1] - c[k, MASS_R] * (spin[b, 1] - spin[a, 1])
            t2 = c[k, ROLL + 2] - c[k, MASS_R] * (spin[b, 2] - spin[a, 2])
            size, limit = math.sqrt(t0 * t0 + t1 * t1 + t2 * t2), c[k, ROLLING] * push
            if size > limit:
                t0, t1, t2 = t0 * limit / size, t1 * limit / size, t2 * limit / size
            twist(spin, inverse, a, b, t0 - c[k, ROLL], t1 - c[k, ROLL + 1], t2 - c[k, ROLL + 2])
            c[k, ROLL], c[k, ROLL + 1], c[k, ROLL + 2] = t0, t1, t2
        if not pushing:
            c[k, SUM] += push
            c[k, SUM_FIRST] += c[k, GRIP]
            c[k, SUM_SECOND] += c[k, GRIP + 1]


@njit(cache=True)
def softness(hertz, damping, h):
    """Rate (1/s), mass share and impulse share of a soft constraint of a frequency and a damping, of critical, in
    substeps of h seconds."""
    omega = 2.0 * math.pi * hertz
    a = 2.0 * damping + h * omega
    b = h * omega * a
    return omega / a, b / (1.0 + b), 1.0 / (1.0 + b)


@njit(cache=True, nogil=True)
def advance_bodies(
    position, q, velocity, spin, r, light, inertia, balls, pull, rate, drift, bite, contacts, one, other, dt, substeps,
):  # fmt: skip
    """Move bodies by dt seconds, in place; contacts learn their impulses and hits.

    position, velocity, spin (n, 3), q (n, 4) their turns and r (n, 3, 3) the same, which is scratch later; light (n,)
    one over the mass, 0 for those that do not give; inertia (n, 3) about the principal axes; balls (n,) tells which are
    round; pull, drift (n, 3) m/s², rate (n,) 1/s, bite (n,) 1/m as forces have them. contacts (C, CONTACT_WIDTH)
    between bodies one and other (C,), unsigned, so that no index is asked whether it counts from the end.
    """
    n, h = len(light), dt / substeps
    share = np.zeros((n, 3))
    for i in range(n):
        if light[i] > 0.0:
            for c in range(3):
                share[i, c] = 1.0 / inertia[i, c]
    inverse = _inverse(r, share)
    hertz = min(STIFFNESS, 0.25 / h)
    soft, firm = softness(hertz, DAMPING, h), softness(0.25 / h, FIRM, h)
    opening = soft, firm, 1.0 - (4.0 * hertz * h) ** 2
    bouncing = (contacts[:, BOUNCE] > 0.0).any()
    for k in range(len(contacts)):
        prepare(r, inverse, light, share, contacts, k, one[k], other[k])
    middle, half = np.empty((3, 3)), np.empty(4)
    stirred = np.empty(n, np.bool_)
    free = np.empty(n, np.bool_)  # touched by nobody in a substep: such bodies fall as the closed form has it
    for _step in range(substeps):
        free[:] = True
        for i in range(n):
            if light[i] == 0.0:
                continue
            speed = math.sqrt(velocity[i, 0] ** 2 + velocity[i, 1] ** 2 + velocity[i, 2] ** 2)
            left = 1.0 / ((1.0 + h * rate[i]) * (1.0 + h * bite[i] * speed))
            for c in range(3):
                velocity[i, c] = (velocity[i, c] + h * (pull[i, c] + drift[i, c])) * left
        for k in range(len(contacts)):
            a, b = one[k], other[k]
            if contacts[k, PUSH] != 0.0:
                push, g1, g2 = contacts[k, PUSH], contacts[k, GRIP], contacts[k, GRIP + 1]
                apply_impulses(velocity, spin, light, contacts, k, a, b, push, g1, g2)
                if contacts[k, ROLLING] > 0.0:
                    twist(spin, inverse, a, b, contacts[k, ROLL], contacts[k, ROLL + 1], contacts[k, ROLL + 2])
        if bouncing:
            bounce(position, velocity, spin, light, contacts, one, other, h, free)
        stirred[:] = False
        for again in (False, True):
            if not again or stirred.any():
                _solve(
                    position, velocity, spin, r, inverse, light, contacts, one, other, h, True, again, opening, free,
                    stirred,
                )  # fmt: skip
        for i in range(n):
            if free[i] and light[i] > 0.0:
                for c in range(3):
                    position[i, c] -= 0.5 * h * h * pull[i, c]
            _spin_on(position, q, velocity, spin, r, light, inertia, share, balls, i, h, middle, half)
        _solve(
            position, velocity, spin, r, inverse, light, contacts, one, other, h, False, False, opening, free, stirred
        )  # fmt: skip
