"""Liquid: a tank of it, what it is filled from, and where it runs off."""

from collections.abc import Iterator, Mapping
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value, Vector
from hotgravel.core.shot.dials import choice, colour, dial, dials, first_frame, last_frame, refer, seed
from hotgravel.core.shot.row import Ref, Row, ends_before, points_nowhere
from hotgravel.core.shot.sides import Sided

MOST_CELLS = 6_000_000


class Liquid(Sided):
    kind: Literal["liquid"] = "liquid"
    section: ClassVar[str] = "matter"
    asks: ClassVar[str | None] = "liquid"
    title: ClassVar[str] = "liquid"
    wraps: ClassVar[str] = "liquid"
    does: ClassVar[str] = "Water, mud, honey or lava that splashes, pours and settles; what it meets are collisions."
    phrase: ClassVar[str] = (
        "Liquid runs in a box of {size} about {at}, {sides}, in cells of {cell}; it weighs {density}, its viscosity "
        "is {viscosity}, it is {lively} lively, and its surface {look}."
    )
    at: tuple[float, float, float] = dials(
        "m", (0.0, 1.0, 0.0), label="middle", soft=(-10.0, 10.0), low=-1e6, high=1e6, help="The middle of the box."
    )
    size: tuple[float, float, float] = dials(
        "m", (4.0, 2.0, 4.0), label="box", soft=(1.0, 20.0), above=0.0, high=1e5,
        help="How wide, high and deep the box is: liquid goes no farther. Only where it is, it takes time.",
    )  # fmt: skip
    cell: float = dial(
        "m", 0.1, label="cells", soft=(0.03, 0.3), above=0.0, high=1e4,
        help="The size of a cell at rough quality; fair has two thirds of it, fine half. A cell holds eight drops. "
        "Half the size takes about sixteen times as long. Walls thinner than a cell count as one cell thick.",
    )  # fmt: skip
    density: float = dial(
        "kg/m³", 1000.0, label="density", soft=(700.0, 3000.0), above=0.0, high=1e6,
        help="Oil 900, water 1 000, mud 1 600, lava 2 600. Lighter bodies float on it.",
    )  # fmt: skip
    viscosity: Value = dial(
        "Pa s", 0.001, label="viscosity", soft=(0.0, 1000.0), low=0.0, high=1e9, drivable=True, each=True,
        help="Water 0.001, oil 0.1, honey 10, mud 50, lava 100 and more. Over its temperature, hot lava runs and cold "
        "lava stands.",
    )  # fmt: skip
    along: Literal["slides", "clings"] = choice(
        {"slides": "slides along", "clings": "clings to"}, "clings", label="at walls",
        help="Whether thick liquid slides along walls, or those hold it. Only a viscosity makes a difference.",
    )  # fmt: skip
    tension: float = dial(
        "N/m", 0.0, label="surface tension", soft=(0.0, 1.0), low=0.0, high=1e4,
        help="Pulls drops round and holds them together. Water has 0.07, which shows in centimetres; more makes a "
        "large shot look small.",
    )  # fmt: skip
    lively: float = dial(
        "%", 0.9, label="lively", soft=(0.0, 1.0), low=0.0, high=1.0,
        help="How much of their own motion drops keep from step to step: 100 % splashes and sprays, 0 % is smooth.",
    )  # fmt: skip
    evens: float = dial(
        "/s", 4.0, label="evens out", soft=(0.0, 10.0), low=0.0, high=100.0,
        help="How quickly drops that were pressed together, or have drifted apart, take up their room again, which "
        "keeps the volume. At 0 it slowly changes.",
    )  # fmt: skip
    cooling: Value = dial(
        "/s", 0.0, label="cooling", soft=(0.0, 1.0), low=0.0, high=1e4, drivable=True, each=True,
        help="The share of its heat above 20 °C that is lost each second.",
    )  # fmt: skip
    crust: Value = dial(
        "/s", 0.0, label="cooling of its skin", soft=(0.0, 2.0), low=0.0, high=1e4, drivable=True, each=True,
        help="The same at its surface alone: a crust forms on what is still hot within.",
    )  # fmt: skip
    smoothing: int = dial(
        "count", 1, label="smoothing", soft=(0, 4), low=0, high=12, whole=True,
        help="Rounds its surface off by so many of the surface's cells; thin sheets thin out with it.",
    )  # fmt: skip
    surface: float = dial(
        "×", 0.6, label="surface cells", soft=(0.4, 1.0), low=0.2, high=4.0,
        help="How large the cells of its surface are, of its own. Smaller show every drop, and take longer.",
    )  # fmt: skip
    around: Literal["through", "clean"] = choice(
        {"through": "runs on into", "clean": "is cut clean by"}, "through", label="around what it meets",
        help="Cut clean, its surface ends at what stands in it: shards of glass show with no liquid in them.",
    )  # fmt: skip
    look: Literal["clear", "dull", "glowing"] = choice(
        {"clear": "is clear", "dull": "is dull", "glowing": "glows"}, "clear", label="look",
        help="How the stage and pictures paint it: clear as water, dull as mud, or giving light as lava.",
    )  # fmt: skip
    shown: Literal["instead", "over"] = choice(
        {"instead": "alone", "over": "with its drops"}, "instead", label="shown",
        help="Its surface alone, or the drops that it is worked out with as well.",
    )  # fmt: skip
    colour: str = colour("#4E7A86", label="colour", help="Of all of it, where no tint paints it.")
    state: Ref | None = refer(
        "state", label="state", none="no state", help="The state that it begins in, for forces and cues to ask for."
    )

    @property
    def whom(self) -> None:
        """Its surface wraps all of it."""
        return None


