"""Smoke: a box of gas, what it comes from and goes into, and its fire."""

from collections.abc import Iterator, Mapping
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value, Vector
from hotgravel.core.shot.dials import choice, colour, dial, dials, first_frame, last_frame, refer, seed, whom
from hotgravel.core.shot.row import Ref, Row, ends_before, points_nowhere
from hotgravel.core.shot.sides import Sided

MOST_CELLS = 6_000_000


class Smoke(Sided):
    kind: Literal["smoke"] = "smoke"
    section: ClassVar[str] = "matter"
    asks: ClassVar[str | None] = "smoke"
    title: ClassVar[str] = "smoke"
    does: ClassVar[str] = "A box of air in which smoke rises, pours, curls and thins out; what it meets are collisions."
    phrase: ClassVar[str] = (
        "Smoke moves {room} a box of {size} about {at}, {sides}, in cells of {cell}; heat lifts it {lift}, its own "
        "weight pulls it {weight}; it fades by {fade} and cools by {cooling}."
    )
    at: tuple[float, float, float] = dials(
        "m", (0.0, 2.0, 0.0), label="middle", soft=(-10.0, 10.0), low=-1e6, high=1e6, help="The middle of the box."
    )
    size: tuple[float, float, float] = dials(
        "m", (3.0, 4.0, 3.0), label="box", soft=(1.0, 20.0), above=0.0, high=1e5,
        help="How wide, high and deep the box is: smoke goes no farther.",
    )  # fmt: skip
    cell: float = dial(
        "m", 0.1, label="cells", soft=(0.03, 0.3), above=0.0, high=1e4,
        help="The size of a cell at rough quality; fair has two thirds of it, fine half. Half the size takes sixteen "
        "times as long. Obstacles thinner than a cell count as one cell thick.",
    )  # fmt: skip
    room: Literal["smoke", "whole"] = choice(
        {"smoke": "where it is, in", "whole": "anywhere in"}, "smoke", label="worked out",
        help="Where it is: air is worked out about the smoke alone, and empty room costs nothing. Anywhere: in all of "
        "the box, for air that shall move where no smoke is.",
    )  # fmt: skip
    lift: Value = dial(
        "×", 1.0, label="lift", soft=(0.0, 4.0), low=-100.0, high=100.0, drivable=True,
        help="How much heat lifts it: 1 as it does air under the shot's gravity, 0 not at all. Less than 0 lets hot "
        "smoke sink, as if it were cold.",
    )  # fmt: skip
    weight: Value = dial(
        "×", 0.0, label="weight", soft=(0.0, 2.0), low=-100.0, high=100.0, drivable=True,
        help="How much thick smoke falls: at 1, smoke of density 1 falls as if it had no air to carry it.",
    )  # fmt: skip
    swirl: Value = dial(
        "/s", 0.0, label="swirl", soft=(0.0, 6.0), low=0.0, high=1e3, drivable=True,
        help="Gives back the small whirls that cells lose. A little sharpens, much tears it apart.",
    )  # fmt: skip
    fade: Value = dial(
        "/s", 0.05, label="fade", soft=(0.0, 1.0), low=0.0, high=1e4, drivable=True, each=True,
        help="What is taken off its density each second: at 0.2, smoke of 1 is gone after 5 s.",
    )  # fmt: skip
    thinning: Value = dial(
        "/s", 0.0, label="thinning", soft=(0.0, 2.0), low=0.0, high=1e4, drivable=True, each=True,
        help="The share of its density that is lost each second: it thins out, and is never quite gone.",
    )  # fmt: skip
    cooling: Value = dial(
        "/s", 0.5, label="cooling", soft=(0.0, 3.0), low=0.0, high=1e4, drivable=True, each=True,
        help="The share of its heat that is lost each second, and with it the lift.",
    )  # fmt: skip
    chill: Value = dial(
        "°C/s", 0.0, label="chill", soft=(0.0, 200.0), low=0.0, high=1e6, drivable=True, each=True,
        help="By how many degrees it comes nearer to the air's each second.",
    )  # fmt: skip
    slowing: Value = dial(
        "/s", 0.0, label="slowing", soft=(0.0, 2.0), low=0.0, high=1e4, drivable=True, each=True,
        help="The share of its speed that is lost each second.",
    )  # fmt: skip
    braking: Value = dial(
        "m/s²", 0.0, label="braking", soft=(0.0, 2.0), low=0.0, high=1e4, drivable=True, each=True,
        help="What is taken off its speed each second: slow air comes to rest.",
    )  # fmt: skip
    viscosity: Value = dial(
        "m²/s", 0.0, label="viscosity", soft=(0.0, 0.5), low=0.0, high=10.0, drivable=True,
        help="How much air drags the air beside it along. A little takes small whirls away, much lets it move as one.",
    )  # fmt: skip
    diffusion: Value = dial(
        "m²/s", 0.0, label="diffusion", soft=(0.0, 0.1), low=0.0, high=10.0, drivable=True,
        help="How quickly smoke and heat spread without any wind: edges go soft.",
    )  # fmt: skip
    along: Literal["slides", "clings"] = choice(
        {"slides": "slides along", "clings": "clings to"}, "slides", label="at walls",
        help="Whether air slides along walls and obstacles, or those drag it along. Only with a viscosity.",
    )  # fmt: skip
    preroll: float = dial(
        "s", 0.0, label="before the start", soft=(0.0, 5.0), low=0.0, high=600.0,
        help="So long it has already gone on when the first frame comes, as all stands and blows then.",
    )  # fmt: skip
    colour: str = colour("#CFCBC4", label="colour", help="What light it throws back.")
    thickness: float = dial(
        "/m", 4.0, label="thickness", soft=(0.5, 20.0), above=0.0, high=1e4,
        help="How much light a metre of density 1 takes: at 4 /m a hand's breadth hides half of what is behind.",
    )  # fmt: skip


