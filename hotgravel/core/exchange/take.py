"""What is handed over: a run's frames, which of them, in which unit and up axis, under which names."""

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.attributes import ATTRIBUTES
from hotgravel.core.colour import light_of, shown
from hotgravel.core.exchange.flowing import Flowing
from hotgravel.core.exchange.textures import textured
from hotgravel.core.matter.drape import TOLD, draped, draping
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.picture.camera import View
from hotgravel.core.picture.measured import BY
from hotgravel.core.place import Place
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.retimed import Retimed
from hotgravel.core.run.world import World, build
from hotgravel.core.shape.mesh import smooth_normals, triangles_of
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.setting import FindMesh
from hotgravel.core.shape.unwrapping import Chart, chart_of, in_box_of
from hotgravel.core.shot.document import Shot, load
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.props import Prop

Array = NDArray[Any]
Unit = Literal["m", "cm"]
Up = Literal["y", "z"]
File = tuple[str, bytes]
Step = File | None  # None: a frame is in, and there is no file yet
LARGEST_PICTURE = 4096


@dataclass(frozen=True)
class Material:
    """How a surface looks: its colour as linear red, green and blue, how rough it is, and how much of its colour it
    gives as light."""

    name: str
    colour: tuple[float, float, float]
    roughness: float = 0.95
    glow: float = 0.0

    @classmethod
    def of(cls, name: str, colour: str, glow: float) -> "Material":
        """From a colour as #rrggbb."""
        rgb = light_of(colour)
        return cls(name, (float(rgb[0]), float(rgb[1]), float(rgb[2])), glow=glow)

    @classmethod
    def skin(cls, name: str, look: str) -> "Material":
        """That of a skin, which has its colours at its corners."""
        return cls(name, (1.0, 1.0, 1.0), {"glassy": 0.3, "glowing": 0.7}.get(look, 0.95), float(look == "glowing"))


def sides_of(mesh: Mapping[str, Array]) -> tuple[Array, Array, tuple[str, str]]:
    """The numbers of a piece's outer faces (all, where a cut has made every one) and of its inner ones, and the colours
    of both as #rrggbb."""
    inner = mesh["inner"][mesh["faces"][:, 0]] > 0 if "inner" in mesh else np.zeros(len(mesh["faces"]), bool)
    first, last = (f"#{int(mesh['colour'][k]):06X}" for k in (0, -1))
    if inner.all():
        return np.arange(len(inner)), np.zeros(0, np.int64), (last, last)
    return np.flatnonzero(~inner), np.flatnonzero(inner), (first, last)


