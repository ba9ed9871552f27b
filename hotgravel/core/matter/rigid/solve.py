"""One step of all bodies under forces and contacts.

Contacts are soft constraints solved one after another in small substeps, first with a push that closes gaps and opens
overlaps, then without it, so that the push leaves no speed behind. Sources: Macklin and others, "Small steps in physics
simulation" (2019); Catto, "Soft constraints" (2011) and his published notes on solvers with soft steps (2024).
"""

import math

import numpy as np
from numba import njit

from hotgravel.core.shape.turns import turn_matrix, turned_after
from hotgravel.core.vectors import at, plus, put

# Columns of a contact: where the bodies touch in their own frames, the normal from A to B, the gap at the step's start,
# friction, bounce, rolling resistance in metres; then what the solver adds: the impulses along the normal, along two
# tangents and against rolling, the mass that answers to rolling, the speed it was hit with, the sum of impulses of the
# step, the arms from both centres, the gap now, a block for each of its three directions, the sums of impulses along
# the tangents, and from which overlap on it is firm.
ANCHOR_A, ANCHOR_B, NORMAL, GAP, FRICTION, BOUNCE, ROLLING = 0, 3, 6, 9, 10, 11, 12
PUSH, GRIP, ROLL, MASS_R, HIT, SUM, ARM_A, ARM_B, NOW = 13, 14, 16, 19, 20, 21, 22, 25, 28
ALONG = 29
# Kernels take the whole table c and a contact's row k in it: handing on a view of the row costs more than what is done
# with it.
# Columns of a direction's block: the direction, the spin that a unit impulse along it gives A and B, the mass that
# answers, and the speed along it that a unit impulse along the normal gives.
SPIN_A, SPIN_B, MASS, COUPLED, BLOCK_WIDTH = 3, 6, 9, 10, 11
FIRST, SECOND = ALONG + BLOCK_WIDTH, ALONG + 2 * BLOCK_WIDTH  # the tangents' blocks
SUM_FIRST, SUM_SECOND, DEEP = (SECOND + BLOCK_WIDTH + n for n in range(3))
CONTACT_WIDTH = DEEP + 1

STIFFNESS = 60.0  # Hz: how fast overlaps are opened, at most; never more than a quarter of the substeps' rate
DAMPING = 10.0  # of critical: so softly that what lies on something does not tremble
FIRM = 1.0  # the same where overlaps are deep, which are opened at a quarter of that rate
FASTEST_PUSH = 4.0  # m/s: overlaps are opened no faster
BOUNCING = 0.3  # m/s: slower hits do not bounce, or nothing would come to rest
BOUNCE_ROUNDS = 64  # of impacts that set off one another at one moment, and of what one does at its places
SETTLED = 1e-4  # m/s: so near the speed at which it is to leave
MOST_TOGETHER = 8  # places of a pair
MOST_LEFT = 0.998  # of the energy that a hit comes with: lever arms are those of the look, while bodies turn


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


@njit(cache=True)
def _spin_on(position, q, velocity, spin, r, light, inertia, share, i, h, middle, half):
    """A body on its way for a time h: straight on, and turning with its angular momentum kept (the middle of the step
    decides, so the error is of second order). `middle` (3, 3) and `half` (4,) are written over."""
    for x in range(3):
        position[i, x] += h * velocity[i, x]
    wx, wy, wz = spin[i, 0], spin[i, 1], spin[i, 2]
    if wx == 0.0 and wy == 0.0 and wz == 0.0:
        return
    even = inertia[i, 0] == inertia[i, 1] and inertia[i, 1] == inertia[i, 2]
    if light[i] == 0.0 or even:
        q[i, 0], q[i, 1], q[i, 2], q[i, 3] = _turned(q[i], wx, wy, wz, h)
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
def _apply(velocity, spin, light, c, k, a, b, along, first, second):
    """Impulses along the three directions of a contact at once, on B, and their opposites on A."""
    for x in range(3):
        push = along * c[k, ALONG + x] + first * c[k, FIRST + x] + second * c[k, SECOND + x]
        velocity[a, x] -= push * light[a]
        velocity[b, x] += push * light[b]
        u, v = SPIN_A + x, SPIN_B + x
        spin[a, x] -= along * c[k, ALONG + u] + first * c[k, FIRST + u] + second * c[k, SECOND + u]
        spin[b, x] += along * c[k, ALONG + v] + first * c[k, FIRST + v] + second * c[k, SECOND + v]


