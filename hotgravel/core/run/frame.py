"""The order of one frame, and what solvers take from one another in it."""

from collections.abc import Callable, Container, Mapping
from copy import deepcopy
from dataclasses import dataclass, field

from hotgravel.core.cues.actions import Acting, Memory, absent, at_rest
from hotgravel.core.cues.conditions import Look
from hotgravel.core.cues.record import Events, all_events
from hotgravel.core.matter.contract import Ids, Offers, Seam, State
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.growth import fade, grow
from hotgravel.core.matter.paint import tint
from hotgravel.core.run.parts import Parts
from hotgravel.core.run.world import World
from hotgravel.core.shape.grid import VelocityGrid
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.setting import AHEAD
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.matter import Fading, Growth, Tint

STEPS = 1024  # more than a frame ever has

# Solvers step in the order of the registry. Each takes what those in its row here offer: as it is after this step where
# they have stepped before it, as it was after the last step where they step after it. A coupling that works both ways
# is a pair of entries.
TAKES_SURFACES: Mapping[str, tuple[str, ...]] = {
    "particles": ("front", "rigid"), "smoke": ("front", "rigid"), "soft": ("front", "rigid"),
    "liquid": ("front", "rigid"), "froth": ("front", "rigid"), "slosh": ("rigid",), "water": ("front", "rigid"),
    "wetness": ("front", "rigid"),
}  # fmt: skip
TAKES_OPENINGS: Mapping[str, tuple[str, ...]] = {"particles": ("rigid",), "smoke": ("rigid",)}
TAKES_WETS: Mapping[str, tuple[str, ...]] = {"wetness": ("liquid", "water")}
TAKES_HEAT: Mapping[str, tuple[str, ...]] = dict.fromkeys(("soft", "rigid", "particles"), ("front",))
TAKES_SPLASHES: Mapping[str, tuple[str, ...]] = {"particles": ("water",)}
TAKES_BLOWS: Mapping[str, tuple[str, ...]] = {"rigid": ("liquid", "particles", "soft", "water")}


@dataclass
class Snapshot:
    """All that changes during a run: the state of each solver, the counter of ids, what cues remember, and what
    solvers offered after the last step."""

    frame: int
    states: dict[str, State] = field(default_factory=dict)
    ids: Ids = field(default_factory=Ids)
    time: float = 0.0
    memory: Memory = field(default_factory=Memory)
    offers: dict[str, Offers] = field(default_factory=dict)

    def copy(self) -> "Snapshot":
        """The same, in arrays of its own: the run may go on."""
        states = {
            name: State(s.elements.copy(), {n: a.copy() for n, a in s.arrays.items()}, deepcopy(s.facts))
            for name, s in self.states.items()
        }
        ids, memory = Ids(self.ids.next), deepcopy(self.memory)
        return Snapshot(self.frame, states, ids, self.time, memory, dict(self.offers))

    @property
    def crowds(self) -> dict[str, Elements]:
        return {name: state.elements for name, state in self.states.items()}

    def placed(self, stepping: Container[str] = ()) -> dict[str, tuple[Pose, Pose]]:
        """Where the props that solvers move are, and where they will be; that is known of the solvers that have already
        taken the step that is under way."""
        return {
            prop: poses if name in stepping else (poses[1], poses[1])
            for name, offers in self.offers.items()
            for prop, poses in offers.poses.items()
        }

    def grids(self) -> dict[str, VelocityGrid]:
        """The air that solvers move."""
        return {row: grid for offers in self.offers.values() for row, grid in offers.grids.items()}


@dataclass
class SoFar:
    """What cues have done on the way to a frame, and the nearest that each came."""

    events: list[Events] = field(default_factory=list)
    nearest: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Happened:
    """What the way to a frame brought, beside the elements themselves. `nearest` tells, by cue, how near
    its condition came; `absent` names the props that are not there at the frame; `touches` counts impacts by matter."""

    events: Events
    nearest: dict[str, float]
    absent: list[str]
    touches: dict[str, int]
    steps: int
    seconds: dict[str, float]


def first_frame(world: World, clock: Callable[[], float]) -> tuple[Snapshot, Happened]:
    """The first frame: what begins at it, before anything has moved."""
    parts, so_far = Parts(clock), SoFar()
    now = Snapshot(world.shot.finish.begins, memory=at_rest(world.shot.cues))
    for name, solver in world.solvers.items():
        now.states[name] = solver.begin()
        now.offers[name] = solver.offers(now.states[name])
    gone = _land(world, now, so_far, parts)
    return now, Happened(all_events(so_far.events), so_far.nearest, gone, {}, 0, parts.seconds)


class Stopped(Exception):
    """A run was cancelled on the way to a frame, which is given up."""


