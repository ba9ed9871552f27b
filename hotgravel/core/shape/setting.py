"""The setting of a shot: its props with their shapes and poses, its zones and fields, and the clock."""

from collections.abc import Callable, Container, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from hashlib import sha256
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.drive.value import one
from hotgravel.core.shape.bvh import MeshTree, empty_tree, join_trees
from hotgravel.core.shape.cells import NotCut
from hotgravel.core.shape.cutting import Cutting
from hotgravel.core.shape.distance import MESH
from hotgravel.core.shape.dividing import Surroundings, cutting_of, shape_of
from hotgravel.core.shape.edges import Lines
from hotgravel.core.shape.grid import GridFault, VelocityGrid, read_grid
from hotgravel.core.shape.kinds import Shaped, shaped
from hotgravel.core.shape.mesh import MeshFault, Solid, mesh_of, solid
from hotgravel.core.shape.pose import Pose, moves, pose_at
from hotgravel.core.shape.shelf import is_known
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.cut import Cut
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finish import Quality
from hotgravel.core.shot.props import Lettering, Mesh, Prop
from hotgravel.core.shot.zones import Level, Strokes

FindMesh = Callable[[str], Any]  # a file's name to its path
LATELY = 8  # frames whose poses are kept
AHEAD = 1.0 / 64.0  # of a frame: how far on a moment without a step looks for how props move
NOTHING = 1e-6  # times its size: a prop that small is not there
ANY_PROP = 63  # the bit of `touched` that stands for every prop
NO_PLACES: Mapping[str, tuple[Pose, Pose]] = {}


@dataclass(frozen=True)
class Setting:
    """What all solvers of a run share; nothing in it changes during the run.

    `states` numbers the states, `bits` the props whose touches cues look for; `solvers_place` names the props that
    solvers move: their poses are not those of their rows. `cuttings` has what the cut props fall into, `pieces` those
    pieces as shapes in the tree.
    """

    shot: Shot
    quality: Quality
    shapes: dict[str, Shaped]
    lines: dict[str, Lines]
    grids: dict[str, VelocityGrid]
    tree: MeshTree
    states: dict[str, int]
    bits: dict[str, int]
    at_first: dict[str, Pose]
    standing: dict[str, Pose]
    cuttings: dict[str, Cutting] = field(default_factory=dict)
    pieces: dict[str, tuple[Shaped, ...]] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    solvers_place: frozenset[str] = field(default_factory=frozenset)
    lately: dict[float, dict[str, Pose]] = field(default_factory=dict, repr=False)  # poses by frame, of some frames
    met_lately: list[tuple[Any, Any]] = field(default_factory=list, repr=False)  # for `colliders_of` alone

    def state(self, row: str | None) -> int:
        """The number of a state; -1 for all."""
        return -1 if row is None else self.states[row]

    def bit(self, prop: str) -> int:
        """The bits of `touched` that a prop sets."""
        return (1 << ANY_PROP) | (1 << self.bits[prop] if prop in self.bits else 0)

    @cached_property
    def met(self) -> list[tuple[str, bool]]:
        """The props that collisions name for all matter, and whether they are met from inside."""
        rows = [row for row in self.shot.collisions if row.on and row.whom is None]
        return [(prop, row.side == "inside") for row in rows for prop in row.props if prop in self.shapes]

    def mesh(self, prop: str) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
        """The triangles of a prop in its own frame: vertices (V, 3), faces (F, 3)."""
        shape = self.shapes[prop]
        if len(shape.faces):
            return np.asarray(shape.vertices, float), shape.faces
        vertices, faces = mesh_of(next(p.shape for p in self.shot.props if p.id == prop))[:2]
        return np.asarray(vertices, float), np.asarray(faces, np.int64)

    def row_poses(self, frame: float, gone: Container[str] = ()) -> dict[str, Pose]:
        """Where the rows of props have them at a frame, but for those that are gone or have no size."""
        there = self.all_poses(frame)
        return {prop: pose for prop, pose in there.items() if prop not in gone and pose.scale > NOTHING}

    def all_poses(self, frame: float) -> dict[str, Pose]:
        """Where the rows of all props have them at a frame; solvers ask for the same few again and again."""
        found = self.lately.get(frame)
        if found is None:
            ask = self.shot.clock.at(frame)
            found = {p.id: self.standing.get(p.id) or pose_at(p, ask) for p in self.shot.props}
            if len(self.lately) >= LATELY:
                self.lately.clear()  # at once, as another thread may measure the frame before
            self.lately[frame] = found
        return found

    def poses(self, frame: float, gone: Container[str] = ()) -> dict[str, Pose]:
        """Where props stand at a frame, but for those that are gone, have no size or are moved by a solver."""
        return {p: pose for p, pose in self.row_poses(frame, gone).items() if p not in self.solvers_place}

    def beginning(self) -> Scene:
        """Where all props are as all begins, those too that solvers move from then on."""
        placed = {prop: (pose, pose) for prop, pose in self.at_first.items() if prop in self.solvers_place}
        return self.scene(self.shot.finish.begins, placed=placed)

    def scene(
        self, frame: float, ahead: float = AHEAD, gone: Container[str] = (),
        placed: Mapping[str, tuple[Pose, Pose]] = NO_PLACES, grids: Mapping[str, VelocityGrid] | None = None,
    ) -> Scene:  # fmt: skip
        """Where all is at a frame, and where it will be `ahead` frames later. `gone` names absent props, `placed` has
        those that solvers move, then and later, `grids` the air that solvers move."""
        now, soon = self.poses(frame, gone), self.poses(frame + ahead, gone)
        now = {p: pose for p, pose in now.items() if p in soon}  # what is about to vanish hits nothing
        for prop, (pose, later) in placed.items():
            if prop not in gone:
                now[prop], soon[prop] = pose, later
        return Scene(
            zones=self.shot.zones, fields=self.shot.fields, grids={**self.grids, **(grids or {})}, shapes=self.shapes,
            poses=now, soon=soon, at_first=self.at_first, ask=self.shot.clock.at(frame),
            lapse=ahead * self.shot.pace.span(frame),
        )  # fmt: skip


