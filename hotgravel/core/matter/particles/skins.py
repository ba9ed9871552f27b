"""Skins: meshes around particles, with their colours and velocities."""

from typing import Any

from numpy.typing import NDArray

from hotgravel.core.drive.value import one
from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.paint import painted
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.skin import TooFine, clad, skin
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.units import show_quantity


def skins_of(setting: Setting, particles: Elements, scene: Scene) -> dict[str, dict[str, NDArray[Any]]]:
    """The skins at a frame by their rows: vertices (V, 3), faces (F, 3), colour (V,) as 0xrrggbb, velocity (V, 3).
    Raises `ShotFault` for one too fine."""
    made = {}
    for row in setting.shot.skins:
        who = particles.in_state(setting.state(row.whom))
        place, radius = particles.position[who], particles.radius[who] * one(row, "radius", scene.ask)
        blend, cell = one(row, "blend", scene.ask), one(row, "cell", scene.ask)
        try:
            vertices, faces = skin(place, radius, blend=blend, cell=cell, smoothing=row.smoothing)
        except TooFine as fault:
            least = show_quantity(float(f"{1.05 * fault.least:.2g}"), "m", setting.shot.dress)
            said = f"The skin would need {fault.cells / 1e6:.0f} million cells at frame {scene.ask.frame:.0f}."
            raise ShotFault([Fault(row.id, "cell", f"{said} Accepted: cells of {least} or more.")]) from None
        paint = painted(particles, setting.shot.states)[who]
        made[row.id] = clad(vertices, faces, place, paint, particles.velocity[who])
    return made
