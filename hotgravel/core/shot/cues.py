"""Cues: when something happens, to whom, then what."""

from collections.abc import Iterator
from typing import ClassVar, Literal, get_args

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.fields import choice, clause, dial, refer, whom
from hotgravel.core.shot.forces import Force
from hotgravel.core.shot.row import Clause, Ref, Row
from hotgravel.core.shot.sources import Anywhere, Onward, Toward


def _speed(help: str) -> Value:
    return dial(  # type: ignore[no-any-return]
        "m/s", 3.0, label="threshold", soft=(0.1, 20.0), low=0.0, high=1e6, drivable=True, help=help
    )


def _weight() -> Value:
    return dial(  # type: ignore[no-any-return]
        "%", 0.5, label="weight", soft=(0.1, 0.9), low=0.0, high=1.0, drivable=True,
        help="How deep in its soft edge: 10 % is at its outside, 90 % well within.",
    )  # fmt: skip


def _hot(help: str) -> Value:
    return dial(  # type: ignore[no-any-return]
        "°C", 200.0, label="threshold", soft=(0.0, 1200.0), low=-273.15, high=1e6, drivable=True, help=help
    )


def _zone() -> Ref:
    return refer("zone", label="zone", help="The zone; it may sweep over particles that stand still.")  # type: ignore[no-any-return]


class Slower(Clause):
    kind: Literal["slower"] = "slower"
    title: ClassVar[str] = "gets slower than"
    phrase: ClassVar[str] = "{speed}"
    speed: Value = _speed("A higher threshold is reached sooner.")


class Faster(Clause):
    kind: Literal["faster"] = "faster"
    title: ClassVar[str] = "gets faster than"
    phrase: ClassVar[str] = "{speed}"
    speed: Value = _speed("A lower threshold is reached sooner.")


class Older(Clause):
    kind: Literal["older"] = "older"
    title: ClassVar[str] = "gets older than"
    phrase: ClassVar[str] = "{age}"
    age: Value = dial(
        "s", 1.0, label="age", soft=(0.1, 10.0), low=0.0, high=1e6, drivable=True,
        help="Counted from the moment each one left its source.",
    )  # fmt: skip


class Travelled(Clause):
    kind: Literal["travelled"] = "travelled"
    title: ClassVar[str] = "has travelled more than"
    phrase: ClassVar[str] = "{distance}"
    distance: Value = dial(
        "m", 2.0, label="distance", soft=(0.1, 20.0), low=0.0, high=1e6, drivable=True,
        help="Along its way since it was born.",
    )  # fmt: skip


class Hotter(Clause):
    kind: Literal["hotter"] = "hotter"
    title: ClassVar[str] = "is hotter than"
    phrase: ClassVar[str] = "{temperature}"
    temperature: Value = _hot("A lower threshold is reached sooner.")


class Cooler(Clause):
    kind: Literal["cooler"] = "cooler"
    title: ClassVar[str] = "is cooler than"
    phrase: ClassVar[str] = "{temperature}"
    temperature: Value = _hot("A higher threshold is reached sooner.")


class Touches(Clause):
    kind: Literal["touches"] = "touches"
    title: ClassVar[str] = "touches"
    phrase: ClassVar[str] = "{prop}, harder than {speed}"
    prop: Ref | None = refer("prop", label="prop", none="any prop", help="It must be one they collide with.")
    speed: Value = dial(
        "m/s", 0.0, label="threshold", soft=(0.0, 10.0), low=0.0, high=1e6, drivable=True,
        help="Only what comes in faster than this, straight on, counts. 0 takes every touch.",
    )  # fmt: skip


class Nearer(Clause):
    kind: Literal["nearer"] = "nearer"
    title: ClassVar[str] = "comes nearer than"
    phrase: ClassVar[str] = "{distance} to {prop}"
    distance: Value = dial(
        "m", 0.5, label="distance", soft=(0.05, 5.0), low=0.0, high=1e6, drivable=True,
        help="From its middle to the surface of the prop; inside the prop counts as nearer.",
    )  # fmt: skip
    prop: Ref = refer("prop", label="prop", help="It may move; it need not be one they collide with.")


