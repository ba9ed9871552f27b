"""The solver of wetness: the order of one of its steps."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from hotgravel.core.colour import bits_of, screen_of
from hotgravel.core.drive.value import each
from hotgravel.core.matter.bearers import bearers
from hotgravel.core.matter.contract import Array, Offers, Seam, Shed, State
from hotgravel.core.matter.crowd import asking
from hotgravel.core.matter.paint import HAS_COLOUR
from hotgravel.core.matter.wetness.points import Points
from hotgravel.core.shape.colliders import Moving
from hotgravel.core.shape.mesh import smooth_normals
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.wetness import Wetness

AIR = 20.0  # °C
SEEN = 0.01  # of a whole film: less is not drawn
Film = dict[str, Array]
NO_FILM: Film = {
    "vertices": np.zeros((0, 3)), "velocity": np.zeros((0, 3)), "thin": np.zeros(0),
    "faces": np.zeros((0, 3), np.int64),
}  # fmt: skip
LIFTED = 1e-3  # of the prop's size: how far the film is drawn off its skin


@dataclass(frozen=True, eq=False)
class Surface:
    """A row, its number among the origins, one of its props and that one's number, its skin in its own frame, places
    (n, 3) and faces (F, 3), its size as it first stands, m, and the number of the first of its vertices."""

    row: Wetness
    number: int
    prop: str
    which: int
    place: Array
    faces: NDArray[np.int64]
    size: float
    first: int

    def points(self, p: Points) -> NDArray[np.int64]:
        """Which points lie on it."""
        n = p.vertex - self.first
        return np.flatnonzero((n >= 0) & (n < len(self.place)))

    def bearers(self, setting: Setting, seam: Seam) -> dict[int, Moving]:
        """The prop, or the bodies that are made of it, as points name them."""
        there = bearers(setting, seam, self.prop)
        return {m.element if m.element >= 0 else -2 - self.which: m for m in there}


@dataclass(frozen=True, eq=False)
class WetnessSolver:
    """The wet surfaces of one shot."""

    setting: Setting
    skins: tuple[Surface, ...]

    def begin(self) -> State:
        return State(Points.blank(0), {})

    def steps(self, state: State, span: float) -> int:
        return 1

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """Points go with what they lie on; films dry, and are whole where liquid is."""
        p = _points(state)
        p.age += dt
        there = [skin.bearers(self.setting, seam) for skin in self.skins]
        state.elements = p = p.where(np.isin(p.bearer, [bearer for of in there for bearer in of]))
        for skin, of in zip(self.skins, there, strict=True):
            mine = skin.points(p)
            for bearer, moving in of.items():
                if len(who := mine[p.bearer[mine] == bearer]):
                    self._go(p, who, skin, moving, seam, dt)
        return 0

    def _go(self, p: Points, who: NDArray[np.int64], skin: Surface, moving: Moving, seam: Seam, dt: float) -> None:
        """The points of one thing in a step, in place."""
        there = moving.end.to_world(p.rest[who])
        p.velocity[who] = (there - moving.start.to_world(p.rest[who])) / dt
        p.travelled[who] += np.linalg.norm(there - p.position[who], axis=1)
        p.position[who] = there
        p.wet[who] *= np.exp(-dt / each(skin.row, "dries", asking(p.at(who), seam.scene)))
        p.wet[who[self._wetted(there, skin.row, seam, dt)]] = 1.0

    def _wetted(self, there: Array, row: Wetness, seam: Seam, dt: float) -> NDArray[np.bool_]:
        """Which places (n, 3) liquid touches now."""
        wet = np.zeros(len(there), bool)
        for liquid in seam.wets:
            wet |= liquid.reaches(there, row.reach)
        drops = seam.crowds.get("particles") if row.drops is not None else None
        if drops is None:
            return wet
        met = drops.at(np.flatnonzero(drops.in_state(self.setting.state(row.drops)) & (drops.touched > 0)))
        if not len(met):
            return wet
        # A drop that bounces has left again by the step's end: the place that it met is the nearest.
        tree, far = cKDTree(there), met.radius + row.reach
        off, nearest = tree.query(met.position)
        hit = off <= far + met.speed * dt
        for around in tree.query_ball_point(there[nearest[hit]], far[hit]):
            wet[around] = True
        return wet

    def land(self, state: State, seam: Seam) -> None:
        """Points are there from the frame on at which what they lie on is."""
        p = _points(state)
        for skin in self.skins:
            known, there = state.facts.get(f"{skin.first}", ()), skin.bearers(self.setting, seam)
            for bearer in (b for b in there if b not in known):
                p = p.joined(self._new(skin, bearer, there[bearer], seam))
            state.facts[f"{skin.first}"] = list(there)
        state.elements = p

    def _new(self, skin: Surface, bearer: int, moving: Moving, seam: Seam) -> Points:
        p, pose = Points.blank(len(skin.place)), moving.start
        p.id[:] = seam.ids.take(len(p))
        p.rest[:], p.position[:] = skin.place, pose.to_world(skin.place)
        p.bearer[:], p.vertex[:] = bearer, skin.first + np.arange(len(p))
        p.radius[:] = p.size[:] = 0.25 * skin.size / skin.row.segments
        p.mass[:], p.source[:], p.temperature[:] = 1.0, skin.number, AIR
        p.state[:] = self.setting.state(skin.row.state)
        p.colour[:] = int(skin.row.colour[1:], 16) + HAS_COLOUR
        p.wet[self._wetted(p.position, skin.row, seam, 0.0)] = 1.0
        return p

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        """No film comes off what moves."""

    def offers(self, state: State) -> Offers:
        return Offers()

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, Array]]:
        p, films = _points(state), dict[str, list[Film]]()
        for skin in self.skins:
            films.setdefault(skin.row.id, []).extend(_films(p, skin))
        return {row.id: _joined(films[row.id], row.colour) for row in self.setting.shot.wetted}

    def records(self, state: State) -> dict[str, dict[str, Array]]:
        return {}

    def meshes(self) -> list[dict[str, Array]]:
        return []

    def drawn(self) -> list[tuple[str, int | None]]:
        return []

    def measure(self, state: State, touches: int, steps: int) -> dict[str, float]:
        wet = _points(state).wet
        return {
            "count": len(wet), "wet": 100.0 * float((wet > 0.5).mean()) if len(wet) else 0.0,
            "film": 100.0 * float(wet.mean()) if len(wet) else 0.0, "touches": touches,
        }  # fmt: skip


def _films(p: Points, skin: Surface) -> Iterator[Film]:
    """The films on each bearer of a skin, as far as there are any."""
    mine = skin.points(p)
    for bearer in np.unique(p.bearer[mine]):
        yield _on_one(p, mine[p.bearer[mine] == bearer], skin)


def _joined(films: list[Film], colour: str) -> Film:
    """Films as one mesh."""
    films = films or [NO_FILM]
    many = np.array([len(film["vertices"]) for film in films], np.int64)
    made = {name: np.concatenate([film[name] for film in films]) for name in ("vertices", "velocity", "thin")}
    first = np.cumsum(many) - many
    faces = np.concatenate([film["faces"] + n for film, n in zip(films, first, strict=True)])
    return made | {"faces": faces, "colour": bits_of(np.tile(255.0 * screen_of(colour), (int(many.sum()), 1)))}


def _on_one(p: Points, who: NDArray[np.int64], skin: Surface) -> Film:
    """The film on one thing, whose points are `who` in order; those that cues have removed are missing."""
    at = p.vertex[who] - skin.first
    wet, there = np.zeros((2, len(skin.place)))
    wet[at], there[at] = p.wet[who], 1.0
    place, velocity = np.zeros((2, *skin.place.shape))
    place[at], velocity[at] = p.position[who], p.velocity[who]
    faces = skin.faces[(there[skin.faces] > 0.0).all(axis=1)]
    lifted = place + LIFTED * skin.size * smooth_normals(place, faces)
    faces = faces[(wet[faces] > SEEN).any(axis=1)]
    used, faces = np.unique(faces, return_inverse=True)
    return {
        "vertices": lifted[used], "faces": faces.reshape(-1, 3).astype(np.int64), "velocity": velocity[used],
        "thin": 1.0 - skin.row.dark * wet[used],
    }  # fmt: skip


def _points(state: State) -> Points:
    assert isinstance(state.elements, Points)
    return state.elements