@njit(cache=True)
def _speeds(velocity, spin, c, k, a, b):
    """How fast B's place of touch goes along the three directions of a contact, beside A's."""
    ax, ay, az, bx, by, bz = (
        c[k, ARM_A], c[k, ARM_A + 1], c[k, ARM_A + 2], c[k, ARM_B], c[k, ARM_B + 1], c[k, ARM_B + 2],
    )  # fmt: skip
    x = velocity[b, 0] + spin[b, 1] * bz - spin[b, 2] * by - velocity[a, 0] - spin[a, 1] * az + spin[a, 2] * ay
    y = velocity[b, 1] + spin[b, 2] * bx - spin[b, 0] * bz - velocity[a, 1] - spin[a, 2] * ax + spin[a, 0] * az
    z = velocity[b, 2] + spin[b, 0] * by - spin[b, 1] * bx - velocity[a, 2] - spin[a, 0] * ay + spin[a, 1] * ax
    return (
        c[k, ALONG] * x + c[k, ALONG + 1] * y + c[k, ALONG + 2] * z,
        c[k, FIRST] * x + c[k, FIRST + 1] * y + c[k, FIRST + 2] * z,
        c[k, SECOND] * x + c[k, SECOND + 1] * y + c[k, SECOND + 2] * z,
    )


@njit(cache=True)
def _block(inverse, light, c, k, d, a, b, x, y, z):
    """Fill a direction's block, the normal's first."""
    c[k, d], c[k, d + 1], c[k, d + 2] = x, y, z
    total, coupled = light[a] + light[b], 0.0
    for side in range(2):
        i, arm, gives = (a, ARM_A, SPIN_A) if side == 0 else (b, ARM_B, SPIN_B)
        tx, ty, tz = (
            c[k, arm + 1] * z - c[k, arm + 2] * y,
            c[k, arm + 2] * x - c[k, arm] * z,
            c[k, arm] * y - c[k, arm + 1] * x,
        )
        sx = inverse[i, 0, 0] * tx + inverse[i, 0, 1] * ty + inverse[i, 0, 2] * tz
        sy = inverse[i, 1, 0] * tx + inverse[i, 1, 1] * ty + inverse[i, 1, 2] * tz
        sz = inverse[i, 2, 0] * tx + inverse[i, 2, 1] * ty + inverse[i, 2, 2] * tz
        c[k, d + gives], c[k, d + gives + 1], c[k, d + gives + 2] = sx, sy, sz
        total += tx * sx + ty * sy + tz * sz
        along = ALONG + gives
        coupled += tx * c[k, along] + ty * c[k, along + 1] + tz * c[k, along + 2]
    c[k, d + MASS], c[k, d + COUPLED] = 1.0 / total if total > 0.0 else 0.0, coupled


@njit(cache=True)
def _twist(spin, inverse, a, b, x, y, z):
    """An angular impulse on B, and its opposite on A."""
    for j in range(3):
        spin[a, j] -= inverse[a, j, 0] * x + inverse[a, j, 1] * y + inverse[a, j, 2] * z
        spin[b, j] += inverse[b, j, 0] * x + inverse[b, j, 1] * y + inverse[b, j, 2] * z


@njit(cache=True)
def _arm(r, balls, c, k, i, x, anchor, arm):
    """A coordinate of the arm from a body's centre to where it touches: the surface of a ball rolls on under it."""
    if balls[i]:
        return c[k, arm + x]
    return r[i, x, 0] * c[k, anchor] + r[i, x, 1] * c[k, anchor + 1] + r[i, x, 2] * c[k, anchor + 2]