class Froth(Row):
    kind: Literal["froth"] = "froth"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "spray, foam and bubbles"
    does: ClassVar[str] = "What liquid is white with: born where it breaks, it flies, floats, or rises in it."
    phrase: ClassVar[str] = (
        "Where liquid goes faster than {least}, trapped air gives {trapped} and crests give {crests} flecks of foam, "
        "{radius} in radius, which lasts for {lasts}."
    )
    least: Value = dial(
        "m/s", 1.5, label="faster than", soft=(0.2, 5.0), above=0.0, high=1e3, drivable=True,
        help="Slower liquid takes no air in; at twice the speed it takes in all that it can.",
    )  # fmt: skip
    trapped: Value = dial(
        "/s", 20.0, label="from trapped air", soft=(0.0, 100.0), low=0.0, high=1e5, drivable=True,
        help="How many come off each drop a second, where drops go against one another by 1 m/s: splashes, eddies.",
    )  # fmt: skip
    crests: Value = dial(
        "/s", 20.0, label="from crests", soft=(0.0, 100.0), low=0.0, high=1e5, drivable=True,
        help="The same of drops that go out of the liquid by 1 m/s where its surface is sharp: crests that tip over.",
    )  # fmt: skip
    radius: Value = dial(
        "m", 0.01, label="radius", soft=(0.002, 0.05), above=0.0, high=1e3, drivable=True,
        help="Of each; some are half as large, some half as large again.",
    )  # fmt: skip
    lasts: Value = dial(
        "s", 2.0, label="lasts", soft=(0.3, 10.0), above=0.0, high=1e6, drivable=True,
        help="How long foam lasts; spray and bubbles four times as long.",
    )  # fmt: skip
    rises: Value = dial(
        "×", 2.0, label="rises", soft=(0.0, 5.0), low=0.0, high=1e3, drivable=True,
        help="How strongly bubbles are drawn up, beside how strongly things fall.",
    )  # fmt: skip
    drag: Value = dial(
        "/s", 6.0, label="taken along", soft=(0.5, 20.0), low=0.0, high=1e4, drivable=True,
        help="How quickly bubbles take on the motion of what is about them.",
    )  # fmt: skip
    colour: str = colour("#E8EEEE", label="colour", help="Of all of it.")
    seed: int = seed()

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return f"Came off drop {parent}."


class Filling(Row):
    """What all liquid comes from: a prop, and how hot and fast it comes."""

    section: ClassVar[str] = "supply"
    prop: Ref = refer("prop", label="prop", solid=True, help="Its inside becomes liquid. It may be unseen.")
    temperature: Value = dial(
        "°C", 20.0, label="temperature", soft=(0.0, 1200.0), low=-273.15, high=1e6, drivable=True,
        help="How hot it comes. Its viscosity, tints and cues can go by it.",
    )  # fmt: skip
    speed: Value = dial(
        "m/s", 0.0, label="speed", soft=(0.0, 10.0), low=0.0, high=1e3, drivable=True, help="How fast it comes."
    )
    direction: Vector = dials(
        "", (0.0, -1.0, 0.0), label="direction", soft=(-1.0, 1.0), low=-1e6, high=1e6, drivable=True,
        help="Only where it points matters.",
    )  # fmt: skip
    through: Ref | None = refer(
        "zone", label="through", none="everywhere", manner="through ", help="Only where this zone is."
    )

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("direction", self.direction)

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return f"Liquid out of {names[self.prop]}."


