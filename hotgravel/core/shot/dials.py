"""What a row can hold, described once: the form, the sentence, the schema and the checks read it.

A row class states its dials with `dial`, `dials`, `choice`, `refer`, `refers`, `words`,
`colour` and `clause`. Each leaves a description in the dial's metadata, which `dials_of`
reads back.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any, get_args

from pydantic import BaseModel, Field, GetCoreSchemaHandler
from pydantic_core import core_schema

from hotgravel.core.shot.units import Dress, show_quantity

PLAIN = Dress()
SMALLEST = 1e-6  # metres: a shorter length is a slip


@dataclass(frozen=True, kw_only=True)
class Described:
    """What every kind of dial has: a label, and a line that says what turning it does."""

    label: str
    help: str


@dataclass(frozen=True, kw_only=True)
class Quantity(Described):
    """A number with a unit.

    `low` and `high` are hard bounds (outside is an error), `soft` the usual range, `above`
    an open lower bound. `three` marks a vector; `none` is the word for "no number" where
    that is allowed. A `drivable` number may vary over time, one with `each` also from one
    particle to the next.
    """

    unit: str
    default: Any
    soft: tuple[float, float]
    low: float | None = None
    high: float | None = None
    above: float | None = None
    whole: bool = False
    drivable: bool = False
    each: bool = False
    three: bool = False
    none: str | None = None

    def complaint(self, number: float, dress: Dress = PLAIN) -> str | None:
        """Why this number is not accepted, as a sentence; None if it is."""
        if self.whole and number != int(number):
            return f"{show_quantity(number, self.unit, dress)} is not a whole number. {self.accepted(dress)}"
        too_low = (self.low is not None and number < self.low) or (self.above is not None and number <= self.above)
        too_high = self.high is not None and number > self.high
        if self.unit == "m" and 0.0 in (self.low, self.above) and 0.0 < number < SMALLEST:
            none = "0, or " if self.low == 0.0 else ""
            return f"{number:.3g} m is smaller than a micrometre. Accepted: {none}0.000001 m or more."
        if too_low or too_high:
            reach = "low" if too_low else "high"
            return f"{show_quantity(number, self.unit, dress)} is too {reach}. {self.accepted(dress)}"
        return None

    def accepted(self, dress: Dress = PLAIN) -> str:
        """What would be accepted, as a sentence."""

        def show(number: float) -> str:
            return show_quantity(number, self.unit, dress)

        kind = "a whole number" if self.whole else "a number"
        parts = []
        if self.above is not None:
            parts.append(f"above {show(self.above)}")
        elif self.low is not None:
            parts.append(f"from {show(self.low)}")
        if self.high is not None:
            parts.append(f"up to {show(self.high)}")
        none = f', or "{self.none}"' if self.none else ""
        return f"Accepted: {kind}{' ' if parts else ''}{' '.join(parts)}{none}."

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> Any:
        return core_schema.no_info_after_validator_function(self._bounded, handler(source))

    def _bounded(self, value: Any) -> Any:
        parts = value if self.three else (value,)
        for part in parts:
            if part is None:
                continue
            driven = isinstance(part, BaseModel)
            if driven and not self.drivable:
                raise ValueError(f"{self.label} takes one number and cannot be driven. {self.accepted()}")
            if driven and not self.each and part.by_element:
                raise ValueError(f"{self.label} can vary over time, but not from one particle to the next.")
            for number in part.stated() if driven else [float(part)]:
                complaint = self.complaint(number)
                if complaint:
                    raise ValueError(complaint)
        return value


@dataclass(frozen=True, kw_only=True)
class Choice(Described):
    """One of a few words. `words` maps what is stored to how the sentence says it."""

    words: Mapping[str, str]
    default: str


@dataclass(frozen=True, kw_only=True)
class Refer(Described):
    """The id of another row of kind `to`, or of one of `kinds` that `to` is a word for; `none` is the
    word where none may be named.

    `manner` stands before the name in a sentence: "those in" falling. `solid`: a new row takes a shape with a volume
    before a sheet.
    """

    to: str
    none: str | None = None
    many: bool = False
    manner: str = ""
    solid: bool = False
    kinds: tuple[str, ...] = ()

    def fits(self, kind: str | None) -> bool:
        """Whether a row of this kind may be named."""
        return kind in (self.kinds or (self.to,))


@dataclass(frozen=True, kw_only=True)
class Words(Described):
    """A name; `none` is the word for none where it may be left out."""

    longest: int = 60
    none: str | None = None


@dataclass(frozen=True, kw_only=True)
class Colour(Described):
    """A colour as #rrggbb."""

    default: str


@dataclass(frozen=True, kw_only=True)
class Palette(Described):
    """Swatches: colours as #rrggbb with weights."""


