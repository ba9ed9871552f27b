"""All that a picture shows, as one soup of triangles and one of balls."""

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from hotgravel.core.colour import linear, rgb_of
from hotgravel.core.picture.shade import CLEAR, FIRE, LOOK_WIDTH
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.mesh import creased, mesh_of, smooth_normals
from hotgravel.core.shot import props

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
Look = tuple[float, ...]
TINGED = 0.4  # how much clear things colour what is seen through them
PLAIN: Look = (0.0,) * LOOK_WIDTH


@dataclass(frozen=True)
class Arrays:
    """Triangles: vertices, normals, paint (linear) and places on their own surface (V, 3), faces (F, 3), and the look
    of each (F,). Balls: places (n, 3), radius (n,), paint (n, 3), look (n,). The looks (K, LOOK_WIDTH) of both, how
    vertices and balls move, m/s, and how much of each face (F,) and ball (n,) has faded."""

    vertices: Array
    normals: Array
    paint: Array
    local: Array
    faces: Ints
    look_of: Ints
    places: Array
    radius: Array
    ball_paint: Array
    ball_look: Ints
    looks: Array
    velocity: Array
    ball_velocity: Array
    faded: Array
    ball_faded: Array

    @property
    def solid(self) -> "Arrays":
        """Without all that is seen through, however little."""
        faces, balls = self.faded == 0.0, self.ball_faded == 0.0
        return replace(
            self, faces=self.faces[faces], look_of=self.look_of[faces], faded=self.faded[faces],
            places=self.places[balls], radius=self.radius[balls], ball_paint=self.ball_paint[balls],
            ball_look=self.ball_look[balls], ball_velocity=self.ball_velocity[balls],
            ball_faded=self.ball_faded[balls],
        )  # fmt: skip

    @property
    def tint(self) -> Array:
        """What light that comes through each face (F, 3) is multiplied by: what is clear takes away what its own colour
        lacks, films less of it."""
        colour, clear = self.paint[self.faces].mean(axis=1), self.looks[self.look_of, CLEAR]
        own = colour / np.maximum(colour.max(axis=1, keepdims=True), 1e-6)
        thick = np.clip((1.0 - self.faded) / np.maximum(1.0 - clear, 1e-6), 0.0, 1.0)
        return np.where(clear[:, None] > 0.0, 1.0 - TINGED * thick[:, None] * (1.0 - own), 1.0)

    @property
    def casting(self) -> Ints:
        """The faces that throw shadows: all but those of what glows, which has a lamp in it, and of what is clear."""
        thrown: Ints = self.faces[(self.looks[self.look_of][:, [FIRE, CLEAR]] == 0.0).all(axis=1)]
        return thrown


@dataclass
class Soup:
    """What is added up to be drawn."""

    triangles: list[tuple[Array, Array, Array, Array, Ints, Ints, Array, Array]] = field(default_factory=list)
    balls: list[tuple[Array, Array, Array, Ints, Array, Array]] = field(default_factory=list)
    looks: dict[Look, int] = field(default_factory=lambda: {PLAIN: 0})
    count: int = 0

    def _number(self, look: Look) -> int:
        return self.looks.setdefault(look, len(self.looks))

    def add(
        self, vertices: Array, normals: Array, local: Array, paint: Array, faces: Ints, look: Look,
        velocity: Array | None = None, faded: Array | float = 0.0,
    ) -> None:  # fmt: skip
        """Triangles (F, 3) of vertices (V, 3)."""
        numbers = np.full(len(faces), self._number(look))
        moving = np.zeros_like(vertices) if velocity is None else velocity
        self.triangles.append(
            (vertices, normals, local, paint, faces + self.count, numbers, moving, np.broadcast_to(faded, len(faces)))
        )
        self.count += len(vertices)

    def add_balls(
        self, places: Array, radius: Array, paint: Array, look: Look = PLAIN, velocity: Array | None = None,
        faded: Array | float = 0.0,
    ) -> None:  # fmt: skip
        """Balls at places (n, 3)."""
        moving = np.zeros_like(places) if velocity is None else velocity
        self.balls.append(
            (
                places,
                radius,
                paint,
                np.full(len(places), self._number(look)),
                moving,
                np.broadcast_to(faded, len(places)),
            )
        )

    def arrays(self) -> Arrays:
        """All of it."""
        nothing, none, no_faces = np.zeros((0, 3)), np.zeros(0, np.int64), np.zeros((0, 3), np.int64)
        triangles = [(nothing, nothing, nothing, nothing, no_faces, none, nothing, np.zeros(0)), *self.triangles]
        vertices, normals, local, paint, faces, look_of, velocity, faded = (
            np.concatenate(part) for part in zip(*triangles, strict=True)
        )
        balls = [(nothing, np.zeros(0), nothing, none, nothing, np.zeros(0)), *self.balls]
        places, radius, ball_paint, ball_look, ball_velocity, ball_faded = (
            np.concatenate(part) for part in zip(*balls, strict=True)
        )
        return Arrays(
            vertices, normals, paint, local, faces, look_of, places, radius, ball_paint, ball_look,
            np.array(list(self.looks)), velocity, ball_velocity, faded, ball_faded,
        )  # fmt: skip


