"""What pushes the gas, and what its motion loses."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numba import njit, prange

from hotgravel.core.drive.value import by_element, each, is_driven, one
from hotgravel.core.matter.contract import Array, Seam
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fluid.solids import Box
from hotgravel.core.matter.forces import ForceTable, acting_on, gather
from hotgravel.core.matter.smoke.cells import AIR, FACES, TRACE, WARM, cells_at, parts_of, speed_in, velocity_in
from hotgravel.core.matter.smoke.swirl import swirled
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.forces import Follow, Force, Gravity
from hotgravel.core.shot.smoke import Smoke

THINNER = 1.0 / (273.15 + AIR)  # of its weight that air loses for each degree


def push(a: dict[str, Array], row: Smoke, shot: Shot, states: dict[str, int], box: Box, points: Array, seam: Seam,
         dt: float) -> None:  # fmt: skip
    """Forces on the gas, its lift and weight, and its swirl, in place; `points` (n, 3) are the middles of its cells."""
    shape, ask, scene = box.shape, seam.scene.ask, seam.scene
    acting = [force for force in acting_on(shot, seam.switched) if force.whom is None]
    acting = [force for force in acting if not (isinstance(force, Follow) and force.field == row.id)]
    others = [force for force in acting if not isinstance(force, Gravity)]
    cells = _cells(a, box, points, acting)
    down = gather([force for force in acting if isinstance(force, Gravity)], states, scene, cells, dt, {})
    up = one(row, "weight", ask) * a["density"] - one(row, "lift", ask) * THINNER * a["heat"]
    given = [np.ascontiguousarray(_of_cells(down, down.pull[:, axis], shape) * up, np.float32) for axis in range(3)]
    swirl = one(row, "swirl", ask)
    if swirl > 0.0:
        swirled((a["u"], a["v"], a["w"]), swirl, (given[0], given[1], given[2]))
    rate = np.zeros(shape, np.float32)
    if others:
        table = gather(others, states, scene, cells, dt, {})
        for axis in range(3):
            given[axis] += _of_cells(table, (table.pull + table.drift)[:, axis], shape)
        rate += _of_cells(table, table.rate, shape)
    for axis, name in enumerate(FACES):
        _driven(a[name], given[axis], rate, np.float32(dt), axis)


def _cells(a: dict[str, Array], box: Box, points: Array, forces: Sequence[Force]) -> Elements:
    """All cells as forces see them; what they hold is read only where a force varies over it."""
    if any(by_element(value) for force in forces for value in dict(force).values()):
        return cells_at(a, box, points, np.arange(len(points)))
    cells = Elements.blank(len(points))
    cells.position, cells.state[:] = points, -1
    cells.velocity[:] = velocity_in(a).reshape(-1, 3)
    return cells


def _of_cells(table: ForceTable, column: Array, shape: tuple[int, int, int]) -> Any:
    """A column of a table of forces for each cell, or one number where all cells have the same."""
    return column.reshape(shape).astype(np.float32) if table.by_element else np.float32(column[-1])


def fade(a: dict[str, Array], row: Smoke, box: Box, points: Array, scene: Scene, dt: float) -> None:
    """Let density, heat and speed be lost, each by an amount and by a share, in place."""
    taken = _lost(a, row, box, points, scene)
    density = a["density"]
    was = density.copy()
    density *= np.exp(-dt * taken["thinning"])
    np.maximum(density - np.float32(dt) * taken["fade"], 0.0, out=density)
    left = np.divide(density, was, out=np.zeros_like(was), where=was > 0.0)
    for name in ("age", *parts_of(a)):
        a[name] *= left
    heat = a["heat"]
    heat *= np.exp(-dt * taken["cooling"])
    if row.chill != 0.0:
        heat[:] = np.sign(heat) * np.maximum(np.abs(heat) - np.float32(dt) * taken["chill"], 0.0)
    if row.slowing != 0.0 or row.braking != 0.0:
        kept = np.maximum(1.0 - dt * taken["braking"] / np.maximum(speed_in(a), 1e-9), 0.0)
        stays = np.exp(-dt * taken["slowing"]) * kept
        stays = np.ascontiguousarray(np.broadcast_to(stays, box.shape), np.float32)
        for axis, name in enumerate(FACES):
            _slowed(a[name], stays, axis)


def _lost(a: dict[str, Array], row: Smoke, box: Box, points: Array, scene: Scene) -> dict[str, Any]:
    """How quickly what is lost is lost: one number, or one a cell (nx, ny, nz)."""
    names = ("fade", "thinning", "cooling", "chill", "slowing", "braking")
    varied = [n for n in names if is_driven(value := getattr(row, n)) and value.by_element]
    found: dict[str, Any] = {n: np.float32(one(row, n, scene.ask)) for n in names if n not in varied}
    if varied:
        where = np.flatnonzero((a["density"] > TRACE) | (np.abs(a["heat"]) > WARM))
        ask = asking(cells_at(a, box, points, where), scene)
        for name in varied:
            grid = np.zeros(box.shape, np.float32)
            grid.reshape(-1)[where] = each(row, name, ask)
            found[name] = grid
    return found


@njit(cache=True, inline="always")
def _beside(shape, i, j, k, axis):
    """The cells on either side of a face across an axis; at the sides of the box both are the one within."""
    nx, ny, nz = shape
    a, b, c = min(i, nx - 1), min(j, ny - 1), min(k, nz - 1)
    return (
        a,
        b,
        c,
        max(i - 1, 0) if axis == 0 else a,
        max(j - 1, 0) if axis == 1 else b,
        max(k - 1, 0) if axis == 2 else c,
    )


@njit(cache=True, parallel=True, nogil=True)
def _driven(flow, push, rate, dt, axis):
    """Velocities on faces across an axis, pushed and held back as the cells on either side are, in place."""
    half = np.float32(0.5)
    for row in prange(flow.shape[0]):
        for j in range(flow.shape[1]):
            for k in range(flow.shape[2]):
                a, b, c, d, e, f = _beside(push.shape, np.int64(row), j, k, axis)
                given, hold = half * (push[a, b, c] + push[d, e, f]), half * (rate[a, b, c] + rate[d, e, f])
                flow[row, j, k] = (flow[row, j, k] + dt * given) / (np.float32(1.0) + dt * hold)


@njit(cache=True, parallel=True, nogil=True)
def _slowed(flow, stays, axis):
    """Velocities on faces across an axis, of which a share stays as the cells on either side say, in place."""
    for row in prange(flow.shape[0]):
        for j in range(flow.shape[1]):
            for k in range(flow.shape[2]):
                a, b, c, d, e, f = _beside(stays.shape, np.int64(row), j, k, axis)
                flow[row, j, k] *= np.float32(0.5) * (stays[a, b, c] + stays[d, e, f])
