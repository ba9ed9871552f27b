"""The seat: all that a matter gives a run, and gets from it.

A matter is registered once, in `core.matter.registry`; nothing outside its own folder and its rows names it. What it
shows is one of a few kinds of data, which the stage, pictures, writers and the retime understand.
"""

from collections.abc import Callable, Container, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.matter.elements import Elements
from hotgravel.core.matter.heat import Heat
from hotgravel.core.matter.wet import Wet
from hotgravel.core.shape.colliders import Moving
from hotgravel.core.shape.grid import VelocityGrid
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shape.zones import Scene
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.finding import Finding
from hotgravel.core.shot.row import Row

Array = NDArray[Any]
Kind = Literal["points", "pieces", "mesh", "volume"]
# How an array goes from one frame to the next: as in the nearer frame, along the cubic through place and velocity,
# as a rate of change, or as a turn.
Blend = Literal["nearest", "path", "rate", "turn"]


@dataclass(frozen=True)
class Column:
    """One array of a matter as frames keep it: its type, whether the stage draws it, how it blends between frames."""

    dtype: Any
    drawn: bool = False
    blend: Blend = "nearest"


# What every matter keeps of its elements.
COMMON: Mapping[str, Column] = {
    "position": Column(np.float32, drawn=True, blend="path"), "velocity": Column(np.float32, drawn=True, blend="rate"),
    "age": Column(np.float32, drawn=True), "life": Column(np.float32), "radius": Column(np.float32, drawn=True),
    "size": Column(np.float32), "travelled": Column(np.float32), "mass": Column(np.float32),
    "temperature": Column(np.float32), "colour": Column(np.uint32, drawn=True),
    "faded": Column(np.float32, drawn=True), "id": Column(np.uint32, drawn=True),
    "state": Column(np.int16, drawn=True), "source": Column(np.int16), "parent": Column(np.int32),
    "cause": Column(np.int16),
}  # fmt: skip


@dataclass(frozen=True)
class Gauge:
    """A number measured of every frame: its unit, and what it tells."""

    unit: str
    help: str


@dataclass(frozen=True)
class Fact:
    """What a click on an element tells: its label, its unit, and how it is read from the element's columns."""

    label: str
    unit: str
    read: Callable[[Mapping[str, Array]], float]


# What a click tells of any element.
FACTS: tuple[Fact, ...] = (
    Fact("age", "s", lambda of: float(of["age"])),
    Fact("speed", "m/s", lambda of: float(np.linalg.norm(of["velocity"]))),
    Fact("height", "m", lambda of: float(of["position"][1])),
    Fact("radius", "m", lambda of: float(of["radius"])),
)


@dataclass(frozen=True)
class Lane:
    """A lane of the score: its title, how it is drawn, the gauges that it shows, and the kinds of rows that it needs
    one of; none where it always tells something."""

    title: str
    style: Literal["curves", "bars"]
    gauges: tuple[str, ...]
    kinds: tuple[str, ...] = ()

    def told_in(self, shot: Shot) -> bool:
        """Whether it has anything to tell of a shot."""
        return not self.kinds or any(getattr(row, "kind", "") in self.kinds and row.on for row in shot.rows())


@dataclass
class State:
    """What a solver carries from one step to the next: its elements, other arrays, and plain facts (JSON data)."""

    elements: Elements
    arrays: dict[str, Array] = field(default_factory=dict)
    facts: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Blows:
    """What elements of one matter gave to elements of others in a step: their ids (k,), impulses (k, 3) N s, and where
    (k, 3) m. `whole`: those feel them as they are, whatever share they feel of particles."""

    struck: NDArray[np.int64]
    impulse: Array
    place: Array
    whole: bool = False

    @staticmethod
    def kept_in(arrays: Mapping[str, Array], whole: bool = True) -> "Blows":
        """Those that a state's arrays hold, as `NO_BLOWS` names them."""
        return Blows(arrays["struck"], arrays["blow"], arrays["blow_at"], whole)


