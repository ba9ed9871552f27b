"""The light of pictures and of the stage: one set of numbers for both, so that they look alike.

Directions point towards the light (unit length); colours are linear, and a surface of albedo 1 that faces the light has
just that colour. A picture's light becomes a screen's by 1 - exp(-x), as film's does, and the curve of sRGB.
"""

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.colour import encoded
from hotgravel.core.shot.finish import Finish

Array = NDArray[np.float64]
Three = tuple[float, float, float]
EXPOSURE = 1.5  # at 0 stops
EMBER: Three = (1.0, 0.45, 0.16)  # what a crowd of glowing particles throws on its surroundings
CROWD = 3000.0  # so many glowing particles, and more, are a lamp of full strength
CROWD_LIGHT, PROP_LIGHT = 1.3, 2.5  # strengths of the lamps of a crowd and of a prop that glows


@dataclass(frozen=True)
class Light:
    """A key and a fill, the sky from above and the ground from below; the backdrop's colours at the zenith, at the
    horizon and of the glow low on it, and over how many times the camera's distance haze takes a share of 1 - 1/e."""

    key_from: Three
    key: Three
    fill_from: Three
    fill: Three
    sky: Three
    ground: Three
    zenith: Three
    horizon: Three
    glow: Three
    haze: float


def _unit(x: float, y: float, z: float) -> Three:
    length = float(np.sqrt(x * x + y * y + z * z))
    return (x / length, y / length, z / length)


LIGHTS: dict[str, Light] = {
    "dusk": Light(
        key_from=_unit(-0.55, 0.62, 0.56), key=(0.80, 0.88, 1.10), fill_from=_unit(0.66, 0.22, -0.75),
        fill=(1.10, 0.48, 0.20), sky=(0.13, 0.15, 0.22), ground=(0.08, 0.055, 0.045), zenith=(0.006, 0.010, 0.024),
        horizon=(0.046, 0.026, 0.026), glow=(0.30, 0.095, 0.018), haze=11.0,
    ),
    "working": Light(
        key_from=_unit(-0.45, 0.80, 0.40), key=(0.95, 0.91, 0.84), fill_from=_unit(0.66, 0.3, -0.75),
        fill=(0.10, 0.12, 0.15), sky=(0.62, 0.66, 0.72), ground=(0.34, 0.32, 0.29), zenith=(0.20, 0.25, 0.32),
        horizon=(0.36, 0.37, 0.37), glow=(0.0, 0.0, 0.0), haze=25.0,
    ),
}  # fmt: skip


def light_of(finish: Finish) -> Light:
    """The light that a shot is looked at in."""
    return LIGHTS[finish.light]


def exposure_of(finish: Finish) -> float:
    """What light is multiplied with before it becomes a screen's."""
    return float(EXPOSURE * 2.0**finish.exposure)


def as_data(finish: Finish) -> dict[str, Any]:
    """The light of a shot for the stage."""
    lamps = {"ember": EMBER, "crowd": CROWD, "crowd_light": CROWD_LIGHT, "prop_light": PROP_LIGHT}
    return (
        asdict(light_of(finish))
        | lamps
        | {"name": finish.light, "exposure": exposure_of(finish), "focus": finish.focus, "aperture": finish.aperture}
    )


def on_screen(light: Array, exposure: float) -> Array:
    """Linear light as shares of a screen's full."""
    return encoded(np.maximum(1.0 - np.exp(-exposure * light), 0.0))
