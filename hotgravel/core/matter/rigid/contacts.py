"""Contacts from step to step: found anew, with the impulses that they had before."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.drive.ask import Ask
from hotgravel.core.drive.value import one
from hotgravel.core.lengths import lengths
from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.elements import places_of
from hotgravel.core.matter.rigid.constraint import (
    ANCHOR_A,
    ANCHOR_B,
    BOUNCE,
    CONTACT_WIDTH,
    DEEP,
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
from hotgravel.core.matter.rigid.detect import (  # fmt: skip
    AT,
    EDGE_A,
    EDGE_B,
    LEAD,
    POINT_WIDTH,
    SLOTS,
    THERE,
    sweep_pairs,
    touch_bodies,
    touch_obstacles,
)
from hotgravel.core.matter.rigid.detect import GAP as POINT_GAP
from hotgravel.core.matter.rigid.detect import NORMAL as POINT_NORMAL
from hotgravel.core.matter.rigid.islands import STILL
from hotgravel.core.matter.rigid.leads import BY_A, BY_B, BY_EDGES
from hotgravel.core.matter.rigid.lumps import Lumps, Movers
from hotgravel.core.matter.rigid.obstacles import Library, Standing, joined, scaled
from hotgravel.core.matter.rigid.state import Bodies
from hotgravel.core.matter.rigid.support import PART_WIDTH, support
from hotgravel.core.shape.turns import matrices

if TYPE_CHECKING:
    from hotgravel.core.matter.rigid.slack import Slack
    from hotgravel.core.matter.rigid.solver import RigidSolver

SAME = 0.15  # of a body's reach: an earlier point so near is the same
LET = 0.005  # of the smaller body's reach: overlaps up to so much are opened softly
SLOP = 0.01  # of a body's reach: how far apart points count though nothing moves
IMPULSES = slice(PUSH, ROLL + 3)
KEPT = ("ids", "anchor", "impulses", "place", "normal", "total", "gap")
SOLVED = ("table", "one", "other")


@dataclass
class Contacts:
    """Points of contact, in the order of their pairs. ids (k, 2) of the bodies A and B; A's is -1 - m where it is the
    m-th obstacle. anchor (k, 3) lies in B's own frame, place and normal in the world; impulses (k, 6), N s, total (k,)
    their sum over the step along the normal, gap (k,) metres. The first of them are solved in this step: table, one and
    other are for those, and `asleep` has the bodies of the rest."""

    ids: NDArray[np.int64]
    anchor: Array
    impulses: Array
    place: Array
    normal: Array
    total: Array
    gap: Array
    table: Array = field(default_factory=lambda: np.zeros((0, CONTACT_WIDTH)))
    one: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    other: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    asleep: NDArray[np.int64] = field(default_factory=lambda: np.zeros((0, 2), np.int64))

    @classmethod
    def none(cls) -> "Contacts":
        nothing = np.zeros((0, 3))
        return cls(np.zeros((0, 2), np.int64), nothing, np.zeros((0, 6)), nothing, nothing, np.zeros(0), np.zeros(0))

    @classmethod
    def of(cls, arrays: dict[str, Array]) -> "Contacts":
        """From a state's arrays."""
        return cls(**{name: arrays[name] for name in KEPT})

    def learn(self, looks: int) -> None:
        """Take in, in place, what one of so many looks in a step brought: what presses does so throughout the step."""
        solved, table = len(self.table), self.table
        self.impulses[:solved], self.gap[:solved] = table[:, IMPULSES], table[:, NOW]
        self.total[:solved] = np.where(table[:, HIT] > 0.0, 1.0, looks) * table[:, SUM]

    def kept(self) -> dict[str, Array]:
        """As a state's arrays."""
        return {name: getattr(self, name) for name in KEPT}


