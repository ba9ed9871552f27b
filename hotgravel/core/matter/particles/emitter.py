"""New particles: how many leave a source in a step, where, which way, how fast."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.value import each, one
from hotgravel.core.matter.aims import ways_of
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.shape.edges import Lines, on_edges
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.sample import at_vertices, in_volume, on_surface
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.sources import Burst, Source, Supply

Array = NDArray[np.float64]
MOST = 6_000_000  # particles in a run
DRAWS = 10  # uniform numbers for each birth: 4 place, 2 direction, speed, radius, life, whether the zone lets it


@dataclass
class Tally:
    """What a source has given so far: particles born, and the fraction of one still owed. The first is owed at once,
    so that a slow stream begins when it says so. `row` is the source, `room` how many more the run can hold."""

    row: str
    room: int = MOST
    born: int = 0
    owed: float = 1.0 - 1e-6

    def afford(self, count: int) -> None:
        """Raises `ShotFault` if so many more would be too many to be meant, before the machine's memory is full."""
        if count > self.room:
            said = (
                f"It gives {count} particles more at once, and there would be over {MOST // 10**6} million. Accepted: "
            )
            said += "fewer, or such as live less long; what comes off others must not give off the same again."
            raise ShotFault([Fault(self.row, "emit", said)])

    def take(self, count: int) -> NDArray[np.uint64]:
        """The numbers (count,) of the next particles that it gives. Raises `ShotFault` where they are too many."""
        self.afford(count)
        first, self.born = self.born, self.born + count
        return np.arange(first, self.born, dtype=np.uint64)


@dataclass(frozen=True)
class Emitter:
    """A source with what it needs of its prop: the shape, its corner points, its edges."""

    source: Source
    number: int
    shape: Shaped
    lines: Lines


def burst_now(emitter: Emitter, tally: Tally, frame: int, state: int, scene: Scene, next_id: int) -> Particles:
    """The particles of a burst whose frame this is; none otherwise."""
    emit = emitter.source.emit
    if not isinstance(emit, Burst) or emit.frame != frame:
        return Particles.blank(0)
    return _born(emitter, tally, np.zeros(emit.count), state, scene, next_id)


def stream_step(
    emitter: Emitter, tally: Tally, frame: float, span: float, dt: float, state: int, scene: Scene, next_id: int
) -> Particles:
    """The particles that a stream gives in a step of `dt` seconds, from `frame` to `frame + span`.

    Each leaves at its own moment within the step: its age is negative until then.
    """
    emit = emitter.source.emit
    if isinstance(emit, Burst) or frame + span <= emit.start or frame >= emit.end + 1:
        return Particles.blank(0)
    given = one(emit, "rate", scene.ask) * dt
    count = int(np.floor(tally.owed + given + 1e-9))  # rounding must not hold back the last one
    tally.afford(count)
    moments = (np.arange(1, count + 1) - tally.owed) / max(given, 1e-300)
    tally.owed += given - count
    return _born(emitter, tally, np.clip(moments, 0.0, 1.0) * dt, state, scene, next_id, dt)


def _born(
    emitter: Emitter,
    tally: Tally,
    delay: Array,
    state: int,
    scene: Scene,
    next_id: int,
    dt: float = 0.0,
) -> Particles:
    source, n = emitter.source, len(delay)
    start, end = scene.poses[source.prop], scene.soon[source.prop]
    index = tally.take(n)
    points, normals = places_of(emitter, index)
    share = (delay / dt if dt > 0.0 else np.zeros(n))[:, None]
    particles = Particles.blank(n)
    particles.position[:] = (1.0 - share) * start.to_world(points) + share * end.to_world(points)
    particles.rest[:] = points
    particles.age[:] = -delay
    if scene.lapse > 0.0:
        particles.velocity[:] = (end.to_world(points) - start.to_world(points)) / scene.lapse
    return equipped(source, emitter.number, particles, start.turn(normals), index, state, scene, next_id)


def equipped(
    source: Supply, number: int, new: Particles, ways: Array, index: NDArray[np.uint64], state: int, scene: Scene,
    next_id: int,
) -> Particles:  # fmt: skip
    """What a source gives its new particles, of which those are left that its zone lets through.

    `new` has its places and ages, and as velocity that of what it leaves; `ways` (n, 3) are its normals or
    headings, `index` counts what the source has given.
    """
    u = uniforms(index, DRAWS, seed=source.seed, who=source.id)
    if source.through is not None:
        weight = scene.weight_in(source.through, new.position)
        passed = u[:, 9] < weight if source.over is None else weight > one(source, "over", scene.ask)
        new, ways, u = new.where(passed), ways[passed], u[passed]
    new.id[:] = np.arange(next_id, next_id + len(new))
    new.state[:] = state
    new.source[:] = number
    new.velocity *= one(source, "inherit", scene.ask)
    ask = asking(new, scene)
    new.mass[:] = each(source, "mass", ask)
    new.temperature[:] = each(source, "temperature", ask)
    new.radius[:] = _spread(each(source, "radius", ask), one(source, "radius_spread", ask), u[:, 7])
    new.size[:] = new.radius
    ask = asking(new, scene)  # the speed may go by the radius
    speed = _spread(each(source, "speed", ask), one(source, "speed_spread", ask), u[:, 6])
    aim = source.aim  # type: ignore[attr-defined]
    new.velocity[:] += ways_of(aim, ways, u[:, 4:6], ask) * speed[:, None]
    if source.life is not None:
        new.life[:] = _spread(each(source, "life", ask), one(source, "life_spread", ask), u[:, 8])
    return new


def places_of(emitter: Emitter, index: NDArray[np.uint64]) -> tuple[Array, Array]:
    """Where a source's particles of these numbers (n,) leave its prop, in the prop's own frame: points
    (n, 3) and outward normals (n, 3)."""
    source = emitter.source
    spots = index if source.places is None else index % np.uint64(source.places)
    u = uniforms(spots, 4, seed=source.seed, who=source.id)
    if source.part == "surface":
        return on_surface(emitter.shape, u)
    if source.part == "vertices":
        return at_vertices(emitter.lines.corners, emitter.lines.normals, spots.astype(np.int64))
    if source.part == "edges":
        return on_edges(emitter.lines, u)

    def again(which: NDArray[np.int64], attempt: int) -> Array:
        return uniforms(spots[which], 4, seed=source.seed, who=source.id, purpose=1 + attempt)

    return in_volume(emitter.shape, u, again)


def _spread(middle: Array, share: float, u: Array) -> Array:
    return middle * (1.0 + share * (2.0 * u - 1.0))
