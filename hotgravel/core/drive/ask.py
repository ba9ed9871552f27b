"""What a driven number is asked with: the moment, and the elements it may differ between."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


class Crowd(Protocol):
    """Elements (particles, vertices, cells) whose attributes a driven number may vary with."""

    def __len__(self) -> int:
        """How many."""

    def read(self, attribute: str, target: str | None) -> Array:
        """An attribute of each element (n,), SI; `target` names the prop or zone it is measured to."""


@dataclass(frozen=True)
class Clock:
    """Frames and seconds: `rate` frames a second of the shot, which starts at frame `first`."""

    first: float = 1.0
    rate: float = 24.0

    def at(self, frame: float, crowd: Crowd | None = None) -> "Ask":
        return Ask((frame - self.first) / self.rate, self, crowd)


@dataclass(frozen=True)
class Ask:
    """A moment (seconds since the first frame, or several of them), and who is asked about, if any."""

    seconds: float | Array
    clock: Clock = Clock()
    crowd: Crowd | None = None

    @cached_property
    def times(self) -> Array:
        """The moments as an array (t,)."""
        return np.atleast_1d(np.asarray(self.seconds, float))

    @cached_property
    def frames(self) -> Array:
        """The moments as frames (t,)."""
        return self.clock.first + self.times * self.clock.rate

    @property
    def frame(self) -> float:
        """The first of them: the frame, where one moment is asked about."""
        return float(self.frames[0])

    def later(self, by: float | Array) -> "Ask":
        """The same, so many seconds later."""
        return replace(self, seconds=self.times + by)

    def read(self, attribute: str, target: str | None = None) -> Array:
        """An attribute of those asked about. Raises `NobodyAsked`."""
        if self.crowd is None:
            raise NobodyAsked
        return self.crowd.read(attribute, target)


class NobodyAsked(ValueError):
    """A number that varies over an attribute was asked for without elements that could have it."""


@dataclass(frozen=True)
class Rows:
    """A crowd made of plain arrays by name, for plots and tests."""

    arrays: Mapping[str, Array]

    def __len__(self) -> int:
        return len(next(iter(self.arrays.values()), ()))

    def read(self, attribute: str, target: str | None) -> Array:
        return self.arrays[attribute if target is None else f"{attribute} {target}"]