class Fire(Row):
    kind: Literal["fire"] = "fire"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "fire"
    does: ClassVar[str] = "Lets the fuel in smoke burn where it is hot enough: it heats, swells, glows and leaves soot."
    phrase: ClassVar[str] = (
        "Fuel burns above {ignition} at {rate}; all of it heats by {heat}, swells {swell}, leaves {soot} of soot and "
        "glows {glow}."
    )
    ignition: Value = dial(
        "°C", 250.0, label="ignition", soft=(100.0, 800.0), low=-273.15, high=1e5, drivable=True,
        help="Fuel burns only where it is hotter. Where the source is hotter it burns at once.",
    )  # fmt: skip
    rate: Value = dial(
        "/s", 3.0, label="rate", soft=(0.5, 20.0), low=0.0, high=1e4, drivable=True,
        help="The share of the fuel that burns each second: more is a short, hot flash.",
    )  # fmt: skip
    heat: Value = dial(
        "°C", 1800.0, label="heat", soft=(500.0, 3000.0), low=0.0, high=1e5, drivable=True,
        help="By how much fuel of density 1 heats its air when all of it has burnt.",
    )  # fmt: skip
    swell: Value = dial(
        "×", 1.0, label="swelling", soft=(0.0, 5.0), low=0.0, high=1e3, drivable=True,
        help="How many times its own room fuel of density 1 takes more when it has burnt. It lets a fire burst.",
    )  # fmt: skip
    soot: Value = dial(
        "×", 0.6, label="soot", soft=(0.0, 2.0), low=0.0, high=100.0, drivable=True,
        help="The density of smoke that fuel of density 1 leaves.",
    )  # fmt: skip
    glow: float = dial(
        "×", 1.0, label="glow", soft=(0.1, 5.0), low=0.0, high=1e3,
        help="How bright it is beside the shot's light. Its colour is that of a black body as hot.",
    )  # fmt: skip


