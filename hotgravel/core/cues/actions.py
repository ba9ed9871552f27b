"""What cues do, at once or after a delay, and how it is taken back."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.chance import uniforms
from hotgravel.core.cues.conditions import Ids, Look, Watch, comes_due, fires
from hotgravel.core.cues.record import DID, REMOVED, UNDID, Events
from hotgravel.core.drive.value import each, one, three
from hotgravel.core.matter.aims import headings, unit, ways_of
from hotgravel.core.matter.contract import Shed
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.elements import LOOSE, NOBODY, PINNED, Elements, places_of
from hotgravel.core.shot import actions as do
from hotgravel.core.shot import conditions as c
from hotgravel.core.shot.cues import Cue
from hotgravel.core.shot.pace import Pace

Array = NDArray[np.float64]
AGAIN = 2  # beside `DID` and `UNDID`: once more, as the frames of a kick have it
DUE = {
    "time": np.float64, "cue": np.int16, "particle": np.int64, "what": np.int8, "act": np.int8, "value": np.float64,
}  # fmt: skip
REPEATED = do.Kick | do.Spin | do.Shed  # in each of a cue's frames anew; the rest is taken back after them
EARLY = 1e-9  # seconds: rounding must not hold back what is due now


@dataclass
class Memory:
    """What cues carry from one moment to the next: rows switched on or off, props swapped, whom each cue
    last fired on, which have acted on the shot, and what is still to come (columns as in `DUE`; the act is which
    of a cue's actions comes again or is taken back, the value what crossed, or what is to be restored)."""

    switched: dict[str, bool] = field(default_factory=dict)
    swapped: dict[str, str] = field(default_factory=dict)
    recent: dict[int, Ids] = field(default_factory=dict)
    done: set[int] = field(default_factory=set)
    due: dict[str, NDArray[Any]] = field(default_factory=lambda: {n: np.zeros(0, t) for n, t in DUE.items()})

    def wait(self, time: Any, cue: int, particle: Ids, what: int, value: Any, act: int = 0) -> None:
        """Let something come later."""
        columns = {"time": time, "cue": cue, "particle": particle, "what": what, "act": act, "value": value}
        for name, dtype in DUE.items():
            more = np.broadcast_to(np.asarray(columns[name], dtype), len(particle))
            self.due[name] = np.concatenate([self.due[name], more])

    def ripe(self, time: float) -> list[tuple[int, int, int, Ids, Array]]:
        """What is due by a time, taken out, in order: (cue, what, act, particles, values)."""
        now = self.due["time"] <= time + EARLY
        if not now.any():
            return []
        taken = {name: column[now] for name, column in self.due.items()}
        self.due = {name: column[~now] for name, column in self.due.items()}
        found = []
        # What is taken back goes first, so that a push can follow on another at the same moment.
        for what in (UNDID, DID, AGAIN):
            for cue, act in sorted({*zip(taken["cue"].tolist(), taken["act"].tolist(), strict=True)}):
                mine = (taken["cue"] == cue) & (taken["act"] == act) & (taken["what"] == what)
                if mine.any():
                    found.append((cue, what, act, taken["particle"][mine], taken["value"][mine]))
        return found


def at_rest(cues: Sequence[Cue]) -> Memory:
    """Before anything has happened: rows that a cue starts wait for it."""
    return Memory(switched={act.row: False for cue in cues if cue.on for act in cue.doing(do.Start)})


def absent(cues: Sequence[Cue], memory: Memory) -> set[str]:
    """The props that are not there now, because of swaps."""
    gone = {act.by for cue in cues if cue.on for act in cue.doing(do.Swap)}
    for prop, by in memory.swapped.items():  # in the order in which they came
        gone.add(prop)
        gone.discard(by)
    return gone


@dataclass
class Acting:
    """A moment in which cues act: what they look at (a look for each matter), what they remember, when it is, and what
    comes of it. Ids are of all matters: none is used twice in a run."""

    looks: Mapping[str, Look]
    memory: Memory
    watched: tuple[Watch, ...]
    time: float
    pace: Pace
    events: list[Events]
    sheds: list[Shed] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.first = next(iter(self.looks.values()))
        self.numbers = {name: number for number, name in enumerate(self.looks)}

    def go(self) -> None:
        """All cues in order, once; what was due first. One that follows another sees it at the same moment
        where it stands behind it, and at the next where it stands before it, so no loop can spin within one."""
        by_number = {w.number: w for w in self.watched}
        for number, what, act, ids, values in self.memory.ripe(self.time):
            watch = by_number[number]
            if _nobody(ids):
                self._come(watch, what, act, None, ids, values)
                continue
            for name, look in self.looks.items():
                who, found = places_of(look.elements.id, ids)
                if len(who):
                    self._come(watch, what, act, name, who, values[found])
        followed = {w.follows for w in self.watched if w.follows >= 0}
        for watch in self.watched:
            concerned = [n for n in self.looks if watch.matter in (None, n)]
            fired = {name: fires(watch, self.looks[name]) for name in concerned}
            if watch.number in followed:
                each = [self.looks[name].elements.id[who] for name, (who, _) in fired.items()]
                self.memory.recent[watch.number] = np.sort(np.concatenate([*each, np.zeros(0, np.int64)]))
            if _acts(watch.cue, None):
                self._fire_once(watch, [values for who, values in fired.values() if len(who)])
            for name, (who, values) in fired.items():
                if _acts(watch.cue, name):
                    self._fire(watch, name, who, values)
        for look in self.looks.values():
            look.elements.looked |= look.elements.age >= 0.0

    def _fire_once(self, watch: Watch, values: list[Array]) -> None:
        """It happens to the shot, once, because of the first element; at a set frame though there may be none."""
        if watch.cue.again == "once" and watch.number in self.memory.done:
            return
        if comes_due(watch.cue.when, self.first.ask.frame):
            values = [np.zeros(1)]
        if values:
            self.memory.done.add(watch.number)
            self._fire(watch, None, np.array([NOBODY]), values[0][:1])

    def _fire(self, watch: Watch, name: str | None, who: Ids, values: Array) -> None:
        if not len(who):
            return
        delay = one(watch.cue, "delay", self.first.ask)
        if delay > 0.0:
            self.memory.wait(self.time + delay, watch.number, self._ids(name, who), DID, values)
        else:
            self._do(watch, name, who, values)

    def _elements(self, name: str | None) -> Elements:
        """Those of a matter. What happens to the shot needs none."""
        return self.looks[name].elements if name is not None else self.first.elements

    def _ids(self, name: str | None, who: Ids) -> Ids:
        return who if name is None else self._elements(name).id.take(who)

    def _come(self, watch: Watch, what: int, act: int, name: str | None, who: Ids, values: Array) -> None:
        """What has been waited for."""
        if what == DID:
            self._do(watch, name, who, values)
        elif what == AGAIN:
            self._enact(watch, [(act, watch.cue.acts()[act][1])], name, who, values)
        else:
            self._undo(watch, act, name, who, values)

    def _do(self, watch: Watch, name: str | None, who: Ids, values: Array) -> None:
        cue, acts, ids = watch.cue, _acts(watch.cue, name), self._ids(name, who)
        if cue.frames is not None:
            restored = {n: self._restored(act, name, who) for n, act in acts}
        self._enact(watch, acts, name, who, values)
        if cue.frames is None:
            return
        for n, act in acts:
            if isinstance(act, REPEATED):
                for later in range(1, cue.frames):
                    self.memory.wait(self._in(later), watch.number, ids, AGAIN, values, n)
            else:
                self.memory.wait(self._in(cue.frames), watch.number, ids, UNDID, restored[n], n)

    def _in(self, frames: int) -> float:
        """The time at which so many frames will have gone by."""
        now = float(self.first.ask.frame)
        return self.time + self.pace.lasting(now, now + frames)

    def _enact(
        self, watch: Watch, acts: list[tuple[int, do.Action]], name: str | None, who: Ids, values: Array
    ) -> None:  # fmt: skip
        before = self._states(name, who)
        for _, act in acts:
            if name is None:
                self._act_on_shot(act)
            else:
                self._act(watch, act, self.looks[name], who)
        if name is not None or len(acts) == len(watch.cue.acts()):  # a cue that acts on elements is told of by them
            self._record(watch, name, who, values, before, DID)

    def _states(self, name: str | None, who: Ids) -> NDArray[np.int16]:
        return np.full(len(who), -1, np.int16) if name is None else self._elements(name).state.take(who)

    def _restored(self, then: do.Action, name: str | None, who: Ids) -> Array:
        if isinstance(then, do.Become):
            return np.asarray(getattr(self._elements(name), _column(then.attribute))[who], float)
        if isinstance(then, do.Unpin):
            return self._elements(name).pinned[who].astype(float)
        return self._states(name, who).astype(float)

    def _act_on_shot(self, then: do.Action) -> None:
        match then:
            case do.Start():
                self.memory.switched[then.row] = True
            case do.Stop():
                self.memory.switched[then.row] = False
            case do.Swap():
                self.memory.swapped.pop(then.prop, None)  # so that the latest is the last
                self.memory.swapped[then.prop] = then.by

    def _act(self, watch: Watch, then: do.Action, look: Look, who: Ids) -> None:
        p, ask = look.elements, self.first.ask
        match then:
            case do.Enter():
                p.state[who] = watch.after
            case do.Remove():
                p.life[who] = -np.inf
            case do.Pin():
                p.pinned[who], p.velocity[who] = PINNED, 0.0
                p.stop_spinning(who)
            case do.Unpin():
                p.let_go(who)
            case do.Part():
                p.part(who)
            case do.Harden():
                p.harden(who, True)
            case do.Kick():
                p.velocity[who] += self._each(then, "speed", look, who) * self._ways(watch, look, then, who)
                look.refresh()
            case do.Spin():
                rate = np.radians(self._each(then, "rate", look, who))
                p.add_spin(who, rate * unit(three(then, "axis", ask)))
                look.refresh()
            case do.Become():
                name = _column(then.attribute)
                array = getattr(p, name)
                array[who] = np.maximum(one(then, "value", ask) * array[who] + one(then, "plus", ask), LEAST[name])
                if name == "size":
                    p.resized(who)
                look.refresh()
            case do.Shed():
                self.sheds.append(Shed(then.offshoot, p, who, watch.number))

    def _each(self, then: do.Action, name: str, look: Look, who: Ids) -> Array:
        """A number of an action for each of some elements, (k, 1)."""
        found = np.broadcast_to(each(then, name, asking(look.elements, look.scene)), len(look.elements))
        return found[who, None]

    def _undo(self, watch: Watch, act: int, name: str | None, who: Ids, values: Array) -> None:
        then, before = watch.cue.acts()[act][1], self._states(name, who)
        if name is None:
            self._undo_on_shot(then)
        else:
            look = self.looks[name]
            if isinstance(then, do.Enter):
                mine = look.elements.state[who] == watch.after  # another cue may have moved it on meanwhile
                who, values, before = who[mine], values[mine], before[mine]
            self._take_back(then, look, who, values)
        if act == min(n for n, other in _acts(watch.cue, name) if not isinstance(other, REPEATED)):
            self._record(watch, name, who, values, before, UNDID)  # once, whatever else is taken back with it

    def _undo_on_shot(self, then: do.Action) -> None:
        match then:
            case do.Start():
                self.memory.switched[then.row] = False
            case do.Stop():
                self.memory.switched[then.row] = True
            case do.Swap():
                self.memory.swapped.pop(then.prop, None)

    def _take_back(self, then: do.Action, look: Look, who: Ids, values: Array) -> None:
        p = look.elements
        match then:
            case do.Enter():
                p.state[who] = values.astype(np.int16)
            case do.Pin():
                p.pinned[who] = LOOSE
            case do.Unpin():
                p.pinned[who], p.velocity[who] = np.maximum(values, PINNED).astype(np.uint8), 0.0
                p.stop_spinning(who)
            case do.Harden():
                p.harden(who, False)
            case do.Become():
                name = _column(then.attribute)
                getattr(p, name)[who] = values
                if name == "size":
                    p.resized(who)
                look.refresh()

    def _ways(self, watch: Watch, look: Look, then: do.Kick, who: Ids) -> Array:
        p, aim = look.elements, then.aim
        occasion = 1 + look.landing - int(look.scene.ask.clock.first)
        u = uniforms(p.id[who].astype(np.uint64), 2, seed=1, who=watch.cue.id, purpose=occasion)
        if isinstance(aim, do.Away):
            distance, toward = look.scene.toward(aim.prop, p.position[who])
            heading = -np.sign(distance)[:, None] * toward
        else:
            heading = headings(p.velocity[who])
        return ways_of(aim, heading, u, self.first.ask)

    def _record(
        self, watch: Watch, name: str | None, who: Ids, values: Array, before: NDArray[np.int16], what: int
    ) -> None:  # fmt: skip
        n = len(who)
        if not n:
            return
        place = np.zeros((n, 3)) if name is None else self._elements(name).position.take(who, axis=0)
        removed = watch.cue.removes
        hit = name is not None and isinstance(watch.cue.when, c.Struck)
        self.events.append(Events(
            cue=np.full(n, watch.number, np.int16), frame=np.full(n, self.first.landing, np.int32),
            time=np.full(n, self.time), particle=self._ids(name, who),
            matter=np.full(n, self.numbers.get(name or "", -1), np.int8), place=place.astype(np.float32),
            other=self._elements(name).hit_by.take(who) if hit else np.full(n, NOBODY),
            value=np.asarray(values, float), before=before,
            after=np.full(n, REMOVED, np.int16) if removed else self._states(name, who),
            what=np.full(n, what, np.int8),
        ))  # fmt: skip


def _acts(cue: Cue, name: str | None) -> list[tuple[int, do.Action]]:
    """A cue's actions on elements, or without a matter's name on the shot, with their places in its order."""
    found = [act for _, act in cue.acts()]
    return [(n, act) for n, act in enumerate(found) if isinstance(act, do.GLOBAL) == (name is None)]


def _nobody(ids: Ids) -> bool:
    """Whether it happens to the shot, which happens alone, though perhaps more than once at a moment."""
    return len(ids) > 0 and ids[0] == NOBODY


LEAST = {"size": 0.0, "mass": 1e-12, "temperature": -273.15, "life": 0.0, "age": 0.0}


def _column(attribute: str) -> str:
    """The array that has an attribute: a radius follows from the one at birth."""
    return "size" if attribute == "radius" else attribute
