"""Liquid in vessels in its seat: what it gives a run."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import numpy as np

from hotgravel.core.drive.value import is_driven, one, plain
from hotgravel.core.matter.contract import COMMON, FACTS, Column, Fact, Gauge, Kept, Kind, Lane, Table
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.slosh.content import POINTS, Content
from hotgravel.core.matter.slosh.points import Points
from hotgravel.core.matter.slosh.solver import SloshSolver
from hotgravel.core.matter.slosh.vessel import Vessel
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finding import Finding
from hotgravel.core.shot.slosh import Slosh
from hotgravel.core.shot.units import show_quantity

PARTS = {"rough": 4, "fair": 8, "fine": 14}  # of a vessel's size: how wide faces of its walls are


class SloshMatter:
    """What swings in jars, bowls and tanks."""

    name, called, cost = "slosh", "point of liquid in a vessel", 2.0
    takes = 1_200.0, 60.0
    kind: Kind = "points"
    elements: type[Elements] = Points
    columns: Mapping[str, Column] = {**COMMON, "steep": Column(np.float32)}
    records: Mapping[str, tuple[str, ...]] = {}
    gauges: Mapping[str, Gauge] = {
        "count": Gauge("", "how many points of it cues go by"),
        "volume": Gauge("m³", "volume in all vessels"),
        "steepest": Gauge("°", "how far the surface leans from level, where it does most"),
        "ripples": Gauge("m", "how high waves stand on the plane that swings, at most"),
        "foam": Gauge("%", "foam in the vessel that has most"),
        "wet": Gauge("%", "how much of the walls is wet, in the vessel that has most"),
        "mean_speed": Gauge("m/s", "mean speed of the surface"),
        "greatest_speed": Gauge("m/s", "greatest speed of the surface"),
    }
    lanes: tuple[Lane, ...] = (
        Lane("vessels: leaning", "curves", ("steepest",)),
        Lane("vessels: foam, wet walls", "curves", ("foam", "wet")),
    )
    facts: tuple[Fact, ...] = (*FACTS, Fact("leans from level", "°", lambda of: float(of["steep"])))

    def build(self, setting: Setting) -> SloshSolver | None:
        shot = setting.shot
        if not shot.sloshes:
            return None
        numbers = {origin.id: n for n, origin in enumerate(shot.origins)}
        contents, faults = [], []
        known: dict[tuple[str, float], Vessel | None] = {}
        for row in shot.sloshes:
            key = (row.prop, row.wall)
            if key not in known:
                known[key] = Vessel.inside(*setting.mesh(row.prop), row.wall, PARTS[setting.quality])
            vessel = known[key]
            if vessel is None:
                faults.append(_no_room(row, setting))
                continue
            level = one(row, "level", shot.clock.at(shot.finish.begins))
            contents.append(Content.of(row, numbers[row.id], vessel, setting.at_first[row.prop], level))
        if faults:
            raise ShotFault(faults)
        return SloshSolver(setting, tuple(contents))

    def places(self, shot: Shot) -> tuple[str, ...]:
        return ()

    def count_at(self, shot: Shot, frame: int) -> float:
        copies = {row.prop: getattr(row.copies, "number", 1) for row in shot.rigid}
        return float(sum(POINTS * copies.get(row.prop, 1) for row in shot.sloshes))

    def findings(self, shot: Shot, solver: Any) -> Iterator[Finding]:
        names, setting = shot.names(), solver.setting
        for content in solver.contents:
            row = content.row
            name = names[row.prop]
            if not is_driven(row.level) and plain(row.level) in (0.0, 1.0):
                said = "is empty" if row.level == 0.0 else "is full to the brim: nothing can swing"
                yield Finding("no surface", row.id, "level", f"{name} {said}.", "doubtful")
            prop = next(p for p in shot.props if p.id == row.prop)
            if prop.seen == "seen" and prop.shine != "clear":
                said = f"{name} hides the liquid in it. Let it be seen through, or be unseen."
                yield Finding("hidden liquid", row.id, "prop", said, "doubtful")
            width = float(np.sqrt(content.modes.spread[[0, 2]].max())) * setting.at_first[row.prop].scale
            if width > 5.0 and setting.quality == "rough":
                said = show_quantity(float(f"{4.0 * width:.2g}"), "m", shot.dress)
                said = f"{name} is about {said} wide: in so wide a vessel waves break, which *liquid* alone does."
                yield Finding("wide vessel", row.id, "prop", said, "doubtful")

    def after(self, shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
        yield from ()

    def tables(self, shot: Shot, kept: Kept, frames: Iterable[int]) -> Iterator[Table]:
        yield from ()

    def reasons(self, shot: Shot, kept: Kept, element: int, frame: int) -> Iterator[tuple[int, str, str]]:
        yield from ()


def _no_room(row: Slosh, setting: Setting) -> Fault:
    if Vessel.inside(*setting.mesh(row.prop), 0.0) is None:
        return Fault(row.id, "prop", "It is open: liquid would run out. Accepted: a closed shape.")
    size = float(min(np.ptp(setting.mesh(row.prop)[0], axis=0)))
    most = show_quantity(float(f"{0.4 * size:.2g}"), "m", setting.shot.dress)
    return Fault(row.id, "wall", f"Walls so thick leave no room in it. Accepted: less than about {most}.")