class Detail(Row):
    kind: Literal["detail"] = "detail"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "detail of smoke"
    does: ClassVar[str] = "Works smoke out once more in smaller cells: its motion stays, and small curls are added."
    phrase: ClassVar[str] = "Smoke is worked out once more, {times} as fine, in the same air, with {curls} small curls."
    times: int = dial(
        "count", 2, label="times", soft=(2, 4), low=2, high=4, whole=True,
        help="How many of its cells lie along one of the rough ones. Twice as fine has eight times as many.",
    )  # fmt: skip
    curls: Value = dial(
        "×", 1.0, label="curls", soft=(0.0, 3.0), low=0.0, high=100.0, drivable=True,
        help="How strong the added curls are beside what the motion about them lets expect: 0 adds none, the smoke is "
        "only drawn sharper.",
    )  # fmt: skip
    change: float = dial(
        "/s",
        1.0,
        label="change",
        soft=(0.2, 4.0),
        low=0.0,
        high=1e3,
        help="How often a second the curls become others.",
    )
    seed: int = seed()


class Fume(Row):
    kind: Literal["fume"] = "fume"
    naming: ClassVar[str] = "smoke from {prop}"
    section: ClassVar[str] = "supply"
    title: ClassVar[str] = "smoke source"
    does: ClassVar[str] = "Lets smoke come out of a prop, hot or cold, at a speed of its own."
    phrase: ClassVar[str] = (
        "Out of {prop}, smoke comes at {rate}, {temperature}, with {speed} along {direction}, from frame {start} to "
        "{end}, {through}."
    )
    prop: Ref = refer(
        "prop", label="prop", solid=True, help="Smoke fills it, or a cell's breadth about it if it is a sheet."
    )
    part: Literal["inside", "skin"] = choice(
        {"inside": "all of it", "skin": "its surface"}, "inside", label="part",
        help="Whether smoke comes in all of the prop, or only a cell's breadth about its surface.",
    )  # fmt: skip
    manner: Literal["adds", "sets"] = choice(
        {"adds": "adds", "sets": "sets"}, "adds", label="manner",
        help="Adds: density grows at the rate. Sets: it is as dense as below at once, for as long as smoke comes.",
    )  # fmt: skip
    rate: Value = dial(
        "/s", 4.0, label="rate", soft=(0.5, 20.0), low=0.0, high=1e4, drivable=True,
        help="How much is added to the density there each second.",
    )  # fmt: skip
    density: Value = dial(
        "", 1.0, label="density", soft=(0.1, 1.0), low=0.0, high=100.0, drivable=True,
        help="It is made no thicker than this.",
    )  # fmt: skip
    fuel: Value = dial(
        "/s", 0.0, label="fuel", soft=(0.0, 20.0), low=0.0, high=1e4, drivable=True,
        help="How much fuel is added each second, up to 1. It needs a fire to burn.",
    )  # fmt: skip
    temperature: Value = dial(
        "°C", 300.0, label="temperature", soft=(-40.0, 1000.0), low=-273.15, high=1e5, drivable=True,
        help="How hot it comes. The air about it has 20 °C; what is colder sinks.",
    )  # fmt: skip
    speed: Value = dial(
        "m/s", 0.0, label="speed", soft=(0.0, 10.0), low=0.0, high=1e3, drivable=True,
        help="How fast it comes out. At 0 the air there moves as it would.",
    )  # fmt: skip
    direction: Vector = dials(
        "", (0.0, 1.0, 0.0), label="direction", soft=(-1.0, 1.0), low=-1e6, high=1e6, drivable=True,
        help="Only where it points matters.",
    )  # fmt: skip
    inherits: Value = dial(
        "%", 0.0, label="prop's speed", soft=(0.0, 1.0), low=0.0, high=10.0, drivable=True,
        help="How much of the speed at which the prop itself moves the smoke takes along.",
    )  # fmt: skip
    colour: str = colour("#FFFFFF", label="tint", help="Multiplies the smoke's own colour; where two meet, they mix.")
    start: int = first_frame()
    end: int = last_frame()
    through: Ref | None = refer(
        "zone", label="through", none="everywhere", manner="through ",
        help="Only where this zone is, and as much as it weighs there. A patchy zone makes it ragged.",
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("direction", self.direction)
        yield from ends_before(self.start, self.end)

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return f"Smoke out of {names[self.prop]}."


class Puff(Row):
    kind: Literal["puff"] = "puff"
    naming: ClassVar[str] = "smoke off {whom}"
    section: ClassVar[str] = "supply"
    title: ClassVar[str] = "smoke off what moves"
    does: ClassVar[str] = "Lets smoke come off particles, bodies and pieces, or off the faces of pieces as they break."
    phrase: ClassVar[str] = "Off {whom}, smoke comes {when} at {rate}, {temperature}, in puffs {width} as wide."
    whom: Ref | None = whom("all that moves")
    when: Literal["going", "breaking"] = choice(
        {"going": "all along their way", "breaking": "where they break"}, "going", label="when",
        help="All along their way, or for half a second off the faces that open as bonds break.",
    )  # fmt: skip
    rate: Value = dial(
        "/s", 4.0, label="rate", soft=(0.5, 20.0), low=0.0, high=1e4, drivable=True, each=True,
        help="How much is added to the density there each second, up to 1.",
    )  # fmt: skip
    temperature: Value = dial(
        "°C", 20.0, label="temperature", soft=(-40.0, 1000.0), low=-273.15, high=1e5, drivable=True, each=True,
        help="How hot it comes. The air about it has 20 °C; what is colder sinks.",
    )  # fmt: skip
    width: Value = dial(
        "×", 1.5, label="width", soft=(0.5, 5.0), above=0.0, high=1e3, drivable=True, each=True,
        help="How many times the size of each its puff is; at least a cell.",
    )  # fmt: skip
    young: Value | None = dial(
        "s", None, label="first", soft=(0.1, 3.0), above=0.0, high=1e6, drivable=True, none="all their life",
        help="Only while they are no older.",
    )  # fmt: skip
    inherits: Value = dial(
        "%", 0.5, label="their speed", soft=(0.0, 1.0), low=0.0, high=10.0, drivable=True, each=True,
        help="How much of the speed of each the smoke takes along: it drags smoke behind it.",
    )  # fmt: skip

    def wording(self) -> str:
        return self.phrase if self.young is None else self.phrase.removesuffix(".") + ", for their first {young}."

    def idle(self) -> frozenset[str]:
        return frozenset({"whom", "young", "width"} if self.when == "breaking" else ())

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return f"Smoke off {names[self.whom] if self.whom else 'all that moves'}."


class Drain(Row):
    kind: Literal["drain"] = "drain"
    naming: ClassVar[str] = "drain in {prop}"
    section: ClassVar[str] = "supply"
    title: ClassVar[str] = "smoke drain"
    does: ClassVar[str] = "Takes smoke away within a prop."
    phrase: ClassVar[str] = "In {prop}, smoke is taken away at {rate}, with an edge {edge} deep."
    prop: Ref = refer("prop", label="prop", help="Smoke that comes into it is lost.", solid=True)
    rate: Value = dial(
        "/s", 8.0, label="rate", soft=(0.5, 20.0), low=0.0, high=1e4, drivable=True,
        help="The share that is taken away each second.",
    )  # fmt: skip
    edge: Value = dial(
        "m", 0.2, label="edge", soft=(0.0, 1.0), low=0.0, high=1e5, drivable=True,
        help="It takes hold only as deep as this below the prop's surface: smoke is not cut off as by a knife.",
    )  # fmt: skip

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return ""
