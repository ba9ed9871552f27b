"""Copies of a prop: the prop itself, or many of it beside and upon one another."""

from collections.abc import Iterator
from typing import ClassVar, Literal

from hotgravel.core.shot.dials import choice, dial, seed
from hotgravel.core.shot.row import Clause

MOST_COPIES = 20_000


class Itself(Clause):
    kind: Literal["itself"] = "itself"
    title: ClassVar[str] = "as it stands"
    phrase: ClassVar[str] = ""

    @property
    def number(self) -> int:
        """How many there are from the start."""
        return 1


class Many(Clause):
    """What all copies state: how they differ."""

    size_spread: float = dial(
        "%", 0.0, label="size spread", soft=(0.0, 0.5), low=0.0, high=0.9,
        help="Each copy's size differs by up to this share, either way.",
    )  # fmt: skip
    turn: Literal["alike", "upright", "any"] = choice(
        {"alike": "all alike", "upright": "turned about the upright", "any": "turned any way"}, "alike", label="turned",
        help="How they stand: as the prop does, turned by chance about the upright, or any way.",
    )  # fmt: skip
    seed: int = seed()


class Stacked(Many):
    kind: Literal["stacked"] = "stacked"
    title: ClassVar[str] = "stacked"
    phrase: ClassVar[str] = "{across} across, {up} up and {deep} deep, {gap} apart"
    across: int = dial("count", 3, label="across", soft=(1, 20), low=1, high=500, whole=True, help="Along x.")
    up: int = dial("count", 3, label="up", soft=(1, 20), low=1, high=500, whole=True, help="One upon another.")
    deep: int = dial("count", 1, label="deep", soft=(1, 20), low=1, high=500, whole=True, help="Along z.")
    gap: float = dial(
        "m", 0.0, label="gap", soft=(0.0, 0.5), low=0.0, high=1e4,
        help="From one to the next, beside the width of its box. 0 lets them touch.",
    )  # fmt: skip

    @property
    def number(self) -> int:
        """How many there are from the start."""
        return self.across * self.up * self.deep

    def complaints(self) -> Iterator[tuple[str, str]]:
        if self.number > MOST_COPIES:
            yield "across", f"That is {self.number:,} copies. Accepted: {MOST_COPIES:,} in all.".replace(",", " ")