def together(looks: Sequence[Contacts]) -> Contacts:
    """The contacts of all looks of a step."""
    *earlier, last = looks
    told = {
        name: np.concatenate([*(getattr(look, name)[: len(look.table)] for look in earlier), getattr(last, name)])
        for name in (*KEPT, *SOLVED)
    }
    return Contacts(**told, asleep=last.asleep)


@dataclass
class Cache:
    """The parts of all bodies, and those with the parts of obstacles, made again only when others are there. It says
    nothing that those do not."""

    key: bytes = b""
    library: Library | None = None
    beside: bytes = b""
    whole: tuple[Library, int] | None = None
    first: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    count: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))


def keys_of(ids: NDArray[np.int64]) -> NDArray[np.int64]:
    """Pairs (k, 2) of ids as one number each, in the same order."""
    keys: NDArray[np.int64] = ids[:, 0] * (1 << 31) + ids[:, 1]
    return keys


def parts_of(solver: "RigidSolver", bodies: Bodies) -> tuple[Library, NDArray[np.int64], NDArray[np.int64]]:
    """The parts of all bodies, and where those of each body begin and how many they are."""
    cache = solver.cache
    key = bodies.piece.tobytes() + bodies.scale.tobytes()
    if cache.key != key or cache.library is None:
        kinds, which = np.unique(
            np.stack([bodies.piece.astype(float), bodies.scale], axis=1), axis=0, return_inverse=True
        )
        models = [solver.roles[int(piece)].model for piece, _ in kinds]
        made = [
            scaled(Library(m.parts, m.corners, m.cores, m.face_of, m.normals), float(scale))
            for m, (_, scale) in zip(models, kinds, strict=True)
        ]
        cache.library, first = joined(made)
        cache.whole = None
        counts = np.array([len(m.parts) for m in models], np.int64)
        cache.first, cache.count, cache.key = first[which.ravel()], counts[which.ravel()], key
    return cache.library, cache.first, cache.count


def _with_obstacles(cache: Cache, library: Library, there: Standing) -> tuple[Library, int]:
    """The parts of all bodies and of obstacles after them, and where those of obstacles begin."""
    key = np.array(there.which, np.int64).tobytes() + there.scale.tobytes()
    if cache.whole is None or cache.beside != key:
        whole, firsts = joined([library, there.library])
        cache.whole, cache.beside = (whole, int(firsts[-1])), key
    return cache.whole


@njit(cache=True, parallel=True, nogil=True)
def boxes(position, turn, first, count, parts, corners, low, high):
    """The boxes in the world that bodies fill."""
    for i in prange(len(position)):
        part = np.empty(PART_WIDTH)
        for c in range(3):
            low[i, c], high[i, c] = np.inf, -np.inf
        for p in range(first[i], first[i] + count[i]):
            part[:] = parts[p]
            for c in range(3):
                x, y, z = turn[i, c, 0], turn[i, c, 1], turn[i, c, 2]
                sx, sy, sz = support(part, corners, False, x, y, z)
                high[i, c] = max(high[i, c], position[i, c] + x * sx + y * sy + z * sz)
                sx, sy, sz = support(part, corners, False, -x, -y, -z)
                low[i, c] = min(low[i, c], position[i, c] + x * sx + y * sy + z * sz)


@njit(cache=True)
def _in_slots(slots):
    """The points (k, POINT_WIDTH) that are in slots (pairs, SLOTS, POINT_WIDTH), and the pair (k,) of each."""
    many, k = 0, 0
    for n in range(len(slots)):
        for i in range(SLOTS):
            if slots[n, i, THERE] == 0.0:  # they are filled in order
                break
            many += 1
    pair, points = np.empty(many, np.int64), np.empty((many, POINT_WIDTH))
    for n in range(len(slots)):
        for i in range(SLOTS):
            if slots[n, i, THERE] == 0.0:
                break
            pair[k], points[k] = n, slots[n, i]
            k += 1
    return pair, points


