"""The solver of soft things: the order of one of its steps."""

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from hotgravel.core.drive.value import one
from hotgravel.core.matter.begun import come_and_go
from hotgravel.core.matter.contract import NO_BLOWS, Array, Blows, Offers, Seam, Shed, State
from hotgravel.core.matter.drape import APART, CORNERS, at_rest
from hotgravel.core.matter.elements import FOLLOWING, LOOSE, PINNED
from hotgravel.core.matter.paint import HAS_COLOUR
from hotgravel.core.matter.soft.bending import folded
from hotgravel.core.matter.soft.edges import edges_of
from hotgravel.core.matter.soft.energies import pulled_most
from hotgravel.core.matter.soft.flowing import flowed
from hotgravel.core.matter.soft.going import Going
from hotgravel.core.matter.soft.lumps import lumped
from hotgravel.core.matter.soft.making import Thing
from hotgravel.core.matter.soft.model import Energies, Ints, Model, grouped, volume_of
from hotgravel.core.matter.soft.sewing import NONE, Stitches, joined
from hotgravel.core.matter.soft.state import Vertices
from hotgravel.core.matter.soft.stiffness import Stiffened, by_vertex
from hotgravel.core.matter.soft.system import System
from hotgravel.core.matter.soft.tearing import parted, torn
from hotgravel.core.matter.soft.touching import Skins, skins_of
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.soft import NEVER, Balloon, Cloth, Jelly

OFTEN = {"rough": 4, "fair": 8, "fine": 16}  # steps in a frame, where bodies are met or a tear may run
OF_CLOTH, OF_BALLOONS = 2.0, 20.0  # masses over small steps squared: how stiff the linear system may have a triangle


