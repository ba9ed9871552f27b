"""What stands in place of a number that varies: a clause with a method that answers."""

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar

import numpy as np
from pydantic import model_validator

from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.shot.row import Clause

DEEPEST = 5  # drivers within drivers; each may ask the one inside many times


class Driver(Clause):
    """A value that varies. `kind` tells them apart; `own` numbers have the unit of what they drive."""

    does: ClassVar[str]

    def answer(self, ask: Ask) -> Array:
        """The value at each moment or for each element: (1,), (t,) or (n,), unit of what is driven."""
        raise NotImplementedError

    def stated(self) -> list[float]:
        """Numbers that the artist wrote as values of what is driven, to be held against its bounds."""
        return []

    def ends(self) -> list[float]:
        """From where to where it goes, for its sentence; none if that cannot be said in two numbers."""
        return self.stated()

    def brief(self, names: Mapping[str, str]) -> str:
        """Two or three words for what drives, as they stand in the sentence; `names` are those of rows."""
        return self.title

    def inner(self) -> Iterator[Any]:
        """The values that this one is made from."""
        yield from ()

    @property
    def by_element(self) -> bool:
        """Whether elements may get different numbers."""
        return any(isinstance(v, Driver) and v.by_element for v in self.inner())

    @model_validator(mode="after")
    def _not_too_deep(self) -> "Driver":
        if depth(self) > DEEPEST:
            raise ValueError(f"drivers stand more than {DEEPEST} deep within one another")
        return self


def depth(value: Any) -> int:
    """How deep drivers stand within a value; 0 for a number."""
    return 1 + max((depth(v) for v in value.inner()), default=0) if isinstance(value, Driver) else 0


def answer(value: Any, ask: Ask) -> Array:
    """A value, driven or not, at a moment: (1,), (t,) or (n,)."""
    return value.answer(ask) if isinstance(value, Driver) else np.array([float(value)])