def setting_of(shot: Shot, find_mesh: FindMesh, quality: Quality | None, touched: list[str]) -> Setting:
    """Make the geometry of a shot. `touched` names the props whose touches cues look for. Raises `ShotFault` where a
    mesh, a field or a font cannot be used, or a prop not be cut."""
    made = whole_setting(shot, find_mesh, quality, touched)
    cuttings = _cut(made)
    tree, rooted, pieces = _forest(made.shapes, cuttings)
    return replace(made, shapes=rooted, tree=tree, cuttings=cuttings, pieces=pieces, lately={})


def whole_setting(shot: Shot, find_mesh: FindMesh, quality: Quality | None, touched: list[str]) -> Setting:
    """A setting in which nothing is cut yet. Raises `ShotFault`."""
    faults: list[Fault] = []
    notes: list[str] = []
    shapes: dict[str, Shaped] = {}
    lines: dict[str, Lines] = {}
    for prop in shot.props:
        try:
            shapes[prop.id], lines[prop.id] = _geometry(prop, find_mesh, notes)
        except MeshFault as fault:
            path = "shape.words" if isinstance(prop.shape, Lettering) else "shape.file"
            faults.append(Fault(prop.id, path, str(fault)))
    grids: dict[str, VelocityGrid] = {}
    for row in shot.fields.values():
        try:
            grids[row.id] = read_grid(row.file, find_mesh)
        except GridFault as grid_fault:
            faults.append(Fault(row.id, "file", str(grid_fault)))
    faults += _untold(shot, grids)
    if faults:
        raise ShotFault(faults)
    at_first = {p.id: pose_at(p, shot.clock.at(shot.finish.begins)) for p in shot.props}
    return Setting(
        shot=shot, quality=quality or shot.finish.quality, shapes=shapes, lines=lines, grids=grids, tree=empty_tree(),
        states={state.id: number for number, state in enumerate(shot.states)},
        bits={prop: bit for bit, prop in enumerate(dict.fromkeys(touched))},
        at_first=at_first, standing={p.id: at_first[p.id] for p in shot.props if not moves(p)}, notes=tuple(notes),
    )  # fmt: skip


def to_cut(shot: Shot, find_mesh: FindMesh) -> dict[str, bytes]:
    """By each prop that is cut and whose cutting is not kept, all that goes into it. Raises `ShotFault`."""
    if not shot.cuts:
        return {}
    made = whole_setting(shot, find_mesh, None, [])
    cut = [prop for prop in shot.props if prop.id in shot.cuts]
    keys = {prop.id: _surroundings(made, prop, shot.cuts[prop.id]).told for prop in cut}
    return {prop: key for prop, key in keys.items() if not is_known(key)}


