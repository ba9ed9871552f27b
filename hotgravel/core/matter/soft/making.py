"""From rows to the model: which vertices and energies a shot's soft things have."""

from dataclasses import dataclass

import numpy as np
from scipy.spatial.transform import Rotation

from hotgravel.core.chance import uniforms
from hotgravel.core.drive.value import one
from hotgravel.core.matter.soft.bending import Plates, plates_of
from hotgravel.core.matter.soft.grids import ball, filled, held_by, sheet
from hotgravel.core.matter.soft.model import (
    Array,
    Energies,
    Ints,
    Model,
    Surface,
    grouped,
    of_tets,
    of_triangles,
    volume_of,
    woven,
)
from hotgravel.core.shape.copies import stacked, turned_by
from hotgravel.core.shape.distance import gaps
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.welding import finer, welded
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.copies import Stacked
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.props import Plane, Prop, Sphere
from hotgravel.core.shot.soft import Balloon, Cloth, Jelly

MOST_VERTICES = 100_000
BALL = 0.525  # parts that an icosahedron's edge goes into, for each segment of its ball
LEAST = 0.05  # of a block inside its shape: it counts as so much, or it would weigh nothing


@dataclass(frozen=True, eq=False)
class Thing:
    """One soft thing: its row, its prop, the number of its row among those that elements come from, its vertices as
    a range of the model's, and by how much its numbers run behind, seconds."""

    row: Cloth | Jelly | Balloon
    prop: Prop
    number: int
    first: int
    end: int
    late: float = 0.0

    def begun(self, model: Model, scene: Scene) -> Array:
        """Its vertices (n, 3) as they begin, as its prop has them: a balloon is as large as its size says."""
        place = model.place[self.first : self.end]
        if isinstance(self.row, Balloon):
            middle = place.mean(axis=0)
            return np.asarray(middle + one(self.row, "size", scene.ask.later(-self.late)) * (place - middle))
        return place


@dataclass(eq=False)
class Parts:
    """What things are put together from, until all of them are there."""

    place: list[Array]
    mass: list[Array]
    triangles: list[tuple[Ints, Array]]
    plates: list[Plates]
    tets: list[tuple[Ints, Array]]
    surfaces: list[Surface]
    count: int = 0

    def add(self, place: Array, mass: Array) -> None:
        self.place.append(place)
        self.mass.append(mass)
        self.count += len(place)


def made_of(setting: Setting) -> tuple[Model, tuple[Thing, ...]]:
    """The model of all soft things, each as it stands at the first frame. Raises `ShotFault`."""
    shot, faults = setting.shot, list[Fault]()
    parts, things = Parts([], [], [], [], [], []), list[Thing]()
    numbers = {row.id: n for n, row in enumerate(shot.origins)}
    props = {prop.id: prop for prop in shot.props}
    for row in (row for row in shot.soft if row.prop in props):
        shape, first = setting.shapes[row.prop], parts.count
        if not isinstance(row, Cloth) and not shape.has_volume:
            faults.append(Fault(row.id, "prop", "It has no inside to be filled. Accepted: a closed shape."))
            continue
        late = [0.0]
        try:
            if isinstance(row, Cloth):
                _cloth(parts, row, props[row.prop], setting)
            elif isinstance(row, Jelly):
                _jelly(parts, row, shape, setting)
            else:
                late = _balloons(parts, row, props[row.prop], setting)
        except ShotFault as told:
            faults += told.faults
            break
        each = (parts.count - first) // len(late)
        things += [
            Thing(row, props[row.prop], numbers[row.id], first + n * each, first + (n + 1) * each, by)
            for n, by in enumerate(late)
        ]
    if faults:
        raise ShotFault(faults)
    body = np.concatenate([np.full(t.end - t.first, n) for n, t in enumerate(things)] or [np.zeros(0, int)])
    return _joined(parts, body), tuple(things)


def _make_room(parts: Parts, row: Cloth | Jelly | Balloon, more: int, least: bool = False) -> None:
    """Raises `ShotFault` if so many more vertices, or at least so many, would be too many."""
    count = parts.count + more
    if count > MOST_VERTICES:
        many = f"more than {count}" if least else f"{count}"
        told = f"That makes {many} vertices in all. Accepted: {MOST_VERTICES}, as fewer segments make."
        raise ShotFault([Fault(row.id, "segments", told)])


