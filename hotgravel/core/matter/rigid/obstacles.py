"""What stands or is led, as bodies meet it: one entry for each prop of each collision row."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.drive.value import one
from hotgravel.core.matter.elements import Array
from hotgravel.core.matter.rigid.model import model_of, sheet_hull
from hotgravel.core.matter.rigid.support import (
    CORNER,
    CORNERS,
    FACE,
    FACES,
    HULL,
    KIND,
    MARGIN,
    MOST_CORNERS,
    PART_WIDTH,
    SIZE,
)
from hotgravel.core.shape.bvh import MeshTree, build_tree, join_trees
from hotgravel.core.shape.mesh import mesh_of
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.turns import matrices, spins
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot import props
from hotgravel.core.shot.matter import Collision

PART, SHEET, OUTSIDE, EITHER = range(4)
CONVEX = (props.Sphere, props.Box, props.Cylinder, props.Cone, props.Hemisphere)
FLAT = (props.Plane, props.Disc)


@dataclass(frozen=True)
class Library:
    """Convex parts with their corners, cores, faces and normals, as `support` has them."""

    parts: Array
    corners: Array
    cores: Array
    faces: NDArray[np.int64]
    normals: Array


NOTHING = Library(
    np.zeros((0, PART_WIDTH)), np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, MOST_CORNERS), np.int64),
    np.zeros((0, 3)),
)  # fmt: skip


@dataclass(frozen=True)
class Obstacle:
    """A prop as a collision row names it: its kind, its library (with one part, or none) or its mesh's root, the box in
    its own frame, the bits that it sets in `touched`, and the state that meets it (-1 for all)."""

    row: Collision
    prop: str
    kind: int
    library: Library | None
    root: int
    box: Array
    bits: int
    whom: int


@dataclass(frozen=True)
class Standing:
    """Obstacles on their way through a step: their numbers, table (M, 4) and parts (M,), places (M, 3), turns (M, 4)
    and (M, 3, 3), scales (M,), velocities and spins (M, 3), boxes in the world (M, 3), and the dials of their
    surfaces."""

    which: tuple[int, ...]
    table: Array
    part: NDArray[np.int64]
    place: Array
    quaternion: Array
    turn: Array
    scale: Array
    velocity: Array
    spin: Array
    low: Array
    high: Array
    friction: Array
    bounce: Array
    thickness: Array
    whom: NDArray[np.int64]
    bits: NDArray[np.uint64]
    library: Library


def obstacles_of(setting: Setting, moved: frozenset[str]) -> tuple[tuple[Obstacle, ...], MeshTree]:
    """All props of collision rows that no solver moves, and the triangles of those that are met by them."""
    found: list[Obstacle] = []
    trees: list[MeshTree] = []
    rooted: dict[str, int] = {}
    by_id = {prop.id: prop for prop in setting.shot.props}
    for row in (r for r in setting.shot.collisions if r.on):
        for prop in (p for p in row.props if p in by_id and p not in moved):
            shape = by_id[prop].shape
            bits, whom = setting.bit(prop), setting.state(row.whom)
            box = np.stack(setting.shapes[prop].box)
            if isinstance(shape, FLAT):
                found.append(Obstacle(row, prop, SHEET, _sheet(shape), 0, box, bits, whom))
            elif isinstance(shape, CONVEX) and row.side == "outside":
                found.append(Obstacle(row, prop, PART, _convex(shape), 0, box, bits, whom))
            else:
                shaped = setting.shapes[prop]
                if prop not in rooted:
                    plain = mesh_of(shape)[:2] if not len(shaped.faces) else (shaped.vertices, shaped.faces)
                    rooted[prop] = len(trees)
                    trees.append(build_tree(*plain))
                closed = shaped.has_volume and row.side == "outside"
                found.append(Obstacle(row, prop, OUTSIDE if closed else EITHER, None, rooted[prop], box, bits, whom))
    tree, roots = join_trees(trees)
    return tuple(
        o if o.library else Obstacle(o.row, o.prop, o.kind, None, roots[o.root], o.box, o.bits, o.whom) for o in found
    ), tree  # fmt: skip


def _convex(shape: props.Shape) -> Library:
    vertices, faces, _ = mesh_of(shape)
    model = model_of(shape, vertices, faces)
    turned = model.centre  # a hull is kept in its own frame; a prop's pose is that of its own
    corners, cores = (points @ model.axes.T + turned for points in (model.corners, model.cores))
    return Library(model.parts, corners, cores, model.face_of, model.normals @ model.axes.T)


def _sheet(shape: props.Shape) -> Library:
    corners, faces, normals = sheet_hull(mesh_of(shape)[0])
    part = np.zeros((1, PART_WIDTH))
    part[0, [KIND, CORNERS, FACES]] = HULL, len(corners), 2
    return Library(part, corners, corners, faces, normals)


def scaled(library: Library, scale: float) -> Library:
    """The same, so many times as large."""
    parts = library.parts.copy()
    parts[:, SIZE : SIZE + 3] *= scale
    parts[:, MARGIN] *= scale
    return Library(parts, library.corners * scale, library.cores * scale, library.faces, library.normals)


def joined(libraries: list[Library]) -> tuple[Library, NDArray[np.int64]]:
    """All parts in one library, and where each library's first part is."""
    firsts, made, part, corner, face = [], [NOTHING], 0, 0, 0
    for library in libraries:
        parts, faces = library.parts.copy(), library.faces.copy()
        parts[:, CORNER] += corner
        parts[:, FACE] += face
        faces[faces >= 0] += corner
        firsts.append(part)
        made.append(replace(library, parts=parts, faces=faces))
        part, corner, face = part + len(parts), corner + len(library.corners), face + len(faces)
    names = ("parts", "corners", "cores", "faces", "normals")
    whole = Library(**{name: np.concatenate([getattr(library, name) for library in made]) for name in names})
    return whole, np.array(firsts, np.int64)


