"""Smoke in pictures: marched through from the camera, in the key's light as far as other smoke lets it through, in that
of the sky, and in its own where it is hot."""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.colour import light_of
from hotgravel.core.matter.smoke.sample import at
from hotgravel.core.matter.smoke.shown import COLDEST, HOTTEST
from hotgravel.core.picture.blackbody import table
from hotgravel.core.picture.light import Light
from hotgravel.core.picture.raster import from_all_over
from hotgravel.core.shot.smoke import Fire, Smoke

Array = NDArray[np.float64]
Bytes = NDArray[np.uint8]
STRIDE = 1.5  # cells between looks toward the light
THROWN = 0.75  # of the light that smoke takes, what it throws back
LAMPS = 4  # that light smoke, at most
NO_LAMPS: Array = np.zeros((0, 8))
DEEP = 6.0  # optical depth that lets nothing more through


@dataclass(frozen=True, eq=False)
class Volume:
    """A grid of smoke as a frame keeps it: density and the share of the key's light that reaches each cell, as bytes
    (nx, ny, nz); its low corner (3,) and cell, metres; its colour as light (3,); what a metre of density 1 takes; how
    hot it is, as rows of a table (256, 3) of the light that it then gives, and what its sources' tints let through
    (nx, ny, nz, 3), both of one cell where there is none."""

    density: Bytes
    lit: Bytes
    low: Array
    cell: float
    colour: Array
    take: float
    hot: Bytes
    glow: Array
    tint: Bytes


def volume_of(kept: dict[str, Any], row: Smoke, light: Light, fire: Fire | None = None) -> Volume:
    """The volume of a kept frame, in a light."""
    shape = tuple(int(n) for n in kept["shape"])
    density = np.ascontiguousarray(kept["density"].reshape(shape))
    hot = np.ascontiguousarray(kept["hot"].reshape(shape)) if len(kept["hot"]) else np.zeros((1, 1, 1), np.uint8)
    tint = (
        np.ascontiguousarray(kept["tint"].reshape(*shape, 3)) if len(kept["tint"]) else np.zeros((1, 1, 1, 3), np.uint8)
    )
    cell = float(kept["cell"][0])
    lit = np.empty_like(density)
    _shadowed(density, *light.key_from, row.thickness * cell / 255.0, lit)
    glow = (fire.glow if fire is not None else 0.0) * table(COLDEST, HOTTEST)
    low = kept["low"].astype(float)
    return Volume(density, lit, low, cell, light_of(row.colour), row.thickness, hot, glow, tint)


@njit(cache=True, parallel=True, nogil=True)
def _shadowed(density, x, y, z, take, out):
    """The share of the light along a unit vector that reaches each cell."""
    nx, ny, nz = density.shape
    for row in prange(nx):
        i = np.int64(row)
        for j in range(ny):
            for k in range(nz):
                deep, p, q, r = 0.0, i + 0.5 + STRIDE * x, j + 0.5 + STRIDE * y, k + 0.5 + STRIDE * z
                while 0.0 <= p < nx and 0.0 <= q < ny and 0.0 <= r < nz and deep < DEEP:
                    deep += take * STRIDE * density[int(p), int(q), int(r)]
                    p, q, r = p + STRIDE * x, q + STRIDE * y, r + STRIDE * z
                out[i, j, k] = int(255.0 * math.exp(-deep))


@njit(cache=True, parallel=True, nogil=True)
def _marched(image, fire, depth, eye, axes, tan, density, lit, low, cell, take, key, around, hot, glow, tint,
             colour, lamps):  # fmt: skip
    """Lay smoke over an image (rows, columns, 3) and what glows in it, in place, as far as `depth` leaves room."""
    rows, columns = depth.shape
    shape = density.shape
    for band in prange(rows):
        r = from_all_over(band, rows)
        d, place, own, paint, given = np.empty(3), np.empty(3), np.empty(3), np.ones(3), np.empty(3)
        for k in range(columns):
            u = (2.0 * (k + 0.5) / columns - 1.0) * tan * columns / rows
            v = (1.0 - 2.0 * (np.int64(r) + 0.5) / rows) * tan
            near, far = 0.0, depth[r, k]
            for c in range(3):
                d[c] = (axes[2, c] + u * axes[0, c] + v * axes[1, c]) / cell
                place[c] = (eye[c] - low[c]) / cell
                slope = d[c] if abs(d[c]) > 1e-9 else 1e-9
                a, b = -place[c] / slope, (shape[c] - place[c]) / slope
                near, far = max(near, min(a, b)), min(far, max(a, b))
            if near >= far:
                continue
            long = math.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
            step = 0.7 / long
            left = 1.0
            # Each line of sight begins with another part of a step, or the steps would show; it ends with what is left.
            end = near + step * ((np.int64(r) * 7 + k * 3) % 8 + 1) / 8.0
            given[:] = 0.0
            own[:] = 0.0
            while near < far and left > 0.004:
                end = min(end, far)
                along, wide = 0.5 * (near + end), (end - near) * long * cell
                near, end = end, end + step
                x, y, z = place[0] + along * d[0], place[1] + along * d[1], place[2] + along * d[2]
                thick = at(density, x - 0.5, y - 0.5, z - 0.5) / 255.0
                if thick > 0.002:
                    gone = 1.0 - math.exp(-thick * take * wide)
                    shown = at(lit, x - 0.5, y - 0.5, z - 0.5) / 255.0
                    a, b, c = min(int(x), shape[0] - 1), min(int(y), shape[1] - 1), min(int(z), shape[2] - 1)
                    if tint.shape[0] > 1:
                        for n in range(3):
                            paint[n] = tint[a, b, c, n] / 255.0
                    for n in range(3):
                        given[n] += left * gone * paint[n] * (key[n] * shown + around[n])
                    for m in range(len(lamps)):
                        p, q = low[0] + cell * x - lamps[m, 0], low[1] + cell * y - lamps[m, 1]
                        s = low[2] + cell * z - lamps[m, 2]
                        share = lamps[m, 3] / (1.0 + (p * p + q * q + s * s) / lamps[m, 4] ** 2)
                        for n in range(3):
                            given[n] += left * gone * paint[n] * THROWN * colour[n] * share * lamps[m, 5 + n]
                    if hot.shape[0] > 1:
                        row = int(at(hot, x - 0.5, y - 0.5, z - 0.5))
                        for n in range(3):
                            own[n] += left * gone * glow[row, n]
                    left *= 1.0 - gone
            for c in range(3):
                image[r, k, c] = image[r, k, c] * left + given[c]
                fire[r, k, c] = fire[r, k, c] * left + own[c]


def lay_over(
    image: Array, fire: Array, depth: Array, eye: Array, axes: Array, tan: float, volume: Volume, light: Light,
    lamps: Array = NO_LAMPS,
) -> None:  # fmt: skip
    """Lay smoke over a picture, in place: image and fire (rows, columns, 3) in light, depth along the view, metres. The
    strongest of the lamps (n, 8 or more; place, strength, reach, colour) light it, through the smoke too."""
    strongest = np.argsort(-lamps[:, 3] * lamps[:, 4], kind="stable")[:LAMPS]
    key = THROWN * volume.colour * np.array(light.key)
    around = 0.5 * volume.colour * (np.array(light.sky) + 0.5 * np.array(light.ground) + 0.25 * np.array(light.fill))
    _marched(
        image, fire, depth, eye, axes, tan, volume.density, volume.lit, volume.low, volume.cell, volume.take, key,
        around, volume.hot, volume.glow, volume.tint, volume.colour, lamps[strongest],
    )  # fmt: skip
