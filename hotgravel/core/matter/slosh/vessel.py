"""The room inside a vessel, and how high liquid stands in it: exact for any closed mesh, however it is tilted."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from hotgravel.core.shape.cells import solid, triangles_of
from hotgravel.core.shape.welding import welded

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
TINY = 1e-12
ROUNDS = 60  # of finding a level, at most
BESIDE = 1e-4  # of a side: a surface cuts it no nearer to its corners, or faces would have no area
ABOUT = 1.05  # a diagonal is a little longer than the side that is to have so many parts
LEAST = 0.02  # of a film that is whole: less is left out
NEAR = 1e-13  # of the room: how near its volume comes
# Columns of a level: its height along the normal, the surface's area, its middle and its second moments about that.
HEIGHT, AREA, MIDDLE, SPREAD, LEVEL_WIDTH = 0, 1, 2, 4, 7


@dataclass(frozen=True, eq=False)
class Vessel:
    """A closed mesh in its own frame: vertices (V, 3), faces (F, 3), as its walls leave it."""

    vertices: Array
    faces: Ints
    parts: int

    @staticmethod
    def inside(vertices: Array, faces: Ints, wall: float, parts: int = 10) -> "Vessel | None":
        """The room within walls of a thickness; None where the mesh is not closed, or the walls leave no room. Faces of
        the walls that a surface is cut from are no wider than one of so many parts of its size."""
        vertices, faces = welded(vertices, faces)
        whole = solid(vertices, faces).volume()  # of what is not closed it is 0
        if whole <= 0.0:
            return None
        if wall <= 0.0:
            return Vessel(vertices, faces, parts)
        made = Vessel(_inset(vertices, faces, wall), faces, parts)
        # What is turned inside out has grown, or lost all its volume.
        flat = np.einsum("fc,fc->f", _normals(vertices, faces), _normals(made.vertices, faces))
        return made if 0.0 < made.room < whole and (flat > 0.0).mean() > 0.9 else None

    @cached_property
    def room(self) -> float:
        """How much it holds, m³ in its own frame."""
        return float(volume_of(self.vertices, self.faces))

    @cached_property
    def walls(self) -> tuple[Array, Ints, Ints]:
        """The same mesh in small faces: vertices, faces, and the number (F, 3) of the edge after each corner."""
        size = float(np.ptp(self.vertices, axis=0).max())
        fine = solid(self.vertices, self.faces).refine_to_length(ABOUT * size / self.parts)
        vertices, faces = triangles_of(fine.to_mesh64())
        ends = np.sort(np.stack([faces, np.roll(faces, -1, axis=1)], axis=-1).reshape(-1, 2), axis=1)
        number = np.unique(ends, axis=0, return_inverse=True)[1]
        return np.ascontiguousarray(vertices), faces, number.reshape(-1, 3).astype(np.int64)

    def levels(self, normals: Array, axes: Array, volumes: Array) -> Array:
        """Where level surfaces lie (n, LEVEL_WIDTH) that have normals (n, 3) and axes (n, 2, 3) and so much volume
        (n,) under them, all in its frame."""
        made = np.zeros((len(normals), LEVEL_WIDTH))
        _levels(self.vertices, self.faces, normals, axes, np.clip(volumes, 0.0, self.room), self.room, made)
        return made


def _normals(vertices: Array, faces: Ints) -> Array:
    a, b, c = (vertices[faces[:, n]] for n in range(3))
    across = np.cross(b - a, c - a)
    unit: Array = across / np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-300)
    return unit


def _inset(vertices: Array, faces: Ints, wall: float) -> Array:
    """Vertices moved in so that each face moves by the wall, as far as three directions allow that."""
    normals = _normals(vertices, faces)
    held, wish = np.zeros((len(vertices), 3, 3)), np.zeros((len(vertices), 3))
    for n in range(3):
        np.add.at(held, faces[:, n], normals[:, :, None] * normals[:, None, :])
        np.add.at(wish, faces[:, n], -wall * normals)
    moved: Array = vertices + np.einsum("vij,vj->vi", np.linalg.pinv(held, rcond=1e-3, hermitian=True), wish)
    return moved


@njit(cache=True)
def _under(vertices, faces, height, high, normal, axes, made):
    """The volume of a mesh that lies lower than `high` along a normal; the surface's area and its moments about the
    frame's origin go into made."""
    made[AREA:] = 0.0
    volume, c = 0.0, high
    part, flat = np.empty((4, 3)), np.empty((2, 2))
    for f in range(len(faces)):
        count, cut = 0, 0
        for n in range(3):
            i, j = faces[f, n], faces[f, (n + 1) % 3]
            below, next_below = height[i] < c, height[j] < c
            if below:
                for e in range(3):
                    part[count, e] = vertices[i, e] - c * normal[e]
                count += 1
            if below != next_below:
                t = (c - height[i]) / (height[j] - height[i])
                for e in range(3):
                    part[count, e] = vertices[i, e] + t * (vertices[j, e] - vertices[i, e]) - c * normal[e]
                side = 0 if next_below else 1  # the surface goes round the other way than the wall
                for e in range(2):
                    flat[side, e] = (
                        part[count, 0] * axes[e, 0] + part[count, 1] * axes[e, 1] + part[count, 2] * axes[e, 2]
                    )
                count += 1
                cut += 1
        for n in range(1, count - 1):
            a, p, q = part[0], part[n], part[n + 1]
            volume += (
                a[0] * (p[1] * q[2] - p[2] * q[1]) + a[1] * (p[2] * q[0] - p[0] * q[2])
                + a[2] * (p[0] * q[1] - p[1] * q[0])
            ) / 6.0  # fmt: skip
        if cut == 2:
            u, v, s, t = flat[0, 0], flat[0, 1], flat[1, 0], flat[1, 1]
            turn = u * t - s * v
            made[AREA] += turn / 2.0
            made[MIDDLE] += (u + s) * turn / 6.0
            made[MIDDLE + 1] += (v + t) * turn / 6.0
            made[SPREAD] += (u * u + u * s + s * s) * turn / 12.0
            made[SPREAD + 1] += (u * t + 2.0 * u * v + 2.0 * s * t + s * v) * turn / 24.0
            made[SPREAD + 2] += (v * v + v * t + t * t) * turn / 12.0
    return volume


