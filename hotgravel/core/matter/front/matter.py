"""Fronts in their seat: what they give a run."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import numpy as np

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.value import by_element, one
from hotgravel.core.matter.contract import COMMON, FACTS, Column, Fact, Gauge, Kept, Kind, Lane, Table
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.front.skin import skin_of
from hotgravel.core.matter.front.solver import FrontSolver, Role
from hotgravel.core.matter.front.state import Points
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.welding import TooMany, in_parts
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finding import Finding
from hotgravel.core.shot.units import show_quantity

MOST_POINTS = 200_000


class FrontMatter:
    """Heat that creeps over props: points of their skins, which it reaches, warms and eats."""

    name, called, cost = "front", "point", 1.0
    takes = 1_200.0, 60.0
    kind: Kind = "mesh"
    elements: type[Elements] = Points
    columns: Mapping[str, Column] = {
        **COMMON, "vertex": Column(np.int32, drawn=True), "arrived": Column(np.float32, drawn=True),
        "left": Column(np.float32, drawn=True),
    }  # fmt: skip
    records: Mapping[str, tuple[str, ...]] = {}
    gauges: Mapping[str, Gauge] = {
        "count": Gauge("", "how many points there are"),
        "reached": Gauge("%", "share of the points to which a front has come"),
        "burning": Gauge("", "points that are being eaten"),
        "eaten": Gauge("%", "share of the points of which nothing is left"),
        "greatest_temperature": Gauge("°C", "temperature of the hottest point"),
        "touches": Gauge("", "impacts; a front has none"),
    }
    lanes: tuple[Lane, ...] = (
        Lane("front: eaten / reached", "curves", ("reached", "eaten")),
        Lane("front: points that burn", "curves", ("burning",)),
    )
    facts: tuple[Fact, ...] = (
        *FACTS,
        Fact("time since the front came", "s", lambda of: float(of["arrived"])),
        Fact("share that is left", "%", lambda of: 100.0 * float(of["left"])),
        Fact("temperature", "°C", lambda of: float(of["temperature"])),
    )

    def build(self, setting: Setting) -> FrontSolver | None:
        shot, faults = setting.shot, list[Fault]()
        roles, first = list[Role](), 0
        numbers = {row.id: n for n, row in enumerate(shot.origins)}
        props = {prop.id: prop for prop in shot.props}
        for row in (row for row in shot.fronts if row.prop in props):
            scale = setting.at_first[row.prop].scale
            try:
                mesh = in_parts(*setting.mesh(row.prop), row.segments, MOST_POINTS - first)
            except TooMany as fault:
                first += fault.count
                said = f"That makes {first} points. Accepted: {MOST_POINTS} in all, as fewer segments make."
                faults.append(Fault(row.id, "segments", said))
                break
            skin = skin_of(*mesh, scale, row.reach, row.over == "gaps")
            u = uniforms(np.arange(len(skin.place), dtype=np.uint64), 1, seed=row.seed, who=row.id)[:, 0]
            roles.append(Role(row, props[row.prop], numbers[row.id], skin, first, 1.0 + row.ragged * (2.0 * u - 1.0)))
            first += len(skin.place)
        if faults:
            raise ShotFault(faults)
        return FrontSolver(setting, tuple(roles)) if roles else None

    def places(self, shot: Shot) -> tuple[str, ...]:
        return tuple(row.prop for row in shot.fronts)

    def count_at(self, shot: Shot, frame: int) -> float:
        return sum(1.5 * (row.segments + 1) ** 2 for row in shot.fronts)

    def findings(self, shot: Shot, solver: Any) -> Iterator[Finding]:
        scene, names = solver.setting.beginning(), shot.names()
        for role in solver.roles:
            row, pose = role.row, solver.setting.at_first[role.prop.id]
            apart = pose.scale * role.skin.apart
            if row.lit is None:
                yield Finding("not lit", row.id, "lit", "No zone lights it, so nothing burns. Choose one.", "wrong")
            elif not (scene.weight_in(row.lit, pose.to_world(role.skin.place)) >= 0.5).any():
                said = (
                    f"{names[row.lit]} holds no point of it at the first frame. Move the zone, or take more segments."
                )
                yield Finding("not lit", row.id, "lit", said, "doubtful")
            if row.reach < apart:
                far = show_quantity(float(f"{apart:.2g}"), "m", shot.dress)
                said = f"Its points are up to {far} apart: it cannot come from one to the next. Reach farther."
                yield Finding("reaches nothing", row.id, "reach", said, "wrong")
            ask = shot.clock.at(row.start)
            if row.burns is not None and not by_element(row.speed) and one(row, "speed", ask) == 0.0:
                yield Finding("stands still", row.id, "speed", "It does not creep on from where it is lit.", "doubtful")

    def after(self, shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
        if measured and shot.fronts and max(m.get("reached", 0.0) for m in measured.values()) == 0.0:
            said = "The front never came to anything: its zone was nowhere on its prop while the shot ran."
            yield Finding("never lit", shot.fronts[0].id, "lit", said, "wrong")

    def tables(self, shot: Shot, kept: Kept, frames: Iterable[int]) -> Iterator[Table]:
        yield from ()

    def reasons(self, shot: Shot, kept: Kept, element: int, frame: int) -> Iterator[tuple[int, str, str]]:
        yield from ()