def next_frame(
    world: World, now: Snapshot, clock: Callable[[], float], stopped: Callable[[], bool] = lambda: False
) -> Happened:  # fmt: skip
    """Move a run on by one frame, in place. Raises `Stopped` between two steps, with the snapshot on its way."""
    parts, so_far = Parts(clock), SoFar()
    touches = dict.fromkeys(world.solvers, 0)
    pace = world.shot.pace
    steps = max(solver.steps(now.states[name], pace.span(now.frame)) for name, solver in world.solvers.items())
    dt, landing = pace.span(now.frame) / steps, now.frame + 1
    for step in range(steps):
        if stopped():
            raise Stopped
        away = absent(world.shot.cues, now.memory)
        stepped: list[str] = []
        for name, solver in world.solvers.items():
            with parts(name):
                placed = now.placed(stepped)
                scene = world.setting.scene(now.frame + step / steps, 1.0 / steps, away, placed, now.grids())
                seam = _seam(now, name, scene, away, now.frame + step / steps, 1.0 / steps, now.frame * STEPS + step)
                touches[name] += solver.step(now.states[name], seam, dt)
                now.offers[name] = solver.offers(now.states[name])
            stepped.append(name)
        now.time += dt
        if step < steps - 1:
            with parts("cues"):
                _cue(world, now, now.frame + (step + 1) / steps, away, landing, so_far)
                _retire(now)
    now.frame = landing
    gone = _land(world, now, so_far, parts)
    return Happened(all_events(so_far.events), so_far.nearest, gone, touches, steps, parts.seconds)


def _seam(
    now: Snapshot, name: str, scene: Scene, gone: Container[str], frame: float, ahead: float = AHEAD, number: int = 0
) -> Seam:  # fmt: skip
    """What a solver gets: where all is, and what it takes from others."""

    surfaces = tuple(s for of in _given(now, name, TAKES_SURFACES) for s in of.surfaces)
    blows = tuple(b for of in _given(now, name, TAKES_BLOWS) for b in of.blows)
    openings = tuple(o for of in _given(now, name, TAKES_OPENINGS) for o in of.openings)
    splashes = tuple(s for of in _given(now, name, TAKES_SPLASHES) for s in of.splashes)
    wets = tuple(w for of in _given(now, name, TAKES_WETS) for w in of.wets)
    return Seam(
        scene, gone, surfaces, now.crowds, now.memory.switched, now.ids, frame, ahead, number, blows, openings,
        splashes, wets,
    )  # fmt: skip


def _given(now: Snapshot, name: str, table: Mapping[str, tuple[str, ...]]) -> list[Offers]:
    """What a matter takes of others, by one of the tables."""
    return [now.offers[of] for of in table.get(name, ()) if of in now.offers]


def scene_at(world: World, now: Snapshot, frame: float, away: set[str]) -> Scene:
    """Where all is between two steps."""
    return world.setting.scene(frame, AHEAD, away, now.placed(), now.grids())


def _land(world: World, now: Snapshot, so_far: SoFar, parts: Parts) -> list[str]:
    """What happens at a whole frame: what begins at it, how all look, then its cues, then the end of what has aged."""
    away = absent(world.shot.cues, now.memory)
    scene = scene_at(world, now, now.frame, away)
    on = [row for row in world.shot.matter if row.on]
    grown = [row for row in on if isinstance(row, Growth)]
    fading = [row for row in on if isinstance(row, Fading)]
    tints = [row for row in on if isinstance(row, Tint)]
    for name, solver in world.solvers.items():
        with parts(name):
            solver.land(now.states[name], _seam(now, name, scene, away, now.frame))
            for heat in (heat for of in _given(now, name, TAKES_HEAT) for heat in of.heats):
                heat.warm(now.states[name].elements)
            grow(grown, world.states, name, now.states[name].elements, scene)
            fade(fading, world.states, now.states[name].elements, scene)
            tint(tints, world.states, now.states[name].elements, scene)
            now.offers[name] = solver.offers(now.states[name])
    with parts("cues"):
        _cue(world, now, now.frame, away, now.frame, so_far)
        _retire(now)
    there = world.setting.row_poses(now.frame, absent(world.shot.cues, now.memory))
    return [prop.id for prop in world.shot.props if prop.id not in there]


def _cue(world: World, now: Snapshot, frame: float, away: set[str], landing: int, so_far: SoFar) -> None:
    """All cues look once, and act; then what they set off comes into being."""
    if not world.watched:
        return
    scene = scene_at(world, now, frame, away)
    shares = _shares(world, now)
    recent, nearest = now.memory.recent, so_far.nearest
    looks = {name: Look(crowd, scene, landing, recent, nearest, shares) for name, crowd in now.crowds.items()}
    acting = Acting(looks, now.memory, world.watched, now.time, world.shot.pace, so_far.events)
    acting.go()
    for shed in acting.sheds:
        for name, solver in world.solvers.items():
            solver.shed(now.states[name], shed, _seam(now, name, scene, away, frame))


def _shares(world: World, now: Snapshot) -> dict[int, float]:
    """The share of its matter's elements that is in each state that a cue counts."""
    found = {}
    for number in {w.counted for w in world.watched if w.counted >= 0}:
        crowd = now.crowds.get(world.shot.states[number].of)
        found[number] = float(crowd.in_state(number).mean()) if crowd is not None and len(crowd) else 0.0
    return found


def _retire(now: Snapshot) -> None:
    for state in now.states.values():
        state.elements = state.elements.where(state.elements.age < state.elements.life)
