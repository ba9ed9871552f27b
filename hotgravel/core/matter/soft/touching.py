"""Soft things among themselves: no point of a skin passes a triangle, and no edge another, of any skin, its own too."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from hotgravel.core.matter.soft.boxes import in_order, listed, neared, refit, swept, tree_for
from hotgravel.core.matter.soft.edges import edges_of, edges_parted
from hotgravel.core.matter.soft.impact_zones import meeting, zoned
from hotgravel.core.matter.soft.model import Array, Flags, Ints, Surface
from hotgravel.core.matter.soft.pairs import laid, limited, measured, touchable
from hotgravel.core.matter.soft.points import CLINGS, points_parted

ROOM = 16  # that may come to touch a triangle or an edge, until more do
ROUSED = 0.2  # of its thickness: so much nearer a pair may be brought by what moves others apart
MANY = 0.2  # of all points: where more have strayed, all are looked at anew
GIVEN = 0.15  # of its thickness: how far a point may stray before what may touch it is looked for anew


@dataclass(frozen=True, eq=False)
class Skins:
    """The points of all skins: the vertices (m, 4) that each follows by shares (m, 4), where they lie at rest (m, 3)
    from the middle (m, 3) of their thing, the skin (m,) that belongs to each, m², how thick their thing is (m,), its
    number (m,), and a number (m,) that is the same for all that are sewn together. The points (m, 1), triangles (F, 3)
    and edges (E, 2) between them follow one another as they lie near each other at rest."""

    nodes: Ints
    shares: Array
    rest: Array
    middle: Array
    area: Array
    thick: Array
    thing: Ints
    group: Ints
    points: Ints
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
    points, triangles, edges = (
        corners[in_order(at_rest[corners].mean(axis=1), thing[corners[:, 0]])]
        for corners in (np.arange(len(thing))[:, None], triangles, edges_of(triangles))
    )
    return Skins(
        nodes, shares, at_rest - middle, middle, area, np.asarray(thick, float)[thing], thing, group[thing], points,
        triangles, edges,
    )  # fmt: skip


class Ways(NamedTuple):
    """Points that go from `old` to `points` (m, 3), and lie so at rest (m, 3); how thick the skin of each is, and the
    number of what it is of (m,)."""

    old: Array
    points: Array
    rest: Array
    thick: Array
    group: Ints


class Touching:
    """Skins in a step: those triangles that have all their vertices (`at` (n,) is less than 0 where one is gone), how
    each point grips, and how sticky it is, Pa, where it lies at rest now that its skin has grown to `sizes` (m,), and
    room to work in."""

    def __init__(self, skins: Skins, grip: Array, sticky: Array, at: Ints, sizes: Array) -> None:
        there = np.asarray((at[skins.nodes] >= 0).all(axis=1))
        self.skins, self.grip, self.sticky, self.rest = skins, grip, sticky, skins.middle + sizes[:, None] * skins.rest
        points, self.faces, edges = (of[there[of].all(axis=1)] for of in (skins.points, skins.faces, skins.edges))
        self.points, self.old = np.zeros((len(skins.nodes), 3)), np.zeros((len(skins.nodes), 3))
        self.found_at = np.zeros((0, 3))  # nothing is known yet
        self.near_faces, self.near_edges = Near(points, self.faces), Near(edges, edges)
        self.spent = np.zeros(len(skins.nodes))
        self.reach = CLINGS if sticky.any() else 1.0

    def find(self, x: Array, before: Array) -> None:
        """Look for what may come to touch in a small step: all anew where much has strayed from where it was found."""
        if not len(self.faces):
            return
        s, self.spent[:] = self.skins, 0.0
        laid(x, s.nodes, s.shares, self.points)
        laid(before, s.nodes, s.shares, self.old)
        self.old += (self.points - self.old).mean(axis=0)  # where all go alike, nothing comes nearer
        strayed = self._strayed(self.points, self.old)
        if np.count_nonzero(strayed) > MANY * len(strayed):
            self.found_at = self.points.copy()
            for near in (self.near_faces, self.near_edges):
                near.find(Ways(self.old, self.points, self.rest, s.thick, s.group))
        elif strayed.any():
            self._find_again(strayed)
        else:
            for near in (self.near_faces, self.near_edges):
                near.measure(self.old)

    def _strayed(self, *places: Array) -> Flags:
        """Which points (m,) are in one of such places (m, 3) too far off for what was found near them, beside how far
        all have gone since: all of them, where nothing has been found yet."""
        if not len(self.found_at):
            return np.ones(len(self.points), np.bool_)
        self.found_at += (self.points - self.found_at).mean(axis=0)
        off = [np.linalg.norm(place - self.found_at, axis=1) for place in places]
        return np.asarray(np.max(off, axis=0) > GIVEN * self.skins.thick)

    def _find_again(self, strayed: Flags) -> None:
        """What has strayed is looked for where it is, all else where it was found, as it may stray from there alone."""
        self.found_at[strayed] = self.points[strayed]
        for near in (self.near_faces, self.near_edges):
            near.add(strayed, Ways(self.old, self.found_at, self.rest, self.skins.thick, self.skins.group))

    def part(self, x: Array, w: Array, dt: float, pressed: Array) -> int:
        """Move apart what touches, in place. What presses on vertices is added to `pressed` (n,), N s. Returns how many
        pairs touch."""
        if not len(self.faces):
            return 0
        s, points, old = self.skins, self.points, self.old
        laid(x, s.nodes, s.shares, points)
        by_faces = self.near_faces.touchable(old, points, s.thick, self.reach * (1.0 + ROUSED))
        many = points_parted(
            x, w, s.nodes, s.shares, self.rest, s.thick, self.grip, self.sticky, s.area, self.spent, s.group, by_faces,
            points, old, dt, pressed,
        )  # fmt: skip
        by_edges = self.near_edges.touchable(old, points, s.thick, 1.0 + ROUSED)
        many += edges_parted(
            x, w, s.nodes, s.shares, self.rest, s.thick, self.grip, s.group, by_edges, points, old, dt, pressed
        )
        return int(many)

    def move_as_one(self, x: Array, before: Array, w: Array, held: Flags, zone: Ints) -> bool:
        """Move what has gone through each other nonetheless as one, in place, with what else is in its zone (n,); that
        of each vertex is added to. `held` (n,) is what it collides with holds. Returns whether anything has."""
        if not len(self.faces):
            return False
        s, caught = self.skins, []
        laid(x, s.nodes, s.shares, self.points)
        if (strayed := self._strayed(self.points)).any():
            self._find_again(strayed)
        for near in (self.near_faces, self.near_edges):
            fours = near.touchable(self.old, self.points, s.thick, 1.0)
            hit = np.zeros(len(fours), np.bool_)
            meeting(self.points, self.old, fours, near.split, hit)
            caught.append(fours[hit])
        through = np.concatenate(caught)
        if len(through):
            zoned(x, before, w, held, s.nodes, s.shares, through, zone)
        return len(through) > 0


class Near:
    """What may come to touch in a small step of some points or edges and triangles or edges, all by their corners
    (n, k): the pairs (P, 4), how far apart they were (P,), and how near they may come by how they lie at rest (P,)."""

    def __init__(self, mine: Ints, others: Ints) -> None:
        self.mine, self.others, self.split = mine, others, mine.shape[1]
        self.found = np.zeros((len(mine), ROOM), np.int64)
        self.fours, self.gap, self.least = np.zeros((0, 4), np.int64), np.zeros(0), np.zeros(0)

    def find(self, ways: Ways) -> None:
        """Of points that go such ways."""
        itself = self.mine is self.others
        rows, known = np.arange(len(self.mine)), np.full(len(self.others), itself)
        self.fours, self.least = self._found(ways, rows, self.others, known, later=itself)
        self.measure(ways.old)

    def add(self, far: Flags, ways: Ways) -> None:
        """That of points (m,) which have come far since, anew."""
        left, off = ~far[self.fours].any(axis=1), np.asarray(far[self.mine].any(axis=1))
        parts = [(self.fours[left], self.least[left])]
        if self.mine is self.others:
            parts.append(self._found(ways, np.flatnonzero(off), self.others, off))
        else:
            others = self.others[far[self.others].any(axis=1)]
            for rows, among in ((np.flatnonzero(off), self.others), (np.flatnonzero(~off), others)):
                parts.append(self._found(ways, rows, among, np.zeros(len(among), np.bool_)))
        self.fours, self.least = (np.concatenate(part) for part in zip(*parts, strict=True))
        self.measure(ways.old)

    def measure(self, old: Array) -> None:
        """Find out how far apart all are where `old` has them."""
        self.gap = np.zeros(len(self.fours))
        measured(old, self.fours, self.split, self.gap)

    def touchable(self, old: Array, points: Array, thick: Array, reach: float) -> Ints:
        """Those pairs that may be nearer than they may come, and `reach` times as both are thick, on their way from
        `old` to `points`."""
        hit = np.zeros(len(self.fours), np.bool_)
        touchable(old, points, thick, self.fours, self.split, self.gap, self.least, reach, hit)
        return self.fours[hit]

    def _found(self, ways: Ways, rows: Ints, others: Ints, known: Flags, *, later: bool = False) -> tuple[Ints, Array]:
        """What may come to touch of its own in some rows and of others, some of which are `known` as its own too."""
        old, points, rest, thick, group = ways
        all_others, nodes = swept(old, points, thick, 0.5 + GIVEN, others), tree_for(len(others))
        refit(all_others.boxes, nodes)
        itself = others is self.mine
        mine = all_others.only(rows) if itself else swept(old, points, thick, 0.5 + GIVEN, self.mine[rows])
        count = np.zeros(len(mine.corners), np.int64)
        while True:
            neared(old, rest, thick, group, GIVEN, mine, rows, all_others, nodes, known, later, self.found, count)
            if (most := int(count.max(initial=0))) <= self.found.shape[1]:
                break
            self.found = np.zeros((len(self.mine), 2 * most), np.int64)
        fours, least = np.zeros((count.sum(), 4), np.int64), np.zeros(count.sum())
        listed(mine.corners, others, self.found, count, np.cumsum(count), fours)
        limited(rest, group, fours, self.split, least)
        return fours, least
