"""Forces: what pushes and slows particles, all of them or those in one state."""

from collections.abc import Iterator
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value, Vector
from hotgravel.core.shot.dials import choice, clause, dial, dials, refer, seed, whom
from hotgravel.core.shot.row import Clause, Ref, Row, points_nowhere


class ForceRow(Row):
    """What all forces have: whom they act on, where, and when."""

    section: ClassVar[str] = "forces"
    whom: Ref | None = whom()
    zone: Ref | None = refer(
        "zone", label="where", none="everywhere", manner="in ",
        help="Everywhere, or as strongly as a zone weighs where each particle is.",
    )  # fmt: skip
    start: int | None = dial(
        "frame", None, label="from frame", soft=(1, 120), low=-100_000, high=1_000_000, whole=True, none="the start",
        help="It acts from this frame on.",
    )  # fmt: skip
    end: int | None = dial(
        "frame", None, label="to frame", soft=(1, 240), low=-100_000, high=1_000_000, whole=True, none="the end",
        help="It acts no longer after this frame.",
    )  # fmt: skip

    def wording(self) -> str:
        said = self.phrase.removesuffix(".")
        said += ", {zone}" if self.zone else ""
        said += ", from frame {start}" if self.start is not None else ""
        return said + (", until frame {end}" if self.end is not None else "") + "."

    def acts_at(self, frame: float) -> bool:
        """Whether a frame (it may be fractional) is within those it acts in."""
        return (self.start is None or frame >= self.start) and (self.end is None or frame < self.end)

    def complaints(self) -> Iterator[tuple[str, str]]:
        if self.start is not None and self.end is not None and self.end <= self.start:
            yield "end", f"It ends at frame {self.end}, not after its start. Accepted: {self.start + 1} or later."