@njit(cache=True)
def _warmed(keys, anchors, order, sorted_keys, old_anchors, old_impulses, near, impulses):
    """Give each new point (k,) the impulses of the nearest old one with the same key, if it is near enough; each old
    one is given once."""
    used = np.zeros(len(order), np.bool_)
    for k in range(len(keys)):
        start = np.searchsorted(sorted_keys, keys[k])
        best, at = near[k] * near[k], -1
        for s in range(start, len(order)):
            if sorted_keys[s] != keys[k]:
                break
            if used[s]:
                continue
            d = 0.0
            for c in range(3):
                d += (old_anchors[order[s], c] - anchors[k, c]) ** 2
            if d < best:
                best, at = d, s
        if at >= 0:
            used[at] = True
            for c in range(6):
                impulses[k, c] = old_impulses[order[at], c]


@njit(cache=True)
def tabled(points, one, other, place, turn, body, body_turn, friction, bounce, rolling, reach, table, own):
    """Fill the table of contacts from points (k, POINT_WIDTH) between one and other (k,), of bodies and obstacles whose
    movers are at `place` (m, 3) and turned by `turn` (m, 3, 3), with how they rub, bounce, roll and reach (m,); and
    where in the other body the points lie, into `own` (k, 3), by which they are known later, whatever it moves with."""
    for k in range(len(points)):
        c, a, b, at = table[k], one[k], other[k], points[k]
        for i in range(3):
            # Both anchors are at the middle of the gap, so that they say nothing of it.
            for side, anchor in ((a, ANCHOR_A), (b, ANCHOR_B)):
                for j in range(3):
                    c[anchor + i] += turn[side, j, i] * (at[AT + j] - place[side, j])
            own[k, i] = 0.0
            for j in range(3):
                own[k, i] += body_turn[b, j, i] * (at[AT + j] - body[b, j])
            c[NORMAL + i] = at[POINT_NORMAL + i]
        c[GAP], c[LEADS] = at[POINT_GAP], at[LEAD]
        edges = at[LEAD] == BY_EDGES
        for side, by, edge, to in ((a, BY_A, EDGE_A, OWN_A), (b, BY_B, EDGE_B, OWN_B)):
            if edges or at[LEAD] == by:
                begin = edge if edges else POINT_NORMAL
                for i in range(3):
                    for j in range(3):
                        c[to + i] += turn[side, j, i] * at[begin + j]
        c[FRICTION] = math.sqrt(friction[a] * friction[b])
        c[BOUNCE], c[ROLLING] = max(bounce[a], bounce[b]), max(rolling[a], rolling[b])
        c[DEEP] = LET * min(reach[a], reach[b])


