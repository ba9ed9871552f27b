"""`Value = number | Driven`: the one mechanism for everything that varies."""

from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from hotgravel.core.drive.keys import Keys

Number = Annotated[float, Field(allow_inf_nan=False)]
Driven = Keys  # becomes a union, told apart by `by`, as drivers are added
Value = Number | Driven
Vector = tuple[Value, Value, Value]

FloatArray = NDArray[np.float64]


def is_driven(value: object) -> bool:
    return isinstance(value, Keys)


def resolve(value: Value, frame: float) -> FloatArray:
    """The value at a frame (fractional within a substep), for all elements at once.

    Returns an array of length 1 where every element gets the same number, or (n,) where
    they differ; kernels read it with a stride of 0 or 1.
    """
    if isinstance(value, Keys):
        return np.array([value.at(frame)])
    return np.array([float(value)])


def scalar(value: Value, frame: float) -> float:
    """As `resolve`, for what can only have one value (a prop's pose, a source's rate)."""
    return float(resolve(value, frame)[0])


def vector(values: Vector, frame: float) -> FloatArray:
    """Three values at a frame. Returns (3,)."""
    return np.array([scalar(v, frame) for v in values])


def stated_numbers(value: Value) -> list[float]:
    """Every number the artist wrote into a value, for bounds to be checked on each."""
    if isinstance(value, Keys):
        return [key.value for key in value.keys]
    return [float(value)]
