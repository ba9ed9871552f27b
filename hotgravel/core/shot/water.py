"""Wide water: its waves, what moves it, and the rain that falls on it."""

from collections.abc import Iterator, Mapping
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.dials import choice, colour, dial, dials, first_frame, last_frame, refer, seed
from hotgravel.core.shot.row import Ref, Row, ends_before, points_nowhere

MOST_ACROSS = 2048  # cells


class Water(Row):
    kind: Literal["water"] = "water"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "wide water"
    wraps: ClassVar[str] = "water"
    look: ClassVar[str] = "clear"
    does: ClassVar[str] = (
        "The surface of a lake or a sea: wind waves, wakes, rings of rain, foam. What it meets are collisions: what "
        "stands still in it is a shore, which throws wakes and rings back."
    )
    phrase: ClassVar[str] = (
        "Water lies about {at}, {size} across in cells of {cell}, {depth} deep; a wind of {wind} along {direction} has "
        "raised waves over {fetch}, {chop} choppy."
    )
    at: tuple[float, float, float] = dials(
        "m", (0.0, 0.0, 0.0), label="middle", soft=(-10.0, 10.0), low=-1e6, high=1e6,
        help="The middle of its surface, at rest.",
    )  # fmt: skip
    size: float = dial(
        "m", 40.0, label="size", soft=(4.0, 200.0), above=0.0, high=1e5,
        help="How wide and long it is. Waves of the wind go on over its rim as they came in over the other.",
    )  # fmt: skip
    cell: float = dial(
        "m", 0.4, label="cells", soft=(0.02, 2.0), above=0.0, high=1e4,
        help="The size of a cell at rough quality; fair has two thirds of it, fine half. Waves shorter than two cells "
        "are left out.",
    )  # fmt: skip
    depth: float | None = dial(
        "m", None, label="depth", soft=(0.2, 50.0), above=0.0, high=1e5, none="bottomless",
        help="Over shallow ground waves are slower, and the long ones lower.",
    )  # fmt: skip
    wind: float = dial(
        "m/s", 7.0, label="wind", soft=(0.0, 20.0), low=0.0, high=60.0,
        help="Ten metres above the water. 0 leaves it still, 4 ripples it, 8 makes white crests, 15 is a storm.",
    )  # fmt: skip
    direction: tuple[float, float, float] = dials(
        "", (1.0, 0.0, 0.0), label="direction", soft=(-1.0, 1.0), low=-1e6, high=1e6, help="Where the wind blows to."
    )
    fetch: float | None = dial(
        "m", None, label="fetch", soft=(100.0, 100000.0), above=0.0, high=1e7, none="all the sea",
        help="How much water the wind has blown over: a pond 100, a lake 5 000. All the sea: waves grow no more.",
    )  # fmt: skip
    spread: float = dial(
        "", 8.0, label="together", soft=(1.0, 30.0), low=0.0, high=200.0,
        help="How much waves go the wind's way: 1 from all sides, 8 a wind sea, 30 a swell.",
    )  # fmt: skip
    chop: float = dial(
        "×", 1.0, label="choppy", soft=(0.0, 1.5), low=0.0, high=3.0,
        help="How sharp crests are: 0 is rounded as by a ruler, 1 as in nature; more folds them over.",
    )  # fmt: skip
    loop: float | None = dial(
        "s", None, label="loops", soft=(2.0, 20.0), above=0.0, high=1e4, none="never",
        help="After so long the wind's waves are as they were.",
    )  # fmt: skip
    calms: float = dial(
        "/s", 0.15, label="calms down", soft=(0.0, 2.0), low=0.0, high=100.0,
        help="The share of rings and wakes that dies away each second.",
    )  # fmt: skip
    density: float = dial(
        "kg/m³", 1000.0, label="density", soft=(900.0, 1100.0), above=0.0, high=1e6,
        help="Bodies that are lighter float on it.",
    )  # fmt: skip
    drag: float = dial(
        "/s", 1.0, label="drag", soft=(0.1, 4.0), low=0.0, high=100.0,
        help="How quickly a body that is under water is taken along by it.",
    )  # fmt: skip
    foam: float = dial(
        "×", 1.0, label="foam", soft=(0.0, 3.0), low=0.0, high=100.0,
        help="How much foam crests and wakes make where they are steep.",
    )  # fmt: skip
    dries: float = dial(
        "s", 4.0, label="foam lasts", soft=(0.5, 20.0), above=0.0, high=1e4,
        help="After so long a third of the foam is left.",
    )  # fmt: skip
    spreads: float = dial(
        "%", 0.3, label="foam spreads", soft=(0.0, 1.0), low=0.0, high=1.0,
        help="How much of its foam a cell shares with those beside it each second.",
    )  # fmt: skip
    shown: Literal["instead", "over"] = choice(
        {"instead": "alone", "over": "with its points"}, "instead", label="shown",
        help="Its surface alone, or the points on it as well that cues and gauges go by.",
    )  # fmt: skip
    colour: str = colour("#2E5A66", label="colour", help="Of the water; foam is white.")
    seed: int = seed()

    @property
    def whom(self) -> None:
        """Its surface is all of it."""
        return None

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("direction", self.direction)

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return "A point of the water."


class Rain(Row):
    kind: Literal["rain"] = "rain"
    section: ClassVar[str] = "supply"
    title: ClassVar[str] = "rain on water"
    does: ClassVar[str] = "Lets drops of all sizes fall on wide water, each with its ring."
    phrase: ClassVar[str] = (
        "It rains {rate} on the water from frame {start} to {end}, {through}; drops above {least} ring it, {rings} "
        "strong."
    )
    rate: Value = dial(
        "mm/h", 10.0, label="rate", soft=(1.0, 50.0), low=0.0, high=1000.0, drivable=True,
        help="Drizzle 1, rain 5, a downpour 50: more drops, and larger ones.",
    )  # fmt: skip
    least: float = dial(
        "m", 0.003, label="least drop", soft=(0.001, 0.005), above=0.0, high=0.01,
        help="Smaller drops are left out: they make no ring that is seen from afar.",
    )  # fmt: skip
    rings: Value = dial(
        "×", 1.0, label="rings", soft=(0.2, 10.0), low=0.0, high=1e4, drivable=True,
        help="How strong rings are beside those of real drops. In wide views they are made larger than life.",
    )  # fmt: skip
    ragged: Value = dial(
        "%", 0.0, label="ragged", soft=(0.0, 1.0), low=0.0, high=2.0, drivable=True,
        help="How much stronger a ring is on some sides than on others, as gusts and ripples leave it: 0 is drawn with "
        "a compass, 50 % uneven, 100 % broken.",
    )  # fmt: skip
    start: int = first_frame()
    end: int = last_frame(240, help="The last frame during which it rains.")
    through: Ref | None = refer(
        "zone", label="through", none="everywhere", manner="through ", help="Only where this zone is: gusts, clearings."
    )
    seed: int = seed()

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from ends_before(self.start, self.end)

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return ""
