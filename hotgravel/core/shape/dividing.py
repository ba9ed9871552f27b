"""How the rows of a cut prop divide it, one after another: which of the pieces so far each one cuts, and by what."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from hotgravel.core.shape import shelf
from hotgravel.core.shape.bvh import build_tree
from hotgravel.core.shape.cells import FINE, Array, Ints, NotCut, Rough, Tell, cells_of, refined, solid, triangles_of
from hotgravel.core.shape.cutting import Cutting, Frees, Part, Piece, Tiny, closed, finished, joined, parted, whole_of
from hotgravel.core.shape.distance import MESH
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.mesh import mending, mesh_of
from hotgravel.core.shape.seeds import Room, Weigh, about, layered, strewn, struck
from hotgravel.core.shape.strokes import stroked
from hotgravel.core.shot.cut import MOST_PIECES, Along, AlongStrokes, AtPoints, Cut, Layers, Roughened, Strike
from hotgravel.core.shot.props import Prop

Other = Callable[[str], tuple[Array, Ints]]  # another prop's mesh in the prop's own frame
Drawn = Callable[[str], tuple[Array, float]]  # the points of a zone's strokes, and how wide, in the prop's own frame
AMISS = 1e-3  # of the whole: pieces that miss more of it come of a mesh that folds through itself
CELLS, PARTS = 0.7, 0.9  # the share of a cutting's time after which its cells are made, and the parts that they leave


@dataclass(frozen=True)
class Surroundings:
    """What a cutting asks of the shot: the weights of zones, the meshes of other props, and strokes; `told` is all that
    goes into the answers, so that what was cut before is known again."""

    weigh: Weigh
    other: Other
    drawn: Drawn
    told: bytes


def cutting_of(rows: Sequence[Cut], prop: Prop, shape: Shaped, about: Surroundings) -> Cutting:
    """A prop's pieces as its rows have them, one after another. Raises `NotCut`, which names the row."""
    kept = shelf.known(about.told)
    if kept is None:
        begun = shelf.clock()
        kept = _cut(rows, prop, shape, about)
        kept = replace(kept, seconds=shelf.clock() - begun)
        shelf.keep(about.told, kept)
    return kept


def shape_of(piece: Piece) -> Shaped:
    """A piece as kernels take it."""
    tree = build_tree(piece.vertices, piece.faces)
    return Shaped(MESH, np.array([0.0, 1.0, 0.0]), tree, piece.vertices, piece.faces)


def _cut(rows: Sequence[Cut], prop: Prop, shape: Shaped, about: Surroundings) -> Cutting:
    if not shape.has_volume:
        told = mending(shape.vertices, shape.faces) if shape.kind == MESH else "It has no inside to be cut."
        raise NotCut(f"{told} Accepted: a closed shape.").of(rows[0].id)
    plain = (shape.vertices, shape.faces) if len(shape.faces) else mesh_of(prop.shape)[:2]
    try:
        whole = whole_of(np.asarray(plain[0], float), np.asarray(plain[1]))
    except NotCut as fault:
        raise fault.of(rows[0].id) from None
    parts, tiny = [whole], Tiny()
    for number, row in enumerate(rows):
        shelf.tell(number / len(rows))
        try:
            divider = Divider(row, number, whole, shape, about, len(rows))
            parts, went = divider.divided(parts)
        except NotCut as fault:
            raise fault.of(row.id) from None
        tiny += went
    made = finished(parts, whole, tiny)
    if made.missing > AMISS:
        said = "Its pieces do not make it up, as its mesh folds through itself. Accepted: one that does not."
        raise NotCut(said).of(rows[0].id)
    return made