@dataclass(frozen=True)
class Take:
    """A run to hand over: its frames, its world, and what every file should carry of where it is from."""

    store: FrameStore
    world: World
    find_mesh: FindMesh
    revision: int | None = None
    view: View | None = None

    @property
    def shot(self) -> Shot:
        return self.world.shot

    @property
    def origin(self) -> dict[str, str]:
        """Name, revision (where known) and fingerprint, for the place that each format has for them."""
        facts = {"shot": self.shot.name, "fingerprint": self.world.fingerprint, "made by": "Hot Gravel"}
        return facts | ({"revision": str(self.revision)} if self.revision is not None else {})

    def triangles(self, prop: Prop) -> tuple[Array, Array]:
        """A prop's vertices (V, 3) in its own frame, metres, and faces (F, 3)."""
        vertices, faces, _normals = triangles_of(prop.shape, self.find_mesh)
        return vertices, faces

    def material(self, prop: Prop) -> Material:
        """How a prop looks."""
        return Material.of(self.labels[prop.id], prop.colour, float(prop.shine == "glowing"))

    @cached_property
    def labels(self) -> dict[str, str]:
        """What the artist calls each row, made unique: of two with one name, the second has a number."""
        found: dict[str, str] = {}
        for row, name in self.shot.names().items():
            name, number = name.strip() or row, 2
            label = name
            while label in found.values():
                label, number = f"{name} {number}", number + 1
            found[row] = label
        return found

    def elements(self, frame: int, matter: str, wish: "Wish") -> dict[str, Array]:
        """All columns of a matter's elements, lengths, places and turns in the wanted unit and axes; `rgb` (n, 3) is
        what each is painted with, as the screen has it. A life without an end is -1."""
        columns = self.store.elements(frame, matter)
        for name, array in columns.items():
            if ATTRIBUTES[name].unit in ("m", "m/s"):
                columns[name] = wish.placed(array) if array.ndim == 2 else array * np.float32(wish.scale)
            elif ATTRIBUTES[name].width == 3:
                columns[name] = wish.turned(array)
            elif ATTRIBUTES[name].width == 4:
                columns[name] = np.concatenate([wish.turned(array[:, :3]), array[:, 3:]], axis=1)
        columns["life"] = np.where(np.isfinite(columns["life"]), columns["life"], np.float32(-1.0))
        columns["rgb"] = shown(columns.pop("colour"), columns["state"], [s.colour for s in self.shot.states])
        return columns

    def skin(self, frame: int, row: str) -> dict[str, Array]:
        """A skin of a frame with its normals (V, 3), without the films that lie on it; that of a liquid with where it
        began, `rest` (V, 3), and coordinates for a texture that flows with it, `uv` (V, 2): metres, seen from above.
        Raises `KeyError`."""
        made = self.store.skin(frame, row)
        if "thin" in made:
            made["faces"] = made["faces"][(made.pop("thin")[made["faces"]] == 0.0).all(axis=1)]
        if row in self._liquids:
            made["rest"] = self._flowing.rest_at(frame, made["vertices"].astype(float)).astype(np.float32)
            made["uv"] = made["rest"][:, [0, 2]] * np.array([1, -1], np.float32)
        return _with_normals(made)

    @cached_property
    def _liquids(self) -> set[str]:
        return {row.id for row in self.shot.surfaces if row.wraps == "liquid"}

    @cached_property
    def _flowing(self) -> Flowing:
        return Flowing(self.store, self.shot)

    def piece_name(self, matter: str, number: int) -> str:
        """What a mesh of a matter is called: as its prop, and with a number where it is a piece of that."""
        if number >= len(self._drawn.get(matter, ())):
            return f"piece {number}"
        prop, part = self._drawn[matter][number]
        return self.labels[prop] if part is None else f"{self.labels[prop]} piece {part + 1}"

    @cached_property
    def _drawn(self) -> dict[str, list[tuple[str, int | None]]]:
        return {matter: solver.drawn() for matter, solver in self.world.solvers.items()}

    def element_name(self, matter: str, piece: int, number: int) -> str:
        """What a piece is called: as its prop, with its own number."""
        return f"{self.piece_name(matter, piece)} {MATTERS[matter].called} {number}"

    @cached_property
    def meshes(self) -> dict[str, list[dict[str, Array]]]:
        """The meshes that each matter is drawn with, read once."""
        return {matter: self.store.meshes(matter) for matter in MATTERS}

    def draped(self, matter: str, frame: int) -> Iterator[tuple[str, dict[str, Array]]]:
        """The meshes of a matter that deform, as they lie at a frame, with their names and normals, and (not in older
        runs) where their faces lie on a texture: see `textured`."""
        kept = self.store.elements(frame, matter, draping(MATTERS[matter].columns, TOLD))
        for number, (mesh, chart) in enumerate(zip(self.meshes[matter], self._charts[matter], strict=True)):
            made = _with_normals(draped(mesh, kept))
            yield self.piece_name(matter, number), made if chart is None else textured(made, chart)

    @cached_property
    def _charts(self) -> dict[str, list[Chart | None]]:
        """How each mesh that deforms lies on its texture, where it is known how it rests."""
        shapes, found = {prop.id: prop.shape for prop in self.shot.props}, {}
        for matter in (m for m in MATTERS if MATTERS[m].kind == "mesh"):
            meshes, props = self.meshes[matter], [prop for prop, _ in self._drawn.get(matter, ())]
            charts: list[Chart | None] = [None] * len(meshes)
            for number, mesh in enumerate(meshes):
                if "rest" in mesh:  # copies rest turned, sized and stacked
                    alone = props.count(props[number]) == 1
                    shape = shapes[props[number]]
                    charts[number] = chart_of(shape, self.find_mesh) if alone else in_box_of(mesh["rest"])
            found[matter] = charts
        return found

    def tracks(
        self, matter: str, frames: tuple[int, ...], more: tuple[str, ...] = ()
    ) -> Iterator[tuple[int, dict[str, Array]]]:
        """The id of each piece, and its columns over the frames: position, turn, scale, which is 0 where it is not
        there, and `more`; and the mesh that it is drawn with."""
        names = ("position", "turn", "scale", *more)
        kept = [self.store.elements(frame, matter, ("id", *names, "piece")) for frame in frames]
        ids = np.unique(np.concatenate([columns["id"] for columns in kept])) if kept else np.zeros(0, np.int64)
        for number in ids.tolist():
            at = [np.flatnonzero(columns["id"] == number) for columns in kept]
            first = next(n for n, found in enumerate(at) if len(found))
            known = first
            made: dict[str, list[Any]] = {name: [] for name in names}
            for n, found in enumerate(at):
                known = n if len(found) else known
                for name, values in made.items():
                    value = kept[known][name][at[known][0]]
                    values.append(value if len(found) or name != "scale" else np.float32(0.0))
            yield number, {n: np.array(v) for n, v in made.items()} | {"piece": kept[first]["piece"][at[first][0]]}

    def poses(self, frame: int) -> dict[str, Pose]:
        """Where the props that are there stand at a frame."""
        return self.world.poses(self.store.run_frame(frame), self.store.gauges(frame)["absent"])


