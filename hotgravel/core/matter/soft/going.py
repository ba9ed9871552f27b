"""One step of what is soft: the order of its small steps."""

from typing import TYPE_CHECKING

import numpy as np

from hotgravel.core.drive.value import one
from hotgravel.core.lengths import lengths
from hotgravel.core.matter.contract import Array, Seam, State
from hotgravel.core.matter.elements import FOLLOWING, LOOSE
from hotgravel.core.matter.forces import acting_on, gather
from hotgravel.core.matter.soft.air import Air
from hotgravel.core.matter.soft.contact import between, come_between, met, moves, near_any
from hotgravel.core.matter.soft.energies import calmed, faced, squashed, stretched
from hotgravel.core.matter.soft.flight import flown, sped
from hotgravel.core.matter.soft.lumps import Lumps
from hotgravel.core.matter.soft.model import Energies, Flags, Ints, grown
from hotgravel.core.matter.soft.state import Vertices
from hotgravel.core.matter.soft.stiffness import by_vertex, solid_now
from hotgravel.core.matter.soft.touching import Touching
from hotgravel.core.shape.colliders import P0, P1, Moving, colliders_of
from hotgravel.core.shot.soft import Cloth

if TYPE_CHECKING:
    from hotgravel.core.matter.soft.solver import SoftSolver

SMALL_STEPS = {"rough": 5, "fair": 10, "fine": 20}  # in a frame, at least
CLOSER = 2.0  # times as many where skins meet, or where there is jelly: those go one after another
MOST_SMALL = 16  # times as many, where something goes fast
ROUNDS = 3  # of keeping all apart: what moves one may push it into the next
ZONE_ROUNDS = 60  # in which what would go through each other may take along what that would then go through
MET_ROUNDS = 4  # of them after which what that moves into what it collides with is put out of it
OPPOSED = 0.1  # long at most: the sum of ways that lead out of something to either side
FAR = 1e7  # m: where vertices are that are not there
PINCHED = 0.5  # times as stiff as in the linear system a pull may be that goes far at once, where skins press
TRAVEL = 1.0  # of the way from one vertex to the next: what anything may go in a small step
ALONE = 2.0  # the same of cloth that meets nothing: a pull comes past more vertices at once (see `pulls.py`)