def standing(obstacles: tuple[Obstacle, ...], scene: Scene, dt: float) -> Standing:
    """Where obstacles are at a step's start, and how they move through it."""
    which = [n for n, o in enumerate(obstacles) if o.prop in scene.poses]
    there = [obstacles[n] for n in which]
    start = [scene.poses[o.prop] for o in there]
    end = [scene.soon[o.prop] for o in there]
    m = len(there)
    library, first = joined([scaled(o.library, p.scale) for o, p in zip(there, start, strict=True) if o.library])
    part, at = np.zeros(m, np.int64), 0
    for n, o in enumerate(there):
        if o.library:
            part[n] = first[at]
            at += 1
    place, quaternion = _stack([p.position for p in start], 3), _stack([p.quaternion for p in start], 4)
    velocity = (_stack([p.position for p in end], 3) - place) / dt
    spin = spins(quaternion, _stack([p.quaternion for p in end], 4), dt)
    low, high = _boxes(there, start, end)
    ask = scene.ask
    dials = {name: np.array([one(o.row, name, ask) for o in there]) for name in ("friction", "bounce", "thickness")}
    return Standing(
        tuple(which), np.array([[o.kind, o.root, 0, 0] for o in there], float).reshape(-1, 4), part, place, quaternion,
        matrices(quaternion), np.array([p.scale for p in start]),
        velocity, spin, low, high, dials["friction"], dials["bounce"], dials["thickness"],
        np.array([o.whom for o in there], np.int64), np.array([o.bits for o in there], np.uint64), library,
    )  # fmt: skip


def _stack(rows: list[Array], width: int) -> Array:
    return np.array(rows).reshape(-1, width)


def _boxes(there: list[Obstacle], start: list[Pose], end: list[Pose]) -> tuple[Array, Array]:
    """The boxes in the world that obstacles stay in, at least at both ends and half a turn between."""
    low, high = np.empty((len(there), 3)), np.empty((len(there), 3))
    for n, (o, *poses) in enumerate(zip(there, start, end, strict=True)):
        ends = o.box
        corners = np.array([[x, y, z] for x in ends[:, 0] for y in ends[:, 1] for z in ends[:, 2]])
        points = np.concatenate([pose.to_world(corners) for pose in poses])
        low[n], high[n] = points.min(axis=0), points.max(axis=0)
    return low, high


def moving(there: Standing) -> Mapping[int, bool]:
    """Which obstacles move in this step, by their numbers."""
    going = np.abs(np.concatenate([there.velocity, there.spin], axis=1)).max(axis=1, initial=0.0) > 1e-9
    return {number: bool(moves) for number, moves in zip(there.which, going, strict=True)}
