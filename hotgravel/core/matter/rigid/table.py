"""The table of contacts: a row for each point where bodies touch one another or an obstacle, with the impulses that it
had before."""

import math

import numpy as np
from numba import njit

from hotgravel.core.matter.rigid.constraint import (
    ANCHOR_A,
    ANCHOR_B,
    ASIDE,
    BOUNCE,
    DEEP,
    DRIFT,
    FRICTION,
    GAP,
    HIT,
    LEADS,
    NORMAL,
    NOW,
    OWN_A,
    OWN_B,
    PUSH,
    ROLL,
    ROLLING,
    SUM,
)  # fmt: skip
from hotgravel.core.matter.rigid.detect import AT, EDGE_A, EDGE_B, LEAD
from hotgravel.core.matter.rigid.detect import GAP as POINT_GAP
from hotgravel.core.matter.rigid.detect import NORMAL as POINT_NORMAL
from hotgravel.core.matter.rigid.leads import BY_A, BY_B, BY_EDGES

SAME = 0.15  # of a body's reach: an earlier point so near is the same
LET = 0.005  # of the smaller body's reach: overlaps up to so much are opened softly


@njit(cache=True, inline="always")
def _in_frame(turn, i, at, first, x, y, z):
    """Three columns of a point from first on, less x, y, z, in the frame of a body or obstacle that is turned so."""
    x, y, z = at[first] - x, at[first + 1] - y, at[first + 2] - z
    return (
        turn[i, 0, 0] * x + turn[i, 1, 0] * y + turn[i, 2, 0] * z,
        turn[i, 0, 1] * x + turn[i, 1, 1] * y + turn[i, 2, 1] * z,
        turn[i, 0, 2] * x + turn[i, 1, 2] * y + turn[i, 2, 2] * z,
    )


@njit(cache=True)
def tabled(
    touches, begin, place, turn, body, body_turn, thickness, friction, bounce, rolling, reach, table, one, other, own,
    where,
):  # fmt: skip
    """Fill the table of contacts from its row `begin` on, with the bodies and obstacles A and B of each, `one` and
    `other` (k,), where it lies in the world, `where` (k, 3), and in B's own frame, `own` (k, 3), by which it is known
    later, whatever B moves with; `body` (n, 3) and `body_turn` (n, 3, 3) are that frame.

    What they move with is at `place` (m, 3) and turned by `turn` (m, 3, 3); thickness, friction, bounce, rolling and
    reach (m,) tell how thick they are about where they touch, how they rub, bounce and roll, and how far they reach.
    Returns the row after the last.
    """
    k = begin
    for p in range(len(touches.pairs)):
        a, b = touches.pairs[p, 0], touches.pairs[p, 1]
        for n in range(touches.counts[p]):
            at, c = touches.slots[p, n], table[k]
            c[PUSH : ROLL + 3], c[ASIDE], c[DRIFT] = 0.0, 0.0, 0.0
            one[k], other[k] = a, b
            for i in range(3):
                where[k, i], c[NORMAL + i] = at[AT + i], at[POINT_NORMAL + i]
            own[k, 0], own[k, 1], own[k, 2] = _in_frame(body_turn, b, at, AT, body[b, 0], body[b, 1], body[b, 2])
            # Both anchors are at the middle of the gap, so that they say nothing of it.
            for side, to in ((a, ANCHOR_A), (b, ANCHOR_B)):
                x, y, z = place[side, 0], place[side, 1], place[side, 2]
                c[to], c[to + 1], c[to + 2] = _in_frame(turn, side, at, AT, x, y, z)
            c[GAP], c[LEADS], edges = at[POINT_GAP] - thickness[a], at[LEAD], at[LEAD] == BY_EDGES
            for side, by, edge, to in ((a, BY_A, EDGE_A, OWN_A), (b, BY_B, EDGE_B, OWN_B)):
                if edges or at[LEAD] == by:
                    first = edge if edges else POINT_NORMAL
                    c[to], c[to + 1], c[to + 2] = _in_frame(turn, side, at, first, 0.0, 0.0, 0.0)
            c[FRICTION] = math.sqrt(friction[a] * friction[b])
            c[BOUNCE], c[ROLLING] = max(bounce[a], bounce[b]), max(rolling[a], rolling[b])
            c[DEEP] = LET * min(reach[a], reach[b])
            k += 1
    return k


@njit(cache=True)
def warmed(keys, own, other, reach, order, old_keys, old_own, old_impulses, impulses, table):
    """Give each new point (k,) the impulses of the nearest old one with the same key, if it is near enough; each old
    one is given once. `own` (k, 3) is where they lie in the bodies `other` (k,), which reach so far (m,); `order` sorts
    the old ones by their keys."""
    used = np.zeros(len(order), np.bool_)
    start = 0
    for k in range(len(keys)):
        key, near = keys[k], SAME * reach[other[k]]
        if k == 0 or key != keys[k - 1]:
            start = np.searchsorted(old_keys, key)
        best, at = near * near, -1
        for s in range(start, len(order)):
            if old_keys[s] != key:
                break
            if used[s]:
                continue
            d = 0.0
            for c in range(3):
                d += (old_own[order[s], c] - own[k, c]) ** 2
            if d < best:
                best, at = d, s
        if at >= 0:
            used[at] = True
            for c in range(6):
                impulses[k, c] = table[k, PUSH + c] = old_impulses[order[at], c]


@njit(cache=True)
def learnt(table, looks, impulses, gap, total):
    """What contacts (k, CONTACT_WIDTH) have come to in one of so many looks of a step, into their impulses (k, 6), gap
    and total (k,): what presses does so throughout the step, a hit does not."""
    for k in range(len(table)):
        for c in range(6):
            impulses[k, c] = table[k, PUSH + c]
        gap[k] = table[k, NOW]
        total[k] = table[k, SUM] if table[k, HIT] > 0.0 else looks * table[k, SUM]
