"""Which pieces share faces, and those faces: triangles of two pieces that lie in one plane and look at each other,
clipped to where both are (Sutherland and Hodgman 1974)."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
CLOSE = 1e-7  # of the size of all: planes that near are one
FLAT = 1e-6  # one less the cosine of an angle: normals that near are one
SLIVER = 1e-9  # of the size squared: a smaller shared face is rounding
DEEP = (0.2, 0.1)  # pieces are at least so far apart: of their face's width, or of their volume over its area


@dataclass(frozen=True, eq=False)
class Faces:
    """The faces that neighbours share: pairs (B, 2) of pieces; areas (B,) m²; middles (B, 3); normals (B, 3) out of
    the first into the second; seconds (B, 3, 3), m⁴, the second moments of area about the middle; and apart (B,)
    metres, from centre to centre along the normal."""

    pairs: Ints
    areas: Array
    middles: Array
    normals: Array
    seconds: Array
    apart: Array


def shared_by(corners: Sequence[Array], centres: Array, volumes: Array, size: float) -> Faces:
    """The faces that pieces share, from the triangles (k, 3, 3) that cuts have made of each, and the centres (n, 3) and
    volumes (n,) of the pieces."""
    low = np.array([of.min(axis=(0, 1), initial=np.inf) for of in corners]) - CLOSE * size
    high = np.array([of.max(axis=(0, 1), initial=-np.inf) for of in corners]) + CLOSE * size
    pairs = _near(low, high)
    starts = np.concatenate([[0], np.cumsum([len(of) for of in corners])])
    told = np.zeros((len(pairs), 16))
    _matched(np.concatenate(corners), starts, pairs, low, high, CLOSE * size, told)
    there = told[:, 0] > SLIVER * size * size
    pairs, told = pairs[there], told[there]
    area = told[:, 0]
    middle = told[:, 4:7] / area[:, None]
    normal = told[:, 1:4] / np.maximum(np.linalg.norm(told[:, 1:4], axis=1), 1e-300)[:, None]
    second = told[:, 7:].reshape(-1, 3, 3) - area[:, None, None] * middle[:, :, None] * middle[:, None, :]
    apart = np.abs(np.einsum("bi,bi->b", centres[pairs[:, 1]] - centres[pairs[:, 0]], normal))
    least = np.minimum(DEEP[0] * np.sqrt(area), DEEP[1] * volumes[pairs].sum(axis=1) / area)
    return Faces(pairs, area, middle, normal, second, np.maximum(apart, least))


def _near(low: Array, high: Array) -> Ints:
    """Pairs (P, 2) of boxes that overlap, the lower number first."""
    order = np.argsort(low[:, 0], kind="stable")
    last = np.searchsorted(low[order, 0], high[order, 0], side="right")
    found = []
    for place, one in enumerate(order):
        ahead = order[place + 1 : last[place]]
        over = (low[ahead] <= high[one]).all(axis=1) & (high[ahead] >= low[one]).all(axis=1)
        found.append(np.stack([np.full(over.sum(), one), ahead[over]], axis=1))
    pairs = np.sort(np.concatenate(found), axis=1) if found else np.zeros((0, 2), np.int64)
    return pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))]


@njit(cache=True)
def _plane(corners, out):
    """A triangle's unit normal into out (3,); its area."""
    ux, uy, uz = corners[1, 0] - corners[0, 0], corners[1, 1] - corners[0, 1], corners[1, 2] - corners[0, 2]
    vx, vy, vz = corners[2, 0] - corners[0, 0], corners[2, 1] - corners[0, 1], corners[2, 2] - corners[0, 2]
    x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    twice = math.sqrt(x * x + y * y + z * z)
    if twice > 0.0:
        out[0], out[1], out[2] = x / twice, y / twice, z / twice
    return 0.5 * twice


