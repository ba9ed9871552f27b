"""Slosh: liquid that stays in a vessel, tilts and swings as the vessel moves."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.dials import choice, colour, dial, refer, seed
from hotgravel.core.shot.row import Ref, Row


class Slosh(Row):
    kind: Literal["slosh"] = "slosh"
    section: ClassVar[str] = "matter"
    title: ClassVar[str] = "liquid in a vessel"
    naming: ClassVar[str] = "liquid in {prop}"
    wraps: ClassVar[str] = "slosh"
    does: ClassVar[str] = (
        "Liquid that fills a closed prop to a level, stays level when it is tilted, and swings when it is moved. It "
        "takes next to no time; where liquid leaves the vessel, take *liquid* instead."
    )
    phrase: ClassVar[str] = (
        "{prop}, with walls of {wall}, is {level} full of liquid that swings {swing} and calms down by {calms}; its "
        "ripples are {ripples}, its surface {look}."
    )
    prop: Ref = refer(
        "prop", label="vessel", solid=True,
        help="A closed shape. It may be seen through, moved by keys, or a body; each of its copies is filled.",
    )  # fmt: skip
    level: Value = dial(
        "%", 0.5, label="level", soft=(0.05, 0.95), low=0.0, high=1.0, drivable=True,
        help="How much of the room within the walls is filled, by volume. Varied over time, it fills up or runs out.",
    )  # fmt: skip
    wall: float = dial(
        "m", 0.0, label="wall", soft=(0.0, 0.02), low=0.0, high=1e4,
        help="How thick the vessel's walls are: liquid keeps as far within the prop.",
    )  # fmt: skip
    swing: Value = dial(
        "×", 1.0, label="swing", soft=(0.0, 2.0), low=0.0, high=100.0, drivable=True,
        help="How strongly it answers to how the vessel moves: 0 stays level, 1 is as in nature.",
    )  # fmt: skip
    calms: float = dial(
        "/s", 0.6, label="calms down", soft=(0.05, 4.0), low=0.0, high=100.0,
        help="The share of its swing that dies away each second, as water in a hand's breadth 0.3, oil 2. Short waves "
        "die away sooner, as they are shorter.",
    )  # fmt: skip
    ripples: float = dial(
        "×", 1.0, label="ripples", soft=(0.0, 3.0), low=0.0, high=100.0,
        help="How high the waves are that curl its surface: 0 leaves it a plane, 1 is as in nature.",
    )  # fmt: skip
    uneven: float = dial(
        "%", 0.2, label="uneven", soft=(0.0, 1.0), low=0.0, high=10.0,
        help="How much of what shakes the vessel goes into waves at random: real jars are never quite round.",
    )  # fmt: skip
    foam: float = dial(
        "×", 0.5, label="foam", soft=(0.0, 3.0), low=0.0, high=100.0,
        help="How much foam gathers at the walls where its surface stands steep.",
    )  # fmt: skip
    lasts: float = dial(
        "s", 3.0, label="foam lasts", soft=(0.5, 20.0), above=0.0, high=1e4,
        help="After so long a third of the foam is left.",
    )  # fmt: skip
    wet: float = dial(
        "s", 4.0, label="wet for", soft=(0.0, 20.0), low=0.0, high=1e4,
        help="After so long a third is left of the film that it leaves on the walls. 0: it leaves none.",
    )  # fmt: skip
    look: Literal["clear", "dull", "glowing"] = choice(
        {"clear": "is clear", "dull": "is dull", "glowing": "glows"}, "clear", label="look",
        help="How the stage and pictures paint it: clear as water, dull as mud, or giving light as lava.",
    )  # fmt: skip
    shown: Literal["instead", "over"] = choice(
        {"instead": "alone", "over": "with its points"}, "instead", label="shown",
        help="Its body alone, or the points on its surface as well that cues and gauges go by.",
    )  # fmt: skip
    colour: str = colour("#4E7A86", label="colour", help="Of all of it; foam is white.")
    state: Ref | None = refer(
        "state", label="state", none="no state", help="The state that its points are in, for cues to ask for."
    )
    seed: int = seed()

    @property
    def whom(self) -> None:
        """Its surface is all of it."""
        return None

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return f"Liquid in {names[self.prop]}."
