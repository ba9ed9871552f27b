"""The order of one frame."""

from collections.abc import Callable
from dataclasses import dataclass, field

from hotgravel.core.cues.conditions import fire
from hotgravel.core.cues.record import Events, all_events
from hotgravel.core.matter.particles.advance import advance
from hotgravel.core.matter.particles.births import Tally, burst_now, stream_step
from hotgravel.core.matter.particles.state import Particles, joined, kept, none
from hotgravel.core.run.parts import Parts
from hotgravel.core.run.quality import steps_for
from hotgravel.core.run.world import World
from hotgravel.core.shape.zones import Scene

AHEAD = 1.0 / 64.0  # of a frame: how far on a burst looks for how its prop moves


@dataclass
class Moment:
    """All that changes during a run: the particles, what sources have given, the count of ids."""

    frame: int
    particles: Particles = field(default_factory=none)
    tallies: dict[str, Tally] = field(default_factory=dict)
    next_id: int = 0
    time: float = 0.0


@dataclass(frozen=True)
class Happened:
    """What the way to a frame brought, beside the particles themselves."""

    events: Events
    touches: int
    steps: int
    seconds: dict[str, float]


def first_frame(world: World, clock: Callable[[], float]) -> tuple[Moment, Happened]:
    """The first frame: what bursts at it, before anything has moved."""
    parts = Parts(clock)
    moment = Moment(world.shot.finish.first)
    events: list[Events] = []
    _land(world, moment, events, parts)
    return moment, Happened(all_events(events), 0, 0, parts.seconds)


def next_frame(world: World, moment: Moment, clock: Callable[[], float]) -> Happened:
    """Move a moment on by one frame, in place."""
    parts = Parts(clock)
    events: list[Events] = []
    touches = 0
    fastest = float(moment.particles.speed.max(initial=0.0))
    steps = steps_for(world.quality, fastest, world.smallest, world.span)
    dt = world.span / steps
    landing = moment.frame + 1
    for step in range(steps):
        scene = world.scene(moment.frame + step / steps, 1.0 / steps)
        with parts("supply"):
            _stream(world, moment, scene, moment.frame + step / steps, 1.0 / steps, dt)
        with parts("forces"):
            table = world.forces(scene, moment.particles, dt)
        with parts("collisions"):
            colliders = world.colliders(scene)
        with parts("motion"):
            p = moment.particles
            touches += advance(
                p.position, p.velocity, p.age, p.state, p.radius, p.touched, p.impact, p.travelled, dt,
                table.by_element, table.pull, table.rate, table.drift, table.bite, colliders.table,
                colliders.bits, world.tree,
            )  # fmt: skip
        with parts("keeping apart"):
            world.keep_apart(moment.particles, scene, colliders)
        moment.time += dt
        if step < steps - 1:
            with parts("cues"):
                _cue(world, moment, world.scene(moment.frame + (step + 1) / steps, AHEAD), landing, events)
                _retire(moment)
    moment.frame = landing
    _land(world, moment, events, parts)
    return Happened(all_events(events), touches, steps, parts.seconds)


def _stream(world: World, moment: Moment, scene: Scene, frame: float, span: float, dt: float) -> None:
    """What streams give in a step."""
    for spring in world.springs:
        tally = moment.tallies.setdefault(spring.source.id, Tally())
        state = world.states[spring.source.state]
        _admit(moment, stream_step(spring, tally, frame, span, dt, state, scene, moment.next_id))


def _land(world: World, moment: Moment, events: list[Events], parts: Parts) -> None:
    """What happens at a whole frame: its bursts, how all look, then its cues, then the end of what has aged."""
    scene = world.scene(moment.frame, AHEAD)
    with parts("supply"):
        for spring in world.springs:
            tally = moment.tallies.setdefault(spring.source.id, Tally())
            state = world.states[spring.source.state]
            _admit(moment, burst_now(spring, tally, moment.frame, state, scene, moment.next_id))
    with parts("looks"):
        world.dress(moment.particles, scene)
    with parts("cues"):
        _cue(world, moment, scene, moment.frame, events)
        _retire(moment)


def _admit(moment: Moment, new: Particles) -> None:
    moment.next_id += len(new)
    moment.particles = joined(moment.particles, new)


def _cue(world: World, moment: Moment, scene: Scene, landing: int, events: list[Events]) -> None:
    for watch in world.watched:
        fired = fire(watch, moment.particles, scene, landing, moment.time)
        if fired is not None:
            events.append(fired)


def _retire(moment: Moment) -> None:
    moment.particles = kept(moment.particles, moment.particles.age < moment.particles.life)
