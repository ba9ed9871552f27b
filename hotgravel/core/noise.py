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
LANES = 128  # points reckoned side by side, in plain loops that the compiler makes vectors of
NOISE, CURL = 1.7, 1.1  # what brings either to about unit strength


@njit(cache=True)
def _mixed(h):
    """The finaliser of SplitMix64."""
    h ^= h >> np.uint64(30)
    h *= B
    h ^= h >> np.uint64(27)
    h *= C
    return h ^ (h >> np.uint64(31))


@njit(cache=True)
def _hash(i, j, k, t, seed):
    """A well-mixed word for a lattice point."""
    return _mixed(uint64(i) * A ^ uint64(j) * B ^ uint64(k) * C ^ uint64(t) * D ^ uint64(seed) * A)


@njit(cache=True)
def _part(h, place):
    """One of nine numbers in -1 to 1 that a word holds."""
    return float((h >> np.uint64(7 * place)) & BITS) * STEP - 1.0


@njit(cache=True)
def _between(g, h, place, sooner, later):
    """The same of two words, blended by shares that make one."""
    first = np.float64(np.int64((g >> np.uint64(7 * place)) & BITS))
    second = np.float64(np.int64((h >> np.uint64(7 * place)) & BITS))
    return (sooner * first + later * second) * STEP - 1.0


@njit(cache=True)
def _fade(u):
    return u * u * u * (u * (6.0 * u - 15.0) + 10.0), 30.0 * u * u * (u * (u - 2.0) + 1.0)


@njit(cache=True)
def _moment(time, seed):
    """The words of the moments before and after, the share of the later, and what evens the strength out:
    blending in time halves the variance half way."""
    t = np.int64(math.floor(time))
    later, _ = _fade(time - t)
    before, after = uint64(t) * D ^ uint64(seed) * A, uint64(t + 1) * D ^ uint64(seed) * A
    return before, after, later, 1.0 / math.sqrt(later * later + (1.0 - later) * (1.0 - later))


@njit(cache=True)
def _laid(points, begin, count, scale, room, words):
    """Of up to `LANES` points, along each axis: where in its cell each lies (rows 0 to 2 of `room`), the blend
    (3 to 5) and its slope (6 to 8) there, and the cell's part of the hash."""
    for axis in range(3):
        place, fade, slope, lattice = room[axis], room[3 + axis], room[6 + axis], words[axis]
        word = A if axis == 0 else B if axis == 1 else C
        for n in range(count):
            at = points[begin + n, axis] * scale
            cell = math.floor(at)
            place[n] = at - cell
            fade[n], slope[n] = _fade(place[n])
            lattice[n] = uint64(np.int64(cell)) * word


@njit(cache=True)
def _corner(c):
    """A cell's corner along the three axes: 0 or 1 each, as numbers and as parts of the hash."""
    i, j, k = c & 1, (c >> 1) & 1, c >> 2
    return float(i), float(j), float(k), uint64(i) * A, uint64(j) * B, uint64(k) * C


@njit(cache=True)
def _noises(points, begin, count, scale, time, seed, room, words, out):
    """Smooth noise at up to `LANES` points, about -1 to 1, of one lump a unit; it changes altogether within a
    unit of time. `room` and `words` are room to reckon in."""
    x, y, z, u, v, w = room[0], room[1], room[2], room[3], room[4], room[5]
    li, lj, lk = words[0], words[1], words[2]
    _laid(points, begin, count, scale, room, words)
    before, after, later, even = _moment(time, seed)
    out[:] = 0.0
    for c in range(8):
        ci, cj, ck, wi, wj, wk = _corner(c)
        ti, tj, tk = 2.0 * ci - 1.0, 2.0 * cj - 1.0, 2.0 * ck - 1.0
        for n in range(LANES):
            lattice = (li[n] + wi) ^ (lj[n] + wj) ^ (lk[n] + wk)
            g, h = _mixed(lattice ^ before), _mixed(lattice ^ after)
            weight = (1.0 - ci + ti * u[n]) * (1.0 - cj + tj * v[n]) * (1.0 - ck + tk * w[n])
            out[n] += weight * (
                _between(g, h, 0, 1.0 - later, later) * (x[n] - ci)
                + _between(g, h, 1, 1.0 - later, later) * (y[n] - cj)
                + _between(g, h, 2, 1.0 - later, later) * (z[n] - ck)
            )
    for n in range(LANES):
        out[n] *= NOISE * even


