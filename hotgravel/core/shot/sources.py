"""Supply: where particles come from, when, which way and how fast."""

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal

from hotgravel.core.drive.value import Value, Vector
from hotgravel.core.shot.dials import choice, clause, dial, dials, first_frame, last_frame, refer, seed, whom
from hotgravel.core.shot.row import Clause, Ref, Row, ends_before, points_nowhere


class Burst(Clause):
    kind: Literal["burst"] = "burst"
    title: ClassVar[str] = "all at once"
    phrase: ClassVar[str] = "at frame {frame}, {count} of them"
    count: int = dial(
        "count", 2000, label="count", soft=(100, 100_000), low=1, high=5_000_000, whole=True,
        help="How many. Time and disk grow with it; tune with few, finish with many.",
    )  # fmt: skip
    frame: int = dial(
        "frame", 1, label="frame", soft=(1, 120), low=-100_000, high=1_000_000, whole=True,
        help="The frame that first shows them.",
    )  # fmt: skip


class Stream(Clause):
    kind: Literal["stream"] = "stream"
    title: ClassVar[str] = "steadily"
    phrase: ClassVar[str] = "{rate}, from frame {start} to {end}"
    rate: Value = dial(
        "/s", 500.0, label="rate", soft=(10, 20_000), low=0.0, high=1e7, drivable=True,
        help="Particles a second. With keys it swells and fades.",
    )  # fmt: skip
    start: int = first_frame("The first one leaves at this frame, however slow the stream is.")
    end: int = last_frame(help="The last frame during which they leave: from frame 1 to 40 is forty frames.")

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from ends_before(self.start, self.end)


_CONE: dict[str, Any] = {
    "unit": "°",
    "label": "cone",
    "soft": (0.0, 60.0),
    "low": 0.0,
    "high": 180.0,
    "help": "Directions scatter evenly within this angle off the aim: 0 is a jet, 90 a half sphere.",
}


class Outward(Clause):
    kind: Literal["outward"] = "outward"
    title: ClassVar[str] = "straight off the surface"
    phrase: ClassVar[str] = "within {cone}"
    cone: float = dial(default=20.0, **_CONE)


class Toward(Clause):
    kind: Literal["toward"] = "toward"
    title: ClassVar[str] = "along"
    phrase: ClassVar[str] = "{direction} within {cone}"
    direction: Vector = dials(
        "", (0.0, 1.0, 0.0), label="direction", soft=(-1.0, 1.0), low=-1e6, high=1e6, drivable=True,
        help="Only where it points matters, not how long it is.",
    )  # fmt: skip
    cone: float = dial(default=20.0, **_CONE)

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("direction", self.direction)


class Anywhere(Clause):
    kind: Literal["anywhere"] = "anywhere"
    title: ClassVar[str] = "in all directions"
    phrase: ClassVar[str] = ""


class Ring(Clause):
    kind: Literal["ring"] = "ring"
    title: ClassVar[str] = "in a ring about"
    phrase: ClassVar[str] = "{axis} within {cone}"
    axis: Vector = dials(
        "", (0.0, 1.0, 0.0), label="axis", soft=(-1.0, 1.0), low=-1e6, high=1e6, drivable=True,
        help="The ring lies square to it. Only where it points matters.",
    )  # fmt: skip
    cone: float = dial(default=5.0, **(_CONE | {
        "help": "How far off the ring's plane they may leave: 0 is a flat ring, 90 a whole ball.", "high": 90.0,
    }))  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("axis", self.axis)


class Onward(Clause):
    kind: Literal["onward"] = "onward"
    title: ClassVar[str] = "the way it flies"
    phrase: ClassVar[str] = "within {cone}"
    cone: float = dial(default=20.0, **_CONE)


class Trail(Clause):
    kind: Literal["trail"] = "trail"
    title: ClassVar[str] = "all along its way"
    phrase: ClassVar[str] = "{rate} each"
    rate: Value = dial(
        "/s", 20.0, label="rate", soft=(1.0, 500.0), low=0.0, high=1e6, drivable=True, each=True,
        help="How many each one leaves behind in a second. Over speed or age, some leave more than others.",
    )  # fmt: skip


