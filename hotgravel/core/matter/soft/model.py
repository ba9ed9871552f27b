"""What soft things are at rest: vertices with masses, and the energies between them, in groups that share no vertex.

A triangle resists being stretched along two ways of its own and sheared (the conditions of Baraff and Witkin 1998); a
tetrahedron is Neo-Hookean (Macklin and Müller 2021). How cloth resists being bent stands in `bending.py`.
"""

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numba import njit
from numpy.typing import NDArray

from hotgravel.core.matter.soft.bending import Plates

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
Flags = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Energies:
    """So many energies of one kind in groups: the vertices of each (n, k), numbers of each (n, m), where groups end
    (g + 1,), and the row (n,) of each in the order in which they were given."""

    nodes: Ints
    numbers: Array
    groups: Ints
    rows: Ints

    @property
    def given(self) -> Ints:
        """The vertices of each (n, k) in the order in which they were given."""
        found = np.empty_like(self.nodes)
        found[self.rows] = self.nodes
        return found

    def only(self, left: Ints) -> "Energies":
        """Some of them, by their places in order."""
        if len(left) == len(self.nodes):
            return self
        groups = np.searchsorted(left, self.groups)
        return Energies(self.nodes[left], self.numbers[left], groups, self.rows[left])


@dataclass(frozen=True, eq=False)
class Surface:
    """What is drawn of a soft thing: the vertices (V, 4) of the model that each of its own follows by shares (V, 4),
    and faces (F, 3). `woven`: its faces are the model's triangles, in the order given."""

    nodes: Ints
    shares: Array
    faces: Ints
    woven: bool = False

    def at(self, vertices: Array) -> Array:
        """Where its own points are (V, 3), where the model's vertices are at (n, 3)."""
        found: Array = np.einsum("mn,mnc->mc", self.shares, vertices[self.nodes])
        return found

    def areas(self, vertices: Array) -> Array:
        """The skin that belongs to each of its own points (V,), m², where the model's vertices are at (n, 3)."""
        place = self.at(vertices)
        a, b, c = (place[self.faces[:, n]] for n in range(3))
        third = np.repeat(np.linalg.norm(np.cross(b - a, c - a), axis=1) / 6.0, 3)
        found: Array = np.bincount(self.faces.ravel(), third, len(place)).astype(float)
        return found


def woven(nodes: Ints, faces: Ints) -> Surface:
    """A skin that is drawn as vertices (V,) of the model lie."""
    alone = np.repeat(nodes[:, None], 4, axis=1)
    return Surface(alone, np.eye(4)[np.zeros(len(nodes), int)], faces, woven=True)


@dataclass(eq=False)
class Model:
    """All soft things of a shot. Vertices: place (n, 3), mass (n,), the number of what each is of."""

    place: Array
    mass: Array
    body: Ints
    triangles: Energies
    tets: Energies
    plates: Plates
    surfaces: list[Surface] = field(default_factory=list)

    @cached_property
    def members(self) -> list[Ints]:
        """The vertices of each thing."""
        order = np.argsort(self.body, kind="stable")
        return np.split(order, np.cumsum(np.bincount(self.body, minlength=len(self.surfaces)))[:-1])


def grouped(nodes: Ints, numbers: Array, count: int) -> Energies:
    """Energies in groups of which no two have a vertex in common, of so many vertices."""
    which = _coloured(nodes, count)
    order = np.argsort(which, kind="stable")
    ends = np.concatenate([[0], np.cumsum(np.bincount(which, minlength=1))]).astype(np.int64)
    return Energies(np.ascontiguousarray(nodes[order]), np.ascontiguousarray(numbers[order]), ends, order)


