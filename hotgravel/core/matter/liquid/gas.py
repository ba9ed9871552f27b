"""Gas in liquid: bubbles that swell at a source, rise and burst.

Gas is marks, an eighth of a cell each, as drops are of liquid. Where marks are nearer than drops, a cell is gas: in the
pressure it is liquid that is far lighter, so it keeps its volume, and is driven up. Gas that has come to open air is
gone.
"""

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_dilation, distance_transform_edt, label

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.value import one
from hotgravel.core.matter.contract import Array, Seam
from hotgravel.core.matter.fluid.project import Faces, Grid
from hotgravel.core.matter.fluid.solids import Box
from hotgravel.core.matter.liquid.transfer import FAR, SLAB, carried, extended, kept_out, laid, sorted_in
from hotgravel.core.shot.faults import Fault, ShotFault

if TYPE_CHECKING:
    from hotgravel.core.matter.liquid.solver import LiquidSolver

TRIED = 16  # places for each mark that is to come: those outside of its prop do not count
MOST = 500_000
LEAST = 0.35  # of a cell: where less gas is, liquid closes over it
BESIDE = 1.5  # cells: marks that are so near to a cell that is gas belong to it
LEFT = 3.0  # cells: marks that have been left behind in liquid come back to a bubble that is as near
WIDE = 100  # cells: less air than that, among liquid, is not open air
FILM = 0.2  # s: how long a film of two cells over gas lasts, about
EVENS = 20.0  # /s: how quickly gas takes its room
DRAWN = 1.6  # cells: liquid is drawn into the room that marks left behind until it is so full; less, and tails grow
BEYOND = 2  # cells: so far its velocity goes on
Mask = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Gas:
    """Gas as it lies on a grid: marks (m, 3), which cells are gas, how full of it cells are (those, of all that is in
    them), and what comes into them, in cells a second."""

    marks: Array
    cells: Mask
    fill: Grid
    source: Grid

    def evened(self, dt: float) -> Grid:
        """What comes into cells and what each body of gas has too little or too much room for."""
        if not self.cells.any():
            return self.source
        body, many = label(self.cells)
        room = np.bincount(body.ravel(), minlength=many + 1).astype(float)
        held = np.bincount(body.ravel(), self.fill.ravel(), many + 1)
        lacks = min(EVENS, 0.5 / dt) * (held - room) / np.maximum(room, 1.0)
        lacks[0] = 0.0
        return np.asarray(self.source + lacks[body], np.float32)


def came(solver: "LiquidSolver", marks: Array, owed: Array, seam: Seam, dt: float) -> tuple[Array, Mask, int]:
    """All marks (m, 3) once sources have given theirs in a step, which are in such a source, and how many at the end
    are new. `owed` (r,) is what each has still to give, in marks, and is brought up to date in place. Raises
    `ShotFault` for too many."""
    scene, inside = seam.scene, np.zeros(len(marks), bool)
    made = [np.zeros((0, 3))]
    for n, row in enumerate(solver.gases):
        if not seam.runs(row) or not row.start <= seam.frame < row.end + 1 or row.prop not in scene.poses:
            continue
        owed[n] += one(row, "rate", scene.ask) * dt / (solver.box.cell**3 / 8.0)
        if len(marks) + owed[n] > MOST:
            said = f"That would be over {MOST // 8000} thousand cells of gas. Accepted: less, or larger cells."
            raise ShotFault([Fault(row.id, "rate", said)])
        low, high = scene.shapes[row.prop].corners(scene.poses[row.prop])
        chance = uniforms(np.arange(TRIED * int(owed[n]), dtype=np.uint64), 3, seed=seam.number, who=row.id)
        place = low + chance * (high - low)
        made.append(place[scene.distance_to(row.prop, place) < 0.0][: int(owed[n])])
        owed[n] -= len(made[-1])
        inside |= scene.distance_to(row.prop, marks) < 0.0
    new = np.concatenate(made)
    return np.concatenate([marks, new]), np.concatenate([inside, np.ones(len(new), bool)]), len(new)