class Inside(Clause):
    kind: Literal["inside"] = "inside"
    title: ClassVar[str] = "is inside"
    phrase: ClassVar[str] = "{zone}, where it weighs over {weight}"
    zone: Ref = _zone()
    weight: Value = _weight()


class Enters(Clause):
    kind: Literal["enters"] = "enters"
    title: ClassVar[str] = "comes into"
    phrase: ClassVar[str] = "{zone}, where it weighs over {weight}"
    zone: Ref = _zone()
    weight: Value = _weight()


class Leaves(Clause):
    kind: Literal["leaves"] = "leaves"
    title: ClassVar[str] = "leaves"
    phrase: ClassVar[str] = "{zone}, where it weighs over {weight}"
    zone: Ref = _zone()
    weight: Value = _weight()


class AtFrame(Clause):
    kind: Literal["at_frame"] = "at_frame"
    title: ClassVar[str] = "reaches frame"
    phrase: ClassVar[str] = "{frame}"
    frame: int = dial(
        "frame", 24, label="frame", soft=(1, 120), low=-100_000, high=1_000_000, whole=True,
        help="All that exist at this frame, at the same moment.",
    )  # fmt: skip


class Every(Clause):
    kind: Literal["every"] = "every"
    title: ClassVar[str] = "is there, every so many frames,"
    phrase: ClassVar[str] = "every {frames} from frame {start}"
    frames: int = dial(
        "count", 12, label="frames", soft=(1, 48), low=1, high=100_000, whole=True,
        help="From one time to the next. Each is taken once, unless the cue goes again each time.",
    )  # fmt: skip
    start: int = dial(
        "frame", 1, label="start", soft=(1, 120), low=-100_000, high=1_000_000, whole=True,
        help="The first time.",
    )  # fmt: skip


class After(Clause):
    kind: Literal["after"] = "after"
    title: ClassVar[str] = "sees a cue fire:"
    phrase: ClassVar[str] = "{cue}, on {whose}"
    cue: Ref = refer("cue", label="cue", help="The cue that must have fired. A chain of them may not lead back here.")
    whose: Literal["it", "any"] = choice(
        {"it": "itself", "any": "any of them"}, "it", label="on", help="On the very same particle, or on any."
    )


class ShareIn(Clause):
    kind: Literal["share_in"] = "share_in"
    title: ClassVar[str] = "is there when over"
    phrase: ClassVar[str] = "{share} of all are in {state}"
    share: Value = dial(
        "%", 0.5, label="share", soft=(0.1, 0.9), low=0.0, high=1.0, drivable=True,
        help="Of all particles there are. A lower share is reached sooner.",
    )  # fmt: skip
    state: Ref = refer("state", label="state", help="The state that is counted.")


class Reads(Clause):
    kind: Literal["reads"] = "reads"
    title: ClassVar[str] = "has a number,"
    phrase: ClassVar[str] = "{value}, over {over}"
    value: Value = dial(
        "", 0.0, label="value", soft=(0.0, 1.0), low=-1e9, high=1e9, drivable=True, each=True,
        help="Any number of each one: make it a formula or a response.",
    )  # fmt: skip
    over: Value = dial(
        "", 0.5, label="over", soft=(0.0, 1.0), low=-1e9, high=1e9, drivable=True,
        help="A lower threshold is passed sooner.",
    )  # fmt: skip


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
        "m/s", 3.0, label="kick", soft=(0.1, 20.0), low=0.0, high=1e5, drivable=True,
        help="Added to its velocity. For so many frames only: once in each of them.",
    )  # fmt: skip
    aim: Toward | Anywhere | Onward | Away = clause(label="aim", help="Which way.", default=Toward)