@njit(cache=True)
def _clipped(one, normal, polygon, other):
    """The part of a triangle `other` that lies over the triangle `one` in its plane, into polygon (2, 9, 3); how many
    corners it has, and which half of `polygon` holds them."""
    count, now = 3, 0
    for k in range(3):
        polygon[0, k] = other[k]
    for edge in range(3):
        a, b = one[edge], one[(edge + 1) % 3]
        # Into the triangle, square to its edge.
        ex, ey, ez = b[0] - a[0], b[1] - a[1], b[2] - a[2]
        nx, ny, nz = normal[1] * ez - normal[2] * ey, normal[2] * ex - normal[0] * ez, normal[0] * ey - normal[1] * ex
        made = 0
        for k in range(count):
            p, q = polygon[now, k], polygon[now, (k + 1) % count]
            dp = nx * (p[0] - a[0]) + ny * (p[1] - a[1]) + nz * (p[2] - a[2])
            dq = nx * (q[0] - a[0]) + ny * (q[1] - a[1]) + nz * (q[2] - a[2])
            if dp >= 0.0:
                polygon[1 - now, made] = p
                made += 1
            if (dp > 0.0 and dq < 0.0) or (dp < 0.0 and dq > 0.0):
                share = dp / (dp - dq)
                for c in range(3):
                    polygon[1 - now, made, c] = p[c] + share * (q[c] - p[c])
                made += 1
        count, now = made, 1 - now
        if count < 3:
            return 0, now
    return count, now


@njit(cache=True)
def _added(polygon, count, normal, told):
    """Add a polygon (n, 3) to the sums `told`: area, its normal, first and second moments."""
    fan = np.empty((3, 3))
    fan[0] = polygon[0]
    way = np.empty(3)
    for k in range(1, count - 1):
        fan[1], fan[2] = polygon[k], polygon[k + 1]
        area = _plane(fan, way)
        told[0] += area
        for c in range(3):
            total = fan[0, c] + fan[1, c] + fan[2, c]
            told[1 + c] += area * normal[c]
            told[4 + c] += area * total / 3.0
            for d in range(3):
                others = fan[0, d] + fan[1, d] + fan[2, d]
                square = fan[0, c] * fan[0, d] + fan[1, c] * fan[1, d] + fan[2, c] * fan[2, d]
                told[7 + 3 * c + d] += area / 12.0 * (square + total * others)


@njit(cache=True)
def _apart(corners, low, high):
    """Whether a triangle's box lies beside another."""
    for c in range(3):
        if max(corners[0, c], corners[1, c], corners[2, c]) < low[c]:
            return True
        if min(corners[0, c], corners[1, c], corners[2, c]) > high[c]:
            return True
    return False


@njit(cache=True, parallel=True, nogil=True)
def _matched(corners, starts, pairs, low, high, close, told):
    """For each pair, the sums over what its triangles share: area, normal (3), first (3) and second moments (9)."""
    for p in prange(len(pairs)):
        i, j = pairs[p, 0], pairs[p, 1]
        least, most = np.maximum(low[i], low[j]), np.minimum(high[i], high[j])
        polygon, mine, theirs = np.empty((2, 9, 3)), np.zeros(3), np.zeros(3)
        under, over = np.empty(3), np.empty(3)
        beside = np.empty(starts[j + 1] - starts[j], np.int64)
        many = 0
        for k in range(starts[j], starts[j + 1]):
            if not _apart(corners[k], least, most):
                beside[many] = k
                many += 1
        for t in range(starts[i], starts[i + 1]):
            one = corners[t]
            if _apart(one, least, most) or _plane(one, mine) == 0.0:
                continue
            for c in range(3):
                under[c] = min(one[0, c], one[1, c], one[2, c]) - close
                over[c] = max(one[0, c], one[1, c], one[2, c]) + close
            for m in range(many):
                other = corners[beside[m]]
                if _apart(other, under, over) or _plane(other, theirs) == 0.0:
                    continue
                if mine[0] * theirs[0] + mine[1] * theirs[1] + mine[2] * theirs[2] > FLAT - 1.0:
                    continue
                off = 0.0
                for c in range(3):
                    off += mine[c] * (other[0, c] + other[1, c] + other[2, c] - one[0, c] - one[1, c] - one[2, c])
                if abs(off) > 3.0 * close:
                    continue
                count, now = _clipped(one, mine, polygon, other)
                if count:
                    _added(polygon[now], count, mine, told[p])
