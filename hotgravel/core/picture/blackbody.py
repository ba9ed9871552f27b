"""The light of a black body: Planck's law, seen by the CIE 1931 standard observer, in the primaries of sRGB."""

from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
TABLE = Path(__file__).parent / "cie1931.csv"
SECOND_RADIATION = 1.438776877e-2  # m K (CODATA 2018)
BRIGHT = 1100.0  # °C: a body as hot gives light of 1
# From XYZ to linear sRGB (IEC 61966-2-1).
TO_RGB = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]])


@cache
def observer() -> tuple[Array, Array]:
    """The colour matching functions of the CIE 1931 observer (n, 3), at wavelengths (n,) in nm."""
    waves, *xyz = np.loadtxt(TABLE, delimiter=",", skiprows=1).T
    return waves, np.stack(xyz, axis=1)


def seen(degrees: Array) -> Array:
    """What the observer sees of black bodies at temperatures (t,) in °C: XYZ (t, 3), whose Y is 1 at `BRIGHT`."""
    waves, functions = observer()
    waves = 1e-9 * waves
    kelvin = np.append(degrees, BRIGHT)[:, None] + 273.15
    given = waves**-5 / np.expm1(SECOND_RADIATION / (waves * kelvin))
    found: Array = given @ functions
    found = found[:-1] / found[-1, 1]
    return found


@cache
def table(coldest: float, hottest: float) -> Array:
    """The light (256, 3) of black bodies between two temperatures in °C; what sRGB cannot show is left out."""
    found: Array = np.maximum(seen(np.linspace(coldest, hottest, 256)) @ TO_RGB.T, 0.0)
    return found