@dataclass(frozen=True)
class Divider:
    """One row at work on the parts of a whole."""

    row: Cut
    number: int
    whole: Part
    shape: Shaped
    about: Surroundings
    rows: int

    def divided(self, parts: list[Part]) -> tuple[list[Part], Tiny]:
        """The parts that the row leaves, and what became of those too small to stay. Raises `NotCut`."""
        row, original = self.row, self.whole.solid.original_id()
        chosen = [n for n, part in enumerate(parts) if part.piece.extent > row.longer]
        if not chosen:
            longest = max(part.piece.extent for part in parts)
            raise NotCut(f"No piece is longer than that: the longest has {longest:.3g} m. Accepted: a shorter length.")
        made: dict[int, list[Part]] = {}
        ahead = self._cells([parts[n] for n in chosen])
        for done, (n, cells) in enumerate(zip(chosen, ahead, strict=True)):
            tell = self._telling(CELLS, PARTS, done, len(chosen))
            whole = len(cells) < 2
            made[n] = [parts[n]] if whole else parted(parts[n], cells, original, self.number, self._frees, tell)
        new = [part for of in made.values() if len(of) > 1 for part in of]
        if not new:
            raise NotCut("It cuts nothing off. Accepted: more pieces, or a place where it reaches into the prop.")
        left = [part for n, part in enumerate(parts) if len(made.get(n, ())) <= 1]
        if len(left) + len(new) > MOST_PIECES:
            raise NotCut(f"That makes {len(left) + len(new)} pieces in all. Accepted: {MOST_PIECES} at most.")
        new, tiny = self._large(new) if row.least > 0.0 else (new, Tiny())
        return [*left, *new], tiny

    def _large(self, new: list[Part]) -> tuple[list[Part], Tiny]:
        """New parts once none is under the least size, and what became of those that were. Raises `NotCut`."""
        least = self.row.least * sum(part.piece.volume for part in new) / len(new)
        if self.row.tiny == "left out":
            kept = [part for part in new if part.piece.volume >= least]
            lost = sum(part.piece.volume for part in new if part.piece.volume < least)
            return kept, Tiny(left_out=len(new) - len(kept), volume=lost)
        kept = joined(new, least, self.whole.solid.original_id())
        return kept, Tiny(joined=len(new) - len(kept))

    def _telling(self, start: float, end: float, part: int = 0, parts: int = 1) -> Tell:
        """Tells how far the work on one of some parts is, which this row has from `start` to `end`, as a share of the
        work of all rows."""
        each = (end - start) / parts
        return lambda share: shelf.tell((self.number + start + (part + share) * each) / self.rows)

    @cached_property
    def _stroked(self) -> tuple[Array, int]:
        """The seeds of strokes, and how many of them are those of pieces. Raises `NotCut`."""
        manner = self.row.manner
        assert isinstance(manner, AlongStrokes)
        return stroked(self.row, manner, *self.about.drawn(manner.zone), self.shape)

    @property
    def _frees(self) -> Frees | None:
        """Whether what has its centre at places is cut off; None where all of it is."""
        zone = self.row.zone
        within = None if zone is None else lambda places: self.about.weigh(zone, places) >= 0.5
        if not isinstance(self.row.manner, AlongStrokes):
            return within
        seeds, count = self._stroked
        tree = cKDTree(seeds)
        beside: Frees = lambda places: tree.query(places)[1] < count  # noqa: E731
        return beside if within is None else lambda places: beside(places) & within(places)

    @property
    def _rough(self) -> Rough | None:
        sides = self.row.sides
        return Rough(sides.by, sides.lumps, self.row.seed) if isinstance(sides, Roughened) else None

    def _cells(self, chosen: Sequence[Part]) -> list[list[Any]]:
        """The solids that cut each of the chosen parts."""
        manner, (low, high) = self.row.manner, self._box
        if isinstance(manner, Along):
            return [self._along(manner)] * len(chosen)
        if isinstance(manner, Strike | Layers | AtPoints | AlongStrokes):  # these cut through all alike
            return [cells_of(self._laid(manner), low, high, self._rough, self._telling(0.0, CELLS))] * len(chosen)
        whole = len(chosen) == 1 and chosen[0] is self.whole
        shapes = [self.shape] if whole else [shape_of(part.piece) for part in chosen]
        room = Room(shapes, np.array([part.piece.volume for part in chosen]))
        seeds, whose = strewn(self.row, manner, room, self.about.weigh)
        made: list[list[Any]] = []
        for n in range(len(chosen)):
            mine, tell = seeds[whose == n], self._telling(0.0, CELLS, n, len(chosen))
            made.append(cells_of(mine, low, high, self._rough, tell) if len(mine) > 1 else [])
        return made

    @property
    def _box(self) -> tuple[Array, Array]:
        vertices = self.whole.piece.vertices
        return vertices.min(axis=0), vertices.max(axis=0)

    def _along(self, manner: Along) -> list[Any]:
        """What lies in another prop, and what lies around it."""
        import manifold3d

        vertices, faces = self.about.other(manner.prop)
        cutter, (low, high) = closed(vertices, faces), self._box
        if self._rough is not None:
            corners, faces = triangles_of(cutter.to_mesh64())
            fine, faces, _ = refined(corners, faces, faces, low, high, FINE * self._rough.lumps)
            cutter = solid(self._rough.moved(fine), faces)
        size = float(np.linalg.norm(high - low))
        around = manifold3d.Manifold.cube([3.0 * size] * 3, True).translate((0.5 * (low + high)).tolist())
        return [cutter, around - cutter]

    def _laid(self, manner: Strike | Layers | AtPoints | AlongStrokes) -> Array:
        """Seeds (n, 3) whose cells cut through all of a prop."""
        if isinstance(manner, AlongStrokes):
            return self._stroked[0]
        if isinstance(manner, Strike):
            return struck(self.row, manner)
        if isinstance(manner, Layers):
            return layered(self.row, manner, self.shape)
        return about(self.about.other(manner.prop)[0])
