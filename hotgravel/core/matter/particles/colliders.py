"""What particles can hit during one step, as a table for the kernel."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.pose import Pose

Array = NDArray[np.float64]

# Columns of the table, a row for each surface: the shape's kind and sizes, the state that meets
# it (-1 all), the side (1 outside, -1 inside), the dials, its pose at the step's start (0) and
# end (1), and the box in the world that it stays in meanwhile.
# One plain array, because kernels pass it on at every call.
KIND, SIZES, WHOM, SIDE, BOUNCE, FRICTION, THICKNESS, MOVING = 0, 1, 4, 5, 6, 7, 8, 9
P0, P1, Q0, Q1, S0, S1, R0, LOW, HIGH = 10, 13, 16, 20, 24, 25, 26, 35, 38
CARRY, SCATTER, SPREAD, FRONT, WIDTH = 41, 42, 43, 44, 45


class Surface(NamedTuple):
    """One prop met under one collision row. `bit` is set in `touched` by a particle that meets it."""

    shape: Shaped
    bit: int
    whom: int
    side: float
    bounce: float
    friction: float
    thickness: float
    start: Pose
    end: Pose
    carry: float = 1.0
    scatter: float = 0.0
    spread: float = 0.0
    front: bool = False


class Colliders(NamedTuple):
    """table (C, WIDTH) as above, bits (C,) uint64."""

    table: Array
    bits: NDArray[np.uint64]


def table_of(surfaces: list[Surface]) -> Colliders:
    """The kernel's table."""
    table = np.zeros((len(surfaces), WIDTH))
    for row, s in zip(table, surfaces, strict=True):
        q0, q1 = s.start.quaternion, s.end.quaternion
        if q0 @ q1 < 0.0:
            q1 = -q1  # turn the short way
        row[[KIND, WHOM, SIDE]] = s.shape.kind, s.whom, s.side
        row[[BOUNCE, FRICTION, THICKNESS]] = s.bounce, s.friction, s.thickness
        row[[CARRY, SCATTER, SPREAD, FRONT]] = s.carry, np.radians(s.scatter), s.spread, float(s.front)
        row[SIZES : SIZES + 3] = s.shape.sizes
        row[P0 : P0 + 3], row[P1 : P1 + 3] = s.start.position, s.end.position
        row[Q0 : Q0 + 4], row[Q1 : Q1 + 4] = q0, q1
        row[S0], row[S1] = s.start.scale, s.end.scale
        row[R0 : R0 + 9] = s.start.matrix.ravel()
        still = (s.start.position == s.end.position).all() and (q0 == q1).all() and row[S0] == row[S1]
        row[MOVING] = 0.0 if still else 1.0
        row[LOW : LOW + 3], row[HIGH : HIGH + 3] = _room(s, bool(still))
    return Colliders(table, np.array([s.bit for s in surfaces], np.uint64))


def _room(s: Surface, still: bool) -> tuple[Array, Array]:
    """The box in the world that a surface stays in; for one met from inside, everywhere."""
    if s.side < 0.0:
        return np.full(3, -np.inf), np.full(3, np.inf)
    if still:
        ends = np.stack(s.shape.box)
        corners = s.start.to_world(np.array([[x, y, z] for x in ends[:, 0] for y in ends[:, 1] for z in ends[:, 2]]))
        return corners.min(axis=0), corners.max(axis=0)
    far = s.shape.reach * max(s.start.scale, s.end.scale)
    return np.minimum(s.start.position, s.end.position) - far, np.maximum(s.start.position, s.end.position) + far
