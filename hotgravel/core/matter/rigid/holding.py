"""What will go wrong with bonds, before a run, and whether any broke, after it."""

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from hotgravel.core.matter.forces import pull_on_all
from hotgravel.core.matter.rigid.bonds import BondTable
from hotgravel.core.matter.rigid.factors import Factors
from hotgravel.core.matter.rigid.loads import Bearing, borne, shared_out, stress_in
from hotgravel.core.matter.rigid.solver import RigidSolver
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shot.bonds import Bonds, ByNothing, Glued
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.finding import Finding, setting
from hotgravel.core.shot.forces import Gravity
from hotgravel.core.shot.units import show_quantity

BESIDE = 0.02  # of a prop's size: nearer to something it may lean on, it does not fall
CORNERS = 4000  # of a prop that are looked at


def of_bonds(shot: Shot, solver: RigidSolver) -> Iterator[Finding]:
    """Of the bonds of a shot, whose solver is built."""
    table = solver.bonds
    if table is None:
        return
    begins = {row.prop: row for row in shot.rigid}
    falls = [force for force in shot.forces if isinstance(force, Gravity) and force.on]
    for number, row in enumerate(table.told):
        mine = np.unique(table.pairs[table.rows == number])
        body, name = begins[row.prop], shot.names()[row.prop]
        anchored = table.anchored[mine].any()
        if not isinstance(row.support, ByNothing) and not anchored:
            said = f"No piece of {name} lies there, so nothing is anchored."
            yield Finding("anchors nothing", row.id, "support", said, "wrong")
        elif falls and not anchored and body.begins == "loose" and not _leans(shot, solver, row.prop):
            said = f"Nothing holds {name}: all of it will fall at frame {shot.finish.begins}."
            remedy = setting("Let it begin held in place", body.id, "begins", "held")
            yield Finding("nothing holds it", row.id, "support", said, "doubtful", remedy)
        if anchored and falls and not isinstance(row.hold, Glued) and body.begins == "loose":
            yield from _weighed_down(shot, solver, table, row, mine)


def _leans(shot: Shot, solver: RigidSolver, prop: str) -> bool:
    """Whether a prop begins beside something that its pieces may meet."""
    scene, shape = solver.setting.beginning(), solver.setting.shapes[prop]
    pose: Pose = solver.setting.at_first[prop]
    pieces = solver.setting.pieces[prop]
    corners = pose.to_world(np.concatenate([piece.vertices for piece in pieces]))
    corners = corners[:: max(1, len(corners) // CORNERS)]
    near = BESIDE * pose.scale * float(np.ptp(np.stack(shape.box), axis=0).max())
    met = {p for row in shot.collisions if row.on for p in row.props if p != prop}
    met |= {row.prop for row in shot.rigid if row.prop != prop}
    return any(scene.distance_to(p, corners).min(initial=np.inf) < near for p in met if p in solver.setting.at_first)


def _weighed_down(
    shot: Shot, solver: RigidSolver, table: BondTable, row: Bonds, mine: np.ndarray[Any, Any]
) -> Iterator[Finding]:
    """Whether it breaks under its own weight, which is not asked of strengths that vary."""
    if not isinstance(row.strength, int | float) or row.strength <= 0.0:
        return
    pose, ask = solver.setting.at_first[row.prop], shot.clock.at(shot.finish.begins)
    pull = pull_on_all((f for f in shot.forces if isinstance(f, Gravity) and f.on), ask)
    load = np.zeros((len(table.cells), 6))
    load[mine, :3] = table.mass[mine, None] * (pull @ pose.matrix)
    bearing, there = Bearing.fresh(table), np.ones(len(table.cells), bool)
    give = shared_out(table, bearing, load, table.anchored.copy(), there, Factors())
    share = borne(table, stress_in(table, np.ones(len(table.pairs), bool), give), np.full(len(table.pairs), 1.0))
    most = float(share[np.isin(table.pairs[:, 0], mine)].max(initial=0.0)) / row.strength
    if most > 1.0:
        wanted = float(f"{1.3 * most * row.strength:.2g}")
        shown = show_quantity(float(f"{most:.2g}"), "%", shot.dress)
        said = f"Under its own weight a bond bears {shown} of its strength: it breaks at frame {shot.finish.begins}."
        label = f"Set its strength to {show_quantity(wanted, '%', shot.dress)}"
        yield Finding("too heavy", row.id, "strength", said, "doubtful", setting(label, row.id, "strength", wanted))


def after(shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
    """Of the bonds in a finished run, by the gauges of its frames."""
    rows = [row for row in shot.bonds if not isinstance(row.hold, Glued)]
    loads = {frame: gauges.get("greatest_load", 0.0) for frame, gauges in measured.items()}
    if not rows or not loads or any(gauges.get("broken", 0.0) for gauges in measured.values()):
        return
    row, material = rows[0], rows[0].material
    frame = max(loads, key=lambda f: loads[f])
    most = loads[frame]
    assert material is not None
    if most <= 0.0:
        yield Finding("nothing broke", row.id, "strength", "Nothing broke: no bond bore any load.", "doubtful")
        return
    if len(rows) > 1:  # the gauge does not tell whose bond it was
        bore = show_quantity(float(f"{most:.2g}"), "%", shot.dress)
        said = f"Nothing broke: of all bonds, the one nearest to it bore {bore} of its strength, at frame {frame}."
        yield Finding("nothing broke", row.id, "strength", said, "doubtful")
        return
    strength = material.tension * (row.strength if isinstance(row.strength, int | float) else 1.0)
    bore, of = (show_quantity(float(f"{n:.2g}"), "MPa", shot.dress) for n in (most * strength, strength))
    said = f"Nothing broke: the bond nearest to it bore {bore} of {of}, at frame {frame}."
    remedy = None
    if isinstance(row.strength, int | float):
        wanted = float(f"{0.9 * most * row.strength:.2g}")
        remedy = setting(
            f"Set its strength to {show_quantity(wanted, '%', shot.dress)}", row.id, "strength", wanted
        )  # fmt: skip
    yield Finding("nothing broke", row.id, "strength", said, "doubtful", remedy)
