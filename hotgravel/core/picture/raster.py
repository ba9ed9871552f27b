"""What a camera sees at each pixel: the nearest of triangles and balls.

A pixel keeps how far before the camera that is, and which it is: a triangle by its place, a ball as -2 - its place, -1
for nothing. Bands of rows are worked on side by side, each with all triangles in their order, so the result does not
hang on the threads.
"""

import math

import numpy as np
from numba import njit, prange

NOTHING = -1
NEAR = 0.02  # metres: nearer to a lens nothing is drawn
LEAST = 0.85  # pixels: what is smaller is drawn so large, and fainter
BANDS = 16  # parts of a picture that are worked on side by side


@njit(cache=True, inline="always")
def from_all_over(n, many):
    """The row, or band of rows, to work on as the n-th: even before odd ones, so that no thread has all of the sky."""
    at, half = np.int64(n), (many + 1) // 2
    return np.uint64(2 * at if at < half else 2 * (at - half) + 1)


@njit(cache=True, parallel=True, nogil=True)
def _seen_from(eye, axes, points, seen):
    """Points (n, 3) along the camera's right, up and forward."""
    for i in prange(len(points)):
        x, y, z = points[i, 0] - eye[0], points[i, 1] - eye[1], points[i, 2] - eye[2]
        for c in range(3):
            seen[i, c] = axes[c, 0] * x + axes[c, 1] * y + axes[c, 2] * z


@njit(cache=True, inline="always")
def _clipped(seen, a, b, c, corners):
    """The part of a triangle that lies farther than NEAR, into corners (4, 3). Returns how many it has."""
    three, kept = (a, b, c), 0
    for k in range(3):
        p, q = three[k], three[(k + 1) % 3]
        if seen[p, 2] >= NEAR:
            for e in range(3):
                corners[kept, e] = seen[p, e]
            kept += 1
        if (seen[p, 2] < NEAR) != (seen[q, 2] < NEAR):
            t = (NEAR - seen[p, 2]) / (seen[q, 2] - seen[p, 2])
            for e in range(3):
                corners[kept, e] = seen[p, e] + t * (seen[q, e] - seen[p, e])
            kept += 1
    return kept


@njit(cache=True)
def _fill(ax, ay, az, bx, by, bz, cx, cy, cz, name, flat, top, bottom, past, depth, which):
    """A triangle on the screen, between two rows. z are distances before the camera; between corners their inverses
    are linear, or they themselves where the camera has no perspective (`flat`)."""
    area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
    if area == 0.0:
        return
    share = 1.0 / area
    left, right = max(0, int(min(ax, bx, cx) - 0.5)), min(depth.shape[1], int(max(ax, bx, cx) + 0.5) + 1)
    first, last = max(top, int(min(ay, by, cy) - 0.5)), min(bottom, int(max(ay, by, cy) + 0.5) + 1)
    if not flat:
        az, bz, cz = 1.0 / az, 1.0 / bz, 1.0 / cz
    for r in range(first, last):
        py = r + 0.5
        for k in range(left, right):
            px = k + 0.5
            u = ((bx - px) * (cy - py) - (cx - px) * (by - py)) * share
            v = ((cx - px) * (ay - py) - (ax - px) * (cy - py)) * share
            w = 1.0 - u - v
            if u < -1e-9 or v < -1e-9 or w < -1e-9:
                continue
            z = u * az + v * bz + w * cz
            if not flat:
                z = 1.0 / z
            if past[r, k] < z < depth[r, k]:
                depth[r, k] = z
                which[r, k] = name


@njit(cache=True, parallel=True, nogil=True)
def _draw_triangles(seen, faces, tan, flat, past, depth, which):
    rows, columns = depth.shape
    scale, mid_x, mid_y = 0.5 * rows / tan, 0.5 * columns, 0.5 * rows
    for n in prange(BANDS):
        band = np.int64(from_all_over(n, BANDS))
        top, bottom = band * rows // BANDS, (band + 1) * rows // BANDS
        corners, x, y = np.empty((4, 3)), np.empty(4), np.empty(4)
        for f in range(len(faces)):
            a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
            if flat:
                for e in range(3):
                    corners[0, e], corners[1, e], corners[2, e] = seen[a, e], seen[b, e], seen[c, e]
                kept = 3
            elif max(seen[a, 2], seen[b, 2], seen[c, 2]) < NEAR:
                continue
            else:
                kept = _clipped(seen, a, b, c, corners)
            for i in range(kept):
                far = 1.0 if flat else corners[i, 2]
                x[i], y[i] = mid_x + scale * corners[i, 0] / far, mid_y - scale * corners[i, 1] / far
            for i in range(1, kept - 1):
                _fill(
                    x[0], y[0], corners[0, 2], x[i], y[i], corners[i, 2], x[i + 1], y[i + 1], corners[i + 1, 2], f,
                    flat, top, bottom, past, depth, which,
                )  # fmt: skip


