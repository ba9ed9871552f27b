"""Sleep: bodies that lie still are left alone until something stirs them."""

from typing import TYPE_CHECKING

import numpy as np

from hotgravel.core.lengths import lengths
from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.rigid.contacts import Contacts, ends_of
from hotgravel.core.matter.rigid.islands import DROWSY, QUIET, STILL, STIR, reached
from hotgravel.core.matter.rigid.lumps import Lumps
from hotgravel.core.matter.rigid.obstacles import Standing, moving
from hotgravel.core.matter.rigid.state import Bodies

if TYPE_CHECKING:
    from hotgravel.core.matter.rigid.solver import RigidSolver

CHANGED = 0.05  # m/s²: steady forces that change by more wake a body
TREMBLES, STAYS = 10.0, 0.01  # times the speed of what is still; of a body's reach: where it stays meanwhile


def wake(
    solver: "RigidSolver", bodies: Bodies, lumps: Lumps, contacts: Contacts, steady: Array, there: Standing
) -> None:
    """Bodies wake that are moved, that feel other forces, or whose neighbours moved or are gone; and those that few
    contacts join to them."""
    stirred = np.where(bodies.asleep > 0, speeds(bodies) > STILL, bodies.still == 0.0)
    stirred |= np.abs(steady - bodies.felt).max(axis=1, initial=0.0) > CHANGED
    free = bodies.supported == 0
    stirred &= free
    bodies.felt[:] = steady
    if not bodies.asleep.any():
        return
    ids, places = contacts.ids, ends_of(bodies, contacts.ids)
    going = np.ones(len(solver.obstacles) + 1, bool)  # the last stands for those that are gone
    for number, moves in moving(there).items():
        going[number] = moves
    for side in (0, 1):
        mine, partner = places[:, side], ids[:, 1 - side]
        lost = (partner >= 0) & (places[:, 1 - side] < 0)
        led = (partner < 0) & going[np.clip(-1 - partner, -1, len(solver.obstacles))]
        hit = mine[(lost | led) & (mine >= 0)]
        stirred[hit] = True
    ends = places[(places >= 0).all(axis=1)]
    woken = reached(lumps.any(stirred), ends[:, 0], ends[:, 1], free, STIR)
    bodies.asleep[lumps.any(woken) | ~free] = 0


def settle(bodies: Bodies, lumps: Lumps, new: Contacts, dt: float) -> None:
    """Bodies that lie still for a while, and those about them too, sleep."""
    speed = speeds(bodies)
    # What trembles in place lies still; what creeps does not.
    off = lengths(bodies.position - bodies.lay) + bodies.radius * 2.0 * np.linalg.norm(
        bodies.turn - bodies.lay_turn * np.sign((bodies.turn * bodies.lay_turn).sum(axis=1))[:, None], axis=1
    )
    slow = (speed < STILL) | ((speed < TREMBLES * STILL) & (off < STAYS * bodies.radius))
    bodies.still[:] = np.where(slow, bodies.still + dt, 0.0)
    bodies.lay[~slow], bodies.lay_turn[~slow] = bodies.position[~slow], bodies.turn[~slow]
    loose = bodies.supported == 0
    asleep = new.asleep[(new.asleep >= 0).all(axis=1)]  # without those of obstacles
    one, other = np.append(new.one, asleep[:, 0]), np.append(new.other, asleep[:, 1])
    awake = reached(lumps.any((bodies.still < DROWSY) & loose), one, other, loose, QUIET)
    sleeps = ~lumps.any(awake) & loose
    bodies.asleep[:] = sleeps
    bodies.velocity[sleeps], bodies.spin[sleeps] = 0.0, 0.0


def speeds(bodies: Bodies) -> Array:
    """The speed of each body's fastest point, at most."""
    result: Array = bodies.speed + lengths(bodies.spin) * bodies.radius
    return result
