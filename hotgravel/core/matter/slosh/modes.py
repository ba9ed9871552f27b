"""How the surface of liquid in a vessel can swing: its modes, by finite elements.

In a vessel with upright walls a mode is a wave that meets the walls level (Lamb, Hydrodynamics, 1932, sections 190 and
191): its shape solves Helmholtz's equation on the surface at rest, and a depth h lets it swing at g k tanh(k h).
Abramson (The dynamic behavior of liquids in moving containers, NASA SP-106, 1966) has closed forms for boxes and
cylinders, and the pendulum that swings as the first mode does.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import LinearNDInterpolator, NearestNDInterpolator
from scipy.sparse import coo_matrix, csc_matrix
from scipy.sparse.linalg import eigsh
from scipy.spatial import Delaunay, cKDTree

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
MANY = 14  # modes
POINTS = 700  # of a surface, about
GRID = 33  # points along each side of the grid that modes are read from
THIN = 1e-3  # of a square of that size: flatter triangles are left out
BEYOND = 1.05  # how far the grid reaches over the surface's box


@dataclass(frozen=True, eq=False)
class Modes:
    """Waves of a surface at rest, in its two axes: wave numbers (N,) 1/m; the shares (N, 2) of each in a plane that is
    tilted along either axis; shapes (N, GRID, GRID) on a grid of a box, of which the mean of squares is 1; the box's
    corners (2, 2), and the surface's middle (2,) and second moments (3,) about it. `pull` (2, 2) is the square of the
    wave number of a plane's swing times the second moments, which other surfaces of the vessel go by."""

    number: Array
    share: Array
    shape: Array
    box: Array
    middle: Array
    spread: Array
    pull: Array

    def at(self, points: Array) -> Array:
        """Where points (n, 2) lie on the grid, in its cells (2, n)."""
        low, high = self.box
        return np.asarray(np.clip((points - low) / (high - low), 0.0, 1.0).T * (GRID - 1))


def modes_of(rim: Array, middle: Array, spread: Array, area: float) -> Modes:
    """The modes of a surface with a rim of sides (m, 2, 2), in its two axes; its middle, second moments and area."""
    side = np.sqrt(area / POINTS)
    points, faces = _meshed(rim, side)
    stiff, mass = _elements(points, faces)
    start = np.random.default_rng(1).standard_normal(len(points))
    many = min(MANY + 1, len(points) - 1)
    squares, shapes = eigsh(stiff, many, mass, sigma=-1e-3 / area, v0=start)
    waves = squares > 1e-6 / area  # a surface in several parts is level in each
    squares, shapes = squares[waves], shapes[:, waves]
    order = np.argsort(squares)
    number, shapes = np.sqrt(squares[order]), shapes[:, order]
    weight = np.asarray(mass.sum(axis=1)).ravel()
    shapes *= np.sqrt(weight.sum()) * np.sign(shapes[np.abs(shapes).argmax(axis=0), np.arange(len(order))])
    share = (shapes.T @ (mass @ (points - middle))) / weight.sum()
    low, high = points.min(axis=0), points.max(axis=0)
    box = 0.5 * (low + high) + BEYOND * 0.5 * (high - low) * np.array([[-1.0], [1.0]])
    grid = np.stack(np.meshgrid(*np.linspace(box[0], box[1], GRID).T, indexing="ij"), axis=-1).reshape(-1, 2)
    inside = LinearNDInterpolator(Delaunay(points), shapes)(grid)
    read = np.where(np.isnan(inside), NearestNDInterpolator(points, shapes)(grid), inside)
    shape = np.ascontiguousarray(read.T).reshape(-1, GRID, GRID)
    return Modes(number, share, shape, box, middle, spread, _pull(number, share, spread))


def _pull(number: Array, share: Array, spread: Array) -> Array:
    """The square of the wave number that a plane swings with along each of the surface's main axes, times its second
    moment there, as a matrix: of the mode that has most of that plane."""
    moments, axes = np.linalg.eigh(spread[[0, 1, 1, 2]].reshape(2, 2))
    made = np.zeros((2, 2))
    for moment, axis in zip(moments, axes.T, strict=True):
        first = np.abs(share @ axis).argmax()
        made += number[first] ** 2 * moment * np.outer(axis, axis)
    return made


def _meshed(rim: Array, side: float) -> tuple[Array, Ints]:
    """Points (P, 2) and triangles of a surface within its rim."""
    low, high = rim.min(axis=(0, 1)), rim.max(axis=(0, 1))
    many = np.ceil((high - low) / side).astype(int)
    grid = np.stack(np.meshgrid(*(low[e] + side * np.arange(many[e] + 1) for e in range(2)), indexing="ij"), axis=-1)
    long = np.linalg.norm(rim[:, 1] - rim[:, 0], axis=1)
    parts = np.maximum(1, np.ceil(long / side).astype(int))
    at = np.concatenate([np.arange(n) / n for n in parts])[:, None]
    start, end = (np.repeat(rim[:, n], parts, axis=0) for n in range(2))
    edge = start + at * (end - start)
    twins = cKDTree(edge).query_pairs(0.4 * side, output_type="ndarray")
    edge = np.delete(edge, _spare(twins), axis=0)
    inner = grid.reshape(-1, 2)
    inner = inner[within(inner, rim) & (cKDTree(edge).query(inner)[0] > 0.6 * side)]
    points = np.concatenate([edge, inner])
    faces = Delaunay(points).simplices
    a, b, c = (points[faces[:, n]] for n in range(3))
    wide = np.abs((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]) > THIN * side**2
    faces = faces[wide & within((a + b + c) / 3.0, rim)]
    used, at_used = np.unique(faces, return_inverse=True)
    return points[used], at_used.reshape(-1, 3)


def _spare(twins: Ints) -> list[int]:
    """Points of pairs (n, 2) without which none of the others has a twin."""
    spare: set[int] = set()
    for first, second in twins[np.lexsort(twins.T[::-1])].tolist():
        if first not in spare:
            spare.add(second)
    return sorted(spare)


def within(points: Array, rim: Array) -> NDArray[np.bool_]:
    """Which points (n, 2) lie within a rim of sides (m, 2, 2): a ray from there crosses it an odd number of times."""
    (ax, ay), (bx, by) = rim[:, 0].T, rim[:, 1].T
    x, y = points[:, 0, None], points[:, 1, None]
    spans = (ay > y) != (by > y)
    with np.errstate(divide="ignore", invalid="ignore"):
        crosses = x < (bx - ax) * (y - ay) / (by - ay) + ax
    inside: NDArray[np.bool_] = (spans & crosses).sum(axis=1) % 2 == 1
    return inside


def _elements(points: Array, faces: Ints) -> tuple[csc_matrix, csc_matrix]:
    """The stiffness and mass matrices of linear triangles."""
    a, b, c = (points[faces[:, n]] for n in range(3))
    away = np.stack([c - b, a - c, b - a], axis=1)
    twice = np.abs(away[:, 1, 0] * away[:, 2, 1] - away[:, 1, 1] * away[:, 2, 0])
    stiff = np.einsum("fie,fje->fij", away, away) / np.maximum(2.0 * twice, 1e-300)[:, None, None]
    mass = twice[:, None, None] / 24.0 * (np.ones((3, 3)) + np.eye(3))
    rows, columns = np.repeat(faces, 3, axis=1).ravel(), np.tile(faces, (1, 3)).ravel()
    size = (len(points), len(points))
    made = (coo_matrix((of.ravel(), (rows, columns)), size).tocsc() for of in (stiff, mass))
    return next(made), next(made)