@njit(cache=True)
def _place(position, r, balls, c, k, a, b):
    """The gap as it is now. Impulses act where the bodies touched at the step's start: a place that turned with them
    would brake what rolls."""
    gap = c[k, GAP]
    for x in range(3):
        reach = _arm(r, balls, c, k, b, x, ANCHOR_B, ARM_B) - _arm(r, balls, c, k, a, x, ANCHOR_A, ARM_A)
        gap += (position[b, x] + reach - position[a, x]) * c[k, NORMAL + x]
    c[k, NOW] = gap


@njit(cache=True)
def _prepare(r, inverse, light, share, c, k, a, b):
    """Arms, the blocks of the three directions, and the mass that answers to rolling."""
    for x in range(3):
        for i, anchor, arm in ((a, ANCHOR_A, ARM_A), (b, ANCHOR_B, ARM_B)):
            c[k, arm + x] = r[i, x, 0] * c[k, anchor] + r[i, x, 1] * c[k, anchor + 1] + r[i, x, 2] * c[k, anchor + 2]
    c[k, NOW], c[k, HIT], c[k, SUM], c[k, SUM_FIRST], c[k, SUM_SECOND] = c[k, GAP], 0.0, 0.0, 0.0, 0.0
    nx, ny, nz = c[k, NORMAL], c[k, NORMAL + 1], c[k, NORMAL + 2]
    if abs(nx) < 0.57735:
        tx, ty, tz = 0.0, nz, -ny
    else:
        tx, ty, tz = -nz, 0.0, nx
    long = math.sqrt(tx * tx + ty * ty + tz * tz)
    tx, ty, tz = tx / long, ty / long, tz / long
    _block(inverse, light, c, k, ALONG, a, b, nx, ny, nz)
    _block(inverse, light, c, k, FIRST, a, b, tx, ty, tz)
    _block(inverse, light, c, k, SECOND, a, b, ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx)
    give = 0.0
    for i in (a, b):
        give += max(share[i, 0], share[i, 1], share[i, 2])
    c[k, MASS_R] = 1.0 / give if give > 0.0 else 0.0


@njit(cache=True)
def _grip(c, k, f1, f2, slip1, slip2, limit):
    """Friction: the impulses along the tangents, f1 and f2 before, that stop sliding at such speeds and come to no more
    than a limit together."""
    g1, g2 = f1 - c[k, FIRST + MASS] * slip1, f2 - c[k, SECOND + MASS] * slip2
    size = math.sqrt(g1 * g1 + g2 * g2)
    if size > limit:
        g1, g2 = g1 * limit / size, g2 * limit / size
    return g1, g2


@njit(cache=True)
def _bounce(position, velocity, spin, light, c, one, other, h, free):
    """Impacts of pairs that bounce, one after another until none is left that comes in: so a hit runs through a row of
    balls."""
    goal, given = np.empty(MOST_TOGETHER), np.empty((MOST_TOGETHER, 6))
    for _ in range(BOUNCE_ROUNDS):
        came, first = False, 0
        while first < len(c):
            a, b, last = one[first], other[first], first + 1
            while last < len(c) and last < first + MOST_TOGETHER and one[last] == a and other[last] == b:
                last += 1
            if c[first, BOUNCE] > 0.0:
                before = at(velocity, a), at(velocity, b)
                if _hit(velocity, spin, light, c, first, last, a, b, h, goal, given):
                    _put_back(position, velocity, before, c, first, last, a, b, goal, given)
                    free[a], free[b] = False, False
                    came = True
            first = last
        if not came:
            return


