"""When cues fire: each condition as one number of each particle, and a threshold."""

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.ask import Ask
from hotgravel.core.drive.value import each, one
from hotgravel.core.matter.particles.crowd import ParticleCrowd
from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot import cues as c

Array = NDArray[np.float64]
Ids = NDArray[np.int64]
ANY_PROP = 63  # the bit of `touched` that stands for every prop
NEVER_TOUCHED = -1.0
OVER, UNDER = 1, -1


@dataclass(frozen=True)
class Watch:
    """A cue with its references made numbers: states, sources and the touch bit, -1 and ANY_PROP for all."""

    cue: c.Cue
    number: int
    whom: int
    source: int
    bit: int
    after: int
    follows: int
    counted: int


@dataclass
class Look:
    """One look of all cues at a moment: the particles, where all is, and what has been read so far."""

    particles: Particles
    scene: Scene
    landing: int
    recent: dict[int, Ids]
    nearest: dict[str, float] = field(default_factory=dict)
    crowd: ParticleCrowd = field(init=False)
    room: Ids = field(init=False)  # where each cue in turn writes whom it fires on

    def __post_init__(self) -> None:
        self.room = np.empty(len(self.particles), np.int64)
        self.refresh()

    def refresh(self) -> None:
        """Forget what was read: a cue has changed it."""
        self.crowd = ParticleCrowd(self.particles, self.scene)

    @property
    def ask(self) -> Ask:
        return Ask(self.scene.ask.seconds, self.scene.ask.clock, self.crowd)


PIECE = 8192  # particles that one thread takes at a time
BLOCK = 128  # particles looked at together; few blocks hold one that a cue may fire on


@njit(cache=True)
def _any_near(value, way, limit, best):
    """Whether any of a block is on its side of the threshold or the nearest so far: without branches, so
    that the compiler makes vectors of it, as of the next two."""
    some = 0
    for i in range(len(value)):
        some += (way * value[i] > limit) | (way * value[i] > best)
    return some > 0


@njit(cache=True)
def _any_new(value, state, fired, way, limit, best, bit, whom):
    """Whether any of a block may fire for the first time, or be the nearest of those that may not yet."""
    some, one, none, all_states = 0, np.uint64(1), np.uint64(0), whom < 0
    for i in range(len(value)):
        near = way * value[i]
        true, new = near > limit, (fired[i] >> bit) & one == none
        some += (all_states | (state[i] == whom)) & ((true & new) | ((near <= limit) & (near > best)))
    return some > 0


@njit(cache=True)
def _any_turned(value, state, left, held, way, limit, best, bit, whom, source, crossing):
    """Whether what is true of any of a block differs from what was, or it is the nearest."""
    some, one, none = 0, np.uint64(1), np.uint64(0)
    all_states, all_sources = whom < 0, source < 0
    for i in range(len(value)):
        near, concerned = way * value[i], (all_states | (state[i] == whom)) & (all_sources | (left[i] == source))
        holds = (near > limit) & (concerned | crossing)
        some += (holds != ((held[i] >> bit) & one != none)) | (concerned & (near > best))
    return some > 0


@njit(cache=True)
def _firing_of(
    first, last, way, limit, value, crossing, once, edge, whom, source, bit, age, life, state, left, fired, held,
    looked, out,
):  # fmt: skip
    """Whom a cue fires on among those from `first` to before `last`: those whose number has come to its side
    of the threshold, written from `out[first]` on. Returns how many, and the nearest that the number came, of
    those it concerns and has not fired on before if it does so once."""
    found, best, mine = first, -np.inf, np.uint64(1) << bit
    for begin in range(first, last, BLOCK):
        end = min(begin + BLOCK, last)
        some, states = value[begin:end], state[begin:end]
        if edge:
            if not _any_turned(
                some, states, left[begin:end], held[begin:end], way, limit, best, bit, whom, source, crossing
            ):
                continue
        elif not _any_near(some, way, limit, best) or (
            once and not _any_new(some, states, fired[begin:end], way, limit, best, bit, whom)
        ):
            continue
        for i in range(begin, end):
            near = way * value[i]
            true, was = near > limit, edge and (held[i] & mine) != 0
            concerned = (whom < 0 or state[i] == whom) and (source < 0 or left[i] == source)
            if edge:
                holds = true and (concerned or crossing)
                if holds == was and not near > best:
                    continue
            elif not concerned or ((once and (fired[i] & mine) != 0) if true else not near > best):
                continue
            if age[i] < 0.0 or life[i] < 0.0:
                continue
            if edge:
                held[i] = held[i] | mine if holds else held[i] & ~mine
            if not concerned:
                continue
            best = max(best, near)
            if not true or was or (once and (fired[i] & mine) != 0) or (crossing and looked[i] == 0):
                continue
            fired[i] |= mine
            out[found] = i
            found += 1
    return found - first, best


