"""Forces: what pushes and slows particles, all of them or those in one state."""

from collections.abc import Iterator
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value, Vector
from hotgravel.core.shot.fields import dial, dials, whom
from hotgravel.core.shot.row import Ref, Row, points_nowhere


class Gravity(Row):
    kind: Literal["gravity"] = "gravity"
    section: ClassVar[str] = "forces"
    title: ClassVar[str] = "gravity"
    does: ClassVar[str] = "Pulls everything alike, whatever its size."
    phrase: ClassVar[str] = "Gravity of {strength} pulls {whom} along {direction}."
    whom: Ref | None = whom()
    strength: Value = dial(
        "m/s²", 9.81, label="strength", soft=(0.0, 20.0), low=0.0, high=1e5, drivable=True,
        help="9.81 is the ground we stand on. Less makes things look larger and slower.",
    )  # fmt: skip
    direction: Vector = dials(
        "", (0.0, -1.0, 0.0), label="direction", soft=(-1.0, 1.0), low=-1e6, high=1e6, drivable=True,
        help="Only where it points matters, not how long it is. 0, -1, 0 is down.",
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("direction", self.direction)


class LinearDrag(Row):
    kind: Literal["linear_drag"] = "linear_drag"
    section: ClassVar[str] = "forces"
    title: ClassVar[str] = "soft drag"
    does: ClassVar[str] = "Takes the same share of the speed each second: smoke-like, never quite stopping."
    phrase: ClassVar[str] = "Soft drag of {rate} slows {whom}."
    whom: Ref | None = whom()
    rate: Value = dial(
        "/s", 1.0, label="rate", soft=(0.1, 5.0), low=0.0, high=1e4, drivable=True,
        help="At 1 /s a particle keeps 37 % of its speed after a second, at 2 /s 14 %.",
    )  # fmt: skip


class QuadraticDrag(Row):
    kind: Literal["quadratic_drag"] = "quadratic_drag"
    section: ClassVar[str] = "forces"
    title: ClassVar[str] = "air drag"
    does: ClassVar[str] = "Bites hard while things are fast and lets go when they are slow, as air does."
    phrase: ClassVar[str] = "Air drag of {strength} slows {whom}, the more the faster they are."
    whom: Ref | None = whom()
    strength: Value = dial(
        "/m", 0.2, label="strength", soft=(0.01, 2.0), low=0.0, high=1e4, drivable=True,
        help="Share of the speed lost for each metre flown: 0.2 /m loses about a fifth a metre. "
        "Light flakes have more, stones less.",
    )  # fmt: skip


class Wind(Row):
    kind: Literal["wind"] = "wind"
    section: ClassVar[str] = "forces"
    title: ClassVar[str] = "wind"
    does: ClassVar[str] = "Carries particles along; they never get faster than the wind itself."
    phrase: ClassVar[str] = "Wind of {speed} along {direction} takes hold of {whom} at {grip}."
    whom: Ref | None = whom()
    speed: Value = dial(
        "m/s", 3.0, label="speed", soft=(0.0, 20.0), low=0.0, high=1e4, drivable=True,
        help="How fast the air moves.",
    )  # fmt: skip
    direction: Vector = dials(
        "", (1.0, 0.0, 0.0), label="direction", soft=(-1.0, 1.0), low=-1e6, high=1e6, drivable=True,
        help="Where the wind blows to. Only where it points matters, not how long it is.",
    )  # fmt: skip
    grip: Value = dial(
        "/s", 0.8, label="grip", soft=(0.05, 5.0), low=0.0, high=1e4, drivable=True,
        help="How quickly particles take up the wind's speed: at 1 /s 63 % of it within a second.",
    )  # fmt: skip

    def complaints(self) -> Iterator[tuple[str, str]]:
        yield from points_nowhere("direction", self.direction)


Force = Gravity | LinearDrag | QuadraticDrag | Wind
