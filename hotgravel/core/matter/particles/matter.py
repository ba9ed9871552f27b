"""Particles in their seat: what they give a run, and the order of one of their steps."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.drive.value import one
from hotgravel.core.matter.barrier import bar
from hotgravel.core.matter.contract import (
    COMMON,
    FACTS,
    NO_BLOWS,
    Blows,
    Column,
    Fact,
    Gauge,
    Kept,
    Kind,
    Lane,
    Offers,
    Seam,
    Shed,
    State,
    Table,
)
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fineness import steps_for
from hotgravel.core.matter.forces import acting_on, gather
from hotgravel.core.matter.neighbours import separate
from hotgravel.core.matter.particles.advance import advance
from hotgravel.core.matter.particles.emitter import MOST, Emitter, Tally, burst_now, stream_step
from hotgravel.core.matter.particles.offshoots import Shoot, burst_off, crown_step, opening_step, trail_step
from hotgravel.core.matter.particles.skins import skins_of
from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.shape.colliders import Colliders, colliders_of
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finding import Finding
from hotgravel.core.shot.finish import Quality
from hotgravel.core.shot.matter import Apart
from hotgravel.core.shot.sources import Asked, Burst, Crown, Offshoot, Opening, Source, Trail

# How often particles that keep apart are looked at again in a step.
APART_ROUNDS: dict[Quality, int] = {"rough": 8, "fair": 16, "fine": 40}
SHEET = "A sheet or an open mesh has no volume to fill. Accepted: its surface or its vertices."


@dataclass(frozen=True)
class ParticleSolver:
    """The particles of one shot. `props` maps a source's number to its prop; `smallest` is the length of the smallest
    prop that can be hit, metres."""

    setting: Setting
    emitters: tuple[Emitter, ...]
    shoots: tuple[Shoot, ...]
    props: dict[int, str]
    smallest: float

    def begin(self) -> State:
        return State(Particles.blank(0), facts={"given": {}})

    def steps(self, state: State, span: float) -> int:
        if not (self.emitters or self.shoots or len(state.elements)):
            return 1
        fastest = float(state.elements.speed.max(initial=0.0))
        return steps_for(self.setting.quality, fastest, self.smallest, span)

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """Sources give, forces gather, particles move, and those that keep apart make room."""
        self._stream(state, seam, dt)
        p = state.elements
        if not len(p):
            state.arrays = {**NO_BLOWS}
            return 0
        forces = acting_on(self.setting.shot, seam.switched)
        table = gather(forces, self.setting.states, seam.scene, p, dt, self.props)
        colliders = colliders_of(self.setting, seam.scene, seam.surfaces)
        pinned = np.flatnonzero(p.pinned)
        place = p.position[pinned]
        count = len(p) if (colliders.feeling >= 0).any() else 0
        hit, blow, blow_at = np.full(count, -1), np.zeros((count, 3)), np.zeros((count, 3))
        touches: int = advance(
            p.position, p.velocity, p.age, p.state, p.radius, p.touched, p.impact, p.travelled, dt,
            table.by_element, table.pull, table.rate, table.drift, table.bite, colliders.table, colliders.bits,
            self.setting.tree, p.id, seam.number, colliders.feeling, hit, blow, blow_at,
        )  # fmt: skip
        struck = np.flatnonzero(hit >= 0)
        state.arrays = {
            "struck": colliders.feeling[hit[struck]], "blow": p.mass[struck, None] * blow[struck],
            "blow_at": blow_at[struck],
        }  # fmt: skip
        p.position[pinned], p.velocity[pinned] = place, 0.0
        self._keep_apart(p, seam.scene, colliders)
        return touches

    def land(self, state: State, seam: Seam) -> None:
        for emitter in self._giving(seam):
            number = self.setting.states[emitter.source.state]
            _give(state, seam, burst_now, emitter, round(seam.frame), number, seam.scene)

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        for shoot in (s for s in self.shoots if s.source.id == shed.row):
            _give(state, seam, burst_off, shoot, shed.parents, shed.who, shed.cue, seam.scene)

    def offers(self, state: State) -> Offers:
        return Offers(blows=(Blows.kept_in(state.arrays, whole=False),) if state.arrays else ())

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, NDArray[Any]]]:
        return skins_of(self.setting, state.elements, scene)

    def records(self, state: State) -> dict[str, dict[str, NDArray[Any]]]:
        return {}

    def meshes(self) -> list[dict[str, NDArray[Any]]]:
        return []

    def drawn(self) -> list[tuple[str, int | None]]:
        return []

    def measure(self, state: State, touches: int, steps: int) -> dict[str, float]:
        speed, count = state.elements.speed, len(state.elements)
        return {
            "count": count,
            "mean_speed": float(speed.mean()) if count else 0.0,
            "greatest_speed": float(speed.max()) if count else 0.0,
            "kinetic_energy": float(0.5 * (speed * speed).mean()) if count else 0.0,
            "touches": int(touches),
        }

    def _giving(self, seam: Seam) -> Iterator[Emitter]:
        """The sources that are not stopped, and whose prop is there."""
        return (e for e in self.emitters if e.source.prop in seam.scene.poses and seam.runs(e.source))

    def _stream(self, state: State, seam: Seam, dt: float) -> None:
        for emitter in self._giving(seam):
            number = self.setting.states[emitter.source.state]
            _give(state, seam, stream_step, emitter, seam.frame, seam.ahead, dt, number, seam.scene)
        for shoot in (s for s in self.shoots if seam.runs(s.source)):
            emit = shoot.source.emit
            if isinstance(emit, Crown):
                for drops in seam.splashes:
                    _give(state, seam, crown_step, shoot, drops, seam.scene, dt)
            elif isinstance(emit, Opening):
                lasts = self.setting.shot.pace.lasting(seam.frame - emit.frames, seam.frame)
                for faces in seam.openings:
                    _give(state, seam, opening_step, shoot, faces, seam.scene, dt, lasts, seam.number)
        crowds = {**seam.crowds, "particles": state.elements}  # what is born in this step leaves nothing in it
        for shoot in (s for s in self.shoots if seam.runs(s.source)):
            for parents in crowds.values():
                _give(state, seam, trail_step, shoot, parents, seam.scene, dt)

    def _keep_apart(self, p: Elements, scene: Scene, colliders: Colliders) -> None:
        """Let particles push one another out of the way, but through nothing, in place."""
        for row in self.setting.shot.matter:
            if not isinstance(row, Apart) or not row.on:
                continue
            who = (p.age >= 0.0) & p.in_state(self.setting.state(row.whom))
            before, gap = p.position.copy(), one(row, "gap", scene.ask)
            separate(p.position, p.velocity, p.radius, p.mass, who, gap, APART_ROUNDS[self.setting.quality])
            bar(
                before, p.position, p.state, p.radius, p.age, colliders.table, colliders.bits, self.setting.tree,
                np.zeros(0, np.uint64), 1.0, 1.0, 0.0,
            )  # fmt: skip


def _give(
    state: State, seam: Seam, step: Callable[..., Particles], giver: Emitter | Shoot, *circumstances: Any
) -> None:
    """Take in what a source gives in one of its steps: its tally is read from the state's facts and put back. Raises
    `ShotFault` where there would be too many."""
    row = giver.source.id
    tally = Tally(row, MOST - len(state.elements), *state.facts["given"].get(row, ()))
    new = step(giver, tally, *circumstances, seam.ids.next)
    state.facts["given"][row] = [tally.born, tally.owed]
    seam.ids.take(len(new))
    state.elements = state.elements.joined(new)


class ParticleMatter:
    """Sparks, ash, grit: points with a radius that fly, bounce and slide."""

    name, called, cost = "particles", "particle", 1.0
    takes = 1_200.0, 42.0
    kind: Kind = "points"
    columns: Mapping[str, Column] = COMMON
    records: Mapping[str, tuple[str, ...]] = {}
    elements: type[Elements] = Particles
    gauges: Mapping[str, Gauge] = {
        "count": Gauge("", "how many particles there are"),
        "mean_speed": Gauge("m/s", "mean speed of particles"),
        "greatest_speed": Gauge("m/s", "speed of the fastest particle"),
        "kinetic_energy": Gauge("J/kg", "half the mean of speed squared: kinetic energy for each kilogram"),
        "touches": Gauge("", "impacts on the way to this frame, contacts at rest not counted"),
    }
    facts: tuple[Fact, ...] = FACTS
    lanes: tuple[Lane, ...] = (
        Lane("speed, mean / top", "curves", ("greatest_speed", "mean_speed")),
        Lane("kinetic energy", "curves", ("kinetic_energy",)),
        Lane("touches", "bars", ("touches",)),
    )

    def build(self, setting: Setting) -> ParticleSolver:
        shot = setting.shot
        faults: list[Fault] = []
        emitters: list[Emitter] = []
        shoots: list[Shoot] = []
        bodily = {setting.states[state.id] for state in shot.states if state.of != self.name}
        for number, source in enumerate(shot.supply):
            if not source.on or not isinstance(source, Source | Offshoot):
                continue
            if setting.states[source.state] in bodily:
                said = f"{shot.names()[source.state]} is a state of bodies. Accepted: a state of particles."
                faults.append(Fault(source.id, "state", said))
            if isinstance(source, Offshoot):
                shoots.append(Shoot(source, number, setting.state(source.whom), setting.states[source.state]))
            elif source.prop in setting.shapes:
                shape = setting.shapes[source.prop]
                if source.part == "volume" and not shape.has_volume:
                    faults.append(Fault(source.id, "part", SHEET))
                emitters.append(Emitter(source, number, shape, setting.lines[source.prop]))
        if faults:
            raise ShotFault(faults)
        hit = {prop for row in shot.collisions if row.on for prop in row.props if prop in setting.shapes}
        return ParticleSolver(
            setting, tuple(emitters), tuple(shoots),
            {n: source.prop for n, source in enumerate(shot.supply) if isinstance(source, Source)},
            min((setting.shapes[prop].extent for prop in hit), default=0.0),
        )  # fmt: skip

    def places(self, shot: Shot) -> tuple[str, ...]:
        return ()

    def count_at(self, shot: Shot, frame: int) -> float:
        """None is taken off for what dies; what comes off others is told by runs, not by rows."""
        finish, total = shot.finish, 0.0
        for source in (s for s in shot.particle_sources if s.on):
            emit = source.emit
            if isinstance(emit, Trail | Asked | Opening | Crown):
                continue
            if isinstance(emit, Burst):
                total += emit.count if finish.begins <= emit.frame <= frame else 0
                continue
            start, end = max(emit.start, finish.begins), min(emit.end + 1, frame)
            if end > start:
                middle = one(emit, "rate", shot.clock.at(0.5 * (start + end)))
                total += middle * shot.pace.lasting(start, end)
        return total

    def findings(self, shot: Shot, solver: Any) -> Iterator[Finding]:
        yield from ()  # preflight's own modules look at particles

    def after(self, shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
        yield from ()

    def tables(self, shot: Shot, kept: Kept, frames: Iterable[int]) -> Iterator[Table]:
        yield from ()

    def reasons(self, shot: Shot, kept: Kept, element: int, frame: int) -> Iterator[tuple[int, str, str]]:
        yield from ()
