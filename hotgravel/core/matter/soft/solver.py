"""The solver of soft things: the order of one of its steps."""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from hotgravel.core.drive.value import one
from hotgravel.core.matter.contract import Array, Offers, Seam, Shed, State
from hotgravel.core.matter.elements import FOLLOWING, LOOSE, PINNED
from hotgravel.core.matter.forces import acting_on, gather
from hotgravel.core.matter.paint import HAS_COLOUR
from hotgravel.core.matter.soft.bending import Bending, folded
from hotgravel.core.matter.soft.contact import between, met
from hotgravel.core.matter.soft.energies import squashed, stretched
from hotgravel.core.matter.soft.making import Thing
from hotgravel.core.matter.soft.model import Energies, Ints, Model, grouped
from hotgravel.core.matter.soft.state import Vertices
from hotgravel.core.matter.soft.touching import TABLE, Skins, touching
from hotgravel.core.shape.colliders import P0, P1, Colliders, colliders_of
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.soft import Cloth

SMALL_STEPS = {"rough": 12, "fair": 24, "fine": 48}  # in a frame, at least
MOST_SMALL = 240  # in a step
FAR = 1e7  # m: where vertices are that are not there
TRAVEL = 0.5  # of the way from one vertex to the next: what anything may go in a small step


@dataclass(frozen=True, eq=False)
class SoftSolver:
    """The soft things of one shot."""

    setting: Setting
    model: Model
    things: tuple[Thing, ...]
    bending: Bending = field(default_factory=Bending)

    def begin(self) -> State:
        return State(
            Vertices.blank(0), {"fold": folded(self.scaled, self.model.plates)}, {"begun": [], "touching": 0.0}
        )

    @cached_property
    def scaled(self) -> Array:
        """The vertices (n, 3) at rest, in the size that their props have at first."""
        found = self.model.place.copy()
        for thing in self.things:
            found[thing.first : thing.end] *= self.setting.at_first[thing.prop.id].scale
        return found

    @cached_property
    def skins(self) -> Skins:
        """The points and triangles of all skins."""
        rest = self.scaled
        nodes, shares, thick, thing, faces = list[Ints](), list[Array](), list[Array](), list[Ints](), list[Ints]()
        count = 0
        for n, (of, surface) in enumerate(zip(self.things, self.model.surfaces, strict=True)):
            many = len(surface.nodes)
            nodes.append(surface.nodes)
            shares.append(surface.shares)
            thick.append(np.full(many, of.row.thickness))
            thing.append(np.full(many, n))
            faces.append(surface.faces + count)
            count += many
        one, two = np.concatenate(nodes), np.concatenate(shares)
        at_rest = np.einsum("mn,mnc->mc", two, rest[one])
        return Skins(one, two, at_rest, np.concatenate(thick), np.concatenate(thing), np.concatenate(faces))

    def _room(self) -> tuple[float, Ints, Ints, Array, Array]:
        """What keeping skins apart works in: a cell of its grid, where cells begin, the points in their order, and
        where they are and were."""
        skins, many = self.skins, len(self.skins.nodes)
        cells = 1 << int(np.ceil(np.log2(TABLE * many + 1)))
        wide = max(self.spacing, float(skins.thick.max()))
        return wide, np.zeros(cells + 1, np.int64), np.zeros(many, np.int64), np.zeros((many, 3)), np.zeros((many, 3))

    def _facing(self, at: Ints) -> Ints:
        """The triangles of skins that have all their vertices."""
        there = np.asarray((at[self.skins.nodes] >= 0).all(axis=1))
        return np.ascontiguousarray(self.skins.faces[there[self.skins.faces].all(axis=1)])

    def _apart(
        self, x: Array, before: Array, w: Array, faces: Ints, grip: Array, room: tuple[float, Ints, Ints, Array, Array]
    ) -> int:
        """Keep skins apart for a small step, in place: once more where they touch, as what moves one apart may push it
        into the next. Returns how many touch."""
        s = self.skins
        found = int(touching(x, before, w, s.nodes, s.shares, s.rest, s.thick, grip, s.thing, faces, *room))
        if found:
            touching(x, before, w, s.nodes, s.shares, s.rest, s.thick, grip, s.thing, faces, *room)
        return found

    @cached_property
    def spacing(self) -> float:
        """How far apart vertices lie that hang together, metres; the median."""
        model = self.model
        pairs = np.concatenate([model.triangles.nodes[:, :2], model.tets.nodes[:, :2]])
        return float(np.median(np.linalg.norm(self.scaled[pairs[:, 1]] - self.scaled[pairs[:, 0]], axis=1)))

    @cached_property
    def skin(self) -> Energies:
        """The points of all skins that meet others, in groups: their vertices, and shares in each, radius, row."""
        parts = []
        for n, (thing, surface) in enumerate(zip(self.things, self.model.surfaces, strict=True)):
            many = len(surface.nodes)
            told = np.stack([np.full(many, 0.5 * thing.row.thickness), np.full(many, float(n))], axis=1)
            parts.append((surface.nodes, np.concatenate([surface.shares, told], axis=1)))
        nodes = np.concatenate([n for n, _ in parts] or [np.zeros((0, 4), np.int64)])
        return grouped(nodes, np.concatenate([m for _, m in parts] or [np.zeros((0, 6))]), len(self.model.place))

    def steps(self, state: State, span: float) -> int:
        return 1

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """Forces gather; then in many small steps vertices go on, what is led is led, energies and what is met move
        them; creases stay."""
        p = _vertices(state)
        if not len(p):
            return 0
        p.age += dt
        p.touched[:] = 0
        p.impact[:] = 0.0
        shot, model = self.setting.shot, self.model
        table = gather(acting_on(shot, seam.switched), self.setting.states, seam.scene, p, dt, {})
        row = np.arange(len(p)) if table.by_element else p.state
        pull, rate, drift, bite = table.pull[row], table.rate[row], table.drift[row], table.bite[row]
        at = np.full(len(model.place), -1)
        at[p.vertex] = np.arange(len(p))
        x, w = self.scaled + FAR * (at < 0)[:, None], np.zeros(len(model.place))
        x[p.vertex] = p.position
        free = p.pinned == LOOSE
        w[p.vertex[free]] = 1.0 / p.mass[free]
        with np.errstate(divide="ignore"):
            mass = 1.0 / w
        before, state_of = x.copy(), np.zeros(len(x), np.int64)
        state_of[p.vertex] = p.state
        tri, tets, skin = (self._there(of, at) for of in (model.triangles, model.tets, self.skin))
        whole = np.asarray((at[model.plates.nodes] >= 0).all(axis=1))
        frictions = np.array([one(t.row, "friction", seam.scene.ask) for t in self.things])
        radius, friction = skin.numbers[:, 4].copy(), frictions[skin.numbers[:, 5].astype(int)]
        shares = np.ascontiguousarray(skin.numbers[:, :4])
        damping = np.array([t.row.damping for t in self.things])[model.body]
        colliders = colliders_of(self.setting, seam.scene, seam.surfaces)
        touched, impact = np.zeros(len(x), np.uint64), np.zeros(len(x))
        led, start, end = self._led(p, seam)
        normal, along = self._catching(p, x, seam.scene)
        many = self._small_steps(p, colliders, seam, dt)
        h = dt / many
        self.bending.prepare(mass, model.plates, whole, damping, h)
        v = np.zeros_like(x)
        v[p.vertex] = p.velocity
        calm = bool((damping > 0.0).any())
        faces, grip, room = self._facing(at), frictions[self.skins.thing], self._room()
        touches = 0
        for small in range(many):
            before[:] = x
            going = v[p.vertex] + h * pull
            going += _blown(going, rate, drift, bite, normal, along, h)
            x[p.vertex[free]] += h * going[free]
            share = (small + 1) / many
            x[p.vertex[led]] = (1.0 - share) * start + share * end
            self.bending.unfold(x, before, model.plates, state.arrays["fold"])
            stretched(x, v, w, tri.nodes, tri.numbers, tri.groups, h, damping, False)
            squashed(x, v, w, tets.nodes, tets.numbers, tets.groups, h, damping, False)
            touches += self._apart(x, before, w, faces, grip, room)
            part = between(colliders.table, small / many, share) if len(colliders.table) else colliders.table
            met(
                x, before, w, skin.nodes, shares, skin.groups, radius, friction, state_of, part, colliders.bits,
                self.setting.tree, h, touched, impact,
            )  # fmt: skip
            v[:] = (x - before) / h
            if calm:
                stretched(x, v, w, tri.nodes, tri.numbers, tri.groups, h, damping, True)
                squashed(x, v, w, tets.nodes, tets.numbers, tets.groups, h, damping, True)
            p.travelled += h * np.linalg.norm(v[p.vertex], axis=1)
        p.velocity[:] = v[p.vertex]
        p.position[:] = x[p.vertex]
        p.touched[:], p.impact[:] = touched[p.vertex], impact[p.vertex]
        p.stretch[:] = self._stretch(x, tri)[p.vertex]
        self._crease(state, x, seam.scene)
        state.facts["touching"] = touches / many
        return int((p.touched > 0).sum())

    def land(self, state: State, seam: Seam) -> None:
        """Things begin with their props, and end with them where a cue has another take its place."""
        begun, poses = state.facts["begun"], self.setting.row_poses(seam.frame, seam.gone)
        for n, thing in enumerate(self.things):
            if thing.prop.id in poses and n not in begun:
                begun.append(n)
                state.elements = state.elements.joined(self._new(thing, poses[thing.prop.id], seam))
            elif thing.prop.id in seam.gone and n in begun:
                begun.remove(n)
                state.elements.life[state.elements.source == thing.number] = -np.inf

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        """Nothing soft comes off what moves."""

    def offers(self, state: State) -> Offers:
        return Offers()

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, Array]]:
        return {}

    def records(self, state: State) -> dict[str, dict[str, Array]]:
        return {}

    def meshes(self) -> list[dict[str, Array]]:
        """What is drawn of each thing: its vertices follow those of the model by shares."""
        return [
            {"nodes": surface.nodes.astype(np.int32), "shares": surface.shares.astype(np.float32),
             "faces": surface.faces.astype(np.int32)}
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
            "touches": touches,
            "touching": state.facts["touching"],
        }

    def _new(self, thing: Thing, pose: Pose, seam: Seam) -> Vertices:
        """The vertices of a thing, where its prop stands."""
        row, scene, mine = thing.row, seam.scene, slice(thing.first, thing.end)
        p = Vertices.blank(thing.end - thing.first)
        p.rest[:] = self.model.place[mine]
        p.position[:] = pose.to_world(p.rest)
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

    def _small_steps(self, p: Vertices, colliders: Colliders, seam: Seam, dt: float) -> int:
        """So many by the quality; more where something goes so fast that in one of them it would come past a vertex
        before that has pulled on the next."""
        least = max(1, round(SMALL_STEPS[self.setting.quality] * seam.ahead))
        table = colliders.table
        met = np.linalg.norm(table[:, P1 : P1 + 3] - table[:, P0 : P0 + 3], axis=1).max(initial=0.0)
        way = max(float(p.speed.max(initial=0.0)) * dt, float(met))
        return int(min(MOST_SMALL, max(least, np.ceil(way / (TRAVEL * self.spacing)))))

    def _left(self, of: Energies, at: Ints) -> Ints:
        """Which energies have all their vertices."""
        found: Ints = np.flatnonzero((at[of.nodes] >= 0).all(axis=1))
        return found

    def _there(self, of: Energies, at: Ints) -> Energies:
        """The energies that have all their vertices."""
        left = self._left(of, at)
        if len(left) == len(of.nodes):
            return of
        return Energies(of.nodes[left], of.numbers[left], np.searchsorted(left, of.groups))

    def _led(self, p: Vertices, seam: Seam) -> tuple[Ints, Array, Array]:
        """The vertices that follow their props, and where these have them at the step's start and end."""
        led = np.flatnonzero(p.pinned == FOLLOWING)
        ends = []
        for frame in (seam.frame, seam.frame + seam.ahead):
            poses, place = self.setting.row_poses(frame), p.position[led].copy()
            for thing in self.things:
                mine = p.source[led] == thing.number
                if thing.prop.id in poses:
                    place[mine] = poses[thing.prop.id].to_world(p.rest[led][mine])
            ends.append(place)
        return led, ends[0], ends[1]

    def _catching(self, p: Vertices, x: Array, scene: Scene) -> tuple[Array, Array]:
        """The normal (n, 3) of the cloth at each vertex, and the share (n,) of what air does straight on that it does
        along it; jelly has no normal, and air takes hold of it from everywhere."""
        flat = self.model.flat
        a, b, c = (x[flat[:, n]] for n in range(3))
        across = np.cross(b - a, c - a)
        normal = np.zeros_like(x)
        for n in range(3):
            for axis in range(3):
                normal[:, axis] += np.bincount(flat[:, n], across[:, axis], len(x))
        normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-30)[:, None]
        shares = [one(t.row, "catch", scene.ask) if isinstance(t.row, Cloth) else 1.0 for t in self.things]
        return normal[p.vertex], np.array(shares)[self.model.body[p.vertex]]

    def _stretch(self, x: Array, tri: Energies) -> Array:
        """How much longer than at rest (n,) what is about each vertex is pulled, along either way of its cloth."""
        found = np.zeros(len(x))
        sides = [x[tri.nodes[:, n]] - x[tri.nodes[:, 0]] for n in (1, 2)]
        for way in (0, 1):
            pulled = tri.numbers[:, way, None] * sides[0] + tri.numbers[:, 2 + way, None] * sides[1]
            long = np.linalg.norm(pulled, axis=1) - 1.0
            for n in range(3):
                np.maximum.at(found, tri.nodes[:, n], long)
        return found

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


def _blown(velocity: Array, rate: Array, drift: Array, bite: Array, normal: Array, share: Array, dt: float) -> Array:
    """The change (n, 3) of velocities that air brings in a time: straight on, and by a share along the cloth."""
    grip = rate + bite * np.linalg.norm(velocity, axis=1)
    gained = (drift - grip[:, None] * velocity) * (-np.expm1(-grip * dt) / np.maximum(grip, 1e-12))[:, None]
    ahead = np.einsum("ij,ij->i", gained, normal)[:, None] * normal
    whole = (np.abs(normal).max(axis=1) == 0.0)[:, None]
    found: Array = np.where(whole, gained, ahead + share[:, None] * (gained - ahead))
    return found


def _vertices(state: State) -> Vertices:
    assert isinstance(state.elements, Vertices)
    return state.elements
