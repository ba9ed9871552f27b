"""Rigid bodies in their seat: what they give a run."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import numpy as np

from hotgravel.core.drive.value import one
from hotgravel.core.matter.contract import (
    COMMON,
    FACTS,
    Column,
    Fact,
    Gauge,
    Kept,
    Kind,
    Lane,
    Table,
)  # fmt: skip
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.rigid.bonds import bonds_of
from hotgravel.core.matter.rigid.breaking import BREAKS
from hotgravel.core.matter.rigid.cast import Role
from hotgravel.core.matter.rigid.findings import findings, settling
from hotgravel.core.matter.rigid.holding import after, of_bonds
from hotgravel.core.matter.rigid.model import NotSolid, model_of, models_of
from hotgravel.core.matter.rigid.obstacles import obstacles_of
from hotgravel.core.matter.rigid.reasons import bonds_table, reasons
from hotgravel.core.matter.rigid.solver import RigidSolver
from hotgravel.core.matter.rigid.state import Bodies
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finding import Finding
from hotgravel.core.shot.rigid import InPieces, Poured
from hotgravel.core.shot.sources import Offshoot, Opening


class RigidMatter:
    """Stones, crates, drums: bodies that fall, roll, are hit and come to rest."""

    name, called, cost = "rigid", "body", 30.0
    takes = 4_000.0, 500.0
    kind: Kind = "pieces"
    elements: type[Elements] = Bodies
    columns: Mapping[str, Column] = {
        **COMMON,
        "turn": Column(np.float32, drawn=True, blend="turn"), "spin": Column(np.float32, blend="rate"),
        "begun": Column(np.float32), "scale": Column(np.float32, drawn=True), "piece": Column(np.uint16, drawn=True),
        "still": Column(np.float32), "asleep": Column(np.uint8, drawn=True), "impulse": Column(np.float32),
        "impact": Column(np.float32), "partner": Column(np.int32), "load": Column(np.float32, drawn=True),
        "give": Column(np.float32), "bonds": Column(np.int16), "lost": Column(np.int16), "supported": Column(np.uint8),
    }  # fmt: skip
    records: Mapping[str, tuple[str, ...]] = {
        "contacts": ("place", "normal", "impulse", "one", "other"), "breaks": tuple(BREAKS)
    }  # fmt: skip
    gauges: Mapping[str, Gauge] = {
        "count": Gauge("", "how many bodies there are"),
        "mean_speed": Gauge("m/s", "mean speed of bodies"),
        "greatest_speed": Gauge("m/s", "speed of the fastest body"),
        "kinetic_energy": Gauge("J/kg", "energy of motion and spin of all bodies for each kilogram"),
        "asleep": Gauge("", "how many bodies sleep"),
        "contacts": Gauge("", "points at which bodies press on something"),
        "deepest": Gauge("m", "how deep the deepest contact overlaps"),
        "hardest": Gauge("N s", "impulse of the hardest hit in the last step"),
        "greatest_load": Gauge("%", "what the bond nearest to breaking bears of its strength"),
        "sag": Gauge("m", "how far the piece gives under its loads that gives most"),
        "bonds": Gauge("", "how many bonds hold"),
        "broken": Gauge("", "how many bonds gave way on the way to the frame"),
    }
    lanes: tuple[Lane, ...] = (
        Lane("bodies: speed, mean / top", "curves", ("greatest_speed", "mean_speed")),
        Lane("bodies asleep", "bars", ("asleep",)),
        Lane("hardest hit", "bars", ("hardest",)),
        Lane("bonds: load", "curves", ("greatest_load",), ("bonds",)),
        Lane("bonds broken", "bars", ("broken",), ("bonds",)),
    )
    facts: tuple[Fact, ...] = (
        *FACTS,
        Fact("mass", "kg", lambda of: float(of["mass"])),
        Fact("spin", "°/s", lambda of: float(np.degrees(np.linalg.norm(of["spin"])))),
        Fact("at rest for", "s", lambda of: float(of["still"])),
        Fact("bonds", "", lambda of: float(of["bonds"])),
        Fact("gives by", "m", lambda of: float(of["give"])),
        Fact("load of its bonds", "%", lambda of: float(of["load"])),
    )

    def build(self, setting: Setting) -> RigidSolver | None:
        shot = setting.shot
        if not shot.rigid:
            return None
        faults: list[Fault] = []
        roles: list[Role] = []
        by_id = {prop.id: prop for prop in shot.props}
        numbers = {row.id: number for number, row in enumerate(shot.origins)}
        for row in shot.rigid:
            if row.prop not in by_id:
                faults.append(Fault(row.id, "prop", "Its prop is switched off. Accepted: a prop that is on."))
                continue
            if row.state is not None and next(s for s in shot.states if s.id == row.state).of != "rigid":
                said = f"{shot.names()[row.state]} is a state of particles. Accepted: a state of bodies, or none."
                faults.append(Fault(row.id, "state", said))
                continue
            prop, shape = by_id[row.prop], setting.shapes[row.prop]
            number, state = numbers[row.id], setting.state(row.state)
            if isinstance(row.copies, InPieces):
                if row.prop not in setting.cuttings:
                    said = f"{prop.name} is not cut. Accepted: a cutting of it in the Set, or another way to begin."
                    faults.append(Fault(row.id, "copies", said))
                    continue
                for part, model in enumerate(models_of(setting.cuttings[row.prop])):
                    shape = setting.pieces[row.prop][part]
                    roles.append(Role(row, prop, number, model, len(roles), state, shape, part))
                continue
            try:
                model = model_of(prop.shape, *setting.mesh(prop.id), pieces=row.parts)
            except NotSolid as fault:
                faults.append(Fault(row.id, "prop", f"{prop.name} cannot be a body. {fault}"))
                continue
            roles.append(Role(row, prop, number, model, len(roles), state, shape))
        if faults:
            raise ShotFault(faults)
        moved = frozenset(row.prop for row in shot.rigid)
        obstacles, tree = obstacles_of(setting, moved)
        sizes = [2.0 * role.model.reach * setting.at_first[role.prop.id].scale for role in roles]
        dusty = [row.emit.frames for row in shot.supply if isinstance(row, Offshoot) and isinstance(row.emit, Opening)]
        opens = max(dusty, default=0) * shot.pace.longest
        return RigidSolver(setting, tuple(roles), obstacles, tree, min(sizes), bonds_of(setting, roles), opens)

    def places(self, shot: Shot) -> tuple[str, ...]:
        return tuple(row.prop for row in shot.rigid)

    def count_at(self, shot: Shot, frame: int) -> float:
        total = 0.0
        for row in shot.rigid:
            copies = row.copies
            if isinstance(copies, Poured):
                start, end = max(copies.start, shot.finish.begins), min(copies.end + 1, frame)
                if end > start:
                    rate = one(copies, "rate", shot.clock.at(0.5 * (start + end)))
                    total += rate * shot.pace.lasting(start, end)
            elif isinstance(copies, InPieces):
                total += sum(cut.number for cut in shot.cuts.get(row.prop, ()))
            else:
                total += copies.number
        return total

    def findings(self, shot: Shot, solver: Any) -> Iterator[Finding]:
        yield from findings(shot, solver)
        yield from of_bonds(shot, solver)

    def after(self, shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
        yield from after(shot, measured)
        yield from settling(shot, measured)

    def tables(self, shot: Shot, kept: Kept, frames: Iterable[int]) -> Iterator[Table]:
        if shot.bonds:
            yield bonds_table(shot, kept, frames)

    def reasons(self, shot: Shot, kept: Kept, element: int, frame: int) -> Iterator[tuple[int, str, str]]:
        yield from reasons(shot, kept, element, frame)
