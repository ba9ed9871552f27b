"""A world: a shot with its references resolved and its geometry made, ready to be run."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from hotgravel.core.cues.conditions import ANY_PROP, Watch, watches
from hotgravel.core.drive.value import scalar
from hotgravel.core.matter.particles.births import Spring
from hotgravel.core.matter.particles.colliders import Colliders, Surface, table_of
from hotgravel.core.matter.particles.forces import ForceTable, gather
from hotgravel.core.shape.bvh import MeshTree, join_trees
from hotgravel.core.shape.kinds import Shaped, shaped
from hotgravel.core.shape.mesh import Imported, MeshFault, import_mesh, mesh_of
from hotgravel.core.shape.pose import Pose, pose_at
from hotgravel.core.shot.cues import Touches
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finish import Quality
from hotgravel.core.shot.props import Mesh, Prop

FindMesh = Callable[[str], Path]


@dataclass(frozen=True)
class World:
    """What the order of one frame needs; nothing in it changes during a run."""

    shot: Shot
    quality: Quality
    shapes: dict[str, Shaped]
    states: dict[str, int]
    springs: tuple[Spring, ...]
    watched: tuple[Watch, ...]
    bits: dict[str, int]
    tree: MeshTree
    smallest: float
    notes: tuple[str, ...]

    @property
    def span(self) -> float:
        """Simulated seconds from one frame to the next."""
        return self.shot.finish.time_scale / self.shot.finish.rate

    def poses(self, frame: float) -> dict[str, Pose]:
        """Where each prop stands at a frame."""
        return {prop.id: pose_at(prop, frame) for prop in self.shot.set if prop.on}

    def forces(self, frame: float) -> ForceTable:
        return gather([f for f in self.shot.forces if f.on], self.states, frame)

    def colliders(self, start: dict[str, Pose], end: dict[str, Pose], frame: float) -> Colliders:
        """All that can be hit on the way from the poses at a step's start to those at its end."""
        surfaces = []
        for row in self.shot.collisions:
            for prop in row.props if row.on else ():
                if prop not in start:
                    continue
                surfaces.append(
                    Surface(
                        shape=self.shapes[prop],
                        bit=(1 << ANY_PROP) | (1 << self.bits[prop] if prop in self.bits else 0),
                        whom=-1 if row.whom is None else self.states[row.whom],
                        side=1.0 if row.side == "outside" else -1.0,
                        bounce=scalar(row.bounce, frame),
                        friction=scalar(row.friction, frame),
                        thickness=scalar(row.thickness, frame),
                        start=start[prop],
                        end=end[prop],
                    )
                )
        return table_of(surfaces)


def beside(folder: Path) -> FindMesh:
    """Mesh files are looked for in this folder."""
    return lambda name: folder / name


def build(shot: Shot, find_mesh: FindMesh, quality: Quality | None = None) -> World:
    """Make a world. Raises `ShotFault` where a mesh cannot be used or a source has nothing to give."""
    faults: list[Fault] = []
    notes: list[str] = []
    shapes: dict[str, Shaped] = {}
    corners = {}
    trees: list[MeshTree] = []
    for prop in (p for p in shot.set if p.on):
        try:
            shapes[prop.id], corners[prop.id] = _geometry(prop, find_mesh, trees, notes)
        except MeshFault as fault:
            faults.append(Fault(prop.id, "shape.file", str(fault)))
    states = {state.id: number for number, state in enumerate(shot.states)}
    springs = []
    for number, source in enumerate(shot.supply):
        if not source.on or source.prop not in shapes:
            continue
        shape = shapes[source.prop]
        if source.part == "volume" and not _has_volume(shape):
            faults.append(Fault(source.id, "part", _SHEET))
        springs.append(Spring(source, number, shape, *corners[source.prop]))
    if faults:
        raise ShotFault(faults)
    touched = [c.when.prop for c in shot.cues if c.on and isinstance(c.when, Touches) and c.when.prop]
    bits = {prop: bit for bit, prop in enumerate(dict.fromkeys(touched))}
    hit = {prop for row in shot.collisions if row.on for prop in row.props if prop in shapes}
    return World(
        shot=shot,
        quality=quality or shot.finish.quality,
        shapes=shapes,
        states=states,
        springs=tuple(springs),
        watched=tuple(watches(list(shot.cues), states, bits)),
        bits=bits,
        tree=join_trees(trees),
        smallest=min((shapes[p].extent for p in hit), default=0.0),
        notes=tuple(notes),
    )


_SHEET = "A sheet or an open mesh has no volume to fill. Accepted: its surface or its vertices."


def _has_volume(shape: Shaped) -> bool:
    from hotgravel.core.shape.distance import DISC, MESH, PLANE

    return bool(shape.tree.closed[0]) if shape.kind == MESH else shape.kind not in (PLANE, DISC)


def _geometry(prop: Prop, find_mesh: FindMesh, trees: list[MeshTree], notes: list[str]) -> tuple[Shaped, tuple]:  # type: ignore[type-arg]
    if isinstance(prop.shape, Mesh):
        imported: Imported = import_mesh(find_mesh(prop.shape.file))
        notes.append(f"{prop.name}: {imported.report()}")
        kernel = shaped(prop.shape, imported.tree)
        kernel.sizes[0] = len(trees)
        trees.append(imported.tree)
        normals = np.zeros_like(imported.vertices)
        np.add.at(normals, imported.faces.ravel(), np.repeat(imported.tree.normals[:, 0], 3, axis=0))
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
        return kernel, (imported.vertices, normals)
    vertices, _faces, normals = mesh_of(prop.shape)
    return shaped(prop.shape), (vertices, normals)
