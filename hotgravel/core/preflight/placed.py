"""What goes wrong because of where things stand and how large they are, before a run."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from hotgravel.core.drive.value import one, plain
from hotgravel.core.matter.fineness import FINENESS, steps_for
from hotgravel.core.matter.particles.emitter import Emitter, places_of
from hotgravel.core.matter.particles.matter import ParticleSolver
from hotgravel.core.run.estimate import Estimate, size_in_words
from hotgravel.core.run.world import World
from hotgravel.core.shot.cut import Strike
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.finding import Finding, Remedy, setting
from hotgravel.core.shot.matter import Apart, Collision
from hotgravel.core.shot.sources import Burst
from hotgravel.core.shot.totals import largest
from hotgravel.core.shot.units import show_quantity

SAMPLES = 400
MOST_STEPS_MEANT = 16
OFF = 0.1  # of the reach of a blow: nearer to the surface it meets it


@dataclass(frozen=True)
class Limits:
    """What a run should not take more of: seconds, bytes of memory, bytes on the disk."""

    seconds: float = 3600.0
    memory: float = 8e9
    disk: float = 20e9


def in_place(shot: Shot, world: World) -> Iterator[Finding]:
    """Findings that need the geometry."""
    for emitter in emitters_of(world):
        first = _first(emitter, shot)
        points = where(world, emitter, first)
        yield from _masked(shot, world, emitter)
        yield from _shut_in(shot, world, emitter, first, points)
    yield from _struck_off(shot, world)
    yield from _crowded(shot, world)
    yield from _thin(shot, world)


def _struck_off(shot: Shot, world: World) -> Iterator[Finding]:
    """Cuttings as by a blow that does not meet the prop."""
    scene = world.setting.beginning()
    for prop, row in ((prop, row) for prop, rows in shot.cuts.items() for row in rows):
        if not isinstance(row.manner, Strike) or prop not in world.setting.at_first:
            continue
        pose = world.setting.at_first[prop]
        place = pose.to_world(np.array([row.manner.at], float))
        distance, toward = scene.toward(prop, place)
        off = float(distance[0]) / pose.scale
        if off <= OFF * row.manner.reach:
            continue
        on = row.manner.at + off * (toward[0] @ pose.matrix)
        spot = tuple(round(float(x), 4) for x in on)
        said = (
            f"It is struck {show_quantity(float(f'{off:.3g}'), 'm', shot.dress)} off its surface: the pieces are large."
        )
        yield Finding(
            "struck off",
            row.id,
            "manner.at",
            said,
            "doubtful",
            setting("Strike it where it is nearest", row.id, "manner.at", spot),
        )


def _particles(world: World) -> ParticleSolver:
    solver = world.solvers["particles"]
    assert isinstance(solver, ParticleSolver)
    return solver


def emitters_of(world: World) -> tuple[Emitter, ...]:
    """The sources that are on, with what they need of their props."""
    return _particles(world).emitters


def _first(emitter: Emitter, shot: Shot) -> float:
    emit = emitter.source.emit
    frame = emit.frame if isinstance(emit, Burst) else emit.start
    return float(np.clip(frame, shot.finish.begins, shot.finish.last))


def where(world: World, emitter: Emitter, frame: float, count: int = SAMPLES) -> NDArray[np.float64]:
    """Places (n, 3) that a source would give particles at, whatever its zone lets through."""
    scene = world.scene(frame)
    if emitter.source.prop not in scene.poses:
        return np.zeros((0, 3))
    local, _ = places_of(emitter, np.arange(count, dtype=np.uint64))
    return scene.poses[emitter.source.prop].to_world(local)


def _masked(shot: Shot, world: World, emitter: Emitter) -> Iterator[Finding]:
    source, emit = emitter.source, emitter.source.emit
    if source.through is None or not shot.zones[source.through].on:
        return
    span = [emit.frame] if isinstance(emit, Burst) else np.linspace(emit.start, emit.end, 7)
    most = 0.0
    for frame in np.clip(span, shot.finish.begins, shot.finish.last):
        points = where(world, emitter, float(frame))
        if len(points):
            scene = world.scene(float(frame))
            threshold = 0.0 if source.over is None else one(source, "over", scene.ask)
            most = max(most, float((scene.weight_in(source.through, points) - threshold).max()))
    if most <= 0.0:
        zone, prop = shot.names()[source.through], shot.names()[source.prop]
        said = f"Nowhere on {prop} does {zone} let it through, so it gives nothing."
        yield Finding(
            "empty source", source.id, "through", said, remedy=setting("Leave anywhere", source.id, "through", None)
        )


def _shut_in(
    shot: Shot, world: World, emitter: Emitter, frame: float, points: NDArray[np.float64]
) -> Iterator[Finding]:
    """Particles that are born inside what they bounce off from outside."""
    if not len(points):
        return
    scene = world.scene(frame)
    for row in (r for r in shot.collisions if r.on and r.side == "outside" and _meets(r, emitter.source.state)):
        for prop in row.props:
            if prop == emitter.source.prop and emitter.source.part != "volume":
                continue
            if prop not in scene.poses or not world.setting.shapes[prop].has_volume:
                continue
            inside = float((scene.distance_to(prop, points) < 0.0).mean())
            if inside > 0.9:
                named = shot.names()[prop]
                said = (
                    f"What {emitter.source.id} gives is born inside {named}, which is solid: it is pushed out at once."
                )
                remedy = setting("Meet it from inside", row.id, "side", "inside") if len(row.props) == 1 else None
                yield Finding("shut in", row.id, "side", said, remedy=remedy)


def _meets(row: Collision, state: str) -> bool:
    return row.whom is None or row.whom == state


def _crowded(shot: Shot, world: World) -> Iterator[Finding]:
    """Bursts of particles that keep apart, closer at birth than they are wide."""
    for row in (r for r in shot.matter if isinstance(r, Apart) and r.on):
        for emitter in emitters_of(world):
            source, emit = emitter.source, emitter.source.emit
            radius = plain(source.radius)
            if not isinstance(emit, Burst) or radius is None or (row.whom and row.whom != source.state):
                continue
            some = min(emit.count, 4000)
            if some < 10:
                continue
            points = where(world, emitter, _first(emitter, shot), some)
            near = np.median(cKDTree(points).query(points, k=2)[0][:, 1]) if len(points) else np.inf
            power = 1 / 3 if source.part == "volume" else 1 / 2
            spacing = float(near * (some / emit.count) ** power)
            ask = shot.clock.at(_first(emitter, shot))
            wide = 2.0 * radius + one(row, "gap", ask)
            # Evenly scattered points lie closer than a packing does; so much overlap settles in a step or two.
            if wide > 3.0 * spacing > 0.0:
                to = float(f"{0.8 * spacing:.2g}")
                shown = [show_quantity(float(f"{n:.2g}"), "m", shot.dress) for n in (spacing, wide)]
                said = f"They are born {shown[0]} apart and keep {shown[1]} apart, so they burst from one another."
                remedy = setting(f"A radius of {show_quantity(to, 'm', shot.dress)}", source.id, "radius", to)
                yield Finding("too crowded", source.id, "radius", said, "doubtful", remedy)


def _thin(shot: Shot, world: World) -> Iterator[Finding]:
    """Props smaller than a fast particle's step. Motion is swept, so none leaks however thin a prop is, but the
    further steps make a run longer."""
    speeds = [
        (plain(s.source.speed) or 0.0) * (1.0 + (plain(s.source.speed_spread) or 0.0)) for s in emitters_of(world)
    ]
    steps = steps_for(world.quality, max(speeds, default=0.0), _particles(world).smallest, shot.pace.longest)
    if steps <= max(MOST_STEPS_MEANT, 2 * FINENESS[world.quality].steps):
        return
    rows = [(row, prop) for row in shot.collisions if row.on for prop in row.props if prop in world.setting.shapes]
    row, prop = min(rows, key=lambda pair: world.setting.shapes[pair[1]].extent)
    thin = show_quantity(float(f"{world.setting.shapes[prop].extent:.2g}"), "m", shot.dress)
    said = f"{shot.names()[prop]} is but {thin} long: nothing leaks, but what comes fast takes {steps} steps a frame."
    others = [p for p in row.props if p != prop]
    remedy = setting("Leave it out", row.id, "props", others) if others else None
    yield Finding("thin prop", row.id, "props", said, "doubtful", remedy)


def within_limits(shot: Shot, told: Estimate, limits: Limits) -> Iterator[Finding]:
    """A run that would take more time, memory or disk than there should be."""
    over = [
        (told.least > limits.seconds, f"A run would take over {limits.seconds / 60:.0f} minutes."),
        (told.memory > limits.memory, f"A run would need {size_in_words(told.memory)} of memory."),
        (told.bytes > limits.disk, f"A run would keep {size_in_words(told.bytes)} on the disk."),
    ]
    source = largest(shot)
    for wrong, said in over:
        if not wrong:
            continue
        if source is None:
            yield Finding("over a limit", "finish", "quality", said, "doubtful")
            continue
        emit = source.emit
        if isinstance(emit, Burst):
            remedy: Remedy | None = setting("Give a tenth", source.id, "emit.count", max(1, emit.count // 10))
        else:
            rate = plain(emit.rate)
            remedy = None if rate is None else setting("Give a tenth", source.id, "emit.rate", rate / 10.0)
        yield Finding("over a limit", source.id, "emit", said, "doubtful", remedy)
