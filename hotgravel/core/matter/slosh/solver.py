"""The solver of liquid in vessels: the order of one of its steps."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from hotgravel.core.chance import uniforms
from hotgravel.core.colour import bits_of, screen_of
from hotgravel.core.drive.value import one
from hotgravel.core.matter.aims import unit
from hotgravel.core.matter.contract import Array, Offers, Seam, Shed, State
from hotgravel.core.matter.fineness import FINENESS
from hotgravel.core.matter.forces import pull_on_all
from hotgravel.core.matter.paint import HAS_COLOUR
from hotgravel.core.matter.slosh.content import POINTS, Content, Laid
from hotgravel.core.matter.slosh.points import Points
from hotgravel.core.matter.slosh.surface import RINGS, Body, body_of, film_of, joined
from hotgravel.core.matter.slosh.swing import swung
from hotgravel.core.matter.slosh.vessel import HEIGHT, MIDDLE, SPREAD
from hotgravel.core.shape.colliders import Moving, stands
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.forces import Gravity

EMPTY = 1e-4  # of the room: so little liquid is none
FOAMS, WHITE = 12.0, 40.0  # degrees: how steep surfaces begin to foam, and foam as they most do
BORN = 2.0  # 1/s
WET, FILMED = 0.05, 0.12  # of a film: less is not seen; how much of what lies behind it a whole one hides
# Arrays of a row's state, a line for each of its vessels: its id, where it is and how turned (place, quaternion, size),
# how it turns and goes, how the middle of the surface at rest goes, the pendulum's rod and its rate, heights and rates
# of waves, foam, and the film on its walls.
WHO, POSE, SPIN, PLACE_RATE, GOING = "who", "pose", "spin", "moving", "going"
DOWN, RATE, WAVE, WAVING, FOAM, FILM = "down", "rate", "wave", "waving", "foam", "film"


@dataclass(frozen=True)
class SloshSolver:
    """The vessels of one shot."""

    setting: Setting
    contents: tuple[Content, ...]

    def begin(self) -> State:
        arrays: dict[str, Array] = {}
        for content in self.contents:
            arrays |= _named(content, _blank(content, np.zeros(0, np.int64), np.zeros((0, 8))))
        return State(Points.blank(0), arrays)

    def steps(self, state: State, span: float) -> int:
        return FINENESS[self.setting.quality].steps

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """In each vessel the plane swings and its waves go on; foam and film come and go; points ride on it."""
        for content in self.contents:
            who, before, after = self._vessels(content, seam)
            a = _kept(content, state.arrays, who, before)
            state.elements = _held(_points(state), content, who)
            if len(who):
                laid = self._move(content, a, _points(state), seam, before, after, dt)
                self._ride(content, a, _points(state), laid, seam)
            state.arrays |= _named(content, a)
        state.elements.age += dt
        return 0

    def land(self, state: State, seam: Seam) -> None:
        p = _points(state)
        for content in self.contents:
            who, _, after = self._vessels(content, seam)
            a = _kept(content, state.arrays, who, after)
            p = _held(p, content, who)
            for vessel in who[~a["begun"]]:
                p = p.joined(self._new(content, int(vessel), seam))
            a["begun"][:] = True
            state.arrays |= _named(content, a)
            self._ride(content, a, p, content.laid(a[DOWN], a[POSE], one(content.row, "level", seam.scene.ask)), seam)
        state.elements = p

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        """Nothing comes off what moves as liquid in a vessel."""

    def offers(self, state: State) -> Offers:
        return Offers()

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, Array]]:
        made = {}
        for content in self.contents:
            a, level = _own(content, state.arrays), one(content.row, "level", scene.ask)
            many = len(a[WHO]) if level > EMPTY else 0
            laid = content.laid(a[DOWN], a[POSE], level)
            made[content.row.id] = joined([self._drawn(content, a, laid, level, n) for n in range(many)])
        return made

    def records(self, state: State) -> dict[str, dict[str, Array]]:
        return {}

    def meshes(self) -> list[dict[str, Array]]:
        return []

    def drawn(self) -> list[tuple[str, int | None]]:
        return []

    def measure(self, state: State, touches: int, steps: int) -> dict[str, float]:
        p, speed = _points(state), state.elements.speed
        volume = foam = film = 0.0
        waves = [0.0]
        for content in self.contents:
            a = _own(content, state.arrays)
            if len(a[WHO]):
                volume += float(a["volume"].sum())
                foam = max(foam, float(a[FOAM].max()))
                film = max(film, float((a[FILM] > WET).mean() if a[FILM].size else 0.0))
                waves.append(float(np.abs(a[WAVE] @ content.shapes[0]).max()) * content.row.ripples)
        return {
            "count": len(p), "volume": volume, "steepest": float(p.steep.max(initial=0.0)), "ripples": max(waves),
            "foam": 100.0 * min(foam, 1.0), "wet": 100.0 * film,
            "mean_speed": float(speed.mean()) if len(p) else 0.0, "greatest_speed": float(speed.max(initial=0.0)),
        }  # fmt: skip

    def _vessels(self, content: Content, seam: Seam) -> tuple[NDArray[np.int64], Array, Array]:
        """The vessels of a row: their ids (n,), -1 for a prop, and their poses (n, 8) now and at the step's end."""
        prop = content.row.prop
        whole = self.setting.shapes[prop]  # its pieces hold nothing
        found = [m for m in seam.surfaces if m.prop == prop and m.shape is whole]
        if not found and stands(self.setting, seam.scene, prop):
            found = [Moving(prop, whole, seam.scene.poses[prop], seam.scene.soon[prop])]
        before, after = (np.array([_row(pose) for pose in of]).reshape(-1, 8)
                         for of in ((m.start for m in found), (m.end for m in found)))  # fmt: skip
        return np.array([m.element for m in found], np.int64), before, after

    def _move(
        self, content: Content, a: dict[str, Array], p: Points, seam: Seam, before: Array, after: Array, dt: float
    ) -> Laid:  # fmt: skip
        """The surfaces of a row swing in a step, in place; returns how they then lie."""
        row, ask = content.row, seam.scene.ask
        level = one(row, "level", ask)
        laid = content.laid(a[DOWN], after, level)
        bend, part, stiff, number = content.swing_by(laid, level)
        moved = (_at(after, content.middle) - _at(before, content.middle)) / dt
        new = np.isnan(a[GOING][:, 0])
        a[GOING][new] = moved[new]
        jolt = one(row, "swing", ask) * (moved - a[GOING]) / dt
        pull = self._gravity(seam) - jolt
        a[GOING], a[SPIN], a[PLACE_RATE] = moved, _turning(before, after) / dt, (after - before)[:, :3] / dt
        axes = np.einsum("nij,nkj->nki", laid.turn, laid.axes)
        side = np.linalg.norm(np.einsum("nkj,nj->nk", axes, jolt), axis=1)
        if row.uneven > 0.0 and side.any():
            named = np.uint64(seam.number) * np.uint64(1 << 20) + np.arange(len(side), dtype=np.uint64)
            chance = 2.0 * uniforms(named, number.shape[1], seed=row.seed, who=row.id) - 1.0
            wide = laid.scale * np.sqrt(np.maximum(laid.levels[:, SPREAD] + laid.levels[:, SPREAD + 2], 0.0))
            a[WAVING] += (row.uneven * side * wide * stiff[:, 0])[:, None] * chance * dt
        self._kick(content, a, p)
        broke = np.zeros(len(side))
        swung(a[DOWN], a[RATE], a[WAVE], a[WAVING], pull, axes, bend, part, stiff, number, row.calms, dt, broke)
        a[POSE] = after
        a["volume"] = level * content.vessel.room * after[:, 7] ** 3
        laid = content.laid(a[DOWN], after, level)
        self._wet(content, a, p, laid, broke, dt)
        return laid

    def _kick(self, content: Content, a: dict[str, Array], p: Points) -> None:
        """What cues have added to the velocities of points goes into waves, in place."""
        mine = np.flatnonzero(p.source == content.number)
        added = p.velocity[mine] - p.flow[mine]
        if not added.any():
            return
        rows = _rows(a, p, mine)
        push = -np.einsum("nc,nc->n", added, a[DOWN][rows])
        np.add.at(a[WAVING], rows, push[:, None] * content.shapes[0].T[p.node[mine]] / POINTS)

    def _wet(self, content: Content, a: dict[str, Array], p: Points, laid: Laid, broke: Array, dt: float) -> None:
        """Foam is born and dries; walls are wet where liquid stands, and dry, in place."""
        row, mine = content.row, np.flatnonzero(p.source == content.number)
        steep = np.zeros(len(a[WHO]))
        np.maximum.at(steep, _rows(a, p, mine), p.steep[mine])
        born = np.clip((steep - FOAMS) / (WHITE - FOAMS), 0.0, 1.0) + broke
        a[FOAM] = np.clip(a[FOAM] * np.exp(-dt / row.lasts) + row.foam * BORN * dt * born, 0.0, 1.5)
        if row.wet > 0.0:
            height = np.einsum("vc,nc->nv", content.vessel.walls[0], laid.normals)
            under = height < laid.levels[:, HEIGHT, None]
            a[FILM] = np.where(under, 1.0, a[FILM] * np.exp(-dt / row.wet))

    def _ride(self, content: Content, a: dict[str, Array], p: Points, laid: Laid, seam: Seam) -> None:
        """Points are where their surfaces have them, in place."""
        mine = np.flatnonzero(p.source == content.number)
        if not len(mine):
            return
        straight = self._gravity(seam)
        level_way = -unit(straight) if straight.any() else None
        rows, node = _rows(a, p, mine), p.node[mine]
        shapes, slopes = (of[:, node] for of in content.shapes)
        ripples = content.row.ripples
        lift = ripples * np.einsum("nm,mn->n", a[WAVE][rows], shapes)
        rise = ripples * np.einsum("nm,mn->n", a[WAVING][rows], shapes)
        stretch, scale, axes = laid.stretch[rows], laid.scale[rows], laid.axes[rows]
        flat = np.einsum("nij,nj->ni", stretch, content.nodes[node] - content.modes.middle)
        out = np.einsum("nk,nkc->nc", flat, axes)
        there = laid.levels[rows]
        local = out + np.einsum("nk,nkc->nc", there[:, MIDDLE:SPREAD], axes)
        local += (there[:, HEIGHT] + lift / scale)[:, None] * laid.normals[rows]
        turn, normal = laid.turn[rows], -a[DOWN][rows]
        away = scale[:, None] * np.einsum("nij,nj->ni", turn, local)
        p.position[mine] = a[POSE][rows, :3] + away
        arm = scale[:, None] * np.einsum("nij,nj->ni", turn, out)
        tipping = np.cross(a[DOWN][rows], a[RATE][rows])
        p.velocity[mine] = np.nan_to_num(a[GOING][rows]) + np.cross(tipping, arm) + rise[:, None] * normal
        p.flow[mine] = p.velocity[mine]
        grade = np.einsum("nm,mnk->nk", a[WAVE][rows], slopes) * ripples / scale[:, None]
        grade = np.einsum("nji,nj->ni", np.linalg.pinv(laid.stretch)[rows], grade)
        bent = normal - np.einsum("nk,nij,nkj->ni", grade, turn, axes)
        up = np.einsum("nij,j->ni", turn, content.up) if level_way is None else level_way
        cosine = (bent * up).sum(axis=1) / np.linalg.norm(bent, axis=1)
        p.steep[mine] = np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0)))

    def _gravity(self, seam: Seam) -> Array:
        """What pulls all vessels alike, m/s² (3,)."""
        found = (f for f in self.setting.shot.forces if isinstance(f, Gravity) and f.whom is None)
        return pull_on_all((f for f in found if seam.runs(f) and f.acts_at(seam.frame)), seam.scene.ask)

    def _new(self, content: Content, vessel: int, seam: Seam) -> Points:
        p = Points.blank(POINTS)
        p.id[:] = seam.ids.take(POINTS)
        p.vessel[:], p.node[:] = vessel, np.arange(POINTS)
        room = content.vessel.room
        p.radius[:] = p.size[:] = 0.01 * room ** (1.0 / 3.0)
        p.mass[:], p.source[:], p.temperature[:] = 1.0, content.number, 20.0
        p.state[:] = self.setting.state(content.row.state)
        p.colour[:] = int(content.row.colour[1:], 16) + HAS_COLOUR
        return p

    def _drawn(self, content: Content, a: dict[str, Array], laid: Laid, level: float, n: int) -> dict[str, Any]:
        """The liquid of one vessel as a mesh in the world."""
        lie = content.lie(laid, a[WAVE][n], n)
        body = body_of(content.vessel, content.modes, lie, level * content.vessel.room, RINGS[self.setting.quality])
        colour = _colours(content, body, float(a[FOAM][n]))
        if content.row.wet <= 0.0:
            return _placed(a, body.vertices, body.faces, colour, body.on_top, lie.level, laid, n)
        film, faces, left = film_of(content.vessel, body.over, a[FILM][n])
        vertices, first = np.concatenate([body.vertices, film]), len(body.vertices)
        colour = np.concatenate([colour, np.full(len(film), colour[0])])
        on_top = np.concatenate([body.on_top, np.zeros(len(film), bool)])
        made = _placed(a, vertices, np.concatenate([body.faces, faces + first]), colour, on_top, lie.level, laid, n)
        return made | {"thin": np.concatenate([np.zeros(first), 1.0 - FILMED * left])}


