"""What is wrong with a shot, as sentences that name the row and the field."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError


@dataclass(frozen=True)
class Fault:
    """One thing wrong: in which row (its id, or its place), which field, the sentence, and the rows that it names."""

    row: str
    field: str
    message: str
    names: tuple[str, ...] = ()

    def __str__(self) -> str:
        named = (self.row and f"row {self.row!r}", self.field and f"field {self.field!r}")
        place = ", ".join(part for part in named if part)
        return f"{place[:1].upper()}{place[1:]}: {self.message}" if place else self.message


class ShotFault(ValueError):
    """A shot that cannot be used; `faults` says why, one by one."""

    def __init__(self, faults: Iterable[Fault]) -> None:
        self.faults = tuple(faults)
        super().__init__("\n".join(str(f) for f in self.faults))

    @classmethod
    def of(cls, message: str) -> "ShotFault":
        """A fault of the whole, in no row."""
        return cls([Fault("", "", message)])


def faults_of(error: ValidationError, document: Any) -> list[Fault]:
    """Pydantic's findings, told in the shot's own terms; one for each field."""
    found: dict[tuple[str, str], Fault] = {}
    aside: list[Fault] = []
    for item in error.errors(include_url=False):
        row, path, value = _place(item, document)
        if item["type"] == "float_type" and isinstance(value, dict):
            aside.append(Fault(row, path, _message(item, value)))  # a driven value may be meant
            continue
        found.setdefault((row, path), Fault(row, path, _message(item, value)))
    told = {(row, path.split(".")[0]) for row, path in found}
    return list(found.values()) + [f for f in aside if (f.row, f.field.split(".")[0]) not in told]


def _place(item: Any, document: Any) -> tuple[str, str, Any]:
    """Follow a location through the raw document, leaving out what only pydantic knows."""
    loc: tuple[int | str, ...] = item["loc"]
    row, path, here = "", list[str](), document
    for step in loc:
        if isinstance(here, dict) and isinstance(step, str) and step in here:
            here = here[step]
            path.append(step)
        elif isinstance(here, list | tuple) and isinstance(step, int) and step < len(here):
            here = here[step]
            if not row and isinstance(here, dict):
                row = str(here.get("id") or f"{'.'.join(path)} {step + 1}")[:80]
                path = []
            else:
                path.append(str(step))
    if item["type"] == "missing":
        path.append(str(loc[-1]))
    if row == "" and path[:1] == ["finish"]:
        row, path = "finish", path[1:]
    return row, ".".join(path), here


def _message(item: Any, value: Any) -> str:
    kind, context = item["type"], item.get("ctx", {})
    shown = _shown(value)
    if kind == "value_error":
        return str(context["error"])
    if kind == "missing":
        return "This field is missing and has no default."
    if kind == "extra_forbidden":
        return "There is no such field here. Remove it, or correct its spelling."
    if kind in ("union_tag_invalid", "union_tag_not_found"):
        wanted = context.get("expected_tags")
        wanted = f" Accepted kinds: {wanted}." if wanted else " It needs a field 'kind'."
        return f"This kind of row is not known.{wanted}"
    if kind == "literal_error":
        return f"{shown} is not one of the words that fit here. Accepted: {context['expected']}."
    if kind in ("finite_number", "float_type", "float_parsing", "int_type", "int_parsing", "int_from_float"):
        whole = "a whole number" if kind.startswith("int") else "a finite number, or keys"
        return f"{shown} is no number that can be used here. Accepted: {whole}."
    if kind == "string_pattern_mismatch":
        return f"{shown} does not have the form wanted here ({context['pattern']})."
    if kind == "string_too_short":
        return "Nothing was typed. Accepted: one character at least."
    if kind == "string_too_long":
        return f"{context['max_length']} characters at most; this has {len(value)}."
    message = str(item["msg"])
    return f"{shown} does not fit: {message[:1].lower()}{message[1:]}."


def _shown(value: Any) -> str:
    text = repr(value)
    return text if len(text) <= 60 else text[:57] + "..."
