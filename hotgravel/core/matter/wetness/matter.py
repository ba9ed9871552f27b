"""Wet surfaces in their seat: what they give a run."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.contract import COMMON, FACTS, Array, Column, Fact, Gauge, Kept, Kind, Lane, Table
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.wetness.points import Points
from hotgravel.core.matter.wetness.solver import Surface, WetnessSolver
from hotgravel.core.shape.cells import refined, solid, triangles_of
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.welding import least_vertices, welded
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finding import Finding

MOST_POINTS = 100_000
LONGEST = 1.5  # parts of the prop: most sides of faces are shorter than the longest


class WetnessMatter:
    """Films that liquid leaves on props."""

    name, called, cost = "wetness", "point of a wet surface", 1.0
    takes = 1_200.0, 60.0
    kind: Kind = "points"
    elements: type[Elements] = Points
    columns: Mapping[str, Column] = {**COMMON, "wet": Column(np.float32)}
    records: Mapping[str, tuple[str, ...]] = {}
    gauges: Mapping[str, Gauge] = {
        "count": Gauge("", "how many points there are"),
        "wet": Gauge("%", "share of the points on which more than half a film is left"),
        "film": Gauge("%", "how much of a whole film there is on all of them"),
        "touches": Gauge("", "impacts; films have none"),
    }
    lanes: tuple[Lane, ...] = (Lane("wet surfaces", "curves", ("wet", "film")),)
    facts: tuple[Fact, ...] = (*FACTS, Fact("wet", "%", lambda of: 100.0 * float(of["wet"])))

    def build(self, setting: Setting) -> WetnessSolver | None:
        shot, skins, many = setting.shot, list[Surface](), 0
        numbers = {row.id: n for n, row in enumerate(shot.origins)}
        copies = {row.prop: getattr(row.copies, "number", 1) for row in shot.rigid}
        which = {prop.id: n for n, prop in enumerate(shot.props)}
        for row, prop in ((of, prop) for of in shot.wetted for prop in dict.fromkeys(of.props)):
            vertices, faces = welded(*setting.mesh(prop))
            longest = max(LONGEST * float(np.ptp(vertices, axis=0).max()) / row.segments, 1e-9)
            needed = least_vertices(vertices, faces, longest)
            if needed <= MOST_POINTS:
                vertices, faces = _divided(vertices, faces, longest)
            many += copies.get(prop, 1) * max(needed, len(vertices))
            if many > MOST_POINTS:
                said = f"That makes {many} points. Accepted: {MOST_POINTS} in all, as fewer segments make."
                raise ShotFault([Fault(row.id, "segments", said)])
            first = skins[-1].first + len(skins[-1].place) if skins else 0
            size = float(np.ptp(vertices, axis=0).max()) * setting.at_first[prop].scale
            skins.append(Surface(row, numbers[row.id], prop, which[prop], vertices, faces, size, first))
        return WetnessSolver(setting, tuple(skins)) if skins else None

    def places(self, shot: Shot) -> tuple[str, ...]:
        return ()

    def count_at(self, shot: Shot, frame: int) -> float:
        copies = {row.prop: getattr(row.copies, "number", 1) for row in shot.rigid}
        return sum(1.5 * (row.segments + 1) ** 2 * copies.get(prop, 1) for row in shot.wetted for prop in row.props)

    def findings(self, shot: Shot, solver: Any) -> Iterator[Finding]:
        names, soft = shot.names(), {row.prop for row in shot.soft}
        for row in shot.wetted:
            if not (shot.liquids or shot.waters or row.drops):
                said = "There is no liquid and no water, and no particles wet it. Add some, or choose a state."
                yield Finding("stays dry", row.id, "drops", said, "wrong")
            for prop in row.props:
                if prop in soft:
                    said = f"{names[prop]} is soft, and no film can follow it. Choose a prop that keeps its shape."
                    yield Finding("stays dry", row.id, "props", said, "wrong")
                if prop in shot.cuts:
                    said = f"{names[prop]} is cut: its pieces have no film."
                    yield Finding("dry pieces", row.id, "props", said, "doubtful")

    def after(self, shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
        if measured and shot.wetted and max(m.get("film", 0.0) for m in measured.values()) == 0.0:
            said = "It never got wet: nothing came within its reach while the shot ran."
            yield Finding("never wet", shot.wetted[0].id, "reach", said, "wrong")

    def tables(self, shot: Shot, kept: Kept, frames: Iterable[int]) -> Iterator[Table]:
        yield from ()

    def reasons(self, shot: Shot, kept: Kept, element: int, frame: int) -> Iterator[tuple[int, str, str]]:
        yield from ()


def _divided(vertices: Array, faces: NDArray[np.int64], longest: float) -> tuple[Array, NDArray[np.int64]]:
    """A mesh in faces of which no side is much longer."""
    whole = solid(vertices, faces)
    if not whole.is_empty():
        return triangles_of(whole.refine_to_length(longest).to_mesh64())
    low, high = vertices.min(axis=0), vertices.max(axis=0)
    return refined(vertices, faces, np.zeros((len(faces), 2), np.int64), low, high, longest)[:2]