def found_contacts(
    solver: "RigidSolver", bodies: Bodies, lumps: Lumps, movers: Movers, slack: "Slack", old: Contacts, there: Standing,
    ask: Ask, dt: float,
) -> Contacts:  # fmt: skip
    """The contacts of a step; bodies that what is awake comes near wake. Those of one lump do not meet."""
    library, first, count = parts_of(solver, bodies)
    turn = matrices(bodies.turn)
    n = len(bodies)
    low, high = np.empty((n, 3)), np.empty((n, 3))
    boxes(bodies.position, turn, first, count, library.parts, library.corners, low, high)
    # A body may fall for a step more than its velocity tells.
    ahead = dt * (bodies.velocity + 0.5 * dt * bodies.felt)
    slop = SLOP * bodies.radius + dt * lengths(bodies.spin) * bodies.radius
    low, high = low + np.minimum(ahead, 0.0) - slop[:, None], high + np.maximum(ahead, 0.0) + slop[:, None]
    pairs = near_pairs(bodies, low, high)
    one, other = pairs.T
    pairs = pairs[(lumps.of[one] != lumps.of[other]) & ((bodies.supported[one] == 0) | (bodies.supported[other] == 0))]
    one, other = pairs.T
    reach = lengths(ahead[one] - ahead[other]) + slop[one] + slop[other]
    slots = np.zeros((len(pairs), SLOTS, POINT_WIDTH))
    touch_bodies(
        pairs, bodies.position, turn, first, count, library.parts, library.corners, library.cores, library.faces,
        library.normals, reach, slots,
    )  # fmt: skip
    slack.allow(bodies, pairs, slots)
    with_o = _near_obstacles(bodies, low, high, there)
    reach_o = np.linalg.norm(ahead[with_o[:, 0]] - dt * there.velocity[with_o[:, 1]], axis=1) + slop[with_o[:, 0]]
    whole, begins = _with_obstacles(solver.cache, library, there)
    far = np.linalg.norm(bodies.position[with_o[:, 0]] - there.place[with_o[:, 1]], axis=1)
    reach_o += dt * np.linalg.norm(there.spin[with_o[:, 1]], axis=1) * far + there.thickness[with_o[:, 1]]
    slots_o = np.zeros((len(with_o), SLOTS, POINT_WIDTH))
    touch_obstacles(
        with_o, bodies.position, turn, bodies.radius, first, count, whole.parts, whole.corners, whole.cores,
        whole.faces, whole.normals, there.table, there.place, there.turn, there.scale, there.part + begins,
        solver.tree, reach_o, slots_o,
    )  # fmt: skip
    return _joined(solver, bodies, turn, lumps, movers, old, there, ask, (pairs, slots), (with_o, slots_o))


def near_pairs(bodies: Bodies, low: Array, high: Array) -> NDArray[np.int64]:
    """Pairs of bodies whose boxes overlap, of which one is awake. One that moves wakes those that it comes near."""
    pairs: NDArray[np.int64]
    axis = int(np.argmax(bodies.position.var(axis=0))) if len(bodies) else 0
    order = np.argsort(low[:, axis], kind="stable")
    while True:
        awake = (bodies.asleep == 0) & ((bodies.supported == 0) | (bodies.speed > 0.0))
        most = max(1024, 16 * len(bodies))
        pairs, found = sweep_pairs(low, high, order, awake, np.array([most, axis]))
        if found > most:
            pairs, found = sweep_pairs(low, high, order, awake, np.array([found, axis]))
        pairs = pairs[:found]
        pairs = pairs[np.argsort(keys_of(pairs))]
        if not bodies.asleep.any():
            return pairs
        moves = bodies.speed > STILL
        roused = np.zeros(len(bodies), bool)
        for a, b in ((0, 1), (1, 0)):
            roused[pairs[moves[pairs[:, a]], b]] = True
        roused &= bodies.asleep > 0
        if not roused.any():
            return pairs
        bodies.asleep[roused] = 0


def _near_obstacles(bodies: Bodies, low: Array, high: Array, there: Standing) -> NDArray[np.int64]:
    """Pairs of a body that is awake and an obstacle that it may meet."""
    met: NDArray[np.bool_] = ((bodies.asleep == 0) & (bodies.supported == 0))[:, None]
    met = met & ((there.whom < 0) | (bodies.state[:, None] == there.whom))
    skin = there.thickness[None, :, None]
    met &= (low[:, None] <= there.high[None] + skin).all(axis=2) & (high[:, None] >= there.low[None] - skin).all(axis=2)
    found: NDArray[np.int64] = np.ascontiguousarray(np.argwhere(met))
    return found


