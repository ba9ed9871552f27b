"""Forces on particles, gathered by state before the step.

A force adds to four columns of a table with a row for each state; together they make the
equation of motion of a particle in that state,

    dv/dt = pull + rate (aim - v) - bite |v| v

where `rate * aim` is kept as one column, so that several winds and drags add up.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.drive.value import scalar, vector
from hotgravel.core.shot.forces import Force, Gravity, LinearDrag, QuadraticDrag, Wind

Array = NDArray[np.float64]


@dataclass(frozen=True)
class ForceTable:
    """For S states: pull (S, 3) m/s², rate (S,) 1/s, drift (S, 3) = rate * aim, bite (S,) 1/m."""

    pull: Array
    rate: Array
    drift: Array
    bite: Array


def unit(direction: Array) -> Array:
    """The direction at length one; zero stays zero (keys may pass through it)."""
    length = float(np.sqrt(direction @ direction))
    return direction / length if length > 0 else direction


def gravity(table: ForceTable, who: slice, force: Gravity, frame: float) -> None:
    table.pull[who] += scalar(force.strength, frame) * unit(vector(force.direction, frame))


def linear_drag(table: ForceTable, who: slice, force: LinearDrag, frame: float) -> None:
    table.rate[who] += scalar(force.rate, frame)


def quadratic_drag(table: ForceTable, who: slice, force: QuadraticDrag, frame: float) -> None:
    table.bite[who] += scalar(force.strength, frame)


def wind(table: ForceTable, who: slice, force: Wind, frame: float) -> None:
    grip = scalar(force.grip, frame)
    table.rate[who] += grip
    table.drift[who] += grip * scalar(force.speed, frame) * unit(vector(force.direction, frame))


ADD: dict[type, Callable[..., None]] = {
    Gravity: gravity,
    LinearDrag: linear_drag,
    QuadraticDrag: quadratic_drag,
    Wind: wind,
}


def gather(forces: list[Force], states: dict[str, int], frame: float) -> ForceTable:
    """The table at a frame (fractional within a step). `states` maps a state's id to its row."""
    n = max(1, len(states))
    table = ForceTable(np.zeros((n, 3)), np.zeros(n), np.zeros((n, 3)), np.zeros(n))
    for force in forces:
        who = slice(None) if force.whom is None else slice(states[force.whom], states[force.whom] + 1)
        ADD[type(force)](table, who, force, frame)
    return table
