"""The cells of Voronoi (1908) about seeds as closed solids, with flat sides or with rough ones.

Rough cells are the flat ones, refined and moved by one vector noise. As it is a function of the place alone, both
sides of a break move alike and cells still fill space without a gap; a mesh that is cut by them keeps its own skin.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import Voronoi

from hotgravel.core.noise import noise_at

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
Tell = Callable[[float], None]  # hears which share of some work is done
FAR = 12.0  # times the size of what is cut: where the seeds stand that bound all cells
FINE = 0.5  # of a lump: the longest edge of a rough face
MOST_FACES = 200_000  # of all rough cells together


class NotCut(ValueError):
    """A mesh that cannot be cut; the message says why and what would be accepted. `row` is the row that would cut it,
    once that is known."""

    row = ""

    def of(self, row: str) -> "NotCut":
        """The same, of a row."""
        self.row = row
        return self


@dataclass(frozen=True)
class Rough:
    """How rough breaks are: by so many metres, in lumps of so many, of a seed."""

    by: float
    lumps: float
    seed: int

    def moved(self, points: Array) -> Array:
        """Where the noise moves points (n, 3)."""
        off = [noise_at(points, size=self.lumps, seed=self.seed + 7919 * axis) for axis in range(3)]
        return points + self.by * np.stack(off, axis=1)


def solid(vertices: Array, faces: Ints) -> Any:
    """A closed mesh as manifold3d has it."""
    import manifold3d

    return manifold3d.Manifold(manifold3d.Mesh64(np.asarray(vertices, np.float64), np.asarray(faces, np.uint64)))


def triangles_of(mesh: Any) -> tuple[Array, Ints]:
    """The vertices (V, 3) and faces (F, 3) of a mesh of manifold3d's, which need not be kept for them."""
    return np.array(mesh.vert_properties[:, :3], np.float64), np.array(mesh.tri_verts, np.int64)


def fused(solids: Sequence[Any]) -> Any:
    """Solids as one: those that touch, or go through one another."""
    import manifold3d

    return manifold3d.Manifold.batch_boolean(solids, manifold3d.OpType.Add)


def cells_of(
    seeds: Array, low: Array, high: Array, rough: Rough | None = None, tell: Tell = lambda share: None
) -> list[Any]:
    """The cell of each seed (n, 3) as a solid; they bound all that lies in the box from `low` to `high`. `tell` hears
    which share of them is made. Raises `NotCut` where rough cells would have too many faces."""
    import manifold3d

    size, middle = float((high - low).max()), 0.5 * (low + high)
    ways = np.array([[x, y, z] for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if (x, y, z) != (0, 0, 0)])
    bounds = middle + FAR * size * ways / np.linalg.norm(ways, axis=1)[:, None]
    found = Voronoi(np.concatenate([seeds, bounds]))
    if rough is None:
        regions = (found.vertices[found.regions[r]] for r in found.point_region[: len(seeds)])
        return [manifold3d.Manifold.hull_points(corners) for corners in regions]
    vertices, faces, sides = _sides(found, len(seeds))
    tell(0.4)
    vertices, faces, sides = refined(vertices, faces, sides, low, high, FINE * rough.lumps)
    moved = rough.moved(vertices)
    cells = []
    for seed in range(len(seeds)):
        tell(0.7 + 0.3 * seed / len(seeds))
        cells.append(_cell(moved, faces, sides, seed))
    return cells


