"""The linear system of cloth and balloons: one implicit step.

Beside plates (see `bending.py`) it has triangles. Their energy is how far their two ways are from the nearest that they
would have at rest; those are found where they now are, and with them held all is linear, with a matrix that stays the
same (projective dynamics: Bouaziz and others 2014, one round in each small step). So what hangs still, or is in balance
with its air, is so however long its steps. The matrix is factored once for as long as masses and steps stay the same.
"""

import math
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from scipy.sparse import csr_matrix, diags

from hotgravel.core.lately import Lately
from hotgravel.core.matter.soft.air import Air
from hotgravel.core.matter.soft.bending import Plates, normals
from hotgravel.core.matter.soft.factors import Counts, Factors
from hotgravel.core.matter.soft.model import Array, Energies, Flags, Ints
from hotgravel.core.matter.soft.sewing import STIFF, Stitches
from hotgravel.core.vectors import at, mixed, plus

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
            ub, vb, uc, vc = numbers[t, 0], numbers[t, 1], numbers[t, 2], numbers[t, 3]
            to_b, to_c = plus(at(x, b), -1.0, at(x, a)), plus(at(x, c), -1.0, at(x, a))
            (ux, uy, uz), (vx, vy, vz) = mixed(ub, to_b, uc, to_c), mixed(vb, to_b, vc, to_c)
            lu = max(math.sqrt(ux * ux + uy * uy + uz * uz), LEAST)
            lv = max(math.sqrt(vx * vx + vy * vy + vz * vz), LEAST)
            # The nearest pair at right angles: both turn alike, about what lies between them.
            px, py, pz = ux / lu + vx / lv, uy / lu + vy / lv, uz / lu + vz / lv
            qx, qy, qz = ux / lu - vx / lv, uy / lu - vy / lv, uz / lu - vz / lv
            lp = max(math.sqrt(2.0 * (px * px + py * py + pz * pz)), LEAST)
            lq = max(math.sqrt(2.0 * (qx * qx + qy * qy + qz * qz)), LEAST)
            px, py, pz, qx, qy, qz = px / lp, py / lp, pz / lp, qx / lq, qy / lq, qz / lq
            tx, ty, tz, sx, sy, sz = px + qx, py + qy, pz + qz, px - qx, py - qy, pz - qz
            of_u, of_v = area * k * s / lu, area * k * s / lv
            to_u = area * shear * (ux * tx + uy * ty + uz * tz)
            to_v = area * shear * (vx * sx + vy * sy + vz * sz)
            ux, uy, uz = of_u * ux + to_u * tx, of_u * uy + to_u * ty, of_u * uz + to_u * tz
            vx, vy, vz = of_v * vx + to_v * sx, of_v * vy + to_v * sy, of_v * vz + to_v * sz
            bx, by, bz = ub * ux + vb * vx, ub * uy + vb * vy, ub * uz + vb * vz
            cx, cy, cz = uc * ux + vc * vx, uc * uy + vc * vy, uc * uz + vc * vz
            out[b, 0], out[b, 1], out[b, 2] = out[b, 0] + bx, out[b, 1] + by, out[b, 2] + bz
            out[c, 0], out[c, 1], out[c, 2] = out[c, 0] + cx, out[c, 1] + cy, out[c, 2] + cz
            out[a, 0], out[a, 1], out[a, 2] = out[a, 0] - bx - cx, out[a, 1] - by - cy, out[a, 2] - bz - cz


@njit(cache=True, parallel=True, nogil=True)
def right_sides(x, before, aims, used, mass, starts, columns, values, weight):
    """What the places of vertices in use (u,) count on the right of the system (u, 3): as they would be, as all were
    before by a sparse matrix (u, n), and as they are aimed at with a weight."""
    out = np.empty((len(used), 3))
    for row in prange(len(used)):
        r = np.int64(row)
        i, own = used[r], mass[r]
        a, b, c = (
            own * x[i, 0] + weight * aims[i, 0],
            own * x[i, 1] + weight * aims[i, 1],
            own * x[i, 2] + weight * aims[i, 2],
        )
        for m in range(starts[r], starts[r + 1]):
            j, much = columns[m], values[m]
            a, b, c = a + much * before[j, 0], b + much * before[j, 1], c + much * before[j, 2]
        out[r, 0], out[r, 1], out[r, 2] = a, b, c
    return out


@njit(cache=True, parallel=True, nogil=True)
def laid_where(z, used, free, x):
    """Put what is solved for (u, 3) where it is of vertices in use (u,) that are free (u,), into x (n, 3)."""
    for row in prange(len(used)):
        r = np.int64(row)
        if free[r]:
            for e in range(3):
                x[used[r], e] = z[r, e]


class Rows(NamedTuple):
    """A sparse matrix by its rows: where each begins among its columns, and among its values. Indices are unsigned, so
    that none is asked whether it counts from the end."""

    starts: Counts
    columns: Counts
    values: Array


