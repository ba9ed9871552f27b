"""Making the gas free of divergence: a pressure that takes away what flows together, around obstacles that cover a
share of each face (Batty, Bertails and Bridson 2007), by conjugate gradients with a multigrid cycle before them
(McAdams, Sifakis and Teran 2010)."""

from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Grid = NDArray[np.float32]
Faces = tuple[Grid, Grid, Grid]
CLOSE = 1e-4  # of the divergence that there was
MOST_ROUNDS = 60
SMALLEST = 4  # cells along a side: the coarsest grid


@dataclass(frozen=True, eq=False)
class Level:
    """One grid of a cycle: the open share of each face, what a cell's own pressure counts (nx, ny, nz), one over that
    (0 where it counts nothing), which rows (nx, ny) have nothing in their way, and how much of what a cell counts is
    for a pressure that is known beside it."""

    open: Faces
    own: Grid
    share: Grid
    free: NDArray[np.bool_]
    extra: Grid | None = None


@njit(cache=True, parallel=True, nogil=True)
def _owned(ox, oy, oz, own):
    for i in prange(own.shape[0]):
        for j in range(own.shape[1]):
            for k in range(own.shape[2]):
                own[i, j, k] = (
                    ox[i, j, k] + ox[i + 1, j, k] + oy[i, j, k] + oy[i, j + 1, k] + oz[i, j, k] + oz[i, j, k + 1]
                )


@njit(cache=True, parallel=True, nogil=True)
def _freed(ox, oy, oz, free):
    """Which rows of cells are open to all cells beside them; past the ends of the box there is no pressure, open or
    not."""
    nx, ny, nz = oz.shape[0], oz.shape[1], oz.shape[2] - 1
    for i in prange(nx):
        for j in range(ny):
            every = True
            for k in range(nz):
                every &= (i == 0 or ox[i, j, k] == 1.0) and (i == nx - 1 or ox[i + 1, j, k] == 1.0)
                every &= (j == 0 or oy[i, j, k] == 1.0) and (j == ny - 1 or oy[i, j + 1, k] == 1.0)
                every &= k == 0 or oz[i, j, k] == 1.0
            free[i, j] = every


@njit(cache=True, inline="always")
def _beside(p, i, j, k):
    """The pressures of a cell's neighbours, where all of them count: most of the time goes into reading shares."""
    return (
        p[i, j + 1, k + 1] + p[i + 2, j + 1, k + 1] + p[i + 1, j, k + 1]
        + p[i + 1, j + 2, k + 1] + p[i + 1, j + 1, k] + p[i + 1, j + 1, k + 2]
    )  # fmt: skip


@njit(cache=True, inline="always")
def _around(p, ox, oy, oz, i, j, k):
    """What the pressures of a cell's neighbours count; p has a rim of zeros, as there is none outside the box."""
    return (
        ox[i, j, k] * p[i, j + 1, k + 1]
        + ox[i + 1, j, k] * p[i + 2, j + 1, k + 1]
        + oy[i, j, k] * p[i + 1, j, k + 1]
        + oy[i, j + 1, k] * p[i + 1, j + 2, k + 1]
        + oz[i, j, k] * p[i + 1, j + 1, k]
        + oz[i, j, k + 1] * p[i + 1, j + 1, k + 2]
    )


@njit(cache=True, parallel=True, nogil=True)
def _smoothed(p, right, ox, oy, oz, share, free, colour):
    """Every other cell takes the pressure that its neighbours ask of it (Gauss and Seidel, red and black). All of a row
    are asked, which is quicker than every other one."""
    for i in prange(right.shape[0]):
        row = np.empty(right.shape[2], np.float32)
        for j in range(right.shape[1]):
            if free[i, j]:
                for k in range(right.shape[2]):
                    row[k] = share[i, j, k] * (right[i, j, k] + _beside(p, i, j, k))
                for k in range((i + j + colour) & 1, right.shape[2], 2):
                    p[i + 1, j + 1, k + 1] = row[k]
                continue
            for k in range(right.shape[2]):
                row[k] = share[i, j, k] * (right[i, j, k] + _around(p, ox, oy, oz, i, j, k))
            for k in range((i + j + colour) & 1, right.shape[2], 2):
                if share[i, j, k] > 0.0:
                    p[i + 1, j + 1, k + 1] = row[k]