class Asked(Clause):
    kind: Literal["asked"] = "asked"
    title: ClassVar[str] = "when a cue sets it off"
    phrase: ClassVar[str] = "{count} each time"
    count: int = dial(
        "count", 60, label="count", soft=(1, 500), low=1, high=100_000, whole=True,
        help="How many each one bursts into.",
    )  # fmt: skip
    per: float | None = dial(
        "N s", None, label="for each", soft=(1.0, 1000.0), above=0.0, high=1e12, none="time",
        help="So many for each of these of the hit that set it off: hard hits give off more. A stone of 1 kg that "
        "lands at 1 m/s gives 1 N s.",
    )  # fmt: skip

    def wording(self) -> str:
        return self.phrase if self.per is None else "{count} for each {per} of the hit"


class Opening(Clause):
    kind: Literal["opening"] = "opening"
    title: ClassVar[str] = "out of faces that part"
    phrase: ClassVar[str] = "{rate} from each square metre, for {frames} frames"
    rate: Value = dial(
        "/s", 2000.0, label="rate", soft=(100.0, 20_000.0), low=0.0, high=1e8, drivable=True,
        help="How many a square metre of broken bonds gives in a second, from all over the face.",
    )  # fmt: skip
    frames: int = dial(
        "count", 8, label="frames", soft=(1, 48), low=1, high=100_000, whole=True,
        help="For how long after the bond gave way.",
    )  # fmt: skip
    faster: Value = dial(
        "m/s", 0.05, label="faster than", soft=(0.0, 2.0), low=0.0, high=1e6, drivable=True,
        help="Only from faces whose sides part faster than this, straight on or along each other. 0 takes all.",
    )  # fmt: skip


class Crown(Clause):
    kind: Literal["crown"] = "crown"
    title: ClassVar[str] = "in a crown"
    phrase: ClassVar[str] = "{count} around each drop of rain above {least} that falls on water"
    count: int = dial(
        "count", 12, label="count", soft=(4, 40), low=1, high=1000, whole=True, help="How many each drop throws up."
    )
    least: float = dial(
        "m", 0.004, label="least drop", soft=(0.002, 0.006), low=0.0, high=0.01,
        help="Smaller drops throw up nothing.",
    )  # fmt: skip


class Supply(Row):
    """What all that gives particles states of those it gives."""

    section: ClassVar[str] = "supply"
    speed: Value = dial(
        "m/s", 6.0, label="speed", soft=(0.5, 30.0), low=0.0, high=1e5, drivable=True, each=True,
        help="How fast they leave. Twice the speed flies four times as high where nothing slows it.",
    )  # fmt: skip
    speed_spread: Value = dial(
        "%", 0.3, label="speed spread", soft=(0.0, 1.0), low=0.0, high=1.0, drivable=True,
        help="Each one's speed differs by up to this share, either way. 0 makes a shell that flies as one; "
        "60 % fills the space behind the front.",
    )  # fmt: skip
    state: Ref = refer("state", label="state", help="The state they begin in.")
    radius: Value = dial(
        "m", 0.02, label="radius", soft=(0.005, 0.1), low=0.0, high=1e3, drivable=True, each=True,
        help="The size of each; it keeps its middle that far off what it hits.",
    )  # fmt: skip
    radius_spread: Value = dial(
        "%", 0.0, label="radius spread", soft=(0.0, 0.8), low=0.0, high=1.0, drivable=True,
        help="Each one's radius differs by up to this share, either way.",
    )  # fmt: skip
    life: Value | None = dial(
        "s", None, label="life", soft=(0.5, 10.0), above=0.0, high=1e5, drivable=True, each=True, none="the whole shot",
        help='How long each lasts before it is removed; "the whole shot" keeps them.',
    )  # fmt: skip
    life_spread: Value = dial(
        "%", 0.0, label="life spread", soft=(0.0, 0.8), low=0.0, high=0.99, drivable=True,
        help="Each one's life differs by up to this share, either way, so that they do not end together.",
    )  # fmt: skip
    inherit: Value = dial(
        "%", 0.0, label="inherit", soft=(0.0, 1.0), low=0.0, high=10.0, drivable=True,
        help="How much of the motion of what they leave they take along. 0 leaves them behind, 100 % throws "
        "them with it.",
    )  # fmt: skip
    through: Ref | None = refer(
        "zone", label="through", none="anywhere",
        help="Only where this zone is do they leave; in its soft edge some do. A patchy zone makes a mask.",
    )  # fmt: skip
    over: Value | None = dial(
        "%", None, label="over", soft=(0.1, 0.9), low=0.0, high=1.0, drivable=True, none="by its weight",
        help="With a threshold they leave wherever the zone weighs more than this, and nowhere else. "
        "Let it vary, and the mask opens and closes.",
    )  # fmt: skip
    mass: Value = dial(
        "kg", 0.001, label="mass", soft=(0.0001, 0.1), above=0.0, high=1e6, drivable=True, each=True,
        help="Heavier ones give way less where particles keep apart; numbers can vary over it.",
    )  # fmt: skip
    temperature: Value = dial(
        "°C", 20.0, label="temperature", soft=(0.0, 1200.0), low=-273.15, high=1e6, drivable=True, each=True,
        help="How hot they are born. Numbers and tints can vary over it.",
    )  # fmt: skip
    seed: int = seed()


