"""When cues fire: each condition as one number of each element, and a threshold."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numba import get_num_threads, njit, prange
from numpy.typing import NDArray

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.ask import Ask
from hotgravel.core.drive.value import each, one
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.elements import Elements, places_of
from hotgravel.core.shape.setting import ANY_PROP
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot import conditions as c
from hotgravel.core.shot.cues import Cue

Array = NDArray[np.float64]
Ids = NDArray[np.int64]
NEVER_TOUCHED = -1.0
CROSSING = c.Enters | c.Leaves
MOMENTARY = c.AtFrame | c.Every | c.After


@dataclass(frozen=True)
class Watch:
    """A cue with its references made numbers: states, sources and the touch bit, -1 and ANY_PROP for all. `matter`
    names the matter that it concerns; None for all."""

    cue: Cue
    number: int
    whom: int
    source: int
    bit: int
    after: int
    follows: int
    counted: int
    matter: str | None = None


@dataclass
class Look:
    """One look of all cues at the elements of a matter: where all is, and what has been read so far. `shares` has the
    share of its matter that is in a state, by the state's number."""

    elements: Elements
    scene: Scene
    landing: int
    recent: dict[int, Ids]
    nearest: dict[str, float] = field(default_factory=dict)
    shares: Mapping[int, float] = field(default_factory=dict)
    ask: Ask = field(init=False)
    room: Ids = field(init=False)  # where each cue in turn writes whom it fires on
    pieces: int = field(init=False)  # one for each thread: every piece must find its own nearest

    def __post_init__(self) -> None:
        self.room, self.pieces = np.empty(len(self.elements), np.int64), get_num_threads()
        self.refresh()

    def refresh(self) -> None:
        """Forget what was read: a cue has changed it."""
        self.ask = asking(self.elements, self.scene)


BLOCK = 128  # particles looked at together; few blocks hold one that a cue may fire on


@njit(cache=True)
def _is_new(near, state, fired, limit, best, bit, whom):
    """1 where one may fire for the first time, or is the nearest of those that may not yet; else 0. Without
    branches and in words as wide as the numbers, so that the compiler makes vectors of it, as of the next."""
    concerned = np.uint64(whom < 0) | np.uint64(state == whom)
    fresh = np.uint64(near > limit) & ~(fired >> bit)
    return concerned & (fresh | (np.uint64(near <= limit) & np.uint64(near > best)))


@njit(cache=True)
def _is_turned(near, state, left, was_true, limit, best, bit, whom, source, crossing):
    """1 where what is true of one differs from what was, or it is the nearest; else 0."""
    concerned = (np.uint64(whom < 0) | np.uint64(state == whom)) & (np.uint64(source < 0) | np.uint64(left == source))
    holds = np.uint64(near > limit) & (concerned | np.uint64(crossing))
    return (holds ^ ((was_true >> bit) & np.uint64(1))) | (concerned & np.uint64(near > best))


@njit(cache=True)
def _any_of(state, whom):
    """Whether any of a block is in a state."""
    some = False
    for i in range(len(state)):
        some |= state[i] == whom
    return some


@njit(cache=True)
def _any_near(value, way, bound):
    """Whether any of a block is beyond a bound."""
    some = False
    for i in range(len(value)):
        some |= way * value[i] > bound
    return some


@njit(cache=True)
def _mark_new(value, state, fired, way, limit, best, bit, whom, may):
    """Marks those of a block that are new, and tells whether any is."""
    some = np.uint64(0)
    for i in range(len(value)):
        some |= _is_new(way * value[i], state[i], fired[i], limit, best, bit, whom)
    if some:
        for i in range(len(value)):
            may[i] = _is_new(way * value[i], state[i], fired[i], limit, best, bit, whom)
    return some > 0


@njit(cache=True)
def _mark_turned(value, state, left, was_true, way, limit, best, bit, whom, source, crossing, may):
    """Marks those of a block that have turned, and tells whether any has."""
    some = np.uint64(0)
    for i in range(len(value)):
        some |= _is_turned(way * value[i], state[i], left[i], was_true[i], limit, best, bit, whom, source, crossing)
    if some:
        for i in range(len(value)):
            may[i] = _is_turned(
                way * value[i], state[i], left[i], was_true[i], limit, best, bit, whom, source, crossing
            )
    return some > 0