@njit(cache=True)
def _hit(velocity, spin, light, c, first, last, a, b, h, goal, given):
    """One impact at all places of a pair at once, so that what lands flat comes off flat: each is to leave by its share
    of the speed that it came in with, or by less where they would leave with more energy than they came with.
    `goal` (k,) has those speeds, below 0 where none comes in, `given` (k, 6) the impulses along the three directions of
    each, and the speeds before. Returns whether any came in."""
    came = False
    for k in range(first, last):
        n = k - first
        given[n, 3], given[n, 4], given[n, 5] = _speeds(velocity, spin, c, k, a, b)
        speed = given[n, 3]
        goal[n] = 0.0 if c[k, NOW] + h * speed <= 0.0 else -1.0
        given[n, 0] = given[n, 1] = given[n, 2] = 0.0
        if goal[n] == 0.0 and speed <= -BOUNCING:
            c[k, HIT], goal[n], came = max(c[k, HIT], -speed), -c[k, BOUNCE] * speed, True
    if not came:
        return False
    for _ in range(BOUNCE_ROUNDS):
        most = 0.0
        for k in range(first, last):
            n = k - first
            if goal[n] < 0.0:
                continue
            speed, slip1, slip2 = _speeds(velocity, spin, c, k, a, b)
            push = max(0.0, given[n, 0] + c[k, ALONG + MASS] * (goal[n] - speed))
            more, f1, f2 = push - given[n, 0], given[n, 1], given[n, 2]
            slip1, slip2 = slip1 + more * c[k, FIRST + COUPLED], slip2 + more * c[k, SECOND + COUPLED]
            g1, g2 = _grip(c, k, f1, f2, slip1, slip2, c[k, FRICTION] * push)
            _apply(velocity, spin, light, c, k, a, b, more, g1 - f1, g2 - f2)
            given[n, 0], given[n, 1], given[n, 2] = push, g1, g2
            most = max(most, abs(goal[n] - speed) if more != 0.0 else 0.0)
        if most < SETTLED:
            break
    # The work of all impulses, were speeds as before; what comes of their change; and whether any turns a body.
    lost, gained, turns = 0.0, 0.0, False
    for k in range(first, last):
        speeds, g = _speeds(velocity, spin, c, k, a, b), given[k - first]
        for d in range(3):
            lost, gained = lost - g[d] * g[3 + d], gained + 0.5 * g[d] * (speeds[d] - g[3 + d])
        turns |= c[k, ALONG + MASS] * (light[a] + light[b]) < 1.0 - 1e-9
    less = max(0.0, 1.0 - (MOST_LEFT if turns else 1.0) * lost / gained) if gained > 0.0 else 0.0
    for k in range(first, last):
        g = given[k - first]
        if less > 0.0:
            _apply(velocity, spin, light, c, k, a, b, -less * g[0], -less * g[1], -less * g[2])
        c[k, SUM] += (1.0 - less) * g[0]
    return True


@njit(cache=True)
def _put_back(position, velocity, before, c, first, last, a, b, goal, given):
    """A pair that meets on its way through a substep goes so far as it was `before`, and only from there as it goes
    now: its places, which have yet to go all of it as they do now, are put back by that, by the soonest to meet."""
    early = np.inf
    for k in range(first, last):
        n = k - first
        if goal[n] > 0.0:
            early = min(early, max(0.0, c[k, NOW]) / -given[n, 3])
            c[k, NOW] = min(c[k, NOW], 0.0)
    put(position, a, plus(at(position, a), early, plus(before[0], -1.0, at(velocity, a))))
    put(position, b, plus(at(position, b), early, plus(before[1], -1.0, at(velocity, b))))