def _colours(content: Content, body: Body, foam: float) -> NDArray[np.uint32]:
    """Walls have its own colour; foam whitens the surface, and the most at its rim."""
    own = screen_of(content.row.colour)
    white = min(foam, 1.0) * np.array([[0.0], [0.15], [1.0]])
    kind = body.on_top.astype(np.int64) + body.rim.astype(np.int64)
    made: NDArray[np.uint32] = bits_of(255.0 * (own + white * (1.0 - own)))[kind]
    return made


def _placed(
    a: dict[str, Array], vertices: Array, faces: NDArray[np.int64], colour: Array, on_top: NDArray[np.bool_],
    level: Array, laid: Laid, n: int,
) -> dict[str, Any]:  # fmt: skip
    """A mesh of one vessel in the world: its walls move with the vessel, its surface as that tips."""
    places = laid.scale[n] * vertices @ laid.turn[n].T + a[POSE][n, :3]
    middle = level[MIDDLE:SPREAD] @ laid.axes[n] + level[HEIGHT] * laid.normals[n]
    middle = laid.scale[n] * laid.turn[n] @ middle + a[POSE][n, :3]
    velocity = _spun(a[PLACE_RATE][n], a[SPIN][n], places - a[POSE][n, :3])
    tipping = np.cross(a[DOWN][n], a[RATE][n])
    velocity[on_top] = _spun(np.nan_to_num(a[GOING][n]), tipping, places[on_top] - middle)
    return {"vertices": places, "faces": faces, "colour": colour, "velocity": velocity}


