"""Velocities on a grid: how air or water moves in a box, as another solver left it, and how dense and hot it is.

A file is NumPy's own `.npz`: `velocity` (nx, ny, nz, 3) in m/s or, for one that changes,
(frames, nx, ny, nz, 3) with `rate` frames a second; `origin` (3,) and `cell` in metres, so that
`velocity[i, j, k]` is what moves at origin + cell * (i, j, k), with y up. `density` in kg/m³ and
`temperature` in °C may come with it, of the same shape without the 3.
"""

import io
import zipfile
import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.lengths import lengths

Array = NDArray[np.float64]
FORMAT = "npz"
SCALARS = ("density", "temperature")
FAR = 1e9
MOST_BYTES = 1024 * 2**20  # unpacked
WANTED = "velocity (nx, ny, nz, 3) or (frames, nx, ny, nz, 3), origin (3,), cell, and rate where there are frames"


class GridFault(ValueError):
    """Velocities that cannot be used, and why, as a sentence."""


@dataclass(frozen=True)
class VelocityGrid:
    """velocity (frames, nx, ny, nz, 3) m/s, origin (3,) and cell in metres, frames a second (0 if it does not
    change), and by name scalars (frames, nx, ny, nz)."""

    velocity: NDArray[np.float32]
    origin: Array
    cell: float
    rate: float = 0.0
    scalars: Mapping[str, NDArray[np.float32]] = field(default_factory=dict)

    @property
    def size(self) -> Array:
        """The box (3,) it fills, metres."""
        result: Array = self.cell * (np.array(self.velocity.shape[1:4], float) - 1.0)
        return result

    def placed(self, by: Array, scale: float) -> "VelocityGrid":
        """The same, moved by (3,) metres and so many times as large."""
        return replace(self, origin=self.origin + by, cell=scale * self.cell)

    def frames_at(self, seconds: float) -> tuple[int, int, float]:
        """The frames before and after a time, and the share of the later; the first and last are held."""
        last = len(self.velocity) - 1
        at = min(max(seconds * self.rate, 0.0), float(last))
        before = min(int(at), last)
        return before, min(before + 1, last), at - before


@njit(cache=True, parallel=True, nogil=True)
def _sampled(before, after, later, origin, cell, points, edge, air, hold):
    shape, width = before.shape, before.shape[3]
    for n in prange(len(points)):
        x, y, z = (
            (points[n, 0] - origin[0]) / cell, (points[n, 1] - origin[1]) / cell, (points[n, 2] - origin[2]) / cell,
        )  # fmt: skip
        depth = cell * min(x, shape[0] - 1 - x, y, shape[1] - 1 - y, z, shape[2] - 1 - z)
        air[n, :], hold[n] = 0.0, 0.0
        if not depth >= 0.0:
            continue
        hold[n] = min(depth / edge, 1.0) if edge > 0.0 else 1.0
        i, j, k = min(int(x), shape[0] - 2), min(int(y), shape[1] - 2), min(int(z), shape[2] - 2)
        u, v, w = x - i, y - j, z - k
        for c in range(8):
            a, b, d = c & 1, (c >> 1) & 1, c >> 2
            weight = (u if a else 1.0 - u) * (v if b else 1.0 - v) * (w if d else 1.0 - w)
            for axis in range(width):
                first = np.float64(before[i + a, j + b, k + d, axis])
                second = np.float64(after[i + a, j + b, k + d, axis])
                air[n, axis] += weight * ((1.0 - later) * first + later * second)


def sampled(grid: VelocityGrid, points: Array, seconds: float, edge: float) -> tuple[Array, Array]:
    """Velocities (n, 3) at points (n, 3), linear between grid points and frames; and how much they hold (n,):
    1 within, falling to 0 over `edge` metres towards the sides of the box, and 0 outside it."""
    air, hold = np.empty((len(points), 3)), np.empty(len(points))
    before, after, later = grid.frames_at(seconds)
    _sampled(
        grid.velocity[before], grid.velocity[after], later, grid.origin, grid.cell, np.ascontiguousarray(points),
        edge, air, hold,
    )  # fmt: skip
    return air, hold


def told_by(grid: VelocityGrid, quantity: str, points: Array, seconds: float) -> tuple[Array, NDArray[np.bool_]]:
    """A quantity (n,) at points (n, 3): "speed" or one of the scalars; and which of the points lie in the box."""
    before, after, later = grid.frames_at(seconds)
    of = grid.velocity if quantity == "speed" else grid.scalars[quantity][..., None]
    told, hold = np.empty((len(points), of.shape[-1])), np.empty(len(points))
    _sampled(of[before], of[after], later, grid.origin, grid.cell, np.ascontiguousarray(points), 0.0, told, hold)
    return lengths(told) if quantity == "speed" else told[:, 0], hold > 0.0


