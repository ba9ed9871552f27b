"""Impacts that bounce: of pairs, at all places where they touch at once, and with no more energy than they had."""

import numpy as np
from numba import njit

from hotgravel.core.matter.rigid.constraint import (
    ALONG,
    BOUNCE,
    COUPLED,
    FIRST,
    FRICTION,
    HIT,
    MASS,
    NOW,
    SECOND,
    SUM,
    apply_impulses,
    grip,
    speeds,
)  # fmt: skip
from hotgravel.core.vectors import at, plus, put

BOUNCING = 0.3  # m/s: slower hits do not bounce, or nothing would come to rest
BOUNCE_ROUNDS = 64  # of impacts that set off one another at one moment, and of what one does at its places
SETTLED = 1e-4  # m/s: so near the speed at which it is to leave
MOST_TOGETHER = 8  # places of a pair
MOST_LEFT = 0.998  # of the energy that a hit comes with: lever arms are those of the look, while bodies turn


@njit(cache=True)
def bounce(position, velocity, spin, light, c, one, other, h, free):
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
        given[n, 3], given[n, 4], given[n, 5] = speeds(velocity, spin, c, k, a, b)
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
            speed, slip1, slip2 = speeds(velocity, spin, c, k, a, b)
            push = max(0.0, given[n, 0] + c[k, ALONG + MASS] * (goal[n] - speed))
            more, f1, f2 = push - given[n, 0], given[n, 1], given[n, 2]
            slip1, slip2 = slip1 + more * c[k, FIRST + COUPLED], slip2 + more * c[k, SECOND + COUPLED]
            g1, g2 = grip(c, k, f1, f2, slip1, slip2, c[k, FRICTION] * push)
            apply_impulses(velocity, spin, light, c, k, a, b, more, g1 - f1, g2 - f2)
            given[n, 0], given[n, 1], given[n, 2] = push, g1, g2
            most = max(most, abs(goal[n] - speed) if more != 0.0 else 0.0)
        if most < SETTLED:
            break
    # The work of all impulses, were speeds as before; what comes of their change; and whether any turns a body.
    lost, gained, turns = 0.0, 0.0, False
    for k in range(first, last):
        now, g = speeds(velocity, spin, c, k, a, b), given[k - first]
        for d in range(3):
            lost, gained = lost - g[d] * g[3 + d], gained + 0.5 * g[d] * (now[d] - g[3 + d])
        turns |= c[k, ALONG + MASS] * (light[a] + light[b]) < 1.0 - 1e-9
    less = max(0.0, 1.0 - (MOST_LEFT if turns else 1.0) * lost / gained) if gained > 0.0 else 0.0
    for k in range(first, last):
        g = given[k - first]
        if less > 0.0:
            apply_impulses(velocity, spin, light, c, k, a, b, -less * g[0], -less * g[1], -less * g[2])
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
