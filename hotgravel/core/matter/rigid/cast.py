"""The cast: the bodies that rows ask for, where they begin and when."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.value import one
from hotgravel.core.matter.elements import FOLLOWING, LOOSE, PINNED, Array
from hotgravel.core.matter.paint import HAS_COLOUR
from hotgravel.core.matter.rigid.model import Model
from hotgravel.core.matter.rigid.state import Bodies
from hotgravel.core.shape.copies import stacked, turned_by
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.sample import in_volume, on_surface
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.copies import Stacked
from hotgravel.core.shot.props import Prop, Sphere
from hotgravel.core.shot.rigid import InPieces, Poured, Rigid, Scattered

BEGINS = {"loose": LOOSE, "held": PINNED, "following": FOLLOWING}
DRAWS = 10  # uniform numbers for each copy: 4 place, size, 3 turn, speed, spin
APART = 1.02  # times both reaches: nearer than that, poured ones wait


@dataclass(frozen=True)
class Role:
    """A row with its references made numbers: its prop, its number among the origins, the model and the piece it is
    drawn with, its state."""

    row: Rigid
    prop: Prop
    number: int
    model: Model
    piece: int
    state: int
    shape: Shaped  # what particles meet
    part: int = 0  # which piece of its prop it is, where that is cut

    @property
    def ball(self) -> bool:
        return isinstance(self.prop.shape, Sphere) and not isinstance(self.row.copies, InPieces)

    @cached_property
    def key(self) -> str:
        """What it is known by among those that have begun."""
        return f"{self.row.id} {self.part}" if isinstance(self.row.copies, InPieces) else self.row.id

    @cached_property
    def narrow(self) -> float:
        """From the centre to the nearest of its faces, about, for one unit of scale."""
        return float(np.abs(self.model.vertices).max(axis=0).min())


def begin(role: Role, pose: Pose, scene: Scene, shapes: dict[str, Shaped]) -> Bodies:
    """The bodies of a row at the first frame; none for one that is poured. Their prop stands at a pose."""
    copies = role.row.copies
    if isinstance(copies, Poured):
        return Bodies.blank(0)
    if isinstance(copies, Scattered):
        return _scattered(role, copies, pose, scene, shapes)
    places, n = np.zeros((1, 3)), 1
    u = np.full((1, DRAWS), 0.5)
    if isinstance(copies, Stacked):
        places = _grid(role, copies, pose)
        n = len(places)
        u = _draws(role, copies.seed, np.arange(n, dtype=np.uint64))
    return placed(role, pose, pose.position + places, u)


def _grid(role: Role, copies: Stacked, pose: Pose) -> Array:
    box = pose.scale * np.ptp(role.model.vertices @ role.model.axes.T @ pose.matrix.T, axis=0) * (1.0 + _spread(role))
    return stacked((copies.across, copies.up, copies.deep), box + copies.gap)


def _spread(role: Role) -> float:
    return getattr(role.row.copies, "size_spread", 0.0)


def _scattered(role: Role, copies: Scattered, pose: Pose, scene: Scene, shapes: dict[str, Shaped]) -> Bodies:
    if copies.on not in scene.poses:
        return Bodies.blank(0)
    ground = scene.poses[copies.on]
    u = _draws(role, copies.seed, np.arange(copies.count, dtype=np.uint64))
    points, normals = on_surface(shapes[copies.on], u[:, :4])
    reach = role.model.reach * pose.scale * (1.0 + _spread(role) * (2.0 * u[:, 4:5] - 1.0))
    places = ground.to_world(points) + (reach + copies.lift) * ground.turn(normals)
    keep = _apart(places, reach[:, 0])
    return placed(role, pose, places[keep], u[keep], centred=True)


def _apart(places: Array, reach: Array) -> NDArray[np.bool_]:
    """Which of the places (n,) keep clear of all before them."""
    keep = np.ones(len(places), bool)
    for i, j in sorted(cKDTree(places).query_pairs(2.0 * float(reach.max()))):
        close = np.linalg.norm(places[i] - places[j]) < reach[i] + reach[j]
        if close and keep[i] and keep[j]:
            keep[max(i, j)] = False
    return keep


def pour(role: Role, given: int, count: int, pose: Pose, scene: Scene, shape: Shaped, there: Bodies) -> Bodies:
    """The next `count` bodies out of a source's prop, of which those are left that have room among those there."""
    copies = role.row.copies
    assert isinstance(copies, Poured)
    if not count or copies.source not in scene.poses:
        return Bodies.blank(0)
    index = np.arange(given, given + count, dtype=np.uint64)
    u, source = _draws(role, copies.seed, index), scene.poses[copies.source]

    def again(which: NDArray[np.int64], attempt: int) -> Array:
        return uniforms(index[which], 4, seed=copies.seed, who=role.row.id, purpose=1 + attempt)

    points = (in_volume(shape, u[:, :4], again) if shape.has_volume else on_surface(shape, u[:, :4]))[0]
    new = placed(role, pose, source.to_world(points), u, centred=True)
    speed = one(copies, "speed", scene.ask) * (1.0 + copies.speed_spread * (2.0 * u[:, 8] - 1.0))
    new.velocity[:, 1] = -speed
    axis = Rotation.from_quat(new.turn).as_matrix()[:, 0]
    new.spin[:] = (np.radians(copies.spin) * u[:, 9])[:, None] * axis
    return new.where(_room(new, there))