def lie(
    marks: Array, inside: Mask, new: int, grid: Box, full: Grid, near: Grid, distance: Grid, step: int, dt: float,
) -> Gas:  # fmt: skip
    """Gas among liquid, of marks (m, 3), of which some are `inside` a source and so many at the end are new. `full` is
    how full of liquid cells are; `near`, how far middles lie from its surface, in cells, is brought up to date in
    place; `distance` is that from obstacles, `step` the step's number. Gas that has come to open air is left out, and
    what was left behind in liquid, which closes over it."""
    place = (marks - np.array(grid.low)) / grid.cell
    fill, reach = np.zeros(grid.shape, np.float32), np.full(grid.shape, FAR, np.float32)
    slabs = -(-grid.shape[0] // SLAB)
    order, starts = np.empty(len(place), np.int64), np.zeros(slabs + 1, np.int64)
    sorted_in(place, slabs, order, starts)
    (u, v, w), (mu, mv, mw), shut = grid.faces(), grid.faces(), np.zeros((1, 1, 1), np.float32)
    laid(
        place, np.zeros_like(place), np.zeros((len(place), 9)), np.zeros(1), order, starts, u, v, w, mu, mv, mw,
        shut, shut, shut, fill, reach,
    )  # fmt: skip
    between = np.where(reach < FAR, 0.5 * (near - reach), near)  # the surface lies where both are as near
    cells = (reach < 0.0) & (np.maximum(near, between) >= 0.0) & (fill >= LEAST)
    gone = _open(cells, (near >= 0.0) & ~cells & (distance > 0.0), step, dt)
    at = _cells(place, grid.shape)
    cells &= ~gone
    np.maximum(near, between, out=near, where=cells)
    source = np.zeros(grid.shape, np.float32)
    np.add.at(source, tuple(axis[len(marks) - new :] for axis in at), np.float32(0.125 / dt))
    far, to = distance_transform_edt(~cells, return_indices=True) if cells.any() else (np.inf * near, None)
    stays = ~gone[at] & ((far[at] < BESIDE) | inside)
    behind = np.flatnonzero(~gone[at] & ~stays)
    left = tuple(axis[behind] for axis in at)
    np.add.at(source, left, np.float32(-0.125 / dt) * np.clip(DRAWN - full[left], 0.0, 1.0))
    if to is not None:
        behind = behind[far[left] <= LEFT]
        back = tuple(axis[tuple(a[behind] for a in at)] for axis in to)
        np.add.at(source, back, np.float32(0.125 / dt))
        place[behind] = np.stack(back, axis=1) + place[behind] % 1.0
        stays[behind] = True
    there = np.array(grid.low) + grid.cell * place[stays]
    fill[gone] = 0.0
    fill[cells] += full[cells]
    return Gas(there, cells, fill, source)


def _cells(place: Array, shape: tuple[int, ...]) -> tuple[Array, ...]:
    """The cells of a grid in which places (m, 3) lie, which are in cells."""
    return tuple(np.clip(np.floor(place).astype(np.int64), 0, np.array(shape) - 1).T)


def _open(cells: Mask, air: Mask, step: int, dt: float) -> Mask:
    """The bodies of gas that lie beside open air, and, by chance, some that a film of two cells parts from it."""
    if not cells.any():
        return cells
    body, _ = label(air)
    outside = air & (np.bincount(body.ravel())[body] >= WIDE)
    bubbles, many = label(cells)
    met = np.unique(bubbles[binary_dilation(outside) & cells])
    thin = np.unique(bubbles[binary_dilation(outside, iterations=3) & cells])
    lasts = uniforms(np.arange(many + 1, dtype=np.uint64), 1, seed=step, who="film")[:, 0] > dt / FILM
    return np.asarray(np.isin(bubbles, np.concatenate([met, thin[~lasts[thin]]])) & cells)


def moved(gas: Gas, flow: Faces, known: tuple[Mask, ...], grid: Box, distance: Grid, dt: float) -> Array:
    """Where marks (m, 3) go by the velocity of liquid, which is `known`, and gas; through no obstacle."""
    there = list[Grid]()
    for axis in range(3):
        light = np.zeros_like(known[axis])
        for side in (slice(None, -1), slice(1, None)):
            light[tuple(side if a == axis else slice(None) for a in range(3))] |= gas.cells
        there.append(extended(flow[axis], known[axis] | light, BEYOND))
    place = (gas.marks - np.array(grid.low)) / grid.cell
    after = np.empty_like(place)
    carried(place, there[0], there[1], there[2], dt / grid.cell, after)
    kept_out(after, distance)
    within = ((after > 0.0) & (after < np.array(grid.shape))).all(axis=1)
    return np.asarray(np.array(grid.low) + grid.cell * after[within])
