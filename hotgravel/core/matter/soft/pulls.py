"""Triangles of cloth that are pulled, as the kernels of `strain.py` have them: what hangs together, and how stiff."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components

from hotgravel.core.matter.soft.model import Array, Energies, Ints
from hotgravel.core.matter.soft.strain import LEAST, strained

Counts = NDArray[np.uint32]
REACH = 0.75  # times as many rounds at most as a pull passes triangles in a small step: seldom are all needed
MANY = 0.9  # of the triangles: a pull passes no more of them than so many would have it
FEWEST, MOST = 8, 40  # rounds at most, where that is less, or more: what is stiffer has the rest of it left


@dataclass(frozen=True, eq=False)
class Web:
    """Triangles in an order in which those that hang together follow one another: their rows (T,) among all, and their
    corners (T, 3), by numbers of the vertices (u,) that hang together, the lower first, and as they are `turned` for
    that (T, 3). Where what hangs together begins among triangles (`starts`), vertices (`begins`) and `pairs` of
    corners. Pairs by the lower of both: where those of each vertex begin (`lines`, for each part one more than it has
    vertices), the others' numbers (P,), and the pairs (T, 3) of each triangle's first with its second and third corner,
    and of these two, all counted from the part's own first."""

    rows: Ints
    turned: Ints
    nodes: Counts
    members: Counts
    starts: Counts
    begins: Counts
    pairs: Counts
    lines: Counts
    columns: Counts
    places: Counts

    @classmethod
    def of(cls, nodes: Ints, order: Ints, many: int) -> "Web":
        """That of triangles (T, 3) of so many vertices; `order` (T,) has near ones by numbers near each other."""
        one, two = nodes[:, [0, 0]].ravel(), nodes[:, 1:].ravel()
        which = connected_components(csr_matrix((np.ones(len(one)), (one, two)), (many, many)), directed=False)[1]
        rows = np.lexsort((order, which[nodes[:, 0]]))
        used = np.unique(nodes)
        members = used[np.argsort(which[used], kind="stable")]
        own, u = np.zeros(many, np.int64), len(members)
        own[members] = np.arange(u)
        turned = np.argsort(own[nodes[rows]], axis=1)
        corners = np.take_along_axis(own[nodes[rows]], turned, axis=1)
        keys, places = np.unique(corners[:, [0, 0, 1]] * u + corners[:, [1, 2, 2]], return_inverse=True)
        lower, columns, places = keys // max(u, 1), keys % max(u, 1), places.reshape(-1, 3)
        parts, part = np.unique(which[members], return_inverse=True)
        ends = np.arange(len(parts) + 1)
        starts, begins, pairs = (np.searchsorted(of, ends) for of in (part[corners[:, 0]], part, part[lower]))
        lines = [
            np.searchsorted(lower, np.arange(m, end + 1)) - first
            for m, end, first in zip(begins[:-1], begins[1:], pairs[:-1], strict=True)
        ]
        corners -= begins[part[corners]]
        columns -= begins[part[columns]]
        places -= pairs[part[lower[places]]]
        joined = np.concatenate([np.zeros(0, np.int64), *lines])
        counts = (corners, members, starts, begins, pairs, joined, columns, places)
        return cls(rows, turned, *(np.ascontiguousarray(numbers, np.uint32) for numbers in counts))


@dataclass(frozen=True, eq=False)
class Strain:
    """Triangles in small steps of dt seconds, as `strained` has them; one over the masses of their vertices (n,); and
    what of them is `left` for rounds one by one."""

    web: Web
    numbers: Array
    w: Array
    dt: float
    rounds: int
    left: Energies

    @classmethod
    def of(cls, web: Web, triangles: Energies, ceiling: Array, w: Array, dt: float) -> "Strain":
        """Those of a web, of which none is solved for as stiffer than the lowest `ceiling` (n,) of its vertices, N/m,
        nor than so many rounds as there are at most can solve for."""
        numbers, nodes = triangles.numbers[web.rows], triangles.nodes[web.rows]
        stiff = np.maximum(numbers[:, 5] + 2.0 * numbers[:, 6], 1e-300)
        steep = numbers[:, 4] * (numbers[:, :4] ** 2).max(axis=1, initial=0.0) * stiff
        asked = REACH * dt * np.sqrt(2.0 * steep * w[nodes].max(axis=1, initial=0.0))
        share = np.minimum(1.0, ceiling[nodes].min(axis=1, initial=np.inf) / stiff)
        share = np.minimum(share, (MOST / np.maximum(asked, LEAST)) ** 2)
        left = replace(triangles, numbers=triangles.numbers.copy())
        left.numbers[web.rows, 5:7] *= 1.0 - share[:, None]
        numbers[:, 5:7] *= share[:, None]
        asked *= np.sqrt(share)
        rounds = max(FEWEST, int(np.ceil(np.quantile(asked, MANY)))) if len(asked) else 0
        over = left.only(np.flatnonzero(left.numbers[:, 5:7].any(axis=1)))
        return cls(web, _turned(numbers, web.turned), w, dt, rounds, over)

    def ease(self, x: Array, firm: Array, eased: Array) -> tuple[Array, Array]:
        """Move vertices (n, 3) as they pull, in place; `firm` (n, 3) leads out of what each lies on that does not give
        way, `eased` (n, 3) is by how much it was moved in the small step before, and becomes that of this one. Returns
        how far its pull then would move it into that (n,), and how hard it is (n,), N s."""
        press = np.zeros((len(x), 2))
        web = self.web
        if len(web.members):
            strained(
                x, self.w, web.nodes, self.numbers, web.members, web.starts, web.begins, web.pairs, web.lines,
                web.columns, web.places, self.rounds, self.dt, firm, press, eased,
            )  # fmt: skip
        return press[:, 0], press[:, 1]


def _turned(numbers: Array, order: Ints) -> Array:
    """The numbers of triangles (T, 7) for their corners in another order (T, 3)."""
    found = numbers.copy()
    for way in (0, 1):
        corners = np.stack([-numbers[:, way] - numbers[:, 2 + way], numbers[:, way], numbers[:, 2 + way]], axis=1)
        found[:, [way, 2 + way]] = np.take_along_axis(corners, order, axis=1)[:, 1:]
    return found
