"""How far the physics comes from frame to frame, as the time scale of a shot has it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.drive.ask import Clock
from hotgravel.core.drive.value import one
from hotgravel.core.shot.finish import Finish

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Pace:
    """Simulated seconds from each frame to the next (n,), from the first to the last, and those gone by (n + 1,)."""

    first: int
    spans: Array
    gone: Array

    @classmethod
    def of(cls, finish: Finish) -> "Pace":
        """A frame runs at the time scale that stands half way through it."""
        clock = Clock(finish.first, finish.rate)
        frames = range(finish.first, max(finish.last, finish.first + 1))
        spans = np.array([one(finish, "time_scale", clock.at(frame + 0.5)) / finish.rate for frame in frames])
        return cls(finish.first, spans, np.concatenate([[0.0], np.cumsum(spans)]))

    def span(self, frame: float) -> float:
        """Seconds from one frame to the next, where a frame lies between the two."""
        return float(self.spans[min(max(int(np.floor(frame)) - self.first, 0), len(self.spans) - 1)])

    def at(self, frame: float) -> float:
        """Seconds since the first frame; before it and after the last, as fast as at those."""
        place = min(max(int(np.floor(frame)) - self.first, 0), len(self.spans) - 1)
        return float(self.gone[place] + (frame - self.first - place) * self.spans[place])

    def lasting(self, start: float, end: float) -> float:
        """Seconds from one frame to another."""
        return self.at(end) - self.at(start)

    def frame(self, seconds: float) -> float:
        """The frame at which so many seconds have gone by."""
        place = min(max(int(np.searchsorted(self.gone, seconds, side="right")) - 1, 0), len(self.spans) - 1)
        return float(self.first + place + (seconds - self.gone[place]) / self.spans[place])

    @property
    def longest(self) -> float:
        """Most seconds from one frame to the next."""
        return float(self.spans.max())
