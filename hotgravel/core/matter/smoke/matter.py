"""Smoke in its seat: what it gives a run."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import numpy as np

from hotgravel.core.drive.value import plain
from hotgravel.core.matter.contract import COMMON, FACTS, Column, Fact, Gauge, Kept, Kind, Lane, Table
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fineness import CELLS, MOST_STEPS
from hotgravel.core.matter.fluid.solids import THIN, Box
from hotgravel.core.matter.smoke.blocks import SIDE
from hotgravel.core.matter.smoke.cells import Cells
from hotgravel.core.matter.smoke.shown import GAS, VOLUME
from hotgravel.core.matter.smoke.solver import SmokeSolver
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finding import Finding, Remedy
from hotgravel.core.shot.finish import Quality
from hotgravel.core.shot.forces import Follow
from hotgravel.core.shot.sides import SIDES
from hotgravel.core.shot.smoke import MOST_CELLS, Detail, Drain, Smoke
from hotgravel.core.shot.spot import Edited, put
from hotgravel.core.shot.units import show_quantity
from hotgravel.core.shot.zones import Level

MANY_STEPS = 16  # in a frame: they make a run long
LARGER = 1.5
CUT = 0.05  # of density: thinner smoke can be cut off and nobody sees it


class SmokeMatter:
    """Smoke, steam, vapour: gas that rises, pours, curls and thins out."""

    name, called, cost = "smoke", "block of smoke", 400.0
    takes = 110_000.0, 10_000.0
    kind: Kind = "volume"
    elements: type[Elements] = Cells
    columns: Mapping[str, Column] = COMMON
    records: Mapping[str, tuple[str, ...]] = {"volume": VOLUME, "gas": GAS}
    gauges: Mapping[str, Gauge] = {
        "count": Gauge("", "how many blocks of 8 by 8 by 8 cells hold smoke"),
        "mass": Gauge("m³", "how much smoke there is: cubic metres of density 1"),
        "came": Gauge("m³", "how much has come out of sources"),
        "burnt": Gauge("m³", "how much fire has left as soot"),
        "faded": Gauge("m³", "how much has faded"),
        "drained": Gauge("m³", "how much has gone into drains, or cues have removed"),
        "left": Gauge("m³", "how much has left through sides and into obstacles, or thinned out as fire swelled"),
        "hottest": Gauge("°C", "temperature of the hottest cell"),
        "mean_heat": Gauge("°C", "mean temperature of smoke"),
        "mean_speed": Gauge("m/s", "mean speed of smoke"),
        "greatest_speed": Gauge("m/s", "greatest speed of the air"),
        "cells": Gauge("", "how many cells the box has"),
        "filled": Gauge("", "how many of them hold smoke"),
        "apart": Gauge("%", "what still flows out of a cell, of the greatest speed"),
        "steps": Gauge("", "steps taken on the way to this frame, so that air goes no further than two cells in one"),
        "cut": Gauge("", "how dense smoke is, at most, where it comes to an open side of its box"),
        "rounds": Gauge("", "rounds in which the pressure of the last step was found"),
    }
    lanes: tuple[Lane, ...] = (
        Lane("smoke: how much", "curves", ("mass",)),
        Lane("smoke: speed, mean / top", "curves", ("greatest_speed", "mean_speed")),
    )
    facts: tuple[Fact, ...] = (
        *FACTS,
        Fact("cubic metres of smoke", "", lambda of: float(of["mass"])),
        Fact("temperature", "°C", lambda of: float(of["temperature"])),
    )

    def build(self, setting: Setting) -> SmokeSolver | None:
        shot = setting.shot
        rows = shot.smokes
        if not rows:
            return None
        faults = [Fault(row.id, "size", "There is smoke in another box too. Accepted: one row that is on.")
                  for row in rows[1:]]  # fmt: skip
        row = rows[0]
        box = box_of(row, setting.quality)
        cells = int(np.prod(box.shape))
        if cells > MOST_CELLS:
            fits = row.cell * (cells / MOST_CELLS) ** (1 / 3)
            said = f"That is {cells / 1e6:.1f} million cells. Accepted: {MOST_CELLS // 10**6} million, as cells of "
            faults.append(Fault(row.id, "cell", f"{said}{fits:.2g} m make."))
        if faults:
            raise ShotFault(faults)
        fumes, puffs = tuple(shot.fumes), tuple(shot.puffs)
        drains = tuple(row for row in shot.supply if isinstance(row, Drain) and row.on)
        detail = next((r for r in shot.matter if isinstance(r, Detail) and r.on), None)
        ids = [origin.id for origin in shot.origins]
        origins = tuple(ids.index(source.id) for source in shot.smoke_sources)
        followed = any(isinstance(f, Follow) and f.on and f.field == row.id for f in shot.forces) or any(
            isinstance(zone.shape, Level) and zone.shape.field == row.id for zone in shot.zones.values()
        )
        fire = next(iter(shot.fires), None)
        return SmokeSolver(setting, row, box, fumes, puffs, drains, fire, detail, origins, followed)

    def places(self, shot: Shot) -> tuple[str, ...]:
        return ()

    def count_at(self, shot: Shot, frame: int) -> float:
        return sum(float(np.prod(box_of(row, shot.finish.quality).shape)) / SIDE**3 for row in shot.smokes)

    def findings(self, shot: Shot, solver: Any) -> Iterator[Finding]:
        low, high = np.array(solver.box.low), np.array(solver.box.low) + solver.box.cell * np.array(solver.box.shape)
        for row in solver.fumes:
            pose, shape = solver.setting.at_first.get(row.prop), solver.setting.shapes[row.prop]
            if pose is None or row.prop not in solver.setting.standing:  # what moves may come in later
                continue
            first, last = shape.corners(pose)
            if (last < low).any() or (first > high).any():
                said = f"{shot.names()[row.prop]} lies outside the box of the smoke, so nothing comes."
                yield Finding("outside the box", row.id, "prop", said, "wrong")

        names, thin = shot.names(), solver.box.cell
        for prop in (p for p, inside in solver.met.items() if p in solver.setting.at_first and not inside):
            shape, pose = solver.setting.shapes[prop], solver.setting.at_first[prop]
            thick = float((shape.box[1] - shape.box[0]).min()) * pose.scale
            if shape.has_volume and thick < thin:
                is_, counts = (show_quantity(wide, "m", shot.dress) for wide in (thick, THIN * thin))
                said = f"{names[prop]} is {is_} thick, less than a cell: smoke meets it as if it were {counts} thick."
                yield Finding("thin for smoke", prop, "shape", said, "doubtful")
        fuelled = [row for row in solver.fumes if plain(row.fuel) != 0.0]
        if fuelled and solver.fire is None:
            said = "Fuel comes, and there is no fire for it to burn in."
            yield Finding("fuel without fire", fuelled[0].id, "fuel", said, "wrong")
        fade = plain(solver.row.fade)
        if fade is not None and fade >= shot.finish.rate:
            said = f"At {fade:g} /s all smoke has faded within a frame. Accepted: less than {shot.finish.rate:g} /s."
            yield Finding("fades at once", solver.row.id, "fade", said, "wrong")

    def after(self, shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
        if not shot.smokes or not measured:
            return
        row = shot.smokes[0].id
        frame = max(measured, key=lambda f: measured[f].get("cut", 0.0))
        if (dense := measured[frame].get("cut", 0.0)) > CUT:
            said = (
                f"At frame {frame} smoke of density {dense:.2g} comes to an open side of its box and is cut off there."
            )
            more = "A larger box holds it, and costs nothing where no smoke is; with more fade it ends before."
            yield Finding("smoke cut off", row, "size", f"{said} {more}", "doubtful", _larger(shot.smokes[0]))
        frame = max(measured, key=lambda f: measured[f].get("steps", 0.0))
        steps = int(measured[frame].get("steps", 0))
        if steps < MANY_STEPS:
            return
        speed = measured[frame]["greatest_speed"]
        said = f"At frame {frame} the air goes {speed:.3g} m/s, and {steps} steps are taken on the way to it."
        if steps < MOST_STEPS:
            yield Finding("many steps", row, "cell", f"{said} Larger cells take fewer.", "doubtful")
        else:
            more = "More are never taken: it goes further in one than it should. Slow it down, or take larger cells."
            yield Finding("many steps", row, "cell", f"{said} {more}", "wrong")

    def tables(self, shot: Shot, kept: Kept, frames: Iterable[int]) -> Iterator[Table]:
        yield from ()

    def reasons(self, shot: Shot, kept: Kept, element: int, frame: int) -> Iterator[tuple[int, str, str]]:
        yield from ()


def box_of(row: Smoke, quality: Quality) -> Box:
    """The grid of a row at a quality: as many blocks of cells as fill its box."""
    cell = row.cell * CELLS[quality]
    shape = [SIDE * max(1, round(float(np.ceil(side / (SIDE * cell) - 1e-6)))) for side in row.size]
    low = [middle - 0.5 * cell * n for middle, n in zip(row.at, shape, strict=True)]
    if SIDES["floor"] in row.walls:  # what is lost beyond the box is lost at its top
        low[1] = row.at[1] - 0.5 * row.size[1]
    return Box((low[0], low[1], low[2]), cell, (shape[0], shape[1], shape[2]))


def _larger(row: Smoke) -> Remedy:
    """Half as wide and as high a box again, that stands where the one before did."""

    def act(shot: Shot) -> Edited:
        x, y, z = row.at
        size = tuple(LARGER * side for side in row.size)
        grown = put(shot, row.id, "size", size)
        at = (x, y + 0.5 * (size[1] - row.size[1]), z)
        return Edited(put(grown, row.id, "at", at), f"{shot.names()[row.id]}: half as large a box again")

    return Remedy("Make its box half as large again", act)
