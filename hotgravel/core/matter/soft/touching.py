"""Soft things among themselves: no point of a skin passes a triangle, and no edge another, of any skin, its own too."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from hotgravel.core.matter.soft.edges import boxed, edges_celled, edges_neared, edges_of, edges_parted
from hotgravel.core.matter.soft.impact_zones import zoned
from hotgravel.core.matter.soft.model import Array, Flags, Ints, Surface
from hotgravel.core.matter.soft.pairs import laid
from hotgravel.core.matter.soft.points import points_celled, points_neared, points_parted

ROOM = 16  # that may come to touch a triangle or an edge, until more do
TABLE = 2  # cells of the table for each point or edge, and more, to the next power of two
GIVEN = 0.5  # of its thickness: how much farther a point may be moved while all are moved apart


@dataclass(frozen=True, eq=False)
class Skins:
    """The points of all skins: the vertices (m, 4) that each follows by shares (m, 4), where they lie at rest (m, 3)
    from the middle (m, 3) of their thing, the skin (m,) that belongs to each, m², how thick their thing is (m,), its
    number (m,), and a number (m,) that is the same for all that are sewn together; and the triangles (F, 3) and edges
    (E, 2) between them."""

    nodes: Ints
    shares: Array
    rest: Array
    middle: Array
    area: Array
    thick: Array
    thing: Ints
    group: Ints
    faces: Ints
    edges: Ints


def skins_of(surfaces: Mapping[int, Surface], thick: Sequence[float], rest: Array, group: Ints) -> Skins:
    """The skins of some things, by their numbers; `thick` has how thick each thing is, `group` a number that is the
    same for those sewn together, `rest` the vertices (n, 3) as they lie at rest."""
    many = [len(surface.nodes) for surface in surfaces.values()]
    nodes = np.concatenate([np.zeros((0, 4), np.int64), *(s.nodes for s in surfaces.values())])
    shares = np.concatenate([np.zeros((0, 4)), *(s.shares for s in surfaces.values())])
    starts = np.cumsum([0, *many])
    faces = [np.zeros((0, 3), np.int64)]
    faces += [s.faces + start for s, start in zip(surfaces.values(), starts, strict=False)]
    thing = np.repeat(np.array(list(surfaces), np.int64), many)
    at_rest = np.concatenate([np.zeros((0, 3)), *(s.at(rest) for s in surfaces.values())])
    middle = np.zeros_like(at_rest)
    for number in surfaces:
        middle[thing == number] = at_rest[thing == number].mean(axis=0)
    area = np.concatenate([np.zeros(0), *(s.areas(rest) for s in surfaces.values())])
    triangles = np.concatenate(faces)
    return Skins(
        nodes, shares, at_rest - middle, middle, area, np.asarray(thick, float)[thing], thing, group[thing], triangles,
        edges_of(triangles),
    )  # fmt: skip


class Touching:
    """Skins in a step: those triangles that have all their vertices (`at` (n,) is less than 0 where one is gone), how
    each point grips, and how sticky it is, Pa, where it lies at rest now that its skin has grown to `sizes` (m,), and
    room to work in."""

    def __init__(self, skins: Skins, grip: Array, sticky: Array, at: Ints, spacing: float, sizes: Array) -> None:
        there = np.asarray((at[skins.nodes] >= 0).all(axis=1))
        self.skins, self.grip, self.sticky, self.rest = skins, grip, sticky, skins.middle + sizes[:, None] * skins.rest
        self.faces = np.ascontiguousarray(skins.faces[there[skins.faces].all(axis=1)])
        self.edges = np.ascontiguousarray(skins.edges[there[skins.edges].all(axis=1)])
        many, thick = len(skins.nodes), float(skins.thick.max(initial=0.0))
        self.points, self.old, self.found_at = np.zeros((many, 3)), np.zeros((many, 3)), np.zeros((many, 3))
        self.went = np.zeros(many)
        self.low, self.high = np.zeros((len(self.edges), 3)), np.zeros((len(self.edges), 3))
        self.near_faces = Near(len(self.faces), many, 2.0 * max(spacing, thick))
        self.near_edges = Near(len(self.edges), len(self.edges), 1.5 * (spacing + thick))

    def find(self, x: Array, before: Array) -> None:
        """Look for what may come to touch in a small step."""
        if len(self.faces):
            s = self.skins
            laid(x, s.nodes, s.shares, self.points)
            laid(before, s.nodes, s.shares, self.old)
            self.old += (self.points - self.old).mean(axis=0)  # where all go alike, nothing comes nearer
            self.found_at = self.points.copy()
            self.went = np.linalg.norm(self.points - self.old, axis=1) + GIVEN * s.thick
            self._find()

    def part(self, x: Array, w: Array, dt: float, pressed: Array) -> int:
        """Move apart what touches, in place. What presses on vertices is added to `pressed` (n,), N s. Returns how many
        pairs touch."""
        if not len(self.faces):
            return 0
        s, faces, edges = self.skins, self.near_faces, self.near_edges
        laid(x, s.nodes, s.shares, self.points)
        many = points_parted(
            x, w, s.nodes, s.shares, self.rest, s.thick, self.grip, self.sticky, s.area, s.group, self.faces,
            faces.found, faces.count, self.went, self.points, self.old, dt, pressed,
        )  # fmt: skip
        many += edges_parted(
            x, w, s.nodes, s.shares, self.rest, s.thick, self.grip, s.group, self.edges, edges.found, edges.count,
            self.went, self.points, self.old, dt, pressed,
        )  # fmt: skip
        return int(many)

    def move_as_one(self, x: Array, before: Array, w: Array, held: Flags, zone: Ints) -> bool:
        """Move what has gone through each other nonetheless as one, in place, with what else is in its zone (n,); that
        of each vertex is added to. `held` (n,) is what it collides with holds. Returns whether anything has."""
        if not len(self.faces):
            return False
        s, faces, edges = self.skins, self.near_faces, self.near_edges
        laid(x, s.nodes, s.shares, self.points)
        if (np.linalg.norm(self.points - self.found_at, axis=1) > GIVEN * s.thick).any():
            self.find(x, before)
        return bool(zoned(
            x, before, w, held, s.nodes, s.shares, self.rest, s.thick, s.group, self.faces, faces.found, faces.count,
            self.edges, edges.found, edges.count, self.points, self.old, zone,
        ))  # fmt: skip

    def _find(self) -> None:
        """The points and edges that may come to touch triangles and edges."""
        thick, near = self.skins.thick, self.near_faces
        points_celled(self.points, near.wide, near.first, near.order)
        fastest, done = float(self.went.max()), False
        while not done:
            points_neared(
                self.points, self.old, self.went, fastest, thick, self.faces, near.wide, near.first, near.order,
                near.found, near.count,
            )  # fmt: skip
            done = near.holds()
        near = self.near_edges
        boxed(self.points, self.old, (1.0 + 2.0 * GIVEN) * thick, self.edges, self.low, self.high)
        while (many := edges_celled(self.low, self.high, near.wide, near.first, near.order)) > len(near.order):
            near.order = np.zeros(many + many // 4, np.int64)
        done = False
        while not done:
            edges_neared(
                self.points, self.went, thick, self.edges, self.low, self.high, near.wide, near.first, near.order,
                near.found, near.count,
            )  # fmt: skip
            done = near.holds()


class Near:
    """What may come to touch each of some triangles or edges: a table of cells that are `wide`, and lists for each."""

    def __init__(self, many: int, celled: int, wide: float) -> None:
        self.wide, self.order = wide, np.zeros(celled, np.int64)
        self.first = np.zeros((1 << int(np.ceil(np.log2(TABLE * celled + 1)))) + 1, np.int64)
        self.found, self.count = np.zeros((many, ROOM), np.int64), np.zeros(many, np.int64)

    def holds(self) -> bool:
        """Whether there was room for all that was found; there is the next time."""
        most = int(self.count.max(initial=0))
        if most > self.found.shape[1]:
            self.found = np.zeros((len(self.found), 2 * most), np.int64)
            return False
        return True
