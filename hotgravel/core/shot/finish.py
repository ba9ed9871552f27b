"""Finish: which frames, how fast they play, how finely they are computed."""

import math
from collections.abc import Iterator
from typing import ClassVar, Literal

from hotgravel.core.drive.value import Value
from hotgravel.core.shot.dials import choice, dial
from hotgravel.core.shot.row import Row

Quality = Literal["rough", "fair", "fine"]


class Finish(Row):
    kind: Literal["finish"] = "finish"
    section: ClassVar[str] = "finish"
    title: ClassVar[str] = "finish"
    does: ClassVar[str] = "Frame range, rate, quality, time scale."
    phrase: ClassVar[str] = (
        "Frames {first} to {last} at {rate}, computed {quality}; time runs at {time_scale}. "
        "Lengths are shown in {lengths}. It is looked at in {light}."
    )
    id: Literal["finish"] = "finish"
    first: int = dial(
        "frame", 1, label="first", soft=(1, 100), low=-100_000, high=1_000_000, whole=True,
        help="The first frame shows the start, before anything has moved; after a pre-roll, how it has settled.",
    )  # fmt: skip
    last: int = dial(
        "frame", 120, label="last", soft=(24, 480), low=-100_000, high=1_000_000, whole=True,
        help="The last frame that is computed.",
    )  # fmt: skip
    pre_roll: int = dial(
        "count", 0, label="pre-roll", soft=(0, 120), low=0, high=10_000, whole=True,
        help="So many frames are computed before the first and not kept: what is stacked, hung or filled has settled "
        "when the shot starts. Keys hold their first value; what starts at a frame of its own keeps to that.",
    )  # fmt: skip
    rate: float = dial(
        "fps", 24.0, label="rate", soft=(12.0, 60.0), low=1.0, high=1000.0,
        help="Frames a second, for playing and for what a frame is worth in time.",
    )  # fmt: skip
    quality: Quality = choice(
        {"rough": "rough", "fair": "fair", "fine": "fine"}, "rough", label="quality",
        help="Rough takes 2 or more steps a frame, fair 4, fine 8. Tune rough, hand over fine.",
    )  # fmt: skip
    time_scale: Value = dial(
        "×", 1.0, label="time scale", soft=(0.1, 4.0), low=0.001, high=100.0, drivable=True,
        help="0.5 is slow motion: the physics moves half as far a frame; keys keep to their frames. Varied over time, "
        "a range of frames is in slow motion.",
    )  # fmt: skip
    every: int = dial(
        "count", 1, label="kept in full, one in", soft=(1, 8), low=1, high=1000, whole=True,
        help="Of so many frames one is kept in full, and shown until the next: 2 halves what a run takes of the disk. "
        "All are computed; what happens and what is measured is kept of each.",
    )  # fmt: skip
    lengths: Literal["m", "cm"] = choice(
        {"m": "metres", "cm": "centimetres"}, "m", label="lengths",
        help="How lengths are shown and read; what is stored does not change.",
    )  # fmt: skip

    light: Literal["dusk", "working"] = choice(
        {"dusk": "dusk", "working": "working light"}, "dusk", label="light",
        help="What stage, pictures and film are lit by: dusk, or even daylight to judge dark props in.",
    )  # fmt: skip
    exposure: float = dial(
        "", 0.0, label="exposure", soft=(-3.0, 3.0), low=-10.0, high=10.0,
        help="In stops: 1 doubles the light that stage, pictures and film show, -1 halves it.",
    )  # fmt: skip
    focus: float | None = dial(
        "m", None, label="focus", soft=(1.0, 30.0), low=0.05, high=1e6, none="everything",
        help="How far from the camera it is sharp; pick it on the stage. What is nearer or farther is blurred.",
    )  # fmt: skip
    aperture: float = dial(
        "m", 0.1, label="aperture", soft=(0.02, 0.5), above=0.0, high=100.0,
        help="How wide the lens is: twice as wide blurs twice as much what is out of focus.",
    )  # fmt: skip
    retime: Value | None = dial(
        "frame", None, label="retime", soft=(1.0, 120.0), low=-100_000.0, high=1_000_000.0, drivable=True,
        none="as it ran",
        help="Which frame of the run is shown at each frame. Keys that fall play it backwards, flat ones hold it; "
        "the run stays as it is.",
    )  # fmt: skip

    @property
    def begins(self) -> int:
        """The frame at which all begins, which is the first but for a pre-roll."""
        return self.first - self.pre_roll

    def in_full(self, frame: float) -> tuple[int, int]:
        """The frames that are kept in full at or before a frame, and next; both the last from there on."""
        if frame >= self.last:
            return self.last, self.last
        before = self.first + (math.floor(frame) - self.first) // self.every * self.every
        return before, min(before + self.every, self.last)

    def idle(self) -> frozenset[str]:
        return frozenset({"name"} | ({"aperture"} if self.focus is None else set()))  # there is but one finish

    def complaints(self) -> Iterator[tuple[str, str]]:
        if self.last < self.first:
            yield "last", f"Frame {self.last} lies before the first. Accepted: {self.first} or later."
        if self.last - self.first >= 100_000:
            yield "last", f"Too many frames. Accepted: up to {self.first + 99_999}."