@njit(cache=True)
def _curls(points, begin, count, scale, time, seed, room, words, cx, cy, cz):
    """The curls of three noises as a potential, at up to `LANES` points: a velocity without divergence, of
    about unit strength."""
    x, y, z, u, v, w, du, dv, dw = (
        room[0], room[1], room[2], room[3], room[4], room[5], room[6], room[7], room[8],
    )  # fmt: skip
    li, lj, lk = words[0], words[1], words[2]
    _laid(points, begin, count, scale, room, words)
    before, after, later, even = _moment(time, seed)
    sooner = 1.0 - later
    cx[:] = 0.0
    cy[:] = 0.0
    cz[:] = 0.0
    for c in range(8):
        ci, cj, ck, wi, wj, wk = _corner(c)
        ti, tj, tk = 2.0 * ci - 1.0, 2.0 * cj - 1.0, 2.0 * ck - 1.0
        for n in range(LANES):
            lattice = (li[n] + wi) ^ (lj[n] + wj) ^ (lk[n] + wk)
            g, h = _mixed(lattice ^ before), _mixed(lattice ^ after)
            px, py, pz = x[n] - ci, y[n] - cj, z[n] - ck
            a0, a1, a2 = 1.0 - ci + ti * u[n], 1.0 - cj + tj * v[n], 1.0 - ck + tk * w[n]
            d0, d1, d2 = ti * du[n] * a1 * a2, tj * dv[n] * a0 * a2, tk * dw[n] * a0 * a1
            weight = a0 * a1 * a2
            # Gradients of the three potentials at this corner, and the potentials themselves.
            fx, fy, fz = (
                _between(g, h, 0, sooner, later), _between(g, h, 1, sooner, later), _between(g, h, 2, sooner, later),
            )  # fmt: skip
            gx, gy, gz = (
                _between(g, h, 3, sooner, later), _between(g, h, 4, sooner, later), _between(g, h, 5, sooner, later),
            )  # fmt: skip
            hx, hy, hz = (
                _between(g, h, 6, sooner, later), _between(g, h, 7, sooner, later), _between(g, h, 8, sooner, later),
            )  # fmt: skip
            f, p, q = fx * px + fy * py + fz * pz, gx * px + gy * py + gz * pz, hx * px + hy * py + hz * pz
            cx[n] += (q * d1 + weight * hy) - (p * d2 + weight * gz)
            cy[n] += (f * d2 + weight * fz) - (q * d0 + weight * hx)
            cz[n] += (p * d0 + weight * gx) - (f * d1 + weight * fy)
    for n in range(LANES):
        cx[n], cy[n], cz[n] = CURL * even * cx[n], CURL * even * cy[n], CURL * even * cz[n]


@njit(cache=True, parallel=True, nogil=True)
def _noise_at(points, out, size, time, octaves, seed):
    for piece in prange(-(-len(points) // LANES)):
        room, words, made = np.zeros((9, LANES)), np.zeros((3, LANES), np.uint64), np.empty(LANES)
        begin = piece * LANES
        count = min(LANES, len(points) - begin)
        weight, sum2, s = 1.0, 0.0, 1.0 / size
        total = np.zeros(LANES)
        for o in range(octaves):
            _noises(points, begin, count, s, time, seed + o, room, words, made)
            total += weight * made
            sum2 += weight * weight
            weight *= 0.5
            s *= 2.0
        for n in range(count):
            out[begin + n] = total[n] / math.sqrt(sum2)


def noise_at(points: Array, *, size: float, time: float = 0.0, octaves: int = 1, seed: int = 1) -> Array:
    """Noise at points (n, 3) metres, lumps of `size` metres, each octave half as large and half as
    strong; `time` counts complete changes. Returns (n,), about -1 to 1, of mean 0."""
    out = np.empty(len(points))
    _noise_at(np.ascontiguousarray(points), out, size, time, octaves, seed)
    return out


@njit(cache=True, parallel=True, nogil=True)
def _curl_at(points, out, size, time, octaves, seed):
    for piece in prange(-(-len(points) // LANES)):
        room, words, made = np.zeros((9, LANES)), np.zeros((3, LANES), np.uint64), np.empty((3, LANES))
        begin = piece * LANES
        count = min(LANES, len(points) - begin)
        weight, sum2, s = 1.0, 0.0, 1.0 / size
        total = np.zeros((3, LANES))
        for o in range(octaves):
            _curls(points, begin, count, s, time, seed + o, room, words, made[0], made[1], made[2])
            total += weight * made
            sum2 += weight * weight
            weight *= 0.5
            s *= 2.0
        for n in range(count):
            for c in range(3):
                out[begin + n, c] = total[c, n] / math.sqrt(sum2)


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
