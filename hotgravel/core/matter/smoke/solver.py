"""The solver of smoke: the order of one of its steps."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numba import njit, prange

from hotgravel.core.drive.value import one, three
from hotgravel.core.matter.aims import unit
from hotgravel.core.matter.contract import Array, Offers, Seam, Shed, State
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fineness import steps_for
from hotgravel.core.matter.forces import acting_on, gather
from hotgravel.core.matter.smoke.advect import CENTRE, ON_X, ON_Y, ON_Z, carried, swirled
from hotgravel.core.matter.smoke.blocks import AIR, FACES, blocks_of, no_blocks, taken_back
from hotgravel.core.matter.smoke.project import Faces, Grid, Level, divergence_of, levels_of, projected, rimmed
from hotgravel.core.matter.smoke.solids import Box, Solids, in_middles, solids_in
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.forces import Force, Gravity
from hotgravel.core.shot.smoke import Fume, Smoke

WARM = 1.0 / (273.15 + AIR)  # of its weight that air loses for each degree
TRACE = 1e-3  # of density: less is nothing
TRAVEL = 2.0  # cells that gas may go in a step
MENDED = 0.1  # of the density, at most, that a step puts right


@dataclass
class Kept:
    """The obstacles of a moment, and the grids of the pressure's cycle; made again where something moves."""

    key: bytes = b""
    solids: Solids | None = None
    levels: list[Level] = field(default_factory=list)


