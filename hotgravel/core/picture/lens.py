"""What a lens and its shutter do to a picture: what is out of focus is blurred, what moves is drawn out.

Focus is that of a thin lens: a point at z metres is a disc on the picture, as wide as the aperture times |z - s| / z
seen at the distance s that is sharp (Potmesil and Chakravarty 1981). Motion is gathered along the longest way in the
neighbourhood of a pixel (McGuire, Hennessy, Bukowski and Osman 2012, simplified: one way a neighbourhood).
"""

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.picture.raster import NOTHING

Array = NDArray[np.float64]
WIDEST = 24.0  # pixels: no disc is drawn larger
TILE = 16  # pixels of the side of a neighbourhood
SAMPLES = 12  # along the way of what moves


def discs(depth: Array, focus: float, aperture: float, tan: float) -> Array:
    """The radius in pixels that a point at each depth (rows, columns) is drawn with; the backdrop is infinitely far."""
    near = np.where(np.isfinite(depth), depth, 1.0)
    off = np.where(np.isfinite(depth), np.abs(near - focus) / np.maximum(near, 1e-6), 1.0)
    scale = 0.5 * len(depth) / tan
    return np.minimum(0.5 * aperture * off / focus * scale, WIDEST)


def defocused(image: Array, depth: Array, radius: Array) -> Array:
    """An image (rows, columns, n) with each point spread over its disc."""
    out = np.empty_like(image)
    _gather(image, np.where(np.isfinite(depth), depth, 1e30), np.maximum(radius, 0.5), float(radius.max()), out)
    return out


@njit(cache=True, parallel=True, nogil=True)
def _gather(image, depth, radius, most, out):
    rows, columns, colours = image.shape
    reach = math.ceil(most)
    for r in prange(rows):
        total = np.empty(colours)
        for k in range(columns):
            total[:] = 0.0
            weights = 0.0
            for i in range(max(0, r - reach), min(rows, r + reach + 1)):
                for j in range(max(0, k - reach), min(columns, k + reach + 1)):
                    wide = radius[i, j]
                    if depth[i, j] > depth[r, k]:
                        wide = min(wide, radius[r, k])  # what lies behind does not spread over what is sharp
                    off = float((i - r) * (i - r) + (j - k) * (j - k))
                    if off > wide * wide:
                        continue
                    weight = 1.0 / (wide * wide)
                    weights += weight
                    for c in range(colours):
                        total[c] += weight * image[i, j, c]
            for c in range(colours):
                out[r, k, c] = total[c] / weights


@njit(cache=True, parallel=True, nogil=True)
def ways(depth, which, eye, axes, tan, faces, velocity, ball_velocity, shutter, out):
    """How far each pixel moves while the shutter is open, into out (rows, columns, 2), pixels right and down: by the
    velocities of vertices (V, 3) and of balls (n, 3), m/s."""
    rows, columns = depth.shape
    scale = 0.5 * rows / tan
    for r in prange(rows):
        moved = np.empty(3)
        for k in range(columns):
            name = which[r, k]
            out[r, k, 0], out[r, k, 1] = 0.0, 0.0
            if name == NOTHING:
                continue
            for c in range(3):
                if name < NOTHING:
                    moved[c] = ball_velocity[-2 - name, c]
                else:
                    a, b, e = faces[name, 0], faces[name, 1], faces[name, 2]
                    moved[c] = (velocity[a, c] + velocity[b, c] + velocity[e, c]) / 3.0
            z = depth[r, k]
            u, v = (k + 0.5 - 0.5 * columns) / scale, (0.5 * rows - r - 0.5) / scale
            right, up, on = 0.0, 0.0, 0.0
            for c in range(3):
                right += axes[0, c] * moved[c] * shutter
                up += axes[1, c] * moved[c] * shutter
                on += axes[2, c] * moved[c] * shutter
            before = max(z - on, 1e-3)
            out[r, k, 0] = scale * (u - (u * z - right) / before)
            out[r, k, 1] = -scale * (v - (v * z - up) / before)


def smeared(image: Array, depth: Array, moved: Array) -> Array:
    """An image (rows, columns, n) with what moves drawn out along its way (rows, columns, 2)."""
    rows, columns = depth.shape
    most = _longest(moved, -(-rows // TILE), -(-columns // TILE))
    if not (np.abs(most) > 0.5).any():
        return image
    out = np.empty_like(image)
    _along(image, np.where(np.isfinite(depth), depth, 1e30), moved, most, out)
    return out


@njit(cache=True)
def _longest(moved, tall, wide):
    """The longest way in each neighbourhood and those beside it: (tall, wide, 2)."""
    own, found = np.zeros((tall, wide, 2)), np.zeros((tall, wide, 2))
    for r in range(len(moved)):
        for k in range(moved.shape[1]):
            i, j = r // TILE, k // TILE
            if moved[r, k, 0] ** 2 + moved[r, k, 1] ** 2 > own[i, j, 0] ** 2 + own[i, j, 1] ** 2:
                own[i, j] = moved[r, k]
    for i in range(tall):
        for j in range(wide):
            for a in range(max(0, i - 1), min(tall, i + 2)):
                for b in range(max(0, j - 1), min(wide, j + 2)):
                    if own[a, b, 0] ** 2 + own[a, b, 1] ** 2 > found[i, j, 0] ** 2 + found[i, j, 1] ** 2:
                        found[i, j] = own[a, b]
    return found


@njit(cache=True, parallel=True, nogil=True)
def _along(image, depth, moved, most, out):
    rows, columns, colours = image.shape
    for r in prange(rows):
        for k in range(columns):
            x, y = most[r // TILE, k // TILE, 0], most[r // TILE, k // TILE, 1]
            long = math.sqrt(x * x + y * y)
            if long < 0.5:
                for c in range(colours):
                    out[r, k, c] = image[r, k, c]
                continue
            for c in range(colours):
                out[r, k, c] = 0.0
            mine = (moved[r, k, 0] * x + moved[r, k, 1] * y) / long
            for s in range(SAMPLES):
                share = (s + 0.5) / SAMPLES
                # A moment before the end: what now lies ahead on the way was here; what is here was farther back.
                i, j = int(r + 0.5 + share * y), int(k + 0.5 + share * x)
                p, q = np.int64(r), np.int64(k)
                if 0 <= i < rows and 0 <= j < columns:
                    its = (moved[i, j, 0] * x + moved[i, j, 1] * y) / long
                    if its > share * long and depth[i, j] <= depth[r, k] + 1e-3 * depth[r, k]:
                        p, q = np.int64(i), np.int64(j)
                    elif mine > share * long:
                        # It was not here yet: what lies behind is taken from beyond its trailing edge.
                        i, j = int(r + 0.5 - (1.0 - share) * y), int(k + 0.5 - (1.0 - share) * x)
                        if 0 <= i < rows and 0 <= j < columns and depth[i, j] > depth[r, k]:
                            p, q = np.int64(i), np.int64(j)
                for c in range(colours):
                    out[r, k, c] += image[p, q, c] / SAMPLES