@njit(cache=True, parallel=True, nogil=True)
def _levels(vertices, faces, normals, axes, volumes, room, made):
    for row in prange(len(normals)):
        i = np.int64(row)
        height = np.empty(len(vertices))
        low, high = np.inf, -np.inf
        for v in range(len(vertices)):
            height[v] = vertices[v, 0] * normals[i, 0] + vertices[v, 1] * normals[i, 1] + vertices[v, 2] * normals[i, 2]
            low, high = min(low, height[v]), max(high, height[v])
        c = low + volumes[i] / room * (high - low)
        for _ in range(ROUNDS):
            off = _under(vertices, faces, height, c, normals[i], axes[i], made[i]) - volumes[i]
            if abs(off) <= NEAR * room:
                break
            if off > 0.0:
                high = c
            else:
                low = c
            onward = c - off / made[i, AREA] if made[i, AREA] > 0.0 else low - 1.0
            c = onward if low < onward < high else 0.5 * (low + high)
        made[i, HEIGHT] = c
        area = made[i, AREA]
        if area > 1e-12 * room ** (2.0 / 3.0):
            u, v = made[i, MIDDLE] / area, made[i, MIDDLE + 1] / area
            made[i, MIDDLE], made[i, MIDDLE + 1] = u, v
            made[i, SPREAD] = made[i, SPREAD] / area - u * u
            made[i, SPREAD + 1] = made[i, SPREAD + 1] / area - u * v
            made[i, SPREAD + 2] = made[i, SPREAD + 2] / area - v * v
        else:
            made[i, AREA:] = 0.0


