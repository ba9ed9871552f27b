"""The solver of smoke: the order of one of its steps."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from hotgravel.core.drive.value import one
from hotgravel.core.matter.contract import Array, Offers, Seam, Shed, State
from hotgravel.core.matter.fineness import steps_for
from hotgravel.core.matter.fluid.project import Grid, Level, divergence_of, levels_of, projected, rimmed
from hotgravel.core.matter.fluid.solids import Box, Obstacle, Solids, near_in, prop_in, solids_in
from hotgravel.core.matter.smoke.advect import carried, carried_flow, courants
from hotgravel.core.matter.smoke.air import fade, push
from hotgravel.core.matter.smoke.blocks import SIDE, blocks_of, no_blocks, taken_back
from hotgravel.core.matter.smoke.cells import AIR, FACES, PART, TRACE, Cells, speed_in
from hotgravel.core.matter.smoke.detail import FALL, FINE, curl, finer, lively, spread_out
from hotgravel.core.matter.smoke.diffuse import diffused, dragged
from hotgravel.core.matter.smoke.fire import burn
from hotgravel.core.matter.smoke.sample import CENTRE, ON_X, ON_Y, ON_Z
from hotgravel.core.matter.smoke.shown import grid_of, records_of
from hotgravel.core.matter.smoke.sources import Puffs, Taker, comes, drain, give, puff, puffs_of, spot_of
from hotgravel.core.matter.smoke.window import at_ends, box_in, follow, move, wanted
from hotgravel.core.shape.colliders import stands
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.row import varies
from hotgravel.core.shot.smoke import Detail, Drain, Fire, Fume, Puff, Smoke

SMALL = 0.5  # cells: bodies that are smaller do not stand in gas's way
TRAVEL = 2.0  # cells that gas may go in a step
MENDED = 0.1  # of the density, at most, that a step puts right
CARRIED = ("density", "heat", "age", "fuel")
WHITE = "#FFFFFF"  # what has no tint of its own
BALANCE = ("came", "burnt", "faded", "drained", "left")


@dataclass
class Kept:
    """What is made again only where something moves: how far corners of cells lie from obstacles that stand still, and
    what tells those; all obstacles of a moment and whether any moved; the grids of the pressure's cycle, and the
    middles of all cells (n, 3)."""

    key: bytes = b""
    still: Grid | None = None
    solids: Solids | None = None
    moved: bool = False
    levels: list[Level] = field(default_factory=list)
    points: Array = field(default_factory=lambda: np.zeros((0, 3)))


@dataclass(frozen=True)
class SmokeSolver:
    """The smoke of one shot. `box` are the limits of its grid, `origins` the numbers of its sources in the shot, and
    `followed` is whether anything asks how its air moves."""

    setting: Setting
    row: Smoke
    box: Box
    fumes: tuple[Fume, ...]
    puffs: tuple[Puff, ...]
    drains: tuple[Drain, ...]
    fire: Fire | None
    detail: Detail | None
    origins: tuple[int, ...]
    followed: bool
    cache: Kept = field(default_factory=Kept)

    def begin(self) -> State:
        whole = np.stack([np.zeros(3, np.int64), np.array(self.box.shape) // SIDE])
        facts = dict.fromkeys((*BALANCE, "apart", "rounds", "lapse"), 0.0) | {"begun": False}
        state = State(Cells.blank(0), {"window": whole}, facts)
        if self.row.room == "smoke":
            scene = self.setting.scene(self.setting.shot.finish.begins, 1.0, set(), {}, {})
            spots = [spot_of(scene, row.prop, self.box.cell) for row in self.fumes if row.prop in scene.poses]
            state.arrays["window"] = follow(self.box, np.zeros((2, 3), np.int64), wanted(state, self.box, whole, spots))
        box = box_in(self.box, state.arrays["window"])
        still = {name: np.zeros(box.shape, np.float32) for name in self.within}
        state.arrays |= dict(zip(FACES, box.faces(), strict=True)) | still
        if self.detail is not None:
            shape = finer(box, self.detail.times).shape
            state.arrays |= {FINE + name: np.zeros(shape, np.float32) for name in still}
        state.arrays |= {"pressure": rimmed(box.shape)} | no_blocks(box.shape)
        return state

    @property
    def carried(self) -> tuple[str, ...]:
        """The arrays in the middles of cells that go along with the gas."""
        return (*CARRIED, *self.parts)

    @property
    def within(self) -> tuple[str, ...]:
        """All arrays in the middles of cells: of what is carried, and of flames."""
        return (*self.carried, "flame") if self.fire is not None else self.carried

    @property
    def parts(self) -> tuple[str, ...]:
        """The arrays that hold what is of each source; none where there is but one."""
        return tuple(f"{PART}{n}" for n in range(len(self.origins))) if len(self.origins) > 1 else ()

    def steps(self, state: State, span: float) -> int:
        fastest = max(float(np.abs(state.arrays[name]).max()) for name in FACES)
        return steps_for(self.setting.quality, fastest, TRAVEL * self.box.cell, span)

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """What cues did is taken in, and the window follows; sources give, drains take, fire burns and forces push; the
        pressure parts what flows together, and the gas carries itself and all that is in it; then it fades."""
        a, facts, scene = state.arrays, state.facts, seam.scene
        taken_back(state, box_in(self.box, a["window"]), self.within)
        puffs = [
            puffs_of(row, seam, self.setting.states, self.box.cell) if seam.runs(row) else None for row in self.puffs
        ]
        self._follow(state, seam, puffs)
        box = box_in(self.box, a["window"])
        solids = self._obstacles(box, state, seam)
        self._supply(a, facts, Taker(a, box, solids, dt), puffs, seam)
        swells = None
        if self.fire is not None:
            before = _mass(a, self.box)
            swells = burn(a, self.fire, scene.ask, dt) * np.float32(box.cell)
            facts["burnt"] += _mass(a, self.box) - before
        push(a, self.row, self.setting.shot, self.setting.states, box, self.cache.points, seam, dt)
        self._spread(a, box, solids, scene, dt)
        velocity = (a["u"], a["v"], a["w"])
        a["pressure"], facts["rounds"] = projected(velocity, self.cache.levels, solids.moving, a["pressure"], swells)
        apart = divergence_of(velocity, solids.open, solids.moving)
        apart = apart if swells is None else apart - swells
        facts["apart"] = float(np.abs(apart).max()) / max(float(max(np.abs(v).max() for v in velocity)), 1e-9)
        if self.detail is not None:
            self._refine(a, self.detail, solids, puffs, seam, dt)
        flow = carried_flow(velocity, courants(velocity, solids.open, dt / box.cell))
        facts["left"] += self._carry(a, box, solids, swells, dt)
        a |= dict(zip(FACES, flow, strict=True))
        before = _mass(a, self.box)
        fade(a, self.row, box, self.cache.points, scene, dt)
        facts["faded"] += before - _mass(a, self.box)
        state.elements = blocks_of(state, box, seam.ids, self.origins)
        return 0

    def land(self, state: State, seam: Seam) -> None:
        """At the first frame, what has gone on before it."""
        if state.facts["begun"]:
            return
        state.facts["begun"] = True
        left = self.row.preroll
        while left > 1e-9:
            span = min(left, 1.0 / self.setting.shot.finish.rate)
            many = self.steps(state, span)
            for _ in range(many):
                self.step(state, seam, span / many)
            left -= span

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        """Smoke comes off what moves by its own rows."""

    def offers(self, state: State) -> Offers:
        if not self.followed:
            return Offers()
        return Offers(grids={self.row.id: grid_of(state.arrays, box_in(self.box, state.arrays["window"]))})

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, Array]]:
        return {}

    def records(self, state: State) -> dict[str, dict[str, Array]]:
        colours = [row.colour if isinstance(row, Fume) else WHITE for row in self.setting.shot.smoke_sources]
        box, arrays = box_in(self.box, state.arrays["window"]), state.arrays
        if self.detail is not None:
            box, arrays = finer(box, self.detail.times), self._fine(arrays, self.detail.times)
        return records_of(arrays, box, colours, self.fire is not None)

    def meshes(self) -> list[dict[str, Array]]:
        return []

    def drawn(self) -> list[tuple[str, int | None]]:
        return []

    def measure(self, state: State, touches: int, steps: int) -> dict[str, float]:
        a, facts, there = state.arrays, state.facts, state.arrays["density"] > TRACE
        speed, heat = speed_in(a), a["heat"][there]
        return {
            "count": len(state.elements), "mass": _mass(a, self.box), **{name: facts[name] for name in BALANCE},
            "hottest": AIR + float(a["heat"].max(initial=0.0)), "mean_heat": AIR + float(heat.sum()) / (len(heat) or 1),
            "mean_speed": float(speed[there].mean()) if there.any() else 0.0, "greatest_speed": float(speed.max()),
            "cells": float(a["density"].size), "filled": float(there.sum()), "apart": facts["apart"],
            "rounds": float(facts["rounds"]), "steps": float(steps), "cut": self._cut(a),
        }  # fmt: skip

    def _cut(self, a: dict[str, Array]) -> float:
        """How dense smoke is, at most, at an open side of the box."""
        ends, walls = at_ends(self.box, a["window"]), self.row.walls
        open_ = [(axis, end) for axis in range(3) for end in (0, -1) if ends[axis][end] and (axis, end) not in walls]
        return max((float(np.take(a["density"], end, axis).max()) for axis, end in open_), default=0.0)

    def _fine(self, a: dict[str, Array], times: int) -> dict[str, Array]:
        """The arrays of the finer grid, with the coarse one's air between its values."""
        found = {name.removeprefix(FINE): array for name, array in a.items() if name.startswith(FINE)}
        shape = found["density"].shape
        for axis, (name, where) in enumerate(zip(FACES, (ON_X, ON_Y, ON_Z), strict=True)):
            found[name] = spread_out(a[name], times, where, tuple(n + (axis == k) for k, n in enumerate(shape)))
        return found

    def _refine(self, a: dict[str, Array], row: Detail, solids: Solids, puffs: Sequence[Puffs | None], seam: Seam,
                dt: float) -> None:  # fmt: skip
        """What the smoke goes through in this step, once more on the finer grid, in place."""
        coarse, ask = box_in(self.box, a["window"]), seam.scene.ask
        box, fine = finer(coarse, row.times), self._fine(a, row.times)
        distance = spread_out(solids.distance, row.times, CENTRE, box.shape)
        strong = np.float32(one(row, "curls", ask) * FALL) * lively((a["u"], a["v"], a["w"]))
        first = row.times * SIDE * a["window"][0]
        velocity = (fine["u"], fine["v"], fine["w"])
        curl(velocity, strong, row.times, box.cell, first, row.seed, row.change * float(ask.times[0]))
        x, y, z = (np.ones_like(flow) for flow in velocity)
        inside = Solids((x, y, z), solids.moving, distance)
        self._supply(fine, {}, Taker(fine, box, inside, dt), puffs, seam)
        swells = None
        if self.fire is not None:
            swells = burn(fine, self.fire, ask, dt) * np.float32(box.cell)
        diffusion = one(self.row, "diffusion", ask)
        if diffusion > 0.0:
            for name in self.carried:
                fine[name] = diffused(fine[name], inside.open, diffusion * dt / box.cell**2)
        self._carry(fine, box, inside, swells, dt)
        points = box.points((0.5, 0.5, 0.5)) if varies(self.row) else np.zeros((0, 3))
        fade(fine, self.row, box, points, seam.scene, dt)
        a |= {FINE + name: array for name, array in fine.items() if name not in FACES}

    def _follow(self, state: State, seam: Seam, puffs: Sequence[Puffs | None]) -> None:
        if self.row.room == "whole":
            return
        spots = [spot_of(seam.scene, row.prop, self.box.cell) for row in self.fumes if comes(row, seam)]
        spots += [spot for of in puffs if of is not None for spot in of.spots()]
        was = state.arrays["window"]
        now = follow(self.box, was, wanted(state, self.box, was, spots))
        if (now != was).any():
            lost = _mass(state.arrays, self.box)
            move(state, was, now)
            state.arrays["window"] = now
            state.facts["faded"] += lost - _mass(state.arrays, self.box)  # less than a trace in each cell

    @cached_property
    def met(self) -> dict[str, bool]:
        """The props that smoke meets, and whether from inside."""
        return dict(self.setting.met)

    def _obstacles(self, box: Box, state: State, seam: Seam) -> Solids:
        """What gas flows around in this step. What stands still is kept from one step to the next."""
        scene, cache, window = seam.scene, self.cache, state.arrays["window"]
        props = [prop_in(scene, prop, inside) for prop, inside in self.met.items() if stands(self.setting, scene, prop)]
        # Solvers that come after this one have last told how their shapes went in the step before.
        back = -state.facts["lapse"] or -scene.lapse
        led = [m for m in seam.surfaces if m.prop in self.met]
        others = [Obstacle(m.shape, m.end, m.start, back, self.met[m.prop]) for m in led]
        obstacles = [*props, *(o for o in others if o.shape.extent * o.here.scale >= SMALL * box.cell)]
        state.facts["lapse"] = scene.lapse
        still, moving = ([o for o in obstacles if o.stands == stays] for stays in (True, False))
        key = window.tobytes() + b"".join(o.key for o in still)
        if cache.still is None or cache.key != key:
            cache.still, cache.key, cache.solids = near_in(box, still), key, None
            cache.points = box.points((0.5, 0.5, 0.5))
        if cache.solids is None or cache.moved or moving:
            corners = near_in(box, moving, cache.still) if moving else cache.still
            cache.solids = solids_in(box, corners, moving, self.row.walls, at_ends(self.box, window))
            cache.levels, cache.moved = levels_of(cache.solids.open), bool(moving)
        return cache.solids

    def _supply(self, a: dict[str, Array], facts: dict[str, float], to: Taker, puffs: Sequence[Puffs | None],
                seam: Seam) -> None:  # fmt: skip
        """Let sources give and drains take, in place, and add to what is told of both."""
        own = self.parts or (None,) * len(self.origins)
        before = _mass(a, to.box)
        for row, mine in zip(self.fumes, own, strict=False):
            if comes(row, seam):
                give(to, row, seam, mine)
        for of, mine in zip(puffs, own[len(self.fumes) :], strict=True):
            if of is not None and len(of.place):
                puff(to, of, mine)
        came = _mass(a, to.box)
        for drained in self.drains:
            drain(to, drained, seam)
        facts["came"] = facts.get("came", 0.0) + came - before
        facts["drained"] = facts.get("drained", 0.0) + came - _mass(a, to.box)

    def _spread(self, a: dict[str, Array], box: Box, solids: Solids, scene: Scene, dt: float) -> None:
        """Viscosity and diffusion, in place."""
        viscosity, diffusion = (one(self.row, name, scene.ask) for name in ("viscosity", "diffusion"))
        if viscosity > 0.0:
            clings = np.full((4, 2), self.row.along == "clings")
            for axis in range(3):
                for end in (0, 1):
                    clings[axis, end] &= bool((np.take(solids.open[axis], -end, axis) <= 0.0).all())
            velocity, walls = (a["u"], a["v"], a["w"]), np.zeros((3, 2, 3), np.float32)
            flow = dragged(velocity, solids.open, viscosity * dt / box.cell**2, clings, walls)
            a |= dict(zip(FACES, flow, strict=True))
        if diffusion > 0.0:
            for name in self.carried:
                a[name] = diffused(a[name], solids.open, diffusion * dt / box.cell**2)

    def _carry(self, a: dict[str, Array], box: Box, solids: Solids, swells: Grid | None, dt: float) -> float:
        """Let the gas carry all that is in it, in place. Returns how much smoke has left."""
        there, shut = _mass(a, box), solids.distance < 0.0
        courant = courants((a["u"], a["v"], a["w"]), solids.open, dt / box.cell, shut)
        some = ["density", *(name for name in self.carried if name != "density" and a[name].any())]
        moved, gone = carried(np.stack([a[name] for name in some]), courant)
        moved[:, shut] = 0.0
        a |= dict(zip(some, moved, strict=True))
        if swells is not None:  # it takes more room, and is as much thinner
            thinner = 1.0 / (1.0 + np.float32(dt / box.cell) * swells)
            for name in self.carried:
                a[name] *= 1.0 if name == "heat" else thinner
        # Beside obstacles a grid loses or makes a little on the way: what did not leave is still there.
        stays = there - gone * box.cell**3
        a["density"] *= np.float32(np.clip(stays / max(_mass(a, box), 1e-12), 1.0 - MENDED, 1.0 + MENDED))
        if self.parts:  # the parts of it are all of it
            share = a["density"] / np.maximum(sum(a[name] for name in self.parts), 1e-9)
            for name in self.parts:
                a[name] *= share
        a["age"] += np.float32(dt) * a["density"]
        return there - _mass(a, box)


def _mass(arrays: dict[str, Array], box: Box) -> float:
    """How much smoke a grid holds: cubic metres of density 1."""
    return float(arrays["density"].sum(dtype=float)) * box.cell**3
