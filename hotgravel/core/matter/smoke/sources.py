"""What smoke comes from and goes into: props, what moves, faces that open, and drains."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numba import njit

from hotgravel.core.drive.value import each, one, three
from hotgravel.core.matter.aims import unit
from hotgravel.core.matter.contract import Array, Seam
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fluid.solids import Box, Solids, prop_in
from hotgravel.core.matter.smoke.cells import AIR, FACES, parts_of
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.smoke import Drain, Fume, Puff

BREAKING = 0.5  # seconds for which a face gives smoke once it has opened
SMALLEST = 0.9  # cells: the radius of a puff is no less


@dataclass(frozen=True)
class Taker:
    """The arrays of a state that take in what comes, where they lie, and what stands in them."""

    arrays: dict[str, Array]
    box: Box
    solids: Solids
    dt: float


def spot_of(scene: Scene, prop: str, room: float) -> tuple[Array, Array]:
    """The corners (3,) of a prop as it stands, and so much room about it, metres."""
    low, high = scene.shapes[prop].corners(scene.poses[prop])
    return low - room, high + room


def comes(row: Fume, seam: Seam) -> bool:
    """Whether smoke comes out of a prop now."""
    return seam.runs(row) and row.start <= seam.frame < row.end + 1 and row.prop in seam.scene.poses


def give(to: Taker, row: Fume, seam: Seam, own: str | None) -> None:
    """Let a source add to density, heat, fuel and velocity, in place; `own` is the array that holds what of the smoke
    is its own."""
    a, scene, ask, dt = to.arrays, seam.scene, seam.scene.ask, to.dt
    low, high = spot_of(scene, row.prop, to.box.cell)
    cells, points = to.box.within(low, high)
    share = _share(row, scene, points, to.box.cell).reshape(a["density"][cells].shape)
    share = np.where(to.solids.distance[cells] < 0.0, 0.0, share).astype(np.float32)
    rate, top = one(row, "rate", ask), np.float32(one(row, "density", ask))
    density = a["density"][cells]
    if row.manner == "sets":
        comes_in, taken = share * top, share
    else:
        wanted = np.float32(dt * rate) * share
        comes_in, taken = np.minimum(wanted, np.maximum(top * share - density, 0.0)), np.zeros_like(share)
    after = (1.0 - taken) * density + comes_in
    fuel = one(row, "fuel", ask)
    there = np.maximum(after + a["fuel"][cells], 1e-6)
    mixed = share if row.manner == "sets" else np.minimum(1.0, np.float32(dt * (rate + fuel)) * share / there)
    a["density"][cells] = after
    for name in ("age", *parts_of(a)):
        a[name][cells] *= 1.0 - taken
    if own is not None:
        a[own][cells] += comes_in
    a["heat"][cells] += mixed * (np.float32(one(row, "temperature", ask) - AIR) - a["heat"][cells])
    if fuel > 0.0:
        a["fuel"][cells] += np.minimum(np.float32(dt * fuel) * share, np.maximum(1.0 - a["fuel"][cells], 0.0))
    speed, along = one(row, "speed", ask), one(row, "inherits", ask)
    if speed > 0.0 or along > 0.0:
        way, led = speed * unit(three(row, "direction", ask)), prop_in(scene, row.prop)
        for axis, name in enumerate(FACES):
            faces, points = to.box.within(low, high, axis)
            on = _share(row, scene, points, to.box.cell)
            aim = way[axis] + along * led.velocity(points)[:, axis]
            flow = a[name][faces]
            flow += (on * (aim - flow.ravel())).reshape(flow.shape).astype(np.float32)


def _share(row: Fume, scene: Scene, points: Array, cell: float) -> Array:
    """How much of a source is at points (n, 3): all in its prop, none a cell outside it."""
    gap = scene.distance_to(row.prop, points)
    if row.part == "skin" or not scene.shapes[row.prop].has_volume:
        gap = np.abs(gap) - 0.5 * cell
    share: Array = np.clip(0.5 - gap / cell, 0.0, 1.0)
    if row.through is not None:
        inside = np.flatnonzero(share)
        share[inside] *= scene.weight_in(row.through, points[inside])
    return share


@dataclass(frozen=True)
class Puffs:
    """Balls of smoke that come: places (k, 3) and radii (k,), metres; density each second, degrees above the air's,
    velocity (k, 3) and how much of it is taken."""

    place: Array
    radius: Array
    rate: Array
    heat: Array
    velocity: Array
    taken: Array

    def spots(self) -> list[tuple[Array, Array]]:
        """The corners of all of them."""
        if not len(self.place):
            return []
        reach = self.radius[:, None]
        return [((self.place - reach).min(axis=0), (self.place + reach).max(axis=0))]


def puffs_of(row: Puff, seam: Seam, states: Mapping[str, int], cell: float) -> Puffs:
    """What comes off what moves, or off the faces that open, now."""
    if row.when == "breaking":
        return _off_faces(row, seam, cell)
    parts = [_off(row, p, seam, states, cell) for name, p in seam.crowds.items() if name != "smoke"]
    return _all([part for part in parts if part is not None])


def _off(row: Puff, crowd: Elements, seam: Seam, states: Mapping[str, int], cell: float) -> Puffs | None:
    who = crowd.in_state(states.get(row.whom or "", -1)) & (crowd.age >= 0.0) & (crowd.faded < 1.0)
    if row.young is not None:
        who = who & (crowd.age <= one(row, "young", seam.scene.ask))
    p = crowd.where(who)
    if not len(p):
        return None
    ask = asking(p, seam.scene)

    def of(name: str) -> Array:
        return np.broadcast_to(each(row, name, ask), len(p))

    radius = np.maximum(of("width") * p.radius, SMALLEST * cell)
    return Puffs(p.position, radius, of("rate"), of("temperature") - AIR, p.velocity, of("inherits"))


def _off_faces(row: Puff, seam: Seam, cell: float) -> Puffs:
    found, ask = list[Puffs](), seam.scene.ask
    for faces in seam.openings:
        who = faces.since <= BREAKING
        many = int(who.sum())
        radius = np.maximum(np.sqrt(faces.area[who] / np.pi), SMALLEST * cell)
        rate, heat, taken = (np.full(many, one(row, name, ask)) for name in ("rate", "temperature", "inherits"))
        found.append(Puffs(faces.place[who], radius, rate, heat - AIR, faces.velocity[who], taken))
    return _all(found)


def _all(parts: list[Puffs]) -> Puffs:
    names = ("place", "radius", "rate", "heat", "velocity", "taken")
    if not parts:
        return Puffs(*(np.zeros((0, 3) if name in ("place", "velocity") else 0) for name in names))
    return Puffs(*(np.concatenate([getattr(part, name) for part in parts]) for name in names))


def puff(to: Taker, puffs: Puffs, own: str | None) -> None:
    """Let balls of smoke come, in place, one after another."""
    a, box = to.arrays, to.box
    mine = a[own] if own is not None else np.zeros((1, 1, 1), np.float32)
    _puffed(
        a["density"], a["heat"], a["u"], a["v"], a["w"], mine, to.solids.distance,
        (puffs.place - np.array(box.low)) / box.cell, puffs.radius / box.cell, to.dt * puffs.rate, puffs.heat,
        puffs.velocity, np.minimum(puffs.taken, 1.0),
    )  # fmt: skip


@njit(cache=True, nogil=True)
def _puffed(density, heat, u, v, w, mine, solid, place, radius, more, hot, velocity, taken):
    nx, ny, nz = density.shape
    for n in range(len(place)):
        x, y, z, r = place[n, 0], place[n, 1], place[n, 2], radius[n]
        for i in range(max(0, int(x - r)), min(nx - 1, int(x + r)) + 1):
            for j in range(max(0, int(y - r)), min(ny - 1, int(y + r)) + 1):
                for k in range(max(0, int(z - r)), min(nz - 1, int(z + r)) + 1):
                    off = ((i + 0.5 - x) ** 2 + (j + 0.5 - y) ** 2 + (k + 0.5 - z) ** 2) / (r * r)
                    if off >= 1.0 or solid[i, j, k] < 0.0:
                        continue
                    share = (1.0 - off) ** 2
                    comes = min(more[n] * share, max(1.0 - density[i, j, k], 0.0))
                    density[i, j, k] += comes
                    if mine.size > 1:
                        mine[i, j, k] += comes
                    mixed = min(1.0, more[n] * share / max(density[i, j, k], 1e-6))
                    heat[i, j, k] += mixed * (hot[n] - heat[i, j, k])
                    pull = 0.5 * share * taken[n] * min(1.0, more[n])
                    for a in range(2):
                        u[i + a, j, k] += pull * (velocity[n, 0] - u[i + a, j, k])
                        v[i, j + a, k] += pull * (velocity[n, 1] - v[i, j + a, k])
                        w[i, j, k + a] += pull * (velocity[n, 2] - w[i, j, k + a])


def drain(to: Taker, row: Drain, seam: Seam) -> None:
    """Take smoke away within a prop, in place."""
    scene, ask = seam.scene, seam.scene.ask
    if not seam.runs(row) or row.prop not in scene.poses:
        return
    cells, points = to.box.within(*spot_of(scene, row.prop, 0.0))
    deep, edge = -scene.distance_to(row.prop, points), one(row, "edge", ask)
    share = np.clip(deep / edge, 0.0, 1.0) if edge > 0.0 else (deep > 0.0).astype(float)
    stays = np.exp(-to.dt * one(row, "rate", ask) * share).reshape(to.arrays["density"][cells].shape).astype(np.float32)
    for name in ("density", "heat", "age", "fuel", *parts_of(to.arrays)):
        to.arrays[name][cells] *= stays
