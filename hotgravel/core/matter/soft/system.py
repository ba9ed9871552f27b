"""The linear system of cloth and balloons: one implicit step.

Beside plates (see `bending.py`) it has triangles. Their energy is how far their two ways are from the nearest that they
would have at rest; those are found where they now are, and with them held all is linear, with a matrix that stays the
same (projective dynamics: Bouaziz and others 2014, one round in each small step). So what hangs still, or is in balance
with its air, is so however long its steps. The matrix is factored once for as long as masses and steps stay the same.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from hashlib import blake2b
from typing import Any

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from scipy.sparse import csc_matrix, csr_matrix, diags
from scipy.sparse.linalg import splu

from hotgravel.core.matter.soft.air import Air
from hotgravel.core.matter.soft.bending import Plates, normals
from hotgravel.core.matter.soft.model import Array, Energies, Ints
from hotgravel.core.matter.soft.sewing import STIFF, Stitches

HELD = 1e9  # times the greatest mass: what is kept in place
KEPT = 4  # factors of the matrix: a step's length goes to and fro
LEAST = 1e-12


@njit(cache=True, parallel=True, nogil=True)
def aimed(x, nodes, numbers, groups, size, out):
    """Add to `out` (n, 3), in place, where triangles would have their vertices, by what each counts; `size` (n,) is by
    how much the rest of each has grown, by its first vertex."""
    for g in range(len(groups) - 1):
        for row in prange(groups[g], groups[g + 1]):
            t = np.int64(row)
            a, b, c = nodes[t, 0], nodes[t, 1], nodes[t, 2]
            area, k, shear, s = numbers[t, 4], numbers[t, 5], 2.0 * numbers[t, 6], size[a]
            u, v = np.zeros(3), np.zeros(3)
            for e in range(3):
                ab, ac = x[b, e] - x[a, e], x[c, e] - x[a, e]
                u[e] = numbers[t, 0] * ab + numbers[t, 2] * ac
                v[e] = numbers[t, 1] * ab + numbers[t, 3] * ac
            lu = max(np.sqrt(u[0] ** 2 + u[1] ** 2 + u[2] ** 2), LEAST)
            lv = max(np.sqrt(v[0] ** 2 + v[1] ** 2 + v[2] ** 2), LEAST)
            # The nearest pair at right angles: both turn alike, about what lies between them.
            p, q, lp, lq = np.zeros(3), np.zeros(3), 0.0, 0.0
            for e in range(3):
                p[e], q[e] = u[e] / lu + v[e] / lv, u[e] / lu - v[e] / lv
                lp, lq = lp + p[e] ** 2, lq + q[e] ** 2
            lp, lq = max(np.sqrt(2.0 * lp), LEAST), max(np.sqrt(2.0 * lq), LEAST)
            uu, vv = 0.0, 0.0
            for e in range(3):
                p[e], q[e] = p[e] / lp, q[e] / lq
                uu, vv = uu + u[e] * (p[e] + q[e]), vv + v[e] * (p[e] - q[e])
            for e in range(3):
                to_u = area * (k * s * u[e] / lu + shear * uu * (p[e] + q[e]))
                to_v = area * (k * s * v[e] / lv + shear * vv * (p[e] - q[e]))
                at_b = numbers[t, 0] * to_u + numbers[t, 1] * to_v
                at_c = numbers[t, 2] * to_u + numbers[t, 3] * to_v
                out[b, e] += at_b
                out[c, e] += at_c
                out[a, e] -= at_b + at_c


@dataclass(frozen=True, eq=False)
class Factored:
    """The system for one length of steps: its triangles, what the places before count (`slow`), what plates count as
    they lie at rest (`lain`), stitches and their ends as a matrix, and what solves the whole."""

    triangles: Energies
    slow: Any
    lain: Any
    stitches: Stitches
    ends: Any
    solve: Callable[[Array], Array]


@dataclass(eq=False)
class System:
    """The system of some cloth: the vertices in it, those of them that are free, their masses, and its factors by what
    they were made for."""

    used: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    free: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    mass: Array = field(default_factory=lambda: np.zeros((0, 1)))
    now: Factored | None = None
    kept: dict[bytes, Factored] = field(default_factory=dict)
    dt: float = 0.0

    def prepare(
        self, mass: Array, triangles: Energies, plates: Plates, there: NDArray[np.bool_], stitches: Stitches,
        damping: Array, dt: float,
    ) -> None:  # fmt: skip
        """For small steps of dt seconds. `mass` (n,) is infinite where vertices are led, `there` (B,) tells which folds
        have all their vertices, `damping` (n,) in which time what is at each vertex gives way."""
        self.dt, self.now = dt, None
        if not len(triangles.nodes) and not (plates.stiff.any() and there.any()) and not len(stitches.gap):
            return
        used = np.zeros(len(mass), np.bool_)
        for of in (triangles, plates, stitches):
            used[of.nodes.ravel()] = True
        self.used = np.flatnonzero(used)
        own = mass[self.used]
        self.free = np.flatnonzero(np.isfinite(own))
        if not len(self.free):
            return
        self.mass = np.where(np.isfinite(own), own, HELD * float(own[self.free].max()))[:, None]
        told = (
            np.float64(dt), self.used, self.mass, there, triangles.nodes, triangles.numbers, plates.stiff, damping,
            stitches.nodes, stitches.shares,
        )  # fmt: skip
        key = blake2b(b"".join(part.tobytes() for part in told)).digest()
        if key not in self.kept:
            while len(self.kept) >= KEPT:
                self.kept.pop(next(iter(self.kept)))
            self.kept[key] = self._factored(len(mass), triangles, plates, there, stitches, damping)
        self.now = self.kept[key]

    def _factored(
        self,
        many: int,
        triangles: Energies,
        plates: Plates,
        there: NDArray[np.bool_],
        stitches: Stitches,
        damping: Array,
    ) -> Factored:
        at = np.full(many, 0)
        at[self.used] = np.arange(len(self.used))
        whole = diags(self.mass[:, 0]) + self.dt**2 * _pulled(at, len(self.used), triangles)
        ends = stitches.matrix(at, len(self.used))
        whole += self.dt**2 * STIFF * ends.T @ ends
        rows = np.repeat(np.arange(len(plates.nodes)), 4)
        weights = (plates.weights * there[:, None]).ravel()
        sides = csr_matrix((weights, (rows, at[plates.nodes].ravel())), shape=(len(plates.nodes), len(self.used)))
        curved = plates.curved @ sides
        slow = csr_matrix(curved.T @ diags(self.dt * damping[plates.at] * plates.stiff) @ curved)
        bent = curved.T @ diags(self.dt**2 * plates.stiff)
        made = splu(
            csc_matrix(whole + slow + bent @ curved), permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True}
        )
        return Factored(triangles, slow, csr_matrix(bent @ plates.curved), stitches, ends, made.solve)

    def relax(self, x: Array, before: Array, sizes: Array, plates: Plates, rest: Array, air: Air) -> None:
        """Move vertices (n, 3) in place as cloth and air would have them at the end of a small step that began
        `before`. `sizes` (n,) is by how much the rest of triangles has grown, `rest` (B,) are the angles of folds at
        rest."""
        if self.now is None:
            return
        right = self.mass * x[self.used] + self.now.slow @ before[self.used]
        of = self.now.triangles
        if len(of.nodes):
            aims = np.zeros_like(x)
            aimed(x, of.nodes, of.numbers, of.groups, sizes, aims)
            right += self.dt**2 * aims[self.used]
        if rest.any():
            right += self.now.lain @ ((2.0 * plates.span * np.sin(0.5 * rest))[:, None] * normals(x, plates))
        if self.now.stitches.gap.any():
            way = self.now.ends @ x[self.used]
            long = np.maximum(np.linalg.norm(way, axis=1), LEAST)
            right += self.dt**2 * STIFF * self.now.ends.T @ ((self.now.stitches.gap / long)[:, None] * way)
        if not air.any:
            x[self.used[self.free]] = self.now.solve(right)[self.free]
            return
        slope = air.measure(before)
        found = self.now.solve(np.concatenate([right, self.dt**2 * slope[self.used]], axis=1))
        plain, pushed = before.copy(), np.zeros_like(x)
        plain[self.used[self.free]], pushed[self.used[self.free]] = found[self.free, :3], found[self.free, 3:]
        over = air.pressures(plain - before, pushed)
        x[self.used[self.free]] = (plain + over * pushed)[self.used[self.free]]


def _pulled(at: Ints, many: int, triangles: Energies) -> Any:
    """How triangles resist being stretched and sheared, as a sparse matrix (u, u) of N/m for each way alike; `at` (n,)
    has the number of each vertex in it."""
    n = triangles.numbers
    ways = [np.stack([-n[:, w] - n[:, 2 + w], n[:, w], n[:, 2 + w]], axis=1) for w in (0, 1)]
    count = n[:, 4] * (n[:, 5] + 2.0 * n[:, 6])
    parts = count[:, None, None] * sum(w[:, :, None] * w[:, None, :] for w in ways)
    nodes = at[triangles.nodes]
    rows, columns = np.repeat(nodes, 3, axis=1).ravel(), np.tile(nodes, (1, 3)).ravel()
    return csr_matrix((parts.ravel(), (rows, columns)), shape=(many, many))
