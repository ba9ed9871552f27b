"""Growth and decay by a factor: so many times more, or less, with each frame of an element's age."""

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.drive.driver import Driver
from hotgravel.core.drive.signals import own
from hotgravel.core.shot.dials import dial


class Compound(Driver):
    kind: Literal["compound"] = "compound"
    title: ClassVar[str] = "by a factor each frame"
    does: ClassVar[str] = "Each one's number is multiplied by the same factor in every frame of its age."
    phrase: ClassVar[str] = "from {start}, times {factor}"
    start: float = own(1.0, label="at first", help="What it is when it is born.")
    factor: float = dial(
        "", 0.9, label="factor", soft=(0.8, 1.2), above=0.0, high=1e3,
        help="0.9 leaves nine tenths after a frame and a third after ten; over 1 it grows.",
    )  # fmt: skip

    @property
    def by_element(self) -> bool:
        return True

    def stated(self) -> list[float]:
        return [self.start]

    def brief(self, names: Mapping[str, str]) -> str:
        return f"times {self.factor:g} each frame"

    def answer(self, ask: Ask) -> Array:
        frames = np.maximum(ask.read("age"), 0.0) * ask.clock.rate
        return np.asarray(self.start * np.exp(np.clip(frames * np.log(self.factor), -700.0, 700.0)))