@njit(cache=True)
def _solve(position, velocity, spin, r, inverse, light, balls, c, one, other, h, pushing, opening, free):
    """One round over all contacts: the pushing one of a substep, or the one after bodies have moved, which ends it.
    They go to and fro, so that a push runs through a heap either way. `opening` has (rate, mass share, impulse share)
    between bodies, where these overlap deeply and against what does not give, and what share of the overlap up to
    which they are soft does not count where they are firm: so their push is the same there."""
    soft, firm, hard, left = opening
    for turn in range(len(c)):
        k = turn if pushing else len(c) - 1 - turn
        a, b = one[k], other[k]
        was = c[k, PUSH]
        if not pushing:
            _place(position, r, balls, c, k, a, b)
            if was == 0.0 and c[k, NOW] > 0.0:
                continue  # it may still bounce when it gets there
        speed, slip1, slip2 = _speeds(velocity, spin, c, k, a, b)
        bias, mass, keep = 0.0, 1.0, 0.0
        if c[k, NOW] > 0.0:
            bias = c[k, NOW] / h
        elif pushing:
            if light[a] == 0.0 or light[b] == 0.0:
                (rate, mass, keep), deep = hard, c[k, NOW]
            elif c[k, NOW] < -c[k, DEEP]:
                (rate, mass, keep), deep = firm, c[k, NOW] + left * c[k, DEEP]
            else:
                (rate, mass, keep), deep = soft, c[k, NOW]
            bias = max(rate * deep, -FASTEST_PUSH)
        if was == 0.0:
            if speed + bias >= 0.0:
                continue
            if speed < 0.0:
                c[k, HIT] = max(c[k, HIT], -speed)
        push = max(0.0, was - c[k, ALONG + MASS] * mass * (speed + bias) - keep * was)
        c[k, PUSH] = push
        free[a], free[b] = False, False
        more, f1, f2 = push - was, c[k, GRIP], c[k, GRIP + 1]
        slip1, slip2 = slip1 + more * c[k, FIRST + COUPLED], slip2 + more * c[k, SECOND + COUPLED]
        g1, g2 = _grip(c, k, f1, f2, slip1, slip2, c[k, FRICTION] * push)
        _apply(velocity, spin, light, c, k, a, b, more, g1 - f1, g2 - f2)
        c[k, GRIP], c[k, GRIP + 1] = g1, g2
        if c[k, ROLLING] > 0.0:
            t0 = c[k, ROLL] - c[k, MASS_R] * (spin[b, 0] - spin[a, 0])
            t1 = c[k, ROLL + 1] - c[k, MASS_R] * (spin[b, 1] - spin[a, 1])
            t2 = c[k, ROLL + 2] - c[k, MASS_R] * (spin[b, 2] - spin[a, 2])
            size, limit = math.sqrt(t0 * t0 + t1 * t1 + t2 * t2), c[k, ROLLING] * push
            if size > limit:
                t0, t1, t2 = t0 * limit / size, t1 * limit / size, t2 * limit / size
            _twist(spin, inverse, a, b, t0 - c[k, ROLL], t1 - c[k, ROLL + 1], t2 - c[k, ROLL + 2])
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

    position, velocity, spin (n, 3), q (n, 4) and r (n, 3, 3) their turns; light (n,) one over the mass, 0 for those
    that do not give; inertia (n, 3) about the principal axes; balls (n,) tells which are round; pull, drift (n, 3)
    m/s², rate (n,) 1/s, bite (n,) 1/m as forces have them. contacts (C, CONTACT_WIDTH) between bodies one and other
    (C,), unsigned, so that no index is asked whether it counts from the end.
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
    hard = softness(min(2.0 * hertz, 0.5 / h), DAMPING, h)
    opening = soft, firm, hard, 1.0 - (4.0 * hertz * h) ** 2
    bouncing = (contacts[:, BOUNCE] > 0.0).any()
    for k in range(len(contacts)):
        _prepare(r, inverse, light, share, contacts, k, one[k], other[k])
    middle, half = np.empty((3, 3)), np.empty(4)
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
                _apply(velocity, spin, light, contacts, k, a, b, push, g1, g2)
                if contacts[k, ROLLING] > 0.0:
                    _twist(spin, inverse, a, b, contacts[k, ROLL], contacts[k, ROLL + 1], contacts[k, ROLL + 2])
        if bouncing:
            _bounce(position, velocity, spin, light, contacts, one, other, h, free)
        _solve(position, velocity, spin, r, inverse, light, balls, contacts, one, other, h, True, opening, free)
        for i in range(n):
            if free[i] and light[i] > 0.0:
                for c in range(3):
                    position[i, c] -= 0.5 * h * h * pull[i, c]
            _spin_on(position, q, velocity, spin, r, light, inertia, share, i, h, middle, half)
        _solve(position, velocity, spin, r, inverse, light, balls, contacts, one, other, h, False, opening, free)
