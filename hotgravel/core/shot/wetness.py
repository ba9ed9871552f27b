"""Wetness: the film that liquid leaves on props, and that dries."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.dials import choice, colour, dial, refer, refers
from hotgravel.core.shot.row import Ref, Row


class Wetness(Row):
    kind: Literal["wetness"] = "wetness"
    section: ClassVar[str] = "matter"
    asks: ClassVar[str | None] = "wetness"
    naming: ClassVar[str] = "wetness of {props}"
    title: ClassVar[str] = "wet surface"
    wraps: ClassVar[str] = "wetness"
    look: ClassVar[Literal["glassy"]] = "glassy"
    does: ClassVar[str] = (
        "Liquid and water leave a film on a prop where they touch it: dark and shining, and it dries. Points on the "
        "prop know how wet they are, which cues, responses, colours and files can ask."
    )
    phrase: ClassVar[str] = (
        "Liquid, water and {drops} wet {props} within {reach}; they dry in {dries}, and a film darkens them by {dark}."
    )
    props: tuple[Ref, ...] = refers(
        "prop", label="props",
        help="What gets wet: still, moved by keys, or a body, each of whose copies has a film of its own.",
    )  # fmt: skip
    segments: int = dial(
        "count", 60, label="segments", soft=(20, 150), low=2, high=1000, whole=True,
        help="Into how many parts the longest side of each prop is divided. More draw a finer rim.",
    )  # fmt: skip
    reach: float = dial(
        "m", 0.02, label="reach", soft=(0.0, 0.2), low=0.0, high=1e3,
        help="How far beyond what touches it the prop gets wet: stone draws water in, glass does not.",
    )  # fmt: skip
    drops: Ref | None = refer(
        "state", label="and by", none="no particles", kinds=("state",),
        help="Particles in this state make wet what they meet, as drops of rain do.",
    )  # fmt: skip
    dries: Value = dial(
        "s", 4.0, label="dries in", soft=(0.5, 60.0), above=0.0, high=1e5, drivable=True, each=True,
        help="After so long a third of the film is left. By zone a part dries sooner, as where the sun shines.",
    )  # fmt: skip
    dark: float = dial(
        "%", 0.4, label="dark", soft=(0.0, 0.8), low=0.0, high=1.0,
        help="How much of the prop's own colour the whole film hides: sand 50 %, stone 40 %, glass 10 %.",
    )  # fmt: skip
    colour: str = colour("#1B2226", label="colour", help="Of the film. Mud has its own.")
    shown: Literal["instead", "over"] = choice(
        {"instead": "alone", "over": "with its points"}, "instead", label="shown",
        help="The film alone, or the points as well that cues and gauges go by.",
    )  # fmt: skip
    state: Ref | None = refer(
        "state", label="state", none="no state", help="The state that its points are in, for cues to ask for."
    )

    @property
    def whom(self) -> None:
        """Its film is on all of its points."""
        return None

    def birth(self, names: Mapping[str, str], parent: int) -> str:
        return "On a prop that gets wet."