class Going:
    """A step under way. Arrays are by the vertices of the model: places `x` now and `before` the small step, velocities
    `v`, and one over the masses `w`, which is 0 where a vertex is led, held or not there."""

    def __init__(self, solver: "SoftSolver", p: Vertices, state: State, seam: Seam, dt: float) -> None:
        model, things, scene = solver.model, solver.things, seam.scene
        self.solver, self.fold, self.at = solver, state.arrays["fold"], np.full(len(model.place), -1)
        self.at[p.vertex] = np.arange(len(p))
        self.complete, in_order = bool((self.at >= 0).all()), np.array_equal(p.vertex, np.arange(len(self.at)))
        self.rows = slice(None) if in_order else p.vertex  # whole columns are copied several times as fast
        self.x = solver.scaled + FAR * (self.at < 0)[:, None]
        self.v, self.w = np.zeros_like(self.x), np.zeros(len(self.x))
        self.x[self.rows], self.v[self.rows] = p.position, p.velocity
        free = p.pinned == LOOSE
        self.free = p.vertex[free]
        self.w[self.free] = 1.0 / p.mass[free]
        self.lumps = Lumps.of(p, free)
        self.held = np.zeros(len(self.x), bool)  # by what they collide with
        self.before, self.state = self.x.copy(), np.zeros(len(self.x), np.int64)
        self.state[self.rows] = p.state
        self.pressed = np.zeros(len(self.x))
        self.touched, self.impact, self.touches = np.zeros(len(self.x), np.uint64), np.zeros(len(self.x)), 0
        self.air = Air(things, model.members, solver.faces, solver.volumes, self.at, scene.ask.later(dt))
        self.sizes = self.air.sizes[model.body]
        triangles, self.plates = solver.stiff.find(model, things, p, scene)
        self.tets = self._there(solid_now(model, things, p, scene, state.arrays["rest"]))
        # Bodies step later: they are taken on by as much as they went in the step before.
        ahead = [m.taken_on() for m in seam.surfaces]
        self.colliders = colliders_of(solver.setting, scene, ahead)
        self.light, self.driven = 1.0 / self.colliders.mass, bool(moves(self.colliders.table).any())
        self.skin = self._points(p, dt)
        friction = np.array([one(thing.row, "friction", scene.ask) for thing in things])
        self.friction = friction[self.skin.numbers[:, 5].astype(int)]
        skins = solver.skins
        glue = by_vertex("sticks", things, p, scene, model)
        sticky, sizes = (skins.shares * glue[skins.nodes]).sum(axis=1), self.air.sizes[skins.thing]
        self.touching = Touching(skins, friction[skins.thing], sticky, self.at, sizes)
        shares, area = self.skin.numbers[:, :4], self.skin.numbers[:, 6]
        self.glue = area * (shares * glue[self.skin.nodes]).sum(axis=1) if glue.any() else np.zeros(len(area))
        self.clings = np.zeros_like(self.x)
        self.clings[self.rows] = p.clings
        self.eased = np.zeros_like(self.x)
        self.eased[self.rows] = p.eased
        self.damping = np.array([thing.row.damping for thing in things])[model.body]
        self.calms, self.way = bool(self.damping.any()), np.zeros(len(self.x))
        self.pushed, self.against = np.zeros((len(self.skin.nodes), 3)), np.full(len(self.skin.nodes), -1)
        self.facing = np.zeros_like(self.pushed)  # in the small step
        self.led = p.vertex[p.pinned == FOLLOWING]
        self.many = self._number(p, seam, dt)
        self.h = dt / self.many
        pulled = (self.h * by_vertex("follow", things, p, scene, model)[self.free, None]) ** 2
        self.follow, self.follows = pulled / (1.0 + pulled), bool(pulled.any())
        self.start, self.end = self._shaped(seam, ahead)
        self.ends = self.start[self.led], self.end[self.led]
        with np.errstate(divide="ignore"):
            mass = 1.0 / self.w
        whole = self.plates.whole & self._have_all(self.plates.nodes)
        self.triangles = grown(self._there(triangles), self.sizes)
        solved, left = (self._there(part) for part in solver.stiff.shared(solver.solved, self.h))
        ceiling = np.full(len(self.x), np.inf)
        ceiling[self.rows] = np.where(p.pinched > 0, PINCHED * solver.solved[self.rows] / self.h**2, np.inf)
        self.strain = solver.stiff.strain(grown(left, self.sizes), ceiling, self.w, self.h)
        self.sewn = np.flatnonzero(self._have_all(solver.stitches.nodes) & (state.arrays["sewn"] > 0.0))
        self.stitches, self.pulled = solver.stitches.only(self.sewn), np.zeros(len(self.sewn))
        solver.system.prepare(mass, solved, self.plates, whole, self.stitches, self.damping, self.h)
        table = gather(acting_on(solver.setting.shot, seam.switched), solver.setting.states, scene, p, dt, {})
        row = (np.arange(len(p)) if table.by_element else p.state)[free]
        self.pull, self.rate, self.drift, self.bite = (
            of[row] for of in (table.pull, table.rate, table.drift, table.bite)
        )
        normal, along = self._catching(seam)
        self.normal, self.along = normal[self.free], along[self.free]

    def go(self, p: Vertices) -> None:
        """All small steps; what becomes of the vertices is put into them, in place."""
        for number in range(self.many):
            self._small_step(number)
        rows = self.rows
        p.position[:], p.velocity[:] = self.x[rows], self.v[rows]
        p.touched[:], p.impact[:] = self.touched[rows], self.impact[rows]
        p.clings[:], p.eased[:] = self.clings[rows], self.eased[rows]
        p.travelled += self.way[rows]
        self._press(p)

    def _press(self, p: Vertices) -> None:
        """What presses on vertices: on each the push of all that it touches, over its area and the time."""
        skin, push, p.pinched[:] = self.skin, self.pressed, self.pressed[self.rows] > 0.0
        if self.pushed.any():
            by_points = np.linalg.norm(self.pushed, axis=1)[:, None] * skin.numbers[:, :4]
            push = push + np.bincount(skin.nodes.ravel(), by_points.ravel(), len(self.x))
        p.pressure[:] = (push / (self.h * self.many * self.solver.areas))[self.rows]

    def blows(self) -> dict[str, Array]:
        """What it gave to the elements of others that it met: their ids, the impulses, N s, and where."""
        elements = np.append(self.colliders.elements, -1)[self.against]
        at = np.flatnonzero(elements >= 0)
        at = at[self.pushed[at].any(axis=1)]
        place = np.einsum("mn,mnc->mc", self.skin.numbers[at, :4], self.x[self.skin.nodes[at]])
        return {"struck": elements[at], "blow": -self.pushed[at], "blow_at": place}

    def _small_step(self, number: int) -> None:
        """Forces push, what is led is led; energies move all, then what it meets; then what is too lively calms."""
        x, v, w, h, tri, tets, left = self.x, self.v, self.w, self.h, self.triangles, self.tets, self.strain.left
        self.before[:] = x
        flown(x, v, self.free, self.pull, self.rate, self.drift, self.bite, self.normal, self.along, h)
        share = (number + 1) / self.many
        x[self.led] = (1.0 - share) * self.ends[0] + share * self.ends[1]
        if self.follows:  # a spring to the shape, implicit
            shape = (1.0 - share) * self.start[self.free] + share * self.end[self.free]
            x[self.free] += self.follow * (shape - x[self.free])
        points, nodes, firm = self._lying()
        deep, press = self.strain.ease(x, firm, self.eased)
        if len(left.nodes):
            stretched(x, w, left.nodes, left.numbers, left.groups, h)
        self.solver.system.relax(x, self.before, self.sizes, self.plates, self.fold, self.air)
        if len(self.sewn):
            self.pulled += self.stitches.pulls(x) / self.many
        if len(tets.nodes):
            squashed(x, v, w, tets.nodes, tets.numbers, tets.groups, h, self.damping, False)
        self.lumps.fit(x)
        if len(points):  # what pulls it into that rubs it, as far as it goes into it
            x[nodes] -= deep[nodes, None] * firm[nodes]
            np.add.at(self.pushed, points, (press[nodes] - deep[nodes] / (h * w[nodes]))[:, None] * firm[nodes])
        self._keep_apart(number)
        sped(x, self.before, h, v, self.way)
        if self.calms:
            calmed(x, v, w, tri.nodes, tri.numbers, tri.groups, h, self.damping)
            if len(tets.nodes):
                squashed(x, v, w, tets.nodes, tets.numbers, tets.groups, h, self.damping, True)

    def _lying(self) -> tuple[Ints, Ints, Array]:
        """The points (k,) of cloth and skins of balloons that lie on something that does not give way, a vertex (k,) of
        each, and the way out of that (n, 3), 0 for others. Vertices that do not lie there themselves, but points
        between them and others, go as those do."""
        skin, firm, none = self.skin, np.zeros_like(self.x), np.zeros(0, np.int64)
        if not self.facing.any():
            return none, none, firm
        lies = np.append(self.light == 0.0, False)[self.against] & self.facing.any(axis=1)
        points = np.flatnonzero(lies & (skin.numbers[:, 0] == 1.0))
        nodes = skin.nodes[points, 0]
        firm[nodes] = self.facing[points]
        between = np.repeat(np.flatnonzero(lies & (skin.numbers[:, 6] == 0.0)), 2)
        ends = skin.nodes[between[::2], :2].ravel()
        led = ~firm[ends].any(axis=1)
        between, ends = between[led], ends[led]
        np.add.at(firm, ends, self.facing[between])
        ends, first = np.unique(ends, return_index=True)
        long = lengths(firm[ends])[:, None]
        firm[ends] = np.where(long > OPPOSED, firm[ends] / np.maximum(long, OPPOSED), 0.0)
        points, nodes = np.concatenate([points, between[first]]), np.concatenate([nodes, ends])
        gives = self.w[nodes] > 0.0
        return points[gives], nodes[gives], firm

    def _keep_apart(self, number: int) -> None:
        """Skins from one another, and from what they collide with."""
        touching, x, w = self.touching, self.x, self.w
        surfaces = self.colliders.table
        if self.driven:
            surfaces = between(surfaces, number / self.many, (number + 1) / self.many)
        self._hold_off(surfaces, again=False)
        touching.find(x, self.before)
        self.touches += (many := touching.part(x, w, self.h, self.pressed))
        if not many:
            return
        for _ in range(ROUNDS - 1):
            self._hold_off(surfaces, again=True)
            touching.part(x, w, self.h, self.pressed)
        self._hold_off(surfaces, again=True)
        self._rein_in()
        zone = np.arange(len(x))
        for turn in range(ZONE_ROUNDS):
            if not touching.move_as_one(x, self.before, w, self.held, zone):
                return
            if turn < MET_ROUNDS:  # then rather a little into what it collides with than through itself
                self.held |= self._meet(surfaces, again=True)

    def _rein_in(self) -> None:
        """Nothing that is pushed about goes farther, beside how far all go, than what can be told to go through others,
        in place."""
        way = self.x - self.before
        way -= way[self.at >= 0].mean(axis=0)
        long = np.linalg.norm(way, axis=1)
        far = (long > TRAVEL * self.solver.spacing) & (self.w > 0.0)
        self.x[far] -= (1.0 - TRAVEL * self.solver.spacing / long[far])[:, None] * way[far]

    def _hold_off(self, surfaces: Array, *, again: bool) -> None:
        """What it collides with, by its table for the small step, keeps all out, lumps as one."""
        met_now = self._meet(surfaces, again=again)
        self.held = self.held | met_now if again else met_now
        self.lumps.fit(self.x, self.held)

    def _meet(self, surfaces: Array, *, again: bool) -> Flags:
        """What it collides with, by its table for the small step, holds it, and pulls what clings to it unless it has
        done so, in place. Returns which vertices (n,) that moves."""
        if not len(surfaces):
            return np.zeros(len(self.x), bool)
        free, skin, clung = self.x.copy(), self.skin, self.clings
        if not again:
            self.clings = np.zeros_like(clung)
            self.facing[:] = 0.0
        met(
            self.x, self.before, self.w, skin.nodes, skin.numbers, skin.groups, self.friction,
            np.zeros_like(self.glue) if again else self.glue, clung, self.clings, self.state, surfaces,
            self.colliders.bits, self.solver.setting.tree, self.light, self.h, self.touched, self.impact, self.pushed,
            self.against, self.facing,
        )  # fmt: skip
        moved: Flags = (self.x != free).any(axis=1)
        return moved

    def _number(self, p: Vertices, seam: Seam, dt: float) -> int:
        """How many small steps: by the quality, and more where something goes so fast that in one of them it would come
        past a vertex before that has pulled on the next, or where jelly is so stiff for its weight that a wave in it
        would go farther than that: there it would shake itself apart. They go up by roots of two, so that few lengths
        of steps come to be: for each the linear system is factored."""
        table, closer = self.colliders.table, len(self.touching.faces) > 0 or len(self.tets.nodes) > 0
        asked = SMALL_STEPS[self.solver.setting.quality] * seam.ahead * (CLOSER if closer else 1.0)
        least = int(np.ceil(asked - 1e-9))
        swept = np.linalg.norm(table[:, P1 : P1 + 3] - table[:, P0 : P0 + 3], axis=1).max(initial=0.0)
        way = max(float(p.speed.max(initial=0.0)) * dt, float(swept))
        past = max(way / (TRAVEL if closer or len(table) else ALONE), self._wave() * dt) / self.solver.spacing
        doublings = 0.5 * np.ceil(2.0 * np.log2(max(past / least, 1.0)))
        return int(np.ceil(least * min(MOST_SMALL, 2.0**doublings) - 1e-9))

    def _wave(self) -> float:
        """How fast a pull goes along jelly, m/s, where it is the fastest: the root of its stiffness, about three times
        its shear modulus, over its density."""
        density = np.array([getattr(thing.row, "density", np.inf) for thing in self.solver.things])
        of = self.solver.model.body[self.tets.nodes[:, 0]]
        return float(np.sqrt((3.0 * self.tets.numbers[:, 10] / density[of]).max(initial=0.0)))

    def _points(self, p: Vertices, dt: float) -> Energies:
        """The points of skins that meet what they collide with: those between vertices only where it may come through
        there."""
        solver, table = self.solver, self.colliders.table
        room = solver.spacing + dt * float(p.speed.max(initial=0.0))
        low, high = p.position.min(axis=0, initial=np.inf) - room, p.position.max(axis=0, initial=-np.inf) + room
        which = np.flatnonzero(come_between(table, low, high, solver.spacing))
        if not len(which):
            return self._there(solver.skin)
        closer = solver.closer_skin
        between, meets = np.flatnonzero(closer.numbers[:, 6] == 0.0), np.ones(len(closer.nodes), bool)
        ends, near = closer.nodes[between, :2], np.empty(len(between), bool)
        near_any(0.5 * (self.x[ends[:, 0]] + self.x[ends[:, 1]]), room, table, which, near)
        meets[between] = near
        return self._there(closer.only(np.flatnonzero(meets)))

    def _have_all(self, nodes: Ints) -> Flags:
        """Which rows of vertices (m, k) are there with all of them."""
        if self.complete:
            return np.ones(len(nodes), bool)
        return np.asarray((self.at[nodes] >= 0).all(axis=1))

    def _there(self, of: Energies) -> Energies:
        """The energies that have all their vertices."""
        return of.only(np.flatnonzero(self._have_all(of.nodes)))

    def _shaped(self, seam: Seam, ahead: list[Moving]) -> tuple[Array, Array]:
        """Where props have vertices (n, 3) at the step's start and end, each thing's own or the one that it is pinned
        to, those that are led, or all where any follows; those of props that are away stay. `ahead` has the bodies,
        which step later."""
        setting, model, scene = self.solver.setting, self.solver.model, seam.scene
        bodies = {moved.prop: (moved.start, moved.end) for moved in ahead}
        shaped = np.full(len(self.x), self.follows)
        shaped[self.led] = True
        members, ends = [mine[shaped[mine]] for mine in model.members], []
        for end, others in enumerate((scene.poses, scene.soon)):
            poses, place = setting.row_poses(seam.frame + end * seam.ahead), self.x.copy()
            for thing, mine in zip(self.solver.things, members, strict=True):
                own, to = thing.prop.id, thing.row.to
                if to is None and own in poses:
                    place[mine] = poses[own].to_world(model.place[mine])
                elif to in others:
                    pose = bodies[to][end] if to in bodies else others[to]
                    at_first = setting.at_first[own].to_world(model.place[mine])
                    place[mine] = pose.to_world(setting.at_first[to].to_local(at_first))
            ends.append(place)
        return ends[0], ends[1]

    def _catching(self, seam: Seam) -> tuple[Array, Array]:
        """The normal (n, 3) of the cloth at each vertex, and the share (n,) of what air does straight on that it does
        along it; jelly has no normal, and air takes hold of it from everywhere."""
        model, things, x = self.solver.model, self.solver.things, self.x
        normal = np.zeros_like(x)
        faced(x, model.triangles.nodes, normal)
        shares = [one(t.row, "catch", seam.scene.ask) if isinstance(t.row, Cloth) else 1.0 for t in things]
        return normal, np.array(shares)[model.body]
