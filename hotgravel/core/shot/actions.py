"""The actions of cues: what they do to elements, or to the shot."""

from collections.abc import Iterator
from typing import ClassVar, Literal, get_args

from hotgravel.core.drive.value import Value, Vector
from hotgravel.core.shot.dials import choice, clause, dial, dials, refer
from hotgravel.core.shot.forces import Force
from hotgravel.core.shot.row import Clause, Ref, points_nowhere
from hotgravel.core.shot.sources import Anywhere, Onward, Toward


class Enter(Clause):
    kind: Literal["enter"] = "enter"
    title: ClassVar[str] = "enters"
    phrase: ClassVar[str] = "{state}"
    state: Ref = refer("state", label="state", help="From then on it feels what this state feels.")


class Remove(Clause):
    kind: Literal["remove"] = "remove"
    title: ClassVar[str] = "is removed"
    phrase: ClassVar[str] = ""


class Pin(Clause):
    kind: Literal["pin"] = "pin"
    title: ClassVar[str] = "is pinned where it is"
    phrase: ClassVar[str] = ""


class Unpin(Clause):
    kind: Literal["unpin"] = "unpin"
    title: ClassVar[str] = "is let go"
    phrase: ClassVar[str] = ""


class Part(Clause):
    kind: Literal["part"] = "part"
    title: ClassVar[str] = "comes apart"
    phrase: ClassVar[str] = ""


class Harden(Clause):
    kind: Literal["harden"] = "harden"
    title: ClassVar[str] = "becomes rigid"
    phrase: ClassVar[str] = ""


class Away(Clause):
    kind: Literal["away"] = "away"
    title: ClassVar[str] = "away from"
    phrase: ClassVar[str] = "{prop} within {cone}"
    prop: Ref = refer("prop", label="prop", help="Straight off the nearest point of its surface.")
    cone: float = dial(
        "°", 0.0, label="cone", soft=(0.0, 60.0), low=0.0, high=180.0, help="How far off that they scatter."
    )


class Kick(Clause):
    kind: Literal["kick"] = "kick"
    title: ClassVar[str] = "is kicked"
    phrase: ClassVar[str] = "with {speed} {aim}"
    speed: Value = dial(
        "m/s", 3.0, label="kick", soft=(0.1, 20.0), low=0.0, high=1e5, drivable=True, each=True,
        help="Added to its velocity. Varied over a distance or a zone, it is strongest where you want it. For so many "
        "frames only: once in each of them.",
    )  # fmt: skip
    aim: Toward | Anywhere | Onward | Away = clause(label="aim", help="Which way.", default=Toward)


class Spin(Clause):
    kind: Literal["spin"] = "spin"
    title: ClassVar[str] = "is spun"
    phrase: ClassVar[str] = "by {rate} about {axis}"
    rate: Value = dial(
        "°/s", 360.0, label="rate", soft=(30.0, 1440.0), low=-1e6, high=1e6, drivable=True, each=True,
        help="Added to how fast it turns. 360 is once a second. Bodies turn; points cannot.",
    )  # fmt: skip
    axis: Vector = dials(
        "", (0.0, 1.0, 0.0), label="axis", soft=(-1.0, 1.0), low=-1e6, high=1e6, drivable=True,
        help="Only where it points matters.",
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("axis", self.axis)


class Become(Clause):
    kind: Literal["become"] = "become"
    title: ClassVar[str] = "is given"
    phrase: ClassVar[str] = "the {attribute} {value} times what it has, plus {plus}"
    attribute: Literal["radius", "mass", "temperature", "life", "age"] = choice(
        {"radius": "radius", "mass": "mass", "temperature": "temperature", "life": "life", "age": "age"}, "temperature",
        label="attribute",
        help="What is changed. A radius counts as the one it was born with; an age of 0 begins its life anew.",
    )  # fmt: skip
    value: Value = dial(
        "×", 1.0, label="times", soft=(0.0, 2.0), low=0.0, high=1e6, drivable=True,
        help="0 forgets what it had, 1 keeps it, 0.5 halves it.",
    )  # fmt: skip
    plus: Value = dial(
        "", 0.0, label="plus", soft=(-100.0, 1000.0), low=-1e6, high=1e6, drivable=True,
        help="Added then, in the attribute's own unit: metres, kilograms, °C, seconds.",
    )  # fmt: skip


class Shed(Clause):
    kind: Literal["shed"] = "shed"
    title: ClassVar[str] = "gives off"
    phrase: ClassVar[str] = "{offshoot}"
    offshoot: Ref = refer(
        "offshoot", label="offshoot", kinds=("offshoot", "drip"),
        help="An offshoot that waits for a cue, or liquid that comes off.",
    )  # fmt: skip


SUPPLIES = ("source", "offshoot", "fume", "puff", "drain", "spout", "outlet", "gas", "drip", "rain")
FORCES = tuple(cls.model_fields["kind"].default for cls in get_args(Force))
_RUNS = "A source, an offshoot or a force. One that a cue starts waits for it."


class Start(Clause):
    kind: Literal["start"] = "start"
    title: ClassVar[str] = "starts"
    phrase: ClassVar[str] = "{row}"
    row: Ref = refer("source or force", label="row", help=_RUNS, kinds=(*SUPPLIES, *FORCES))


class Stop(Clause):
    kind: Literal["stop"] = "stop"
    title: ClassVar[str] = "stops"
    phrase: ClassVar[str] = "{row}"
    row: Ref = refer("source or force", label="row", help=_RUNS, kinds=(*SUPPLIES, *FORCES))


class Swap(Clause):
    kind: Literal["swap"] = "swap"
    title: ClassVar[str] = "changes"
    phrase: ClassVar[str] = "{prop} for {by}"
    prop: Ref = refer("prop", label="prop", help="The prop that is gone from then on.")
    by: Ref = refer("prop", label="by", help="The prop that is there from then on, and not before.")

    def complaints(self) -> Iterator[tuple[str, str]]:
        if self.prop == self.by:
            yield "by", "A prop cannot take its own place. Accepted: another prop."


class Nothing(Clause):
    kind: Literal["nothing"] = "nothing"
    title: ClassVar[str] = "nothing more"
    phrase: ClassVar[str] = ""


Action = Enter | Remove | Pin | Unpin | Part | Harden | Kick | Spin | Become | Shed | Start | Stop | Swap
Further = Nothing | Action
GLOBAL = (Start, Stop, Swap)  # what happens to the shot, not to one particle
