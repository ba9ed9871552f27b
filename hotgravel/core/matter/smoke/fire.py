"""Fuel that burns: it heats, swells and leaves soot."""

import numpy as np

from hotgravel.core.drive.ask import Ask
from hotgravel.core.drive.value import one
from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.fluid.project import Grid
from hotgravel.core.matter.smoke.cells import AIR
from hotgravel.core.shot.smoke import Fire


def burn(arrays: dict[str, Array], row: Fire, ask: Ask, dt: float) -> Grid:
    """Burn fuel where it is hot enough, in place. Returns how much each cell swells each second, 1/s."""
    fuel, heat = arrays["fuel"], arrays["heat"]
    lit = (heat + AIR > one(row, "ignition", ask)) & (fuel > 0.0)
    burnt = np.where(lit, fuel * np.float32(-np.expm1(-dt * one(row, "rate", ask))), np.float32(0.0))
    fuel -= burnt
    heat += np.float32(one(row, "heat", ask)) * burnt
    arrays["density"] += np.float32(one(row, "soot", ask)) * burnt
    arrays["flame"] = burnt / np.float32(dt)
    swells: Grid = np.float32(one(row, "swell", ask)) * arrays["flame"]
    return swells
