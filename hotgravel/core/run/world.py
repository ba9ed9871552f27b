"""A world: a shot with its references resolved and its geometry made, ready to be run."""

import hashlib
from collections.abc import Callable, Container, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.cues.conditions import ANY_PROP, Watch, watches
from hotgravel.core.drive.value import one
from hotgravel.core.matter.particles.advance import bar
from hotgravel.core.matter.particles.births import Spring
from hotgravel.core.matter.particles.colliders import Colliders, Surface, table_of
from hotgravel.core.matter.particles.dress import grow, painted, tint
from hotgravel.core.matter.particles.forces import ForceTable, gather
from hotgravel.core.matter.particles.neighbours import separate
from hotgravel.core.matter.particles.offshoots import Shoot
from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.run.place import Place
from hotgravel.core.shape.bvh import MeshTree, join_trees
from hotgravel.core.shape.distance import DISC, MESH, PLANE
from hotgravel.core.shape.edges import Lines, lines_of
from hotgravel.core.shape.grid import GridFault, VelocityGrid, read_grid
from hotgravel.core.shape.kinds import Shaped, shaped
from hotgravel.core.shape.lettering import read_file
from hotgravel.core.shape.mesh import MeshFault, Solid, mesh_of, solid
from hotgravel.core.shape.pose import Pose, moves, pose_at
from hotgravel.core.shape.skin import TooFine, carried, skin
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.cues import Touches
from hotgravel.core.shot.document import Shot, file_of, fingerprint
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finish import Quality
from hotgravel.core.shot.matter import Apart, Growth, Tint
from hotgravel.core.shot.props import Lettering, Mesh, Prop
from hotgravel.core.shot.sources import Offshoot, Source
from hotgravel.core.shot.units import show_quantity
from hotgravel.kernels import core_version

Array = NDArray[Any]
FindMesh = Callable[[str], Place]


NOTHING = 1e-6  # times its size: a prop that small is not there
# How often particles that keep apart are looked at again in a step.
APART_ROUNDS: dict[Quality, int] = {"rough": 8, "fair": 16, "fine": 40}


