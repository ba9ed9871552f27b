"""What liquid comes from and where it runs off."""

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.value import one, three
from hotgravel.core.matter.aims import unit
from hotgravel.core.matter.contract import Array, Seam, Shed
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fluid.project import Grid
from hotgravel.core.matter.liquid.drops import Drops, eighths
from hotgravel.core.matter.paint import HAS_COLOUR
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.liquid import Drip, Fill, Filling, Spout

if TYPE_CHECKING:
    from hotgravel.core.matter.liquid.solver import LiquidSolver

MOST = 4_000_000
BALL = 4.0 * np.pi / 3.0
OFF = 0.1  # cells: how far off what stands there drops begin
SIZE = 0.5 * (3.0 / (4.0 * np.pi)) ** (1.0 / 3.0)  # cells: the radius of a ball as large as an eighth of one


def filled(solver: "LiquidSolver", row: Fill, seam: Seam, still: Grid) -> Drops:
    """The drops of a body of liquid as it begins; `still` is how far the corners of all cells lie from obstacles."""
    low, high = seam.scene.shapes[row.prop].corners(seam.scene.poses[row.prop])
    place = _inside(solver, row, seam, still, solver.setting.shot.finish.first, low, high)
    return _new(solver, row, seam, place[place[:, 1] <= low[1] + row.level * (high[1] - low[1])])


def spouted(solver: "LiquidSolver", row: Spout, seam: Seam, there: Elements, still: Grid) -> Drops:
    """The drops that fill up what has left a source; those that are in it go as it gives."""
    scene, whole = seam.scene, solver.room.whole
    low, high = scene.shapes[row.prop].corners(scene.poses[row.prop])
    near = np.flatnonzero(((there.position >= low) & (there.position <= high)).all(axis=1))
    inside = near[scene.distance_to(row.prop, there.position[near]) < 0.0]
    if row.through is not None:
        inside = inside[scene.weight_in(row.through, there.position[inside]) >= 0.5]
    there.velocity[inside] = one(row, "speed", scene.ask) * unit(three(row, "direction", scene.ask))
    place = _inside(solver, row, seam, still, seam.number, low, high)
    if not len(place):
        return _new(solver, row, seam, place)

    def eighth(points: Array) -> Array:
        at = np.floor(2.0 * (points - np.array(whole.low)) / whole.cell).astype(np.int64)
        return np.asarray(at @ np.array([1 << 42, 1 << 21, 1]))

    return _new(solver, row, seam, place[~np.isin(eighth(place), eighth(there.position[near]))])


def drained(solver: "LiquidSolver", seam: Seam, there: Elements) -> NDArray[np.bool_]:
    """Which drops have come into an outlet."""
    gone = np.zeros(len(there), bool)
    for row in solver.outlets:
        if seam.runs(row) and row.start <= seam.frame and row.prop in seam.scene.poses:
            low, high = seam.scene.shapes[row.prop].corners(seam.scene.poses[row.prop])
            near = np.flatnonzero(((there.position >= low) & (there.position <= high)).all(axis=1))
            gone[near] |= seam.scene.distance_to(row.prop, there.position[near]) < 0.0
    return gone


def dripped(solver: "LiquidSolver", row: Drip, shed: Shed, seam: Seam) -> Drops:
    """The drops that come off others: of each a ball, about as many as fill it."""
    ask, cell = seam.scene.ask, solver.box.cell
    p, who = shed.parents, shed.who
    radius = one(row, "size", ask) * p.radius[who]
    named = p.id[who].astype(np.uint64)
    chance = uniforms(named, 1, seed=seam.number, who=row.id)[:, 0]
    many = np.floor(8.0 * BALL * (radius / cell) ** 3 + chance).astype(np.int64)
    if many.sum() + len(seam.crowds.get("liquid", ())) > MOST:
        raise _too_many(row, "size")
    of = np.repeat(np.arange(len(who)), many)
    number = np.arange(len(of)) - np.repeat(np.cumsum(many) - many, many)
    each = named[of] * np.uint64(1 << 24) + number.astype(np.uint64)
    way = uniforms(each, 3, seed=seam.number, who=row.id, purpose=1)
    height, around = 2.0 * way[:, 0] - 1.0, 2.0 * np.pi * way[:, 1]
    flat = np.sqrt(1.0 - height**2)
    out = np.stack([flat * np.cos(around), height, flat * np.sin(around)], axis=1)
    made = _begun(solver, row, p.position[who][of] + (radius[of] * np.cbrt(way[:, 2]))[:, None] * out)
    made.velocity[:] = p.velocity[who][of] + one(row, "speed", ask) * out
    made.temperature[:], made.parent[:], made.cause[:] = p.temperature[who][of], p.id[who][of], shed.cue
    low = np.array(solver.box.low)
    inside = ((made.position > low) & (made.position < low + cell * np.array(solver.box.shape))).all(axis=1)
    return made.where(np.asarray(inside))


def _inside(
    solver: "LiquidSolver", row: Filling, seam: Seam, still: Grid, number: int, low: Array, high: Array
) -> Array:
    """Where drops lie that fill a prop with the corners `low` and `high`, outside of what stands there."""
    whole, scene = solver.room.whole, seam.scene
    first = np.floor((np.maximum(low, solver.box.low) - np.array(whole.low)) / whole.cell).astype(np.int64)
    top = np.array(solver.box.low) + solver.box.cell * np.array(solver.box.shape)
    end = np.ceil((np.minimum(high, top) - np.array(whole.low)) / whole.cell).astype(np.int64)
    many = np.maximum(end - first, 0)
    if not many.all():
        return np.zeros((0, 3))
    if 8.0 * float(np.prod(many.astype(float))) > 4.0 * MOST:
        raise _too_many(row)
    cells = first + np.stack(np.meshgrid(*(np.arange(n) for n in many), indexing="ij"), -1).reshape(-1, 3)
    place = eighths(whole, cells, row.id, number)
    place = place[(place >= solver.box.low).all(axis=1) & (place <= top).all(axis=1)]
    place = place[scene.distance_to(row.prop, place) < 0.0]
    away = map_coordinates(still, ((place - np.array(whole.low)) / whole.cell).T, order=1, mode="nearest")
    place = place[away > OFF * whole.cell]
    if row.through is not None:
        return np.asarray(place[scene.weight_in(row.through, place) >= 0.5])
    return np.asarray(place)


def _new(solver: "LiquidSolver", row: Filling, seam: Seam, place: Array) -> Drops:
    if len(place) + len(seam.crowds.get("liquid", ())) > MOST:
        raise _too_many(row)
    p, ask = _begun(solver, row, place), seam.scene.ask
    p.velocity[:] = one(row, "speed", ask) * unit(three(row, "direction", ask))
    p.temperature[:] = one(row, "temperature", ask)
    return p


def _begun(solver: "LiquidSolver", row: Filling | Drip, place: Array) -> Drops:
    """Drops at places (n, 3)."""
    p = Drops.blank(len(place))
    p.position[:] = p.rest[:] = place
    p.radius[:] = p.size[:] = SIZE * solver.box.cell
    p.mass[:], p.source[:] = solver.drop, solver.numbers[row.id]
    p.state[:] = solver.setting.state(solver.row.state)
    p.colour[:] = int(solver.row.colour[1:], 16) + HAS_COLOUR
    return p


def _too_many(row: Filling | Drip, field: str = "prop") -> ShotFault:
    said = f"That would be more than {MOST // 10**6} million drops. Accepted: less of it, or larger cells."
    return ShotFault([Fault(row.id, field, said)])
