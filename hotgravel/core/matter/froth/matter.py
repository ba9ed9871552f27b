"""Spray, foam and bubbles in their seat: what they give a run."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from hotgravel.core.matter.contract import COMMON, FACTS, Column, Fact, Gauge, Kept, Kind, Lane, Table
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.fineness import CELLS
from hotgravel.core.matter.froth.solver import FrothSolver
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finding import Finding


class FrothMatter:
    """What liquid is white with."""

    name, called, cost = "froth", "fleck of froth", 1.5
    takes = 1_200.0, 60.0
    kind: Kind = "points"
    elements: type[Elements] = Elements
    columns: Mapping[str, Column] = COMMON
    records: Mapping[str, tuple[str, ...]] = {}
    gauges: Mapping[str, Gauge] = {
        "count": Gauge("", "how many there are of all"),
        "spray": Gauge("", "how many fly"),
        "foam": Gauge("", "how many float on the surface"),
        "bubbles": Gauge("", "how many are under it"),
        "mean_speed": Gauge("m/s", "their mean speed"),
        "greatest_speed": Gauge("m/s", "speed of the fastest"),
    }
    lanes: tuple[Lane, ...] = (Lane("spray, foam, bubbles", "curves", ("spray", "foam", "bubbles")),)
    facts: tuple[Fact, ...] = FACTS

    def build(self, setting: Setting) -> FrothSolver | None:
        shot = setting.shot
        if not shot.froths:
            return None
        if len(shot.froths) > 1:
            said = "Spray, foam and bubbles come off in another row too. Accepted: one row that is on."
            raise ShotFault([Fault(row.id, "trapped", said) for row in shot.froths[1:]])
        row = shot.froths[0]
        cell = shot.liquids[0].cell * CELLS[setting.quality] if shot.liquids else 1.0
        return FrothSolver(setting, row, cell, [origin.id for origin in shot.origins].index(row.id))

    def places(self, shot: Shot) -> tuple[str, ...]:
        return ()

    def count_at(self, shot: Shot, frame: int) -> float:
        return 20_000.0 if shot.froths and shot.liquids else 0.0

    def findings(self, shot: Shot, solver: Any) -> Iterator[Finding]:
        if not shot.liquids:
            yield Finding("no liquid", solver.row.id, "trapped", "There is no liquid that it could come off.", "wrong")

    def after(self, shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
        if shot.froths and measured and not any(of.get("count", 0.0) for of in measured.values()):
            said = "Nothing came off: no liquid was as fast as that where it broke."
            yield Finding("no froth", shot.froths[0].id, "least", said, "doubtful")

    def tables(self, shot: Shot, kept: Kept, frames: Iterable[int]) -> Iterator[Table]:
        yield from ()

    def reasons(self, shot: Shot, kept: Kept, element: int, frame: int) -> Iterator[tuple[int, str, str]]:
        yield from ()