class Fill(Filling):
    kind: Literal["fill"] = "fill"
    naming: ClassVar[str] = "liquid in {prop}"
    title: ClassVar[str] = "body of liquid"
    does: ClassVar[str] = "Fills a prop with liquid at a frame, up to a level: a pool, a tank, a drop, a block of mud."
    phrase: ClassVar[str] = (
        "At frame {start}, {prop} is filled with liquid to {level} of its height, {temperature}, going {speed} along "
        "{direction}, {through}."
    )
    start: int = dial(
        "frame", 1, label="frame", soft=(1, 120), low=-100_000, high=1_000_000, whole=True, help="When it is there."
    )
    level: float = dial(
        "%", 1.0, label="level", soft=(0.1, 1.0), above=0.0, high=1.0, help="How high it stands in the prop."
    )


class Spout(Filling):
    kind: Literal["spout"] = "spout"
    naming: ClassVar[str] = "liquid from {prop}"
    title: ClassVar[str] = "liquid source"
    does: ClassVar[str] = "Lets liquid come out of a prop for some time: a tap, a spring, a vent."
    phrase: ClassVar[str] = (
        "Out of {prop}, liquid comes at {speed} along {direction}, {temperature}, from frame {start} to {end}, "
        "{through}."
    )
    speed: Value = dial(
        "m/s", 1.0, label="speed", soft=(0.1, 10.0), low=0.0, high=1e3, drivable=True,
        help="How fast it comes: what has left the prop is filled up again.",
    )  # fmt: skip
    start: int = first_frame()
    end: int = last_frame()

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from super().complaints()
        yield from ends_before(self.start, self.end)


class Outlet(Row):
    kind: Literal["outlet"] = "outlet"
    naming: ClassVar[str] = "outlet in {prop}"
    section: ClassVar[str] = "supply"
    title: ClassVar[str] = "liquid outlet"
    does: ClassVar[str] = "Takes liquid away within a prop."
    phrase: ClassVar[str] = "In {prop}, liquid runs off from frame {start}."
    prop: Ref = refer("prop", label="prop", solid=True, help="Liquid that comes into it is gone.")
    start: int = first_frame()

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return ""


class Gas(Row):
    kind: Literal["gas"] = "gas"
    naming: ClassVar[str] = "gas from {prop}"
    section: ClassVar[str] = "supply"
    title: ClassVar[str] = "gas source"
    does: ClassVar[str] = "Lets gas into liquid out of a prop: bubbles that swell there, rise and burst."
    phrase: ClassVar[str] = "Out of {prop}, gas comes into liquid at {rate} from frame {start} to {end}."
    prop: Ref = refer(
        "prop", label="prop", solid=True, help="A place in the liquid, some cells wide. It may be unseen."
    )
    rate: Value = dial(
        "l/s", 0.01, label="rate", soft=(0.0, 0.1), low=0.0, high=1e6, drivable=True,
        help="How much comes. By keys or noise it comes bubble by bubble; those narrower than four cells are lost.",
    )  # fmt: skip
    start: int = first_frame()
    end: int = last_frame()

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from ends_before(self.start, self.end)

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return ""


class Drip(Row):
    kind: Literal["drip"] = "drip"
    section: ClassVar[str] = "supply"
    title: ClassVar[str] = "liquid that comes off"
    does: ClassVar[str] = "Lets what a cue names give off liquid: particles that become it, pieces that melt."
    phrase: ClassVar[str] = (
        "Where a cue says so, liquid comes off: a ball {size} as wide as what it comes off, its drops flying apart at "
        "{speed}."
    )
    size: Value = dial(
        "×", 1.0, label="size", soft=(0.2, 2.0), above=0.0, high=100.0, drivable=True,
        help="Beside the radius of each that it comes off. Balls smaller than a drop come as one drop now and then: in "
        "all, as much.",
    )  # fmt: skip
    speed: Value = dial(
        "m/s", 0.0, label="flying apart", soft=(0.0, 5.0), low=0.0, high=1e3, drivable=True,
        help="Added to how what it comes off goes, away from its middle.",
    )  # fmt: skip

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return f"Liquid that came off {parent}."
