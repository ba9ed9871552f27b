"""A contact as the solver has it: a row of a table, with three directions along which it gives impulses."""

import math

from numba import njit

from hotgravel.core.matter.rigid.leads import BY_A, BY_B, BY_EDGES, STILL_CROSSING
from hotgravel.core.vectors import at, cross, dot, plus, put

# Columns of a contact: where the bodies touch in their own frames, the normal from A to B, the gap at the look's start,
# friction, bounce, rolling resistance in metres; then what the solver adds: the impulses along the normal, along two
# tangents and against rolling, the mass that answers to rolling, the speed it was hit with, the sum of impulses of the
# look, the arms from both centres, the gap now, a block for each of its three directions, the sums of impulses along
# the tangents, from which overlap on it is firm, what leads it (see `leads.py`) with its directions in both bodies' own
# frames, by how much these make the gap another than the normal tells, and how fast that changes.
ANCHOR_A, ANCHOR_B, NORMAL, GAP, FRICTION, BOUNCE, ROLLING = 0, 3, 6, 9, 10, 11, 12
PUSH, GRIP, ROLL, MASS_R, HIT, SUM, ARM_A, ARM_B, NOW = 13, 14, 16, 19, 20, 21, 22, 25, 28
ALONG = 29
# Kernels take the whole table c and a contact's row k in it: handing on a view of the row costs more than what is done
# with it, as does a call, which hands on every array. So what each round does with each contact is inlined.
# Columns of a direction's block: the direction, the spin that a unit impulse along it gives A and B, the mass that
# answers, and the speed along it that a unit impulse along the normal gives.
SPIN_A, SPIN_B, MASS, COUPLED, BLOCK_WIDTH = 3, 6, 9, 10, 11
FIRST, SECOND = ALONG + BLOCK_WIDTH, ALONG + 2 * BLOCK_WIDTH  # the tangents' blocks
SUM_FIRST, SUM_SECOND, DEEP, LEADS = (SECOND + BLOCK_WIDTH + n for n in range(4))
OWN_A, OWN_B, ASIDE, DRIFT, CONTACT_WIDTH = LEADS + 1, LEADS + 4, LEADS + 7, LEADS + 8, LEADS + 9


@njit(cache=True, inline="always")
def _mixed(c, k, column, along, first, second):
    """What impulses along the three directions of a contact come to, of what begins at a column of their blocks."""
    u, v, w = ALONG + column, FIRST + column, SECOND + column
    return (
        along * c[k, u] + first * c[k, v] + second * c[k, w],
        along * c[k, u + 1] + first * c[k, v + 1] + second * c[k, w + 1],
        along * c[k, u + 2] + first * c[k, v + 2] + second * c[k, w + 2],
    )


@njit(cache=True, inline="always")
def apply_impulses(velocity, spin, light, c, k, a, b, along, first, second):
    """Impulses along the three directions of a contact at once, on B, and their opposites on A."""
    push = _mixed(c, k, 0, along, first, second)
    put(velocity, a, plus(at(velocity, a), -light[a], push))
    put(velocity, b, plus(at(velocity, b), light[b], push))
    put(spin, a, plus(at(spin, a), -1.0, _mixed(c, k, SPIN_A, along, first, second)))
    put(spin, b, plus(at(spin, b), 1.0, _mixed(c, k, SPIN_B, along, first, second)))


@njit(cache=True, inline="always")
def relative_velocity(velocity, spin, c, k, a, b):
    """The velocity of B's place of touch beside A's."""
    arm_a, arm_b = (c[k, ARM_A], c[k, ARM_A + 1], c[k, ARM_A + 2]), (c[k, ARM_B], c[k, ARM_B + 1], c[k, ARM_B + 2])
    of_a = plus(at(velocity, a), 1.0, cross(at(spin, a), arm_a))
    return plus(plus(at(velocity, b), 1.0, cross(at(spin, b), arm_b)), -1.0, of_a)


@njit(cache=True, inline="always")
def speed_along(c, k, d, v):
    """How fast a velocity goes along a direction of a contact."""
    return c[k, d] * v[0] + c[k, d + 1] * v[1] + c[k, d + 2] * v[2]


@njit(cache=True)
def speeds(velocity, spin, c, k, a, b):
    """How fast B's place of touch goes along the three directions of a contact, beside A's."""
    v = relative_velocity(velocity, spin, c, k, a, b)
    return speed_along(c, k, ALONG, v), speed_along(c, k, FIRST, v), speed_along(c, k, SECOND, v)