def _sides(found: Voronoi, count: int) -> tuple[Array, Ints, Ints]:
    """The sides of the first cells as triangles about their middles: vertices, faces (F, 3), and the two seeds (F, 2)
    on either side, the face looking from the first to the second."""
    middles: list[Array] = []
    faces: list[Ints] = []
    sides: list[Ints] = []
    for (one, other), corners in zip(found.ridge_points, found.ridge_vertices, strict=True):
        if min(one, other) >= count:
            continue
        ring = found.vertices[corners]
        middle, way = ring.mean(axis=0), found.points[other] - found.points[one]
        u = ring[0] - middle
        off = ring - middle
        order = np.argsort(np.arctan2(off @ np.cross(way, u) / np.linalg.norm(way), off @ u))
        turned = np.array(corners)[order]
        faces.append(np.stack([turned, np.roll(turned, -1), np.full(len(turned), -1 - len(middles))], axis=1))
        middles.append(middle)
        sides.append(np.tile([one, other], (len(turned), 1)))
    made = np.concatenate(faces)
    made = np.where(made < 0, len(found.vertices) - 1 - made, made)
    return np.concatenate([found.vertices, middles]), made, np.concatenate(sides)


def refined(
    vertices: Array, faces: Ints, sides: Ints, low: Array, high: Array, longest: float
) -> tuple[Array, Ints, Ints]:
    """Triangles cut until none of their edges about a box is longer than `longest`, coarser with the distance from it.
    Whether an edge is halved hangs on the edge alone, so that faces that share one still do. Each part of a face keeps
    its `sides`. Raises `NotCut`."""
    while True:
        edges = np.sort(faces[:, [[0, 1], [1, 2], [2, 0]]], axis=2)
        keys, at = np.unique(edges[:, :, 0] * len(vertices) + edges[:, :, 1], return_inverse=True)
        ends = vertices[np.stack([keys // len(vertices), keys % len(vertices)], axis=1)]
        length, middle = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1), ends.mean(axis=1)
        off = np.linalg.norm(middle - np.clip(middle, low, high), axis=1)
        halved = length > np.maximum(longest, off)
        if not halved.any():
            return vertices, faces, sides
        number = np.where(halved, len(vertices) + np.cumsum(halved) - 1, -1)
        vertices = np.concatenate([vertices, middle[halved]])
        faces, sides = _halved(faces, sides, number[at.reshape(-1, 3)])
        if len(faces) > MOST_FACES:
            raise NotCut(
                f"Breaks as fine as that have over {MOST_FACES} faces. Accepted: larger lumps, or fewer pieces."
            )


def _halved(faces: Ints, sides: Ints, new: Ints) -> tuple[Ints, Ints]:
    """Faces of which some edges (F, 3), from each corner to the next, have a new vertex in the middle; -1 where not."""
    # Turned so that a lone new vertex lies on the first edge, and a lone old edge is the last.
    split = new >= 0
    count = split.sum(axis=1)
    turn = np.where(count == 1, np.argmax(split, axis=1), np.where(count == 2, np.argmin(split, axis=1) + 1, 0)) % 3
    order = (turn[:, None] + np.arange(3)) % 3
    (a, b, c), (p, q, r) = np.take_along_axis(faces, order, 1).T, np.take_along_axis(new, order, 1).T
    parts = {
        0: [(a, b, c)], 1: [(a, p, c), (p, b, c)], 2: [(p, b, q), (a, p, q), (a, q, c)],
        3: [(a, p, r), (p, b, q), (r, q, c), (p, q, r)],
    }  # fmt: skip
    made = [(np.stack(part, axis=1)[count == n], sides[count == n]) for n, of in parts.items() for part in of]
    return np.concatenate([face for face, _ in made]), np.concatenate([side for _, side in made])


def _cell(vertices: Array, faces: Ints, sides: Ints, seed: int) -> Any:
    """The closed solid whose sides look out of a seed's cell. Raises `NotCut`."""
    out, back = faces[sides[:, 0] == seed], faces[sides[:, 1] == seed]
    mine = np.concatenate([out, back[:, ::-1]])
    used, at = np.unique(mine, return_inverse=True)
    made = solid(vertices[used], at.reshape(-1, 3))
    if made.is_empty():
        raise NotCut("Cells as regular as that cannot be roughened. Accepted: some jitter, or smooth breaks.")
    return made
