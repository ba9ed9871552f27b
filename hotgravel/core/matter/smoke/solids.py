"""Obstacles in a grid: which share of each face is open, and how they move where they cover one."""

from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.matter.smoke.project import Faces, Grid
from hotgravel.core.shape.zones import Scene

Array = NDArray[np.float64]
FAR = 1e3
THIN = 1.2  # cells: a thinner obstacle counts as so thick, or gas would pass between its two sides
CUTS = 4  # along each side of a face, where its open share is counted


@dataclass(frozen=True, eq=False)
class Solids:
    """The open share of each face, how obstacles move there, m/s, and how far each cell's middle lies from them,
    metres, less than 0 inside."""

    open: Faces
    moving: Faces
    distance: Grid


@dataclass(frozen=True)
class Box:
    """Where a grid lies: its low corner (3,) and its cell, metres, and how many cells (3,) it has."""

    low: tuple[float, float, float]
    cell: float
    shape: tuple[int, int, int]

    def points(self, offset: tuple[float, float, float], more: tuple[int, int, int] = (0, 0, 0)) -> Array:
        """Where values stand that lie at an offset in each cell, (n, 3); `more` rows of them along each axis."""
        axes = [self.low[a] + self.cell * (np.arange(self.shape[a] + more[a]) + offset[a]) for a in range(3)]
        found: Array = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
        return found

    def within(self, low: Array, high: Array, axis: int = -1) -> tuple[tuple[slice, ...], Array]:
        """Which of the values that stand in middles, or on the faces across an axis, lie between corners (3,), as a
        slice of them; and where they stand (n, 3)."""
        slices, axes = list[slice](), list[Array]()
        for a in range(3):
            off, many = (0.0, self.shape[a] + 1) if a == axis else (0.5, self.shape[a])
            first = max(0, int(np.ceil((low[a] - self.low[a]) / self.cell - off)))
            end = min(many, int(np.floor((high[a] - self.low[a]) / self.cell - off)) + 1)
            slices.append(slice(first, max(end, first)))
            axes.append(self.low[a] + self.cell * (np.arange(first, max(end, first), dtype=float) + off))
        points: Array = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
        return tuple(slices), points

    def on_faces(self, axis: int) -> Array:
        """Where velocities along an axis stand (n, 3): in the middles of the faces across it."""
        along = [a == axis for a in range(3)]
        x, y, z = (0.0 if own else 0.5 for own in along)
        return self.points((x, y, z), (int(along[0]), int(along[1]), int(along[2])))

    def faces(self) -> Faces:
        """Velocities of none, on the faces across x, y and z."""
        x, y, z = self.shape
        u, v, w = (np.zeros(shape, np.float32) for shape in ((x + 1, y, z), (x, y + 1, z), (x, y, z + 1)))
        return u, v, w


def in_middles(face: Grid, axis: int) -> Grid:
    """Values on the faces across an axis, in the middles of cells."""
    ends = [np.take(face, np.arange(start, face.shape[axis] - 1 + start), axis) for start in (0, 1)]
    found: Grid = 0.5 * (ends[0] + ends[1])
    return found


@njit(cache=True, parallel=True, nogil=True)
def _opened(corners, axis, out):
    """The share of each face across an axis where the distance (nx + 1, ny + 1, nz + 1), linear between corners, is
    more than 0."""
    for i in prange(out.shape[0]):
        for j in range(out.shape[1]):
            for k in range(out.shape[2]):
                a, b = (1, 2) if axis == 0 else ((0, 2) if axis == 1 else (0, 1))
                di, dj, dk = (a == 0), (a == 1), (a == 2)
                ei, ej, ek = (b == 0), (b == 1), (b == 2)
                p = corners[i, j, k]
                q = corners[i + di, j + dj, k + dk]
                r = corners[i + ei, j + ej, k + ek]
                s = corners[i + di + ei, j + dj + ej, k + dk + ek]
                if min(min(p, q), min(r, s)) > 0.0:
                    out[i, j, k] = 1.0
                    continue
                if max(max(p, q), max(r, s)) <= 0.0:
                    out[i, j, k] = 0.0
                    continue
                count = 0
                for m in range(CUTS):
                    for n in range(CUTS):
                        u, v = (m + 0.5) / CUTS, (n + 0.5) / CUTS
                        count += (p * (1 - u) + q * u) * (1 - v) + (r * (1 - u) + s * u) * v > 0.0
                out[i, j, k] = count / (CUTS * CUTS)


def solids_in(box: Box, props: list[str], scene: Scene, sides: str, ends: list[tuple[bool, bool]]) -> Solids:
    """The obstacles in a box at a scene's moment; `ends` says which of its ends are sides that may be walls."""
    nodes = box.points((0.0, 0.0, 0.0), (1, 1, 1))
    distance = np.full(len(nodes), FAR)
    moving, open_ = box.faces(), box.faces()
    for prop in (p for p in props if p in scene.poses):
        gap = _thick(scene, prop, scene.distance_to(prop, nodes), box.cell)
        distance = np.minimum(distance, gap)
        if not _stands(scene, prop):
            _led(box, scene, prop, moving)
    corners = distance.reshape(tuple(n + 1 for n in box.shape)).astype(np.float32)
    for axis in range(3):
        _opened(corners, axis, open_[axis])
    for axis, end in (at for at in _shut(sides) if ends[at[0]][at[1]]):
        np.moveaxis(open_[axis], axis, 0)[end] = 0.0
        np.moveaxis(moving[axis], axis, 0)[end] = 0.0
    x, y, z = box.shape
    around = [corners[a : a + x, b : b + y, c : c + z] for a in (0, 1) for b in (0, 1) for c in (0, 1)]
    middle: Grid = np.mean(around, axis=0, dtype=np.float32)
    return Solids(open_, moving, middle)


def _shut(sides: str) -> list[tuple[int, int]]:
    """The axes and ends of the sides that are walls."""
    return {"open": [], "floor": [(1, 0)], "closed": [(a, e) for a in range(3) for e in (0, -1)]}[sides]


def _thick(scene: Scene, prop: str, gap: Array, cell: float) -> Array:
    """Distances to an obstacle as if it were at least `THIN` cells thick."""
    shape, pose = scene.shapes[prop], scene.poses[prop]
    if not shape.has_volume:
        return np.abs(gap) - 0.5 * THIN * cell
    low, high = shape.box
    thick = float((high - low).min()) * pose.scale
    return gap - max(0.0, 0.5 * (THIN * cell - thick))


def _stands(scene: Scene, prop: str) -> bool:
    now, soon = scene.poses[prop], scene.soon[prop]
    return bool(
        (now.position == soon.position).all() and (now.quaternion == soon.quaternion).all() and now.scale == soon.scale
    )


def _led(box: Box, scene: Scene, prop: str, moving: Faces) -> None:
    """Set how an obstacle moves on the faces about it, in place."""
    for axis, face in enumerate(moving):
        points = box.on_faces(axis)
        near = scene.distance_to(prop, points) < 2.0 * box.cell
        face.reshape(-1)[near] = led_at(scene, prop, points[near])[:, axis]


def led_at(scene: Scene, prop: str, points: Array) -> Array:
    """How fast a prop moves at points (n, 3), m/s."""
    now, soon = scene.poses[prop], scene.soon[prop]
    own = (points - now.position) @ now.matrix / now.scale
    moved: Array = (soon.to_world(own) - points) / scene.lapse
    return moved
