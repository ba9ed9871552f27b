"""New particles: how many leave a source in a step, where, which way, how fast."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.ask import Ask
from hotgravel.core.drive.value import each, one, three
from hotgravel.core.matter.particles.crowd import asking
from hotgravel.core.matter.particles.forces import unit
from hotgravel.core.matter.particles.state import Particles, blank, kept
from hotgravel.core.shape.edges import Lines, on_edges
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.sample import at_vertices, in_volume, on_surface
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.sources import Anywhere, Burst, Ring, Source, Supply, Toward

Array = NDArray[np.float64]
DRAWS = 10  # uniform numbers for each birth: 4 place, 2 direction, speed, radius, life, whether the zone lets it
UP = np.array([0.0, 1.0, 0.0])


@dataclass
class Tally:
    """What a source has given so far: particles born, and the fraction of one still owed."""

    born: int = 0
    owed: float = 0.0


@dataclass(frozen=True)
class Spring:
    """A source with what it needs of its prop: the shape, its corner points, its edges."""

    source: Source
    number: int
    shape: Shaped
    lines: Lines


def burst_now(spring: Spring, tally: Tally, frame: int, state: int, scene: Scene, next_id: int) -> Particles:
    """The particles of a burst whose frame this is; none otherwise."""
    emit = spring.source.emit
    if not isinstance(emit, Burst) or emit.frame != frame:
        return blank(0)
    return _born(spring, tally, np.zeros(emit.count), state, scene, next_id)


def stream_step(
    spring: Spring, tally: Tally, frame: float, span: float, dt: float, state: int, scene: Scene, next_id: int
) -> Particles:
    """The particles that a stream gives in a step of `dt` seconds, from `frame` to `frame + span`.

    Each leaves at its own moment within the step: its age is negative until then.
    """
    emit = spring.source.emit
    if isinstance(emit, Burst) or frame + span <= emit.start or frame >= emit.end:
        return blank(0)
    given = one(emit, "rate", scene.ask) * dt
    count = int(np.floor(tally.owed + given + 1e-9))  # rounding must not hold back the last one
    moments = (np.arange(1, count + 1) - tally.owed) / max(given, 1e-300)
    tally.owed += given - count
    return _born(spring, tally, np.clip(moments, 0.0, 1.0) * dt, state, scene, next_id, dt)


def _born(
    spring: Spring,
    tally: Tally,
    delay: Array,
    state: int,
    scene: Scene,
    next_id: int,
    dt: float = 0.0,
) -> Particles:
    source, n = spring.source, len(delay)
    start, end = scene.poses[source.prop], scene.soon[source.prop]
    index = np.arange(tally.born, tally.born + n, dtype=np.uint64)
    tally.born += n
    points, normals = places_of(spring, index)
    share = (delay / dt if dt > 0.0 else np.zeros(n))[:, None]
    particles = blank(n)
    particles.position[:] = (1.0 - share) * start.to_world(points) + share * end.to_world(points)
    particles.rest[:] = points
    particles.age[:] = -delay
    if scene.lapse > 0.0:
        particles.velocity[:] = (end.to_world(points) - start.to_world(points)) / scene.lapse
    return equipped(source, spring.number, particles, start.turn(normals), index, state, scene, next_id)


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
        new, ways, u = kept(new, passed), ways[passed], u[passed]
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


def places_of(spring: Spring, index: NDArray[np.uint64]) -> tuple[Array, Array]:
    """Where a source's particles of these numbers (n,) leave its prop, in the prop's own frame: points
    (n, 3) and outward normals (n, 3)."""
    source = spring.source
    spots = index if source.places is None else index % np.uint64(source.places)
    u = uniforms(spots, 4, seed=source.seed, who=source.id)
    if source.part == "surface":
        return on_surface(spring.shape, u)
    if source.part == "vertices":
        return at_vertices(spring.lines.corners, spring.lines.normals, spots.astype(np.int64))
    if source.part == "edges":
        return on_edges(spring.lines, u)

    def again(which: NDArray[np.int64], attempt: int) -> Array:
        return uniforms(spots[which], 4, seed=source.seed, who=source.id, purpose=1 + attempt)

    return in_volume(spring.shape, u, again)


def headings(velocity: Array) -> Array:
    """The way each flies, as unit vectors (n, 3); up for those at rest."""
    speed = np.linalg.norm(velocity, axis=1, keepdims=True)
    result: Array = np.where(speed > 0.0, velocity / np.maximum(speed, 1e-300), UP)
    return result


def ways_of(aim: Any, normals: Array, u: Array, ask: Ask) -> Array:
    """Unit vectors (n, 3) as an aim scatters them, from u (n, 2). Those aims that have no direction of their
    own scatter about `normals` (n, 3), a surface's or the way each flies."""
    if isinstance(aim, Anywhere):
        return within_cone(np.broadcast_to(UP, normals.shape), 180.0, u)
    if isinstance(aim, Ring):
        axis = unit(three(aim, "axis", ask))
        return about_ring(np.broadcast_to(axis if axis.any() else UP, normals.shape), aim.cone, u)
    if isinstance(aim, Toward):
        direction = unit(three(aim, "direction", ask))
        return within_cone(np.broadcast_to(direction if direction.any() else UP, normals.shape), aim.cone, u)
    return within_cone(normals, aim.cone, u)


def about_ring(axes: Array, degrees: float, u: Array) -> Array:
    """Unit vectors evenly over the belt within `degrees` of the plane square to each axis (n, 3)."""
    height = np.sin(np.radians(degrees)) * (2.0 * u[:, 0] - 1.0)
    return turned_about(axes, height, 2.0 * np.pi * u[:, 1])


def within_cone(aims: Array, degrees: float, u: Array) -> Array:
    """Unit vectors evenly over the cap within `degrees` of each aim (n, 3), from u (n, 2)."""
    return turned_about(aims, 1.0 - u[:, 0] * (1.0 - np.cos(np.radians(degrees))), 2.0 * np.pi * u[:, 1])


def turned_about(aims: Array, height: Array, angle: Array) -> Array:
    """Unit vectors at a height (n,) along aims (n, 3), turned about them by angles (n,), radians.

    The frame about an aim is that of Duff et al., "Building an orthonormal basis, revisited" (2017).
    """
    rho = np.sqrt(np.maximum(0.0, 1.0 - height * height))
    x, y, z = aims[:, 0], aims[:, 1], aims[:, 2]
    sign = np.where(z >= 0.0, 1.0, -1.0)
    a = -1.0 / (sign + z)
    b = x * y * a
    first = np.stack([1.0 + sign * x * x * a, sign * b, -sign * x], axis=1)
    second = np.stack([b, sign + y * y * a, -y], axis=1)
    result: Array = (
        height[:, None] * aims + (rho * np.cos(angle))[:, None] * first + (rho * np.sin(angle))[:, None] * second
    )
    return result


def _spread(middle: Array, share: float, u: Array) -> Array:
    return middle * (1.0 + share * (2.0 * u - 1.0))
