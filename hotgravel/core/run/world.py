"""A world: a shot with its references resolved and its geometry made, ready to be run."""

import hashlib
from collections.abc import Container, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

from hotgravel.core.cues.conditions import Watch, watches
from hotgravel.core.matter.contract import Matter, Solver
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.place import Place
from hotgravel.core.shape.distance import DISC, PLANE
from hotgravel.core.shape.lettering import read_file
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.setting import AHEAD, FindMesh, Setting, setting_of
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.conditions import MEETING
from hotgravel.core.shot.document import Shot, file_of, fingerprint
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finish import Quality
from hotgravel.kernels import core_version


@dataclass(frozen=True)
class World:
    """What the order of one frame needs: the setting, the solvers in their order, and the cues. Nothing in it changes
    during a run."""

    setting: Setting
    solvers: Mapping[str, Solver]
    watched: tuple[Watch, ...]
    fingerprint: str
    basis: str

    @property
    def shot(self) -> Shot:
        return self.setting.shot

    @property
    def quality(self) -> Quality:
        return self.setting.quality

    @property
    def states(self) -> dict[str, int]:
        """The states by their numbers."""
        return self.setting.states

    @cached_property
    def matters(self) -> tuple[Matter, ...]:
        """What the shot is made of, in the solvers' order."""
        return tuple(MATTERS[name] for name in self.solvers)

    def poses(self, frame: float, gone: Container[str] = ()) -> dict[str, Pose]:
        """Where the props that no solver moves stand at a frame, but for those that are gone or have no size."""
        return self.setting.poses(frame, gone)

    def scene(self, frame: float, ahead: float = AHEAD, gone: Container[str] = ()) -> Scene:
        """Where all that no solver moves is at a frame, and where it will be `ahead` frames later."""
        return self.setting.scene(frame, ahead, gone)


def beside(folder: Place) -> FindMesh:
    """Mesh files are looked for in this folder."""
    return lambda name: folder / name


def build(shot: Shot, find_mesh: FindMesh, quality: Quality | None = None) -> World:
    """Make a world. Raises `ShotFault` where a mesh cannot be used or a source has nothing to give."""
    touched = [c.when.prop for c in shot.cues if c.on and isinstance(c.when, MEETING) and c.when.prop]
    setting = setting_of(shot, find_mesh, quality, touched)
    moved = frozenset(prop for matter in MATTERS.values() for prop in matter.places(shot))
    setting = replace(setting, solvers_place=moved)
    faults = list(_without_a_front(setting))
    solvers = {}
    for matter in MATTERS.values():
        try:
            solver = matter.build(setting)
        except ShotFault as fault:
            faults += fault.faults
            continue
        if solver is not None:
            solvers[matter.name] = solver
    if faults:
        raise ShotFault(faults)
    sources = {row.id: number for number, row in enumerate(shot.origins)}
    matters = {state.id: state.of for state in shot.states}
    basis = _basis(shot, quality, find_mesh)
    watched = tuple(watches(list(shot.cues), setting.states, setting.bits, sources, matters))
    return World(setting, solvers, watched, fingerprint(shot, basis), basis)


def _without_a_front(setting: Setting) -> list[Fault]:
    """Props that are met from the front only, and have none."""
    faults, shapes = [], setting.shapes
    for row in (r for r in setting.shot.collisions if r.on and r.side == "front"):
        solid = [p for p in row.props if p in shapes and shapes[p].kind not in (PLANE, DISC)]
        if solid:
            named = ", ".join(setting.shot.names()[p] for p in solid)
            said = f"{named} has no front. Accepted: flat plains and discs; else outside."
            faults.append(Fault(row.id, "side", said))
    return faults


def _basis(shot: Shot, quality: Quality | None, find_mesh: FindMesh) -> str:
    """All that goes into a run beside the shot: the quality, the meshes, and the program itself."""
    files = sorted({name for row in shot.set if row.on and (name := file_of(row))})
    meshes = [hashlib.sha256(read_file(find_mesh(name))).hexdigest() for name in files]
    return " ".join([quality or shot.finish.quality, core_version(), *meshes])
