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
from hotgravel.core.matter.fluid.project import Faces, Grid
from hotgravel.core.matter.fluid.solids import Box, Obstacle, in_middles, near_in, solids_in
from hotgravel.core.shape.colliders import Moving

ROOM = 2  # cells about a body
CARRIED = 1.0  # of what a body displaces: so much liquid it carries along
MOSTLY, UNDER = 0.6, 2  # of a layer of cells, and how many layers below that are wet too
TAKES, FALLS = 0.5, 4.0  # of the liquid's speed beside a body, and of a step's fall: so much faster it becomes at most
SPINS = 0.3  # of a body's length: an arm at which its mass turns
WET = 1e-3  # of a body's skin: with less in the liquid it feels nothing


@dataclass(frozen=True)
class Wetting:
    """A liquid after its pressure was found: where its grid lies; that pressure with a rim, in velocity; how far
    middles are from the surface, in cells, less than 0 where it is wet; its velocity, m/s; its density, kg/m³; what
    pulls at bodies, m/s²; and how long the step lasts and the one before it did, s."""

    grid: Box
    pressure: Grid
    near: Grid
    velocity: Faces
    density: float
    pull: Array
    dt: float
    lapse: float


def blows_of(liquid: Wetting, bodies: Iterable[Moving], before: dict[int, Array]) -> tuple[Blows, dict[int, Array]]:
    """What liquid gives to bodies in a step, and how fast each goes, m/s; `before` has that of the step before."""
    struck, impulse, place, going = list[Array](), list[Array](), list[Array](), dict[int, Array]()
    for body in (b for b in bodies if b.element >= 0 and np.isfinite(b.mass)):
        # A piece has the pose of the prop that it was cut from: its own middle is elsewhere.
        start, middle = (pose.to_world(np.mean(body.shape.box, axis=0)[None])[0] for pose in (body.start, body.end))
        velocity = (middle - start) / liquid.lapse
        going[body.element] = velocity
        found = _pressed(liquid, body)
        if found is None:
            continue
        was = (velocity - before.get(body.element, velocity)) / liquid.lapse
        own, fall, given = body.mass, body.mass * liquid.pull, found.given
        force = given.sum(axis=0) / liquid.dt
        wanted = liquid.dt * (own * (force + fall + found.carried * was) / (own + found.carried) - fall)
        # Liquid takes a body along; it does not make it faster than it is, however hard what is shut in presses.
        most = own * (TAKES * np.linalg.norm(found.flow - velocity) + FALLS * np.linalg.norm(liquid.pull) * liquid.dt)
        wanted *= min(1.0, float(most) / max(float(np.linalg.norm(wanted)), 1e-12))
        arm = found.place - middle
        turning = np.linalg.norm(np.cross(arm, given).sum(axis=0)) / max(SPINS * found.long, 1e-9)
        given = given * min(own / (own + found.carried), float(most) / max(float(turning), 1e-12))
        struck.append(np.full(len(given) + 1, body.element))
        impulse.append(np.concatenate([given, (wanted - given.sum(axis=0))[None]]))
        place.append(np.concatenate([found.place, middle[None]]))
    none = np.zeros((0, 3))
    ids = np.concatenate([np.zeros(0, np.int64), *struck]).astype(np.int64)
    return Blows(ids, np.concatenate([none, *impulse]), np.concatenate([none, *place]), whole=True), going


@dataclass(frozen=True)
class Pressed:
    """Where liquid presses on a body (k, 3), the impulses (k, 3), N s, the mass that the body carries along, kg, how
    the liquid about it goes (3,), m/s, and how long the body is, m."""

    place: Array
    given: Array
    carried: float
    flow: Array
    long: float


def _pressed(liquid: Wetting, body: Moving) -> Pressed | None:
    """What presses on a body; None where it is dry."""
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
    solids = solids_in(box, near_in(box, [obstacle]), (), (), [(False, False)] * 3)
    skin = np.stack([-np.diff(face, axis=axis) for axis, face in enumerate(solids.open)], axis=-1)
    area = np.abs(skin).sum(axis=-1)
    wet = liquid.near[cells] < 0.0
    share = float(area[wet].sum()) / max(float(area.sum()), 1e-9)
    if share < WET:
        return None
    wanted = _crept_under(liquid.pressure[inner], wet & (area > 0.0), area > 0.0)
    at = np.flatnonzero(np.isfinite(wanted))
    given = wanted.ravel()[at][:, None] * skin.reshape(-1, 3)[at] * liquid.density * cell**3
    volume = float((solids.distance < 0.0).sum()) * cell**3
    flow = [
        in_middles(face[_with_end(cells, axis)], axis).ravel()[at].mean() for axis, face in enumerate(liquid.velocity)
    ]
    return Pressed(
        box.points((0.5, 0.5, 0.5))[at], given, CARRIED * share * volume * liquid.density, np.array(flow),
        float((high - low).max()) - 2.0 * ROOM * cell,
    )  # fmt: skip


def _with_end(cells: tuple[slice, ...], axis: int) -> tuple[slice, ...]:
    """The faces across an axis of some cells."""
    return tuple(slice(s.start, s.stop + (a == axis)) for a, s in enumerate(cells))


def _crept_under(pressure: Grid, wet: NDArray[np.bool_], skin: NDArray[np.bool_]) -> Array:
    """The pressure on the skin of a body (x, y, z), not a number where it is dry. Where most of a layer is wet, all of
    it is, and what lies close under that: liquid creeps under what lies on the ground."""
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
