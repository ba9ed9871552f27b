"""A finding: what will go wrong or come to nothing, in which row, and what one press would do about it."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal

from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.spot import Edited, put

Severity = Literal["wrong", "doubtful"]


@dataclass(frozen=True)
class Remedy:
    """What a press does: its words, and the edit."""

    label: str
    act: Callable[[Shot], Edited] = field(compare=False)


@dataclass(frozen=True)
class Finding:
    """`check` names the kind of finding; with the row and the dial it is found again. What is wrong will come
    to nothing or not be as stated; what is doubtful may be meant."""

    check: str
    row: str
    path: str
    message: str
    severity: Severity = "wrong"
    remedy: Remedy | None = None

    def __str__(self) -> str:
        place = ", ".join(p for p in (self.row and f"row {self.row!r}", self.path and f"field {self.path!r}") if p)
        return f"{place[:1].upper()}{place[1:]}: {self.message}" if place else self.message


def setting(label: str, row: str, path: str, value: Any) -> Remedy:
    """A remedy that puts a value into a dial."""

    def act(shot: Shot) -> Edited:
        return Edited(put(shot, row, path, value), f"{shot.names()[row]}: {label[:1].lower()}{label[1:]}")

    return Remedy(label, act)


def counted(findings: list[Finding]) -> dict[str, int]:
    """How many there are of each severity."""
    return {severity: sum(f.severity == severity for f in findings) for severity in ("wrong", "doubtful")}
