"""The surface of a liquid: a mesh around its drops."""

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.elements import Array, Elements
from hotgravel.core.matter.paint import painted
from hotgravel.core.shape.colliders import stands
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.skin import TooFine, clad, skin
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.faults import Fault, ShotFault

if TYPE_CHECKING:
    from hotgravel.core.matter.liquid.solver import LiquidSolver

RADIUS, BLEND = 0.45, 0.8  # cells: how large drops count, and how far apart they join


def surface_of(solver: "LiquidSolver", p: Elements, stood: Array, scene: Scene) -> dict[str, NDArray[Any]]:
    """The mesh of a frame; `stood` has what moved in it (as `Room.moving` has it): vertices (V, 3), faces (F, 3),
    colour (V,) as 0xrrggbb, velocity (V, 3). Raises `ShotFault` for one too fine."""
    row, cell = solver.row, solver.box.cell
    try:
        vertices, faces = skin(
            p.position, np.full(len(p), RADIUS * cell), blend=BLEND * cell, cell=row.surface * cell,
            smoothing=row.smoothing, off=_standing(solver, stood, scene) if row.around == "clean" else (),
        )  # fmt: skip
    except TooFine as fault:
        said = f"Its surface would need {fault.cells / 1e6:.0f} million cells at frame {scene.ask.frame:.0f}."
        least = 1.05 * fault.least / cell
        raise ShotFault([Fault(row.id, "surface", f"{said} Accepted: {least:.2g} or more.")]) from None
    return clad(vertices, faces, p.position, painted(p, solver.setting.shot.states), p.velocity)


def _standing(solver: "LiquidSolver", stood: Array, scene: Scene) -> Iterator[tuple[Shaped, Pose]]:
    """What stands in the liquid and has an inside, with its pose."""
    setting = solver.setting
    for prop, inside in setting.met:
        if not inside and setting.shapes[prop].has_volume and stands(setting, scene, prop):
            yield setting.shapes[prop], scene.poses[prop]
    yield from solver.room.shapes(stood)
