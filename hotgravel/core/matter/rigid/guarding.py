"""No centre passes through an obstacle, however fast it is or whatever pushed it."""

from typing import TYPE_CHECKING

import numpy as np
from numba import njit, prange

from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.rigid.lumps import Lumps
from hotgravel.core.matter.rigid.state import Bodies
from hotgravel.core.shape.colliders import colliders_of, contact_at, first_hit
from hotgravel.core.shape.sweep import MISS
from hotgravel.core.shape.zones import Scene

if TYPE_CHECKING:
    from hotgravel.core.matter.rigid.solver import RigidSolver

CORE = 0.25  # of the reach of a body's narrowest part: the ball that no obstacle may pass


@njit(cache=True, parallel=True, nogil=True)
def _stopped(start, end, state, radius, table, tree, dt, velocity):
    """Centres that would pass through an obstacle are stopped at it, in place, with what led them on."""
    for i in prange(len(start)):
        x0, y0, z0 = start[i, 0], start[i, 1], start[i, 2]
        x1, y1, z1 = end[i, 0], end[i, 1], end[i, 2]
        t, j = first_hit(table, tree, state[i], x0, y0, z0, x1, y1, z1, 0.0, radius[i])
        if t >= MISS or t >= 1.0:
            continue
        x, y, z, nx, ny, nz, ux, uy, uz, _lx, _ly, _lz = contact_at(
            table, tree, j, x0, y0, z0, x1, y1, z1, 0.0, t, radius[i], dt
        )
        end[i, 0] = x + (1.0 - t) * dt * ux
        end[i, 1] = y + (1.0 - t) * dt * uy
        end[i, 2] = z + (1.0 - t) * dt * uz
        inward = (velocity[i, 0] - ux) * nx + (velocity[i, 1] - uy) * ny + (velocity[i, 2] - uz) * nz
        if inward < 0.0:
            velocity[i, 0] -= inward * nx
            velocity[i, 1] -= inward * ny
            velocity[i, 2] -= inward * nz


def guard(solver: "RigidSolver", bodies: Bodies, lumps: Lumps, before: Array, scene: Scene, dt: float) -> None:
    """No centre passes through an obstacle, whatever pushed it: its way is swept, as those of particles are. A
    lump is kept back whole, by the one of its bodies that came farthest through."""
    table = colliders_of(solver.setting, scene).table
    who = np.flatnonzero((bodies.supported == 0) & (bodies.asleep == 0))
    if not len(table) or not len(who):
        return
    narrow = solver.narrow[bodies.piece[who]]
    end, velocity = bodies.position[who], bodies.velocity[who]
    _stopped(
        before[who], end, bodies.state[who], CORE * narrow * bodies.scale[who], table, solver.setting.tree, dt, velocity
    )
    back, slower = np.zeros((len(bodies), 3)), np.zeros((len(bodies), 3))
    back[who], slower[who] = end - bodies.position[who], velocity - bodies.velocity[who]
    kept = np.flatnonzero((back != 0.0).any(axis=1))
    if not len(kept):
        return
    farthest = np.full(len(lumps.first), -1)
    for body in kept[np.argsort((back[kept] ** 2).sum(axis=1), kind="stable")]:
        farthest[lumps.of[body]] = body
    mine = np.flatnonzero(farthest[lumps.of] >= 0)
    led = farthest[lumps.of[mine]]
    bodies.position[mine] += back[led]
    bodies.velocity[mine] += slower[led]
