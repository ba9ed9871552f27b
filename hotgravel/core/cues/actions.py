"""What cues do, at once or after a delay, and how it is taken back."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.chance import uniforms
from hotgravel.core.cues.conditions import Ids, Look, Watch, comes_due, fires, places_of
from hotgravel.core.cues.record import DID, NOBODY, REMOVED, UNDID, Events
from hotgravel.core.drive.value import one
from hotgravel.core.matter.particles.births import headings, ways_of
from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot import cues as c

Array = NDArray[np.float64]
AGAIN = 2  # beside `DID` and `UNDID`: once more, as the frames of a kick have it
DUE = {"time": np.float64, "cue": np.int16, "particle": np.int64, "what": np.int8, "value": np.float64}
EARLY = 1e-9  # seconds: rounding must not hold back what is due now


@dataclass
class Memory:
    """What cues carry from one moment to the next: rows switched on or off, props swapped, whom each cue
    last fired on, which have acted on the shot, and what is still to come (columns as in `DUE`; the value
    is what crossed, or what is to be restored)."""

    switched: dict[str, bool] = field(default_factory=dict)
    swapped: dict[str, str] = field(default_factory=dict)
    recent: dict[int, Ids] = field(default_factory=dict)
    done: set[int] = field(default_factory=set)
    due: dict[str, NDArray[Any]] = field(default_factory=lambda: {n: np.zeros(0, t) for n, t in DUE.items()})

    def wait(self, time: Any, cue: int, particle: Ids, what: int, value: Any) -> None:
        """Let something come later."""
        columns = {"time": time, "cue": cue, "particle": particle, "what": what, "value": value}
        for name, dtype in DUE.items():
            more = np.broadcast_to(np.asarray(columns[name], dtype), len(particle))
            self.due[name] = np.concatenate([self.due[name], more])

    def ripe(self, time: float) -> list[tuple[int, int, Ids, Array]]:
        """What is due by a time, taken out, in order: (cue, what, particles, values)."""
        now = self.due["time"] <= time + EARLY
        if not now.any():
            return []
        taken = {name: column[now] for name, column in self.due.items()}
        self.due = {name: column[~now] for name, column in self.due.items()}
        found = []
        # What is taken back goes first, so that a push can follow on another at the same moment.
        for what in (UNDID, DID, AGAIN):
            for cue in np.unique(taken["cue"]):
                mine = (taken["cue"] == cue) & (taken["what"] == what)
                if mine.any():
                    found.append((int(cue), what, taken["particle"][mine], taken["value"][mine]))
        return found


def at_rest(cues: Sequence[c.Cue]) -> Memory:
    """Before anything has happened: rows that a cue starts wait for it."""
    return Memory(switched={cue.then.row: False for cue in cues if cue.on and isinstance(cue.then, c.Start)})


def absent(cues: Sequence[c.Cue], memory: Memory) -> set[str]:
    """The props that are not there now, because of swaps."""
    coming = {cue.then.by for cue in cues if cue.on and isinstance(cue.then, c.Swap)}
    there = set(memory.swapped.values())
    return (coming - there) | (set(memory.swapped) - there)


@dataclass
class Acting:
    """A moment in which cues act: what they look at, what they remember, when it is, and what comes of it."""

    look: Look
    memory: Memory
    watched: tuple[Watch, ...]
    time: float
    span: float  # seconds a frame
    events: list[Events]
    shed: list[tuple[str, Ids, int]] = field(default_factory=list)  # offshoot, whom it comes off, the cue

    @property
    def particles(self) -> Particles:
        return self.look.particles

    @property
    def scene(self) -> Scene:
        return self.look.scene

    def go(self) -> None:
        """All cues in order, once; what was due first. One that follows another sees it at the same moment
        where it stands behind it, and at the next where it stands before it, so no loop can spin within one."""
        by_number = {w.number: w for w in self.watched}
        for number, what, ids, values in self.memory.ripe(self.time):
            who, found = self._still_there(ids)
            {DID: self._do, AGAIN: self._enact, UNDID: self._undo}[what](by_number[number], who, values[found])
        followed = {w.follows for w in self.watched if w.follows >= 0}
        for watch in self.watched:
            who, values = fires(watch, self.look)
            if watch.number in followed:
                self.memory.recent[watch.number] = self.particles.id[who]
            self._fire(watch, who, values)
        self.particles.looked |= self.particles.age >= 0.0

    def _still_there(self, ids: Ids) -> tuple[Ids, NDArray[np.bool_]]:
        """Indices of those that have not died meanwhile, and which of the ids they are; ids are in order."""
        if _nobody(ids):
            return ids, np.ones(len(ids), bool)
        return places_of(self.particles.id, ids)

    def _fire(self, watch: Watch, who: Ids, values: Array) -> None:
        cue = watch.cue
        if isinstance(cue.then, c.GLOBAL):
            if comes_due(cue.when, self.scene.ask.frame):  # though there may be no particle
                who, values = np.array([NOBODY]), np.zeros(1)
            who, values = who[:1], values[:1]  # it happens to the shot, once, because of the first
            if cue.again == "once" and watch.number in self.memory.done:
                return
        if not len(who):
            return
        if isinstance(cue.then, c.GLOBAL):
            self.memory.done.add(watch.number)
        delay = one(cue, "delay", self.look.ask)
        if delay > 0.0:
            self.memory.wait(self.time + delay, watch.number, self._ids(who), DID, values)
        else:
            self._do(watch, who, values)

    def _ids(self, who: Ids) -> Ids:
        return who if _nobody(who) else self.particles.id.take(who)

    def _do(self, watch: Watch, who: Ids, values: Array) -> None:
        cue = watch.cue
        if cue.frames is None:
            self._enact(watch, who, values)
            return
        ids, restored = self._ids(who), self._restored(cue.then, who)
        self._enact(watch, who, values)
        if isinstance(cue.then, c.Kick | c.Shed):
            for n in range(1, cue.frames):
                self.memory.wait(self.time + n * self.span, watch.number, ids, AGAIN, values)
        else:
            self.memory.wait(self.time + cue.frames * self.span, watch.number, ids, UNDID, restored)

    def _enact(self, watch: Watch, who: Ids, values: Array) -> None:
        before = self._states(who)
        self._act(watch, who)
        self._record(watch, who, values, before, DID)

    def _states(self, who: Ids) -> NDArray[np.int16]:
        return np.full(len(who), -1, np.int16) if _nobody(who) else self.particles.state.take(who)

    def _restored(self, then: c.Action, who: Ids) -> Array:
        if isinstance(then, c.Become):
            return np.asarray(getattr(self.particles, _held(then.attribute))[who], float)
        return self._states(who).astype(float)

    def _act(self, watch: Watch, who: Ids) -> None:
        p, then, ask = self.particles, watch.cue.then, self.look.ask
        match then:
            case c.Enter():
                p.state[who] = watch.after
            case c.Remove():
                p.life[who] = -np.inf
            case c.Pin():
                p.pinned[who], p.velocity[who] = 1, 0.0
            case c.Unpin():
                p.pinned[who] = 0
            case c.Kick():
                p.velocity[who] += one(then, "speed", ask) * self._ways(watch, then, who)
                self.look.refresh()
            case c.Become():
                name = _held(then.attribute)
                array = getattr(p, name)
                array[who] = np.maximum(one(then, "value", ask) * array[who] + one(then, "plus", ask), LEAST[name])
                if name == "size":
                    p.radius[who] = p.size[who]
                self.look.refresh()
            case c.Shed():
                self.shed.append((then.offshoot, who, watch.number))
            case c.Start():
                self.memory.switched[then.row] = True
            case c.Stop():
                self.memory.switched[then.row] = False
            case c.Swap():
                self.memory.swapped[then.prop] = then.by

    def _undo(self, watch: Watch, who: Ids, values: Array) -> None:
        p, then = self.particles, watch.cue.then
        before = self._states(who)
        match then:
            case c.Enter():
                mine = p.state[who] == watch.after  # another cue may have moved it on meanwhile
                who, values, before = who[mine], values[mine], before[mine]
                p.state[who] = values.astype(np.int16)
            case c.Pin():
                p.pinned[who] = 0
            case c.Unpin():
                p.pinned[who], p.velocity[who] = 1, 0.0
            case c.Become():
                name = _held(then.attribute)
                getattr(p, name)[who] = values
                if name == "size":
                    p.radius[who] = values
                self.look.refresh()
            case c.Start():
                self.memory.switched[then.row] = False
            case c.Stop():
                self.memory.switched[then.row] = True
            case c.Swap():
                self.memory.swapped.pop(then.prop, None)
        self._record(watch, who, values, before, UNDID)

    def _ways(self, watch: Watch, then: c.Kick, who: Ids) -> Array:
        p, aim = self.particles, then.aim
        occasion = 1 + self.look.landing - int(self.scene.ask.clock.first)
        u = uniforms(p.id[who].astype(np.uint64), 2, seed=1, who=watch.cue.id, purpose=occasion)
        if isinstance(aim, c.Away):
            distance, toward = self.scene.toward(aim.prop, p.position[who])
            heading = -np.sign(distance)[:, None] * toward
        else:
            heading = headings(p.velocity[who])
        return ways_of(aim, heading, u, self.look.ask)

    def _record(self, watch: Watch, who: Ids, values: Array, before: NDArray[np.int16], what: int) -> None:
        p, n = self.particles, len(who)
        if not n:
            return
        place = np.zeros((n, 3)) if _nobody(who) else p.position.take(who, axis=0)
        after = np.full(n, REMOVED, np.int16) if isinstance(watch.cue.then, c.Remove) else self._states(who)
        self.events.append(Events(
            cue=np.full(n, watch.number, np.int16), frame=np.full(n, self.look.landing, np.int32),
            time=np.full(n, self.time), particle=self._ids(who), place=place.astype(np.float32),
            value=np.asarray(values, float), before=before, after=after, what=np.full(n, what, np.int8),
        ))  # fmt: skip


def _nobody(who: Ids) -> bool:
    """Whether it happens to the shot, which happens alone, though perhaps more than once at a moment."""
    return len(who) > 0 and who[0] == NOBODY


LEAST = {"size": 0.0, "mass": 1e-12, "temperature": -273.15, "life": 0.0}


def _held(attribute: str) -> str:
    """The array that keeps an attribute: a radius follows from the one at birth."""
    return "size" if attribute == "radius" else attribute
