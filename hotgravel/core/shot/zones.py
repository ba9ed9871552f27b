"""Zones: regions with a soft edge, weight 0 to 1, that can move and combine."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from hotgravel.core.drive.value import Value, Vector
from hotgravel.core.shot.dials import choice, clause, dial, dials, refer, words
from hotgravel.core.shot.row import Clause, Ref, Row, points_nowhere

Coordinate = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
MOST_POINTS = 5000


def _place(label: str, help: str, default: tuple[float, float, float] = (0.0, 0.0, 0.0)) -> Vector:
    return dials(  # type: ignore[no-any-return]
        "m", default, label=label, soft=(-20.0, 20.0), low=-1e6, high=1e6, drivable=True, help=help
    )


def _length(default: float, label: str, help: str) -> Value:
    return dial("m", default, label=label, soft=(0.1, 20.0), low=0.0, high=1e6, drivable=True, help=help)  # type: ignore[no-any-return]


class Front(Clause):
    kind: Literal["front"] = "front"
    title: ClassVar[str] = "what a front has swept"
    phrase: ClassVar[str] = "that sets out at {at} along {direction} and has come {come}, {width} deep"
    at: Vector = _place("start", "Where the front sets out: x, y (up), z.")
    direction: Vector = dials(
        "", (1.0, 0.0, 0.0), label="direction", soft=(-1.0, 1.0), low=-1e6, high=1e6, drivable=True,
        help="Which way it sweeps. Only where it points matters.",
    )  # fmt: skip
    come: Value = dial(
        "m", 0.0, label="come", soft=(-10.0, 10.0), low=-1e6, high=1e6, drivable=True,
        help="How far it has come. Give it keys, and the front sweeps.",
    )  # fmt: skip
    width: Value | None = dial(
        "m", None, label="depth", soft=(0.1, 5.0), above=0.0, high=1e6, drivable=True, none="all behind it",
        help='A band behind the front, or "all behind it".',
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("direction", self.direction)


class Ball(Clause):
    kind: Literal["ball"] = "ball"
    title: ClassVar[str] = "a ball"
    phrase: ClassVar[str] = "of radius {radius} at {at}"
    at: Vector = _place("middle", "Where its middle is.")
    radius: Value = _length(1.0, "radius", "With keys it grows.")


class Block(Clause):
    kind: Literal["block"] = "block"
    title: ClassVar[str] = "a box"
    phrase: ClassVar[str] = "of {size} at {at}"
    at: Vector = _place("middle", "Where its middle is.")
    size: Vector = dials(
        "m", (1.0, 1.0, 1.0), label="size", soft=(0.1, 20.0), low=0.0, high=1e6, drivable=True,
        help="Along x, y and z.",
    )  # fmt: skip


class Capsule(Clause):
    kind: Literal["capsule"] = "capsule"
    title: ClassVar[str] = "a round beam"
    phrase: ClassVar[str] = "of radius {radius} from {at} to {to}"
    at: Vector = _place("one end", "Where it begins.")
    to: Vector = _place("other end", "Where it ends.", (0.0, 1.0, 0.0))
    radius: Value = _length(0.5, "radius", "About the line between its ends.")


class Near(Clause):
    kind: Literal["near"] = "near"
    title: ClassVar[str] = "what lies"
    phrase: ClassVar[str] = "{side} {prop}, within {reach}"
    side: Literal["near", "inside", "outside"] = choice(
        {"near": "near", "inside": "inside", "outside": "outside"}, "near", label="side",
        help="On either side of the prop's surface, or on one of them only.",
    )  # fmt: skip
    prop: Ref = refer("prop", label="prop", help="The prop; the zone moves with it.")
    reach: Value = _length(0.5, "reach", "How far from the surface it goes.")


class Height(Clause):
    kind: Literal["heights"] = "heights"
    title: ClassVar[str] = "all"
    phrase: ClassVar[str] = "between heights {low} and {high}"
    low: Value = dial(
        "m", 0.0, label="from", soft=(-5.0, 20.0), low=-1e6, high=1e6, drivable=True, help="Its lower end."
    )
    high: Value = dial(
        "m", 2.0, label="to", soft=(-5.0, 20.0), low=-1e6, high=1e6, drivable=True, help="Its upper end."
    )


class Patches(Clause):
    kind: Literal["patches"] = "patches"
    title: ClassVar[str] = "patches of noise"
    phrase: ClassVar[str] = "some {size} across, covering about {share}, {contrast} sharp, drifting by {drift}"
    size: Value = dial(
        "m", 1.0, label="size", soft=(0.1, 5.0), above=0.0, high=1e6, drivable=True,
        help="How large the patches are; they are broken up by smaller ones too.",
    )  # fmt: skip
    share: Value = dial(
        "%", 0.5, label="share", soft=(0.1, 0.9), low=0.0, high=1.0, drivable=True,
        help="About how much of all places they cover. With keys they spread.",
    )  # fmt: skip
    contrast: Value = dial(
        "", 3.0, label="contrast", soft=(1.0, 20.0), low=0.1, high=1000.0, drivable=True,
        help="1 is clouds, 10 nearly hard edges.",
    )  # fmt: skip
    drift: Vector = dials(
        "m/s", (0.0, 0.0, 0.0), label="drift", soft=(-2.0, 2.0), low=-1e4, high=1e4,
        help="How fast they move through space.",
    )  # fmt: skip
    change: float = dial(
        "/s", 0.0, label="change", soft=(0.0, 2.0), low=0.0, high=1e3,
        help="How often a second they become others in place.",
    )  # fmt: skip
    seed: int = dial(
        "count",
        1,
        label="seed",
        soft=(1, 100),
        low=0,
        high=2**32 - 1,
        whole=True,
        help="Another number, other patches.",
    )


class Strokes(Clause):
    kind: Literal["strokes"] = "strokes"
    title: ClassVar[str] = "strokes drawn on the stage"
    phrase: ClassVar[str] = ", {radius} wide"
    radius: Value = _length(0.2, "radius", "How far from the drawn line it goes.")
    points: Annotated[tuple[tuple[Coordinate, Coordinate, Coordinate], ...], Field(max_length=MOST_POINTS)] = ()


class Level(Clause):
    """Where a quantity of a field is over a threshold: the quantity, and the name of the dial that holds it."""

    quantity: ClassVar[str] = ""
    threshold: ClassVar[str] = ""
    field: Ref = refer(
        "field", label="field", kinds=("field", "smoke"), help="The field or smoke; where it is not, the zone is not."
    )


class Swift(Level):
    kind: Literal["swift"] = "swift"
    title: ClassVar[str] = "where the air"
    phrase: ClassVar[str] = "of {field} is faster than {speed}"
    quantity: ClassVar[str] = "speed"
    threshold: ClassVar[str] = "speed"
    speed: Value = dial(
        "m/s", 2.0, label="speed", soft=(0.1, 20.0), low=0.0, high=1e6, drivable=True,
        help="A higher threshold leaves less: the fastest streams only.",
    )  # fmt: skip


class Dense(Level):
    kind: Literal["dense"] = "dense"
    title: ClassVar[str] = "where it is thick:"
    phrase: ClassVar[str] = "{field} is denser than {density}"
    quantity: ClassVar[str] = "density"
    threshold: ClassVar[str] = "density"
    density: Value = dial(
        "kg/m³", 0.1, label="density", soft=(0.01, 2.0), low=0.0, high=1e6, drivable=True,
        help="A higher threshold leaves less: the thickest of it only. The field's file must tell its density.",
    )  # fmt: skip


class Hot(Level):
    kind: Literal["hot"] = "hot"
    title: ClassVar[str] = "where it is hot:"
    phrase: ClassVar[str] = "{field} is hotter than {temperature}"
    quantity: ClassVar[str] = "temperature"
    threshold: ClassVar[str] = "temperature"
    temperature: Value = dial(
        "°C", 200.0, label="temperature", soft=(0.0, 1200.0), low=-273.15, high=1e6, drivable=True,
        help="A higher threshold leaves less: the hottest of it only. The field's file must tell its temperature.",
    )  # fmt: skip


class Both(Clause):
    kind: Literal["both"] = "both"
    title: ClassVar[str] = "made of"
    phrase: ClassVar[str] = "{first} {how} {second}"
    first: Ref = refer("zone", label="first", help="A zone.")
    how: Literal["times", "plus", "minus", "most", "least", "broken up by"] = choice(
        {"times": "and, at once,", "plus": "plus", "minus": "without", "most": "or", "least": "cut by",
         "broken up by": "broken up by"}, "times", label="how",
        help="How the two weights become one. Broken up, the first's edge is pushed to and fro by the second.",
    )  # fmt: skip
    second: Ref = refer("zone", label="second", help="Another zone.")
    by: Value = _length(0.5, "by", "Broken up: how far the edge is pushed either way.")

    def wording(self) -> str:
        return f"{self.phrase}, {{by}} either way" if self.how == "broken up by" else self.phrase

    def idle(self) -> frozenset[str]:
        return frozenset() if self.how == "broken up by" else frozenset({"by"})


ZoneShape = Front | Ball | Block | Capsule | Near | Height | Patches | Swift | Dense | Hot | Strokes | Both


class Zone(Row):
    kind: Literal["zone"] = "zone"
    section: ClassVar[str] = "set"
    title: ClassVar[str] = "zone"
    does: ClassVar[str] = "A region with a soft edge that numbers, forces and sources can go by. It can move."
    phrase: ClassVar[str] = "The zone {name} is {shape}, with a soft edge of {edge}, {falloff}."
    name: str = words(label="name", help="What the other sentences call it.")
    shape: ZoneShape = clause(label="shape", help="Which region.", default=Ball)
    edge: Value = dial(
        "m", 0.2, label="edge", soft=(0.0, 2.0), low=0.0, high=1e6, drivable=True,
        help="Over how much the weight goes from 0 to 1, half of it on either side. 0 is a hard edge.",
    )  # fmt: skip
    falloff: Literal["straight", "smooth", "late", "early"] = choice(
        {"straight": "straight", "smooth": "smooth", "late": "late", "early": "early"}, "smooth", label="falloff",
        help="The curve of the edge: straight; smooth at both ends; late stays near 0, early is soon near 1.",
    )  # fmt: skip
    follow: Ref | None = refer(
        "prop", label="follows", none="nothing", help="A prop it moves, turns and grows with, from the first frame on."
    )

    def wording(self) -> str:
        return self.phrase.replace(", with a soft edge of {edge}, {falloff}", "") if self.idle() else self.phrase

    def idle(self) -> frozenset[str]:
        """Patches are as soft as their contrast, and a zone made of two as they are; only broken up it has an edge."""
        made = isinstance(self.shape, Patches) or (isinstance(self.shape, Both) and self.shape.how != "broken up by")
        return frozenset({"edge", "falloff"}) if made else frozenset()