@njit(cache=True, parallel=True, nogil=True)
def _draw_balls(seen, radius, least, tan, flat, past, depth, which):
    """Balls as discs that bulge towards the camera, at least `least` pixels wide."""
    rows, columns = depth.shape
    scale = 0.5 * rows / tan
    for n in prange(BANDS):
        band = np.int64(from_all_over(n, BANDS))
        top, bottom = band * rows // BANDS, (band + 1) * rows // BANDS
        for i in range(len(radius)):
            z = seen[i, 2]
            if z < NEAR and not flat:
                continue
            far = 1.0 if flat else z
            x, y = 0.5 * columns + scale * seen[i, 0] / far, 0.5 * rows - scale * seen[i, 1] / far
            size = max(least, scale * radius[i] / far)
            for r in range(max(top, int(y - size)), min(bottom, int(y + size) + 2)):
                for k in range(max(0, int(x - size)), min(columns, int(x + size) + 2)):
                    off = ((k + 0.5 - x) ** 2 + (r + 0.5 - y) ** 2) / (size * size)
                    if off > 1.0:
                        continue
                    front = z - radius[i] * math.sqrt(1.0 - off)
                    if past[r, k] < front < depth[r, k]:
                        depth[r, k] = front
                        which[r, k] = -2 - i


@njit(cache=True, parallel=True, nogil=True)
def glow(image, depth, seen, gone, tan, radius, light, spread):
    """Adds soft glowing discs (n,) of a light (n, 3) to an image, but for what lies behind what is drawn. While the
    shutter is open they go from `gone` to `seen` (n, 3), and are drawn out between; `spread` (n,) is how many pixels
    they are blurred by."""
    rows, columns = depth.shape
    scale = 0.5 * rows / tan
    for n in prange(BANDS):
        band = np.int64(from_all_over(n, BANDS))
        top, bottom = band * rows // BANDS, (band + 1) * rows // BANDS
        for i in range(len(radius)):
            z, w = seen[i, 2], gone[i, 2]
            if z <= 0.05 or w <= 0.05:
                continue
            x, y = 0.5 * columns + scale * seen[i, 0] / z, 0.5 * rows - scale * seen[i, 1] / z
            bx, by = 0.5 * columns + scale * gone[i, 0] / w - x, 0.5 * rows - scale * gone[i, 1] / w - y
            size = max(scale * radius[i] / z, LEAST)
            long = bx * bx + by * by
            drawn_out = size / (size + 0.3 * math.sqrt(long))  # what is drawn out is fainter
            reach, strength = 2.2 * size, max(scale * radius[i] / z / size, 0.45) * (0.45 + 0.55 * drawn_out)
            strength *= (reach / (reach + spread[i])) ** 2
            reach += spread[i]
            for r in range(max(top, int(min(y, y + by) - reach)), min(bottom, int(max(y, y + by) + reach) + 2)):
                for k in range(max(0, int(min(x, x + bx) - reach)), min(columns, int(max(x, x + bx) + reach) + 2)):
                    if depth[r, k] < z - 2.0 * radius[i]:
                        continue
                    dx, dy = k + 0.5 - x, r + 0.5 - y
                    t = min(max((dx * bx + dy * by) / (long + 1e-9), 0.0), 1.0)
                    off = ((dx - t * bx) ** 2 + (dy - t * by) ** 2) / (reach * reach)
                    if off < 1.0:
                        for c in range(3):
                            image[r, k, c] += strength * (1.0 - off) ** 2 * light[i, c]


def seen_from(eye, axes, points):
    """Points (n, 3) in a camera's right, up and forward."""
    seen = np.empty((len(points), 3))
    _seen_from(eye, axes, points, seen)
    return seen


def drawn(size, eye, axes, tan, vertices, faces, places, radius, flat=False, least=0.75, past=None):
    """What a camera sees: depth and which (rows, columns), of triangles (F, 3) of vertices (V, 3) and of balls at
    places (n, 3). A `flat` camera has no perspective: half of its height is `tan` metres. Only what lies farther than
    `past` (rows, columns) is seen, if that is given."""
    past = np.full(size, -np.inf) if past is None else past
    depth, which = np.full(size, np.inf), np.full(size, NOTHING, np.int64)
    _draw_triangles(seen_from(eye, axes, vertices), faces, tan, flat, past, depth, which)
    _draw_balls(seen_from(eye, axes, places), radius, least, tan, flat, past, depth, which)
    return depth, which