@njit(cache=True)
def _firing_of(
    first, last, way, limit, value, crossing, once, edge, whom, source, bit, age, life, state, left, fired, was_true,
    looked, out,
):  # fmt: skip
    """Whom a cue fires on among those from `first` to before `last`: those whose number has come to its side
    of the threshold, written from `out[first]` on. Returns how many, and the nearest that the number came, of
    those it concerns and has not fired on before if it does so once."""
    found, best, mine, may = first, -np.inf, np.uint64(1) << bit, np.ones(BLOCK, np.bool_)
    for begin in range(first, last, BLOCK):
        end = min(begin + BLOCK, last)
        some, states = value[begin:end], state[begin:end]
        if edge:
            if not _mark_turned(
                some, states, left[begin:end], was_true[begin:end], way, limit, best, bit, whom, source, crossing, may
            ):
                continue
        elif (
            (whom >= 0 and not _any_of(states, whom))
            or not _any_near(some, way, min(limit, best))
            or (once and not _mark_new(some, states, fired[begin:end], way, limit, best, bit, whom, may))
        ):
            continue
        for i in range(begin, end):
            if not may[i - begin] or age[i] < 0.0 or life[i] < 0.0:
                continue
            near = way * value[i]
            true, was = near > limit, edge and (was_true[i] & mine) != 0
            concerned = (whom < 0 or state[i] == whom) and (source < 0 or left[i] == source)
            if edge:
                holds = true and (concerned or crossing)
                was_true[i] = was_true[i] | mine if holds else was_true[i] & ~mine
            new = not once or (fired[i] & mine) == 0
            if not concerned or (true and not edge and not new):
                continue
            best = max(best, near)
            if not true or was or not new or (crossing and looked[i] == 0):
                continue
            fired[i] |= mine
            out[found] = i
            found += 1
    return found - first, best


