"""Smooth noise in space and time, and the curl of a potential made of it.

Gradient noise after Perlin, "Improving Noise" (2002): a random gradient at each lattice point,
blended by the quintic 6u^5 - 15u^4 + 10u^3; here with derivatives, and with hashed gradients
instead of a table, so that it has no period and any number is a seed. In time, two such noises
are blended, so that a field changes in place. Curl noise: Bridson, Hourihan and Nordenstam,
"Curl-Noise for Procedural Fluid Flow" (2007): the curl of any potential is free of divergence.
"""

import math

import numpy as np
from numba import njit, prange, uint64
from numpy.typing import NDArray

Array = NDArray[np.float64]
A, B, C, D = (np.uint64(x) for x in (0x9E3779B97F4A7C15, 0xBF58476D1CE4E5B9, 0x94D049BB133111EB, 0xD6E8FEB86659FD93))
BITS = np.uint64(127)
TAU = 2.0 * math.pi
STEP = 1.0 / 63.5  # multiplied by: nine divisions a corner would take most of the time


@njit(cache=True)
def _hash(i, j, k, t, seed):
    """A well-mixed word for a lattice point: the finaliser of SplitMix64 over its coordinates."""
    h = uint64(i) * A ^ uint64(j) * B ^ uint64(k) * C ^ uint64(t) * D ^ uint64(seed) * A
    h ^= h >> np.uint64(30)
    h *= B
    h ^= h >> np.uint64(27)
    h *= C
    return h ^ (h >> np.uint64(31))


@njit(cache=True)
def _part(h, place):
    """One of nine numbers in -1 to 1 that a word holds."""
    return float((h >> np.uint64(7 * place)) & BITS) * STEP - 1.0


@njit(cache=True)
def _fade(u):
    return u * u * u * (u * (6.0 * u - 15.0) + 10.0), 30.0 * u * u * (u * (u - 2.0) + 1.0)


@njit(cache=True)
def noise(x, y, z, time, seed):
    """Smooth noise at a point, about -1 to 1, of one lump a unit; changes altogether within a unit of time."""
    i, j, k, t = math.floor(x), math.floor(y), math.floor(z), math.floor(time)
    x, y, z = x - i, y - j, z - k
    u, _ = _fade(x)
    v, _ = _fade(y)
    w, _ = _fade(z)
    later, _ = _fade(time - t)
    total = 0.0
    for b in range(2):
        share = later if b else 1.0 - later
        if share == 0.0:
            continue
        for c in range(8):
            ci, cj, ck = c & 1, (c >> 1) & 1, c >> 2
            h = _hash(i + ci, j + cj, k + ck, t + b, seed)
            weight = (u if ci else 1.0 - u) * (v if cj else 1.0 - v) * (w if ck else 1.0 - w)
            dot = _part(h, 0) * (x - ci) + _part(h, 1) * (y - cj) + _part(h, 2) * (z - ck)
            total += share * weight * dot
    # Blending in time halves the variance half way; this puts it back.
    return 1.7 * total / math.sqrt(later * later + (1.0 - later) * (1.0 - later))