def _with_normals(mesh: dict[str, Array]) -> dict[str, Array]:
    return mesh | {"normals": smooth_normals(mesh["vertices"], mesh["faces"]).astype(np.float32)}


@dataclass(frozen=True)
class Wish:
    """How it is wanted. `frames` are those to write; `pattern` names files with {shot} and {frame}; `by` is
    what colours in pictures stand for."""

    frames: tuple[int, ...]
    unit: Unit = "m"
    up: Up = "y"
    pattern: str = "{shot}.{frame}"
    size: tuple[int, int] = (1280, 720)
    by: str = "own"

    @property
    def scale(self) -> float:
        """Multiply metres by this."""
        return 100.0 if self.unit == "cm" else 1.0

    def turned(self, vectors: Array) -> Array:
        """Vectors (n, 3), y up, with the wanted axis up: z up takes x, y, z to x, -z, y."""
        return vectors if self.up == "y" else np.stack([vectors[:, 0], -vectors[:, 2], vectors[:, 1]], axis=1)

    def placed(self, points: Array) -> Array:
        """Points or velocities (n, 3) in metres, in the wanted unit and axes."""
        return self.turned(points) * self.scale

    def name(self, take: Take, frame: int | None, suffix: str) -> str:
        """A file's name; without a frame for a file that holds all of them."""
        stem = re.sub(r"[^A-Za-z0-9]+", "-", take.shot.name).strip("-").lower() or "shot"
        pattern = self.pattern if frame is not None else re.sub(r"[._ -]*\{frame\}", "", self.pattern)
        return pattern.format(shot=stem, frame=f"{frame or 0:04d}") + suffix


def wish(
    kept: list[int], *, frames: tuple[int, int] | None = None, every: int = 1, unit: Unit = "m", up: Up = "y",
    pattern: str = "{shot}.{frame}", size: tuple[int, int] = (1280, 720), by: str = "own",
) -> Wish:  # fmt: skip
    """A wish that can be granted. Raises `ShotFault` where it cannot, and says what could."""
    if every < 1:
        raise ShotFault.of(f"Every {every}. frame is none. Accepted: 1 for all, 2 for every other, and so on.")
    first, last = frames or (-(10**9), 10**9)
    chosen = [f for f in kept if first <= f <= last][::every]
    if not chosen:
        there = f"{kept[0]} to {kept[-1]}" if kept else "none"
        raise ShotFault.of(f"None of these frames is kept in this run. Kept: {there}.")
    fields = re.sub(r"\{shot\}|\{frame\}", "", pattern)
    if not re.fullmatch(r"[A-Za-z0-9 ._-]{0,80}", fields) or pattern.startswith(".") or not pattern.strip():
        raise ShotFault.of(
            f"{pattern!r} is no pattern for file names. "
            "Accepted: letters, digits, space, . _ - with {shot} and {frame}."
        )
    if "{frame}" not in pattern and len(chosen) > 1:
        raise ShotFault.of(f"The pattern {pattern!r} gives all frames one name. Accepted: one with {{frame}} in it.")
    if any(n < 16 or n > LARGEST_PICTURE or n % 2 for n in size):
        raise ShotFault.of(
            f"{size[0]} by {size[1]} pixels is no size for pictures. Accepted: even numbers, 16 to {LARGEST_PICTURE}."
        )
    if by not in BY:
        raise ShotFault.of(f"Pictures cannot be coloured by {by!r}. Accepted: {', '.join(BY)}.")
    return Wish(tuple(chosen), unit, up, pattern, (size[0], size[1]), by)


def take_of(
    folder: Place, find_mesh: FindMesh, revision: int | None = None, camera: dict[str, list[float]] | None = None,
    *, retimed: bool = False, light: dict[str, Any] | None = None,
) -> Take:  # fmt: skip
    """The run in a folder, seen from a camera (`eye` and `aim`), as it ran or as its shot retimes it, in its own light
    or another (`light` and `exposure`). Raises `ShotFault` if there is none."""
    store = FrameStore(folder)
    try:
        shot, facts = load(store.note("shot.json")), store.note("run.json")
    except (OSError, ValueError) as error:
        if isinstance(error, ShotFault):
            raise
        raise ShotFault.of(f"{folder.name} holds no run.") from None
    if light:
        document = shot.dump()
        shot = load(document | {"finish": document["finish"] | light})
    view = View(np.array(camera["eye"], float), np.array(camera["aim"], float)) if camera else None
    if retimed:
        store = Retimed(folder, shot)
    return Take(store, build(shot, find_mesh, facts["quality"]), find_mesh, revision, view)


Writer = Callable[[Take, Wish], Iterator[Step]]