@njit(cache=True, parallel=True, nogil=True)
def _firing(
    pieces, way, threshold, value, crossing, once, edge, whom, source, number, age, life, state, left, fired, was_true,
    looked, out,
):  # fmt: skip
    """Whom a cue fires on, written into `out` in order, found in so many pieces side by side. Returns how
    many, and the nearest that the number came, of those it concerns."""
    n, length = len(age), -(-len(age) // pieces)
    found, best = np.zeros(pieces, np.int64), np.empty(pieces)
    for piece in prange(pieces):
        found[piece], best[piece] = _firing_of(
            piece * length, min((piece + 1) * length, n), way, way * threshold, value, crossing, once, edge, whom,
            source, np.uint64(number), age, life, state, left, fired, was_true, looked, out,
        )  # fmt: skip
    count, nearest = 0, -np.inf
    for piece in range(pieces):
        nearest = max(nearest, best[piece])
        for at in range(found[piece]):
            out[count] = out[piece * length + at]
            count += 1
    return count, (way * nearest if nearest > -np.inf else np.nan)


@njit(cache=True, parallel=True, nogil=True)
def _hits(touched, impact, bit):
    """How hard each has touched what a bit stands for."""
    out, met = np.empty(len(impact)), np.uint64(1) << np.uint64(bit)
    for i in prange(len(impact)):
        out[i] = impact[i] if (touched[i] & met) != 0 else NEVER_TOUCHED
    return out


def comes_due(when: c.Condition, frame: float) -> bool:
    """Whether a condition that goes by the frame alone holds at one; false for all others."""
    if isinstance(when, c.AtFrame):
        return frame == when.frame
    if isinstance(when, c.Every):
        return frame >= when.start and (frame - when.start) % when.frames == 0.0
    return False


def told(watch: Watch, look: Look) -> tuple[int, float, Array] | None:
    """The side, the threshold and the number of each element that a condition is about; None where it
    cannot hold at this moment, whoever is asked."""
    when, ask, n = watch.cue.when, look.ask, len(look.elements)
    match when:
        case c.AtFrame() | c.Every():
            return (c.OVER, ask.frame - 1.0, np.full(n, ask.frame)) if comes_due(when, ask.frame) else None
        case c.After():
            ids = look.recent.get(watch.follows)
            if ids is None or not len(ids):
                return None
            on = np.zeros(n)
            on[places_of(look.elements.id, ids)[0] if when.whose == "it" else slice(None)] = 1.0
            return c.OVER, 0.5, on
        case c.Touches():
            value = _hits(look.elements.touched, look.elements.impact, watch.bit)
        case c.Struck() if watch.bit != ANY_PROP:
            value = _hits(look.elements.touched, ask.read(when.reads), watch.bit)
        case c.ShareIn():
            value = np.full(n, look.shares.get(watch.counted, 0.0))
        case c.Reads():
            value = np.broadcast_to(each(when, "value", ask), n)
        case _:
            value = ask.read(when.reads, when.target)
    threshold = one(when, when.threshold, ask)
    return when.side, float(np.nextafter(threshold, -when.side * np.inf)) if when.inclusive else threshold, value


def fires(watch: Watch, look: Look) -> tuple[Ids, Array]:
    """The indices of those a cue fires on, and the number of each that crossed. Marks that it has."""
    said = told(watch, look)
    p, cue = look.elements, watch.cue
    if said is None:
        return np.zeros(0, np.int64), np.zeros(0)
    way, threshold, value = said
    crossing = isinstance(cue.when, CROSSING)
    # What fires at its moments does so anew at each; what holds for a while, when it begins to.
    edge = crossing or (cue.again == "each" and not isinstance(cue.when, MOMENTARY))
    value = np.require(value, requirements=["C", "W"])  # other layouts would be compiled anew
    count, nearest = _firing(
        look.pieces, way, threshold, value, crossing, cue.again == "once", edge, watch.whom, watch.source,
        watch.number, p.age, p.life, p.state, p.source, p.fired, p.was_true, p.looked, look.room,
    )  # fmt: skip
    _nearest(look, cue, way, nearest)
    who = look.room[:count].copy()
    if count and cue.within is not None:
        inside = look.scene.weight_in(cue.within, p.position[who]) > 0.5
        p.fired[who[~inside]] &= ~(np.uint64(1) << np.uint64(watch.number))
        p.was_true[who[~inside]] &= ~(np.uint64(1) << np.uint64(watch.number))
        who = who[inside]
    chance = one(cue, "chance", look.ask)
    if len(who) and chance < 1.0:
        occasion = 0 if cue.again == "once" else 1 + look.landing - int(look.scene.ask.clock.first)
        draw = uniforms(p.id[who].astype(np.uint64), 1, seed=0, who=cue.id, purpose=occasion)[:, 0]
        who = who[draw < chance]
    return who, value.take(who).astype(float, copy=False)


def _nearest(look: Look, cue: Cue, way: int, value: float) -> None:
    if value != value or isinstance(cue.when, MOMENTARY):
        return
    before = look.nearest.get(cue.id)
    if before is None or way * value > way * before:
        look.nearest[cue.id] = float(value)


def _matter_of(cue: Cue, matters: Mapping[str, str]) -> str | None:
    """The matter that a cue concerns, by the state that it asks for or lets enter; None for all."""
    state = cue.whom or cue.enters
    return None if state is None else matters[state]


def watches(
    rows: list[Cue], states: dict[str, int], bits: dict[str, int], sources: dict[str, int],
    matters: Mapping[str, str],
) -> list[Watch]:  # fmt: skip
    """All cues that are on, with their numbers; `bits` maps watched props to their touch bits, `matters` states to
    what is in them."""
    numbers = {cue.id: n for n, cue in enumerate(rows)}

    def place(table: dict[str, int], row: Any) -> int:
        return -1 if row is None else table[row]

    found = []
    for number, cue in enumerate(rows):
        if not cue.on:
            continue
        prop = cue.when.prop if isinstance(cue.when, c.MEETING) else None
        found.append(Watch(
            cue, number, place(states, cue.whom), place(sources, cue.source),
            ANY_PROP if prop is None else bits[prop],
            place(states, cue.enters),
            place(numbers, cue.when.cue if isinstance(cue.when, c.After) else None),
            place(states, cue.when.state if isinstance(cue.when, c.ShareIn) else None),
            _matter_of(cue, matters),
        ))  # fmt: skip
    return found
