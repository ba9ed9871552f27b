"""From rows to the model: which vertices and energies a shot's soft things have."""

from dataclasses import dataclass

import numpy as np
from trimesh.remesh import subdivide_to_size

from hotgravel.core.matter.soft.bending import Plates, plates_of
from hotgravel.core.matter.soft.grids import filled, held_by, sheet
from hotgravel.core.matter.soft.model import (
    Array,
    Energies,
    Ints,
    Model,
    Surface,
    grouped,
    of_tets,
    of_triangles,
)
from hotgravel.core.shape.distance import gaps
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.props import Plane, Prop
from hotgravel.core.shot.soft import Cloth, Jelly

MOST_VERTICES = 100_000
THIN = 1e-9  # of a thing's size: what lies nearer together is one vertex
LEAST = 0.05  # of a block inside its shape: it counts as so much, or it would weigh nothing


@dataclass(frozen=True, eq=False)
class Thing:
    """One soft thing: its row, its prop, the number of its row among those that elements come from, and its vertices as
    a range of the model's."""

    row: Cloth | Jelly
    prop: Prop
    number: int
    first: int
    end: int


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
        if isinstance(row, Jelly) and not shape.has_volume:
            faults.append(Fault(row.id, "prop", "It has no inside to be filled. Accepted: a closed shape."))
            continue
        if isinstance(row, Cloth):
            _cloth(parts, row, props[row.prop], setting)
        else:
            _jelly(parts, row, shape, setting)
        things.append(Thing(row, props[row.prop], numbers[row.id], first, parts.count))
        if parts.count > MOST_VERTICES:
            said = f"That makes {parts.count} vertices in all. Accepted: {MOST_VERTICES}, as fewer segments make."
            faults.append(Fault(row.id, "segments", said))
            break
    if faults:
        raise ShotFault(faults)
    body = np.concatenate([np.full(t.end - t.first, n) for n, t in enumerate(things)] or [np.zeros(0, int)])
    return _joined(parts, body), tuple(things)


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


def _welded(vertices: Array, faces: Ints) -> tuple[Array, Ints]:
    """A mesh whose faces hang together by vertices that are one; faces without area are left out."""
    size = max(float(np.ptp(vertices, axis=0).max()), 1e-30)
    _, first, number = np.unique(np.round(vertices / (THIN * size)), axis=0, return_index=True, return_inverse=True)
    order = np.argsort(np.argsort(first))
    place, faces = vertices[np.sort(first)], order[number.ravel()[faces]]
    a, b, c = (place[faces[:, n]] for n in range(3))
    faces = faces[np.linalg.norm(np.cross(b - a, c - a), axis=1) > (THIN * size) ** 2]
    used, at = np.unique(faces, return_inverse=True)
    return place[used], at.reshape(-1, 3)


def _cloth(parts: Parts, row: Cloth, prop: Prop, setting: Setting) -> None:
    if isinstance(prop.shape, Plane):
        place, faces = sheet(prop.shape.width, prop.shape.depth, row.segments, row.weave)
    else:
        place, faces = _welded(*setting.mesh(prop.id))
    scale = setting.at_first[prop.id].scale
    scaled, first = scale * place, parts.count
    numbers, area = of_triangles(scaled, faces, row.stretch, row.shear)
    mass = np.bincount(faces.ravel(), np.repeat(row.weight * area / 3.0, 3), len(place)).astype(float)
    parts.add(place, mass)
    parts.triangles.append((faces + first, numbers))
    parts.plates.append(plates_of(scaled, faces, row.bend, first))
    alone = np.repeat(first + np.arange(len(place))[:, None], 4, axis=1)
    parts.surfaces.append(Surface(alone, np.eye(4)[np.zeros(len(place), int)], faces))


def _jelly(parts: Parts, row: Jelly, shape: Shaped, setting: Setting) -> None:
    # Its skin has corners as near together as its blocks, or it would meet others, and bend, at its own corners alone.
    side = max(float(np.max(shape.box[1] - shape.box[0])) / row.segments, 1e-9)
    vertices, faces = _welded(*subdivide_to_size(*_welded(*setting.mesh(row.prop)), side, max_iter=12))

    def distance(points: Array) -> Array:
        found: Array = gaps(shape.kind, shape.sizes, shape.tree, points, np.eye(3), np.zeros(3), 1.0)
        return found

    place, tets, share = filled(*shape.box, row.segments, distance)
    first = parts.count
    numbers, volume = of_tets(setting.at_first[row.prop].scale * place, tets, row.stiffness, row.squash)
    share = np.maximum(share, LEAST)
    numbers[:, 9] *= share  # a block that is half outside is half as strong, and weighs half as much
    mass = np.bincount(tets.ravel(), np.repeat(row.density * share * volume / 4.0, 4), len(place)).astype(float)
    parts.add(place, mass)
    parts.tets.append((tets + first, numbers))
    nodes, shares = held_by(vertices, place, tets)
    parts.surfaces.append(Surface(nodes + first, shares, faces))
