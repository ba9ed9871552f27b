"""The solver of fronts: the order of one of its steps."""

from dataclasses import dataclass

import numpy as np

from hotgravel.core.drive.value import each
from hotgravel.core.matter.begun import come_and_go
from hotgravel.core.matter.contract import Array, Offers, Seam, Shed, State
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.elements import FOLLOWING
from hotgravel.core.matter.front.skin import Skin, crept
from hotgravel.core.matter.front.state import COLD, Points
from hotgravel.core.matter.heat import Heat
from hotgravel.core.matter.paint import HAS_COLOUR
from hotgravel.core.shape.colliders import Moving
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.front import Front
from hotgravel.core.shot.props import Prop

AIR = 20.0  # °C: what is cold


@dataclass(frozen=True, eq=False)
class Role:
    """A row with its references made numbers: its prop, its number among the origins, its skin, the number of the first
    of its points, and how much faster or slower (n,) it goes at each."""

    row: Front
    prop: Prop
    number: int
    skin: Skin
    first: int
    ragged: Array

    @property
    def points(self) -> slice:
        return slice(self.first, self.first + len(self.skin.place))


@dataclass(frozen=True, eq=False)
class FrontSolver:
    """The fronts of one shot."""

    setting: Setting
    roles: tuple[Role, ...]

    def begin(self) -> State:
        return State(Points.blank(0), {}, {"begun": [], "way": [0.0, 0.0]})

    def steps(self, state: State, span: float) -> int:
        return 1

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """Points go with their props; zones light them, fronts creep on, and they cool and are eaten."""
        p = _points(state)
        p.age += dt
        state.facts["way"] = [seam.frame, seam.ahead]
        soon = self.setting.row_poses(seam.frame + seam.ahead, seam.gone)
        for role in self.roles:
            who = np.flatnonzero(p.source == role.number)
            if not len(who) or role.prop.id not in soon:
                continue
            place = soon[role.prop.id].to_world(p.rest[who])
            p.velocity[who] = (place - p.position[who]) / dt
            p.travelled[who] += np.linalg.norm(place - p.position[who], axis=1)
            p.position[who] = place
            self._creep(role, p, who, seam, dt)
        return 0

    def _creep(self, role: Role, p: Points, who: Array, seam: Seam, dt: float) -> None:
        row, mine, at = role.row, p.where(who), p.vertex[who] - role.first
        if row.lit is not None and seam.frame + seam.ahead > row.start:
            new = (mine.arrived < 0.0) & (seam.scene.weight_in(row.lit, mine.position) >= 0.5)
            mine.arrived[new], mine.gone[new] = 0.0, 0.0
        many = len(role.skin.place)
        speed = np.broadcast_to(each(row, "speed", asking(mine, seam.scene)), len(mine))
        rate, arrived, gone = np.zeros(many), np.full(many, COLD), np.zeros(many)
        rate[at], arrived[at], gone[at] = speed * role.ragged[at], mine.arrived, mine.gone
        alight = np.zeros(many, bool)
        alight[at] = speed > 0.0
        crept(role.skin.ends, role.skin.near, role.skin.off, rate, arrived, gone, alight, dt)
        p.arrived[who], p.gone[who] = arrived[at], gone[at]
        since = np.maximum(p.arrived[who], 0.0)
        reached = p.arrived[who] >= 0.0
        p.temperature[who] = np.where(reached, AIR + (row.heat - AIR) * np.exp(-since / row.cooling), AIR)
        p.left[who] = 1.0 if row.burns is None else np.clip(1.0 - since / row.burns, 0.0, 1.0)

    def land(self, state: State, seam: Seam) -> None:
        """Skins begin with their props, and end with them."""
        poses = self.setting.row_poses(seam.frame, seam.gone)
        state.facts["way"] = [seam.frame, 0.0]
        props = [role.prop.id for role in self.roles]
        new, ended = come_and_go(state.facts["begun"], props, poses, seam.gone)
        for n in new:
            state.elements = state.elements.joined(self._new(self.roles[n], poses[props[n]], seam))
        for n in ended:
            state.elements.life[state.elements.source == self.roles[n].number] = -np.inf

    def _new(self, role: Role, pose: Pose, seam: Seam) -> Points:
        p = Points.blank(len(role.skin.place))
        p.rest[:], p.position[:] = role.skin.place, pose.to_world(role.skin.place)
        p.vertex[:] = np.arange(role.first, role.first + len(p))
        p.radius[:] = p.size[:] = 0.5 * role.skin.apart * pose.scale
        p.temperature[:], p.arrived[:], p.left[:] = AIR, COLD, 1.0
        p.source[:], p.state[:] = role.number, max(self.setting.state(role.row.state), 0)
        p.colour[:] = int(role.prop.colour[1:], 16) + HAS_COLOUR
        p.pinned[:] = FOLLOWING
        p.id[:] = seam.ids.take(len(p))
        return p

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        """No front comes off what moves."""

    def offers(self, state: State) -> Offers:
        """Its props, whole: what meets them does so until they are gone."""
        frame, ahead = state.facts["way"]
        now, soon = self.setting.row_poses(frame), self.setting.row_poses(frame + ahead)
        props = [
            self.roles[n].prop.id for n in state.facts["begun"] if self.roles[n].prop.id in now.keys() & soon.keys()
        ]
        moving = tuple(Moving(prop, self.setting.shapes[prop], now[prop], soon[prop]) for prop in props)
        heats = tuple(self._heat(role, _points(state)) for role in self.roles if role.row.warms is not None)
        return Offers(moving, {prop: (now[prop], soon[prop]) for prop in props}, heats=heats)

    def _heat(self, role: Role, p: Points) -> Heat:
        """What a front warms things with."""
        hot = np.flatnonzero((p.source == role.number) & (p.arrived >= 0.0))
        return Heat(p.position[hot], p.temperature[hot], role.row.warms or 0.0)

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, Array]]:
        return {}

    def records(self, state: State) -> dict[str, dict[str, Array]]:
        return {}

    def meshes(self) -> list[dict[str, Array]]:
        """What is drawn of each prop: its points as they lie."""
        return [
            {"nodes": np.repeat(np.arange(role.points.start, role.points.stop, dtype=np.int32)[:, None], 4, axis=1),
             "shares": np.tile(np.array([1, 0, 0, 0], np.float32), (len(role.skin.place), 1)),
             "faces": role.skin.faces.astype(np.int32),
             "model": np.arange(role.points.start, role.points.stop, dtype=np.int32),
             "rest": role.skin.place.astype(np.float32)}
            for role in self.roles
        ]  # fmt: skip

    def drawn(self) -> list[tuple[str, int | None]]:
        return [(role.prop.id, None) for role in self.roles]

    def measure(self, state: State, touches: int, steps: int) -> dict[str, float]:
        p = _points(state)
        reached = p.arrived >= 0.0
        return {
            "count": len(p),
            "reached": 100.0 * float(reached.mean()) if len(p) else 0.0,
            "burning": int((reached & (p.left > 0.0) & (p.left < 1.0)).sum()),
            "eaten": 100.0 * float((p.left <= 0.0).mean()) if len(p) else 0.0,
            "greatest_temperature": float(p.temperature.max(initial=AIR)),
            "touches": touches,
        }


def _points(state: State) -> Points:
    assert isinstance(state.elements, Points)
    return state.elements
