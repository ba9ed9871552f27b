"""Cutting: a closed mesh into pieces, each the part of it that is nearest to one of some seeds.

The cells are Voronoi's (1908), as SciPy finds them, bounded by seeds far outside; each is cut from the mesh exactly
(manifold3d). Faces that a cut has made are told apart from those of the skin. Neighbours share a face, whose area is
known from both sides.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import Voronoi

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
FAR = 12.0  # times the mesh's size: where the seeds stand that bound all cells
THIN = 1e-9  # of the mean volume: what is less is a sliver of rounding


class NotCut(ValueError):
    """A mesh that cannot be cut; the message says why and what would be accepted."""


@dataclass(frozen=True, eq=False)
class Piece:
    """A piece: vertices (V, 3) metres, faces (F, 3), which of them a cut has made (F,), volume m³, centre (3,), and the
    seed that it belongs to."""

    vertices: Array
    faces: Ints
    inner: NDArray[np.bool_]
    volume: float
    centre: Array
    seed: int


@dataclass(frozen=True, eq=False)
class Faces:
    """The faces that neighbours share: pairs (B, 2) of pieces; areas (B, 2) m², as the first and as the second of each
    pair has it; middles (B, 3); normals (B, 3) out of the first into the second; seconds (B, 3, 3), m⁴, the second
    moments of area about the middle; and apart (B,) metres, from seed to seed along the normal."""

    pairs: Ints
    areas: Array
    middles: Array
    normals: Array
    seconds: Array
    apart: Array


@dataclass(frozen=True, eq=False)
class Cutting:
    """Pieces, and the faces that neighbours share. `whole` is the mesh's own volume, `merged` how many pieces were too
    small to stay."""

    pieces: tuple[Piece, ...]
    shared: Faces
    whole: float
    merged: int

    def report(self) -> str:
        """How many pieces, how large, and how well they make up the whole, as sentences."""
        sizes = sorted(piece.volume for piece in self.pieces)
        joined = f" {self.merged} smaller ones were joined to a neighbour." if self.merged else ""
        spread = f"{sizes[0]:.2g} to {sizes[-1]:.2g} m³, half of them under {sizes[len(sizes) // 2]:.2g}"
        off = f"{max(self.missing, 1e-15):.0e}"
        return f"{len(sizes)} pieces of {spread}; together {self.whole:.4g} m³, the whole within {off}.{joined}"

    def spread(self, bins: int = 24) -> list[int]:
        """How many pieces there are of each size, from the smallest to the largest, in steps by a factor."""
        sizes = np.log([piece.volume for piece in self.pieces])
        return np.histogram(sizes, bins, (sizes.min(), sizes.max() + 1e-9))[0].tolist()  # type: ignore[no-any-return]

    @property
    def missing(self) -> float:
        """The share of the whole by which the volumes of the pieces differ from it."""
        return abs(sum(piece.volume for piece in self.pieces) - self.whole) / self.whole


def cut(vertices: Array, faces: Ints, seeds: Array, least: float = 0.0) -> Cutting:
    """A closed mesh (V, 3), (F, 3) cut about seeds (n, 3); pieces under a share of the mean volume are joined to the
    neighbour that they share most with. Raises `NotCut`."""
    whole = solid_of(vertices, faces)
    if len(seeds) < 2:
        raise NotCut("One piece is no cutting. Accepted: two pieces or more.")
    size = float(np.ptp(vertices, axis=0).max())
    middle = 0.5 * (vertices.max(axis=0) + vertices.min(axis=0))
    cells, beside = cells_of(seeds, middle, FAR * size)
    mean = whole.volume() / len(seeds)
    solids = [whole ^ cell for cell in cells]
    kept = [n for n, solid in enumerate(solids) if not solid.is_empty() and solid.volume() > THIN * mean]
    merged = 0
    if least > 0.0:
        merged = _merge(solids, kept, beside, seeds, least * whole.volume() / len(kept), whole.original_id())
    pieces = [
        _piece(part, seed, whole.original_id())
        for seed in kept
        for part in solids[seed].decompose()
        if part.volume() > THIN * mean
    ]
    return Cutting(tuple(pieces), _shared(pieces, seeds, size), float(whole.volume()), merged)


def solid_of(vertices: Array, faces: Ints) -> Any:
    """A mesh as manifold3d has it, known by a number of its own. Raises `NotCut`."""
    import manifold3d
    import trimesh

    welded = trimesh.Trimesh(vertices, faces, process=True)
    if not welded.is_watertight:
        raise NotCut("Its mesh is open, so it has no inside to be cut. Accepted: a closed mesh, or one that is mended.")
    if welded.volume < 0.0:
        welded.invert()
    mesh = manifold3d.Mesh64(
        np.asarray(welded.vertices, np.float64), np.asarray(welded.faces, np.uint64)
    )  # fmt: skip
    made = manifold3d.Manifold(mesh)
    if made.is_empty() or made.volume() <= 0.0:
        raise NotCut("Its mesh crosses itself or holds nothing. Accepted: a closed mesh that does not.")
    return made.as_original()


def cells_of(seeds: Array, middle: Array, far: float) -> tuple[list[Any], list[Ints]]:
    """The cell of each seed (n, 3) as a solid, and the seeds whose cells lie beside it."""
    import manifold3d

    ways = np.array([[x, y, z] for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if (x, y, z) != (0, 0, 0)])
    bounds = middle + far * ways / np.linalg.norm(ways, axis=1)[:, None]
    found = Voronoi(np.concatenate([seeds, bounds]))
    cells = [
        manifold3d.Manifold.hull_points(found.vertices[found.regions[r]]) for r in found.point_region[: len(seeds)]
    ]
    beside: list[list[int]] = [[] for _ in seeds]
    for one, other in found.ridge_points:
        if one < len(seeds) and other < len(seeds):
            beside[one].append(int(other))
            beside[other].append(int(one))
    return cells, [np.array(sorted(of), np.int64) for of in beside]


def _piece(part: Any, seed: int, original: int) -> Piece:
    mesh = part.to_mesh64()
    faces = np.asarray(mesh.tri_verts, np.int64)
    vertices = np.asarray(mesh.vert_properties[:, :3], np.float64)
    inner = np.ones(len(faces), bool)
    ends = np.asarray(mesh.run_index) // 3
    for start, end, of in zip(ends[:-1], ends[1:], mesh.run_original_id, strict=True):
        if of == original:
            inner[start:end] = False
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    six = np.einsum("ij,ij->i", a, np.cross(b, c))
    volume = float(six.sum()) / 6.0
    centre = (six[:, None] * (a + b + c)).sum(axis=0) / (24.0 * volume)
    return Piece(vertices, faces, inner, volume, centre, seed)


def inner_faces(piece: Piece) -> tuple[Array, Array, Array]:
    """Middles (k, 3), unit normals (k, 3) and areas (k,) of the faces that cuts have made."""
    a, b, c = (piece.vertices[piece.faces[piece.inner][:, k]] for k in range(3))
    across = np.cross(b - a, c - a)
    twice = np.linalg.norm(across, axis=1)
    return (a + b + c) / 3.0, across / np.maximum(twice, 1e-300)[:, None], 0.5 * twice


def _shared(pieces: Sequence[Piece], seeds: Array, size: float) -> Faces:
    """Which pieces share faces, and those faces.

    A face that a cut has made lies halfway between its own seed and another: that tells whose it is too. Where a cell
    came out in several parts, the part is the one with a face nearest to it.
    """
    of_seed: dict[int, list[int]] = {}
    for number, piece in enumerate(pieces):
        of_seed.setdefault(piece.seed, []).append(number)
    there = np.array(sorted(of_seed))
    faces = [inner_faces(piece) for piece in pieces]
    mine = np.repeat(np.arange(len(pieces)), [len(of[2]) for of in faces])
    theirs = np.concatenate([_across(n, pieces, seeds, there, of_seed, faces, size) for n in range(len(pieces))])
    areas = np.concatenate([of[2] for of in faces])
    keys, at = np.unique(mine * len(pieces) + theirs, return_inverse=True)
    area = np.bincount(at, areas, len(keys))
    back = (keys % len(pieces)) * len(pieces) + keys // len(pieces)
    place = np.minimum(np.searchsorted(keys, back), max(len(keys) - 1, 0))
    both = np.flatnonzero((keys < back) & (keys[place] == back)) if len(keys) else np.zeros(0, np.int64)
    pairs = np.stack([keys[both] // len(pieces), keys[both] % len(pieces)], axis=1)

    def summed(values: Array) -> Array:
        out = np.zeros((len(keys), *values.shape[1:]))
        np.add.at(out, at, values)
        return out[both]

    corners = np.concatenate([piece.vertices[piece.faces[piece.inner]] for piece in pieces]).reshape(-1, 3, 3)
    normal = summed(areas[:, None] * np.concatenate([of[1] for of in faces]))
    normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-300)[:, None]
    middle = summed(areas[:, None] * corners.mean(axis=1)) / area[both, None]
    total = corners.sum(axis=1)
    outer = np.einsum("kci,kcj->kij", corners, corners) + total[:, :, None] * total[:, None, :]
    second = summed(areas[:, None, None] / 12.0 * outer)
    second -= area[both, None, None] * middle[:, :, None] * middle[:, None, :]
    own = np.array([piece.seed for piece in pieces])
    apart = np.abs(np.einsum("bi,bi->b", seeds[own[pairs[:, 1]]] - seeds[own[pairs[:, 0]]], normal))
    return Faces(pairs, np.stack([area[both], area[place[both]]], axis=1), middle, normal, second, apart)


def _across(
    number: int, pieces: Sequence[Piece], seeds: Array, there: Ints, of_seed: dict[int, list[int]],
    faces: Sequence[tuple[Array, Array, Array]], size: float,
) -> Ints:  # fmt: skip
    """The piece on the other side of each face that a cut has made of a piece."""
    piece, (middles, normals, _areas) = pieces[number], faces[number]
    if not len(middles):
        return np.zeros(0, np.int64)
    others = there[there != piece.seed]
    way = seeds[others] - seeds[piece.seed]
    way_long = np.linalg.norm(way, axis=1)[:, None]
    half = seeds[piece.seed] + 0.5 * way
    # How far a face lies off the plane halfway to each other seed, and whether it faces that seed.
    off = np.abs(np.einsum("kij,ij->ki", middles[:, None] - half[None], way / way_long))
    off += size * (1.0 - normals @ (way / way_long).T)
    found = [of_seed[int(seed)] for seed in others[np.argmin(off, axis=1)]]
    return np.array([
        parts[0] if len(parts) == 1 else _nearest(middle, parts, faces)
        for middle, parts in zip(middles, found, strict=True)
    ])  # fmt: skip


def _nearest(place: Array, parts: list[int], faces: Sequence[tuple[Array, Array, Array]]) -> int:
    off = [float(np.linalg.norm(faces[part][0] - place, axis=1).min(initial=np.inf)) for part in parts]
    return parts[int(np.argmin(off))]


def _merge(solids: list[Any], kept: list[int], beside: list[Ints], seeds: Array, least: float, original: int) -> int:
    """Join what is smaller than `least` to what it shares most with, in place. Returns how many went."""
    went = 0
    for small in sorted(kept, key=lambda n: (solids[n].volume(), n)):
        if solids[small].volume() >= least or len(kept) < 2:
            continue
        piece = _piece(solids[small], small, original)
        middles, _, areas = inner_faces(piece)
        near = [n for n in beside[small] if n in kept]
        if not near or not len(areas):
            continue
        away = np.linalg.norm(middles[:, None] - seeds[near][None], axis=2)
        shared = np.bincount(np.argmin(away, axis=1), areas, len(near))
        into = near[int(np.argmax(shared))]
        solids[into] = solids[into] + solids[small]
        beside[into] = np.union1d(beside[into], beside[small])
        kept.remove(small)
        went += 1
    return went