class Become(Clause):
    kind: Literal["become"] = "become"
    title: ClassVar[str] = "is given"
    phrase: ClassVar[str] = "the {attribute} {value} times what it has, plus {plus}"
    attribute: Literal["radius", "mass", "temperature", "life"] = choice(
        {"radius": "radius", "mass": "mass", "temperature": "temperature", "life": "life"}, "temperature",
        label="attribute", help="What is changed. A radius counts as the one it was born with.",
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
    offshoot: Ref = refer("offshoot", label="offshoot", help="An offshoot that waits for a cue.")


FORCES = tuple(cls.model_fields["kind"].default for cls in get_args(Force))
_RUNS = "A source, an offshoot or a force. One that a cue starts waits for it."


class Start(Clause):
    kind: Literal["start"] = "start"
    title: ClassVar[str] = "starts"
    phrase: ClassVar[str] = "{row}"
    row: Ref = refer("source or force", label="row", help=_RUNS, kinds=("source", "offshoot", *FORCES))


class Stop(Clause):
    kind: Literal["stop"] = "stop"
    title: ClassVar[str] = "stops"
    phrase: ClassVar[str] = "{row}"
    row: Ref = refer("source or force", label="row", help=_RUNS, kinds=("source", "offshoot", *FORCES))


class Swap(Clause):
    kind: Literal["swap"] = "swap"
    title: ClassVar[str] = "changes"
    phrase: ClassVar[str] = "{prop} for {by}"
    prop: Ref = refer("prop", label="prop", help="The prop that is gone from then on.")
    by: Ref = refer("prop", label="by", help="The prop that is there from then on, and not before.")

    def complaints(self) -> Iterator[tuple[str, str]]:
        if self.prop == self.by:
            yield "by", "A prop cannot take its own place. Accepted: another prop."


Condition = (
    Slower | Faster | Older | Travelled | Hotter | Cooler | Touches | Nearer | Inside | Enters | Leaves | AtFrame
    | Every | After | ShareIn | Reads
)  # fmt: skip
Action = Enter | Remove | Pin | Unpin | Kick | Become | Shed | Start | Stop | Swap
GLOBAL = (Start, Stop, Swap)  # what happens to the shot, not to one particle
MOMENTARY = (AtFrame, Every, ShareIn)  # conditions that need no particle


class Cue(Row):
    kind: Literal["cue"] = "cue"
    section: ClassVar[str] = "cues"
    title: ClassVar[str] = "cue"
    does: ClassVar[str] = "Makes something happen when something else does, and keeps the record of why."
    phrase: ClassVar[str] = "When one of {whom} {when}, it {then}."
    whom: Ref | None = whom()
    when: Condition = clause(label="when", help="What sets it off.", default=Slower)
    then: Action = clause(label="then", help="What happens.", default=Remove)
    source: Ref | None = refer(
        "source", label="source", none="any source", kinds=("source", "offshoot"),
        help="Only those that left this source.",
    )  # fmt: skip
    within: Ref | None = refer("zone", label="within", none="anywhere", help="Only those in this zone at the moment.")
    chance: Value = dial(
        "%", 1.0, label="chance", soft=(0.1, 1.0), low=0.0, high=1.0, drivable=True,
        help="How likely it happens to each. 30 % leaves seven of ten as they were.",
    )  # fmt: skip
    delay: Value = dial(
        "s", 0.0, label="delay", soft=(0.0, 3.0), low=0.0, high=1e5, drivable=True,
        help="From what sets it off to what happens.",
    )  # fmt: skip
    again: Literal["once", "each"] = choice(
        {"once": "once for each", "each": "each time"}, "once", label="again",
        help="Once for each particle, or whenever it comes true again.",
    )  # fmt: skip
    frames: int | None = dial(
        "count", None, label="for frames", soft=(1, 24), low=1, high=100_000, whole=True, none="good",
        help="For so many frames only; then what it did is taken back. A kick and what is given off come again "
        "in each of them.",
    )  # fmt: skip

    def wording(self) -> str:
        said = (
            "When one of {whom}" + (" from {source}" if self.source else "") + (" in {within}" if self.within else "")
        )
        said += " {when}, " + ("{delay} later " if self.delay != 0.0 else "") + "it {then}"
        said += " for {frames} frames" if self.frames is not None else ""
        said += ", with a chance of {chance}" if self.chance != 1.0 else ""
        return said + (", {again}." if self.again == "each" else ".")

    def complaints(self) -> Iterator[tuple[str, str]]:
        if self.frames is not None and isinstance(self.then, Remove):
            yield "frames", "What is removed does not come back. Accepted: good."