@njit(cache=True)
def curl(x, y, z, time, seed):
    """The curl of three noises as a potential: a velocity without divergence, of about unit strength."""
    i, j, k, t = math.floor(x), math.floor(y), math.floor(z), math.floor(time)
    x, y, z = x - i, y - j, z - k
    u, du = _fade(x)
    v, dv = _fade(y)
    w, dw = _fade(z)
    later, _ = _fade(time - t)
    cx, cy, cz = 0.0, 0.0, 0.0
    for b in range(2):
        share = later if b else 1.0 - later
        if share == 0.0:
            continue
        for c in range(8):
            ci, cj, ck = c & 1, (c >> 1) & 1, c >> 2
            h = _hash(i + ci, j + cj, k + ck, t + b, seed)
            px, py, pz = x - ci, y - cj, z - ck
            a0, a1, a2 = (u if ci else 1.0 - u), (v if cj else 1.0 - v), (w if ck else 1.0 - w)
            d0, d1, d2 = (du if ci else -du) * a1 * a2, (dv if cj else -dv) * a0 * a2, (dw if ck else -dw) * a0 * a1
            weight = share * a0 * a1 * a2
            d0, d1, d2 = share * d0, share * d1, share * d2
            # Gradients of the three potentials at this corner, and the potentials themselves.
            fx, fy, fz = _part(h, 0), _part(h, 1), _part(h, 2)
            gx, gy, gz = _part(h, 3), _part(h, 4), _part(h, 5)
            hx, hy, hz = _part(h, 6), _part(h, 7), _part(h, 8)
            f, g, q = fx * px + fy * py + fz * pz, gx * px + gy * py + gz * pz, hx * px + hy * py + hz * pz
            cx += (q * d1 + weight * hy) - (g * d2 + weight * gz)
            cy += (f * d2 + weight * fz) - (q * d0 + weight * hx)
            cz += (g * d0 + weight * gx) - (f * d1 + weight * fy)
    scale = 1.1 / math.sqrt(later * later + (1.0 - later) * (1.0 - later))
    return scale * cx, scale * cy, scale * cz


@njit(cache=True, parallel=True)
def _noise_at(points, out, size, time, octaves, seed):
    for n in prange(len(points)):
        total, weight, sum2, s = 0.0, 1.0, 0.0, 1.0 / size
        for o in range(octaves):
            total += weight * noise(points[n, 0] * s, points[n, 1] * s, points[n, 2] * s, time, seed + o)
            sum2 += weight * weight
            weight *= 0.5
            s *= 2.0
        out[n] = total / math.sqrt(sum2)


def noise_at(points: Array, *, size: float, time: float = 0.0, octaves: int = 1, seed: int = 1) -> Array:
    """Noise at points (n, 3) metres, lumps of `size` metres, each octave half as large and half as
    strong; `time` counts complete changes. Returns (n,), about -1 to 1, of mean 0."""
    out = np.empty(len(points))
    _noise_at(np.ascontiguousarray(points), out, size, time, octaves, seed)
    return out


@njit(cache=True, parallel=True)
def _curl_at(points, out, size, time, octaves, seed):
    for n in prange(len(points)):
        weight, sum2, s = 1.0, 0.0, 1.0 / size
        tx, ty, tz = 0.0, 0.0, 0.0
        for o in range(octaves):
            x, y, z = curl(points[n, 0] * s, points[n, 1] * s, points[n, 2] * s, time, seed + o)
            tx, ty, tz = tx + weight * x, ty + weight * y, tz + weight * z
            sum2 += weight * weight
            weight *= 0.5
            s *= 2.0
        sum2 = math.sqrt(sum2)
        out[n, 0], out[n, 1], out[n, 2] = tx / sum2, ty / sum2, tz / sum2


def curl_at(points: Array, *, size: float, time: float = 0.0, octaves: int = 1, seed: int = 1) -> Array:
    """Curl noise at points (n, 3): velocities (n, 3) of about unit strength, without divergence."""
    out = np.empty((len(points), 3))
    _curl_at(np.ascontiguousarray(points), out, size, time, octaves, seed)
    return out


@njit(cache=True)
def _line(times, out, period, steps, fall, rise, seed):
    for n in range(len(times)):
        total, sum2, weight, s = 0.0, 0.0, 1.0, 1.0 / period
        for o in range(steps):
            x = times[n] * s
            i = math.floor(x)
            u = x - i
            a, b = _part(_hash(i, o, 0, 0, seed), 0), _part(_hash(i + 1, o, 0, 0, seed), 0)
            f, _ = _fade(u)
            total += weight * ((1.0 - f) * a * u + f * b * (u - 1.0))
            sum2 += weight * weight
            weight *= fall
            s *= rise
        out[n] = total / (0.144 * math.sqrt(sum2))


def line_noise(times: Array, *, period: float, octaves: int, fall: float, seed: int) -> Array:
    """Noise over time (n,), of deviation about one half: each octave twice as fast and `fall` as strong."""
    out = np.empty(len(times))
    _line(np.ascontiguousarray(times, float), out, period, octaves, fall, 2.0, seed)
    return 0.5 * out