def _joined(parts: Parts, body: Ints) -> Model:
    def energies(of: list[tuple[Ints, Array]], wide: int, long: int) -> Energies:
        nodes = np.concatenate([n for n, _ in of] or [np.zeros((0, wide), np.int64)])
        numbers = np.concatenate([n for _, n in of] or [np.zeros((0, long))])
        return grouped(nodes.astype(np.int64), numbers, parts.count)

    return Model(
        np.concatenate(parts.place or [np.zeros((0, 3))]), np.concatenate(parts.mass or [np.zeros(0)]), body,
        energies(parts.triangles, 3, 7), energies(parts.tets, 4, 12), Plates.joined(parts.plates),
        parts.surfaces,
    )  # fmt: skip


def _mass(faces: Ints, area: Array, weight: float, count: int) -> Array:
    """A third of what each face weighs, at each of its corners (count,)."""
    found: Array = np.bincount(faces.ravel(), np.repeat(weight * area / 3.0, 3), count).astype(float)
    return found


def _cloth(parts: Parts, row: Cloth, prop: Prop, setting: Setting) -> None:
    if isinstance(prop.shape, Plane):
        place, faces = sheet(prop.shape.width, prop.shape.depth, row.segments, row.weave)
    else:
        place, faces = welded(*setting.mesh(prop.id))
    _make_room(parts, row, len(place))
    scale = setting.at_first[prop.id].scale
    scaled, first = scale * place, parts.count
    numbers, area = of_triangles(scaled, faces)
    before = sum(len(nodes) for nodes, _ in parts.triangles)
    parts.add(place, _mass(faces, area, row.weight, len(place)))
    parts.triangles.append((faces + first, numbers))
    parts.plates.append(plates_of(scaled, faces, first=first, before=before))
    parts.surfaces.append(woven(first + np.arange(len(place)), faces))


def _balloons(parts: Parts, row: Balloon, prop: Prop, setting: Setting) -> list[float]:
    """The skins of all copies; returns by how much each runs behind, seconds."""
    if isinstance(prop.shape, Sphere):
        place, faces = welded(*ball(prop.shape.radius, max(1, round(BALL * row.segments))))
    else:
        whole = setting.mesh(prop.id)
        place, faces = finer(*whole, max(float(np.ptp(whole[0], axis=0).max()) / row.segments, 1e-9))
    if volume_of(place, faces) < 0.0:
        faces = faces[:, ::-1]
    copies, pose = row.copies, setting.at_first[prop.id]
    _make_room(parts, row, copies.number * len(place))
    places, sizes, turns = np.zeros((1, 3)), np.ones(1), Rotation.identity(1)
    seed = copies.seed if isinstance(copies, Stacked) else 0
    u = uniforms(np.arange(copies.number, dtype=np.uint64), 5, seed=seed, who=row.id)
    if isinstance(copies, Stacked):
        box = np.ptp(place, axis=0) * (1.0 + copies.size_spread)
        places = stacked((copies.across, copies.up, copies.deep), box + copies.gap / pose.scale)
        sizes, turns = 1.0 + copies.size_spread * (2.0 * u[:, 1] - 1.0), turned_by(copies.turn, u[:, 2:])
    for n, (at, size) in enumerate(zip(places, sizes, strict=True)):
        mine, first = at + size * turns[n].apply(place), parts.count
        numbers, area = of_triangles(pose.scale * mine, faces)
        parts.add(mine, _mass(faces, area, row.weight, len(mine)))
        parts.triangles.append((faces + first, numbers))
        parts.surfaces.append(woven(first + np.arange(len(mine)), faces))
    late: list[float] = (row.late * u[:, 0]).tolist()
    return late


def _jelly(parts: Parts, row: Jelly, shape: Shaped, setting: Setting) -> None:
    # Its skin has corners as near together as its blocks, or it would meet others, and bend, at its own corners alone.
    side = max(float(np.max(shape.box[1] - shape.box[0])) / row.segments, 1e-9)
    whole = setting.mesh(row.prop)
    _make_room(parts, row, int(volume_of(*whole) / side**3), least=True)  # each block has a corner of its own
    vertices, faces = finer(*whole, side)

    def distance(points: Array) -> Array:
        found: Array = gaps(shape.kind, shape.sizes, shape.tree, points, np.eye(3), np.zeros(3), 1.0)
        return found

    place, tets, share = filled(*shape.box, row.segments, distance)
    _make_room(parts, row, len(place))
    first = parts.count
    numbers, volume = of_tets(setting.at_first[row.prop].scale * place, tets, row.squash)
    share = np.maximum(share, LEAST)
    numbers[:, 9] *= share  # a block that is half outside is half as strong, and weighs half as much
    mass = np.bincount(tets.ravel(), np.repeat(row.density * share * volume / 4.0, 4), len(place)).astype(float)
    parts.add(place, mass)
    parts.tets.append((tets + first, numbers))
    nodes, shares = held_by(vertices, place, tets)
    parts.surfaces.append(Surface(nodes + first, shares, faces))
