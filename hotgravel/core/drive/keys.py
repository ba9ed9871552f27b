"""Keys over time: the artist states values at frames, and how to get from one to the next."""

from itertools import pairwise
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, field_validator

Ease = Literal["step", "linear", "smooth"]
Frame = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]


class Key(BaseModel):
    """A value at a frame. `ease` says how the value travels from here to the next key."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    frame: Frame
    value: Annotated[float, Field(allow_inf_nan=False)]
    ease: Ease = "smooth"


class Keys(BaseModel):
    """A value that follows keys; before the first and after the last it holds."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    by: Literal["keys"] = "keys"
    keys: Annotated[tuple[Key, ...], Field(min_length=1, max_length=10_000)]

    @field_validator("keys")
    @classmethod
    def _in_order(cls, keys: tuple[Key, ...]) -> tuple[Key, ...]:
        ordered = tuple(sorted(keys, key=lambda key: key.frame))
        for before, after in pairwise(ordered):
            if before.frame == after.frame:
                raise ValueError(f"two keys stand at frame {after.frame:g}; a frame takes one key")
        return ordered

    def at(self, frame: float) -> float:
        """The value at one frame, which may be fractional."""
        return float(keyed(self, np.array([frame]))[0])


def keyed(keys: Keys, frames: NDArray[np.float64]) -> NDArray[np.float64]:
    """Values at `frames` (n,), any order, fractional allowed. Returns (n,).

    `smooth` is the cubic 3u^2 - 2u^3 (flat at both keys, never beyond them).
    """
    at = np.array([key.frame for key in keys.keys])
    values = np.array([key.value for key in keys.keys])
    left = np.clip(np.searchsorted(at, frames, side="right") - 1, 0, len(at) - 1)
    right = np.minimum(left + 1, len(at) - 1)
    span = at[right] - at[left]
    u = np.clip((frames - at[left]) / np.where(span > 0, span, 1.0), 0.0, 1.0)
    eases = np.array([("step", "linear", "smooth").index(key.ease) for key in keys.keys])[left]
    u = np.select([eases == 0, eases == 2], [np.zeros_like(u), u * u * (3.0 - 2.0 * u)], u)
    result: NDArray[np.float64] = values[left] + (values[right] - values[left]) * u
    return result