@dataclass(frozen=True)
class World:
    """What the order of one frame needs; nothing in it changes during a run."""

    shot: Shot
    quality: Quality
    shapes: dict[str, Shaped]
    grids: dict[str, VelocityGrid]
    states: dict[str, int]
    springs: tuple[Spring, ...]
    shoots: dict[str, Shoot]
    watched: tuple[Watch, ...]
    bits: dict[str, int]
    tree: MeshTree
    smallest: float
    standing: dict[str, Pose]
    at_first: dict[str, Pose]
    origins: dict[int, str]
    notes: tuple[str, ...]
    fingerprint: str
    basis: str

    @property
    def span(self) -> float:
        """Simulated seconds from one frame to the next."""
        return self.shot.finish.time_scale / self.shot.finish.rate

    def poses(self, frame: float, gone: Container[str] = ()) -> dict[str, Pose]:
        """Where each prop stands at a frame, but for those that are gone or have no size."""
        ask = self.shot.clock.at(frame)
        there = {p.id: self.standing.get(p.id) or pose_at(p, ask) for p in self.shot.props if p.id not in gone}
        return {prop: pose for prop, pose in there.items() if pose.scale > NOTHING}

    def scene(self, frame: float, ahead: float, gone: Container[str] = ()) -> Scene:
        """Where all is at a frame, and where it will be `ahead` frames later; `gone` names absent props."""
        now, soon = self.poses(frame, gone), self.poses(frame + ahead, gone)
        now = {p: pose for p, pose in now.items() if p in soon}  # what is about to vanish hits nothing
        return Scene(
            zones=self.shot.zones, fields=self.shot.fields, grids=self.grids, shapes=self.shapes, poses=now, soon=soon,
            at_first=self.at_first, ask=self.shot.clock.at(frame), lapse=ahead * self.span,
        )  # fmt: skip

    def forces(self, scene: Scene, particles: Particles, dt: float, switched: Mapping[str, bool]) -> ForceTable:
        acting = [f for f in self.shot.forces if f.on and switched.get(f.id, True)]
        return gather(acting, self.states, scene, particles, dt, self.origins)

    def keep_apart(self, particles: Particles, scene: Scene, colliders: Colliders) -> None:
        """Let particles push one another out of the way, but through nothing, in place."""
        p = particles
        for row in self.shot.matter:
            if not isinstance(row, Apart) or not row.on:
                continue
            who = p.age >= 0.0
            if row.whom is not None:
                who &= p.state == self.states[row.whom]
            before, gap = p.position.copy(), one(row, "gap", scene.ask)
            separate(p.position, p.velocity, p.radius, p.mass, who, gap, APART_ROUNDS[self.quality])
            bar(before, p.position, p.state, p.radius, p.age, colliders.table, self.tree)

    def skins(self, particles: Particles, scene: Scene) -> dict[str, dict[str, Array]]:
        """The skins of a moment by their rows: arrays as in `SKIN`. Raises `ShotFault` for one too fine."""
        made = {}
        for row in self.shot.skins:
            who = np.ones(len(particles), bool) if row.whom is None else particles.state == self.states[row.whom]
            place, radius = particles.position[who], particles.radius[who] * one(row, "radius", scene.ask)
            blend, cell = one(row, "blend", scene.ask), one(row, "cell", scene.ask)
            try:
                vertices, faces = skin(place, radius, blend=blend, cell=cell, smoothing=row.smoothing)
            except TooFine as fault:
                least = show_quantity(float(f"{1.05 * fault.least:.2g}"), "m", self.shot.dress)
                said = f"The skin would need {fault.cells / 1e6:.0f} million cells at frame {scene.ask.frame:.0f}."
                raise ShotFault([Fault(row.id, "cell", f"{said} Accepted: cells of {least} or more.")]) from None
            paint = painted(particles, self.shot.states)[who]
            colour, velocity = carried(vertices, place, paint, particles.velocity[who])
            rgb = np.round(colour).astype(np.uint32).reshape(-1, 3)
            packed = rgb[:, 0] << 16 | rgb[:, 1] << 8 | rgb[:, 2]
            made[row.id] = {"vertices": vertices, "faces": faces, "colour": packed, "velocity": velocity}
        return made

    def dress(self, particles: Particles, scene: Scene) -> None:
        """Let particles grow and take their colours, in place."""
        rows = [row for row in self.shot.matter if row.on]
        grow([row for row in rows if isinstance(row, Growth)], self.states, particles, scene)
        tint([row for row in rows if isinstance(row, Tint)], self.states, particles, scene)

    def colliders(self, scene: Scene) -> Colliders:
        """All that can be hit on the way from the poses at a step's start to those at its end."""
        surfaces = []
        start, end, ask = scene.poses, scene.soon, scene.ask
        for row in self.shot.collisions:
            for prop in row.props if row.on else ():
                if prop not in start:
                    continue
                surfaces.append(
                    Surface(
                        shape=self.shapes[prop],
                        bit=(1 << ANY_PROP) | (1 << self.bits[prop] if prop in self.bits else 0),
                        whom=-1 if row.whom is None else self.states[row.whom],
                        side=-1.0 if row.side == "inside" else 1.0,
                        front=row.side == "front",
                        carry=one(row, "carry", ask),
                        scatter=one(row, "scatter", ask),
                        spread=one(row, "spread", ask),
                        bounce=one(row, "bounce", ask),
                        friction=one(row, "friction", ask),
                        thickness=one(row, "thickness", ask),
                        start=start[prop],
                        end=end[prop],
                    )
                )
        return table_of(surfaces)


def beside(folder: Place) -> FindMesh:
    """Mesh files are looked for in this folder."""
    return lambda name: folder / name