def depth_over(grid: VelocityGrid, quantity: str, threshold: float, points: Array, seconds: float) -> Array:
    """About how deep points (n, 3) lie where a quantity is over a threshold, metres (n,), less than zero elsewhere: the
    distance to first order, by the slope there (Taubin 1994). Points outside the box lie far off."""
    value, there = told_by(grid, quantity, points, seconds)
    step = 0.5 * grid.cell * np.eye(3)
    ends = [[told_by(grid, quantity, points + way * axis, seconds) for way in (-1.0, 1.0)] for axis in step]
    # At the sides of the box only one end is in it.
    rise = [
        (np.where(c, b, value) - np.where(a_in, a, value)) / (0.5 * grid.cell * np.maximum(a_in * 1.0 + c, 1.0))
        for (a, a_in), (b, c) in ends
    ]
    slope = np.maximum(lengths(np.stack(rise, axis=1)), 1e-12)
    depth: Array = np.where(there, (value - threshold) / slope, -FAR)
    return depth


def read_grid(name: str, find_file: Callable[[str], Any]) -> VelocityGrid:
    """The velocities of a file beside the shot. Raises `GridFault`."""
    path = find_file(name)
    if not path.is_file():
        raise GridFault(f"The file {name} is not beside the shot.")
    return _read(path, (path.stat().st_size, getattr(path.stat(), "st_mtime_ns", 0)))


@lru_cache(maxsize=4)
def _read(path: Any, _stamp: Any) -> VelocityGrid:
    return grid_from(path.name, path.read_bytes())


def grid_from(name: str, data: bytes) -> VelocityGrid:
    """The velocities of a file's bytes. Raises `GridFault`."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            if sum(entry.file_size for entry in packed.infolist()) > MOST_BYTES:
                raise GridFault(f"{name} unpacks to over {MOST_BYTES // 2**20} MiB.")
        with np.load(io.BytesIO(data), allow_pickle=False) as file:
            wanted = ("velocity", "origin", "cell", "rate", *SCALARS)
            arrays = {key: np.asarray(file[key]) for key in wanted if key in file}
    except (
        zipfile.BadZipFile,
        zlib.error,
        ValueError,
        OSError,
        EOFError,
        KeyError,
        RuntimeError,
        MemoryError,
    ) as error:
        if isinstance(error, GridFault):
            raise
        raise GridFault(f"{name} cannot be read as NPZ ({error}). Accepted: NumPy arrays {WANTED}.") from None
    missing = [key for key in ("velocity", "origin", "cell") if key not in arrays]
    if missing:
        raise GridFault(f"{name} has no {' and no '.join(missing)}. Accepted: {WANTED}.")
    if any(array.dtype.kind not in "fiu" for array in arrays.values()):
        raise GridFault(f"{name} holds something other than numbers. Accepted: {WANTED}.")
    velocity, moving = arrays["velocity"], arrays["velocity"].ndim == 5
    if velocity.ndim not in (4, 5) or velocity.shape[-1] != 3 or min(velocity.shape[-4:-1]) < 2 or not len(velocity):
        raise GridFault(f"In {name}, velocity is of shape {velocity.shape}. Accepted: {WANTED}, each n at least 2.")
    origin, cell = arrays["origin"].astype(float).ravel(), arrays["cell"].astype(float).ravel()
    rate = arrays["rate"].astype(float).ravel() if "rate" in arrays else np.zeros(1)
    if len(origin) != 3 or len(cell) != 1 or len(rate) != 1 or not cell[0] > 0.0 or not rate[0] >= 0.0:
        raise GridFault(f"In {name}, origin takes three numbers, cell one above 0, rate one of 0 or more.")
    if moving and len(velocity) > 1 and rate[0] == 0.0:
        raise GridFault(f"{name} has {len(velocity)} frames of velocities and no rate. Accepted: {WANTED}.")
    scalars = {of: arrays[of] for of in SCALARS if of in arrays}
    for of, array in scalars.items():
        if array.shape != velocity.shape[:-1]:
            raise GridFault(f"In {name}, {of} is of shape {array.shape}. Accepted: {velocity.shape[:-1]}.")
    made, *others = (
        np.ascontiguousarray(array if moving else array[None], np.float32) for array in (velocity, *scalars.values())
    )
    if not (
        all(np.isfinite(array).all() for array in (made, *others))
        and np.isfinite(origin).all()
        and np.isfinite(cell).all()
        and np.isfinite(rate)
    ):
        raise GridFault(f"{name} holds numbers that are not finite.")
    kept = dict(zip(scalars, others, strict=True))
    return VelocityGrid(made, origin, float(cell[0]), float(rate[0]) if moving else 0.0, kept)
