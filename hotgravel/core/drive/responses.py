"""Responses: values over an attribute of the thing acted on, through a curve."""

from collections.abc import Iterator, Mapping
from itertools import pairwise
from typing import Annotated, ClassVar, Literal

import numpy as np
from numba import njit, prange
from pydantic import Field, field_validator

from hotgravel.core.attributes import READABLE
from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.drive.driver import Driver
from hotgravel.core.drive.signals import own
from hotgravel.core.shot.dials import choice, dial, refer
from hotgravel.core.shot.row import Ref

STEPS = 512  # of the table that a curve is read from
Share = Annotated[float, Field(ge=0.0, le=1.0, allow_inf_nan=False)]
Point = tuple[Share, Share]
Attribute = Literal[
    "age", "fraction of life", "speed", "travelled", "height", "radius", "mass", "temperature", "density", "spin",
    "tilt", "still", "load", "bonds lost", "stretch", "pressure", "steep", "wet", "arrived",
    "left", "random", "distance to", "weight in",
]  # fmt: skip
LINE: tuple[Point, ...] = ((0.0, 0.0), (1.0, 1.0))


def curve(points: tuple[Point, ...], manner: str, at: Array) -> Array:
    """The heights of a curve through points at shares (n,) of its width; flat beyond its end points.

    `monotone` is Fritsch and Carlson's cubic (1980), which never overshoots; `smooth` the natural
    cubic spline, cut to 0..1; `stepped` holds each point's height until the next.
    """
    x, y = np.array(points).T
    at = np.clip(at, x[0], x[-1])
    if manner == "stepped":
        held: Array = y[np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(x) - 1)]
        return held
    if len(x) == 2:
        result: Array = np.interp(at, x, y)
        return result
    from scipy.interpolate import CubicSpline, PchipInterpolator  # most of a second that few starts need

    made = PchipInterpolator(x, y) if manner == "monotone" else CubicSpline(x, y, bc_type="natural")
    drawn: Array = np.clip(made(at), 0.0, 1.0)
    return drawn


@njit(cache=True, parallel=True, nogil=True)
def _looked_up(values, low, width, table, stepped, out):
    last = len(table) - 1
    for i in prange(len(values)):
        place = (values[i] - low) / width * last
        if not place > 0.0:
            out[i] = table[0]
        elif place >= last:
            out[i] = table[last]
        else:
            k = int(place)
            out[i] = table[k] if stepped else table[k] + (place - k) * (table[k + 1] - table[k])


class Response(Driver):
    kind: Literal["response"] = "response"
    title: ClassVar[str] = "over"
    does: ClassVar[str] = "Differs from one to the next by what each is: its age, its speed, how far it has come."
    phrase: ClassVar[str] = "{attribute} {begin} to {end}, from {low} to {high}"
    attribute: Attribute = choice(
        {name: what for name, (what, _) in READABLE.items()}, "age", label="attribute",
        help="What it varies over.",
    )  # fmt: skip
    prop: Ref | None = refer("prop", label="prop", none="no prop", help="The prop that the distance is measured to.")
    zone: Ref | None = refer("zone", label="zone", none="no zone", help="The zone whose weight is read.")
    begin: float = dial(
        "attribute", 0.0, label="range from", soft=(0.0, 1.0), low=-1e9, high=1e9, help="Where the curve begins."
    )
    end: float = dial(
        "attribute", 1.0, label="range to", soft=(0.0, 10.0), low=-1e9, high=1e9, help="Where the curve ends."
    )
    low: float = own(0.0, label="bottom", help="What the curve's bottom stands for.")
    high: float = own(1.0, label="top", help="What the curve's top stands for.")
    points: Annotated[tuple[Point, ...], Field(min_length=2, max_length=64)] = LINE
    manner: Literal["smooth", "monotone", "stepped"] = choice(
        {"smooth": "smooth", "monotone": "monotone", "stepped": "stepped"}, "monotone", label="curve",
        help="Monotone never passes its points; smooth swings through them; stepped holds each until the next.",
    )  # fmt: skip

    def wording(self) -> str:
        to = {"distance to": " {prop}", "weight in": " {zone}"}.get(self.attribute, "")
        return self.phrase.replace("{attribute}", "{attribute}" + to)

    @field_validator("points")
    @classmethod
    def _rising(cls, points: tuple[Point, ...]) -> tuple[Point, ...]:
        ordered = tuple(sorted(points))
        for (a, _), (b, _) in pairwise(ordered):
            if b - a < 1e-6:
                raise ValueError(f"two points of the curve stand at {100 * b:g} % of its width")
        return ordered

    def complaints(self) -> Iterator[tuple[str, str]]:
        if self.begin == self.end:
            yield "end", "The range has no width. Accepted: two different numbers."
        if self.attribute == "distance to" and self.prop is None:
            yield "prop", "A distance is measured to a prop. Accepted: the name of one."
        if self.attribute == "weight in" and self.zone is None:
            yield "zone", "A weight is read in a zone. Accepted: the name of one."

    def stated(self) -> list[float]:
        return [self.low, self.high]

    def ends(self) -> list[float]:
        first, last = self.points[0][1], self.points[-1][1]
        return [self.low + (self.high - self.low) * share for share in (first, last)]

    @property
    def by_element(self) -> bool:
        return True

    def brief(self, names: Mapping[str, str]) -> str:
        over = f"over {READABLE[self.attribute][0]} {names.get(self.target or '', '')}".rstrip()
        said = "by chance" if self.attribute == "random" else over
        return f"{said}, in steps" if self.manner == "stepped" else said

    @property
    def target(self) -> str | None:
        return {"distance to": self.prop, "weight in": self.zone}.get(self.attribute)

    def answer(self, ask: Ask) -> Array:
        values = ask.read(self.attribute, self.target)
        table = self.low + (self.high - self.low) * curve(self.points, self.manner, np.linspace(0.0, 1.0, STEPS + 1))
        out = np.empty(len(values))
        width = self.end - self.begin
        _looked_up(np.ascontiguousarray(values, float), self.begin, width, table, self.manner == "stepped", out)
        return out
