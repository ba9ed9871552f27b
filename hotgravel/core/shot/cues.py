"""Cues: when something happens, to whom, then what."""

from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.fields import clause, dial, refer, whom
from hotgravel.core.shot.row import Clause, Ref, Row


def _speed(help: str) -> Value:
    return dial(  # type: ignore[no-any-return]
        "m/s", 3.0, label="threshold", soft=(0.1, 20.0), low=0.0, high=1e6, drivable=True, help=help
    )


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


class Touches(Clause):
    kind: Literal["touches"] = "touches"
    title: ClassVar[str] = "first touches"
    phrase: ClassVar[str] = "{prop}"
    prop: Ref | None = refer("prop", label="prop", none="any prop", help="It must be one they collide with.")


class Inside(Clause):
    kind: Literal["inside"] = "inside"
    title: ClassVar[str] = "is inside"
    phrase: ClassVar[str] = "{zone}, where it weighs over {weight}"
    zone: Ref = refer("zone", label="zone", help="The zone; it may sweep over particles that stand still.")
    weight: Value = dial(
        "%", 0.5, label="weight", soft=(0.1, 0.9), low=0.0, high=1.0, drivable=True,
        help="How deep in its soft edge: 10 % is at its outside, 90 % well within.",
    )  # fmt: skip


class AtFrame(Clause):
    kind: Literal["at_frame"] = "at_frame"
    title: ClassVar[str] = "reaches frame"
    phrase: ClassVar[str] = "{frame}"
    frame: int = dial(
        "frame", 24, label="frame", soft=(1, 120), low=-100_000, high=1_000_000, whole=True,
        help="All that exist at this frame, at the same moment.",
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


Condition = Slower | Faster | Older | Touches | Inside | AtFrame
Action = Enter | Remove


class Cue(Row):
    kind: Literal["cue"] = "cue"
    section: ClassVar[str] = "cues"
    title: ClassVar[str] = "cue"
    does: ClassVar[str] = "Makes something happen to particles, once for each, and keeps the record of why."
    phrase: ClassVar[str] = "When one of {whom} {when}, it {then}."
    whom: Ref | None = whom()
    when: Condition = clause(label="when", help="What sets it off.", default=Slower)
    then: Action = clause(label="then", help="What happens.", default=Remove)
