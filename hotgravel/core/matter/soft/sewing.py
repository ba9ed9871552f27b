"""Seams: what holds the rims of cloth to other soft things.

A stitch holds a point of a rim as far from a place on another skin as it begins. It is a spring so stiff that nothing
is seen of it, and part of the linear system (see `system.py`): what hangs on a seam in balance is so at once.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.sparse import csr_matrix
from scipy.spatial import cKDTree
from trimesh.triangles import closest_point, points_to_barycentric

from hotgravel.core.matter.soft.edges import rim_of
from hotgravel.core.matter.soft.making import Thing
from hotgravel.core.matter.soft.model import Array, Flags, Ints, Model
from hotgravel.core.shape.setting import Setting
from hotgravel.core.shot.soft import Sewn

STIFF = 1e6  # N/m of one stitch: under the weight of a man it gives by a millimetre
WIDE = 16  # vertices that a stitch may hang on: four of a rim's point, and four of each corner of a triangle


@dataclass(frozen=True, eq=False)
class Stitches:
    """Stitches (s,): the vertices (s, 16) of the model that each hangs on, and the share (s, 16) of each in the way
    between its ends; how long that way is at rest (s,), how much of a seam it holds (s,), metres, and the
    number of its row among the seams (s,)."""

    nodes: Ints
    shares: Array
    gap: Array
    length: Array
    row: Ints

    def only(self, which: Ints | Flags) -> "Stitches":
        """Some of them."""
        return Stitches(self.nodes[which], self.shares[which], self.gap[which], self.length[which], self.row[which])

    def ways(self, x: Array) -> Array:
        """From one end of each to the other (s, 3), where vertices are at x (n, 3)."""
        found: Array = np.einsum("sn,snc->sc", self.shares, x[self.nodes])
        return found

    def pulls(self, x: Array) -> Array:
        """How hard each is pulled (s,), N; below 0 where it is pressed."""
        found: Array = STIFF * (np.linalg.norm(self.ways(x), axis=1) - self.gap)
        return found

    def matrix(self, at: Ints, many: int) -> Any:
        """The same shares as a sparse matrix (s, many); `at` (n,) has the column of each vertex."""
        rows = np.repeat(np.arange(len(self.nodes)), WIDE)
        return csr_matrix((self.shares.ravel(), (rows, at[self.nodes].ravel())), shape=(len(self.nodes), many))

    def on(self, vertices: Flags) -> Flags:
        """Which hang on some of the vertices (n,)."""
        found: Flags = (vertices[self.nodes] & (self.shares != 0.0)).any(axis=1)
        return found


NONE = Stitches(np.zeros((0, WIDE), np.int64), np.zeros((0, WIDE)), np.zeros(0), np.zeros(0), np.zeros(0, np.int64))


def sewn(setting: Setting, model: Model, things: tuple[Thing, ...]) -> Stitches:
    """The stitches of all seams, as all lies at the first frame."""
    made, there = [NONE], begun(setting, model, things)
    for number, row in enumerate(setting.shot.seams):
        one, other = ([n for n, t in enumerate(things) if t.prop.id == prop] for prop in (row.prop, row.other))
        made += [_between(setting, model, there, number, row, a, b) for a in one for b in other if a != b]
    parts = zip(*((m.nodes, m.shares, m.gap, m.length, m.row) for m in made), strict=True)
    return Stitches(*(np.concatenate(part) for part in parts))


def _between(setting: Setting, model: Model, there: Array, number: int, row: Sewn, one: int, other: int) -> Stitches:
    """The stitches of a seam between two things, by their numbers; vertices are `there` (n, 3)."""
    from_, to = model.surfaces[one], model.surfaces[other]
    ends = rim_of(from_.faces)
    rim = np.unique(ends)
    if not len(rim):
        return NONE
    points, skin = from_.at(there)[rim], to.at(there)
    gap, face, part = nearest(points, skin[to.faces], row.near)
    near = gap <= row.near
    if row.zone is not None:
        near &= setting.beginning().weight_in(row.zone, points) >= 0.5
    at = np.full(int(from_.faces.max()) + 1, -1)
    at[rim] = np.arange(len(rim))
    length = _lengths(points, at[ends], near)
    corners = to.faces[face[near]]
    nodes = np.concatenate([from_.nodes[rim[near]], to.nodes[corners].reshape(-1, 12)], axis=1)
    theirs = (part[near, :, None] * to.shares[corners]).reshape(-1, 12)
    shares = np.concatenate([from_.shares[rim[near]], -theirs], axis=1)
    return Stitches(nodes, shares, gap[near], length[near], np.full(int(near.sum()), number))


def begun(setting: Setting, model: Model, things: tuple[Thing, ...]) -> Array:
    """Where the vertices of the model (n, 3) are as things begin."""
    scene = setting.beginning()
    places = [setting.at_first[thing.prop.id].to_world(thing.begun(model, scene)) for thing in things]
    return np.concatenate(places)


def nearest(points: Array, triangles: Array, within: float) -> tuple[Array, Ints, Array]:
    """How far each point (m, 3) is from the nearest of the triangles (F, 3, 3), infinite beyond `within`; which that is
    (m,), and the shares (m, 3) of its corners in the nearest place on it."""
    middle = triangles.mean(axis=1)
    reach = within + float(np.linalg.norm(triangles - middle[:, None], axis=2).max())
    gap, face, part = np.full(len(points), np.inf), np.zeros(len(points), np.int64), np.zeros((len(points), 3))
    for m, found in enumerate(cKDTree(middle).query_ball_point(points, reach, return_sorted=True)):
        if found:
            on = closest_point(triangles[found], np.repeat(points[m, None], len(found), axis=0))
            far = np.linalg.norm(on - points[m], axis=1)
            least = int(np.argmin(far))
            if far[least] <= within:
                gap[m], face[m] = far[least], found[least]
                part[m] = points_to_barycentric(triangles[face[m], None], on[least, None])[0]
    return gap, face, part


def _lengths(points: Array, ends: Ints, near: Flags) -> Array:
    """How much of a rim each of its points (m,) holds: half of each edge to a neighbour that is sewn too, or, where
    none is, half of both."""
    long = 0.5 * np.linalg.norm(points[ends[:, 0]] - points[ends[:, 1]], axis=1)

    def along(weight: Array) -> Array:
        found: Array = np.bincount(ends.ravel(), np.repeat(weight, 2), len(points)).astype(float)
        return found

    both = along(long * near[ends].all(axis=1))
    return np.where(both > 0.0, both, along(long))


def joined(stitches: Stitches, model: Model, count: int) -> Ints:
    """A number for each thing (count,) that is the same for those that are sewn together."""
    group = np.arange(count)
    for nodes, shares in zip(stitches.nodes, stitches.shares, strict=True):
        found = group[model.body[nodes[shares != 0.0]]]
        group[np.isin(group, found)] = found.min()
    return group