def _spun(going: Array, spin: Array, arm: Array) -> Array:
    """The velocity at places (n, 3) of what goes and spins."""
    x, y, z = spin
    return np.asarray(going + arm @ np.array([[0.0, z, -y], [-z, 0.0, x], [y, -x, 0.0]]))


def _points(state: State) -> Points:
    assert isinstance(state.elements, Points)
    return state.elements


def _held(p: Points, content: Content, who: NDArray[np.int64]) -> Points:
    """All points but those on the liquid of vessels of a row that are gone."""
    return p.where((p.source != content.number) | np.isin(p.vessel, who))


def _row(pose: Pose) -> Array:
    return np.array([*pose.position, *pose.quaternion, pose.scale])


def _at(poses: Array, place: Array) -> Array:
    """Where a place (3,) of vessels' frames is, (n, 3)."""
    there: Array = poses[:, :3] + poses[:, 7:] * Rotation.from_quat(poses[:, 3:7]).apply(place)
    return there


def _turning(before: Array, after: Array) -> Array:
    """How poses turn from one to the other, (n, 3) radians."""
    turned = Rotation.from_quat(after[:, 3:7]) * Rotation.from_quat(before[:, 3:7]).inv()
    made: Array = turned.as_rotvec()
    return made


def _blank(content: Content, who: NDArray[np.int64], poses: Array) -> dict[str, Array]:
    """Liquid at rest in vessels."""
    n, waves, walls = len(who), len(content.modes.number), len(content.vessel.walls[0])
    return {
        WHO: who, POSE: poses, DOWN: np.tile([0.0, -1.0, 0.0], (n, 1)), RATE: np.zeros((n, 3)),
        GOING: np.full((n, 3), np.nan), SPIN: np.zeros((n, 3)), PLACE_RATE: np.zeros((n, 3)),
        WAVE: np.zeros((n, waves)), WAVING: np.zeros((n, waves)), FOAM: np.zeros(n),
        FILM: np.zeros((n, walls if content.row.wet > 0.0 else 0)), "volume": np.zeros(n), "begun": np.zeros(n, bool),
    }  # fmt: skip


def _named(content: Content, own: dict[str, Array]) -> Iterator[tuple[str, Array]]:
    return ((f"{name} {content.row.id}", array) for name, array in own.items())


def _own(content: Content, arrays: dict[str, Array]) -> dict[str, Array]:
    return {key.split(" ")[0]: array for key, array in arrays.items() if key.split(" ", 1)[1] == content.row.id}


def _kept(content: Content, arrays: dict[str, Array], who: NDArray[np.int64], poses: Array) -> dict[str, Array]:
    """A row's arrays for the vessels that are there now; those that are new begin at rest."""
    there = _own(content, arrays)
    if np.array_equal(there[WHO], who):
        return {name: array.copy() for name, array in there.items()}
    made = _blank(content, who, poses)
    _, old, new = np.intersect1d(there[WHO], who, return_indices=True)
    for name, array in made.items():
        array[new] = there[name][old]
    return made


def _rows(a: dict[str, Array], p: Points, mine: NDArray[np.int64]) -> NDArray[np.int64]:
    """In which of a row's vessels points are."""
    order = np.argsort(a[WHO])
    return np.asarray(order[np.searchsorted(a[WHO][order], p.vessel[mine])])
