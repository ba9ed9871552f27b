"""Keys over time: the artist states values at frames, and how to get from one to the next."""

from collections.abc import Mapping
from itertools import pairwise
from typing import Annotated, ClassVar, Literal

import numpy as np
from numba import njit
from pydantic import BaseModel, ConfigDict, Field, field_validator

from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.drive.driver import Driver
from hotgravel.core.shot.dials import choice, dial

Ease = Literal["step", "linear", "smooth", "handles"]
MOST_KEYS = 10_000
EASES: tuple[Ease, ...] = ("step", "linear", "smooth", "handles")
Frame = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0.0, le=1.0, allow_inf_nan=False)]


class Key(BaseModel):
    """A value at a frame. `ease` says how the value travels from here to the next key; with handles,
    `leave` and `arrive` say for which share of the way it stays near this key and near the next."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    frame: Frame
    value: Annotated[float, Field(allow_inf_nan=False)]
    ease: Ease = "smooth"
    leave: Share = 0.4
    arrive: Share = 0.4


class Keys(Driver):
    kind: Literal["keys"] = "keys"
    title: ClassVar[str] = "keys"
    does: ClassVar[str] = "Values at frames, and the way from each to the next."
    phrase: ClassVar[str] = "; outside them it {outside}"
    keys: Annotated[tuple[Key, ...], Field(min_length=1, max_length=MOST_KEYS)]
    outside: Literal["hold", "zero", "loop"] = choice(
        {"hold": "holds", "zero": "is zero", "loop": "begins again"}, "hold", label="outside",
        help="Before the first key and after the last: hold the value there, be zero, or begin again.",
    )  # fmt: skip
    rest: float = dial(
        "frame", 0.0, label="rest", soft=(0.0, 48.0), low=0.0, high=1e6,
        help="Where keys begin again: how many frames it rests at the last value before it does.",
    )  # fmt: skip

    def wording(self) -> str:
        return f"{self.phrase} after {{rest}} frames" if self.outside == "loop" else self.phrase

    @field_validator("keys")
    @classmethod
    def _in_order(cls, keys: tuple[Key, ...]) -> tuple[Key, ...]:
        ordered = tuple(sorted(keys, key=lambda key: key.frame))
        for before, after in pairwise(ordered):
            if before.frame == after.frame:
                raise ValueError(f"two keys stand at frame {after.frame:g}; a frame takes one key")
        return ordered

    def stated(self) -> list[float]:
        return [key.value for key in self.keys]

    def ends(self) -> list[float]:
        return [self.keys[0].value, self.keys[-1].value]

    def brief(self, names: Mapping[str, str]) -> str:
        return "keyed"

    def answer(self, ask: Ask) -> Array:
        return keyed(self, ask.frames)

    def at(self, frame: float) -> float:
        """The value at one frame, which may be fractional."""
        return float(keyed(self, np.array([frame]))[0])


def keyed(keys: Keys, frames: Array) -> Array:
    """Values at `frames` (n,), any order, fractional allowed. Returns (n,).

    `smooth` is the cubic 3u^2 - 2u^3 (flat at both keys, never beyond them); `handles` the cubic
    Bézier curve with flat handles of the stated lengths, which `smooth` is for lengths of a third.
    """
    at = np.array([key.frame for key in keys.keys])
    values = np.array([key.value for key in keys.keys])
    out = (frames < at[0]) | (frames > at[-1])
    if keys.outside == "loop":
        around = at[-1] - at[0] + keys.rest
        frames = at[0] + np.mod(frames - at[0], around) if around > 0 else np.full_like(frames, at[0])
    left = np.clip(np.searchsorted(at, frames, side="right") - 1, 0, len(at) - 1)
    right = np.minimum(left + 1, len(at) - 1)
    span = at[right] - at[left]
    u = np.clip((frames - at[left]) / np.where(span > 0, span, 1.0), 0.0, 1.0)
    eases = np.array([EASES.index(key.ease) for key in keys.keys])[left]
    w = np.where(eases == 2, u * u * (3.0 - 2.0 * u), np.where(eases == 0, 0.0, u))
    if (eases == 3).any():
        leave = np.array([key.leave for key in keys.keys])[left]
        arrive = np.array([key.arrive for key in keys.keys])[left]
        w = np.where(eases == 3, _eased(u, leave, arrive), w)
    result: Array = values[left] + (values[right] - values[left]) * w
    return np.where(out, 0.0, result) if keys.outside == "zero" else result


@njit(cache=True)
def _eased(u, leave, arrive):
    """The heights at u (n,) of the Bézier curves (0, 0), (leave, 0), (1 - arrive, 1), (1, 1), by bisection:
    their way along u never turns back, as both lengths are at most 1."""
    eased = np.empty_like(u)
    for n in range(len(u)):
        low, high = 0.0, 1.0
        for _ in range(48):
            s = 0.5 * (low + high)
            x = 3 * s * (1 - s) ** 2 * leave[n] + 3 * s * s * (1 - s) * (1 - arrive[n]) + s**3
            if x < u[n]:
                low = s
            else:
                high = s
        s = 0.5 * (low + high)
        eased[n] = s * s * (3.0 - 2.0 * s)
    return eased