def build(shot: Shot, find_mesh: FindMesh, quality: Quality | None = None) -> World:
    """Make a world. Raises `ShotFault` where a mesh cannot be used or a source has nothing to give."""
    faults: list[Fault] = []
    notes: list[str] = []
    shapes: dict[str, Shaped] = {}
    lines: dict[str, Lines] = {}
    for prop in shot.props:
        try:
            shapes[prop.id], lines[prop.id] = _geometry(prop, find_mesh, notes)
        except MeshFault as fault:
            faults.append(
                Fault(prop.id, "shape.words" if isinstance(prop.shape, Lettering) else "shape.file", str(fault))
            )
    grids: dict[str, VelocityGrid] = {}
    for field in shot.fields.values():
        try:
            grids[field.id] = read_grid(field.file, find_mesh)
        except GridFault as grid_fault:
            faults.append(Fault(field.id, "file", str(grid_fault)))
    states = {state.id: number for number, state in enumerate(shot.states)}
    springs: list[Spring] = []
    shoots: dict[str, Shoot] = {}
    for number, source in enumerate(shot.supply):
        if isinstance(source, Offshoot):
            if source.on:
                whom = -1 if source.whom is None else states[source.whom]
                shoots[source.id] = Shoot(source, number, whom, states[source.state])
            continue
        if not source.on or source.prop not in shapes:
            continue
        shape = shapes[source.prop]
        if source.part == "volume" and not shape.has_volume:
            faults.append(Fault(source.id, "part", _SHEET))
        springs.append(Spring(source, number, shape, lines[source.prop]))
    for row in (r for r in shot.collisions if r.on and r.side == "front"):
        solid_ones = [p for p in row.props if p in shapes and shapes[p].kind not in (PLANE, DISC)]
        if solid_ones:
            named = ", ".join(shot.names()[p] for p in solid_ones)
            faults.append(
                Fault(row.id, "side", f"{named} has no front. Accepted: flat plains and discs; else outside.")
            )
    if faults:
        raise ShotFault(faults)
    touched = [c.when.prop for c in shot.cues if c.on and isinstance(c.when, Touches) and c.when.prop]
    bits = {prop: bit for bit, prop in enumerate(dict.fromkeys(touched))}
    hit = {prop for row in shot.collisions if row.on for prop in row.props if prop in shapes}
    tree, rooted = _forest(shapes)
    at_first = {p.id: pose_at(p, shot.clock.at(shot.finish.first)) for p in shot.props}
    basis = _basis(shot, quality, find_mesh)
    return World(
        shot=shot,
        quality=quality or shot.finish.quality,
        shapes=rooted,
        grids=grids,
        states=states,
        springs=tuple(springs),
        shoots=shoots,
        watched=tuple(watches(list(shot.cues), states, bits, {s.id: n for n, s in enumerate(shot.supply)})),
        bits=bits,
        tree=tree,
        smallest=min((shapes[p].extent for p in hit), default=0.0),
        standing={p.id: at_first[p.id] for p in shot.props if not moves(p)},
        at_first=at_first,
        origins={n: source.prop for n, source in enumerate(shot.supply) if isinstance(source, Source)},
        notes=tuple(notes),
        fingerprint=fingerprint(shot, basis),
        basis=basis,
    )


_SHEET = "A sheet or an open mesh has no volume to fill. Accepted: its surface or its vertices."


def _basis(shot: Shot, quality: Quality | None, find_mesh: FindMesh) -> str:
    """All that goes into a run beside the shot: the quality, the meshes, and the program itself."""
    files = sorted({name for row in shot.set if row.on and (name := file_of(row))})
    meshes = [hashlib.sha256(read_file(find_mesh(name))).hexdigest() for name in files]
    return " ".join([quality or shot.finish.quality, core_version(), *meshes])


def _geometry(prop: Prop, find_mesh: FindMesh, notes: list[str]) -> tuple[Shaped, Lines]:
    """A prop's shape, and its corners and edges."""
    if not isinstance(prop.shape, Solid):
        return shaped(prop.shape), lines_of(*mesh_of(prop.shape))
    mesh = solid(prop.shape, find_mesh)
    if isinstance(prop.shape, Mesh):
        notes.append(f"{prop.name}: {mesh.report()}")
    sizes = np.array([0.0, float(mesh.closed), 0.0])
    return Shaped(MESH, sizes, mesh.tree, mesh.vertices, mesh.faces), lines_of(
        mesh.vertices, mesh.faces, mesh.normals()
    )


def _forest(shapes: dict[str, Shaped]) -> tuple[MeshTree, dict[str, Shaped]]:
    """All meshes' trees in one, and the shapes that point into it."""
    meshes = [prop for prop, shape in shapes.items() if shape.kind == MESH]
    tree, roots = join_trees([shapes[prop].tree for prop in meshes])
    rooted = {}
    for prop, root in zip(meshes, roots, strict=True):
        shape = shapes[prop]
        rooted[prop] = replace(shape, sizes=np.array([float(root), *shape.sizes[1:]]))
    return tree, {**shapes, **rooted}
