"""Particles and those near them: kept apart, drawn together, turned alike.

Neighbours are found in a grid sorted by cell (Green, "Particle simulation using CUDA", 2010), whose cells
are hashed where most of them are empty (Teschner et al., "Optimized spatial hashing", 2003).
Overlaps are taken away by position-based projection (Müller et al., "Position based dynamics",
2007), all pairs at once from the places before (Jacobi), each correction divided by its number
of contacts; so the result depends neither on order nor on threads.
"""

import math

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Array = NDArray[np.float64]
MOST_ROUNDS = 60
DENSE = 16.0  # cells a sphere, above which a table of all cells is not worth its memory
PIECE = 512  # spheres that one thread takes at a time
AROUND = 10.0  # radii about a particle, within which its density is taken
SLACK = 0.012  # of the contact distance: an overlap that is let be
REACH = 1.5  # of each correction; the mean over contacts alone would be slow
WIDE = 1.25  # of the contact distance: how far neighbours are listed, so that a list lasts for some rounds
STRAY = 0.12  # of the least radius along an axis: as far as two may stray until a list of `WIDE` misses them


NO_ROOM = np.zeros(0, np.int32)


def spheres_of(position: Array, reach: Array) -> Array:
    """Places (n, 3) and reaches (n,) as rows of four, which one line of the cache holds."""
    made = np.empty((len(position), 4))
    made[:, :3], made[:, 3] = position, reach
    return made


@njit(cache=True, nogil=True)
def _hash(i, j, k, mask):
    return ((i * 73856093) ^ (j * 19349663) ^ (k * 83492791)) & mask


@njit(cache=True, parallel=True, nogil=True)
def _cells(spheres, cell, cells, lows, highs):
    """The cell of each sphere, and the least and greatest of each piece of them."""
    for piece in prange(len(lows)):
        for c in range(3):
            low, high = np.int64(0x7FFFFFFF), np.int64(-0x7FFFFFFF)
            for n in range(piece * PIECE, min((piece + 1) * PIECE, len(spheres))):
                at = np.int64(math.floor(spheres[n, c] / cell))
                cells[n, c] = at
                low, high = min(low, at), max(high, at)
            lows[piece, c], highs[piece, c] = low, high


@njit(cache=True, parallel=True, nogil=True)
def _keys(cells, low, shape, mask, keys):
    for n in prange(len(cells)):
        i, j, k = cells[n, 0], cells[n, 1], cells[n, 2]
        if mask < 0:
            keys[n] = ((i - low[0]) * shape[1] + j - low[1]) * shape[2] + k - low[2]
        else:
            keys[n] = _hash(i, j, k, mask)


@njit(cache=True, nogil=True)
def _counted(keys, first, order, ordered):
    """Sort by counting, stable: where each key's begin, the order, and the keys in it."""
    for key in keys:
        first[key + 1] += 1
    for key in range(1, len(first)):
        first[key] += first[key - 1]
    place = first[:-1].copy()
    for n in range(len(keys)):
        at = place[keys[n]]
        order[at], ordered[at] = n, keys[n]
        place[keys[n]] = at + 1


