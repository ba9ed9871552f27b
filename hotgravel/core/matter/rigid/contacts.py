"""Contacts from step to step: found anew, with the impulses that they had before."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.drive.ask import Ask
from hotgravel.core.drive.value import one
from hotgravel.core.lengths import lengths
from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.elements import places_of
from hotgravel.core.matter.rigid.constraint import CONTACT_WIDTH, GAP, NORMAL
from hotgravel.core.matter.rigid.detect import Touches, may_touch, room_for, sweep_pairs, touch_bodies, touch_obstacles
from hotgravel.core.matter.rigid.islands import STILL
from hotgravel.core.matter.rigid.lumps import Lumps, Movers
from hotgravel.core.matter.rigid.obstacles import Library, Standing, joined, scaled
from hotgravel.core.matter.rigid.state import Bodies
from hotgravel.core.matter.rigid.support import PART_WIDTH, support
from hotgravel.core.matter.rigid.table import learnt, tabled, warmed
from hotgravel.core.shape.turns import matrices

if TYPE_CHECKING:
    from hotgravel.core.matter.rigid.slack import Slack
    from hotgravel.core.matter.rigid.solver import RigidSolver

SLOP = 0.01  # of a body's reach: how far apart points count though nothing moves
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
        learnt(self.table, looks, self.impulses, self.gap, self.total)

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


Parts = tuple[Library, NDArray[np.int64], NDArray[np.int64]]  # of all bodies, where those of each begin, how many


def keys_of(ids: NDArray[np.int64]) -> NDArray[np.int64]:
    """Pairs (k, 2) of ids as one number each, in the same order."""
    keys: NDArray[np.int64] = ids[:, 0] * (1 << 31) + ids[:, 1]
    return keys


def parts_of(solver: "RigidSolver", bodies: Bodies) -> Parts:
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


def boxes_of(bodies: Bodies, turn: Array, parts: Parts) -> tuple[Array, Array]:
    """The boxes in the world, low and high (n, 3), of bodies that are turned by `turn` (n, 3, 3)."""
    library, first, count = parts
    low, high = np.empty((len(bodies), 3)), np.empty((len(bodies), 3))
    boxes(bodies.position, turn, first, count, library.parts, library.corners, low, high)
    return low, high


def touches_of(bodies: Bodies, turn: Array, parts: Parts, pairs: NDArray[np.int64], reach: Array) -> Touches:
    """Where pairs (p, 2) of bodies that are turned by `turn` (n, 3, 3) touch, or come as near as `reach` (p,)."""
    (library, first, count), found = parts, room_for(pairs)
    touch_bodies(
        pairs, bodies.position, turn, first, count, library.parts, library.corners, library.cores, library.faces,
        library.normals, reach, found.slots, found.counts,
    )  # fmt: skip
    return found


def found_contacts(
    solver: "RigidSolver", bodies: Bodies, lumps: Lumps, movers: Movers, slack: "Slack", old: Contacts, there: Standing,
    ask: Ask, dt: float,
) -> Contacts:  # fmt: skip
    """The contacts of a step; bodies that what is awake comes near wake. Those of one lump do not meet."""
    parts, turn, n = parts_of(solver, bodies), matrices(bodies.turn), len(bodies)
    library, first, count = parts
    low, high = boxes_of(bodies, turn, parts)
    # A body may fall for a step more than its velocity tells.
    ahead = dt * (bodies.velocity + 0.5 * dt * bodies.felt)
    slop = SLOP * bodies.radius + dt * lengths(bodies.spin) * bodies.radius
    low, high = low + np.minimum(ahead, 0.0) - slop[:, None], high + np.maximum(ahead, 0.0) + slop[:, None]
    pairs = near_pairs(bodies, low, high)
    pairs, reach = may_touch(pairs, lumps.of, bodies.supported, ahead, slop)
    between = touches_of(bodies, turn, parts, pairs, reach)
    slack.allow(bodies, between)
    pairs = _near_obstacles(bodies, low, high, there)
    what, who = pairs.T
    reach = lengths(ahead[who] - dt * there.velocity[what]) + slop[who] + there.thickness[what]
    reach += dt * lengths(there.spin[what]) * lengths(bodies.position[who] - there.place[what])
    whole, begins = _with_obstacles(solver.cache, library, there)
    standing = room_for(pairs)
    touch_obstacles(
        pairs, bodies.position, turn, bodies.radius, first, count, whole.parts, whole.corners, whole.cores,
        whole.faces, whole.normals, there.table, there.place, there.turn, there.scale, there.part + begins,
        solver.tree, reach, standing.slots, standing.counts,
    )  # fmt: skip
    standing = standing._replace(pairs=np.stack([n + what, who], axis=1))
    return _joined(solver, bodies, turn, lumps, movers, old, there, ask, (standing, between))


def near_pairs(bodies: Bodies, low: Array, high: Array) -> NDArray[np.int64]:
    """Pairs of bodies whose boxes overlap, of which one is awake. One that moves wakes those that it comes near."""
    pairs: NDArray[np.int64]
    axis = int(np.argmax(bodies.position.var(axis=0))) if len(bodies) else 0
    order = np.argsort(low[:, axis], kind="stable")
    while True:
        awake = (bodies.asleep == 0) & ((bodies.supported == 0) | (bodies.speed > 0.0))
        most = max(1024, 16 * len(bodies))
        pairs, found = sweep_pairs(low, high, order, awake, axis, most)
        if found > most:
            pairs, found = sweep_pairs(low, high, order, awake, axis, found)
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
    """Pairs of an obstacle and a body that is awake and may meet it."""
    awake = (bodies.asleep == 0) & (bodies.supported == 0)
    met = awake[:, None] & ((there.whom < 0) | (bodies.state[:, None] == there.whom))
    for c in range(3):
        met &= low[:, c, None] <= there.high[:, c] + there.thickness
        met &= high[:, c, None] >= there.low[:, c] - there.thickness
    found: NDArray[np.int64] = np.ascontiguousarray(np.argwhere(met)[:, ::-1])
    return found


def _joined(
    solver: "RigidSolver", bodies: Bodies, turn: Array, lumps: Lumps, movers: Movers, old: Contacts, there: Standing,
    ask: Ask, touches: tuple[Touches, Touches],
) -> Contacts:  # fmt: skip
    """All points as contacts of bodies that are turned by `turn` (n, 3, 3), with the impulses that they had; obstacles
    are counted after all bodies."""
    n, k = len(bodies), sum(int(of.counts.sum()) for of in touches)
    place = np.concatenate([movers.place[lumps.of], there.place])
    turns = np.concatenate([matrices(movers.turn)[lumps.of], there.turn])
    thickness, surfaces = np.append(np.zeros(n), there.thickness), _surfaces(solver, bodies, there, ask)
    table, own, where, impulses = np.empty((k, CONTACT_WIDTH)), np.empty((k, 3)), np.empty((k, 3)), np.zeros((k, 6))
    one_, other = np.empty(k, np.int64), np.empty(k, np.int64)
    begin = 0
    for of in touches:
        begin = tabled(
            of, begin, place, turns, bodies.position, turn, thickness, *surfaces, table, one_, other, own, where,
        )  # fmt: skip
    named = np.append(bodies.id, -1 - np.array(there.which, np.int64))
    ids = np.stack([named[one_], named[other]], axis=1)
    if k and len(old.ids):
        keys, old_keys = keys_of(ids), keys_of(old.ids)
        order = np.argsort(old_keys, kind="stable")
        warmed(keys, own, other, bodies.radius, order, old_keys[order], old.anchor, old.impulses, impulses, table)
    rest = np.flatnonzero(_still_asleep(bodies, old))
    fresh = (ids, own, impulses, where, table[:, NORMAL : NORMAL + 3].copy(), np.zeros(k), table[:, GAP].copy())
    kept: dict[str, Any] = dict(zip(KEPT, fresh, strict=True))
    if len(rest):
        kept = {name: np.concatenate([new, getattr(old, name)[rest]]) for name, new in kept.items()}
    return Contacts(**kept, table=table, one=one_, other=other, asleep=ends_of(bodies, old.ids[rest]))


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
