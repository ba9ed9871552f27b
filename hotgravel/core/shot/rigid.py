"""Rigid bodies: which prop is one, of what, how many copies of it, and how they begin."""

from collections.abc import Iterator, Mapping
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.copies import MOST_COPIES, Itself, Many, Stacked
from hotgravel.core.shot.dials import choice, clause, dial, first_frame, last_frame, refer
from hotgravel.core.shot.row import Clause, Ref, Row, ends_before

BEGINS = {"loose": "loose", "held": "held in place", "following": "following its keys"}


class InPieces(Clause):
    kind: Literal["pieces"] = "pieces"
    title: ClassVar[str] = "in its pieces"
    phrase: ClassVar[str] = ""


class Scattered(Many):
    kind: Literal["scattered"] = "scattered"
    title: ClassVar[str] = "scattered"
    phrase: ClassVar[str] = "{count} times over {on}, {lift} above it"
    count: int = dial(
        "count", 40, label="count", soft=(5, 500), low=1, high=MOST_COPIES, whole=True,
        help="How many. Those that would begin inside one another are left out.",
    )  # fmt: skip
    on: Ref = refer("prop", label="on", help="The prop whose surface they are scattered over, evenly.")
    lift: float = dial(
        "m", 0.0, label="lift", soft=(0.0, 2.0), low=0.0, high=1e4,
        help="How far above the surface they begin, beside their own size.",
    )  # fmt: skip

    @property
    def number(self) -> int:
        """How many bodies there are from the start, at most."""
        return self.count


class Poured(Many):
    kind: Literal["poured"] = "poured"
    title: ClassVar[str] = "poured"
    phrase: ClassVar[str] = "out of {source}, {rate}, from frame {start} to {end}, at {speed}"
    source: Ref = refer("prop", label="out of", help="The prop whose volume, or surface if it has none, they leave.")
    rate: Value = dial(
        "/s", 20.0, label="rate", soft=(1.0, 200.0), low=0.0, high=5000.0, drivable=True,
        help="Bodies a second. One that would begin inside another waits for room.",
    )  # fmt: skip
    start: int = first_frame("The first one leaves at this frame, however slow they come.")
    end: int = last_frame(48, help="The last frame during which they leave: from frame 1 to 40 is forty frames.")
    speed: Value = dial(
        "m/s", 1.0, label="speed", soft=(0.0, 10.0), low=0.0, high=1e4, drivable=True,
        help="How fast they leave, straight down.",
    )  # fmt: skip
    speed_spread: float = dial(
        "%", 0.2, label="speed spread", soft=(0.0, 1.0), low=0.0, high=1.0,
        help="Each one's speed differs by up to this share, either way.",
    )  # fmt: skip
    spin: float = dial(
        "°/s", 0.0, label="spin", soft=(0.0, 720.0), low=0.0, high=1e5,
        help="How fast each turns at most as it leaves, about an axis of its own.",
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from ends_before(self.start, self.end)


class Rigid(Row):
    kind: Literal["rigid"] = "rigid"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "rigid body"
    does: ClassVar[str] = (
        "Makes a prop a body with a mass, or many copies of it: it falls, rolls, is hit and comes to rest."
    )
    phrase: ClassVar[str] = (
        "The {prop} is rigid, {copies}, of {density}; it bounces {bounce}, friction {friction}; it begins {begins}."
    )
    prop: Ref = refer(
        "prop", label="prop", solid=True, help="A closed shape: its mass, centre and inertia follow from it."
    )
    copies: Itself | InPieces | Stacked | Scattered | Poured = clause(
        label="copies", help="The prop itself, or copies of it.", default=Itself
    )
    density: float = dial(
        "kg/m³", 2900.0, label="density", soft=(200.0, 8000.0), above=0.0, high=1e6,
        help="Basalt 2 900, concrete 2 400, water 1 000, dry pine 500, iron 7 900. Heavy ones push light ones away.",
    )  # fmt: skip
    bounce: Value = dial(
        "", 0.1, label="bounce", soft=(0.0, 0.9), low=0.0, high=1.0, drivable=True,
        help="Speed kept straight off what it hits; the livelier of two that meet counts. 0 lands dead, 0.1 is stone "
        "on earth, 0.8 a rubber ball. Hits slower than 0.3 m/s do not bounce.",
    )  # fmt: skip
    friction: Value = dial(
        "", 0.6, label="friction", soft=(0.0, 1.2), low=0.0, high=10.0, drivable=True,
        help="Grip. Where two meet, the root of both multiplied counts: they slide down slopes whose tangent is above.",
    )  # fmt: skip
    rolling: Value = dial(
        "%", 0.01, label="rolling resistance", soft=(0.0, 0.1), low=0.0, high=1.0, drivable=True,
        help="What keeps round ones from rolling for ever, as a share of their radius: 1 % hard ground, 10 % cinder.",
    )  # fmt: skip
    pushed: Value = dial(
        "%", 0.0, label="pushed by particles", soft=(0.0, 1.0), low=0.0, high=1.0, drivable=True,
        help="How much of the push of particles that hit it it feels. 100 % is by their mass: a jet of ash at 30 m/s "
        "moves a pebble, hardly a boulder. Needs a collision row that names it.",
    )  # fmt: skip
    begins: Literal["loose", "held", "following"] = choice(
        BEGINS, "loose", label="begins",
        help="Loose from the first frame; held in place until a cue lets it go; or led by the prop's keys, and let go "
        "by a cue with the velocity that it then has.",
    )  # fmt: skip
    state: Ref | None = refer(
        "state",
        label="state",
        none="no state",
        help="The state of bodies that it begins in, for forces and cues to ask for.",
    )
    parts: int = dial(
        "count", 1, label="convex parts", soft=(1, 8), low=1, high=32, whole=True,
        help="A mesh with hollows meets others with its hull; more parts follow it more closely and take longer.",
    )  # fmt: skip
    temperature: float = dial(
        "°C", 20.0, label="temperature", soft=(0.0, 1200.0), low=-273.15, high=1e6,
        help="How hot it is. Numbers and tints can vary over it.",
    )  # fmt: skip

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return f"Began as {names[self.prop]}, {self.copies.title}, {BEGINS[self.begins]}."

    @property
    def single(self) -> bool:
        """Whether the body is the prop itself."""
        return isinstance(self.copies, Itself)