@njit(cache=True, parallel=True)
def _firing(
    way, threshold, value, crossing, once, edge, whom, source, number, age, life, state, left, fired, held, looked, out
):
    """Whom a cue fires on, written into `out` in order. Returns how many, and the nearest that the number
    came, of those it concerns."""
    n = len(age)
    pieces = -(-n // PIECE)
    found, best = np.zeros(pieces, np.int64), np.empty(pieces)
    for piece in prange(pieces):
        found[piece], best[piece] = _firing_of(
            piece * PIECE, min((piece + 1) * PIECE, n), way, way * threshold, value, crossing, once, edge, whom,
            source, np.uint64(number), age, life, state, left, fired, held, looked, out,
        )  # fmt: skip
    count, nearest = 0, -np.inf
    for piece in range(pieces):
        nearest = max(nearest, best[piece])
        for at in range(found[piece]):
            out[count] = out[piece * PIECE + at]
            count += 1
    return count, (way * nearest if nearest > -np.inf else np.nan)


@njit(cache=True, parallel=True)
def _hits(touched, impact, bit):
    """How hard each has touched what a bit stands for."""
    out, met = np.empty(len(impact)), np.uint64(1) << np.uint64(bit)
    for i in prange(len(impact)):
        out[i] = impact[i] if (touched[i] & met) != 0 else NEVER_TOUCHED
    return out


def places_of(there: Ids, ids: Ids) -> tuple[Ids, NDArray[np.bool_]]:
    """Where ids stand among those that are there, in order; and which of them still are."""
    place = np.minimum(np.searchsorted(there, ids), max(len(there) - 1, 0))
    found = there[place] == ids if len(there) else np.zeros(len(ids), bool)
    return place[found], found


def comes_due(when: c.Condition, frame: float) -> bool:
    """Whether a condition that goes by the frame alone holds at one; false for all others."""
    if isinstance(when, c.AtFrame):
        return frame == when.frame
    if isinstance(when, c.Every):
        return frame >= when.start and (frame - when.start) % when.frames == 0.0
    return False


def told(watch: Watch, look: Look) -> tuple[int, float, Array] | None:
    """The side, the threshold and the number of each particle that a condition is about; None where it
    cannot hold at this moment, whoever is asked."""
    when, ask, crowd = watch.cue.when, look.ask, look.crowd
    frame, n = float(look.scene.ask.frames[0]), len(look.particles)
    match when:
        case c.Slower():
            return UNDER, one(when, "speed", ask), crowd.read("speed")
        case c.Faster():
            return OVER, one(when, "speed", ask), crowd.read("speed")
        case c.Older():
            return OVER, one(when, "age", ask), look.particles.age
        case c.Travelled():
            return OVER, one(when, "distance", ask), look.particles.travelled
        case c.Hotter():
            return OVER, one(when, "temperature", ask), look.particles.temperature
        case c.Cooler():
            return UNDER, one(when, "temperature", ask), look.particles.temperature
        case c.Touches():
            hits = _hits(look.particles.touched, look.particles.impact, watch.bit)
            return OVER, np.nextafter(one(when, "speed", ask), -1.0), hits
        case c.Nearer():
            return UNDER, one(when, "distance", ask), crowd.read("distance to", when.prop)
        case c.Inside() | c.Enters():
            return OVER, one(when, "weight", ask), crowd.read("weight in", when.zone)
        case c.Leaves():
            return UNDER, np.nextafter(one(when, "weight", ask), 2.0), crowd.read("weight in", when.zone)
        case c.AtFrame() | c.Every():
            return (OVER, frame - 1.0, np.full(n, frame)) if comes_due(when, frame) else None
        case c.After():
            ids = look.recent.get(watch.follows)
            if ids is None or not len(ids):
                return None
            on = np.zeros(n)
            on[places_of(look.particles.id, ids)[0] if when.whose == "it" else slice(None)] = 1.0
            return OVER, 0.5, on
        case c.ShareIn():
            share = float((look.particles.state == watch.counted).mean()) if n else 0.0
            return OVER, one(when, "share", ask), np.full(n, share)
        case c.Reads():
            return OVER, one(when, "over", ask), np.broadcast_to(each(when, "value", ask), n)
    raise AssertionError(when)


def fires(watch: Watch, look: Look) -> tuple[Ids, Array]:
    """The indices of those a cue fires on, and the number of each that crossed. Marks that it has."""
    said = told(watch, look)
    p, cue = look.particles, watch.cue
    if said is None:
        return np.zeros(0, np.int64), np.zeros(0)
    way, threshold, value = said
    crossing = isinstance(cue.when, c.Enters | c.Leaves)
    # What fires at its moments does so anew at each; what holds for a while, when it begins to.
    edge = crossing or (cue.again == "each" and not isinstance(cue.when, c.AtFrame | c.Every | c.After))
    count, nearest = _firing(
        way, threshold, np.ascontiguousarray(value), crossing, cue.again == "once", edge, watch.whom, watch.source,
        watch.number, p.age, p.life, p.state, p.source, p.fired, p.held, p.looked, look.room,
    )  # fmt: skip
    _nearest(look, cue, way, nearest)
    who = look.room[:count].copy()
    if count and cue.within is not None:
        inside = look.scene.weight_in(cue.within, p.position[who]) > 0.5
        p.fired[who[~inside]] &= ~(np.uint64(1) << np.uint64(watch.number))
        p.held[who[~inside]] &= ~(np.uint64(1) << np.uint64(watch.number))
        who = who[inside]
    chance = one(cue, "chance", look.ask)
    if len(who) and chance < 1.0:
        occasion = 0 if cue.again == "once" else 1 + look.landing - int(look.scene.ask.clock.first)
        draw = uniforms(p.id[who].astype(np.uint64), 1, seed=0, who=cue.id, purpose=occasion)[:, 0]
        who = who[draw < chance]
    return who, np.asarray(value[who], float)


def _nearest(look: Look, cue: c.Cue, way: int, value: float) -> None:
    if np.isnan(value) or isinstance(cue.when, c.AtFrame | c.Every | c.After):
        return
    before = look.nearest.get(cue.id)
    if before is None or way * value > way * before:
        look.nearest[cue.id] = float(value)


def watches(
    rows: list[c.Cue], states: dict[str, int], bits: dict[str, int], sources: dict[str, int]
) -> list[Watch]:  # fmt: skip
    """All cues that are on, with their numbers; `bits` maps watched props to their touch bits."""
    numbers = {cue.id: n for n, cue in enumerate(rows)}

    def place(table: dict[str, int], row: Any) -> int:
        return -1 if row is None else table[row]

    found = []
    for number, cue in enumerate(rows):
        if not cue.on:
            continue
        prop = cue.when.prop if isinstance(cue.when, c.Touches) else None
        found.append(Watch(
            cue, number, place(states, cue.whom), place(sources, cue.source),
            ANY_PROP if prop is None else bits[prop],
            place(states, cue.then.state if isinstance(cue.then, c.Enter) else None),
            place(numbers, cue.when.cue if isinstance(cue.when, c.After) else None),
            place(states, cue.when.state if isinstance(cue.when, c.ShareIn) else None),
        ))  # fmt: skip
    return found
