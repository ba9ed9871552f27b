"""Colours that stand for a number: from cool to hot, ordered in lightness as well as in hue."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.colour import bits_of, encoded, light_of
from hotgravel.core.run.frames import FrameStore

Array = NDArray[np.float64]
RAMP = np.array([light_of(colour) for colour in ("#5A2A27", "#A8331B", "#E2601F", "#F7A53C", "#FFD98A")])
BY = {"own": "as they are", "speed": "by speed", "load": "by the load of bonds"}
USUAL = 0.6  # of all frames have no faster element than the top of the ramp


def ramp(share: Array) -> Array:
    """The light (n, 3) of shares (n,) of the top."""
    at = np.linspace(0.0, 1.0, len(RAMP))
    found: Array = np.stack([np.interp(share, at, RAMP[:, c]) for c in range(3)], axis=1)
    return found


def packed(light: Array) -> NDArray[np.uint32]:
    """Light (n, 3) as colours of elements' own, 0xrrggbb."""
    return bits_of(255.0 * encoded(light))


def top_of(store: FrameStore, by: str) -> float:
    """The number that the top of the ramp stands for, the same in all frames of a run."""
    name = {"speed": "greatest_speed", "load": "greatest_load"}[by]
    measured = (store.gauges(frame)["matter"].values() for frame in store.frames())
    found = sorted(n for of in measured if (n := max((gauges.get(name, 0.0) for gauges in of), default=0.0)) > 0.0)
    if by == "load":
        return min(1.0, found[-1]) if found else 1.0
    return found[int(USUAL * (len(found) - 1))] if found else 1.0


def share_of(elements: dict[str, Any], by: str, top: float) -> Array:
    """What each element (n,) has of the top; those without such a number have none of it."""
    if by == "speed":
        return np.asarray(np.linalg.norm(elements["velocity"].astype(float), axis=1) / top)
    return np.asarray(elements.get("load", np.zeros(len(elements["velocity"]))), float) / top