NO_BLOWS: Mapping[str, Array] = {
    "struck": np.zeros(0, np.int64), "blow": np.zeros((0, 3)), "blow_at": np.zeros((0, 3)),
}  # fmt: skip


@dataclass(frozen=True)
class Openings:
    """Faces between elements that have parted: the element (k,) on one side, its state (k,), temperature (k,) °C; the
    face's middle (k, 3) and two vectors (k, 2, 3) from there to its edges, m; normal (k, 3), area (k,) m², velocity
    (k, 3) and how fast its sides part (k,) m/s, and since when (k,) s."""

    ids: NDArray[np.int64]
    state: NDArray[np.int16]
    temperature: Array
    place: Array
    across: Array
    normal: Array
    area: Array
    velocity: Array
    speed: Array
    since: Array


@dataclass(frozen=True)
class Splashes:
    """Where drops have fallen on a surface in a step: places (k, 3), m, and how wide each was (k,), m."""

    place: Array
    wide: Array


@dataclass(frozen=True)
class Offers:
    """What others may take from a solver: surfaces that move, poses of props that it moves (at the step's start and
    end), the air that it moves, by the id of the row that holds it, the blows that it gave, faces that open, where
    drops fell on it, what it makes wet, and what it warms."""

    surfaces: tuple[Moving, ...] = ()
    poses: Mapping[str, tuple[Pose, Pose]] = field(default_factory=dict)
    grids: Mapping[str, VelocityGrid] = field(default_factory=dict)
    blows: tuple[Blows, ...] = ()
    openings: tuple[Openings, ...] = ()
    splashes: tuple[Splashes, ...] = ()
    wets: tuple[Wet, ...] = ()
    heats: tuple[Heat, ...] = ()


@dataclass
class Ids:
    """The one counter of ids of a run."""

    next: int = 0

    def take(self, count: int) -> NDArray[np.int64]:
        """So many new ids (count,)."""
        first, self.next = self.next, self.next + count
        return np.arange(first, self.next)


@dataclass(frozen=True)
class Seam:
    """What a solver gets for a step: where all is, which props are not there, what others offer, the elements of every
    matter, which rows cues have switched on or off, the counter of ids, how far into the frame the step is, its number
    in the run, what others gave to its elements in the last step, the faces that have opened between others', where
    drops have fallen, and what makes wet."""

    scene: Scene
    gone: Container[str]
    surfaces: tuple[Moving, ...]
    crowds: Mapping[str, Elements]
    switched: Mapping[str, bool]
    ids: Ids
    frame: float
    ahead: float
    number: int
    blows: tuple[Blows, ...] = ()
    openings: tuple[Openings, ...] = ()
    splashes: tuple[Splashes, ...] = ()
    wets: tuple[Wet, ...] = ()

    def runs(self, row: Row) -> bool:
        """Whether a row is on, and no cue has stopped it or has yet to start it."""
        return row.on and self.switched.get(row.id, True)


@dataclass(frozen=True)
class Shed:
    """What a cue lets elements give off: the row, the elements and which of them (indices), and the cue's number."""

    row: str
    parents: Elements
    who: NDArray[np.int64]
    cue: int


@dataclass(frozen=True)
class Table:
    """What a matter tells of a run as a table: its name, what its columns are headed, and its lines."""

    name: str
    head: tuple[str, ...]
    lines: Iterable[tuple[Any, ...]]


class Kept(Protocol):
    """The kept frames of a run, as a matter reads them to tell why something is so."""

    def frames(self) -> list[int]:
        """Those that are kept, in order."""

    def elements(self, frame: int, matter: str, names: Iterable[str] | None = None) -> dict[str, Array]:
        """Columns of a matter's elements."""

    def record(self, frame: int, name: str, names: Iterable[str]) -> dict[str, Array]:
        """Arrays of another record. Raises `KeyError` where a frame has none of that name."""


