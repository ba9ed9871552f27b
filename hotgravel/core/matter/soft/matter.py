"""What is soft in its seat: what it gives a run."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import numpy as np

from hotgravel.core.matter.contract import COMMON, FACTS, Column, Fact, Gauge, Kept, Kind, Lane, Table
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.soft.findings import before
from hotgravel.core.matter.soft.making import BALL, made_of
from hotgravel.core.matter.soft.sewing import sewn
from hotgravel.core.matter.soft.solver import SoftSolver
from hotgravel.core.matter.soft.state import Vertices
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.finding import Finding
from hotgravel.core.shot.soft import Balloon, Cloth, Jelly


class SoftMatter:
    """Cloth and jelly: what hangs together and gives way."""

    name, called, cost = "soft", "vertex", 30.0
    takes = 4_000.0, 60.0
    kind: Kind = "mesh"
    elements: type[Elements] = Vertices
    columns: Mapping[str, Column] = {
        **COMMON, "vertex": Column(np.int32, drawn=True), "stretch": Column(np.float32, drawn=True),
        "pressure": Column(np.float32, drawn=True), "corners": Column(np.uint32, drawn=True),
    }  # fmt: skip
    records: Mapping[str, tuple[str, ...]] = {}
    gauges: Mapping[str, Gauge] = {
        "count": Gauge("", "how many vertices there are"),
        "mean_speed": Gauge("m/s", "mean speed of vertices"),
        "greatest_speed": Gauge("m/s", "speed of the fastest vertex"),
        "kinetic_energy": Gauge("J/kg", "kinetic energy of all that is soft, for each kilogram"),
        "greatest_stretch": Gauge("%", "how much longer than at rest cloth is pulled, at most"),
        "greatest_pressure": Gauge("Pa", "how much what it touches presses on what is soft, at most"),
        "air_volume": Gauge("m³", "volume of the air in balloons, all together"),
        "air_pressure": Gauge("Pa", "how much more the air of a balloon presses than that outside, at most"),
        "torn": Gauge("", "how many more vertices there are since cloth has torn"),
        "parted": Gauge("", "stitches of seams that have parted"),
        "touching": Gauge("", "points of cloth and jelly that lie on cloth or jelly"),
        "touches": Gauge("", "vertices that lie on something"),
    }
    lanes: tuple[Lane, ...] = (
        Lane("cloth and jelly: speed, mean / top", "curves", ("greatest_speed", "mean_speed")),
        Lane("cloth: stretch", "curves", ("greatest_stretch",), ("cloth", "balloon")),
        Lane("balloons: volume", "curves", ("air_volume",), ("balloon",)),
        Lane("balloons: pressure", "curves", ("air_pressure",), ("balloon",)),
    )
    facts: tuple[Fact, ...] = (
        *FACTS,
        Fact("stretch", "%", lambda of: 100.0 * float(of["stretch"])),
        Fact("pressure on it", "Pa", lambda of: float(of["pressure"])),
        Fact("mass", "kg", lambda of: float(of["mass"])),
    )

    def build(self, setting: Setting) -> SoftSolver | None:
        if not setting.shot.soft:
            return None
        model, things = made_of(setting)
        return SoftSolver(setting, model, things, sewn(setting, model, things)) if things else None

    def places(self, shot: Shot) -> tuple[str, ...]:
        return tuple(row.prop for row in shot.soft)

    def count_at(self, shot: Shot, frame: int) -> float:
        return sum(_vertices(row) for row in shot.soft)

    def findings(self, shot: Shot, solver: Any) -> Iterator[Finding]:
        yield from before(shot, solver.setting, solver.model, solver.things, solver.stitches)

    def after(self, shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
        yield from ()

    def tables(self, shot: Shot, kept: Kept, frames: Iterable[int]) -> Iterator[Table]:
        yield from ()

    def reasons(self, shot: Shot, kept: Kept, element: int, frame: int) -> Iterator[tuple[int, str, str]]:
        yield from ()


def _vertices(row: Cloth | Jelly | Balloon) -> float:
    """About how many vertices a row makes."""
    if isinstance(row, Balloon):
        return float(row.copies.number * (2 + 10 * (BALL * row.segments) ** 2))
    return float((row.segments + 1) ** (2 if isinstance(row, Cloth) else 3))
