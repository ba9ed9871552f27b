"""Colours as numbers: packed as 0xrrggbb, and as shares of full."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

OWN = 1 << 24  # the bit of a packed colour that says it is the element's own


def rgb_of(packed: NDArray[Any]) -> NDArray[np.float64]:
    """Colours as 0xrrggbb (n,), whatever stands above those bits, in shares of full (n, 3), as the screen has them."""
    bits = packed.astype(np.int64)
    shares: NDArray[np.float64] = np.stack([bits >> 16 & 255, bits >> 8 & 255, bits & 255], axis=1) / 255.0
    return shares


def bits_of(levels: NDArray[Any]) -> NDArray[np.uint32]:
    """Red, green and blue of 0 to 255 (n, 3) as 0xrrggbb (n,)."""
    r, g, b = np.round(levels).astype(np.uint32).reshape(-1, 3).T
    return np.asarray(r << 16 | g << 8 | b, np.uint32)


def shown(packed: NDArray[Any], state: NDArray[Any], of_states: list[str]) -> NDArray[np.float64]:
    """Colours of elements in shares of full (n, 3), as the screen has them: an element's own where it has one (its bit
    24 is set), else that of its state, `of_states` as #rrggbb."""
    named = np.array([int(colour[1:], 16) for colour in of_states] or [0xFFFFFF])
    return rgb_of(np.where(packed >= OWN, packed, named[np.clip(state, 0, len(named) - 1)]))


def linear(rgb: NDArray[np.float64]) -> NDArray[np.float64]:
    """From a screen's numbers to light (IEC 61966-2-1, sRGB)."""
    result: NDArray[np.float64] = np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)
    return result


def screen_of(colour: str) -> NDArray[np.float64]:
    """A colour written as #rrggbb, in shares of full (3,), as the screen has it."""
    shares: NDArray[np.float64] = rgb_of(np.array([int(colour[1:], 16)]))[0]
    return shares


def light_of(colour: str) -> NDArray[np.float64]:
    """A colour written as #rrggbb, as light (3,)."""
    return linear(screen_of(colour))


def encoded(light: NDArray[np.float64]) -> NDArray[np.float64]:
    """From light, 0 to 1, to a screen's numbers: the inverse of `linear`."""
    result: NDArray[np.float64] = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1.0 / 2.4) - 0.055)
    return result
