"""Lumps: bodies that are bonded move as one, which turns about their common centre."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.elements import FOLLOWING, LOOSE
from hotgravel.core.matter.rigid.islands import groups
from hotgravel.core.matter.rigid.state import Bodies

Ints = NDArray[np.int64]


def summed(values: Array, of: Ints, count: int) -> Array:
    """The sums (count, ...) of values (n, ...) that belong to each number (n,), in their order."""
    flat = values.reshape(len(values), math.prod(values.shape[1:]))
    columns = [np.bincount(of, column, count) for column in flat.T]
    return np.stack(columns, axis=1).reshape(count, *values.shape[1:])


@dataclass(frozen=True)
class Lumps:
    """The lump (n,) of each body, counted in the order of their first bodies; those first bodies (m,), and how many
    bodies each has (m,)."""

    of: Ints
    first: Ints
    size: Ints

    @property
    def many(self) -> NDArray[np.bool_]:
        """Which bodies (n,) move with others."""
        result: NDArray[np.bool_] = self.size[self.of] > 1
        return result

    def any(self, marked: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Which bodies are in a lump with one that is marked."""
        found = np.zeros(len(self.first), bool)
        found[self.of[marked]] = True
        result: NDArray[np.bool_] = found[self.of]
        return result


def lumps_of(bodies: Bodies, bonded: Ints) -> Lumps:
    """The lumps that bonded pairs (B, 2) of bodies make. Tells bodies which is theirs, and whether what they hang on
    keeps them in place."""
    n = len(bodies)
    one, other = np.ascontiguousarray(bonded.T)
    lead = groups(n, one, other, np.ones(n, bool))
    first, of, size = np.unique(lead, return_inverse=True, return_counts=True)
    lumps = Lumps(of, first, size)
    bodies.supported[:] = lumps.any(bodies.pinned != LOOSE)
    bodies.lump[:] = bodies.id[lead]
    return lumps


@dataclass(frozen=True)
class Forces:
    """The forces on each body, as `advance_bodies` has them: pull, drift (n, 3), rate and bite (n,); and what blows add
    to its spin, turning (n, 3)."""

    pull: Array
    rate: Array
    drift: Array
    bite: Array
    turning: Array


@dataclass
class Movers:
    """What moves: a body by itself, or a lump. place, velocity, spin (m, 3), turn (m, 4), mass (m,), inertia (m, 3)
    about the principal axes, pull and drift (m, 3), rate and bite (m,) as forces have them."""

    place: Array
    turn: Array
    velocity: Array
    spin: Array
    mass: Array
    inertia: Array
    pull: Array
    drift: Array
    rate: Array
    bite: Array


def movers_of(lumps: Lumps, bodies: Bodies, inertia: Array, forces: Forces, dt: float) -> Movers:
    """Lumps with the mass, centre, inertia, momentum and spin of all their bodies (inertia (n, 3) about the bodies' own
    axes), and with the forces on them; what turns them in a step of dt seconds goes into their spin."""
    first = lumps.first
    spin = bodies.spin + forces.turning
    made = Movers(*(
        of[first].copy() for of in (bodies.position, bodies.turn, bodies.velocity, spin, bodies.mass, inertia,
                                    forces.pull, forces.drift, forces.rate, forces.bite)
    ))  # fmt: skip
    # A lump that is kept where it is goes nowhere, so any of its bodies stands for it.
    several = (lumps.size > 1) & ((bodies.supported == 0) | lumps.any(bodies.pinned == FOLLOWING))[lumps.first]
    who = np.flatnonzero(several[lumps.of])
    kept = np.flatnonzero((bodies.pinned != LOOSE) & lumps.many)
    made.velocity[lumps.of[kept]], made.spin[lumps.of[kept]] = 0.0, 0.0
    if not len(who):
        return made
    number = np.cumsum(several) - 1
    of, m = number[lumps.of[who]], int(several.sum())
    mass = bodies.mass[who, None]
    total = summed(mass, of, m)
    parts = {"place": bodies.position, "velocity": bodies.velocity, "pull": forces.pull, "drift": forces.drift,
             "rate": forces.rate[:, None], "bite": forces.bite[:, None]}  # fmt: skip
    for name, value in parts.items():
        column = getattr(made, name)
        column[several] = (summed(mass * value[who], of, m) / total).reshape(m, *column.shape[1:])
    turned = Rotation.from_quat(bodies.turn[who]).as_matrix()
    own = np.einsum("nij,nj,nkj->nik", turned, inertia[who], turned)
    arm = bodies.position[who] - made.place[several][of]
    far = (arm * arm).sum(axis=1)[:, None, None] * np.eye(3) - arm[:, :, None] * arm[:, None, :]
    tensor = summed(own + mass[:, :, None] * far, of, m)
    pushed = bodies.velocity[who] + dt * (forces.pull[who] + forces.drift[who])
    turning = summed(np.einsum("nij,nj->ni", own, spin[who]) + mass * np.cross(arm, pushed), of, m)
    principal, axes = np.linalg.eigh(tensor)
    axes[np.linalg.det(axes) < 0.0, :, 2] *= -1.0
    made.turn[several] = Rotation.from_matrix(axes).as_quat()
    made.inertia[several], made.mass[several] = principal, total[:, 0]
    made.spin[several] = np.linalg.solve(tensor, turning[:, :, None])[:, :, 0]
    # A lump that is led goes as the one of its bodies that leads it.
    leads = kept[bodies.pinned[kept] == FOLLOWING][::-1]
    led = lumps.of[leads]
    made.spin[led] = bodies.spin[leads]
    made.velocity[led] = bodies.velocity[leads] + np.cross(bodies.spin[leads], made.place[led] - bodies.position[leads])
    return made


def carried(lumps: Lumps, bodies: Bodies, before: Movers, after: Movers, which: NDArray[np.bool_]) -> None:
    """Bodies of lumps that are chosen (m,) go where those have gone, in place."""
    alone = which & (lumps.size == 1)
    one = lumps.first[alone]
    for name, column in (("position", "place"), ("turn", "turn"), ("velocity", "velocity"), ("spin", "spin")):
        getattr(bodies, name)[one] = getattr(after, column)[alone]
    who = np.flatnonzero((which & (lumps.size > 1))[lumps.of])
    if not len(who):
        return
    of = lumps.of[who]
    turned = Rotation.from_quat(after.turn[of]) * Rotation.from_quat(before.turn[of]).inv()
    arm = turned.apply(bodies.position[who] - before.place[of])
    bodies.position[who] = after.place[of] + arm
    bodies.turn[who] = (turned * Rotation.from_quat(bodies.turn[who])).as_quat()
    bodies.velocity[who] = after.velocity[of] + np.cross(after.spin[of], arm)
    bodies.spin[who] = after.spin[of]