def _cut(made: Setting) -> dict[str, Cutting]:
    """The pieces of each prop that is cut, by zones as they are when all begins. Raises `ShotFault`."""
    shot, found, faults = made.shot, dict[str, Cutting](), list[Fault]()
    for prop in shot.props:
        if rows := shot.cuts.get(prop.id):
            try:
                found[prop.id] = cutting_of(rows, prop, made.shapes[prop.id], _surroundings(made, prop, rows))
            except NotCut as fault:
                faults.append(Fault(fault.row, "manner", f"{prop.name} cannot be cut. {fault}"))
    if faults:
        raise ShotFault(faults)
    return found


def _surroundings(made: Setting, prop: Prop, rows: Sequence[Cut]) -> Surroundings:
    """What a prop's cutting asks of the setting, in the prop's own frame."""
    shot, pose, scene = made.shot, made.at_first[prop.id], made.scene(made.shot.finish.begins)

    def weigh(zone: str, points: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(scene.weight_in(zone, pose.to_world(points)), float)

    def other(prop: str) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
        vertices, faces = made.mesh(prop)
        points = made.at_first[prop].to_world(vertices)
        return pose.to_local(points), faces

    def drawn(zone: str) -> tuple[NDArray[np.float64], float]:
        row = shot.zones[zone]
        if not row.on or not isinstance(row.shape, Strokes):
            raise NotCut(f"{row.name} is no zone of strokes that is on. Accepted: strokes drawn on the stage.")
        points, width = np.array(row.shape.points).reshape(-1, 3), one(row.shape, "radius", scene.ask)
        return pose.to_local(points), width / pose.scale

    named = shot.named_by(rows)
    told = [repr([row.model_dump(exclude={"name", "group", "inside"}) for row in rows]).encode()]
    told += [row.model_dump_json().encode() for row in named if not isinstance(row, Prop)]
    for asked in [prop, *(row for row in named if isinstance(row, Prop) and row.on)]:
        vertices, faces = made.mesh(asked.id)
        stands = made.at_first[asked.id]
        told += [vertices.tobytes(), faces.tobytes(), stands.position.tobytes(), stands.quaternion.tobytes()]
        told.append(repr(stands.scale).encode())
    return Surroundings(weigh, other, drawn, sha256(b"|".join(told)).digest())


def _untold(shot: Shot, grids: dict[str, VelocityGrid]) -> Iterator[Fault]:
    """Zones that go by what their field does not tell."""
    for zone in shot.zones.values():
        shape = zone.shape
        if isinstance(shape, Level) and shape.field in grids:
            told = ("speed", *grids[shape.field].scalars)
            if shape.quantity not in told:
                said = f"Its field tells {' and '.join(told)} only. Accepted: a field that tells {shape.quantity}."
                yield Fault(zone.id, "shape.field", said)


def _geometry(prop: Prop, find_mesh: FindMesh, notes: list[str]) -> tuple[Shaped, Lines]:
    """A prop's shape, and its corners and edges."""
    if not isinstance(prop.shape, Solid):
        return shaped(prop.shape), Lines(*mesh_of(prop.shape))
    mesh = solid(prop.shape, find_mesh)
    if isinstance(prop.shape, Mesh):
        notes.append(f"{prop.name}: {mesh.report()}")
    sizes = np.array([0.0, float(mesh.closed), 0.0])
    lines = Lines(mesh.vertices, mesh.faces, mesh.normals())
    return Shaped(MESH, sizes, mesh.tree, mesh.vertices, mesh.faces), lines


def _forest(
    shapes: dict[str, Shaped], cuttings: Mapping[str, Cutting]
) -> tuple[MeshTree, dict[str, Shaped], dict[str, tuple[Shaped, ...]]]:
    """All meshes' trees in one, those of pieces too, and the shapes that point into it."""
    meshes = [prop for prop, shape in shapes.items() if shape.kind == MESH]
    parts = {prop: [shape_of(piece) for piece in cutting.pieces] for prop, cutting in cuttings.items()}
    trees = [shapes[prop].tree for prop in meshes] + [part.tree for of in parts.values() for part in of]
    tree, roots = join_trees(trees)
    ahead = iter(roots[len(meshes) :])
    pieces = {prop: tuple(_rooted(part, next(ahead), tree) for part in of) for prop, of in parts.items()}
    rooted = {}
    for prop, root in zip(meshes, roots, strict=False):
        rooted[prop] = _rooted(shapes[prop], root, tree)
    return tree, {**shapes, **rooted}, pieces


def _rooted(shape: Shaped, root: float, tree: MeshTree) -> Shaped:
    return replace(shape, sizes=np.array([float(root), *shape.sizes[1:]]), tree=tree)
