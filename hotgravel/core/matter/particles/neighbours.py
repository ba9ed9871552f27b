"""Particles and those near them: kept apart, drawn together, turned alike.

Neighbours are found in a grid sorted by cell (Green, "Particle simulation using CUDA", 2010).
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
LAST = 0x7FFFFFFFFFFFFFFF  # the key of those who take no part
DENSE = 16.0  # cells a point, above which a table of all cells is not worth its memory
SLACK = 0.012  # of the contact distance: an overlap that is let be
REACH = 1.5  # of each correction; the mean over contacts alone would be slow


@njit(cache=True)
def _key(i, j, k):
    """A cell's number: its row hashed, and its place in the row, so that a row's cells follow one another."""
    row = ((i * 73856093) ^ (j * 19349663)) & 0x3FFFFFFF
    return (row << 32) | ((k + 0x80000000) & 0xFFFFFFFF)


@njit(cache=True, parallel=True)
def _cells(position, who, cell, cells):
    for n in prange(len(position)):
        for c in range(3):
            cells[n, c] = math.floor(position[n, c] / cell) if who[n] else 0


@njit(cache=True, parallel=True)
def _keys(cells, who, low, shape, dense, keys):
    for n in prange(len(cells)):
        i, j, k = cells[n, 0], cells[n, 1], cells[n, 2]
        if not who[n]:
            keys[n] = LAST  # those who take no part stand behind all others
        elif dense:
            keys[n] = ((i - low[0]) * shape[1] + j - low[1]) * shape[2] + k - low[2]
        else:
            keys[n] = _key(i, j, k)


class Grid:
    """Points (n, 3) in the order of cubes of side `cell`; those that `who` leaves out come last.

    Where the room they fill has few cells for their number, `first` tells for each cell where its points
    begin; elsewhere it is empty, and cells are found by searching the sorted keys.
    """

    def __init__(self, position: Array, who: NDArray[np.bool_], cell: float) -> None:
        n = len(position)
        cells, keys = np.empty((n, 3), np.int64), np.empty(n, np.int64)
        _cells(position, who, cell, cells)
        self.count = int(who.sum())
        inside = cells if self.count == n else cells[who]
        self.low, self.shape, dense = np.zeros(3, np.int64), np.ones(3, np.int64), False
        if self.count:
            self.low = inside.min(axis=0) - 1  # a border, so that each cell has all its neighbours
            self.shape = inside.max(axis=0) - self.low + 2
            dense = float(np.prod(self.shape.astype(float))) <= DENSE * self.count
        _keys(cells, who, self.low, self.shape, dense, keys)
        self.order = np.argsort(keys, kind="stable")
        self.cells, self.keys = cells[self.order], keys[self.order]
        self.first = np.zeros(0, np.int64)
        if dense:
            counts = np.bincount(self.keys[: self.count], minlength=int(np.prod(self.shape)) + 1)
            self.first = np.concatenate([[0], np.cumsum(counts)])


@njit(cache=True)
def _from(keys, key, low, high):
    """The first place in sorted keys that is not below a key."""
    while low < high:
        middle = (low + high) >> 1
        if keys[middle] < key:
            low = middle + 1
        else:
            high = middle
    return low


@njit(cache=True, parallel=True)
def _rows(cells, keys, first, shape, count, ranges, candidates):
    """For each point, where the nine rows of cells about it begin and end, and how many there are in all."""
    for n in prange(count):
        total = 0
        for a in range(-1, 2):
            for b in range(-1, 2):
                if len(first):
                    key = keys[n] + (a * shape[1] + b) * shape[2] - 1
                    low, high = first[key], first[key + 3]
                else:
                    key = _key(cells[n, 0] + a, cells[n, 1] + b, cells[n, 2] - 1)
                    low = _from(keys, key, 0, count)
                    high = low
                    while high < count and keys[high] <= key + 2:
                        high += 1
                row = 3 * (a + 1) + b + 1
                ranges[n, row, 0], ranges[n, row, 1] = low, high
                total += high - low
        candidates[n + 1] = total


@njit(cache=True, parallel=True)
def _listed(position, reach, cells, count, hashed, ranges, starts, ends, near):
    for n in prange(count):
        found = starts[n]
        for row in range(9):
            i, j = cells[n, 0] + row // 3 - 1, cells[n, 1] + row % 3 - 1
            for m in range(ranges[n, row, 0], ranges[n, row, 1]):
                if hashed and (cells[m, 0] != i or cells[m, 1] != j):
                    continue  # of another row, whose hash is the same
                x, y, z = (
                    position[n, 0] - position[m, 0],
                    position[n, 1] - position[m, 1],
                    position[n, 2] - position[m, 2],
                )
                far = reach[n] + reach[m]
                if x * x + y * y + z * z < far * far and m != n:
                    near[found] = m
                    found += 1
        ends[n] = found


class Nearby:
    """Those nearer to each point than the sum of both reaches. Arrays are in the grid's order: the
    neighbours of the i-th are `near[starts[i] : ends[i]]`."""

    def __init__(self, position: Array, who: NDArray[np.bool_], reach: Array) -> None:
        grid = Grid(position, who, max(2.0 * float(reach[who].max(initial=0.0)), 1e-9))
        n, count = len(position), grid.count
        self.order = grid.order
        ranges, candidates = np.empty((count, 9, 2), np.int32), np.zeros(n + 1, np.int64)
        _rows(grid.cells, grid.keys, grid.first, grid.shape, count, ranges, candidates)
        self.starts = np.cumsum(candidates)
        self.ends = self.starts[:-1].copy()
        self.near = np.empty(int(self.starts[-1]), np.int32)
        self.sorted_position = position[grid.order]
        sorted_reach = reach[grid.order]
        _listed(
            self.sorted_position, sorted_reach, grid.cells, count, len(grid.first) == 0, ranges, self.starts,
            self.ends, self.near,
        )  # fmt: skip


@njit(cache=True, parallel=True)
def _pushed(position, radius, mass, gap, starts, ends, near, move, worst):
    for n in prange(len(position)):
        dx, dy, dz, contacts, least = 0.0, 0.0, 0.0, 0, 1.0
        for at in range(starts[n], ends[n]):
            m = near[at]
            x, y, z = position[n, 0] - position[m, 0], position[n, 1] - position[m, 1], position[n, 2] - position[m, 2]
            off, far = math.sqrt(x * x + y * y + z * z), radius[n] + radius[m] + gap
            if off >= far:
                continue
            contacts += 1
            least = min(least, off / far)
            share = mass[m] / (mass[n] + mass[m]) * (far - off)
            if off > 1e-12:
                dx, dy, dz = dx + share * x / off, dy + share * y / off, dz + share * z / off
            else:  # one upon the other: up and down, by their numbers
                dy += share if n > m else -share
        if contacts:
            scale = min(1.0, REACH / contacts)
            dx, dy, dz = scale * dx, scale * dy, scale * dz
        move[n, 0], move[n, 1], move[n, 2] = dx, dy, dz
        worst[n] = 1.0 - least


@njit(cache=True, parallel=True)
def _calmed(position, velocity, radius, mass, gap, starts, ends, near, out):
    """Take away the speed at which touching particles come at one another."""
    for n in prange(len(position)):
        vx, vy, vz, contacts = 0.0, 0.0, 0.0, 0
        for at in range(starts[n], ends[n]):
            m = near[at]
            x, y, z = position[n, 0] - position[m, 0], position[n, 1] - position[m, 1], position[n, 2] - position[m, 2]
            off = math.sqrt(x * x + y * y + z * z)
            if off >= 1.02 * (radius[n] + radius[m] + gap) or off < 1e-12:
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


@njit(cache=True, parallel=True)
def _shifted(position, move, listed, far):
    """Move all, in place; returns how far the farthest has come from where it was listed, along one axis."""
    for n in prange(len(position)):
        off = 0.0
        for c in range(3):
            position[n, c] += move[n, c]
            off = max(off, abs(position[n, c] - listed[n, c]))
        far[n] = off
    return far.max()


def separate(
    position: Array, velocity: Array, radius: Array, mass: Array, who: NDArray[np.bool_], gap: float,
    most: int = MOST_ROUNDS,
) -> int:  # fmt: skip
    """Move overlapping particles apart, in place, and take away the speed they come at one another with.
    Returns the rounds it took. Heavier ones give way less; `gap` is kept beyond both radii, metres."""
    n = len(position)
    if n < 2 or not who.any():
        return 0
    move, worst, far, strayed = np.empty((n, 3)), np.empty(n), np.empty(n), np.inf
    p, v, r, m, mine = position, velocity, radius, mass, who
    order, done = np.arange(n), 0
    while done < most:
        done += 1
        if strayed > 0.12 * (r[mine].min() + 0.5 * gap):
            # In the order of the grid, so that what is near in space is near in memory.
            found = Nearby(p, mine, 1.25 * (r + 0.5 * gap))
            p, v, r, m, mine, order = (a[found.order] for a in (p, v, r, m, mine, order))  # type: ignore[assignment]
            listed = p.copy()
        _pushed(p, r, m, gap, found.starts, found.ends, found.near, move, worst)
        if worst.max() < SLACK:
            break
        strayed = _shifted(p, move, listed, far)
    calmer = np.empty_like(v)
    _calmed(p, v, r, m, gap, found.starts, found.ends, found.near, calmer)
    position[order], velocity[order] = p, calmer
    return done


@njit(cache=True, parallel=True)
def _means(position, velocity, starts, ends, near, place, going, number):
    for n in prange(len(position)):
        number[n] = ends[n] - starts[n]
        for c in range(3):
            place[n, c], going[n, c] = 0.0, 0.0
        for at in range(starts[n], ends[n]):
            for c in range(3):
                place[n, c] += position[near[at], c] / number[n]
                going[n, c] += velocity[near[at], c] / number[n]


def around(position: Array, velocity: Array, who: NDArray[np.bool_], reach: float) -> tuple[Array, Array, Array]:
    """The mean place and velocity (n, 3) of those within `reach` of each, and how many they are (n,)."""
    n = len(position)
    found = Nearby(position, who, np.full(n, 0.5 * reach))
    place, going, number = np.empty((n, 3)), np.empty((n, 3)), np.empty(n)
    _means(position[found.order], velocity[found.order], found.starts, found.ends, found.near, place, going, number)
    back = np.argsort(found.order)
    return place[back], going[back], number[back]
