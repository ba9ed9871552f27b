"""How high waves of each length are that a wind has raised, and how fast they go.

Fully grown: Pierson and Moskowitz 1964. Over a fetch: JONSWAP (Hasselmann and others 1973). Over shallow ground:
Kitaigorodskii's factor, as in the TMA spectrum (Bouws and others 1985). Directions: a power of the cosine of half the
angle from the wind (Longuet-Higgins, Cartwright and Smith 1963).
"""

import numpy as np
from numpy.typing import NDArray
from scipy.special import gammaln

Array = NDArray[np.float64]
DEEP = 1e6  # m: as deep as that is bottomless
HIGHER = 1.026  # the wind at 19.5 m, of that at 10 m (Stewart, Introduction to Physical Oceanography, 16.4)


def speed_of(k: Array, depth: float, gravity: float) -> Array:
    """The angular frequency, 1/s, of waves with wave numbers k, 1/m: w² = g k tanh(k h)."""
    found: Array = np.sqrt(gravity * k * np.tanh(np.minimum(k * depth, 50.0)))
    return found


def density_of(w: Array, wind: float, fetch: float | None, depth: float, gravity: float) -> Array:
    """The variance of the surface, m² s, at angular frequencies w > 0, for a wind, m/s, over a fetch, m."""
    if wind <= 0.0:
        return np.zeros_like(w)
    if fetch is None:
        alpha, peak = 0.0081, 0.74**0.25 * gravity / (HIGHER * wind)
        grown = alpha * gravity**2 / w**5 * np.exp(-((peak / w) ** 4))
    else:
        alpha = 0.076 * (wind**2 / (fetch * gravity)) ** 0.22
        peak = 22.0 * (gravity**2 / (wind * fetch)) ** (1.0 / 3.0)
        width = np.where(w <= peak, 0.07, 0.09)
        more = np.exp(-((w - peak) ** 2) / (2.0 * width**2 * peak**2))
        grown = alpha * gravity**2 / w**5 * np.exp(-1.25 * (peak / w) ** 4) * 3.3**more
    # Thompson and Vincent's fit to Kitaigorodskii's factor (1983).
    low = w * np.sqrt(depth / gravity)
    factor = np.where(low <= 1.0, 0.5 * low**2, np.where(low < 2.0, 1.0 - 0.5 * (2.0 - low) ** 2, 1.0))
    return np.asarray(grown * factor)


def towards(angle: Array, together: float) -> Array:
    """The share of waves, per radian, that go at angles from the wind's way."""
    s = together
    norm = 2.0 ** (2.0 * s - 1.0) / np.pi * np.exp(2.0 * gammaln(s + 1.0) - gammaln(2.0 * s + 1.0))
    found: Array = norm * np.abs(np.cos(0.5 * angle)) ** (2.0 * s)
    return found


def heights_of(
    kx: Array, kz: Array, wind: float, way: float, fetch: float | None, together: float, depth: float, gravity: float
) -> Array:
    """The height, m, of the wave of each number on a grid (n, n), 1/m, for a wind that blows at an angle, `way`."""
    k = np.hypot(kx, kz)
    there = k > 0.0
    k = np.where(there, k, 1.0)
    w = speed_of(k, depth, gravity)
    deep = np.minimum(k * depth, 50.0)
    group = 0.5 * w / k * (1.0 + 2.0 * deep / np.sinh(2.0 * deep))  # dw / dk
    each = density_of(w, wind, fetch, depth, gravity) * towards(np.arctan2(kz, kx) - way, together) * group / k
    step = abs(kx[1, 0] - kx[0, 0]) if len(kx) > 1 else 1.0
    return np.where(there, np.sqrt(2.0 * each) * step, 0.0)