@njit(cache=True, parallel=True, nogil=True)
def _applied(p, ox, oy, oz, own, free, out, sums):
    """What a pressure does, into out, and its product with the pressure itself, row by row (nx,)."""
    for i in prange(out.shape[0]):
        total = 0.0
        for j in range(out.shape[1]):
            if free[i, j]:
                for k in range(out.shape[2]):
                    out[i, j, k] = own[i, j, k] * p[i + 1, j + 1, k + 1] - _beside(p, i, j, k)
            else:
                for k in range(out.shape[2]):
                    out[i, j, k] = own[i, j, k] * p[i + 1, j + 1, k + 1] - _around(p, ox, oy, oz, i, j, k)
            for k in range(out.shape[2]):
                total += np.float64(out[i, j, k]) * p[i + 1, j + 1, k + 1]
        sums[i] = total


@njit(cache=True, parallel=True, nogil=True)
def _restricted(p, right, ox, oy, oz, own, free, out):
    """What is left to be solved, on the next coarser grid."""
    for i in prange(out.shape[0]):
        row = np.empty(right.shape[2], np.float32)
        for j in range(out.shape[1]):
            row[:] = 0.0
            for a in range(2 * np.int64(i), 2 * np.int64(i) + 2):
                for b in range(2 * j, 2 * j + 2):
                    if free[a, b]:
                        for k in range(right.shape[2]):
                            row[k] += right[a, b, k] - own[a, b, k] * p[a + 1, b + 1, k + 1] + _beside(p, a, b, k)
                    else:
                        for k in range(right.shape[2]):
                            around = _around(p, ox, oy, oz, a, b, k)
                            row[k] += right[a, b, k] - own[a, b, k] * p[a + 1, b + 1, k + 1] + around
            for k in range(out.shape[2]):
                out[i, j, k] = np.float32(0.5) * (row[2 * k] + row[2 * k + 1])


@njit(cache=True, parallel=True, nogil=True)
def _prolonged(coarse, p):
    """Add the pressure of the next coarser grid; in cells that are shut it counts for nothing."""
    for i in prange(p.shape[0] - 2):
        for j in range(p.shape[1] - 2):
            for k in range(coarse.shape[2] - 2):
                more = coarse[(i >> 1) + 1, (j >> 1) + 1, k + 1]
                p[i + 1, j + 1, 2 * k + 1] += more
                p[i + 1, j + 1, 2 * k + 2] += more


@njit(cache=True, parallel=True, nogil=True)
def _begun(right, share, p):
    """What the first sweep makes of a pressure of none."""
    for i in prange(right.shape[0]):
        for j in range(right.shape[1]):
            for k in range((i + j) & 1, right.shape[2], 2):
                p[i + 1, j + 1, k + 1] = share[i, j, k] * right[i, j, k]


