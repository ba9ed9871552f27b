"""Cutting: a closed mesh into pieces by solids that fill space (manifold3d), by one row after another.

Faces that a cut has made are told apart from those of the skin. Neighbours share a face, whose area is known.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hotgravel.core.shape.cells import Array, Ints, NotCut, Tell, cells_of, fused, solid, triangles_of
from hotgravel.core.shape.crossing import crossings
from hotgravel.core.shape.facing import Faces, shared_by
from hotgravel.core.shape.mesh import mending

THINNEST = 1e-6  # of the longest side: what is thinner has an inside by rounding alone
THIN = 1e-9  # of the mean volume: what is less is a sliver of rounding
Frees = Callable[[Array], NDArray[np.bool_]]  # whether parts with their centres (n, 3) there are cut off


@dataclass(frozen=True, eq=False)
class Piece:
    """A piece: vertices (V, 3) metres, faces (F, 3), which of them a cut has made (F,), volume m³, centre (3,), and the
    number of the row that cut it last."""

    vertices: Array
    faces: Ints
    inner: NDArray[np.bool_]
    volume: float
    centre: Array
    row: int

    @property
    def extent(self) -> float:
        """The longest side of its box, metres."""
        return float(np.ptp(self.vertices, axis=0).max())


@dataclass(frozen=True, eq=False)
class Part:
    """A piece while it may be cut on: the solid, as manifold3d has it, and the piece that it is."""

    solid: Any
    piece: Piece


@dataclass(frozen=True)
class Tiny:
    """What became of pieces that were too small to stay: how many were joined to a neighbour, how many were left out,
    and the volume of these, m³."""

    joined: int = 0
    left_out: int = 0
    volume: float = 0.0

    def __add__(self, other: "Tiny") -> "Tiny":
        return Tiny(self.joined + other.joined, self.left_out + other.left_out, self.volume + other.volume)


@dataclass(frozen=True, eq=False)
class Cutting:
    """Pieces, and the faces that neighbours share. `whole` is the mesh's own volume, m³."""

    pieces: tuple[Piece, ...]
    shared: Faces
    whole: float
    tiny: Tiny = Tiny()
    seconds: float = 0.0  # that it took, where somebody had a clock

    def report(self) -> str:
        """How many pieces, how large, and how well they make up the whole, as sentences."""
        sizes = sorted(piece.volume for piece in self.pieces)
        tiny, share = "", f"{100.0 * self.tiny.volume / self.whole:.2g}"
        if self.tiny.joined:
            tiny = f" Tiny ones that were joined to a neighbour: {self.tiny.joined}."
        if self.tiny.left_out:
            tiny += f" Tiny ones that were left out: {self.tiny.left_out}, {share} % of it."
        spread = f"{sizes[0]:.2g} to {sizes[-1]:.2g} m³, half of them under {sizes[len(sizes) // 2]:.2g}"
        off = f"{max(self.missing, 1e-15):.0e}"
        took = f" Cut in {self.seconds:.1f} s." if self.seconds else ""
        return f"{len(sizes)} pieces of {spread}; together {self.whole:.4g} m³, the whole within {off}.{tiny}{took}"

    def spread(self, bins: int = 24) -> list[int]:
        """How many pieces there are of each size, from the smallest to the largest, in steps by a factor."""
        sizes = np.log([piece.volume for piece in self.pieces])
        return np.histogram(sizes, bins, (sizes.min(), sizes.max() + 1e-9))[0].tolist()  # type: ignore[no-any-return]

    @property
    def missing(self) -> float:
        """The share of the whole by which the volumes of the pieces, with those left out, differ from it."""
        return abs(sum(piece.volume for piece in self.pieces) + self.tiny.volume - self.whole) / self.whole


def whole_of(vertices: Array, faces: Ints) -> Part:
    """A closed mesh (V, 3), (F, 3), not cut yet. Raises `NotCut`."""
    made = closed(vertices, faces).as_original()
    return Part(made, _piece(made, made.original_id(), 0))


def closed(vertices: Array, faces: Ints) -> Any:
    """A closed mesh as a solid. Raises `NotCut`."""
    import trimesh

    given, extent = trimesh.Trimesh(vertices, faces, process=False), float(np.ptp(vertices, axis=0).max())
    thick = 2.0 * abs(given.volume) / given.area
    welded = trimesh.Trimesh(vertices, faces, process=True)
    if given.is_watertight and thick < THINNEST * extent:
        least = f"{THINNEST * extent:.2g}"
        raise NotCut(f"It is some {thick:.2g} m thick, which mending does not change. Accepted: {least} m or more.")
    if not welded.is_watertight:
        raise NotCut("Its mesh is open, so it has no inside to be cut. Accepted: a closed mesh, or one that is mended.")
    if welded.volume < 0.0:
        welded.invert()
    if crossings(welded.vertices, welded.faces):
        raise NotCut(f"{mending(welded.vertices, welded.faces)} Accepted: a closed mesh that does not.")
    made = solid(welded.vertices, welded.faces)
    if made.is_empty() or made.volume() <= 0.0:
        raise NotCut("Its mesh holds nothing. Accepted: a closed mesh that does.")
    return made


