"""A number that differs inside and outside a zone, by the zone's weight."""

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any, ClassVar, Literal

from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.drive.driver import Driver, answer
from hotgravel.core.drive.signals import of
from hotgravel.core.shot.dials import refer
from hotgravel.core.shot.row import Ref

if TYPE_CHECKING:
    from hotgravel.core.drive.value import Value


class Within(Driver):
    kind: Literal["within"] = "within"
    title: ClassVar[str] = "by zone,"
    does: ClassVar[str] = "One value inside a zone and another outside, passing over along its soft edge."
    phrase: ClassVar[str] = "{inside} inside {zone}, {outside} outside"
    zone: Ref = refer("zone", label="zone", help="The zone.")
    inside: "Value" = of("inside", "The value where the zone's weight is 1.", 1.0)
    outside: "Value" = of("outside", "The value where its weight is 0.", 0.0)

    @property
    def by_element(self) -> bool:
        return True

    def brief(self, names: Mapping[str, str]) -> str:
        return f"by {names.get(self.zone, 'zone')}"

    def inner(self) -> Iterator[Any]:
        yield self.inside
        yield self.outside

    def answer(self, ask: Ask) -> Array:
        weight = ask.read("weight in", self.zone)
        inside, outside = answer(self.inside, ask), answer(self.outside, ask)
        result: Array = outside + (inside - outside) * weight
        return result
