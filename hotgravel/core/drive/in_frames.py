"""A time that is stated in frames, and stays so: at another frame rate it is as many frames still."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.drive.driver import Driver
from hotgravel.core.shot.row import Steady
from hotgravel.core.shot.units import bare


class InFrames(Steady, Driver):
    kind: Literal["frames"] = "frames"
    title: ClassVar[str] = "in frames"
    does: ClassVar[str] = "A time as so many frames, whatever the rate."
    phrase: ClassVar[str] = ""
    frames: Annotated[float, Field(allow_inf_nan=False)]

    def said(self) -> str:
        return f"{bare(self.frames)} f"

    def stated(self) -> list[float]:
        return [self.frames]  # times are bounded by 0, which is the same in frames

    def seconds(self, rate: float) -> float:
        """At so many frames a second."""
        return self.frames / rate

    def answer(self, ask: Ask) -> Array:
        return np.array([self.seconds(ask.clock.rate)])
