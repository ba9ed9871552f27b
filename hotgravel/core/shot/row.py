"""What all rows are: a clause with an id, that can be switched off and moved.

The phrase is a sentence with its dials in braces; `pieces` cuts it into words and slots,
and everything that shows a sentence (the bench, the command line, a revision's label) is
made from those.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Annotated, Any, ClassVar

from pydantic import BaseModel, ConfigDict, Field

from hotgravel.core.attributes import READABLE
from hotgravel.core.shot.dials import (
    Choice,
    Colour,
    Described,
    FileName,
    Palette,
    Pick,
    Quantity,
    Refer,
    Words,
    dials_of,
    options_of,
    words,
)
from hotgravel.core.shot.units import Dress, show_number, show_quantity, shown_unit

RowId = Annotated[str, Field(pattern=r"^[a-z][a-z0-9-]{0,59}$")]
Ref = RowId


class Clause(BaseModel):
    """A part of a sentence: its title names it in a list, its phrase is what it says."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)
    title: ClassVar[str]
    phrase: ClassVar[str]

    def wording(self) -> str:
        """The phrase for the values it now has; most clauses have only one."""
        return self.phrase

    def idle(self) -> frozenset[str]:
        """Fields that have no effect as the others now are; none for most. The page leaves them out."""
        return frozenset()

    def complaints(self) -> Iterator[tuple[str, str]]:
        """What is wrong between its dials: (dial, sentence) pairs; none for most."""
        yield from ()


class Row(Clause):
    """A sentence of the shot."""

    section: ClassVar[str]
    does: ClassVar[str]
    asks: ClassVar[str | None] = None  # the matter alone whose elements its driven numbers are asked for
    naming: ClassVar[str] = ""  # the phrase that a row without a name is called by; its title, if none
    id: RowId
    on: bool = True
    name: str | None = words(
        label="name", none="by its sentence", help="What lists, lanes and other sentences call it."
    )
    group: Annotated[str, Field(min_length=1, max_length=60)] | None = None

    def called(self, dress: Dress, names: dict[str, str]) -> str:
        """What a row without a name is called, made from what its sentence says."""
        whom = getattr(self, "whom", None)
        naming = self.naming or (f"{self.title} of {{whom}}" if whom else self.title)
        return "".join(p if isinstance(p, str) else p.text for p in pieces(self, dress, names, phrase=naming)).replace(
            "those in ", ""
        )


def is_driven(value: Any) -> bool:
    """Whether a clause stands in place of a number, so that it varies."""
    return isinstance(value, Clause) and not isinstance(value, Steady)


def varies(clause: Clause) -> bool:
    """Whether any number of a clause, or of the clauses in it, is driven."""
    for name, described in dials_of(type(clause)).items():
        value = getattr(clause, name)
        parts = value if isinstance(value, tuple) else (value,)
        if isinstance(described, Quantity) and any(is_driven(part) for part in parts):
            return True
        if isinstance(described, Pick) and varies(value):
            return True
    return False


class Steady(Clause):
    """A number in a unit of its own, which it is shown in too."""

    def said(self) -> str:
        """The number with its unit."""
        raise NotImplementedError


def points_nowhere(dial: str, direction: tuple[Any, Any, Any]) -> Iterator[tuple[str, str]]:
    """Complains of a direction without keys that is 0, 0, 0."""
    if all(part == 0 for part in direction):
        yield dial, "0, 0, 0 points nowhere. Accepted: three numbers that are not all 0, such as 0, 1, 0."


def ends_before(start: int, end: int) -> Iterator[tuple[str, str]]:
    """Complains of a last frame before the first."""
    if end < start:
        yield "end", f"It ends at frame {end}, before its start. Accepted: {start} or later."


@dataclass(frozen=True)
class Slot:
    """A value in a sentence: where it is (`path`), what it may be, what it is, how it reads."""

    path: str
    described: Described
    value: Any
    text: str
    driven: bool = False
    options: tuple[tuple[str, str], ...] = ()


def described_in(clause: Clause, name: str, owner: Quantity | None = None) -> Described:
    """A dial's description; one in the unit of what is driven, or of the attribute read, gets that unit."""
    described = dials_of(type(clause))[name]
    if isinstance(described, Quantity):
        if described.unit == "own" and owner is not None:
            return replace(described, unit=owner.unit, soft=owner.soft)
        if described.unit == "attribute":
            return replace(described, unit=READABLE[clause.attribute][1])  # type: ignore[attr-defined]
    return described


