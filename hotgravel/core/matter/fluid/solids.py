"""Obstacles in a grid: which share of each face is open, and how they move where they cover one."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.matter.fluid.project import Faces, Grid
from hotgravel.core.shape.distance import DISC, PLANE
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.pose import Pose
from hotgravel.core.shape.zones import Scene

Array = NDArray[np.float64]
FAR = 1e3
ALONG = 1e-4  # of a cell: corners so near to an obstacle are on it, whatever rounding says
THIN = 1.2  # cells: a thinner obstacle counts as so thick, or gas would pass between its two sides
BAND = 3.0  # cells: so far about an obstacle distances from it are worked out
BESIDE = 0.75  # cells: an obstacle is nearest to a face if no other is by so much nearer
NEAR = 2.0  # cells: so far about an obstacle faces move with it
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

    def within(
        self, low: Array, high: Array, axis: int = -1, on_corners: bool = False
    ) -> tuple[tuple[slice, ...], Array]:
        """Which of the values that stand in middles, on the faces across an axis or on corners lie between corners
        (3,), as a slice of them; and where they stand (n, 3)."""
        slices, axes = list[slice](), list[Array]()
        for a in range(3):
            off, many = (0.0, self.shape[a] + 1) if a == axis or on_corners else (0.5, self.shape[a])
            from_, to = ((end[a] - self.low[a]) / self.cell - off for end in (low, high))
            first = int(np.ceil(np.clip(from_, 0, many)))
            end = int(np.floor(np.clip(to, -1, many - 1))) + 1
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


@dataclass(frozen=True)
class Obstacle:
    """A shape that gas or liquid flows around, or stays inside of: where it is, and where it will be after `lapse`
    seconds; where it was, if that is less than 0."""

    shape: Shaped
    here: Pose
    there: Pose
    lapse: float
    inside: bool = False

    @cached_property
    def stands(self) -> bool:
        """Whether it does not move."""
        one, other = self.here, self.there
        same = (one.position == other.position).all() and (one.quaternion == other.quaternion).all()
        return bool(same and one.scale == other.scale)

    @cached_property
    def key(self) -> bytes:
        """All that tells it from others, by the shape's place in memory."""
        poses = [
            p for pose in (self.here, self.there) for p in (pose.position, pose.quaternion, np.float64(pose.scale))
        ]
        return id(self.shape).to_bytes(8, "big") + bytes([self.inside]) + b"".join(part.tobytes() for part in poses)

    def corners(self, room: float) -> tuple[Array, Array]:
        """The corners (3,) of what it takes up, and so much room about it, metres; of a hollow, of everything."""
        if self.inside:
            return np.full(3, -np.inf), np.full(3, np.inf)
        low, high = self.shape.corners(self.here)
        return low - room, high + room

    def distance(self, points: Array, cell: float) -> Array:
        """How far points (n, 3) lie from it, as if it were at least `THIN` cells thick; from all that is not within a
        hollow."""
        shape, pose = self.shape, self.here
        if self.inside:
            return -shape.gap(points, pose)
        if shape.kind in (PLANE, DISC):  # what is thick for the grid lies under it
            points = points + 0.5 * THIN * cell * pose.matrix[:, 1]
        gap = shape.gap(points, pose)
        if not shape.has_volume:
            return np.abs(gap) - 0.5 * THIN * cell
        low, high = shape.box
        return gap - max(0.0, 0.5 * (THIN * cell - float((high - low).min()) * pose.scale))

    def velocity(self, points: Array) -> Array:
        """How it moves at points (n, 3), m/s."""
        own = (points - self.here.position) @ self.here.matrix / self.here.scale
        moved: Array = (self.there.to_world(own) - points) / self.lapse
        return moved


def prop_in(scene: Scene, prop: str, inside: bool = False) -> Obstacle:
    """A prop as it stands in a scene."""
    return Obstacle(scene.shapes[prop], scene.poses[prop], scene.soon[prop], scene.lapse, inside)


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


def near_in(box: Box, obstacles: Sequence[Obstacle], corners: Grid | None = None) -> Grid:
    """How far the corners of cells (nx + 1, ny + 1, nz + 1) lie from obstacles, metres; `corners` is how far they lie
    from others. Where an obstacle is further than `BAND` cells it may count as far away."""
    found = np.full([n + 1 for n in box.shape], FAR, np.float32) if corners is None else corners.copy()
    for obstacle in obstacles:
        low, high = obstacle.corners(BAND * box.cell)
        nodes, points = box.within(low, high, on_corners=True)
        gap = obstacle.distance(points, box.cell).reshape(found[nodes].shape)
        found[nodes] = np.minimum(found[nodes], gap)
    return found


def solids_in(box: Box, corners: Grid, moving: Sequence[Obstacle], walls: Sequence[tuple[int, int]],
              ends: list[tuple[bool, bool]]) -> Solids:  # fmt: skip
    """What stands in a box, from how far corners of cells lie from it; `moving` are the obstacles of them that move,
    `walls` the sides (axis and end) that are shut, and `ends` says which ends of the grid are sides at all."""
    led, open_ = box.faces(), box.faces()
    corners = np.where(np.abs(corners) < ALONG * box.cell, np.float32(0.0), corners)
    for obstacle in moving:
        _led(box, obstacle, corners, led)
    for axis in range(3):
        _opened(corners, axis, open_[axis])
    for axis, end in (at for at in walls if ends[at[0]][at[1]]):
        np.moveaxis(open_[axis], axis, 0)[end] = 0.0
        np.moveaxis(led[axis], axis, 0)[end] = 0.0
    x, y, z = box.shape
    around = [corners[a : a + x, b : b + y, c : c + z] for a in (0, 1) for b in (0, 1) for c in (0, 1)]
    middle: Grid = np.mean(around, axis=0, dtype=np.float32)
    return Solids(open_, led, middle)


def _led(box: Box, obstacle: Obstacle, corners: Grid, led: Faces) -> None:
    """Set how an obstacle moves on the faces about it, in place, but for those that another is nearer to; `corners` is
    how far the corners of cells lie from the nearest."""
    low, high = obstacle.corners(BAND * box.cell)
    for axis, face in enumerate(led):
        faces, points = box.within(low, high, axis)
        mine = face[faces]
        (i, ie), (j, je), (k, ke) = ((s.start, s.stop) for s in faces)
        ends = [
            corners[i + p : ie + p, j + q : je + q, k + r : ke + r]
            for p in (0, 1)[: 1 + (axis != 0)] for q in (0, 1)[: 1 + (axis != 1)] for r in (0, 1)[: 1 + (axis != 2)]
        ]  # fmt: skip
        nearest = np.mean(ends, axis=0)
        gap = obstacle.distance(points, box.cell).reshape(mine.shape)
        near = (gap < NEAR * box.cell) & (gap < nearest + BESIDE * box.cell)
        mine[near] = obstacle.velocity(points)[:, axis].reshape(mine.shape)[near]