@njit(cache=True)
def _coloured(nodes, count):
    """A group for each row of vertices (n, k): the first that none of them is in yet."""
    taken = np.zeros((count, 4), np.uint64)
    which = np.zeros(len(nodes), np.int64)
    for n in range(len(nodes)):
        for word in range(4):
            used = np.uint64(0)
            for k in range(nodes.shape[1]):
                used |= taken[nodes[n, k], word]
            bit = 0
            while bit < 64 and (used >> np.uint64(bit)) & np.uint64(1):
                bit += 1
            if bit < 64:
                which[n] = 64 * word + bit
                for k in range(nodes.shape[1]):
                    taken[nodes[n, k], word] |= np.uint64(1) << np.uint64(bit)
                break
    return which


def of_triangles(place: Array, faces: Ints) -> tuple[Array, Array]:
    """What each triangle's energy counts (T, 7): its own two ways as an inverse (2, 2) of its sides, its area, and
    twice 1, for how it resists being stretched and sheared; and the areas (T,)."""
    a, b, c = (place[faces[:, n]] for n in range(3))
    normal = np.cross(b - a, c - a)
    area = 0.5 * np.linalg.norm(normal, axis=1)
    normal /= np.maximum(2.0 * area, 1e-30)[:, None]
    # One way along x of the prop, or along z where that is straight off the face.
    way = np.where(np.abs(normal[:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 0.0, 1.0]])
    u = way - np.einsum("ij,ij->i", way, normal)[:, None] * normal
    u /= np.linalg.norm(u, axis=1)[:, None]
    v = np.cross(normal, u)
    sides = np.stack([np.stack([np.einsum("ij,ij->i", s, w) for s in (b - a, c - a)], axis=1) for w in (u, v)], axis=1)
    inverse = np.linalg.inv(sides).reshape(-1, 4)
    stiff = np.ones((len(faces), 2))
    return np.concatenate([inverse, area[:, None], stiff], axis=1), area


def of_tets(place: Array, tets: Ints, poisson: float) -> tuple[Array, Array]:
    """What each tetrahedron's energy counts (E, 12): the inverse (3, 3) of its sides, its volume, and the two constants
    of Lamé for a Young's modulus of 1; and the volumes (E,)."""
    a = place[tets[:, 0]]
    sides = np.stack([place[tets[:, n]] - a for n in (1, 2, 3)], axis=2)
    volume = np.abs(np.linalg.det(sides)) / 6.0
    mu = 1.0 / (2.0 * (1.0 + poisson))
    lame = poisson / ((1.0 + poisson) * (1.0 - 2.0 * poisson))
    # What Neo-Hookean calls its constants for the same small strains (Smith, de Goes and Kim 2018).
    constants = np.broadcast_to([mu, lame + mu], (len(tets), 2))
    return np.concatenate([np.linalg.inv(sides).reshape(-1, 9), volume[:, None], constants], axis=1), volume


def volume_of(place: Array, faces: Ints) -> float:
    """The volume within a closed skin (F, 3), m³; less than 0 where its faces are turned inward."""
    a, b, c = (place[faces[:, n]] for n in range(3))
    return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6.0)


def grown(triangles: Energies, sizes: Array) -> Energies:
    """Triangles whose rest has grown to sizes (n,) of what it was, by their first vertices."""
    size = sizes[triangles.nodes[:, 0]]
    if (size == 1.0).all():
        return triangles
    numbers = triangles.numbers.copy()
    numbers[:, :4] /= size[:, None]
    numbers[:, 4] *= size**2
    return replace(triangles, numbers=numbers)


def shared(triangles: Energies, ceiling: Array) -> tuple[Energies, Energies]:
    """Triangles as two that share their stiffness: the first have no more than `ceiling` (n,), N/m, by their first
    vertices, the second the rest. Those that would have none are left out of the first."""
    most = ceiling[triangles.nodes[:, 0]]
    stiff = triangles.numbers[:, 5] + 2.0 * triangles.numbers[:, 6]
    share = np.minimum(1.0, most / np.maximum(stiff, 1e-300))
    first, rest = (replace(triangles, numbers=triangles.numbers.copy()) for _ in range(2))
    first.numbers[:, 5:7] *= share[:, None]
    rest.numbers[:, 5:7] *= 1.0 - share[:, None]
    return first.only(np.flatnonzero(share > 0.0)), rest
