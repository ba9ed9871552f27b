"""The conditions of cues, as one kernel: who fires now."""

import math
from dataclasses import dataclass

import numpy as np
from numba import njit

from hotgravel.core.cues.record import Events
from hotgravel.core.drive.ask import Ask
from hotgravel.core.drive.value import one
from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.cues import Cue, Enter, Faster, Inside, Older, Slower, Touches

SLOWER, FASTER, OLDER, TOUCHES, AT_FRAME, OVER = range(6)
ANY_PROP = 63  # the bit of `touched` that stands for every prop
REMOVED = -1
NOTHING = np.zeros(0)


@dataclass(frozen=True)
class Watch:
    """A cue with its references made numbers: states and the touch bit, -1 and ANY_PROP for all."""

    cue: Cue
    number: int
    whom: int
    bit: int
    after: int


@njit(cache=True)
def _firing(code, threshold, touch, whom, number, velocity, age, state, fired, touched, impact, given, out, values):
    found = 0
    mine = np.uint64(1) << np.uint64(number)
    for i in range(len(age)):
        if age[i] < 0.0 or (whom >= 0 and state[i] != whom) or (fired[i] & mine) != 0:
            continue
        if code == SLOWER or code == FASTER:
            value = math.sqrt(velocity[i, 0] ** 2 + velocity[i, 1] ** 2 + velocity[i, 2] ** 2)
            hit = value < threshold if code == SLOWER else value > threshold
        elif code == OLDER:
            value = age[i]
            hit = value > threshold
        elif code == TOUCHES:
            value = impact[i]
            hit = (touched[i] & touch) != 0
        elif code == OVER:
            value = given[i]
            hit = value > threshold
        else:
            value, hit = threshold, True
        if hit:
            fired[i] |= mine
            out[found], values[found] = i, value
            found += 1
    return found


def _condition(watch: Watch, ask: Ask) -> tuple[int, float]:
    when = watch.cue.when
    if isinstance(when, Slower):
        return SLOWER, one(when, "speed", ask)
    if isinstance(when, Faster):
        return FASTER, one(when, "speed", ask)
    if isinstance(when, Older):
        return OLDER, one(when, "age", ask)
    if isinstance(when, Touches):
        return TOUCHES, 0.0
    if isinstance(when, Inside):
        return OVER, one(when, "weight", ask)
    return AT_FRAME, float(when.frame)


def fire(watch: Watch, particles: Particles, scene: Scene, landing: int, time: float) -> Events | None:
    """Find whom a cue concerns at this moment, move them to their new state, record it.

    The scene may be within a step; `landing` is the frame that will show it. Those removed
    have their life ended, and go with the aged.
    """
    code, threshold = _condition(watch, scene.ask)
    if code == AT_FRAME and float(scene.ask.frames[0]) != threshold:
        return None
    when, given = watch.cue.when, NOTHING
    if isinstance(when, Inside):
        given = scene.weight_in(when.zone, particles.position)
    who = np.empty(len(particles), np.int64)
    values = np.empty(len(particles))
    p = particles
    n = _firing(
        code, threshold, np.uint64(1) << np.uint64(watch.bit), watch.whom, watch.number, p.velocity, p.age,
        p.state, p.fired, p.touched, p.impact, given, who, values,
    )  # fmt: skip
    if n == 0:
        return None
    who = who[:n]
    before = p.state[who].copy()
    if isinstance(watch.cue.then, Enter):
        p.state[who] = watch.after
    else:
        p.life[who] = -np.inf
    return Events(
        cue=np.full(n, watch.number, np.int16), frame=np.full(n, landing, np.int32), time=np.full(n, time),
        particle=p.id[who], place=p.position[who].astype(np.float32), value=values[:n], before=before,
        after=np.full(n, watch.after, np.int16),
    )  # fmt: skip


def watches(cues: list[Cue], states: dict[str, int], bits: dict[str, int]) -> list[Watch]:
    """All cues that are on, with their numbers; `bits` maps watched props to their touch bits."""
    found = []
    for number, cue in enumerate(cues):
        if not cue.on:
            continue
        prop = cue.when.prop if isinstance(cue.when, Touches) else None
        after = states[cue.then.state] if isinstance(cue.then, Enter) else REMOVED
        whom = -1 if cue.whom is None else states[cue.whom]
        found.append(Watch(cue, number, whom, ANY_PROP if prop is None else bits[prop], after))
    return found