@dataclass(frozen=True, eq=False)
class Factored:
    """The system for one length of steps: the vertices (u,) in it, in the order of its factors, their masses (u,) and
    which are free (u,); its triangles, what all places before count (`slow`), what plates count as they lie at rest
    (`lain`), stitches and their ends as a matrix, and the factors of the whole."""

    used: Counts
    mass: Array
    free: Flags
    triangles: Energies
    slow: Rows
    lain: Any
    stitches: Stitches
    ends: Any
    factors: Factors


@dataclass(eq=False)
class System:
    """The system of some cloth, and its factors by what they were made for."""

    now: Factored | None = None
    lately: Lately[Factored] = field(default_factory=lambda: Lately(KEPT))
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
        if not np.isfinite(mass[used]).any():
            return
        told = (
            np.full(1, dt), used, mass, there, triangles.nodes, triangles.numbers, plates.stiff, damping,
            stitches.nodes, stitches.shares,
        )  # fmt: skip
        where = np.flatnonzero(used)
        self.now = self.lately.of(
            told, lambda: self._factored(mass, where, triangles, plates, there, stitches, damping)
        )

    def _factored(
        self, mass: Array, used: Ints, triangles: Energies, plates: Plates, there: NDArray[np.bool_],
        stitches: Stitches, damping: Array,
    ) -> Factored:  # fmt: skip
        many, row_of, own = len(used), np.zeros(len(mass), np.int64), mass[used]
        row_of[used], free = np.arange(many), np.isfinite(own)
        own[~free] = HELD * own[free].max()
        whole = diags(own) + self.dt**2 * _pulled(row_of, many, triangles)
        ends = stitches.matrix(row_of, many)
        whole += self.dt**2 * STIFF * ends.T @ ends
        rows = np.repeat(np.arange(len(plates.nodes)), 4)
        weights = (plates.weights * there[:, None]).ravel()
        sides = csr_matrix((weights, (rows, row_of[plates.nodes].ravel())), shape=(len(plates.nodes), many))
        curved = plates.curved @ sides
        slow = csr_matrix(curved.T @ diags(self.dt * damping[plates.at] * plates.stiff) @ curved)
        bent = curved.T @ diags(self.dt**2 * plates.stiff)
        factors = Factors.of(whole + slow + bent @ curved)
        order, lain, late = factors.order, csr_matrix(bent @ plates.curved), slow[factors.order]
        before = Rows(late.indptr.astype(np.uint32), used[late.indices].astype(np.uint32), late.data)
        return Factored(
            used[order].astype(np.uint32), own[order], free[order], triangles, before, lain[order], stitches,
            csr_matrix(ends)[:, order], factors,
        )  # fmt: skip

    def relax(self, x: Array, before: Array, sizes: Array, plates: Plates, rest: Array, air: Air) -> None:
        """Move vertices (n, 3) in place as cloth and air would have them at the end of a small step that began
        `before`. `sizes` (n,) is by how much the rest of triangles has grown, `rest` (B,) are the angles of folds at
        rest."""
        if self.now is None:
            return
        now, aims, weight = self.now, np.zeros_like(x), self.dt**2
        of, slow, used = now.triangles, now.slow, now.used
        aimed(x, of.nodes, of.numbers, of.groups, sizes, aims)
        right = right_sides(x, before, aims, used, now.mass, *slow, weight)
        if rest.any():
            right += now.lain @ ((2.0 * plates.span * np.sin(0.5 * rest))[:, None] * normals(x, plates))
        if now.stitches.gap.any():
            way = now.ends @ x[used]
            long = np.maximum(np.linalg.norm(way, axis=1), LEAST)
            right += weight * STIFF * now.ends.T @ ((now.stitches.gap / long)[:, None] * way)
        now.factors.put(right)
        if not air.any:
            laid_where(right, used, now.free, x)
            return
        pushes = weight * air.measure(before)[used]
        now.factors.put(pushes)
        plain, pushed = before.copy(), np.zeros_like(x)
        laid_where(right, used, now.free, plain)
        laid_where(pushes, used, now.free, pushed)
        over = air.pressures(plain - before, pushed)
        laid_where((plain + over * pushed)[used], used, now.free, x)


def _pulled(row_of: Ints, many: int, triangles: Energies) -> Any:
    """How triangles resist being stretched and sheared, as a sparse matrix (u, u) of N/m for each way alike; `row_of`
    (n,) has the number of each vertex in it."""
    n = triangles.numbers
    ways = [np.stack([-n[:, w] - n[:, 2 + w], n[:, w], n[:, 2 + w]], axis=1) for w in (0, 1)]
    count = n[:, 4] * (n[:, 5] + 2.0 * n[:, 6])
    parts = count[:, None, None] * sum(w[:, :, None] * w[:, None, :] for w in ways)
    nodes = row_of[triangles.nodes]
    rows, columns = np.repeat(nodes, 3, axis=1).ravel(), np.tile(nodes, (1, 3)).ravel()
    return csr_matrix((parts.ravel(), (rows, columns)), shape=(many, many))
