"""Cues: when something happens, to whom, then what."""

import re
from collections.abc import Iterator
from typing import ClassVar, Literal, TypeVar

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.actions import Action, Enter, Further, Nothing, Remove
from hotgravel.core.shot.conditions import Condition, Slower
from hotgravel.core.shot.dials import choice, clause, dial, refer, whom
from hotgravel.core.shot.row import Ref, Row, pieces
from hotgravel.core.shot.units import Dress

A = TypeVar("A")


class Cue(Row):
    kind: Literal["cue"] = "cue"
    section: ClassVar[str] = "cues"
    title: ClassVar[str] = "cue"
    does: ClassVar[str] = "Makes something happen when something else does, and keeps the record of why."
    phrase: ClassVar[str] = "When one of {whom} {when}, it {then}."
    whom: Ref | None = whom()
    when: Condition = clause(label="when", help="What sets it off.", default=Slower)
    then: Action = clause(label="then", help="What happens.", default=Remove)
    second: Further = clause(label="and then", help="What happens next, at the same moment.", default=Nothing)
    third: Further = clause(label="and last", help="What happens after that, at the same moment.", default=Nothing)
    source: Ref | None = refer(
        "source", label="source", none="any source",
        kinds=("source", "offshoot", "rigid", "cloth", "jelly", "balloon", "front", "fill", "spout", "drip", "froth",
               "slosh", "water", "wetness"),
        help="Only those that came of this row.",
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
        more = [name for name, _ in self.acts() if name != "then"]
        said += "".join(f"{' and' if name == more[-1] else ','} {{{name}}}" for name in more)
        said += " for {frames} frames" if self.frames is not None else ""
        said += ", with a chance of {chance}" if self.chance != 1.0 else ""
        return said + (", {again}." if self.again == "each" else ".")

    def acts(self) -> list[tuple[str, Action]]:
        """Field and clause of all that it does, in order."""
        found = [(name, getattr(self, name)) for name in ("then", "second", "third")]
        return [(name, act) for name, act in found if not isinstance(act, Nothing)]

    def doing(self, kind: type[A]) -> Iterator[A]:
        """Those of its actions that are of a kind."""
        return (act for _, act in self.acts() if isinstance(act, kind))

    @property
    def enters(self) -> str | None:
        """The state that it lets enter, if any."""
        return next((act.state for act in self.doing(Enter)), None)

    @property
    def removes(self) -> bool:
        return any(self.doing(Remove))

    def idle(self) -> frozenset[str]:
        idle = isinstance(self.second, Nothing) and isinstance(self.third, Nothing)
        return frozenset({"third"} if idle else ())

    def called(self, dress: Dress, names: dict[str, str]) -> str:
        who = names.get(self.whom or "", "any")
        when = self.when.naming or f"{self.when.title} {self.when.wording()}"
        said = "".join(p if isinstance(p, str) else p.text for p in pieces(self.when, dress, names, phrase=when))
        return f"{who} {re.sub('^(gets|has|is|comes) ', '', said).split(', ')[0]}".strip()

    def complaints(self) -> Iterator[tuple[str, str]]:
        acts = self.acts()
        if self.frames is not None and self.removes:
            yield "frames", "What is removed does not come back. Accepted: good."
        if any(isinstance(act, Remove) for _, act in acts[:-1]):
            yield acts[-1][0], "What is removed can do nothing more. Accepted: nothing more."
        if len(list(self.doing(Enter))) > 1:
            yield acts[-1][0], "It enters one state at a time. Accepted: another action, or nothing more."