class Gravity(ForceRow):
    kind: Literal["gravity"] = "gravity"
    title: ClassVar[str] = "gravity"
    does: ClassVar[str] = "Pulls everything alike, whatever its size."
    phrase: ClassVar[str] = "Gravity of {strength} pulls {whom} along {direction}."
    strength: Value = dial(
        "m/s²", 9.81, label="strength", soft=(0.0, 20.0), low=0.0, high=1e5, drivable=True, each=True,
        help="9.81 is the ground we stand on. Less makes things look larger and slower.",
    )  # fmt: skip
    direction: Vector = dials(
        "", (0.0, -1.0, 0.0), label="direction", soft=(-1.0, 1.0), low=-1e6, high=1e6, drivable=True,
        help="Only where it points matters, not how long it is. 0, -1, 0 is down.",
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from super().complaints()
        yield from points_nowhere("direction", self.direction)


class LinearDrag(ForceRow):
    kind: Literal["linear_drag"] = "linear_drag"
    title: ClassVar[str] = "soft drag"
    does: ClassVar[str] = "Takes the same share of the speed each second: smoke-like, never quite stopping."
    phrase: ClassVar[str] = "Soft drag of {rate} slows {whom}."
    rate: Value = dial(
        "/s", 1.0, label="rate", soft=(0.1, 5.0), low=0.0, high=1e4, drivable=True, each=True,
        help="At 1 /s a particle keeps 37 % of its speed after a second, at 2 /s 14 %.",
    )  # fmt: skip


class QuadraticDrag(ForceRow):
    kind: Literal["quadratic_drag"] = "quadratic_drag"
    title: ClassVar[str] = "air drag"
    does: ClassVar[str] = "Bites hard while things are fast and lets go when they are slow, as air does."
    phrase: ClassVar[str] = "Air drag of {strength} slows {whom}, the more the faster they are."
    strength: Value = dial(
        "/m", 0.2, label="strength", soft=(0.01, 2.0), low=0.0, high=1e4, drivable=True, each=True,
        help="Share of the speed lost for each metre flown: 0.2 /m loses about a fifth a metre. "
        "Light flakes have more, stones less.",
    )  # fmt: skip


class Wind(ForceRow):
    kind: Literal["wind"] = "wind"
    title: ClassVar[str] = "wind"
    does: ClassVar[str] = "Carries particles along; they never get faster than the wind itself."
    phrase: ClassVar[str] = "Wind of {speed} along {direction} takes hold of {whom} at {grip}."
    speed: Value = dial(
        "m/s", 3.0, label="speed", soft=(0.0, 20.0), low=0.0, high=1e4, drivable=True, each=True,
        help="How fast the air moves.",
    )  # fmt: skip
    direction: Vector = dials(
        "", (1.0, 0.0, 0.0), label="direction", soft=(-1.0, 1.0), low=-1e6, high=1e6, drivable=True,
        help="Where the wind blows to. Only where it points matters, not how long it is.",
    )  # fmt: skip
    grip: Value = dial(
        "/s", 0.8, label="grip", soft=(0.05, 5.0), low=0.0, high=1e4, drivable=True, each=True,
        help="How quickly particles take up the wind's speed: at 1 /s 63 % of it within a second.",
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from super().complaints()
        yield from points_nowhere("direction", self.direction)


def _grip() -> Value:
    return dial(  # type: ignore[no-any-return]
        "/s", 2.0, label="grip", soft=(0.1, 10.0), low=0.0, high=1e4, drivable=True, each=True,
        help="How quickly particles take up its motion: at 1 /s 63 % of it within a second. More follows it closely.",
    )  # fmt: skip


def _at(help: str, default: tuple[float, float, float] = (0.0, 0.0, 0.0)) -> Vector:
    return dials(  # type: ignore[no-any-return]
        "m", default, label="at", soft=(-20.0, 20.0), low=-1e6, high=1e6, drivable=True, help=help
    )


class Turbulence(ForceRow):
    kind: Literal["turbulence"] = "turbulence"
    title: ClassVar[str] = "turbulence"
    does: ClassVar[str] = "Carries particles through curls that neither gather nor scatter them."
    phrase: ClassVar[str] = "Turbulence of {speed} in curls of {size} carries {whom}, taking hold at {grip}."
    speed: Value = dial(
        "m/s", 1.0, label="speed", soft=(0.1, 10.0), low=0.0, high=1e4, drivable=True, each=True,
        help="About how fast the air in the curls moves.",
    )  # fmt: skip
    size: Value = dial(
        "m", 1.0, label="size", soft=(0.1, 5.0), above=0.0, high=1e5, drivable=True,
        help="Of the largest curls. Small curls jitter, large ones sweep.",
    )  # fmt: skip
    grip: Value = _grip()
    octaves: int = dial(
        "count", 2, label="octaves", soft=(1, 4), low=1, high=8, whole=True,
        help="Each adds curls half as large and half as fast. Time grows with it.",
    )  # fmt: skip
    change: float = dial(
        "/s", 0.4, label="change", soft=(0.0, 2.0), low=0.0, high=1e3,
        help="How often a second the curls become others. 0 is frozen: all follow the same threads.",
    )  # fmt: skip
    seed: int = dial(
        "count", 1, label="seed", soft=(1, 100), low=0, high=2**32 - 1, whole=True, help="Another number, other curls."
    )


class Follow(ForceRow):
    kind: Literal["follow"] = "follow"
    title: ClassVar[str] = "follow a field"
    does: ClassVar[str] = "Carries particles, bodies or pieces as smoke or a field of velocities moves where they are."
    phrase: ClassVar[str] = "{whom} follow {field}, taking hold at {grip}."
    field: Ref = refer(
        "field", label="field", kinds=("field", "smoke"), help="Whose velocities; outside its box nothing is felt."
    )
    grip: Value | None = dial(
        "/s", 2.0, label="grip", soft=(0.1, 10.0), low=0.0, high=1e4, drivable=True, each=True, none="with no weight",
        help="How quickly they take up its motion: at 1 /s 63 % of it within a second. With no weight they keep no "
        "motion of their own, and go wholly with it.",
    )  # fmt: skip


class Vortex(ForceRow):
    kind: Literal["vortex"] = "vortex"
    title: ClassVar[str] = "vortex"
    does: ClassVar[str] = "Turns particles about an axis."
    phrase: ClassVar[str] = (
        "A vortex of {speed} turns {whom} about {axis} through {at}, {reach}, taking hold at {grip}."
    )
    speed: Value = dial(
        "m/s", 3.0, label="speed", soft=(-10.0, 10.0), low=-1e4, high=1e4, drivable=True, each=True,
        help="How fast the air goes round, at every distance. Less than zero turns the other way.",
    )  # fmt: skip
    axis: Vector = dials(
        "", (0.0, 1.0, 0.0), label="axis", soft=(-1.0, 1.0), low=-1e6, high=1e6, drivable=True,
        help="What it turns about. Only where it points matters.",
    )  # fmt: skip
    at: Vector = _at("A place on the axis.")
    reach: Value | None = dial(
        "m", None, label="reach", soft=(0.5, 10.0), above=0.0, high=1e5, drivable=True, none="everywhere",
        help='It fades to nothing this far from the axis; "everywhere" does not.',
    )  # fmt: skip
    grip: Value = _grip()

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from super().complaints()
        yield from points_nowhere("axis", self.axis)


class ToPoint(Clause):
    kind: Literal["point"] = "point"
    title: ClassVar[str] = "the place"
    phrase: ClassVar[str] = "{at}"
    at: Vector = _at("Where it draws to.")


class ToLine(Clause):
    kind: Literal["line"] = "line"
    title: ClassVar[str] = "the line"
    phrase: ClassVar[str] = "from {at} to {to}"
    at: Vector = _at("One end.")
    to: Vector = _at("The other end.", (0.0, 1.0, 0.0))


class ToSurface(Clause):
    kind: Literal["surface"] = "surface"
    title: ClassVar[str] = "the surface of"
    phrase: ClassVar[str] = "{prop}, for those {side}"
    prop: Ref = refer("prop", label="prop", help="The prop; it may move.")
    side: Literal["outside", "inside", "both"] = choice(
        {"outside": "outside it", "inside": "inside it", "both": "on either side"}, "both", label="side",
        help="Which particles feel it: those outside the prop, inside it, or both.",
    )  # fmt: skip


class Swirls(ForceRow):
    kind: Literal["swirls"] = "swirls"
    title: ClassVar[str] = "swirls"
    does: ClassVar[str] = "Strews eddies about, few and large or many and small, that come and go."
    phrase: ClassVar[str] = (
        "{count} swirls of {size} about {at}, in a room of {spread}, turn {whom} at {speed}, each for {life}, taking "
        "hold at {grip}."
    )
    count: int = dial(
        "count", 8, label="count", soft=(1, 50), low=1, high=1000, whole=True, help="How many there are at a time."
    )
    size: Value = dial(
        "m", 0.5, label="size", soft=(0.1, 3.0), above=0.0, high=1e5, drivable=True,
        help="How far from its middle each is fastest.",
    )  # fmt: skip
    speed: Value = dial(
        "m/s", 1.0, label="speed", soft=(0.1, 10.0), low=0.0, high=1e4, drivable=True, each=True,
        help="How fast air goes round there, when an eddy is at its strongest.",
    )  # fmt: skip
    life: float = dial(
        "s", 2.0, label="life", soft=(0.2, 10.0), above=0.0, high=1e6,
        help="How long each lasts: it rises and dies away, and another comes elsewhere.",
    )  # fmt: skip
    at: Vector = _at("The middle of the room that they are strewn in.")
    spread: tuple[float, float, float] = dials(
        "m", (4.0, 2.0, 4.0), label="room", soft=(0.5, 20.0), low=0.0, high=1e5, help="How wide, high and deep it is."
    )
    upright: float = dial(
        "%", 0.0, label="upright", soft=(0.0, 1.0), low=0.0, high=1.0,
        help="0 % turn about any axis, 100 % about the upright, as whirls on a table do.",
    )  # fmt: skip
    grip: Value = _grip()
    seed: int = seed()


class Attraction(ForceRow):
    kind: Literal["attraction"] = "attraction"
    title: ClassVar[str] = "attraction"
    does: ClassVar[str] = "Draws particles to a place, a line or a surface; less than zero pushes them off."
    phrase: ClassVar[str] = "{whom} are drawn to {to} at {strength}, {reach}."
    to: ToPoint | ToLine | ToSurface = clause(label="to", help="What draws.", default=ToPoint)
    strength: Value = dial(
        "m/s²", 4.0, label="strength", soft=(-20.0, 20.0), low=-1e5, high=1e5, drivable=True, each=True,
        help="As gravity does, towards it. Less than zero drives away.",
    )  # fmt: skip
    reach: Value | None = dial(
        "m", None, label="reach", soft=(0.5, 10.0), above=0.0, high=1e5, drivable=True, none="from everywhere",
        help="It fades to nothing at this distance.",
    )  # fmt: skip


class Jitter(ForceRow):
    kind: Literal["jitter"] = "jitter"
    title: ClassVar[str] = "jitter"
    does: ClassVar[str] = "Knocks each particle about by chance, as heat does with dust."
    phrase: ClassVar[str] = "{whom} are knocked about by {strength} in a second."
    strength: Value = dial(
        "m/s", 0.5, label="strength", soft=(0.05, 5.0), low=0.0, high=1e4, drivable=True, each=True,
        help="How much speed chance gives in a second; four times the time gives twice as much.",
    )  # fmt: skip
    seed: int = dial(
        "count", 1, label="seed", soft=(1, 100), low=0, high=2**32 - 1, whole=True, help="Another number, other knocks."
    )


class Hold(ForceRow):
    kind: Literal["hold"] = "hold"
    title: ClassVar[str] = "hold in place"
    does: ClassVar[str] = "Holds particles to the place on their prop where they were born, like pins or like springs."
    phrase: ClassVar[str] = "{whom} are held where they were born, closing the gap at {rate}, taking hold at {grip}."
    rate: Value = dial(
        "/s", 20.0, label="rate", soft=(0.5, 20.0), low=0.0, high=1e3, drivable=True, each=True,
        help="Share of the gap that is closed in a second, at first: 2 /s drifts back, 20 /s is as good as pinned.",
    )  # fmt: skip
    grip: Value = dial(
        "/s", 60.0, label="grip", soft=(1.0, 60.0), low=0.0, high=1e4, drivable=True, each=True,
        help="How quickly they take up the motion back. Less lets them swing past, like a spring.",
    )  # fmt: skip


def _reach(default: float, help: str) -> Value:
    return dial("m", default, label="reach", soft=(0.05, 2.0), above=0.0, high=1e4, drivable=True, help=help)  # type: ignore[no-any-return]


class Cohesion(ForceRow):
    kind: Literal["cohesion"] = "cohesion"
    title: ClassVar[str] = "cohesion"
    does: ClassVar[str] = "Draws particles to the middle of those near them, so that they clump."
    phrase: ClassVar[str] = "{whom} are drawn at {strength} to the middle of those within {reach}."
    strength: Value = dial(
        "m/s²", 2.0, label="strength", soft=(-10.0, 10.0), low=-1e5, high=1e5, drivable=True, each=True,
        help="How hard, for one at the edge of the reach; less towards the middle. Below zero they spread.",
    )  # fmt: skip
    reach: Value = _reach(0.5, "How far each one looks. Time grows with how many that are.")


class Alignment(ForceRow):
    kind: Literal["alignment"] = "alignment"
    title: ClassVar[str] = "alignment"
    does: ClassVar[str] = "Lets particles take up the motion of those near them, so that they flock."
    phrase: ClassVar[str] = "{whom} take up the motion of those within {reach}, taking hold at {grip}."
    grip: Value = _grip()
    reach: Value = _reach(0.5, "How far each one looks. Time grows with how many that are.")


Force = (
    Gravity
    | LinearDrag
    | QuadraticDrag
    | Wind
    | Turbulence
    | Follow
    | Vortex
    | Swirls
    | Attraction
    | Jitter
    | Hold
    | Cohesion
    | Alignment
)