def _joined(
    solver: "RigidSolver", bodies: Bodies, turn: Array, lumps: Lumps, movers: Movers, old: Contacts, there: Standing,
    ask: Ask, between: tuple[NDArray[np.int64], Array], standing: tuple[NDArray[np.int64], Array],
) -> Contacts:  # fmt: skip
    """All points as contacts of bodies that are turned by `turn` (n, 3, 3), with the impulses that they had."""
    n = len(bodies)
    (pairs, slots), (with_o, slots_o) = between, standing
    (which, own_points), (which_o, standing_points) = _in_slots(slots), _in_slots(slots_o)
    points = np.concatenate([standing_points, own_points])
    one_ = np.concatenate([n + with_o[which_o, 1], pairs[which, 0]])
    other = np.concatenate([with_o[which_o, 0], pairs[which, 1]])
    points[: len(which_o), POINT_GAP] -= there.thickness[with_o[which_o, 1]]
    k = len(points)
    table, own = np.zeros((k, CONTACT_WIDTH)), np.empty((k, 3))
    moved = matrices(movers.turn)[lumps.of]
    tabled(
        points, one_, other, np.concatenate([movers.place[lumps.of], there.place]),
        np.concatenate([moved, there.turn]), bodies.position, turn,
        *_surfaces(solver, bodies, there, ask), table, own,
    )  # fmt: skip
    ids = np.stack([np.concatenate([bodies.id, -1 - np.array(there.which, np.int64)])[one_], bodies.id[other]], axis=1)
    impulses = np.zeros((k, 6))
    if k and len(old.ids):
        keys, old_keys = keys_of(ids), keys_of(old.ids)
        order = np.argsort(old_keys, kind="stable")
        near = SAME * bodies.radius[other]
        _warmed(keys, own, order, old_keys[order], old.anchor, old.impulses, near, impulses)
    table[:, IMPULSES] = impulses
    rest = _still_asleep(bodies, old)
    return Contacts(
        np.concatenate([ids, old.ids[rest]]), np.concatenate([own, old.anchor[rest]]),
        np.concatenate([impulses, old.impulses[rest]]), np.concatenate([points[:, AT : AT + 3], old.place[rest]]),
        np.concatenate([table[:, NORMAL : NORMAL + 3], old.normal[rest]]),
        np.concatenate([np.zeros(k), old.total[rest]]), np.concatenate([table[:, GAP], old.gap[rest]]), table, one_,
        other, ends_of(bodies, old.ids[rest]),
    )  # fmt: skip


def _surfaces(solver: "RigidSolver", bodies: Bodies, there: Standing, ask: Ask) -> tuple[Array, Array, Array, Array]:
    """Friction, bounce, rolling resistance and reach (metres) of all bodies and obstacles, which have no end."""
    n = len(bodies)
    friction, bounce, rolling = np.zeros(n), np.zeros(n), np.zeros(n)
    for number, row in solver.rows.items():
        mine = bodies.source == number
        friction[mine], bounce[mine] = one(row, "friction", ask), one(row, "bounce", ask)
        rolling[mine] = one(row, "rolling", ask) * bodies.radius[mine]
    nothing = np.zeros(len(there.which))
    return (
        np.append(friction, there.friction), np.append(bounce, there.bounce), np.append(rolling, nothing),
        np.append(bodies.radius, np.full(len(nothing), np.inf)),
    )  # fmt: skip


def ends_of(bodies: Bodies, ids: NDArray[np.int64]) -> NDArray[np.int64]:
    """Where the bodies of contacts stand; -1 for obstacles and for those that are gone."""
    places = np.full(ids.shape, -1)
    for side in (0, 1):
        found, ok = places_of(bodies.id, ids[:, side])
        places[ok, side] = found
    return places


def _still_asleep(bodies: Bodies, old: Contacts) -> NDArray[np.bool_]:
    """Which earlier contacts are between what sleeps, or between that and what stands: they are not looked for."""
    if not bodies.asleep.any():
        return np.zeros(len(old.ids), bool)
    places = ends_of(bodies, old.ids)
    sleeps = np.append(bodies.asleep > 0, True)
    here = (places[:, 1] >= 0) & ((places[:, 0] >= 0) | (old.ids[:, 0] < 0))
    result: NDArray[np.bool_] = here & sleeps[places[:, 0]] & sleeps[places[:, 1]]
    return result
