"""The solver of liquid in vessels: the order of one of its steps."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.chance import uniforms
from hotgravel.core.colour import bits_of, screen_of
from hotgravel.core.drive.value import one
from hotgravel.core.matter.aims import unit
from hotgravel.core.matter.bearers import bearers
from hotgravel.core.matter.contract import Array, Offers, Seam, Shed, State
from hotgravel.core.matter.fineness import FINENESS
from hotgravel.core.matter.forces import pull_on_all
from hotgravel.core.matter.paint import HAS_COLOUR
from hotgravel.core.matter.slosh.content import POINTS, Content, Laid
from hotgravel.core.matter.slosh.points import Points
from hotgravel.core.matter.slosh.surface import RINGS, Bodies, bodies_of, placed
from hotgravel.core.matter.slosh.swing import filmed, ridden, swung
from hotgravel.core.matter.slosh.vessel import HEIGHT, MIDDLE, SPREAD
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.turns import matrices, spins
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.forces import Gravity

EMPTY = 1e-4  # of the room: so little liquid is none
FOAMS, WHITE = 12.0, 40.0  # degrees: how steep surfaces begin to foam, and foam as they most do
BORN = 2.0  # 1/s
WET = 0.05  # of a film: less is not seen
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
            if level <= EMPTY:
                a = {name: array[:0] for name, array in a.items()}
            made[content.row.id] = self._drawn(content, a, level)
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
        found = bearers(self.setting, seam, content.row.prop)
        before, after = _lines([m.start for m in found]), _lines([m.end for m in found])
        return np.array([m.element for m in found], np.int64), before, after

    def _move(
        self, content: Content, a: dict[str, Array], p: Points, seam: Seam, before: Array, after: Array, dt: float
    ) -> Laid:  # fmt: skip
        """The surfaces of a row swing in a step, in place; returns how they then lie."""
        row, ask = content.row, seam.scene.ask
        level = one(row, "level", ask)
        laid = content.laid(a[DOWN], before, level)
        bend, part, stiff, number = content.swing_by(laid, level)
        was, turn = (np.ascontiguousarray(poses[:, 3:7]) for poses in (before, after))
        moved = (_at(after, matrices(turn), content.middle) - _at(before, laid.turn, content.middle)) / dt
        new = np.isnan(a[GOING][:, 0])
        a[GOING][new] = moved[new]
        jolt = one(row, "swing", ask) * (moved - a[GOING]) / dt
        pull = self._gravity(seam) - jolt
        a[GOING], a[SPIN], a[PLACE_RATE] = moved, spins(was, turn, dt), (after - before)[:, :3] / dt
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
        if np.array_equal(p.velocity, p.flow):
            return
        mine = np.flatnonzero(p.source == content.number)
        added = p.velocity[mine] - p.flow[mine]
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
            filmed(content.vessel.walls[0], laid.normals, laid.levels, np.exp(-dt / row.wet), a[FILM])

    def _ride(self, content: Content, a: dict[str, Array], p: Points, laid: Laid, seam: Seam) -> None:
        """Points are where their surfaces have them, in place."""
        mine = np.flatnonzero(p.source == content.number)
        if not len(mine):
            return
        turn, (shapes, slopes) = laid.scale[:, None, None] * laid.turn, content.shapes
        axes, up = laid.axes @ np.swapaxes(turn, 1, 2), np.einsum("nij,nj->ni", turn, laid.normals)
        straight = self._gravity(seam)
        level_way = np.broadcast_to(-unit(straight) if straight.any() else laid.turn @ content.up, up.shape)
        ridden(
            mine, _rows(a, p, mine), p.node, content.nodes - content.modes.middle, shapes, slopes, content.row.ripples,
            a[WAVE], a[WAVING], a[POSE][:, :3], laid.scale, axes, up, -a[DOWN], laid.levels, laid.stretch,
            laid.inverse, np.nan_to_num(a[GOING]), np.cross(a[DOWN], a[RATE]),
            np.ascontiguousarray(level_way), p.position, p.velocity, p.flow, p.steep,
        )  # fmt: skip

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

    def _drawn(self, content: Content, a: dict[str, Array], level: float) -> dict[str, Any]:
        """The liquid in a row's vessels, and the films on their walls, as one mesh in the world."""
        laid, films = content.laid(a[DOWN], a[POSE], level), content.row.wet > 0.0
        mesh = bodies_of(
            content.vessel, content.lie(laid, a[WAVE]), level * content.vessel.room,
            RINGS[self.setting.quality], a[FILM],
        )  # fmt: skip
        places, velocity, colour = _placed(a, laid, mesh, _colours(content, a[FOAM]))
        made = {"vertices": places, "faces": mesh.faces, "colour": colour, "velocity": velocity}
        return made | {"thin": mesh.thin} if films else made


def _colours(content: Content, foam: Array) -> NDArray[np.uint32]:
    """Of what is in vessels (n, 3) with so much foam (n,), by what it is on: walls have the row's colour; foam whitens
    the surface, and the most its rim."""
    own = screen_of(content.row.colour)
    white = np.minimum(foam, 1.0)[:, None, None] * np.array([[0.0], [0.15], [1.0]])
    made: NDArray[np.uint32] = bits_of((255.0 * (own + white * (1.0 - own))).reshape(-1, 3)).reshape(-1, 3)
    return made


def _placed(
    a: dict[str, Array], laid: Laid, mesh: Bodies, colours: NDArray[np.uint32]
) -> tuple[Array, Array, NDArray[np.uint32]]:
    """Where meshes are in the world, how they move and their colours: walls go with their vessels, surfaces and their
    rims as they tip about the surface's middle."""
    turn, levels = laid.scale[:, None, None] * laid.turn, laid.levels
    middle = np.einsum("nk,nkc->nc", levels[:, MIDDLE:SPREAD], laid.axes) + levels[:, HEIGHT, None] * laid.normals
    middle, going, tipping = np.einsum("nij,nj->ni", turn, middle), np.nan_to_num(a[GOING]), np.cross(a[DOWN], a[RATE])
    walls = a[PLACE_RATE], a[SPIN], np.zeros_like(middle)
    going, tipping, middle = (
        np.stack([of, top, top], axis=1) for of, top in zip(walls, (going, tipping, middle), strict=True)
    )
    made: tuple[Array, Array, NDArray[np.uint32]] = placed(
        mesh.vertices, mesh.vessel, mesh.on, a[POSE][:, :3], turn, going, tipping, middle, colours
    )
    return made


def _points(state: State) -> Points:
    assert isinstance(state.elements, Points)
    return state.elements


def _held(p: Points, content: Content, who: NDArray[np.int64]) -> Points:
    """All points but those on the liquid of vessels of a row that are gone."""
    return p.where((p.source != content.number) | np.isin(p.vessel, who))


def _lines(poses: list[Pose]) -> Array:
    """Poses as lines (n, 8) of an array."""
    if not poses:
        return np.zeros((0, 8))
    place, turn = np.array([pose.position for pose in poses]), np.array([pose.quaternion for pose in poses])
    return np.column_stack([place, turn, [pose.scale for pose in poses]])


def _at(poses: Array, turn: Array, place: Array) -> Array:
    """Where a place (3,) of the frames of vessels with these poses (n, 8), turned so (n, 3, 3), is, (n, 3)."""
    there: Array = poses[:, :3] + poses[:, 7:] * (turn @ place)
    return there


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
