"""Smoke: a box of gas, and the props that it comes from."""

from collections.abc import Iterator, Mapping
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value, Vector
from hotgravel.core.shot.dials import choice, colour, dial, dials, refer
from hotgravel.core.shot.row import Ref, Row, points_nowhere

MOST_CELLS = 6_000_000


class Smoke(Row):
    kind: Literal["smoke"] = "smoke"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "smoke"
    does: ClassVar[str] = "A box of air in which smoke rises, pours, curls and thins out; what it meets are collisions."
    phrase: ClassVar[str] = (
        "Smoke moves in a box of {size} about {at}, {sides}, in cells of {cell}; heat lifts it {lift}, its own weight "
        "pulls it {weight}; it fades by {fade} and cools by {cooling}."
    )
    at: tuple[float, float, float] = dials(
        "m", (0.0, 2.0, 0.0), label="middle", soft=(-10.0, 10.0), low=-1e6, high=1e6, help="The middle of the box."
    )
    size: tuple[float, float, float] = dials(
        "m", (3.0, 4.0, 3.0), label="box", soft=(1.0, 20.0), above=0.0, high=1e5,
        help="How wide, high and deep the box is. Air is worked out in all of it: leave no more room than is seen.",
    )  # fmt: skip
    cell: float = dial(
        "m", 0.1, label="cells", soft=(0.03, 0.3), above=0.0, high=1e4,
        help="The size of a cell at rough quality; fair has two thirds of it, fine half. Half the size takes sixteen "
        "times as long. Obstacles thinner than a cell count as one cell thick.",
    )  # fmt: skip
    sides: Literal["floor", "open", "closed"] = choice(
        {"floor": "open but for its floor", "open": "open on all sides", "closed": "closed"}, "floor", label="sides",
        help="Smoke leaves through open sides for good; closed ones are walls.",
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
        "/s", 0.05, label="fade", soft=(0.0, 1.0), low=0.0, high=1e4, drivable=True,
        help="What is taken off its density each second: at 0.2, smoke of 1 is gone after 5 s.",
    )  # fmt: skip
    cooling: Value = dial(
        "/s", 0.5, label="cooling", soft=(0.0, 3.0), low=0.0, high=1e4, drivable=True,
        help="The share of its heat that is lost each second, and with it the lift.",
    )  # fmt: skip
    slowing: Value = dial(
        "/s", 0.0, label="slowing", soft=(0.0, 2.0), low=0.0, high=1e4, drivable=True,
        help="The share of its speed that is lost each second.",
    )  # fmt: skip
    colour: str = colour("#CFCBC4", label="colour", help="What light it throws back.")
    thickness: float = dial(
        "/m", 4.0, label="thickness", soft=(0.5, 20.0), above=0.0, high=1e4,
        help="How much light a metre of density 1 takes: at 4 /m a hand's breadth hides half of what is behind.",
    )  # fmt: skip


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
    prop: Ref = refer("prop", label="prop", help="Smoke fills it, or a cell's breadth about it if it is a sheet.")
    rate: Value = dial(
        "/s", 4.0, label="rate", soft=(0.5, 20.0), low=0.0, high=1e4, drivable=True,
        help="How much is added to the density there each second, up to 1.",
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
    start: int = dial(
        "frame", 1, label="start", soft=(1, 120), low=-100_000, high=1_000_000, whole=True, help="From this frame on."
    )
    end: int = dial(
        "frame", 120, label="end", soft=(1, 240), low=-100_000, high=1_000_000, whole=True,
        help="The last frame during which it comes.",
    )  # fmt: skip
    through: Ref | None = refer(
        "zone", label="through", none="everywhere", manner="through ",
        help="Only where this zone is, and as much as it weighs there. A patchy zone makes it ragged.",
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("direction", self.direction)
        if self.end < self.start:
            yield "end", f"It ends at frame {self.end}, before its start. Accepted: {self.start} or later."

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return f"Smoke out of {names[self.prop]}."