def _room(new: Bodies, there: Bodies) -> NDArray[np.bool_]:
    """Which new bodies (n,) would begin in nobody."""
    free = np.ones(len(new), bool)
    for i in range(len(new)):
        place, reach = new.position[i], new.radius[i]
        for crowd, chosen in ((there, np.ones(len(there), bool)), (new, free & (np.arange(len(new)) < i))):
            off = np.linalg.norm(crowd.position[chosen] - place, axis=1)
            free[i] &= not (off < APART * (reach + crowd.radius[chosen])).any()
    return free


def _draws(role: Role, seed: int, index: NDArray[np.uint64]) -> Array:
    return uniforms(index, DRAWS, seed=seed, who=role.row.id)


def placed(role: Role, pose: Pose, places: Array, u: Array, *, centred: bool = False) -> Bodies:
    """New bodies whose props stand at places (n, 3), or whose centres do; u (n, DRAWS) decides how they differ."""
    row, model, n = role.row, role.model, len(places)
    made = Bodies.blank(n)
    made.scale[:] = pose.scale * (1.0 + _spread(role) * (2.0 * u[:, 4] - 1.0))
    turned = turned_by(getattr(row.copies, "turn", "alike"), u[:, 5:8]) * Rotation.from_quat(pose.quaternion)
    frame = turned * Rotation.from_matrix(model.axes)
    made.turn[:] = frame.as_quat()
    made.begun[:] = made.turn
    middle = 0.0 if centred else made.scale[:, None] * turned.apply(model.centre)
    made.position[:] = places + middle
    made.rest[:] = made.position
    made.radius[:] = made.size[:] = model.reach * made.scale
    made.mass[:] = row.density * model.volume * made.scale**3
    made.temperature[:] = row.temperature
    made.colour[:] = int(role.prop.colour[1:], 16) + HAS_COLOUR
    made.piece[:], made.source[:], made.state[:] = role.piece, role.number, role.state
    made.pinned[:] = BEGINS[row.begins]
    return made


def due(copies: Poured, owed: float, frame: float, ahead: float, dt: float, scene: Scene) -> tuple[int, float]:
    """How many bodies a source gives in a step, and the fraction that it then still owes."""
    if frame + ahead <= copies.start or frame >= copies.end + 1:
        return 0, owed
    given = owed + one(copies, "rate", scene.ask) * dt
    count = int(np.floor(given + 1e-9))
    return count, given - count