@njit(cache=True, inline="always")
def _spun(inverse, i, lever):
    """The spin that a body takes from an angular impulse."""
    return (
        inverse[i, 0, 0] * lever[0] + inverse[i, 0, 1] * lever[1] + inverse[i, 0, 2] * lever[2],
        inverse[i, 1, 0] * lever[0] + inverse[i, 1, 1] * lever[1] + inverse[i, 1, 2] * lever[2],
        inverse[i, 2, 0] * lever[0] + inverse[i, 2, 1] * lever[1] + inverse[i, 2, 2] * lever[2],
    )


@njit(cache=True, inline="always")
def _block(inverse, light, c, k, d, a, b, x, y, z):
    """Fill a direction's block, the normal's first."""
    c[k, d], c[k, d + 1], c[k, d + 2] = x, y, z
    lever_a = cross((c[k, ARM_A], c[k, ARM_A + 1], c[k, ARM_A + 2]), (x, y, z))
    lever_b = cross((c[k, ARM_B], c[k, ARM_B + 1], c[k, ARM_B + 2]), (x, y, z))
    of_a, of_b, u, v = _spun(inverse, a, lever_a), _spun(inverse, b, lever_b), d + SPIN_A, d + SPIN_B
    c[k, u], c[k, u + 1], c[k, u + 2] = of_a
    c[k, v], c[k, v + 1], c[k, v + 2] = of_b
    total = light[a] + light[b] + dot(lever_a, of_a) + dot(lever_b, of_b)
    c[k, d + MASS] = 1.0 / total if total > 0.0 else 0.0
    c[k, d + COUPLED] = speed_along(c, k, ALONG + SPIN_A, lever_a) + speed_along(c, k, ALONG + SPIN_B, lever_b)


@njit(cache=True)
def twist(spin, inverse, a, b, x, y, z):
    """An angular impulse on B, and its opposite on A."""
    put(spin, a, plus(at(spin, a), -1.0, _spun(inverse, a, (x, y, z))))
    put(spin, b, plus(at(spin, b), 1.0, _spun(inverse, b, (x, y, z))))


@njit(cache=True, inline="always")
def _turned_by(r, i, c, k, anchor):
    """Where in the world, from a body's centre, the place of touch is that it has in its own frame."""
    x, y, z = c[k, anchor], c[k, anchor + 1], c[k, anchor + 2]
    return (
        r[i, 0, 0] * x + r[i, 0, 1] * y + r[i, 0, 2] * z,
        r[i, 1, 0] * x + r[i, 1, 1] * y + r[i, 1, 2] * z,
        r[i, 2, 0] * x + r[i, 2, 1] * y + r[i, 2, 2] * z,
    )


@njit(cache=True, inline="always")
def update_gap(position, r, c, k, a, b, h):
    """The gap as it is now, after h seconds, along what leads it. Impulses act where the bodies touched at the look's
    start, and along the normal from then: a place that turned with them would brake what rolls."""
    there = plus(at(position, b), 1.0, _turned_by(r, b, c, k, ANCHOR_B))
    here = plus(at(position, a), 1.0, _turned_by(r, a, c, k, ANCHOR_A))
    way, by = plus(there, -1.0, here), c[k, LEADS]
    gone = straight = speed_along(c, k, NORMAL, way)
    if by == BY_EDGES:
        normal = cross(_turned_by(r, a, c, k, OWN_A), _turned_by(r, b, c, k, OWN_B))
        long = math.sqrt(dot(normal, normal))
        gone = dot(normal, way) / long if long > STILL_CROSSING else straight
    elif by == BY_A:
        gone = dot(_turned_by(r, a, c, k, OWN_A), way)
    elif by == BY_B:
        gone = dot(_turned_by(r, b, c, k, OWN_B), way)
    c[k, NOW] = c[k, GAP] + gone
    c[k, DRIFT], c[k, ASIDE] = (gone - straight - c[k, ASIDE]) / h, gone - straight


@njit(cache=True, inline="always")
def prepare(r, inverse, light, share, c, k, a, b):
    """Arms, the blocks of the three directions, and the mass that answers to rolling."""
    c[k, ARM_A], c[k, ARM_A + 1], c[k, ARM_A + 2] = _turned_by(r, a, c, k, ANCHOR_A)
    c[k, ARM_B], c[k, ARM_B + 1], c[k, ARM_B + 2] = _turned_by(r, b, c, k, ANCHOR_B)
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


@njit(cache=True, inline="always")
def grip(c, k, f1, f2, slip1, slip2, limit):
    """Friction: the impulses along the tangents, f1 and f2 before, that stop sliding at such speeds and come to no more
    than a limit together."""
    g1, g2 = f1 - c[k, FIRST + MASS] * slip1, f2 - c[k, SECOND + MASS] * slip2
    size = math.sqrt(g1 * g1 + g2 * g2)
    if size > limit:
        g1, g2 = g1 * limit / size, g2 * limit / size
    return g1, g2