def prop_mesh(shape: props.Shape, shaped: Shaped) -> tuple[Array, Ints, Array]:
    """The mesh that a prop is drawn with: vertices (V, 3), faces (F, 3), normals (V, 3)."""
    plain = (shaped.vertices, shaped.faces) if len(shaped.faces) else mesh_of(shape)[:2]
    vertices, faces, normals, _ = creased(*plain)
    return vertices.astype(float), faces.astype(np.int64), normals.astype(float)


DARKEST = 1e-3  # of light: darker paint is no measure of what lies inside


def pieces_into(
    soup: Soup, meshes: list[dict[str, Any]], pieces: dict[str, Any], looks: list[Look], eye: Array, alike: bool = False
) -> None:
    """Pieces as their meshes with a look each, seen from a place; all that have one mesh in one go. `alike` gives faces
    that cuts have made the colour of the others."""
    for number, mesh in enumerate(meshes):
        mine = np.flatnonzero(pieces["piece"] == number)
        if not len(mine):
            continue
        turn = Rotation.from_quat(pieces["turn"][mine].astype(float)).as_matrix()
        corners, n = mesh["vertices"].astype(float), len(mesh["vertices"])
        scale = pieces["scale"][mine].astype(float)[:, None, None]
        vertices = np.einsum("nij,vj->nvi", turn, corners) * scale + pieces["position"][mine].astype(float)[:, None]
        normals = np.einsum("nij,vj->nvi", turn, mesh["normals"].astype(float))
        faces = mesh["faces"].astype(np.int64)[None] + n * np.arange(len(mine))[:, None, None]
        paint = np.repeat(linear(rgb_of(pieces["colour"][mine])), n, axis=0)
        if "inner" in mesh and not alike:
            outer, inside = linear(rgb_of(mesh["colour"]))
            within = np.tile(mesh["inner"] > 0, len(mine))
            paint[within] *= inside / np.maximum(outer, DARKEST)
        place, spin = (pieces[name][mine].astype(float)[:, None] for name in ("position", "spin"))
        velocity = pieces["velocity"][mine].astype(float)[:, None] + np.cross(spin, vertices - place)
        faces, vertices = faces.reshape(-1, 3), vertices.reshape(-1, 3)
        gone = pieces["faded"][mine].astype(float) if "faded" in pieces else np.zeros(len(mine))
        faded, look = np.repeat(gone, len(mesh["faces"])), looks[number]
        if look[CLEAR] == 0.0:  # of what has faded the near side alone, or it would be half as faded
            near = (faded == 0.0) | _faces_towards(vertices, faces, eye)
            faces, faded = faces[near], faded[near]
        soup.add(
            vertices, normals.reshape(-1, 3), np.tile(corners, (len(mine), 1)), paint, faces, look,
            velocity.reshape(-1, 3), np.maximum(faded, seen_past(vertices, faces, look, eye)),
        )  # fmt: skip


def _faces_towards(vertices: Array, faces: Ints, eye: Array) -> NDArray[np.bool_]:
    """Which faces (F,) have their front to a place (3,)."""
    a, b, c = (vertices[faces[:, n]] for n in range(3))
    return np.asarray(np.einsum("fc,fc->f", np.cross(b - a, c - a), eye - a) > 0.0)


def skin_into(soup: Soup, made: dict[str, Any], look: Look, eye: Array) -> None:
    """A skin around elements, seen from a place (3,)."""
    vertices, faces = made["vertices"].astype(float), made["faces"].astype(np.int64)
    if not len(faces):
        return
    velocity = made["velocity"].astype(float) if "velocity" in made else None
    paint = linear(rgb_of(made["colour"]))
    faded = seen_past(vertices, faces, look, eye)
    if "thin" in made:
        faded = np.maximum(faded, made["thin"][faces].mean(axis=1))
    soup.add(vertices, smooth_normals(vertices, faces), vertices, paint, faces, look, velocity, faded)


def seen_past(vertices: Array, faces: Ints, look: Look, eye: Array) -> Array | float:
    """How much of what lies behind faces is seen from a place (3,) past each of them, where they are clear: what
    `shade.opaque` leaves."""
    if look[CLEAR] == 0.0:
        return 0.0
    a, b, c = (vertices[faces[:, n]] for n in range(3))
    across, ways = np.cross(b - a, c - a), (a + b + c) / 3.0 - eye
    size = np.linalg.norm(across, axis=1) * np.linalg.norm(ways, axis=1)
    facing = np.abs(np.einsum("fc,fc->f", across, ways)) / np.maximum(size, 1e-12)
    seen: Array = look[CLEAR] * 0.98 * (1.0 - (1.0 - facing) ** 5)
    return seen


def balls_of(streaks: dict[str, Any]) -> tuple[Array, Array]:
    """Lines that fade, as places (n, 3) laid closely along them and their paint (n, 3)."""
    points = streaks["points"].astype(float)
    if points.shape[1] < 2 or not len(points):
        return np.zeros((0, 3)), np.zeros((0, 3))
    along = np.linspace(0.0, 1.0, 9)[:-1]
    k = points.shape[1] - 1
    laid = points[:, :-1, None] * (1.0 - along)[:, None] + points[:, 1:, None] * along[:, None]
    fade = (1.0 - (np.arange(k)[:, None] + along) / k).ravel()
    paint = linear(rgb_of(streaks["colour"]))
    return laid.reshape(-1, 3), (paint[:, None, :] * fade[None, :, None]).reshape(-1, 3)
