"""The event record: what happened, to whom, when, where, and the value that crossed."""

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

DID, UNDID = 0, 1
REMOVED = -1


@dataclass(frozen=True)
class Events:
    """Events in the order they happened, as arrays of equal length.

    cue: place in the shot. frame: the frame that first shows it. time: seconds of simulated
    time since the first frame. particle: the element's id, -1 where it concerns none. matter: the element's matter, by
    its place in the run's list; -1 for none. place (n, 3) metres.
    other: what a hit was with, as `Elements.hit_by` has it; -1 where it was no hit.
    value: what crossed the threshold, in the condition's unit. before, after: states; after is -1
    if removed. what: 0 where the cue did what it says, 1 where that was taken back.
    """

    cue: NDArray[np.int16]
    frame: NDArray[np.int32]
    time: NDArray[np.float64]
    particle: NDArray[np.int64]
    matter: NDArray[np.int8]
    place: NDArray[np.float32]
    other: NDArray[np.int64]
    value: NDArray[np.float64]
    before: NDArray[np.int16]
    after: NDArray[np.int16]
    what: NDArray[np.int8]

    def __len__(self) -> int:
        return len(self.cue)


COLUMNS = {
    "cue": np.int16, "frame": np.int32, "time": np.float64, "particle": np.int64, "matter": np.int8,
    "place": np.float32, "other": np.int64, "value": np.float64, "before": np.int16, "after": np.int16, "what": np.int8,
}  # fmt: skip
assert tuple(COLUMNS) == tuple(f.name for f in fields(Events))


def no_events() -> Events:
    return Events(**{n: np.zeros((0, 3) if n == "place" else 0, t) for n, t in COLUMNS.items()})


def all_events(parts: list[Events]) -> Events:
    """The parts one after another."""
    parts = [p for p in parts if len(p)] or [no_events()]
    return Events(**{n: np.concatenate([getattr(p, n) for p in parts]) for n in COLUMNS})
