"""Posing: held pieces are shifted, turned and sized without any dynamics, by numbers that may differ between them."""

from collections.abc import Iterator
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.dials import clause, dial, dials, refer
from hotgravel.core.shot.row import Clause, Ref, Row, points_nowhere


class Along(Clause):
    kind: Literal["along"] = "along"
    title: ClassVar[str] = "along"
    phrase: ClassVar[str] = "{direction}"
    direction: tuple[float, float, float] = dials(
        "", (0.0, 1.0, 0.0), label="direction", soft=(-1.0, 1.0), low=-1e6, high=1e6,
        help="Only where it points matters, not how long it is.",
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("direction", self.direction)


class Outward(Clause):
    kind: Literal["outward_from"] = "outward_from"
    title: ClassVar[str] = "outward from"
    phrase: ClassVar[str] = "the line through {through} along {axis}"
    through: tuple[float, float, float] = dials(
        "m", (0.0, 0.0, 0.0), label="through", soft=(-5.0, 5.0), low=-1e6, high=1e6, help="A place on the line."
    )
    axis: tuple[float, float, float] = dials(
        "", (0.0, 1.0, 0.0), label="axis", soft=(-1.0, 1.0), low=-1e6, high=1e6,
        help="Where the line points. Each piece goes straight away from it.",
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("axis", self.axis)


class OffProp(Clause):
    kind: Literal["off_prop"] = "off_prop"
    title: ClassVar[str] = "away from"
    phrase: ClassVar[str] = "{prop}"
    prop: Ref = refer("prop", label="prop", help="Straight off the nearest point of its surface, as it passes.")


class Posed(Row):
    kind: Literal["posed"] = "posed"
    section: ClassVar[str] = "matter"
    asks: ClassVar[str | None] = "rigid"
    title: ClassVar[str] = "posing"
    naming: ClassVar[str] = "posing of {prop}"
    does: ClassVar[str] = "Shifts, turns and sizes pieces and bodies while they are held, without any dynamics."
    phrase: ClassVar[str] = "While held, the pieces of {prop} are shifted by {shift} {way}."
    prop: Ref = refer("prop", label="prop", solid=True, help="A prop that is rigid, and begins held.")
    shift: Value = dial(
        "m", 0.1, label="shift", soft=(-1.0, 1.0), low=-1e5, high=1e5, drivable=True, each=True,
        help="From where each stood at first. Over the distance to a prop that passes, they open and close about it.",
    )  # fmt: skip
    way: Along | Outward | OffProp = clause(label="way", help="Which way they are shifted.", default=Along)
    turn: Value = dial(
        "°", 0.0, label="turn", soft=(-180.0, 180.0), low=-1e6, high=1e6, drivable=True, each=True,
        help="About their own middles, from how each stood at first.",
    )  # fmt: skip
    axis: tuple[float, float, float] = dials(
        "", (0.0, 1.0, 0.0), label="turned about", soft=(-1.0, 1.0), low=-1e6, high=1e6,
        help="Only where it points matters.",
    )  # fmt: skip
    size: Value = dial(
        "×", 1.0, label="size", soft=(0.1, 1.5), low=0.01, high=100.0, drivable=True, each=True,
        help="Times their size at first, about their own middles. They weigh what their size says.",
    )  # fmt: skip
    within: Ref | None = refer(
        "zone", label="within", none="anywhere", help="Only those that stood in it at first; others are left out."
    )

    def wording(self) -> str:
        said = self.phrase[:-1] + (", turned by {turn} about {axis}" if self.turn != 0.0 else "")
        said += ", {size} as large" if self.size != 1.0 else ""
        return said + (", those in {within} alone." if self.within else ".")

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("axis", self.axis)