@dataclass(frozen=True)
class SmokeSolver:
    """The smoke of one shot."""

    setting: Setting
    row: Smoke
    box: Box
    fumes: tuple[Fume, ...]
    source: int
    cache: Kept = field(default_factory=Kept)

    def begin(self) -> State:
        shape = self.box.shape
        faces = dict(zip(FACES, self.box.faces(), strict=True))
        still = {name: np.zeros(shape, np.float32) for name in ("density", "heat")}
        arrays = faces | still | {"pressure": rimmed(shape)} | no_blocks(shape)
        return State(Elements.blank(0), arrays, {"came": 0.0, "faded": 0.0, "left": 0.0, "apart": 0.0, "rounds": 0})

    def steps(self, state: State, span: float) -> int:
        fastest = max(float(np.abs(state.arrays[name]).max()) for name in FACES)
        return steps_for(self.setting.quality, fastest, TRAVEL * self.box.cell, span)

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """What cues did is taken in; sources give, forces push, the pressure parts what flows together, and the gas
        carries itself and all that is in it; then it fades and cools."""
        a, facts, cell = state.arrays, state.facts, self.box.cell
        taken_back(state, self.box)
        solids, levels = self._obstacles(seam.scene)
        velocity: Faces = (a["u"], a["v"], a["w"])
        before = self._mass(a)
        self._give(a, seam, solids, dt)
        came = self._mass(a)
        self._push(a, velocity, seam, dt)
        a["pressure"], facts["rounds"] = projected(velocity, levels, solids.moving, a["pressure"])
        apart = divergence_of(velocity, solids.open, solids.moving)
        facts["apart"] = float(np.abs(apart).max()) / max(float(max(np.abs(v).max() for v in velocity)), 1e-9)
        length = dt / cell
        density = carried(a["density"], velocity, length, CENTRE, fresh=True)
        heat = carried(a["heat"], velocity, length, CENTRE, fresh=True)
        new = [carried(v, velocity, length, at) for v, at in zip(velocity, (ON_X, ON_Y, ON_Z), strict=True)]
        inside = solids.distance < 0.0
        density[inside], heat[inside] = 0.0, 0.0
        # A grid loses or makes a little on the way: what did not leave is still there.
        stays = max(came - _leaving(a["density"], velocity) * dt * cell**2, 0.0)
        there = float(density.sum(dtype=float)) * cell**3
        density *= np.float32(np.clip(stays / max(there, 1e-12), 1.0 - MENDED, 1.0 + MENDED))
        a |= dict(zip(FACES, new, strict=True)) | {"density": density, "heat": heat}
        left = self._mass(a)
        ask = seam.scene.ask
        np.maximum(density - np.float32(dt * one(self.row, "fade", ask)), 0.0, out=density)
        heat *= np.float32(np.exp(-dt * one(self.row, "cooling", ask)))
        for flow in new:
            flow *= np.float32(np.exp(-dt * one(self.row, "slowing", ask)))
        facts["came"] += came - before
        facts["left"] += came - left
        facts["faded"] += left - self._mass(a)
        state.elements = blocks_of(state, self.box, seam.ids, dt, self.source)
        return 0

    def land(self, state: State, seam: Seam) -> None:
        """It begins empty."""

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        """Smoke comes off nothing."""

    def offers(self, state: State) -> Offers:
        return Offers()

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, Array]]:
        return {}

    def records(self, state: State) -> dict[str, dict[str, Array]]:
        thick = np.minimum(np.round(255.0 * state.arrays["density"]), 255.0).astype(np.uint8)
        box = self.box
        return {"volume": {
            "density": thick.ravel(), "shape": np.array(box.shape, np.int32), "low": np.array(box.low, np.float32),
            "cell": np.array([box.cell], np.float32),
        }}  # fmt: skip

    def meshes(self) -> list[dict[str, Array]]:
        return []

    def drawn(self) -> list[tuple[str, int | None]]:
        return []

    def measure(self, state: State, touches: int, steps: int) -> dict[str, float]:
        a, facts, there = state.arrays, state.facts, state.arrays["density"] > TRACE
        speed = np.sqrt(sum(in_middles(a[name], axis) ** 2 for axis, name in enumerate(FACES)))
        return {
            "count": len(state.elements), "mass": self._mass(a), "came": facts["came"], "faded": facts["faded"],
            "left": facts["left"], "hottest": AIR + float(a["heat"].max(initial=0.0)),
            "mean_speed": float(speed[there].mean()) if there.any() else 0.0, "greatest_speed": float(speed.max()),
            "cells": float(a["density"].size), "filled": float(there.sum()), "apart": facts["apart"],
            "rounds": float(facts["rounds"]),
        }  # fmt: skip

    def _mass(self, arrays: dict[str, Array]) -> float:
        """How much smoke there is: cubic metres of density 1."""
        return float(arrays["density"].sum(dtype=float)) * self.box.cell**3

    @cached_property
    def _points(self) -> Array:
        """The middles of all cells (n, 3)."""
        return self.box.points((0.5, 0.5, 0.5))

    @cached_property
    def _on_faces(self) -> tuple[Array, ...]:
        """The middles of the faces across each axis (n, 3)."""
        return tuple(self.box.on_faces(axis) for axis in range(3))

    @cached_property
    def _hit(self) -> list[str]:
        """The props that smoke flows around."""
        shot = self.setting.shot
        rows = [row for row in shot.collisions if row.on and row.whom is None]
        return list(dict.fromkeys(prop for row in rows for prop in row.props if prop in self.setting.shapes))

    def _obstacles(self, scene: Scene) -> tuple[Solids, list[Level]]:
        there = [p for p in self._hit if p in scene.poses]
        poses = [(scene.poses[p], scene.soon[p]) for p in there]
        key = repr(there).encode() + b"".join(
            pose.position.tobytes() + pose.quaternion.tobytes() + np.float64(pose.scale).tobytes()
            for both in poses
            for pose in both
        )
        if self.cache.solids is None or self.cache.key != key:
            self.cache.solids = solids_in(self.box, there, scene, self.row.sides)
            self.cache.levels = levels_of(self.cache.solids.open)
            self.cache.key = key
        return self.cache.solids, self.cache.levels

    def _give(self, a: dict[str, Array], seam: Seam, solids: Solids, dt: float) -> None:
        """Let sources add to density, heat and velocity, in place."""
        scene, ask = seam.scene, seam.scene.ask
        for row in (f for f in self.fumes if seam.runs(f) and f.start <= seam.frame < f.end + 1):
            if row.prop not in scene.poses:
                continue
            share = self._share(row, scene, self._points).reshape(self.box.shape)
            share = np.where(solids.distance < 0.0, 0.0, share).astype(np.float32)
            more = np.float32(dt * one(row, "rate", ask)) * share
            a["density"] += np.minimum(more, np.maximum(1.0 - a["density"], 0.0))
            there = np.minimum(1.0, more / np.maximum(a["density"], 1e-6))
            a["heat"] += there * (np.float32(one(row, "temperature", ask) - AIR) - a["heat"])
            speed = one(row, "speed", ask)
            if speed > 0.0:
                way = speed * unit(three(row, "direction", ask))
                for axis, name in enumerate(FACES):
                    on = self._share(row, scene, self._on_faces[axis]).reshape(a[name].shape).astype(np.float32)
                    a[name] += on * (np.float32(way[axis]) - a[name])

    def _share(self, row: Fume, scene: Scene, points: Array) -> Array:
        """How much of a source is at points (n, 3): all in its prop, none a cell outside it."""
        gap, cell = scene.distance_to(row.prop, points), self.box.cell
        if not scene.shapes[row.prop].has_volume:
            gap = np.abs(gap) - 0.5 * cell
        share: Array = np.clip(0.5 - gap / cell, 0.0, 1.0)
        if row.through is not None:
            inside = np.flatnonzero(share)
            share[inside] *= scene.weight_in(row.through, points[inside])
        return share

    def _push(self, a: dict[str, Array], velocity: Faces, seam: Seam, dt: float) -> None:
        """Forces on the gas, its lift and weight, and its swirl, in place."""
        shape, ask, scene = self.box.shape, seam.scene.ask, seam.scene
        down = np.zeros(3)
        others: list[Force] = []
        for force in acting_on(self.setting.shot, seam.switched):
            if force.whom is not None:
                continue
            if isinstance(force, Gravity):
                if force.acts_at(ask.frame):
                    down += one(force, "strength", ask) * unit(three(force, "direction", ask))
            else:
                others.append(force)
        up = one(self.row, "weight", ask) * a["density"] - one(self.row, "lift", ask) * WARM * a["heat"]
        push = [np.ascontiguousarray(np.float32(down[axis]) * up, np.float32) for axis in range(3)]
        swirl = one(self.row, "swirl", ask)
        if swirl > 0.0:
            swirled(velocity, swirl, (push[0], push[1], push[2]))
        rate = np.zeros(shape, np.float32)
        if others:
            self._blown(a, others, scene, push, rate, dt)
        for axis in range(3):
            _driven(velocity[axis], push[axis], rate, np.float32(dt), axis)

    def _blown(
        self, a: dict[str, Array], forces: Sequence[Force], scene: Scene, push: list[Grid], rate: Grid, dt: float
    ) -> None:
        """What forces do to the gas in each cell: accelerations and how fast air takes hold, added in place."""
        cells = Elements.blank(len(self._points))
        cells.position, cells.state[:] = self._points, -1
        for axis, name in enumerate(FACES):
            cells.velocity[:, axis] = in_middles(a[name], axis).ravel()
        table = gather(list(forces), self.setting.states, scene, cells, dt, {})
        shape, all_alike = self.box.shape, not table.by_element
        for axis in range(3):
            given = (table.pull + table.drift)[:, axis]
            push[axis] += np.float32(given[-1]) if all_alike else given.reshape(shape).astype(np.float32)
        rate += np.float32(table.rate[-1]) if all_alike else table.rate.reshape(shape).astype(np.float32)