@njit(cache=True, nogil=True)
def cut_walls(vertices, faces, edge_of, high, worth):
    """The part of a mesh where `high` (V,) is less than 0: its vertices (k, 3), its faces, the sides (m, 2) of the
    surface's rim, from which of those vertices to which each goes, and which of the mesh's vertices each is (k,), -1
    on the rim. Whole faces of which no corner is worth (V,) more than `LEAST` are left out."""
    number, cut = np.full(len(vertices), -1, np.int64), np.full(edge_of.max() + 1, -1, np.int64)
    places, which = np.empty((len(vertices) + len(cut), 3)), np.empty(len(vertices) + len(cut), np.int64)
    kept, rim = np.empty((2 * len(faces), 3), np.int64), np.empty((len(faces), 2), np.int64)
    count, many, cuts = 0, 0, 0
    part = np.empty(4, np.int64)
    for f in range(len(faces)):
        i, j, k = faces[f]
        under = (high[i] < 0.0) + (high[j] < 0.0) + (high[k] < 0.0)
        if under == 0 or (under == 3 and max(worth[i], worth[j], worth[k]) <= LEAST):
            continue
        for v in (i, j, k):
            if high[v] < 0.0 and number[v] < 0:
                number[v], which[count] = count, v
                for e in range(3):
                    places[count, e] = vertices[v, e]
                count += 1
        if under == 3:
            kept[many, 0], kept[many, 1], kept[many, 2] = number[i], number[j], number[k]
            many += 1
            continue
        corners, start, end = 0, -1, -1
        for n in range(3):
            i, j = faces[f, n], faces[f, (n + 1) % 3]
            if high[i] < 0.0:
                part[corners] = number[i]
                corners += 1
            if (high[i] < 0.0) != (high[j] < 0.0):
                k = edge_of[f, n]
                if cut[k] < 0:
                    cut[k], which[count] = count, -1
                    a, b = min(i, j), max(i, j)  # from both sides the same place
                    t = min(max(high[a] / (high[a] - high[b]), BESIDE), 1.0 - BESIDE)
                    for e in range(3):
                        places[count, e] = vertices[a, e] + t * (vertices[b, e] - vertices[a, e])
                    count += 1
                part[corners] = cut[k]
                corners += 1
                if high[i] < 0.0:
                    end = cut[k]
                else:
                    start = cut[k]
        for n in range(1, corners - 1):
            kept[many, 0], kept[many, 1], kept[many, 2] = part[0], part[n], part[n + 1]
            many += 1
        rim[cuts, 0], rim[cuts, 1] = start, end
        cuts += 1
    return places[:count].copy(), kept[:many].copy(), rim[:cuts].copy(), which[:count].copy()


@njit(cache=True, nogil=True)
def volume_of(vertices, faces):
    """What a closed mesh encloses, m³ (by the divergence theorem)."""
    total = 0.0
    for f in range(len(faces)):
        a, b, c = vertices[faces[f, 0]], vertices[faces[f, 1]], vertices[faces[f, 2]]
        total += (
            a[0] * (b[1] * c[2] - b[2] * c[1]) + a[1] * (b[2] * c[0] - b[0] * c[2]) + a[2] * (b[0] * c[1] - b[1] * c[0])
        )
    return total / 6.0


def inverse_of(matrices: Array) -> Array:
    """The inverses (n, 2, 2) of matrices (n, 2, 2); 0 of those that are 0."""
    a, b, c, d = matrices.reshape(-1, 4).T
    found: Array = np.stack([d, -b, -c, a], axis=1) / np.maximum(a * d - b * c, TINY)[:, None]
    return found.reshape(-1, 2, 2)


def root_of(spread: Array) -> Array:
    """The square roots (n, 2, 2) of symmetric matrices, given as three numbers (n, 3): xx, xy, yy."""
    a, b, c = spread.T
    size = np.sqrt(np.maximum(a * c - b * b, 0.0))
    under = np.sqrt(np.maximum(a + c + 2.0 * size, 1e-300))
    return np.asarray(np.stack([a + size, b, b, c + size], axis=-1).reshape(-1, 2, 2) / under[:, None, None])