class Grid:
    """Spheres (n, 4) in the order of cubes of side `cell`; `first` tells where those of each key begin.

    Where the room they fill has few cells for their number, a key is a cell's place in a table of all, so that
    a row of cells is one stretch; elsewhere it is hashed (`mask` is not below 0), and cells may share one.
    """

    def __init__(self, spheres: Array, cell: float) -> None:
        n, pieces = len(spheres), -(-len(spheres) // PIECE)
        cells, keys = np.empty((n, 3), np.int64), np.empty(n, np.int64)
        lows, highs = np.empty((pieces, 3), np.int64), np.empty((pieces, 3), np.int64)
        _cells(spheres, cell, cells, lows, highs)
        low, self.shape = np.zeros(3, np.int64), np.ones(3, np.int64)
        if n:
            low = lows.min(axis=0) - 1  # a border, so that each cell has all its neighbours
            self.shape = highs.max(axis=0) - low + 2
        size = float(np.prod(self.shape.astype(float)))
        dense = 0.0 < size <= DENSE * n  # below 0 where some lie farther off than can be counted
        self.mask = -1 if dense else (1 << (2 * n).bit_length()) - 1
        _keys(cells, low, self.shape, self.mask, keys)
        self.first = np.zeros((int(size) if dense else self.mask + 1) + 2, np.int32)
        self.order, self.keys = np.empty(n, np.int64), np.empty(n, np.int64)
        _counted(keys, self.first, self.order, self.keys)
        self.cells = cells[:0] if dense else cells[self.order]


@njit(cache=True, nogil=True)
def _stretch(n, row, keys, cells, first, shape, mask):
    """Where the spheres of a row of cells about the n-th begin and end: of nine rows, or of 27 single cells
    if they are hashed; and the cell, if they are."""
    if mask < 0:
        key = keys[n] + ((row // 3 - 1) * shape[1] + row % 3 - 1) * shape[2]
        return np.uint64(first[key - 1]), np.uint64(first[key + 2]), 0, 0, 0
    i, j, k = cells[n, 0] + row // 9 - 1, cells[n, 1] + row // 3 % 3 - 1, cells[n, 2] + row % 3 - 1
    key = _hash(i, j, k, mask)
    return np.uint64(first[key]), np.uint64(first[key + 1]), i, j, k


@njit(cache=True, parallel=True, nogil=True)
def _candidates(keys, cells, first, shape, mask, counts):
    """How many spheres lie in the cells about those of each piece."""
    rows = 9 if mask < 0 else 27
    for piece in prange(len(counts) - 1):
        total = np.int64(0)
        for n in range(piece * PIECE, min((piece + 1) * PIECE, len(keys))):
            for row in range(rows):
                low, high, _i, _j, _k = _stretch(n, row, keys, cells, first, shape, mask)
                total += np.int64(high - low)
        counts[piece + 1] = total


@njit(cache=True, nogil=True)
def _of_cell(near, began, found, cells, i, j, k):
    """Leave only those of a cell in a stretch of the list; returns its end."""
    end = began
    for at in range(began, found):
        m = near[at]
        near[end] = m
        end += np.uint64((cells[m, 0] == i) & (cells[m, 1] == j) & (cells[m, 2] == k))
    return end


@njit(cache=True, parallel=True, nogil=True)
def _listed(spheres, wide, keys, cells, first, shape, mask, offsets, starts, ends, near):
    rows = 9 if mask < 0 else 27
    for piece in prange(len(offsets) - 1):
        # Counted without signs: what might be negative would be looked at before each access.
        found = np.uint64(offsets[piece])
        for n in range(np.uint64(piece * PIECE), np.uint64(min((piece + 1) * PIECE, len(spheres)))):
            starts[n] = found
            px, py, pz, reach = spheres[n, 0], spheres[n, 1], spheres[n, 2], spheres[n, 3]
            for row in range(rows):
                low, high, i, j, k = _stretch(n, row, keys, cells, first, shape, mask)
                began = found
                for m in range(low, high):
                    x, y, z = px - spheres[m, 0], py - spheres[m, 1], pz - spheres[m, 2]
                    far = wide * (reach + spheres[m, 3])
                    near[found] = np.int32(m)  # in any case, and counted if it is near: no branch to guess wrong
                    found += np.uint64((x * x + y * y + z * z < far * far) & (m != n))
                if mask >= 0:  # some may be of another cell, whose key is the same
                    found = _of_cell(near, began, found, cells, i, j, k)
            ends[n] = found


@njit(cache=True, parallel=True, nogil=True)
def _arranged(rows, order, out):
    for n in prange(len(order)):
        for c in range(rows.shape[1]):
            out[n, c] = rows[order[n], c]


@njit(cache=True, parallel=True, nogil=True)
def _put_back(spheres, velocity, order, position, going):
    for n in prange(len(order)):
        for c in range(3):
            position[order[n], c], going[order[n], c] = spheres[n, c], velocity[n, c]


class Nearby:
    """Those nearer to each of some spheres (n, 4) than `wide` times the sum of both reaches. Arrays are in the
    grid's order: the neighbours of the i-th are `near[starts[i] : ends[i]]`."""

    def __init__(self, spheres: Array, wide: float = 1.0, room: NDArray[np.int32] = NO_ROOM) -> None:
        """`room` is a list that is needed no longer; a new one costs more than what is written into it."""
        n = len(spheres)
        grid = Grid(spheres, max(2.0 * wide * float(spheres[:, 3].max(initial=0.0)), 1e-9))
        table = grid.keys, grid.cells, grid.first, grid.shape, grid.mask
        self.order, self.spheres = grid.order, np.empty((n, 4))
        _arranged(spheres, self.order, self.spheres)
        offsets = np.zeros(-(-n // PIECE) + 1, np.int64)
        _candidates(*table, offsets)
        offsets = np.cumsum(offsets)
        self.starts, self.ends = np.empty(n, np.int64), np.empty(n, np.int64)
        most = int(offsets[-1]) + 1
        self.near = room if len(room) >= most else np.empty(most + most // 8, np.int32)
        _listed(self.spheres, wide, *table, offsets, self.starts, self.ends, self.near)


@njit(cache=True, parallel=True, nogil=True)
def _pushed(spheres, mass, starts, ends, near, move, worst):
    for n in prange(len(spheres)):
        px, py, pz, reach = spheres[n, 0], spheres[n, 1], spheres[n, 2], spheres[n, 3]
        dx, dy, dz, contacts, least = 0.0, 0.0, 0.0, 0, 1.0
        for at in range(np.uint64(starts[n]), np.uint64(ends[n])):
            m = np.uint64(near[at])
            x, y, z, far = px - spheres[m, 0], py - spheres[m, 1], pz - spheres[m, 2], reach + spheres[m, 3]
            square = x * x + y * y + z * z
            if square >= far * far:
                continue
            off = math.sqrt(square)
            contacts += 1
            least = min(least, off / far)
            share = mass[m] * (far - off)
            if off > 1e-12:
                share /= (mass[n] + mass[m]) * off
                dx, dy, dz = dx + share * x, dy + share * y, dz + share * z
            else:  # one upon the other: up and down, by their numbers
                share /= mass[n] + mass[m]
                dy += share if np.uint64(n) > m else -share
        scale = min(1.0, REACH / max(contacts, 1))
        move[n, 0], move[n, 1], move[n, 2] = scale * dx, scale * dy, scale * dz
        worst[n] = 1.0 - least


@njit(cache=True, parallel=True, nogil=True)
def _calmed(spheres, velocity, mass, starts, ends, near, out):
    """Take away the speed at which touching particles come at one another."""
    for n in prange(len(spheres)):
        vx, vy, vz, contacts = 0.0, 0.0, 0.0, 0
        for at in range(starts[n], ends[n]):
            m = near[at]
            x, y, z = spheres[n, 0] - spheres[m, 0], spheres[n, 1] - spheres[m, 1], spheres[n, 2] - spheres[m, 2]
            off = math.sqrt(x * x + y * y + z * z)
            if off >= 1.02 * (spheres[n, 3] + spheres[m, 3]) or off < 1e-12:
                continue
            x, y, z = x / off, y / off, z / off
            coming = ((velocity[n, 0] - velocity[m, 0]) * x + (velocity[n, 1] - velocity[m, 1]) * y
                      + (velocity[n, 2] - velocity[m, 2]) * z)  # fmt: skip
            if coming < 0.0:
                share = -coming * mass[m] / (mass[n] + mass[m])
                vx, vy, vz, contacts = vx + share * x, vy + share * y, vz + share * z, contacts + 1
        scale = 1.0 / max(contacts, 1)
        for c in range(3):
            out[n, c] = velocity[n, c] + scale * (vx, vy, vz)[c]


@njit(cache=True, parallel=True, nogil=True)
def _shifted(spheres, move, listed, far):
    """Move all, in place; returns how far the farthest has come from where it was listed, along one axis."""
    for n in prange(len(spheres)):
        off = 0.0
        for c in range(3):
            spheres[n, c] += move[n, c]
            off = max(off, abs(spheres[n, c] - listed[n, c]))
        far[n] = off
    return far.max()


def separate(
    position: Array, velocity: Array, radius: Array, mass: Array, who: NDArray[np.bool_], gap: float,
    most: int = MOST_ROUNDS,
) -> int:  # fmt: skip
    """Move overlapping particles apart, in place, and take away the speed they come at one another with.
    Returns the rounds it took. Heavier ones give way less; `gap` is kept beyond both radii, metres."""
    order = np.flatnonzero(who)
    n, done, strayed, room = len(order), 0, np.inf, NO_ROOM
    if n < 2:
        return 0
    spheres, m = spheres_of(position[order], radius[order] + 0.5 * gap), mass[order]
    least = float(spheres[:, 3].min())
    move, listed, worst, far = np.empty((n, 3)), np.empty((n, 4)), np.empty(n), np.empty(n)
    while done < most:
        done += 1
        if strayed > STRAY * least:
            found = Nearby(spheres, WIDE, room)
            # In the order of the grid, so that what is near in space is near in memory.
            spheres, m, order, room = found.spheres, m[found.order], order[found.order], found.near
            listed[:] = spheres
        _pushed(spheres, m, found.starts, found.ends, found.near, move, worst)
        if worst.max() < SLACK:
            break
        strayed = _shifted(spheres, move, listed, far)
    going, calmer = np.empty((n, 3)), move
    _arranged(velocity, order, going)
    _calmed(spheres, going, m, found.starts, found.ends, found.near, calmer)
    _put_back(spheres, calmer, order, position, velocity)
    return done


@njit(cache=True, parallel=True, nogil=True)
def _crowded(spheres, mass, radius, starts, ends, near, out):
    for n in prange(len(spheres)):
        total, reach = mass[n], AROUND * radius[n]
        for at in range(starts[n], ends[n]):
            m = near[at]
            x, y, z = spheres[n, 0] - spheres[m, 0], spheres[n, 1] - spheres[m, 1], spheres[n, 2] - spheres[m, 2]
            if x * x + y * y + z * z < reach * reach:
                total += mass[m]
        out[n] = total / (4.0 / 3.0 * math.pi * reach**3) if reach > 0.0 else 0.0


def densities(position: Array, radius: Array, mass: Array, who: NDArray[np.bool_]) -> Array:
    """How much mass lies about each, itself included: that within ten of its radii, over the ball's volume,
    kg/m³ (n,). 0 for those that `who` leaves out and for what has no size."""
    here = np.flatnonzero(who)
    r = radius[here]
    found = Nearby(spheres_of(position[here], np.full(len(r), 0.5 * AROUND * r.max(initial=0.0))))
    there, made, told = here[found.order], np.empty(len(here)), np.zeros(len(position))
    _crowded(found.spheres, mass[there], radius[there], found.starts, found.ends, found.near, made)
    told[there] = made
    return told


@njit(cache=True, parallel=True, nogil=True)
def _means(spheres, velocity, starts, ends, near, place, going, number):
    for n in prange(len(spheres)):
        number[n] = ends[n] - starts[n]
        for c in range(3):
            place[n, c], going[n, c] = 0.0, 0.0
        for at in range(starts[n], ends[n]):
            for c in range(3):
                place[n, c] += spheres[near[at], c] / number[n]
                going[n, c] += velocity[near[at], c] / number[n]


def around(position: Array, velocity: Array, who: NDArray[np.bool_], reach: float) -> tuple[Array, Array, Array]:
    """The mean place and velocity (n, 3) of those within `reach` of each, and how many they are (n,)."""
    n, here = len(position), np.flatnonzero(who)
    found = Nearby(spheres_of(position[here], np.full(len(here), 0.5 * reach)))
    there = here[found.order]
    mean, with_, many = np.empty((len(here), 3)), np.empty((len(here), 3)), np.empty(len(here))
    _means(found.spheres, velocity[there], found.starts, found.ends, found.near, mean, with_, many)
    place, going, number = np.zeros((n, 3)), np.zeros((n, 3)), np.zeros(n)
    place[there], going[there], number[there] = mean, with_, many
    return place, going, number