@dataclass(frozen=True, eq=False)
class SoftSolver:
    """The soft things of one shot."""

    setting: Setting
    model: Model
    things: tuple[Thing, ...]
    stitches: Stitches = NONE
    system: System = field(default_factory=System)
    stiff: Stiffened = field(default_factory=Stiffened)
    as_torn: dict[bytes, "tuple[SoftSolver, Ints]"] = field(default_factory=dict)

    def begin(self) -> State:
        return State(
            Vertices.blank(0),
            {
                "fold": folded(self.scaled, self.model.plates),
                "rest": self.model.tets.numbers[:, :9].copy(),
                "sewn": np.ones(len(self.stitches.gap)),
                **NO_BLOWS,
            },
            {"begun": [], "touching": 0.0, "air": [0.0, 0.0]},
        )

    @cached_property
    def scaled(self) -> Array:
        """The vertices (n, 3) at rest, in the size that their props have at first."""
        found = self.model.place.copy()
        for thing, mine in zip(self.things, self.model.members, strict=True):
            found[mine] *= self.setting.at_first[thing.prop.id].scale
        return found

    @cached_property
    def skins(self) -> Skins:
        """The points and triangles of the skins that meet one another."""
        thick = [thing.row.thickness for thing in self.things]
        meet = {n: self.model.surfaces[n] for n, thing in enumerate(self.things) if thing.row.meets == "all"}
        there = np.zeros_like(self.model.place)
        for thing, mine in zip(self.things, self.model.members, strict=True):
            there[mine] = self.setting.at_first[thing.prop.id].to_world(self.model.place[mine])
        return skins_of(meet, thick, there, joined(self.stitches, self.model, len(self.things)))

    @cached_property
    def faces(self) -> list[Ints]:
        """The faces (F, 3) of the skin of each thing that is drawn as its vertices lie; by the model's vertices."""
        return [surface.nodes[surface.faces, 0] for surface in self.model.surfaces]

    @cached_property
    def volumes(self) -> Array:
        """The volume within the skin of each balloon at rest, m³; 0 of all else."""
        return np.array([
            volume_of(self.scaled, faces) if isinstance(thing.row, Balloon) else 0.0
            for thing, faces in zip(self.things, self.faces, strict=True)
        ])  # fmt: skip

    @cached_property
    def solved(self) -> Array:
        """How stiff triangles may be in the linear system (n,), by their first vertices, N/m for small steps of a
        second: what is stiffer there turns and folds too slowly, and by and by shakes."""
        share = [OF_BALLOONS if isinstance(thing.row, Balloon) else OF_CLOTH for thing in self.things]
        found: Array = np.array(share)[self.model.body] * self.model.mass
        return found

    @cached_property
    def areas(self) -> Array:
        """The skin that belongs to each vertex (n,) at rest, m²; infinite where none does."""
        found = np.zeros(len(self.model.place))
        for surface in self.model.surfaces:
            own = surface.areas(self.scaled)
            found += np.bincount(surface.nodes.ravel(), (own[:, None] * surface.shares).ravel(), len(found))
        return np.where(found > 0.0, found, np.inf)

    @cached_property
    def meets_bodies(self) -> bool:
        """Whether rigid bodies are among what it collides with: what passes between them has to be told soon."""
        shot = self.setting.shot
        named = {prop for row in shot.collisions if row.on for prop in row.props}
        return any(row.prop in named for row in shot.rigid)

    @cached_property
    def tears(self) -> bool:
        """Whether any cloth or balloon may tear, or a seam part."""
        if len(self.stitches.gap):
            return True
        rows = [thing.row for thing in self.things if not isinstance(thing.row, Jelly)]
        return any(not isinstance(row.tear, int | float) or row.tear < NEVER for row in rows)

    @cached_property
    def spacing(self) -> float:
        """How far apart vertices lie that hang together, metres; the median."""
        model = self.model
        pairs = np.concatenate([model.triangles.nodes[:, :2], model.tets.nodes[:, :2]])
        return float(np.median(np.linalg.norm(self.scaled[pairs[:, 1]] - self.scaled[pairs[:, 0]], axis=1)))

    @cached_property
    def skin(self) -> Energies:
        """The points of all skins that meet others, in groups: their vertices, and shares in each, radius, row and
        area."""
        return self._points(between=False)

    @cached_property
    def closer_skin(self) -> Energies:
        """The same with points half way between vertices, where those are the points, or what is narrow or has edges
        would come through there."""
        return self._points(between=True)

    def _points(self, *, between: bool) -> Energies:
        parts = [(np.zeros((0, 4), np.int64), np.zeros((0, 7)))]
        for n, (thing, surface) in enumerate(zip(self.things, self.model.surfaces, strict=True)):
            radius = 0.5 * thing.row.thickness
            told = np.stack(np.broadcast_arrays(radius, float(n), surface.areas(self.scaled)), axis=1)
            parts.append((surface.nodes, np.concatenate([surface.shares, told], axis=1)))
            if surface.woven and between:
                ends = surface.nodes[edges_of(surface.faces), 0]
                parts.append((ends[:, [0, 1, 1, 1]], np.tile([0.5, 0.5, 0.0, 0.0, radius, n, 0.0], (len(ends), 1))))
        nodes, numbers = (np.concatenate(part) for part in zip(*parts, strict=True))
        return grouped(nodes, numbers, len(self.model.place))

    def steps(self, state: State, span: float) -> int:
        return OFTEN[self.setting.quality] if self.meets_bodies or self.tears else 1

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """What is soft goes on in many small steps; then it is told how it is stretched, and creases stay."""
        whole = _vertices(state)
        if not len(whole):
            return 0
        whole.age += dt
        solver, slots = self._torn(whole)
        p = replace(whole, vertex=slots)  # the very arrays, by the vertices of cloth as it is torn
        solver._unpick(state, p)
        lumped(p, solver.model)
        going = Going(solver, p, state, seam, dt)
        going.go(p)
        solver._part_seams(state, going, seam.scene)
        state.arrays |= going.blows()
        p.stretch[:] = self._stretch(going.x, going.triangles)[p.vertex]
        solver._crease(state, going.x, seam.scene)
        self._give(state, going.x, seam.scene)
        if self.tears or (whole.corners & APART).any():
            most = by_vertex("tear", self.things, p, seam.scene, solver.model)
            most = np.where((most > 0.0) & (most < NEVER), most, np.inf)
            state.elements = parted(whole, slots, self.model, going.triangles, going.x, most, seam.ids.take)
        state.facts["touching"] = going.touches / going.many
        state.facts["air"] = [float(going.air.volume.sum()), float(going.air.over.max(initial=0.0))]
        return int((p.touched > 0).sum())

    def _torn(self, p: Vertices) -> "tuple[SoftSolver, Ints]":
        """The solver of all as it is torn, and the vertex (k,) of each element in it."""
        if not (p.corners & CORNERS).any():
            return self, p.vertex
        key = b"".join(part.tobytes() for part in (p.vertex, p.corners & CORNERS, p.mass))
        if key not in self.as_torn:
            self.as_torn.clear()
            model, slots = torn(self.model, p)
            self.as_torn[key] = replace(self, model=model, as_torn={}), slots
        return self.as_torn[key]

    def land(self, state: State, seam: Seam) -> None:
        """Things begin with their props, and end with them where a cue has another take its place."""
        poses = self.setting.row_poses(seam.frame, seam.gone)
        props = [thing.prop.id for thing in self.things]
        new, ended = come_and_go(state.facts["begun"], props, poses, seam.gone)
        for n in new:
            state.elements = state.elements.joined(self._new(self.things[n], poses[props[n]], seam))
        for n in ended:
            state.elements.life[state.elements.source == self.things[n].number] = -np.inf

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        """Nothing soft comes off what moves."""

    def offers(self, state: State) -> Offers:
        return Offers(blows=(Blows.kept_in(state.arrays),))

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, Array]]:
        return {}

    def records(self, state: State) -> dict[str, dict[str, Array]]:
        return {}

    def meshes(self) -> list[dict[str, Array]]:
        """What is drawn of each thing: its vertices follow those of the model by shares."""
        return [
            {"nodes": surface.nodes.astype(np.int32), "shares": surface.shares.astype(np.float32),
             "faces": surface.faces.astype(np.int32), **at_rest(surface.nodes, self.model.place)}
            for surface in self.model.surfaces
        ]  # fmt: skip

    def drawn(self) -> list[tuple[str, int | None]]:
        return [(thing.prop.id, None) for thing in self.things]

    def measure(self, state: State, touches: int, steps: int) -> dict[str, float]:
        p = _vertices(state)
        speed, count = p.speed, len(p)
        total = float(p.mass.sum())
        return {
            "count": count,
            "mean_speed": float(speed.mean()) if count else 0.0,
            "greatest_speed": float(speed.max(initial=0.0)),
            "kinetic_energy": float(0.5 * (p.mass * speed**2).sum() / total) if count else 0.0,
            "greatest_stretch": 100.0 * float(p.stretch.max(initial=0.0)),
            "greatest_pressure": float(p.pressure.max(initial=0.0)),
            "touches": touches,
            "touching": state.facts["touching"],
            "parted": float((state.arrays["sewn"] == 0.0).sum()),
            "torn": count - int(np.count_nonzero(np.bincount(p.vertex))),
            "air_volume": state.facts["air"][0],
            "air_pressure": state.facts["air"][1],
        }

    def _new(self, thing: Thing, pose: Pose, seam: Seam) -> Vertices:
        """The vertices of a thing, where its prop stands."""
        row, scene, mine = thing.row, seam.scene, slice(thing.first, thing.end)
        p = Vertices.blank(thing.end - thing.first)
        p.rest[:] = self.model.place[mine]
        p.position[:] = pose.to_world(thing.begun(self.model, scene))
        p.vertex[:] = np.arange(thing.first, thing.end)
        p.mass[:], p.radius[:], p.size[:] = self.model.mass[mine], 0.5 * row.thickness, 0.5 * row.thickness
        p.temperature[:], p.source[:] = row.temperature, thing.number
        p.state[:] = max(self.setting.state(row.state), 0)
        p.colour[:] = int(thing.prop.colour[1:], 16) + HAS_COLOUR
        p.id[:] = seam.ids.take(len(p))
        if row.pins is not None:
            p.pinned[scene.weight_in(row.pins, p.position) >= 0.5] = FOLLOWING
        if row.begins == "held":
            p.pinned[p.pinned == LOOSE] = PINNED
        return p

    def _stretch(self, x: Array, tri: Energies) -> Array:
        """How much longer than at rest (n,) what is about each vertex is pulled, along either way of its cloth."""
        found = np.zeros(len(x))
        pulled_most(x, tri.nodes, tri.numbers, found)
        return found

    def _unpick(self, state: State, p: Vertices) -> None:
        """Stitches part, in place, that hang on what a cue has parted."""
        apart = np.zeros(len(self.model.place), bool)
        apart[p.vertex[p.corners & APART > 0]] = True
        state.arrays["sewn"][self.stitches.on(apart)] = 0.0

    def _part_seams(self, state: State, going: Going, scene: Scene) -> None:
        """Stitches part, in place, that were pulled harder in a step than their seams bear."""
        bears = np.array([one(row, "bears", scene.ask) for row in self.setting.shot.seams])
        over = going.pulled > bears[going.stitches.row] * going.stitches.length
        state.arrays["sewn"][going.sewn[over]] = 0.0

    def _give(self, state: State, x: Array, scene: Scene) -> None:
        """Jelly that is strained by more than it can take keeps what is over, in place."""
        most = np.array([one(t.row, "gives", scene.ask) if isinstance(t.row, Jelly) else 1.0 for t in self.things])
        tets = self.model.tets
        if len(tets.nodes) and (most < 1.0).any():
            by_tet = most[self.model.body[tets.nodes[:, 0]]]
            there = np.where(by_tet < 1.0, by_tet, np.inf)
            state.arrays["rest"] = flowed(x, tets.nodes, state.arrays["rest"], there)

    def _crease(self, state: State, x: Array, scene: Scene) -> None:
        """What is folded by more than it can take keeps what is over, in place."""
        limits = [
            np.radians(one(t.row, "crease", scene.ask)) if isinstance(t.row, Cloth) else np.pi for t in self.things
        ]
        plates, rest = self.model.plates, state.arrays["fold"]
        most = np.array(limits)[self.model.body[plates.nodes[:, 0]]]
        if len(rest) and (most < np.pi).any():
            over = folded(x, plates) - rest
            state.arrays["fold"] = rest + np.where(most < np.pi, over - np.clip(over, -most, most), 0.0)


def _vertices(state: State) -> Vertices:
    assert isinstance(state.elements, Vertices)
    return state.elements
