"""The solver of liquid: the order of one of its steps."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter, uniform_filter

from hotgravel.core.drive.value import each, is_driven, one
from hotgravel.core.matter.barrier import bar
from hotgravel.core.matter.contract import NO_BLOWS, Array, Blows, Offers, Seam, Shed, State
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.fineness import steps_for
from hotgravel.core.matter.fluid.project import Faces, Grid, rimmed
from hotgravel.core.matter.fluid.solids import Box, Solids
from hotgravel.core.matter.forces import acting_on, gather
from hotgravel.core.matter.liquid.buoyancy import Wetting, blows_of
from hotgravel.core.matter.liquid.drops import Drops
from hotgravel.core.matter.liquid.evening import too_many
from hotgravel.core.matter.liquid.gas import Gas, came, lie, moved
from hotgravel.core.matter.liquid.release import released
from hotgravel.core.matter.liquid.room import Room, part_of, window_of
from hotgravel.core.matter.liquid.supply import drained, dripped, filled, spouted
from hotgravel.core.matter.liquid.surface import surface_of
from hotgravel.core.matter.liquid.transfer import (
    FAR,
    SLAB,
    carried,
    close_by,
    extended,
    kept_out,
    laid,
    shared_out,
    sorted_in,
    taken,
)
from hotgravel.core.matter.liquid.viscosity import thickened
from hotgravel.core.matter.pushed import forced
from hotgravel.core.matter.wet import WetDrops
from hotgravel.core.shape.colliders import colliders_of
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.liquid import Drip, Fill, Liquid, Outlet, Spout
from hotgravel.core.shot.liquid import Gas as GasSource

TRAVEL = 1.5  # cells that liquid may go in a step
MANY = 0.999  # of drops go no farther than that; single ones do not make all wait
BEYOND = 3  # cells: so far its velocity goes on into the air
AIR = 20.0  # °C: what it cools to
BARE = 0.4  # of the room about a drop: at the surface so much of it is empty
THIN = 0.02  # cells: how far drops keep off what they meet
WET = 0.75  # cells: so near to the middle of a drop it is wet
CURVED = 1.2  # cells: how far a surface is rounded before its curvature is taken
Known = tuple[NDArray[np.bool_], ...]


@dataclass(frozen=True, eq=False)
class Laid:
    """Drops as they are laid on a grid: velocities, where those are known, what makes them thick (None where nothing
    does), how full cells are, how far their middles are from the surface, in cells, and the gas among them."""

    velocity: Faces
    known: Known
    thick: Faces | None
    fill: Grid
    near: Grid
    gas: Gas | None = None

    @cached_property
    def evened(self) -> Grid:
        """How full cells and those about them are."""
        return np.asarray(uniform_filter(self.fill, 3, mode="constant"))


@dataclass(frozen=True, eq=False)
class LiquidSolver:
    """The liquid of one shot. `numbers` has those of its sources among all that elements come from."""

    setting: Setting
    row: Liquid
    box: Box
    fills: tuple[Fill, ...]
    spouts: tuple[Spout, ...]
    outlets: tuple[Outlet, ...]
    gases: tuple[GasSource, ...]
    drips: tuple[Drip, ...]
    numbers: Mapping[str, int]
    room: Room

    @property
    def drop(self) -> float:
        """The mass of a drop, kg."""
        return self.row.density * self.box.cell**3 / 8.0

    def begin(self) -> State:
        facts = dict.fromkeys(("came", "drained", "left", "rounds", "drags", "lapse", "squeezed"), 0.0)
        arrays: dict[str, Array] = {**NO_BLOWS, "bodies": np.zeros(0, np.int64), "going": np.zeros((0, 3))}
        arrays |= {"gas": np.zeros((0, 3)), "owed": np.zeros(len(self.gases))}
        arrays |= {"pressure": rimmed((0, 0, 0)), "window": np.zeros((2, 3), np.int64), "stood": np.zeros((0, 9))}
        return State(Drops.blank(0), arrays, facts)

    def steps(self, state: State, span: float) -> int:
        speed = state.elements.speed
        fastest = float(np.quantile(speed, MANY)) if len(speed) else 0.0
        if self.row.tension > 0.0:  # its shortest waves must not overtake a step (Brackbill, Kothe and Zemach 1992)
            fastest = max(fastest, np.sqrt(2.0 * np.pi * self.row.tension / (self.row.density * self.box.cell)))
        return steps_for(self.setting.quality, fastest, TRAVEL * self.box.cell, span)

    def land(self, state: State, seam: Seam) -> None:
        """Bodies of liquid are there from their frame on."""
        for row in self.fills:
            if seam.runs(row) and round(seam.frame) == row.start and row.prop in seam.scene.poses:
                still, _ = self.room.stand(seam, state.facts["lapse"])
                self._admit(state, filled(self, row, seam, still), seam)

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """Sources give and outlets take; forces push drops; those are laid on the grid, thick liquid drags itself along
        and the pressure lets it go apart; then drops take the grid's motion over, and go."""
        for row in self.spouts:
            if seam.runs(row) and row.start <= seam.frame < row.end + 1 and row.prop in seam.scene.poses:
                still, _ = self.room.stand(seam, state.facts["lapse"])
                self._admit(state, spouted(self, row, seam, state.elements, still), seam)
        before = len(state.elements)
        state.elements = state.elements.where(~drained(self, seam, state.elements))
        state.facts["drained"] += (before - len(state.elements)) * self.drop
        p = _drops(state)
        p.age += dt
        if not len(p):
            return 0
        window = window_of(self.room.whole, p.position)
        grid, solids = part_of(self.room.whole, window), self.room.solids_about(window, seam, state.facts["lapse"])
        distance = solids.distance / np.float32(grid.cell)
        lapse, state.facts["lapse"] = state.facts["lapse"] or dt, seam.scene.lapse
        held = p.pinned > 0
        place = p.position[held]
        p.velocity[held] = 0.0
        own = p.velocity.mean(axis=0)
        self._push(p, seam, dt)
        kick = p.velocity.mean(axis=0) - own
        on = self._laid(p, grid, seam, dt)
        if self.gases:
            marks, inside, new = came(self, state.arrays["gas"], state.arrays["owed"], seam, dt)
            on = replace(on, gas=lie(marks, inside, new, grid, on.fill, on.near, distance, seam.number, dt))
        self._cool(p, on, grid, seam.scene, dt)
        same = bool((window == state.arrays["window"]).all())
        flow = self._solved(on, solids, grid, distance, state, state.arrays["pressure"] if same else None, dt)
        told = Wetting(grid, state.arrays["pressure"], on.near, flow, self.row.density, kick / dt, dt, lapse)
        state.arrays |= self._bear(told, seam, state)
        state.arrays |= {"window": window, "stood": self.room.moving(seam)}
        touches = self._go(p, on, flow, kick, grid, distance, seam, dt)
        p.position[held], p.velocity[held] = place, 0.0
        self._leave(state)
        return touches

    def _bear(self, told: Wetting, seam: Seam, state: State) -> dict[str, Array]:
        """What liquid gives to bodies, and how fast those go."""
        known, met = state.arrays, {prop for prop, inside in self.setting.met if not inside}
        before = dict(zip(known["bodies"].tolist(), known["going"], strict=True))
        blows, going = blows_of(told, (m for m in seam.surfaces if m.prop in met), before)
        return {
            "struck": blows.struck, "blow": blows.impulse, "blow_at": blows.place,
            "bodies": np.array(list(going), np.int64), "going": np.array(list(going.values())).reshape(-1, 3),
        }  # fmt: skip

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        for row in (r for r in self.drips if r.id == shed.row and seam.runs(r)):
            self._admit(state, dripped(self, row, shed, seam), seam)

    def offers(self, state: State) -> Offers:
        wet = WetDrops(state.elements.position, WET * self.box.cell)
        return Offers(blows=(Blows.kept_in(state.arrays),), wets=(wet,))

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, Array]]:
        return {self.row.id: surface_of(self, state.elements, state.arrays["stood"], scene)}

    def records(self, state: State) -> dict[str, dict[str, Array]]:
        return {}

    def meshes(self) -> list[dict[str, Array]]:
        return []

    def drawn(self) -> list[tuple[str, int | None]]:
        return []

    def measure(self, state: State, touches: int, steps: int) -> dict[str, float]:
        p, facts = state.elements, state.facts
        count, speed, height = len(p), p.speed, p.position[:, 1]
        return {
            "count": count, "volume": count * self.box.cell**3 / 8.0,
            "level": float(np.quantile(height, 0.99)) if count else 0.0,
            "mean_speed": float(speed.mean()) if count else 0.0, "greatest_speed": float(speed.max(initial=0.0)),
            "kinetic_energy": float(0.5 * (speed**2).mean()) if count else 0.0,
            "gas": len(state.arrays["gas"]) * self.box.cell**3 / 8.0,
            "hottest": float(p.temperature.max(initial=AIR)), "squeezed": 100.0 * facts["squeezed"],
            "came": facts["came"], "drained": facts["drained"], "left": facts["left"],
            "rounds": float(facts["rounds"]), "drags": float(facts["drags"]), "steps": float(steps),
            "touches": touches,
        }  # fmt: skip

    def _admit(self, state: State, new: Drops, seam: Seam) -> None:
        """Take in new drops."""
        new.id[:] = seam.ids.take(len(new))
        state.elements = state.elements.joined(new)
        state.facts["came"] += len(new) * self.drop

    def _push(self, p: Drops, seam: Seam, dt: float) -> None:
        """What pulls on drops, in place."""
        table = gather(acting_on(self.setting.shot, seam.switched), self.setting.states, seam.scene, p, dt, {})
        forced(p.velocity, p.state, table.by_element, table.pull, table.rate, table.drift, table.bite, dt)

    def _cool(self, p: Drops, on: Laid, grid: Box, scene: Scene, dt: float) -> None:
        """Heat is lost, and more of it at the surface, in place."""
        cooling, crust = self._of("cooling", p, scene), self._of("crust", p, scene)
        if not np.any(cooling) and not np.any(crust):
            return
        cells = np.floor((p.position - np.array(grid.low)) / grid.cell).astype(np.int64)
        cells = np.clip(cells, 0, np.array(grid.shape) - 1)
        covered = on.evened[tuple(cells.T)]
        bare = np.clip((1.0 - covered) / BARE, 0.0, 1.0)
        p.temperature[:] = AIR + (p.temperature - AIR) * np.exp(-dt * (cooling + crust * bare))

    def _of(self, name: str, p: Drops, scene: Scene) -> Array:
        """A dial of the row for each drop, or for all."""
        if not is_driven(getattr(self.row, name)):
            return np.array(one(self.row, name, scene.ask))
        return each(self.row, name, asking(p, scene))

    def _laid(self, p: Drops, grid: Box, seam: Seam, dt: float) -> Laid:
        place = (p.position - np.array(grid.low)) / grid.cell
        slabs = -(-grid.shape[0] // SLAB)
        order, starts = np.empty(len(p), np.int64), np.zeros(slabs + 1, np.int64)
        sorted_in(place, slabs, order, starts)
        flow, mass = grid.faces(), grid.faces()
        thick = self._of("viscosity", p, seam.scene) * dt / (self.row.density * grid.cell**2)
        thickens = bool(np.max(thick) > 1e-6)
        stiff = grid.faces() if thickens else tuple(np.zeros((1, 1, 1), np.float32) for _ in range(3))
        fill, near = np.zeros(grid.shape, np.float32), np.full(grid.shape, FAR, np.float32)
        by_drop = np.array(np.broadcast_to(thick, len(p))) if thickens else np.zeros(1)
        laid(
            place, p.velocity, p.affine, by_drop, order, starts, *flow, *mass, stiff[0], stiff[1], stiff[2], fill, near
        )
        known = tuple(np.empty(face.shape, bool) for face in flow)
        for axis in range(3):
            shared_out(flow[axis], mass[axis], known[axis])
            if thickens:
                shared_out(stiff[axis], mass[axis], known[axis])
        return Laid(flow, known, (stiff[0], stiff[1], stiff[2]) if thickens else None, fill, near)

    def _solved(
        self, on: Laid, solids: Solids, grid: Box, distance: Grid, state: State, guess: Grid | None, dt: float
    ) -> Faces:  # fmt: skip
        """The velocities that liquid has at the end of a step, and beyond its surface; `distance` is how far middles
        lie from obstacles, in cells. Gas goes with it."""
        cell, facts, row = self.box.cell, state.facts, self.row
        flow: Faces = (on.velocity[0].copy(), on.velocity[1].copy(), on.velocity[2].copy())
        if on.thick is not None:
            flow, facts["drags"] = thickened(flow, solids, on.known, on.thick, row.along == "clings")
        facts["squeezed"] = float(np.maximum(on.evened - 1.0, 0.0).sum() / max(float(on.fill.sum()), 1e-9))
        pull = np.zeros_like(on.near)
        if row.tension > 0.0:
            pull = _curvature(on.fill) * np.float32(row.tension * dt / (row.density * cell**2))
        evens, gas = min(row.evens, 0.5 / dt) * cell, on.gas
        light, fill, source = np.zeros(grid.shape, np.bool_), on.fill, np.zeros(grid.shape, np.float32)
        if gas is not None:
            light, fill, source = gas.cells, fill + gas.fill, cell * gas.evened(dt)
        if evens > 0.0:
            source += np.where(light, np.float32(0.0), np.float32(evens) * too_many(fill, solids))
        state.arrays["pressure"], known, facts["rounds"] = released(
            flow, solids, on.near, light, distance, source, pull, guess
        )
        if gas is not None:
            state.arrays["gas"] = moved(gas, flow, known, grid, distance, dt)
        u, v, w = (extended(flow[axis], known[axis], BEYOND) for axis in range(3))
        return u, v, w

    def _go(
        self, p: Drops, on: Laid, flow: Faces, kick: Array, grid: Box, distance: Grid, seam: Seam, dt: float
    ) -> int:  # fmt: skip
        """Drops take over the motion of the grid, and go where it carries them, but through nothing, in place. They go
        by the mean of the velocities before forces gave them `kick` (3,) and now, so that they fall as far as they
        should."""
        low, cell = np.array(grid.low), grid.cell
        was = tuple(extended(on.velocity[axis], on.known[axis], BEYOND) for axis in range(3))
        place, moved = (p.position - low) / cell, np.empty_like(p.position)
        mean = tuple(np.float32(0.5) * (flow[axis] + was[axis] - np.float32(kick[axis])) for axis in range(3))
        taken(place, p.velocity, p.affine, *flow, was[0], was[1], was[2], self.row.lively)
        carried(place, mean[0], mean[1], mean[2], dt / cell, moved)
        near = np.empty(len(p), bool)
        kept_out(moved, distance)
        close_by(place, moved, distance, near)
        before, after, some = p.position.copy(), low + cell * moved, np.flatnonzero(near)
        # Bodies step later: they are taken on by as much as they went in the step before.
        ahead = [m.taken_on() for m in seam.surfaces]
        colliders = colliders_of(self.setting, seam.scene, ahead)
        there, touched = after[some], np.zeros(len(some), np.uint64)
        bar(
            before[some], there, p.state[some], np.full(len(some), THIN * cell), p.age[some], colliders.table,
            colliders.bits, self.setting.tree, touched, 0.0, dt, 0.5 * THIN * cell,
        )  # fmt: skip
        after[some] = there
        p.touched[:] = 0
        p.touched[some] = touched
        p.position[:] = after
        p.travelled += np.linalg.norm(after - before, axis=1)
        return int((p.touched > 0).sum())

    def _leave(self, state: State) -> None:
        """Drops beyond the sides of the box are gone."""
        low = np.array(self.box.low)
        high = low + self.box.cell * np.array(self.box.shape)
        place = state.elements.position
        there = np.asarray(((place >= low) & (place <= high)).all(axis=1))
        state.facts["left"] += int((~there).sum()) * self.drop
        state.elements = state.elements.where(there)


def _curvature(fill: Grid) -> Grid:
    """How much a surface curves (nx, ny, nz), in one over cells: 2 / r for a drop of r cells."""
    soft = gaussian_filter(fill, CURVED)
    slope = np.stack(np.gradient(soft))
    size = np.sqrt((slope**2).sum(axis=0))
    way = -slope / np.maximum(size, 1e-3)
    return np.asarray(sum(np.gradient(way[axis], axis=axis) for axis in range(3)), np.float32)


def _drops(state: State) -> Drops:
    assert isinstance(state.elements, Drops)
    return state.elements