def levels_of(open_: Faces, extra: Grid | None = None) -> list[Level]:
    """The grids of a cycle, from the open share of each face of the finest, and what known pressures beside its cells
    count (nx, ny, nz)."""
    made, now = list[Level](), open_
    while True:
        shape = (now[1].shape[0], now[0].shape[1], now[0].shape[2])
        own = np.empty(shape, np.float32)
        _owned(*now, own)
        if extra is not None:
            own += extra
        share = np.divide(np.float32(1.0), own, out=np.zeros_like(own), where=own > 0.0)
        free = np.empty(shape[:2], np.bool_)
        _freed(*now, free)
        made.append(Level(now, own, share, free, extra))
        if any(n % 2 or n <= SMALLEST for n in shape):
            return made
        now = (_halved(now[0], 0), _halved(now[1], 1), _halved(now[2], 2))
        if extra is not None:
            x, y, z = (n // 2 for n in shape)
            extra = np.float32(0.25) * extra.reshape(x, 2, y, 2, z, 2).sum(axis=(1, 3, 5))


def _halved(face: Grid, axis: int) -> Grid:
    """The faces across an axis of cells twice as wide: each four fine ones."""
    kept = np.take(face, np.arange(0, face.shape[axis], 2), axis)
    for along in (a for a in range(3) if a != axis):
        ends = [np.take(kept, np.arange(start, kept.shape[along], 2), along) for start in (0, 1)]
        kept = 0.5 * (ends[0] + ends[1])
    return np.ascontiguousarray(kept, np.float32)


def cycle(levels: list[Level], right: Grid, number: int = 0) -> Grid:
    """About the pressure that answers a right side (nx, ny, nz), with a rim of zeros: one V-cycle, the same both
    ways."""
    level, p = levels[number], rimmed(right.shape)
    if number == len(levels) - 1:
        for sweep in range(24):
            _smoothed(p, right, *level.open, level.share, level.free, sweep if sweep < 12 else sweep + 1)
        return p
    _begun(right, level.share, p)
    for colour in (1, 0, 1):
        _smoothed(p, right, *level.open, level.share, level.free, colour)
    coarse = np.empty(tuple(n // 2 for n in right.shape), np.float32)
    _restricted(p, right, *level.open, level.own, level.free, coarse)
    _prolonged(cycle(levels, coarse, number + 1), p)
    for colour in (1, 0, 1, 0):
        _smoothed(p, right, *level.open, level.share, level.free, colour)
    return p


def rimmed(shape: tuple[int, ...]) -> Grid:
    """A pressure of none, with a rim of one cell."""
    return np.zeros(tuple(n + 2 for n in shape), np.float32)


def pressure(levels: list[Level], divergence: Grid, guess: Grid | None = None) -> tuple[Grid, int]:
    """The pressure that takes a divergence (nx, ny, nz) away, with a rim of zeros, and in how many rounds; `guess` is a
    first one. It says nothing in cells that are shut on all sides."""
    level = levels[0]
    shut = level.own <= 0.0
    right = np.where(shut, np.float32(0.0), -divergence)
    if not _grounded(level):
        right -= np.where(shut, np.float32(0.0), np.float32(right.sum(dtype=float) / max((~shut).sum(), 1)))
    p = rimmed(right.shape) if guess is None else guess.copy()
    out, sums = np.empty_like(right), np.empty(len(right))
    _applied(p, *level.open, level.own, level.free, out, sums)
    left = right - out
    aim = CLOSE * float(np.abs(right).max(initial=0.0))
    if float(np.abs(left).max(initial=0.0)) <= aim:
        return p, 0
    ready = cycle(levels, left)
    way, now = ready, _product(left, ready)
    for done in range(1, MOST_ROUNDS + 1):
        _applied(way, *level.open, level.own, level.free, out, sums)
        _gone(p, left, way, out, np.float32(now / sums.sum()), sums)
        if sums.max() <= aim:
            return p, done
        ready = cycle(levels, left)
        now, was = _product(left, ready), now
        way *= np.float32(now / was)
        way += ready
    return p, MOST_ROUNDS


@njit(cache=True, parallel=True, nogil=True)
def _gone(p, left, way, out, far, most):
    """Go so far along a way, which does `out`, in place; the greatest of what is left, row by row, into most (nx,)."""
    for i in prange(left.shape[0]):
        greatest = np.float32(0.0)
        for j in range(left.shape[1]):
            for k in range(left.shape[2]):
                p[i + 1, j + 1, k + 1] += far * way[i + 1, j + 1, k + 1]
            for k in range(left.shape[2]):
                left[i, j, k] -= far * out[i, j, k]
            for k in range(left.shape[2]):
                greatest = max(greatest, abs(left[i, j, k]))
        most[i] = greatest


def _product(values: Grid, p: Grid) -> float:
    """The product of values (nx, ny, nz) with a rimmed pressure, summed."""
    sums = np.empty(len(values))
    _summed(values, p, sums)
    return float(sums.sum())


@njit(cache=True, parallel=True, nogil=True)
def _summed(values, p, sums):
    for i in prange(values.shape[0]):
        total = 0.0
        for j in range(values.shape[1]):
            for k in range(values.shape[2]):
                total += np.float64(values[i, j, k]) * p[i + 1, j + 1, k + 1]
        sums[i] = total


def _grounded(level: Level) -> bool:
    """Whether the pressure is known anywhere: at a side of the box that is open, or beside a cell."""
    return level.extra is not None or any(
        float(np.take(face, end, axis).max()) > 0.0 for axis, face in enumerate(level.open) for end in (0, -1)
    )


@njit(cache=True, parallel=True, nogil=True)
def _flowing(u, v, w, ox, oy, oz, sx, sy, sz, out):
    """What flows out of each cell: through the open share of its faces as the gas does, through the rest with the
    obstacle."""
    for i in prange(out.shape[0]):
        for j in range(out.shape[1]):
            for k in range(out.shape[2]):
                total = ox[i + 1, j, k] * u[i + 1, j, k] + (1 - ox[i + 1, j, k]) * sx[i + 1, j, k]
                total -= ox[i, j, k] * u[i, j, k] + (1 - ox[i, j, k]) * sx[i, j, k]
                total += oy[i, j + 1, k] * v[i, j + 1, k] + (1 - oy[i, j + 1, k]) * sy[i, j + 1, k]
                total -= oy[i, j, k] * v[i, j, k] + (1 - oy[i, j, k]) * sy[i, j, k]
                total += oz[i, j, k + 1] * w[i, j, k + 1] + (1 - oz[i, j, k + 1]) * sz[i, j, k + 1]
                total -= oz[i, j, k] * w[i, j, k] + (1 - oz[i, j, k]) * sz[i, j, k]
                out[i, j, k] = total


@njit(cache=True, parallel=True, nogil=True)
def _pushed(u, solid, open_, p, axis):
    """Take the slope of the pressure off velocities across an axis, in place; a shut face moves with its obstacle."""
    nx, ny, nz = u.shape
    for i in prange(nx):
        for j in range(ny):
            for k in range(nz):
                if open_[i, j, k] <= 0.0:
                    u[i, j, k] = solid[i, j, k]
                    continue
                u[i, j, k] -= p[i + 1, j + 1, k + 1] - p[i + (axis != 0), j + (axis != 1), k + (axis != 2)]


def divergence_of(velocity: Faces, open_: Faces, solid: Faces) -> Grid:
    """What flows out of each cell (nx, ny, nz), in velocity times faces."""
    out = np.empty((velocity[1].shape[0], velocity[0].shape[1], velocity[0].shape[2]), np.float32)
    _flowing(*velocity, *open_, *solid, out)
    return out


def projected(
    velocity: Faces, levels: list[Level], solid: Faces, guess: Grid | None = None, source: Grid | None = None
) -> tuple[Grid, int]:
    """Take the divergence off a velocity, in place, but for what comes from a source in each cell; obstacles move by
    `solid` where they cover a face. Returns the pressure, and in how many rounds it was found."""
    there = divergence_of(velocity, levels[0].open, solid)
    if source is not None:
        there -= source
    p, rounds = pressure(levels, there, guess)
    for axis in range(3):
        _pushed(velocity[axis], solid[axis], levels[0].open[axis], p, axis)
    return p, rounds