def _leaving(density: Grid, velocity: Faces) -> float:
    """How much density flows out of the box each second through a square metre of cells' faces."""
    total = 0.0
    for axis, flow in enumerate(velocity):
        for end, way in ((0, -1.0), (-1, 1.0)):
            out = np.maximum(way * np.take(flow, end, axis), 0.0)
            total += float((out * np.take(density, end, axis)).sum(dtype=float))
    return total


@njit(cache=True, parallel=True, nogil=True)
def _driven(flow, push, rate, dt, axis):
    """Velocities on faces across an axis, pushed and held back as the cells on either side are, in place."""
    nx, ny, nz = push.shape
    for row in prange(flow.shape[0]):
        i = np.int64(row)
        for j in range(flow.shape[1]):
            for k in range(flow.shape[2]):
                a, b, c = min(i, nx - 1), min(j, ny - 1), min(k, nz - 1)
                d = max(i - 1, 0) if axis == 0 else a
                e = max(j - 1, 0) if axis == 1 else b
                f = max(k - 1, 0) if axis == 2 else c
                given = np.float32(0.5) * (push[a, b, c] + push[d, e, f])
                hold = np.float32(0.5) * (rate[a, b, c] + rate[d, e, f])
                flow[i, j, k] = (flow[i, j, k] + dt * given) / (np.float32(1.0) + dt * hold)
