"""The solver of rigid bodies: the order of one of their steps."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from hotgravel.core.drive.value import one
from hotgravel.core.lately import Lately
from hotgravel.core.matter.contract import (
    Array,
    Offers,
    Openings,
    Seam,
    Shed,
    State,
)  # fmt: skip
from hotgravel.core.matter.elements import FOLLOWING, LOOSE, NOBODY, PINNED, places_of
from hotgravel.core.matter.fineness import steps_for
from hotgravel.core.matter.forces import acting_on, gather
from hotgravel.core.matter.rigid.bonding import Bonding, bonded_anew, openings, told_of
from hotgravel.core.matter.rigid.bonds import BondTable
from hotgravel.core.matter.rigid.breaking import HARD
from hotgravel.core.matter.rigid.cast import Role, begin, due, pour
from hotgravel.core.matter.rigid.contacts import Cache, Contacts, found_contacts, together
from hotgravel.core.matter.rigid.factors import Factors
from hotgravel.core.matter.rigid.guarding import guard
from hotgravel.core.matter.rigid.loads import Bearing
from hotgravel.core.matter.rigid.lumps import Forces, Lumps, Movers, carried, lumps_of, movers_of
from hotgravel.core.matter.rigid.obstacles import Obstacle, Standing, standing
from hotgravel.core.matter.rigid.posing import pose
from hotgravel.core.matter.rigid.showing import measured, mesh_of_role, records_of
from hotgravel.core.matter.rigid.slack import Slack
from hotgravel.core.matter.rigid.sleeping import settle, wake
from hotgravel.core.matter.rigid.solve import advance_bodies
from hotgravel.core.matter.rigid.state import Bodies
from hotgravel.core.matter.rigid.telling import met_by
from hotgravel.core.shape.bvh import MeshTree
from hotgravel.core.shape.colliders import Moving
from hotgravel.core.shape.pose import Pose, pose_at
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.turns import frames_of, matrices, spins
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.copies import MOST_COPIES
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.posed import Posed
from hotgravel.core.shot.rigid import InPieces, Poured, Rigid

LOOKS = 96.0  # in a second: so often contacts are found at least
SUBSTEPS = 6  # from one look to the next
REFERENCE = 1.0  # kg/m²: what air does to a particle it does to a body of so much mass for each area that it shows
PASSES = 6  # of a step in which bonds give way


@dataclass(frozen=True)
class Went:
    """Where lumps were at a step's last look and where they go from there, the contacts of each look, and how deep
    pairs may overlap."""

    before: Movers
    after: Movers
    looks: tuple[Contacts, ...]
    slack: Slack


@dataclass(frozen=True)
class RigidSolver:
    """The bodies of one shot."""

    setting: Setting
    roles: tuple[Role, ...]
    obstacles: tuple[Obstacle, ...]
    tree: MeshTree
    smallest: float
    bonds: BondTable | None = None
    opens: float = 0.0  # seconds for which faces that have opened are offered, at the least
    cache: Cache = field(default_factory=Cache)
    factors: Factors = field(default_factory=Factors)
    lately: Lately[list[Pose]] = field(default_factory=lambda: Lately(2))  # where a step began, and where it ended

    @cached_property
    def rows(self) -> dict[int, Rigid]:
        """The rows that bodies come from, by their numbers."""
        return {role.number: role.row for role in self.roles}

    @cached_property
    def posed(self) -> tuple[Posed, ...]:
        """The rows that pose held bodies."""
        return tuple(row for row in self.setting.shot.matter if isinstance(row, Posed) and row.on)

    @cached_property
    def _offering(self) -> tuple[set[str], list[Role]]:
        """The props that other matter meets, fills or is pinned to, and the roles whose bodies are such or are one."""
        shot = self.setting.shot
        named = {prop for row in shot.collisions if row.on for prop in row.props}
        named |= {row.prop for row in shot.sloshes} | {prop for row in shot.wetted for prop in row.props}
        named |= {row.to for row in shot.soft if row.to is not None}
        return named, [role for role in self.roles if role.prop.id in named or role.row.single]

    @cached_property
    def _frames(self) -> tuple[Array, Array]:
        """By role, the turn (R, 4) from its body's own frame back to its prop's, and where in that its centre is
        (R, 3)."""
        back = [Rotation.from_matrix(role.model.axes).inv().as_quat() for role in self.roles]
        return np.array(back), np.array([role.model.centre for role in self.roles])

    def _prop_poses(self, bodies: Bodies, who: NDArray[np.int64], place: Array, turn: Array) -> list[Pose]:
        """The poses of the props of some bodies (k,), were all bodies at places (n, 3) and turned so (n, 4)."""
        told = place[who], turn[who], bodies.scale[who].astype(float), bodies.piece[who]

        def made() -> list[Pose]:
            return [Pose(*one) for one in zip(*frames_of(*told, *self._frames), told[2].tolist(), strict=True)]

        return self.lately.of(told, made)

    @cached_property
    def narrow(self) -> Array:
        """How far the narrowest part of each role's body reaches, at scale 1."""
        return np.array([role.narrow for role in self.roles])

    @cached_property
    def _round(self) -> NDArray[np.bool_]:
        """Which roles are balls."""
        return np.array([role.ball for role in self.roles])

    @cached_property
    def _own_bits(self) -> NDArray[np.uint64]:
        """What touching the bodies of each role sets in `touched`."""
        return np.array([self.setting.bit(role.prop.id) for role in self.roles], np.uint64)

    @cached_property
    def _areas(self) -> Array:
        """What the bodies of each role show to the wind, m²."""
        return np.array([role.model.area for role in self.roles])

    @cached_property
    def _inertias(self) -> Array:
        """The principal moments (roles, 3) for each kilogram, m²."""
        return np.array([role.model.inertia / role.model.volume for role in self.roles])

    @cached_property
    def _axes(self) -> Array:
        """The axes (C, 3, 3) of the models of what is bonded."""
        assert self.bonds is not None
        return np.array([self.roles[cell].model.axes for cell in self.bonds.cells])

    def begin(self) -> State:
        arrays = Contacts.none().kept() | {"slack_ids": np.zeros((0, 2), np.int64), "slack_depth": np.zeros(0)}
        if self.bonds is not None:
            arrays |= Bearing.fresh(self.bonds).arrays() | told_of([])
        return State(Bodies.blank(0), arrays, {"given": {}, "begun": []})

    def steps(self, state: State, span: float) -> int:
        bodies = state.elements
        loose = (bodies.pinned == LOOSE) & (bodies.life > 0.0)
        fastest = float(bodies.speed[loose].max(initial=0.0))
        return steps_for(self.setting.quality, fastest, self.smallest, span)

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """Sources pour, led bodies are led, forces gather, contacts are solved, and what lies still sleeps. Where
        bonds give way, the step is taken again from its start, so that what was hit is passed on."""
        self._pour(state, seam, dt)
        bodies, contacts = _bodies(state), Contacts.of(state.arrays)
        contacts.total *= dt / state.facts.get("dt", dt)  # what sleeps presses on for longer, or for less long
        slack = Slack(state.arrays["slack_ids"], state.arrays["slack_depth"])
        before = bodies.position.copy(), bodies.turn.copy()
        bodies.age += dt
        bodies.touched[:] = 0
        bodies.impulse[:], bodies.partner[:] = 0.0, NOBODY
        if not len(bodies):
            state.arrays |= Contacts.none().kept()
            return 0
        bonding = self._bonding(state, bodies, seam)
        lumps = lumps_of(bodies, bonding.bonded if bonding else np.zeros((0, 2), np.int64))
        self._lead(bodies, lumps, seam, dt)
        pull, rate, drift, bite = self._forces(bodies, seam, dt)
        given, turning = self._blows(bodies, seam)
        forces = Forces(pull + given / dt, rate, drift, bite, turning)
        there = standing(self.obstacles, seam.scene, dt)
        ways = bodies.position, bodies.turn, bodies.velocity, bodies.spin
        start = [way.copy() for way in ways] if bonding else []
        for passed in range(PASSES):
            went = self._go(bodies, lumps, Slack(slack.ids, slack.depth.copy()), contacts, forces, there, seam, dt)
            if bonding is None or passed == PASSES - 1:
                break
            gave = bonding.bear(
                bodies, lumps, together(went.looks), forces.pull + forces.drift, self._named(bodies, there), dt
            )
            if not gave:
                break
            lumps = lumps_of(bodies, bonding.bonded)
            for way, at_first in zip(ways, start, strict=True):
                way[:] = at_first
        self._carry(bodies, lumps, went.before, went.after)
        stays = (bodies.supported > 0) & ~lumps.any(bodies.pinned == FOLLOWING) & (bodies.pinned != PINNED)
        bodies.velocity[stays], bodies.spin[stays] = 0.0, 0.0
        guard(self, bodies, lumps, before[0], seam.scene, dt)
        bodies.travelled += np.linalg.norm(bodies.position - before[0], axis=1)
        impacts = self._tell(bodies, went.looks, there)
        settle(bodies, lumps, went.looks[-1], dt)
        state.arrays = went.looks[-1].kept() | {
            "before_place": before[0], "before_turn": before[1], "before_id": bodies.id.copy(),
            "slack_ids": went.slack.ids, "slack_depth": went.slack.depth,
        } | (bonding.kept(bodies, dt) if bonding else {})  # fmt: skip
        state.facts["dt"] = dt
        return impacts

    def _go(
        self, bodies: Bodies, lumps: Lumps, slack: Slack, contacts: Contacts, forces: Forces, there: Standing,
        seam: Seam, dt: float,
    ) -> Went:  # fmt: skip
        """Where lumps go in a step; what they touch is looked for again on the way. Bodies do not follow from the last
        look on yet."""
        wake(self, bodies, lumps, contacts, forces.pull + forces.drift, there)
        after = movers_of(lumps, bodies, self.inertia(bodies), forces, dt)
        looks, found = max(1, int(np.ceil(LOOKS * dt - 1e-9))), []
        for look in range(looks):
            before = after
            new = found_contacts(self, bodies, lumps, before, slack, contacts, there, seam.scene.ask, dt / looks)
            after, there = self._advance(bodies, lumps, before, new, there, dt / looks)
            new.learn(looks)
            contacts = new
            found.append(new)
            if look < looks - 1:
                self._carry(bodies, lumps, before, after)
        return Went(before, after, tuple(found), slack)

    def _advance(
        self, bodies: Bodies, lumps: Lumps, before: Movers, new: Contacts, there: Standing, dt: float
    ) -> tuple[Movers, Standing]:
        """Where lumps and obstacles go in a time of dt seconds under such contacts, which learn of it."""
        free = ((bodies.supported == 0) & (bodies.asleep == 0))[lumps.first]
        m, nothing = len(lumps.first), np.zeros((len(there.which), 3))
        none = nothing[:, 0]
        place, q = np.concatenate([before.place, there.place]), np.concatenate([before.turn, there.quaternion])
        velocity, spin = np.concatenate([before.velocity, there.velocity]), np.concatenate([before.spin, there.spin])
        balls = self._round[bodies.piece][lumps.first] & (lumps.size == 1)
        ends = np.concatenate([lumps.of, m + np.arange(len(none))]).astype(np.uint64)
        advance_bodies(
            place, q, velocity, spin, matrices(q),
            np.concatenate([np.where(free, 1.0 / before.mass, 0.0), none]),
            np.concatenate([before.inertia, nothing]), np.append(balls, none > 0.0),
            np.concatenate([before.pull, nothing]), np.concatenate([before.rate, none]),
            np.concatenate([before.drift, nothing]), np.concatenate([before.bite, none]),
            new.table, ends[new.one], ends[new.other], dt, SUBSTEPS,
        )  # fmt: skip
        after = replace(before, place=place[:m], turn=q[:m], velocity=velocity[:m], spin=spin[:m])
        return after, replace(there, place=place[m:], quaternion=q[m:], turn=matrices(q[m:]))

    def _carry(self, bodies: Bodies, lumps: Lumps, before: Movers, after: Movers) -> None:
        """Bodies that nothing keeps in place, or that are led, go where their lumps have gone, in place."""
        led = lumps.any(bodies.pinned == FOLLOWING)
        goes = (bodies.asleep == 0) & ((bodies.supported == 0) | led)
        carried(lumps, bodies, before, after, goes[lumps.first])

    def land(self, state: State, seam: Seam) -> None:
        """Bodies begin with their props, and end with them where a cue has another take its place."""
        begun, first = state.facts["begun"], seam.ids.next
        poses, known = self.setting.row_poses(seam.frame, seam.gone), set(begun)
        for role in self.roles:
            if role.prop.id in poses and role.key not in known:
                begun.append(role.key)
                self._admit(state, begin(role, poses[role.prop.id], seam.scene, self.setting.shapes), seam)
            elif role.prop.id in seam.gone and role.key in known:
                begun.remove(role.key)
                state.elements.life[state.elements.source == role.number] = -np.inf
        bodies = _bodies(state)
        parts = [role.number for role in self.roles if isinstance(role.row.copies, InPieces)]
        fresh = (bodies.id >= first) & np.isin(bodies.source, parts)
        if fresh.any():
            slack = Slack(state.arrays["slack_ids"], state.arrays["slack_depth"])
            slack.join(self, bodies.where(fresh))
            state.arrays["slack_ids"], state.arrays["slack_depth"] = slack.ids, slack.depth
            if self.bonds is not None:
                state.arrays |= bonded_anew(self.bonds, state.arrays, bodies, fresh)
        if self.posed and (bodies.id >= first).any():
            pose(self.posed, self.roles, bodies, seam.scene, 0.0)

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        """Bodies come off nothing."""

    def offers(self, state: State) -> Offers:
        bodies = _bodies(state)
        start, turn = self._before(state)
        surfaces, poses = [], {}
        named, offering = self._offering
        there = np.flatnonzero(bodies.life > 0.0)
        order = there[np.argsort(bodies.piece[there], kind="stable")]
        pieces = [role.piece for role in offering]
        ends = [np.searchsorted(bodies.piece[order], pieces, side=side) for side in ("left", "right")]
        found = [order[first:last] for first, last in zip(*ends, strict=True)]
        at = np.concatenate([np.zeros(0, np.int64), *found])
        before = self._prop_poses(bodies, at, start, turn)
        after = self._prop_poses(bodies, at, bodies.position, bodies.turn)
        roles = [role for role, mine in zip(offering, found, strict=True) for _ in mine]
        mass = np.where(bodies.pinned[at] == LOOSE, bodies.mass[at], np.inf).tolist()
        for role, then, now, who, heavy in zip(roles, before, after, bodies.id[at].tolist(), mass, strict=True):
            prop = role.prop.id
            if prop in named:
                surfaces.append(Moving(prop, role.shape, then, now, who, role.row.pushed != 0.0, heavy))
            if role.row.single:
                poses[prop] = then, now
        opened: tuple[Openings, ...] = ()
        if self.bonds is not None and self.opens > 0.0 and len(bodies):
            opened = (openings(self.bonds, state.arrays, bodies, self._axes, self.opens),)
        return Offers(tuple(surfaces), poses, openings=opened)

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, Array]]:
        return {}

    def records(self, state: State) -> dict[str, dict[str, Array]]:
        return records_of(self, state)

    def meshes(self) -> list[dict[str, Array]]:
        return [mesh_of_role(self.setting, role) for role in self.roles]

    def drawn(self) -> list[tuple[str, int | None]]:
        return [(r.prop.id, r.part if isinstance(r.row.copies, InPieces) else None) for r in self.roles]

    def measure(self, state: State, touches: int, steps: int) -> dict[str, float]:
        return measured(self, state)

    def _admit(self, state: State, new: Bodies, seam: Seam) -> None:
        if len(state.elements) + len(new) > MOST_COPIES:
            raise ShotFault.of(
                f"At frame {seam.frame:.0f} there would be over {MOST_COPIES:,} bodies.".replace(",", " ")
            )
        new.id[:] = seam.ids.take(len(new))
        new.lump[:] = new.id
        state.elements = state.elements.joined(new)

    def _pour(self, state: State, seam: Seam, dt: float) -> None:
        given = state.facts["given"]
        for role in (r for r in self.roles if isinstance(r.row.copies, Poured) and seam.runs(r.row)):
            copies = role.row.copies
            assert isinstance(copies, Poured)
            born, owed = given.get(role.row.id, (0, 1.0 - 1e-6))  # the first is owed at once
            count, owed = due(copies, owed, seam.frame, seam.ahead, dt, seam.scene)
            pose = pose_at(role.prop, seam.scene.ask)
            shape = self.setting.shapes[copies.source]
            new = pour(role, born, count, pose, seam.scene, shape, _bodies(state))
            given[role.row.id] = [born + count, owed + count - len(new)]
            self._admit(state, new, seam)

    def _bonding(self, state: State, bodies: Bodies, seam: Seam) -> Bonding | None:
        """The bonds at a step's start, less those of pieces that a cue has parted or that are gone."""
        if self.bonds is None:
            return None
        return Bonding.of(self.bonds, state.arrays, bodies, self._axes, seam, self.factors)

    @cached_property
    def _order(self) -> dict[str, int]:
        """The number of each prop in the shot."""
        return {prop.id: number for number, prop in enumerate(self.setting.shot.props)}

    def _lead(self, bodies: Bodies, lumps: Lumps, seam: Seam, dt: float) -> None:
        """Led bodies, and those bonded to them, go where the keys of their prop have them at the step's end; held ones
        stay."""
        held = (bodies.pinned != LOOSE) & (bodies.pinned != FOLLOWING)
        bodies.velocity[held], bodies.spin[held] = 0.0, 0.0
        if self.posed:
            later = self.setting.scene(seam.frame + seam.ahead, seam.ahead, seam.gone)
            pose(self.posed, self.roles, bodies, later, dt)
        led = lumps.any(bodies.pinned == FOLLOWING) & (bodies.pinned != PINNED)
        if not led.any():
            return
        now, soon = (self.setting.all_poses(frame) for frame in (seam.frame, seam.frame + seam.ahead))
        for role in self.roles:
            mine = np.flatnonzero((bodies.piece == role.piece) & led)
            if not len(mine):
                continue
            a, b = (_body_frame(role, poses[role.prop.id]) for poses in (now, soon))
            bodies.position[mine], bodies.turn[mine] = a[0], a[1]
            bodies.velocity[mine] = (b[0] - a[0]) / dt
            bodies.spin[mine] = spins(a[1][None], b[1][None], dt)

    def _forces(self, bodies: Bodies, seam: Seam, dt: float) -> tuple[Array, Array, Array, Array]:
        """Pull, rate, drift and bite for each body; air takes hold by the area that it shows over its mass."""
        forces = acting_on(self.setting.shot, seam.switched)
        table = gather(forces, self.setting.states, seam.scene, bodies, dt, {})
        at = slice(None) if table.by_element else bodies.state
        area = self._areas[bodies.piece]
        hold = REFERENCE * area * bodies.scale**2 / bodies.mass
        pull, drift = table.pull[at], table.drift[at]
        return pull, hold * table.rate[at], hold[:, None] * drift, hold * table.bite[at]

    def _blows(self, bodies: Bodies, seam: Seam) -> tuple[Array, Array]:
        """What the blows of others add to the velocity and spin of each body, (n, 3) both; of those of particles, by
        the share that it feels."""
        share, blown = np.zeros(len(bodies)), [blows for blows in seam.blows if len(blows.struck)]
        faster, turning = np.zeros((len(bodies), 3)), np.zeros((len(bodies), 3))
        if not blown:
            return faster, turning
        for number, row in self.rows.items():
            share[bodies.source == number] = one(row, "pushed", seam.scene.ask)
        for blows in blown:
            at, there = places_of(bodies.id, blows.struck)
            given = (1.0 if blows.whole else share[at, None]) * blows.impulse[there]
            np.add.at(faster, at, given / bodies.mass[at, None])
            np.add.at(turning, at, np.cross(blows.place[there] - bodies.position[at], given))
        turn = Rotation.from_quat(bodies.turn)
        return faster, turn.apply(turn.inv().apply(turning) / self.inertia(bodies))

    def inertia(self, bodies: Bodies) -> Array:
        """Principal moments (n, 3), kg m²."""
        made = self._inertias[bodies.piece]
        result: Array = made * (bodies.mass * bodies.scale**2)[:, None]
        return result

    def _tell(self, bodies: Bodies, looks: Sequence[Contacts], there: Standing) -> int:
        """What each body met, how hard, and with which impulse. Returns the impacts."""
        bodies.blow[:] = 0.0
        bits, named = np.concatenate([self._own_bits[bodies.piece], there.bits]), self._named(bodies, there)
        return sum(
            met_by(
                new.table, new.one, new.other, len(bodies), HARD, bits, named, bodies.touched, bodies.impact,
                bodies.impulse, bodies.partner, bodies.blow,
            )
            for new in looks
        )  # fmt: skip

    def _named(self, bodies: Bodies, there: Standing) -> Array:
        """What bodies and obstacles are called in events: ids, and -2 - k for the shot's k-th prop."""
        props = [-2 - self._order[self.obstacles[k].prop] for k in there.which]
        return np.concatenate([bodies.id, props]).astype(np.int64)

    def _before(self, state: State) -> tuple[Array, Array]:
        """Where bodies were at the last step's start; those that were not there, where they are."""
        bodies = _bodies(state)
        place, turn = bodies.position.copy(), bodies.turn.copy()
        if "before_id" in state.arrays:
            found, ok = places_of(state.arrays["before_id"], bodies.id)
            place[ok], turn[ok] = state.arrays["before_place"][found], state.arrays["before_turn"][found]
        return place, turn


def _bodies(state: State) -> Bodies:
    assert isinstance(state.elements, Bodies)
    return state.elements


def _body_frame(role: Role, pose: Pose) -> tuple[Array, Array]:
    """Where the body of a prop at a pose is, and how it is turned."""
    turned = Rotation.from_quat(pose.quaternion)
    place = pose.position + pose.scale * turned.apply(role.model.centre)
    return place, (turned * Rotation.from_matrix(role.model.axes)).as_quat()