@dataclass(frozen=True, kw_only=True)
class FileName(Described):
    """The name of a file that is kept beside the shot."""


@dataclass(frozen=True, kw_only=True)
class Pick(Described):
    """A clause within the sentence, one of several kinds, each with dials of its own."""


def _described(description: Any, **more: Any) -> Any:
    info: Any = Field(description=description.help, **more)
    info.metadata.append(description)
    return info


def dial(unit: str, default: Any, *, label: str, help: str, soft: tuple[float, float], **more: Any) -> Any:
    """A number (`Value` where `drivable=True`)."""
    return _described(
        Quantity(unit=unit, default=default, label=label, help=help, soft=soft, **more),
        default=default,
        validate_default=True,
        json_schema_extra={"unit": unit, "usual": list(soft)},
    )


def dials(unit: str, default: Any, *, label: str, help: str, soft: tuple[float, float], **more: Any) -> Any:
    """Three numbers: x, y, z."""
    return dial(unit, default, label=label, help=help, soft=soft, three=True, **more)


def seed() -> Any:
    """The number that chance goes by."""
    return dial(
        "count", 1, label="seed", soft=(1, 100), low=0, high=2**32 - 1, whole=True,
        help="Another number is another throw of the dice with the same dials.",
    )  # fmt: skip


def first_frame(help: str = "From this frame on.") -> Any:
    """The frame from which a row does what it says."""
    return dial("frame", 1, label="start", soft=(1, 120), low=-100_000, high=1_000_000, whole=True, help=help)


def last_frame(frame: int = 120, help: str = "The last frame during which it comes.") -> Any:
    """The last frame in which a row does what it says."""
    return dial("frame", frame, label="end", soft=(1, 240), low=-100_000, high=1_000_000, whole=True, help=help)


def choice(words: Mapping[str, str], default: str, *, label: str, help: str, **more: Any) -> Any:
    """One of the words of a Literal."""
    return _described(Choice(words=words, default=default, label=label, help=help, **more), default=default)


def refer(to: str, *, label: str, help: str, none: str | None = None, **more: Any) -> Any:
    """A reference to one row; optional where `none` is given."""
    description = Refer(to=to, label=label, help=help, none=none, **more)
    return _described(description, default=None) if none else _described(description)


def refers(to: str, *, label: str, help: str) -> Any:
    """References to at least one row."""
    return _described(Refer(to=to, label=label, help=help, many=True), min_length=1, max_length=200)


def whom(everyone: str = "all") -> Any:
    """What a row concerns: all, of whatever matter, or those in one state."""
    return refer(
        "state", label="whom", none=everyone, manner="those in ",
        help=f"{everyone.capitalize()}, or only those in one state.",
    )  # fmt: skip


def words(*, label: str, help: str, longest: int = 60, none: str | None = None) -> Any:
    """A name; optional where `none` is given."""
    description = Words(label=label, help=help, longest=longest, none=none)
    more = {"default": None} if none else {}
    return _described(description, min_length=1, max_length=longest, **more)


FILE = r"^[A-Za-z0-9][A-Za-z0-9 ._-]{0,119}$"


def file_name(*, label: str, help: str) -> Any:
    """A plain file name: no folder, no leading dot."""
    return _described(FileName(label=label, help=help), pattern=FILE)


def own_file(*, label: str, help: str) -> Any:
    """A plain file name, or none."""
    return _described(FileName(label=label, help=help), default=None, pattern=FILE)


def colour(default: str, *, label: str, help: str) -> Any:
    """A colour as #rrggbb."""
    description = Colour(default=default, label=label, help=help)
    return _described(description, default=default, pattern=r"^#[0-9A-Fa-f]{6}$")


def palette(default: Any, *, label: str, help: str) -> Any:
    """A few colours with weights: ((#rrggbb, weight), ...)."""
    return _described(Palette(label=label, help=help), default=default, min_length=1, max_length=32)


def clause(*, label: str, help: str, default: Any = None) -> Any:
    """A nested clause: a union of `Clause` classes, told apart by `kind`."""
    description = Pick(label=label, help=help)
    return _described(description, discriminator="kind", default_factory=default, validate_default=False)


@cache
def dials_of(cls: type[BaseModel]) -> dict[str, Described]:
    """Name to description of all dials of a clause, in the order they were written."""
    found: dict[str, Described] = {}
    for name, info in cls.model_fields.items():
        for item in info.metadata:
            if isinstance(item, Described):
                found[name] = item
    return found


@cache
def options_of(cls: type[BaseModel], name: str) -> dict[str, type[BaseModel]]:
    """Kind to class of all clauses that a `clause` takes."""
    annotation = cls.model_fields[name].annotation
    classes = get_args(annotation) or (annotation,)
    return {c.model_fields["kind"].default: c for c in classes}
