"""Held bodies are posed: where their rows have them, from how they stood at first."""

from collections.abc import Sequence

import numpy as np
from scipy.spatial.transform import Rotation

from hotgravel.core.drive.value import each
from hotgravel.core.matter.aims import unit
from hotgravel.core.matter.contract import Array
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.elements import PINNED
from hotgravel.core.matter.rigid.cast import Role
from hotgravel.core.matter.rigid.state import Bodies
from hotgravel.core.shape.turns import spins
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.posed import Along, Outward, Posed


def pose(rows: Sequence[Posed], roles: Sequence[Role], bodies: Bodies, scene: Scene, dt: float) -> None:
    """Put held bodies where their rows have them at the scene's moment, in place, with the velocity of dt seconds that
    led them there; with none where dt is 0."""
    for row in rows:
        mine = np.array([role.prop.id == row.prop for role in roles])[bodies.piece] & (bodies.pinned == PINNED)
        if row.within is not None and mine.any():
            mine &= scene.weight_in(row.within, bodies.rest) > 0.5
        who = np.flatnonzero(mine)
        if not len(who):
            continue
        at_home = bodies.where(mine).copy()
        at_home.position = at_home.rest.copy()
        ask = asking(at_home, scene)
        shift, turn, size = (np.broadcast_to(each(row, name, ask), len(who)) for name in ("shift", "turn", "size"))
        place = at_home.rest + shift[:, None] * _ways(row, at_home.rest, scene)
        turned = Rotation.from_rotvec(np.radians(turn)[:, None] * unit(np.array(row.axis, float)))
        now = (turned * Rotation.from_quat(at_home.begun)).as_quat()
        if dt > 0.0:
            bodies.velocity[who] = (place - bodies.position[who]) / dt
            bodies.spin[who] = spins(bodies.turn[who], now, dt)
        bodies.position[who], bodies.turn[who] = place, now
        models = np.array([(role.model.reach, role.row.density * role.model.volume) for role in roles])
        reach, weight = models[bodies.piece[who]].T
        bodies.scale[who] = size * bodies.size[who] / reach
        bodies.radius[who] = size * bodies.size[who]
        bodies.mass[who] = weight * bodies.scale[who] ** 3


def _ways(row: Posed, places: Array, scene: Scene) -> Array:
    """Unit vectors (n, 3) along which bodies at places (n, 3) are shifted."""
    match row.way:
        case Along(direction=direction):
            return np.tile(unit(np.array(direction, float)), (len(places), 1))
        case Outward(through=through, axis=axis):
            along, off = unit(np.array(axis, float)), places - np.array(through, float)
            across = off - (off @ along)[:, None] * along
            long = np.linalg.norm(across, axis=1)[:, None]
            outward: Array = across / np.maximum(long, 1e-12)
            return outward
    distance, toward = scene.toward(row.way.prop, places)
    result: Array = -np.sign(distance)[:, None] * toward
    return result
