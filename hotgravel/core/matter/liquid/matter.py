"""Liquid in its seat: what it gives a run."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import numpy as np

from hotgravel.core.drive.value import one
from hotgravel.core.matter.contract import COMMON, FACTS, Column, Fact, Gauge, Kept, Kind, Lane, Table
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fineness import CELLS
from hotgravel.core.matter.fluid.solids import Box
from hotgravel.core.matter.liquid.drops import Drops
from hotgravel.core.matter.liquid.room import Room
from hotgravel.core.matter.liquid.solver import LiquidSolver
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.actions import Shed
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finding import Finding
from hotgravel.core.shot.finish import Quality
from hotgravel.core.shot.liquid import MOST_CELLS, Drip, Fill, Gas, Liquid, Outlet, Spout
from hotgravel.core.shot.units import show_quantity

EVEN = 2  # cells: sides are as many of them


class LiquidMatter:
    """Water, mud, honey, lava: what splashes, pours and settles."""

    name, called, cost = "liquid", "drop", 6.0
    takes = 1_200.0, 50.0
    kind: Kind = "points"
    elements: type[Elements] = Drops
    columns: Mapping[str, Column] = COMMON
    records: Mapping[str, tuple[str, ...]] = {}
    gauges: Mapping[str, Gauge] = {
        "count": Gauge("", "how many drops there are"),
        "volume": Gauge("m³", "volume of the liquid"),
        "level": Gauge("m", "how high it stands: a hundredth of it is higher"),
        "mean_speed": Gauge("m/s", "mean speed of drops"),
        "greatest_speed": Gauge("m/s", "speed of the fastest drop"),
        "kinetic_energy": Gauge("J/kg", "half the mean of speed squared: kinetic energy for each kilogram"),
        "gas": Gauge("m³", "volume of the gas in it"),
        "hottest": Gauge("°C", "temperature of the hottest drop"),
        "squeezed": Gauge("%", "how much of its room it lacks where drops are pressed together"),
        "came": Gauge("kg", "how much has come out of sources"),
        "drained": Gauge("kg", "how much has gone into outlets"),
        "left": Gauge("kg", "how much has left through open sides"),
        "rounds": Gauge("", "rounds in which the pressure of the last step was found"),
        "drags": Gauge("", "rounds in which the drag of thick liquid was found"),
        "steps": Gauge("", "steps taken on the way to this frame"),
        "touches": Gauge("", "drops that lie on something"),
    }
    lanes: tuple[Lane, ...] = (
        Lane("liquid: volume", "curves", ("volume",)),
        Lane("liquid: speed, mean / top", "curves", ("greatest_speed", "mean_speed")),
        Lane("liquid: level", "curves", ("level",)),
    )
    facts: tuple[Fact, ...] = (*FACTS, Fact("temperature", "°C", lambda of: float(of["temperature"])))

    def build(self, setting: Setting) -> LiquidSolver | None:
        shot = setting.shot
        if not shot.liquids:
            return None
        faults = [Fault(row.id, "size", "There is liquid in another box too. Accepted: one row that is on.")
                  for row in shot.liquids[1:]]  # fmt: skip
        row = shot.liquids[0]
        box = box_of(row, setting.quality)
        cells = int(np.prod(box.shape))
        if cells > MOST_CELLS:
            fits = row.cell * (cells / MOST_CELLS) ** (1 / 3)
            said = f"That is {cells / 1e6:.1f} million cells. Accepted: {MOST_CELLS // 10**6} million, as cells of "
            faults.append(Fault(row.id, "cell", f"{said}{fits:.2g} m make."))
        supply = [
            r for r in shot.supply if isinstance(r, Fill | Spout | Outlet | Gas) and r.on and r.prop in setting.shapes
        ]
        faults += [Fault(r.id, "prop", "It has no inside to be filled. Accepted: a closed shape.")
                   for r in supply if not setting.shapes[r.prop].has_volume]  # fmt: skip
        if faults:
            raise ShotFault(faults)
        numbers = {origin.id: n for n, origin in enumerate(shot.origins)}
        return LiquidSolver(
            setting, row, box, tuple(r for r in supply if isinstance(r, Fill)),
            tuple(r for r in supply if isinstance(r, Spout)), tuple(r for r in supply if isinstance(r, Outlet)),
            tuple(r for r in supply if isinstance(r, Gas)), tuple(r for r in shot.supply if isinstance(r, Drip)),
            numbers, Room(setting, box, row.walls),
        )  # fmt: skip

    def places(self, shot: Shot) -> tuple[str, ...]:
        return ()

    def count_at(self, shot: Shot, frame: int) -> float:
        """As if all bodies of liquid were boxes, and nothing ran off."""
        if not shot.liquids:
            return 0.0
        cell = shot.liquids[0].cell * CELLS[shot.finish.quality]
        shapes, total = {prop.id: prop for prop in shot.props}, 0.0
        for row in (r for r in shot.supply if isinstance(r, Fill | Spout) and r.on and r.prop in shapes):
            if isinstance(row, Fill):
                total += row.level * _room(shapes[row.prop]) if row.start <= frame else 0.0
                continue
            start, end = max(row.start, shot.finish.begins), min(row.end + 1, frame)
            if end > start:
                lasts = shot.pace.lasting(start, end)
                speed = one(row, "speed", shot.clock.at(0.5 * (start + end)))
                total += _room(shapes[row.prop]) ** (2 / 3) * speed * lasts
        return 8.0 * min(total, float(np.prod(shot.liquids[0].size))) / cell**3

    def findings(self, shot: Shot, solver: Any) -> Iterator[Finding]:
        names, setting = shot.names(), solver.setting
        low = np.array(solver.box.low)
        high = low + solver.box.cell * np.array(solver.box.shape)
        supply = (*solver.fills, *solver.spouts)
        if not supply and not solver.drips:
            yield Finding("no liquid", solver.row.id, "at", "Nothing is filled with liquid, and none comes.", "wrong")
        asked = {act.offshoot for cue in shot.cues if cue.on for act in cue.doing(Shed)}
        for row in solver.drips:
            if row.id not in asked:
                yield Finding("never asked", row.id, "size", "It waits for a cue, and no cue sets it off.", "wrong")
        for row in (r for r in (*supply, *solver.gases) if r.prop in setting.at_first and r.prop in setting.standing):
            first, last = setting.shapes[row.prop].corners(setting.at_first[row.prop])
            if (last < low).any() or (first > high).any():
                said = f"{names[row.prop]} lies outside the box of the liquid, so nothing comes."
                yield Finding("outside the box", row.id, "prop", said, "wrong")
            elif (last - first).min() < solver.box.cell:
                wide = show_quantity(float(f"{(last - first).min():.2g}"), "m", shot.dress)
                said = f"{names[row.prop]} is {wide} wide, less than a cell: little comes. Take smaller cells."
                yield Finding("thin source", row.id, "prop", said, "doubtful")
            if any(p == row.prop and not inside for p, inside in setting.met) and isinstance(row, Fill):
                said = f"Liquid meets {names[row.prop]} as solid, so it cannot be in it: let it be met from inside."
                yield Finding("met as solid", row.id, "prop", said, "wrong")

    def after(self, shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
        if not shot.liquids or not measured:
            return
        last = measured[max(measured)]
        came, left = last.get("came", 0.0), last.get("left", 0.0)
        if came > 0.0 and left > 0.05 * came:
            said = f"{100.0 * left / came:.0f} % of it has left the box through its sides."
            yield Finding(
                "runs off", shot.liquids[0].id, "size", f"{said} A larger box, or walls, keep it.", "doubtful"
            )

    def tables(self, shot: Shot, kept: Kept, frames: Iterable[int]) -> Iterator[Table]:
        yield from ()

    def reasons(self, shot: Shot, kept: Kept, element: int, frame: int) -> Iterator[tuple[int, str, str]]:
        yield from ()


def box_of(row: Liquid, quality: Quality) -> Box:
    """The grid of a row at a quality: as many cells as fill its box, which stands on its floor."""
    cell = row.cell * CELLS[quality]
    x, y, z = (max(EVEN, int(np.ceil(side / cell - 1e-6))) for side in row.size)
    low = [middle - 0.5 * cell * n for middle, n in zip(row.at, (x, y, z), strict=True)]
    low[1] = row.at[1] - 0.5 * row.size[1]
    return Box((low[0], low[1], low[2]), cell, (x, y, z))


def _room(prop: Any) -> float:
    """About the volume of a prop's box, m³."""
    sizes = [getattr(prop.shape, name) for name in ("width", "height", "depth") if hasattr(prop.shape, name)]
    radius = getattr(prop.shape, "radius", 0.5)
    sides = (sizes + [2.0 * radius] * 3)[:3]
    return float(np.prod(sides)) * 0.8