class Solver(Protocol):
    """A matter made ready for one shot. Immutable: all that changes is in the state."""

    def begin(self) -> State:
        """Before the first frame."""

    def steps(self, state: State, span: float) -> int:
        """How many steps the next frame wants, which is `span` seconds later."""

    def step(self, state: State, seam: Seam, dt: float) -> int:
        """Move the state on by dt seconds, in place. Returns the impacts."""

    def land(self, state: State, seam: Seam) -> None:
        """What begins at a whole frame, before its cues look, in place."""

    def shed(self, state: State, shed: Shed, seam: Seam) -> None:
        """What a cue let elements give off, if the row is this matter's, in place."""

    def offers(self, state: State) -> Offers:
        """What others may take after a step."""

    def surfaces(self, state: State, scene: Scene) -> dict[str, dict[str, Array]]:
        """Meshes around the elements at a frame, by their rows, as `mesh` data. Raises `ShotFault`."""

    def records(self, state: State) -> dict[str, dict[str, Array]]:
        """What else frames keep, by name: contacts and the like."""

    def meshes(self) -> list[dict[str, Array]]:
        """The meshes that pieces are drawn with, kept once a run: vertices and normals (V, 3), faces (F, 3), inner (V,)
        for those that a cut has made, colours (2,) as 0xrrggbb of the others and of those, and the ends (2 E, 3) of
        lines along the edges of what they meet others with."""

    def drawn(self) -> list[tuple[str, int | None]]:
        """The prop of each of those meshes, and which piece of it that is; None where it is whole."""

    def measure(self, state: State, touches: int, steps: int) -> dict[str, float]:
        """The gauges of a frame."""


class Matter(Protocol):
    """A kind of matter; registered once. `state` is the word of state rows for it, `called` names one of its
    elements, `cost` is what a step of one element takes beside a particle's, `takes` its bytes of memory during a run
    (arrays, their copies, and what kernels make on the way) and of the disk in each frame,
    `records` has the names of the arrays of what else its frames keep."""

    name: str
    kind: Kind
    called: str
    cost: float
    takes: tuple[float, float]
    columns: Mapping[str, Column]
    records: Mapping[str, tuple[str, ...]]
    gauges: Mapping[str, Gauge]
    lanes: tuple[Lane, ...]
    facts: tuple[Fact, ...]
    elements: type[Elements]

    def build(self, setting: Setting) -> Solver | None:
        """A solver, or None where the shot has none of this matter. Raises `ShotFault`."""

    def places(self, shot: Shot) -> Iterable[str]:
        """The props that its solver moves."""

    def count_at(self, shot: Shot, frame: int) -> float:
        """About how many elements there will be by a frame, for the estimate."""

    def findings(self, shot: Shot, solver: Any) -> Iterator[Finding]:
        """What will go wrong, before a run; its solver for the shot is built."""

    def after(self, shot: Shot, measured: Mapping[int, Mapping[str, float]]) -> Iterator[Finding]:
        """What a finished run shows, by the matter's gauges of its frames."""

    def tables(self, shot: Shot, kept: Kept, frames: Iterable[int]) -> Iterator[Table]:
        """What some frames of a run tell beside elements, gauges and events."""

    def reasons(self, shot: Shot, kept: Kept, element: int, frame: int) -> Iterator[tuple[int, str, str]]:
        """What explains an element up to a frame beside events: frames, the rows that did it, and sentences."""


def kept_columns(matter: Matter, elements: Elements) -> dict[str, Array]:
    """A matter's elements as frames keep them."""
    return {name: getattr(elements, name).astype(column.dtype) for name, column in matter.columns.items()}


def elements_of(matter: Matter, kept: Mapping[str, Array]) -> Elements:
    """Elements again, from columns (n,) of a kept frame; what is not among them is blank."""
    elements = matter.elements.blank(len(next(iter(kept.values()))))
    for name, array in kept.items():
        getattr(elements, name)[:] = array
    return elements