def pieces(
    clause: Clause, dress: Dress, names: dict[str, str], prefix: str = "", owner: Quantity | None = None,
    phrase: str | None = None,
) -> Iterator[str | Slot]:  # fmt: skip
    """The sentence in order: plain words and slots. `names` maps row ids to what they are called;
    `owner` is the quantity that a driver's clause stands in place of; `phrase` is said instead of its own."""
    said = clause.wording() if phrase is None else phrase
    more = changed_unsaid(clause, said) if phrase is None and isinstance(clause, Row) else {}
    if more:
        said, names_of = said.removesuffix("."), ", ".join(f"{words}{{{name}}}" for name, words in more.items())
        said = f"{said}; {names_of}."
    for part in re.split(r"(\{\w+\})", said):
        if not part:
            continue
        if not part.startswith("{"):
            yield part
            continue
        name = part[1:-1]
        yield from slots_of(clause, name, described_in(clause, name, owner), dress, names, prefix)


def changed_unsaid(row: Clause, said: str) -> dict[str, str]:
    """The dials of a row that are off their default and that a phrase does not say, with the words before each."""
    found = {}
    for name, described in dials_of(type(row)).items():
        value = getattr(row, name)
        if (
            f"{{{name}}}" in said
            or name in row.idle()
            or isinstance(described, Colour | Palette | Words | FileName | Pick)
        ):
            continue
        default = getattr(described, "default", None)
        if value != default:
            found[name] = "" if isinstance(described, Choice) else f"{described.label} "
    return found


def slots_of(
    clause: Clause, name: str, described: Described, dress: Dress, names: dict[str, str], prefix: str = ""
) -> Iterator[str | Slot]:
    """The slots of one dial: one, three for a vector, all of its own for a clause."""
    value = getattr(clause, name)
    path = f"{prefix}{name}"
    if isinstance(described, Pick):
        options = tuple((kind, c.title) for kind, c in options_of(type(clause), name).items())  # type: ignore[attr-defined]
        yield Slot(f"{path}.kind", described, value.kind, value.title, options=options)
        if value.wording():
            yield " "
            yield from pieces(value, dress, names, f"{path}.")
    elif isinstance(described, Quantity) and described.three:
        for axis, part in enumerate(value):
            text = show_value(part, described, dress, names, unit=axis == 2)
            yield Slot(f"{path}.{axis}", described, part, text, driven=is_driven(part))
            if axis < 2:
                yield ", "
    elif isinstance(described, Quantity):
        text = show_value(value, described, dress, names)
        yield Slot(path, described, value, text, driven=is_driven(value))
    elif isinstance(described, Palette):
        yield Slot(path, described, value, "a colour" if len(value) == 1 else f"{len(value)} colours")
    elif isinstance(described, Choice):
        yield Slot(path, described, value, described.words[value], options=tuple(described.words.items()))
    elif isinstance(described, Refer):
        yield Slot(path, described, value, _named(value, described, names))
    elif isinstance(described, Words) and value is None:
        yield Slot(path, described, value, described.none or "")
    else:
        yield Slot(path, described, value, str(value))


def _named(value: Any, described: Refer, names: dict[str, str]) -> str:
    if value is None:
        return described.none or "nothing"
    if described.many:
        called = [names.get(v, v) for v in value]
        return called[0] if len(called) == 1 else f"{', '.join(called[:-1])} and {called[-1]}"
    return described.manner + str(names.get(value, value))


def show_value(value: Any, quantity: Quantity, dress: Dress, names: dict[str, str], unit: bool = True) -> str:
    """A value as the sentence shows it; a driven one by the range it runs through. `names` are those of rows."""
    if value is None:
        return quantity.none or ""
    if isinstance(value, Steady):
        return value.said()
    if is_driven(value):
        ends = [show_number(n, quantity.unit, dress) for n in value.ends()]
        span = f"{ends[0]} to {ends[-1]}" if len(set(ends)) > 1 else "".join(ends[:1])
        if span and quantity.unit not in ("count", "frame"):
            span = f"{span} {shown_unit(quantity.unit, dress)}".strip()
        return f"{span} ({value.brief(names)})" if span else value.brief(names)
    return show_quantity(value, quantity.unit, dress) if unit else show_number(value, quantity.unit, dress)


def sentence(clause: Clause, dress: Dress, names: dict[str, str]) -> str:
    """The sentence as plain text."""
    text = "".join(p if isinstance(p, str) else p.text for p in pieces(clause, dress, names))
    return text[:1].upper() + text[1:]
