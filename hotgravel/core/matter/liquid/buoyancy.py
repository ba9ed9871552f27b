"""What liquid gives to bodies that lie in it: its pressure over their skins, by the share of faces that each covers
(Batty, Bertails and Bridson 2007).

A body moves after the liquid, and the pressure answers how it moved before. Light bodies would be thrown about by that
delay: the liquid that a body carries along counts as part of its mass (Causin, Gerbeau and Nobile 2005, on why).
"""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.contract import Array, Blows
from hotgravel.core.matter.fluid.project import Grid
from hotgravel.core.matter.fluid.solids import Box, Obstacle, near_in, solids_in
from hotgravel.core.shape.colliders import Moving

ROOM = 2  # cells about a body
CARRIED = 1.0  # of what a body displaces: so much liquid it carries along
MOSTLY, UNDER = 0.6, 2  # of a layer of cells, and how many layers below that are wet too
SLAM = 2.0  # of density times speed squared: what is shut in between bodies and walls presses no harder
WET = 1e-3  # of a body's skin: with less in the liquid it feels nothing


@dataclass(frozen=True)
class Wetting:
    """A liquid after its pressure was found: where its grid lies; that pressure with a rim, in velocity; how far middles
    are from the surface, in cells, less than 0 where it is wet; its density, kg/m³; what pulls at bodies, m/s²; how
    long the step lasts and the one before it did, s; and the speed of its fastest drop, m/s."""

    grid: Box
    pressure: Grid
    near: Grid
    density: float
    pull: Array
    dt: float
    lapse: float
    speed: float


def blows_of(liquid: Wetting, bodies: Iterable[Moving], before: dict[int, Array]) -> tuple[Blows, dict[int, Array]]:
    """What liquid gives to bodies in a step, and how fast each goes, m/s; `before` has that of the step before."""
    struck, impulse, place, going = list[Array](), list[Array](), list[Array](), dict[int, Array]()
    for body in (b for b in bodies if b.element >= 0 and np.isfinite(b.mass)):
        velocity = (body.end.position - body.start.position) / liquid.lapse
        going[body.element] = velocity
        found = _pressed(liquid, body)
        if found is None:
            continue
        at, given, carried = found
        was = (velocity - before.get(body.element, velocity)) / liquid.lapse
        own, fall = body.mass, body.mass * liquid.pull
        force = given.sum(axis=0) / liquid.dt
        wanted = own * (force + fall + carried * was) / (own + carried) - fall
        share = own / (own + carried)
        struck.append(np.full(len(at) + 1, body.element))
        impulse.append(np.concatenate([share * given, (wanted * liquid.dt - share * given.sum(axis=0))[None]]))
        place.append(np.concatenate([at, body.end.position[None]]))
    none = np.zeros((0, 3))
    ids = np.concatenate([np.zeros(0, np.int64), *struck]).astype(np.int64)
    return Blows(ids, np.concatenate([none, *impulse]), np.concatenate([none, *place]), whole=True), going


def _pressed(liquid: Wetting, body: Moving) -> tuple[Array, Array, float] | None:
    """Where liquid presses on a body (k, 3), the impulses (k, 3), N s, and the mass that it carries along, kg; None
    where it is dry."""
    grid, cell = liquid.grid, liquid.grid.cell
    obstacle = Obstacle(body.shape, body.end, body.end, 1.0)
    low, high = obstacle.corners(ROOM * cell)
    first = np.clip(np.floor((low - np.array(grid.low)) / cell).astype(int), 0, np.array(grid.shape))
    end = np.clip(np.ceil((high - np.array(grid.low)) / cell).astype(int), first, np.array(grid.shape))
    if not (end > first).all():
        return None
    cells = tuple(slice(a, b) for a, b in zip(first, end, strict=True))
    inner = tuple(slice(a + 1, b + 1) for a, b in zip(first, end, strict=True))
    corner = np.array(grid.low) + cell * first
    x, y, z = (int(n) for n in end - first)
    box = Box((float(corner[0]), float(corner[1]), float(corner[2])), cell, (x, y, z))
    solids = solids_in(box, near_in(box, [obstacle]), (), "open", [(False, False)] * 3)
    skin = np.stack([-np.diff(face, axis=axis) for axis, face in enumerate(solids.open)], axis=-1)
    area = np.abs(skin).sum(axis=-1)
    wet = liquid.near[cells] < 0.0
    share = float(area[wet].sum()) / max(float(area.sum()), 1e-9)
    if share < WET:
        return None
    wanted = _crept_under(liquid.pressure[inner], wet & (area > 0.0), area > 0.0)
    at = np.flatnonzero(np.isfinite(wanted))
    speed = max(liquid.speed, float(np.linalg.norm(body.end.position - body.start.position)) / liquid.lapse)
    deep = float(np.linalg.norm(liquid.pull)) * cell * grid.shape[1]
    most = (SLAM * speed**2 + deep) * liquid.dt / cell
    pressure = np.clip(wanted.ravel()[at], -most, most)
    given = pressure[:, None] * skin.reshape(-1, 3)[at] * liquid.density * cell**3
    volume = float((solids.distance < 0.0).sum()) * cell**3
    return box.points((0.5, 0.5, 0.5))[at], given, CARRIED * share * volume * liquid.density


def _crept_under(pressure: Grid, wet: NDArray[np.bool_], skin: NDArray[np.bool_]) -> Array:
    """The pressure on the skin of a body (x, y, z), not a number where it is dry. Where most of a layer is wet, all of it
    is, and what lies close under that: liquid creeps under what lies on the ground."""
    found = np.where(wet, pressure.astype(float), np.nan)
    last, since = np.nan, UNDER
    for j in range(skin.shape[1] - 1, -1, -1):
        many, some = int(wet[:, j].sum()), int(skin[:, j].sum())
        if many > MOSTLY * some:
            last, since = float(pressure[:, j][wet[:, j]].mean()), 0
        else:
            since += 1
        if since <= UNDER and np.isfinite(last):
            found[:, j][skin[:, j] & ~wet[:, j]] = last
    return found