class Source(Supply):
    kind: Literal["source"] = "source"
    naming: ClassVar[str] = "{prop} source"
    title: ClassVar[str] = "source"
    does: ClassVar[str] = "Throws particles off a prop, in one burst or as a stream."
    phrase: ClassVar[str] = (
        "From the {part} of {prop}, particles leave {emit}, {aim}, at {speed} give or take {speed_spread}; "
        "they begin in {state}, {radius} in radius."
    )
    prop: Ref = refer("prop", label="prop", help="The prop they come from. A moving prop is followed.")
    part: Literal["surface", "volume", "vertices", "edges"] = choice(
        {"surface": "surface", "volume": "volume", "vertices": "vertices", "edges": "edges"}, "surface", label="part",
        help="Evenly over its surface, evenly through its volume, from its corner points in turn, or evenly "
        "along its sharp edges.",
    )  # fmt: skip
    emit: Burst | Stream = clause(label="when", help="In one burst, or as a stream.", default=Burst)
    aim: Outward | Toward | Anywhere | Ring = clause(label="aim", help="Which way they leave.", default=Outward)
    places: int | None = dial(
        "count", None, label="places", soft=(1, 50), low=1, high=1_000_000, whole=True, none="new ones each time",
        help="From how many fixed places, in turn, they leave: few make jets. Otherwise each has a place of its own.",
    )  # fmt: skip

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return f"Left the {self.part} of {names[self.prop]} in state {names[self.state]}."


class Offshoot(Supply):
    kind: Literal["offshoot"] = "offshoot"
    naming: ClassVar[str] = "offshoot of {whom}"
    title: ClassVar[str] = "offshoot"
    does: ClassVar[str] = "Particles that come off other particles: trails, and bursts that a cue sets off."
    phrase: ClassVar[str] = (
        "From each of {whom}, particles leave {emit}, {aim}, at {speed} give or take {speed_spread}, "
        "with {inherit} of its velocity; they begin in {state}, {radius} in radius."
    )
    whom: Ref | None = whom()
    emit: Trail | Asked | Opening | Crown = clause(
        label="when", default=Trail,
        help="All along its way, when a cue says so, as bonds between pieces give way, or where rain falls on water.",
    )  # fmt: skip
    aim: Anywhere | Toward | Onward | Ring = clause(label="aim", help="Which way they leave.", default=Anywhere)

    def wording(self) -> str:
        crown = "Particles leave {emit}, {aim}, at {speed} give or take {speed_spread}; they begin in {state}, "
        return crown + "{radius} in radius." if isinstance(self.emit, Crown) else self.phrase

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        if isinstance(self.emit, Crown):
            return "A drop of rain threw it up."
        return f"Came off particle {parent} in state {names[self.state]}."
