"""Wide water in its seat: what it gives a run."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import numpy as np

from hotgravel.core.drive.value import plain
from hotgravel.core.matter.contract import COMMON, FACTS, Column, Fact, Gauge, Kept, Kind, Lane, Table
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fineness import CELLS
from hotgravel.core.matter.water.solver import POINTS, WaterSolver
from hotgravel.core.matter.water.spectrum import DEEP
from hotgravel.core.matter.water.waves import Square, Wind
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finding import Finding
from hotgravel.core.shot.finish import Quality
from hotgravel.core.shot.forces import Gravity
from hotgravel.core.shot.units import show_quantity
from hotgravel.core.shot.water import MOST_ACROSS, Water

STANDARD = 9.80665  # m/s²


class WaterMatter:
    """The surface of lakes and seas."""

    name, called, cost = "water", "point of water", 1.0
    takes = 1_200.0, 60.0
    kind: Kind = "points"
    elements: type[Elements] = Elements
    columns: Mapping[str, Column] = COMMON
    records: Mapping[str, tuple[str, ...]] = {}
    gauges: Mapping[str, Gauge] = {
        "count": Gauge("", "how many points of it cues go by"),
        "significant": Gauge("m", "significant height of waves: four times the deviation of the surface"),
        "highest": Gauge("m", "how far its highest crest is over the water at rest"),
        "lowest": Gauge("m", "how far its lowest trough is over it"),
        "steepest": Gauge("", "greatest slope of the surface"),
        "foam": Gauge("%", "how much of it is white with foam"),
        "mean_speed": Gauge("m/s", "mean speed of the surface"),
        "greatest_speed": Gauge("m/s", "greatest speed of the surface"),
    }
    lanes: tuple[Lane, ...] = (
        Lane("water: crest, trough", "curves", ("highest", "lowest")),
        Lane("water: foam", "curves", ("foam",)),
    )
    facts: tuple[Fact, ...] = FACTS

    def build(self, setting: Setting) -> WaterSolver | None:
        shot = setting.shot
        if not shot.waters:
            return None
        faults = [Fault(row.id, "size", "There is wide water in another place too. Accepted: one row that is on.")
                  for row in shot.waters[1:]]  # fmt: skip
        row = shot.waters[0]
        many = _across(row, setting.quality)
        if many > MOST_ACROSS:
            fits = row.size / MOST_ACROSS / CELLS[setting.quality]
            said = f"That is {many} cells along each side. Accepted: {MOST_ACROSS}, as cells of {fits:.2g} m make."
            faults.append(Fault(row.id, "cell", said))
        if faults:
            raise ShotFault(faults)
        square = Square(many, row.size / many, row.depth or DEEP, _gravity(shot))
        way = float(np.arctan2(row.direction[2], row.direction[0]))
        wind = Wind.over(square, row.wind, way, row.fetch, row.spread, row.loop, row.seed, row.id)
        number = [origin.id for origin in shot.origins].index(row.id)
        return WaterSolver(setting, row, square, wind, tuple(shot.rains), number)

    def places(self, shot: Shot) -> tuple[str, ...]:
        return ()

    def count_at(self, shot: Shot, frame: int) -> float:
        return float(POINTS**2) if shot.waters else 0.0

    def findings(self, shot: Shot, solver: Any) -> Iterator[Finding]:
        row = solver.row
        shortest = 2.0 * np.pi * (row.wind * 1.026) ** 2 / (0.877**2 * solver.square.gravity)
        if row.wind > 0.0 and row.fetch is None and shortest > 2.0 * row.size:
            long = show_quantity(float(f"{shortest:.2g}"), "m", shot.dress)
            said = (
                f"Fully grown, this wind's longest waves are about {long} long, more than twice the water's size: they "
            )
            yield Finding(
                "waves too long", row.id, "size", f"{said}are left out. Give a fetch, or more water.", "doubtful"
            )
        if row.wind == 0.0 and not solver.rains and not any(_stirs(solver, prop) for prop in solver.met):
            said = "No wind blows, nothing stirs it and no rain falls: it stays flat."
            yield Finding("flat water", row.id, "wind", said, "doubtful")
        for rain in solver.rains:
            if plain(rain.rate) == 0.0:
                yield Finding("no rain", rain.id, "rate", "At a rate of 0 no drop falls.", "wrong")

    def after(self, shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
        yield from ()

    def tables(self, shot: Shot, kept: Kept, frames: Iterable[int]) -> Iterator[Table]:
        yield from ()

    def reasons(self, shot: Shot, kept: Kept, element: int, frame: int) -> Iterator[tuple[int, str, str]]:
        yield from ()


def _across(row: Water, quality: Quality) -> int:
    """How many cells lie along a side: an even number."""
    return max(8, 2 * round(0.5 * row.size / (row.cell * CELLS[quality])))


def _gravity(shot: Shot) -> float:
    """The gravity that waves go by: that of the shot, if it has one that stays the same, else the standard."""
    found = [plain(f.strength) for f in shot.forces if isinstance(f, Gravity) and f.on and f.whom is None]
    return next((g for g in found if g), STANDARD)


def _stirs(solver: WaterSolver, prop: str) -> bool:
    """Whether a prop moves, and so may come into the surface."""
    return prop not in solver.setting.standing
