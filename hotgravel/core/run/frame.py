"""The order of one frame."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from hotgravel.core.cues.actions import Acting, Memory, absent, at_rest
from hotgravel.core.cues.conditions import Look
from hotgravel.core.cues.record import Events, all_events
from hotgravel.core.matter.particles.advance import advance
from hotgravel.core.matter.particles.births import Spring, Tally, burst_now, stream_step
from hotgravel.core.matter.particles.offshoots import MOST, burst_off, too_many, trail_step
from hotgravel.core.matter.particles.state import Particles, joined, kept, none
from hotgravel.core.run.parts import Parts
from hotgravel.core.run.quality import steps_for
from hotgravel.core.run.world import World
from hotgravel.core.shape.zones import Scene

STEPS = 1024  # more than a frame ever has
AHEAD = 1.0 / 64.0  # of a frame: how far on a burst looks for how its prop moves


@dataclass
class Moment:
    """All that changes during a run: the particles, what sources have given, the count of ids, what cues
    remember."""

    frame: int
    particles: Particles = field(default_factory=none)
    tallies: dict[str, Tally] = field(default_factory=dict)
    next_id: int = 0
    time: float = 0.0
    memory: Memory = field(default_factory=Memory)


@dataclass
class SoFar:
    """What cues have done on the way to a frame, and the nearest that each came."""

    events: list[Events] = field(default_factory=list)
    nearest: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Happened:
    """What the way to a frame brought, beside the particles themselves. `nearest` tells, by cue, how near
    its condition came; `absent` names the props that are not there at the frame."""

    events: Events
    nearest: dict[str, float]
    absent: list[str]
    touches: int
    steps: int
    seconds: dict[str, float]


def first_frame(world: World, clock: Callable[[], float]) -> tuple[Moment, Happened]:
    """The first frame: what bursts at it, before anything has moved."""
    parts = Parts(clock)
    moment = Moment(world.shot.finish.first, memory=at_rest(world.shot.cues))
    so_far = SoFar()
    gone = _land(world, moment, so_far, parts)
    return moment, Happened(all_events(so_far.events), so_far.nearest, gone, 0, 0, parts.seconds)


def next_frame(world: World, moment: Moment, clock: Callable[[], float]) -> Happened:
    """Move a moment on by one frame, in place."""
    parts = Parts(clock)
    so_far = SoFar()
    touches = 0
    fastest = float(moment.particles.speed.max(initial=0.0))
    steps = steps_for(world.quality, fastest, world.smallest, world.span)
    dt = world.span / steps
    landing = moment.frame + 1
    for step in range(steps):
        away = absent(world.shot.cues, moment.memory)
        scene = world.scene(moment.frame + step / steps, 1.0 / steps, away)
        with parts("supply"):
            _stream(world, moment, scene, moment.frame + step / steps, 1.0 / steps, dt)
        with parts("forces"):
            table = world.forces(scene, moment.particles, dt, moment.memory.switched)
        with parts("collisions"):
            colliders = world.colliders(scene)
        with parts("motion"):
            p = moment.particles
            pinned = np.flatnonzero(p.pinned)
            place = p.position[pinned]
            touches += advance(
                p.position, p.velocity, p.age, p.state, p.radius, p.touched, p.impact, p.travelled, dt,
                table.by_element, table.pull, table.rate, table.drift, table.bite, colliders.table,
                colliders.bits, world.tree, p.id, moment.frame * STEPS + step,
            )  # fmt: skip
            p.position[pinned], p.velocity[pinned] = place, 0.0
        with parts("keeping apart"):
            world.keep_apart(moment.particles, scene, colliders)
        moment.time += dt
        if step < steps - 1:
            with parts("cues"):
                _cue(world, moment, world.scene(moment.frame + (step + 1) / steps, AHEAD, away), landing, so_far)
                _retire(moment)
    moment.frame = landing
    gone = _land(world, moment, so_far, parts)
    return Happened(all_events(so_far.events), so_far.nearest, gone, touches, steps, parts.seconds)


def _stream(world: World, moment: Moment, scene: Scene, frame: float, span: float, dt: float) -> None:
    """What streams give in a step."""
    for spring in _giving(world, moment, scene):
        tally = moment.tallies.setdefault(spring.source.id, Tally())
        state = world.states[spring.source.state]
        _admit(moment, stream_step(spring, tally, frame, span, dt, state, scene, moment.next_id))
    there = moment.particles  # what is born in this step leaves nothing in it
    for shoot in world.shoots.values():
        if not moment.memory.switched.get(shoot.source.id, True):
            continue
        tally = moment.tallies.setdefault(shoot.source.id, Tally())
        _admit(moment, trail_step(shoot, tally, there, scene, dt, moment.next_id))


def _giving(world: World, moment: Moment, scene: Scene) -> list[Spring]:
    """The sources that are not stopped, and whose prop is there."""
    switched = moment.memory.switched
    return [s for s in world.springs if s.source.prop in scene.poses and switched.get(s.source.id, True)]


def _land(world: World, moment: Moment, so_far: SoFar, parts: Parts) -> list[str]:
    """What happens at a whole frame: its bursts, how all look, then its cues, then the end of what has aged."""
    scene = world.scene(moment.frame, AHEAD, absent(world.shot.cues, moment.memory))
    with parts("supply"):
        for spring in _giving(world, moment, scene):
            tally = moment.tallies.setdefault(spring.source.id, Tally())
            state = world.states[spring.source.state]
            _admit(moment, burst_now(spring, tally, moment.frame, state, scene, moment.next_id))
    with parts("looks"):
        world.dress(moment.particles, scene)
    with parts("cues"):
        _cue(world, moment, scene, moment.frame, so_far)
        _retire(moment)
    there = world.poses(moment.frame, absent(world.shot.cues, moment.memory))
    return [prop.id for prop in world.shot.props if prop.id not in there]


def _admit(moment: Moment, new: Particles) -> None:
    """Take in new particles. Raises `ShotFault` when there are too many to be meant."""
    if len(moment.particles) + len(new) > MOST:
        raise too_many(f"At frame {moment.frame}")
    moment.next_id += len(new)
    moment.particles = joined(moment.particles, new)


def _cue(world: World, moment: Moment, scene: Scene, landing: int, so_far: SoFar) -> None:
    """All cues look once, and act; then what they set off comes into being."""
    if not world.watched:
        return
    look = Look(moment.particles, scene, landing, moment.memory.recent, so_far.nearest)
    acting = Acting(look, moment.memory, world.watched, moment.time, world.span, so_far.events)
    acting.go()
    there = moment.particles
    for offshoot, who, cue in acting.shed:
        shoot = world.shoots.get(offshoot)
        if shoot is not None:
            tally = moment.tallies.setdefault(offshoot, Tally())
            _admit(moment, burst_off(shoot, tally, there, who, cue, scene, moment.next_id))


def _retire(moment: Moment) -> None:
    moment.particles = kept(moment.particles, moment.particles.age < moment.particles.life)