def parted(
    part: Part,
    cells: Sequence[Any],
    original: int,
    row: int,
    frees: Frees | None = None,
    tell: Tell = lambda share: None,
) -> list[Part]:
    """What cells leave of a part, each connected; `frees` tells which of that is cut off, the rest is left in one.
    `original` is the number of the whole, `row` of the row that cuts; `tell` hears which share is done."""
    low, high = np.array(part.solid.bounding_box()).reshape(2, 3)
    boxes = np.array([cell.bounding_box() for cell in cells]).reshape(-1, 2, 3)
    near = np.flatnonzero(((boxes[:, 0] <= high) & (boxes[:, 1] >= low)).all(axis=1)).tolist()
    solids = []
    for done, n in enumerate(near):
        tell(done / len(near))
        if not (left := part.solid ^ cells[n]).is_empty():
            solids.append(left)
    thin = THIN * part.piece.volume / max(len(solids), 1)
    made = [Part(one, _piece(one, original, row)) for of in solids for one in of.decompose() if one.volume() > thin]
    if frees is None or not made:
        return made
    off = frees(np.array([one.piece.centre for one in made]))
    if not off.any():
        return [part]
    rest = [one.solid for one, gone in zip(made, off, strict=True) if not gone]
    remains: list[Any] = fused(rest).decompose() if rest else []
    return [
        *(one for one, gone in zip(made, off, strict=True) if gone),
        *(Part(one, _piece(one, original, row)) for one in remains if one.volume() > thin),
    ]


def joined(parts: Sequence[Part], least: float, original: int) -> list[Part]:
    """The parts, but that each smaller than `least`, m³, is one with the neighbour that it shares most with."""
    beside: list[dict[int, float]] = [{} for _ in parts]
    shared = _shared([part.piece for part in parts])
    for (one, other), area in zip(shared.pairs.tolist(), shared.areas.tolist(), strict=True):
        beside[one][other] = beside[other][one] = area
    whose = [[n] for n in range(len(parts))]
    volume = [part.piece.volume for part in parts]
    for small in sorted(range(len(parts)), key=lambda n: (volume[n], n)):
        if volume[small] >= least or not beside[small]:
            continue
        into = max(beside[small], key=lambda n: (beside[small][n], -n))
        for other, area in beside[small].items():
            del beside[other][small]
            if other != into:
                beside[other][into] = beside[into][other] = beside[into].get(other, 0.0) + area
        whose[into] += whose[small]
        volume[into] += volume[small]
        whose[small], beside[small] = [], {}
    made = []
    for group in whose:
        if len(group) == 1:
            made.append(parts[group[0]])
        elif group:
            one = fused([parts[n].solid for n in group])
            made.append(Part(one, _piece(one, original, parts[group[0]].piece.row)))
    return made


def finished(parts: Sequence[Part], whole: Part, tiny: Tiny = Tiny()) -> Cutting:
    """The cutting that the parts of a whole come to."""
    pieces = tuple(part.piece for part in parts)
    return Cutting(pieces, _shared(pieces), whole.piece.volume, tiny)


def cut(vertices: Array, faces: Ints, seeds: Array, least: float = 0.0) -> Cutting:
    """A closed mesh (V, 3), (F, 3) cut about seeds (n, 3), at once; pieces under a share of the mean volume are joined
    to the neighbour that they share most with. Raises `NotCut`."""
    whole = whole_of(vertices, faces)
    if len(seeds) < 2:
        raise NotCut("One piece is no cutting. Accepted: two pieces or more.")
    cells = cells_of(seeds, vertices.min(axis=0), vertices.max(axis=0))
    parts = made = parted(whole, cells, whole.solid.original_id(), 0)
    if least > 0.0:
        made = joined(parts, least * whole.piece.volume / len(parts), whole.solid.original_id())
    return finished(made, whole, Tiny(len(parts) - len(made)))


def inner_corners(piece: Piece) -> Array:
    """The corners (k, 3, 3) of the faces that cuts have made."""
    found: Array = piece.vertices[piece.faces[piece.inner]]
    return found


def _shared(pieces: Sequence[Piece]) -> Faces:
    size = float(np.ptp(np.concatenate([piece.vertices for piece in pieces]), axis=0).max())
    centres, volumes = np.array([p.centre for p in pieces]), np.array([p.volume for p in pieces])
    return shared_by([inner_corners(piece) for piece in pieces], centres, volumes, size)


def _piece(part: Any, original: int, row: int) -> Piece:
    mesh = part.to_mesh64()
    vertices, faces = triangles_of(mesh)
    inner = np.ones(len(faces), bool)
    ends = np.asarray(mesh.run_index) // 3
    for start, end, of in zip(ends[:-1], ends[1:], mesh.run_original_id, strict=True):
        if of == original:
            inner[start:end] = False
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    six = np.einsum("ij,ij->i", a, np.cross(b, c))
    volume = float(six.sum()) / 6.0
    centre = (six[:, None] * (a + b + c)).sum(axis=0) / (24.0 * volume)
    return Piece(vertices, faces, inner, volume, centre, row)
