"""`Value = number | Driver`: the one mechanism for everything that varies.

A row's numbers are read with `one`, `each` and `three`, which hold what drivers give within the
bounds of the quantity that is driven.
"""

from typing import Annotated, Any

import numpy as np
from pydantic import Field

from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.drive.compound import Compound
from hotgravel.core.drive.driver import Driver, answer
from hotgravel.core.drive.formulas import Formula
from hotgravel.core.drive.in_frames import InFrames
from hotgravel.core.drive.keys import Keys
from hotgravel.core.drive.responses import Response
from hotgravel.core.drive.signals import Clip, Delay, Mix, Noise, Remap, Smooth, Warp, Wave
from hotgravel.core.drive.within import Within
from hotgravel.core.shot.dials import Quantity, dials_of
from hotgravel.core.shot.row import Clause, Steady

Number = Annotated[float, Field(allow_inf_nan=False)]
Driven = Annotated[
    Keys
    | Wave
    | Noise
    | Mix
    | Clip
    | Remap
    | Smooth
    | Delay
    | Warp
    | Response
    | Compound
    | Within
    | Formula
    | InFrames,
    Field(discriminator="kind"),
]
Value = Number | Driven
Vector = tuple[Value, Value, Value]
DRIVERS: dict[str, type[Driver]] = {
    c.model_fields["kind"].default: c
    for c in (Keys, Wave, Noise, Mix, Clip, Remap, Smooth, Delay, Warp, Response, Compound, Within, Formula, InFrames)
}

for _driver in DRIVERS.values():
    _driver.model_rebuild(_types_namespace={"Value": Value})


def is_driven(value: object) -> bool:
    return isinstance(value, Driver)


def by_element(value: object) -> bool:
    """Whether a value may differ from one element to the next."""
    return isinstance(value, Driver) and value.by_element


def plain(value: object, rate: float = 24.0) -> float | None:
    """A number that does not vary, at so many frames a second; None where it varies, or where there is none."""
    if isinstance(value, InFrames):
        return value.seconds(rate)
    return float(value) if isinstance(value, int | float) else None


def is_signal(value: object) -> bool:
    """Whether a value is driven over time alone."""
    return isinstance(value, Driver) and not value.by_element and not isinstance(value, Steady)


def bounded(value: Array, quantity: Quantity) -> Array:
    """Within the hard bounds of a quantity. Preflight tells where a driver goes beyond them."""
    low = quantity.above if quantity.above is not None else quantity.low
    high = quantity.high
    low, high = -np.inf if low is None else low, np.inf if high is None else high
    if value.min(initial=high) >= low and value.max(initial=low) <= high:
        return value  # as nearly all are: to see so takes a third of the time that cutting does
    return np.clip(value, low, high)


def each(clause: Clause, name: str, ask: Ask) -> Array:
    """A field's number for each element asked about: (1,) where all have the same, (n,) where not."""
    value = getattr(clause, name)
    if not is_driven(value):
        return np.array([float(value)])
    quantity = dials_of(type(clause))[name]
    assert isinstance(quantity, Quantity)
    return bounded(answer(value, ask), quantity)


def one(clause: Clause, name: str, ask: Ask) -> float:
    """A field's number where there can only be one (a prop's pose, a source's rate)."""
    value = getattr(clause, name)
    return float(each(clause, name, ask)[0]) if is_driven(value) else float(value)


def three(clause: Clause, name: str, ask: Ask) -> Array:
    """A field of three numbers: (3,)."""
    quantity = dials_of(type(clause))[name]
    assert isinstance(quantity, Quantity)
    parts: Any = getattr(clause, name)
    return np.array([bounded(answer(v, ask), quantity)[0] if is_driven(v) else float(v) for v in parts])
