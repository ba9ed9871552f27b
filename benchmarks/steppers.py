"""Three ways to step what is soft, on one hanging net of springs: by how much it hangs longer, over how much longer its
weight makes a row of springs, and what a frame costs.

Position-based small steps (XPBD: Macklin and others 2019), blocks of one vertex (vertex block descent: Chen and others
2024), and local and global steps with a matrix that is factored once (projective dynamics: Bouaziz and others 2014).
`core/matter/soft` has the first for jelly and the last for bending and air; triangles of cloth take a step of Newton's
method (`strain.py`). All are implicit Euler steps of the same springs."""

import time
from collections.abc import Callable

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from scipy.sparse import coo_matrix, diags
from scipy.sparse.linalg import splu

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
Step = Callable[[Array], None]  # moves, in place, from where forces have led
SIDE, WEIGHT, DOWN, FRAMES, RATE = 33, 0.3, 9.81, 72, 24.0
REST = 1.0 / (SIDE - 1)  # m: a spring
CALM = 0.98  # of the speed that is kept from one small step to the next of twelve in a frame


def net() -> tuple[Array, Ints, Ints]:
    """The vertices (n, 3) of a square of a metre that hangs straight, its springs (E, 2) in four groups that share no
    vertex, and where groups begin."""
    number = np.arange(SIDE * SIDE).reshape(SIDE, SIDE)
    across, down = np.meshgrid(np.linspace(0.0, 1.0, SIDE), -np.linspace(0.0, 1.0, SIDE))
    groups = []
    for first in (0, 1):
        groups.append(np.stack([number[first:-1:2], number[first + 1 :: 2]], axis=-1).reshape(-1, 2))
        groups.append(np.stack([number[:, first:-1:2], number[:, first + 1 :: 2]], axis=-1).reshape(-1, 2))
    places = np.stack([across.ravel(), down.ravel(), np.zeros(SIDE * SIDE)], axis=1)
    return places, np.concatenate(groups), np.cumsum([0, *(len(g) for g in groups)])


@njit(parallel=True)
def edge_by_edge(x: Array, pull: Array, springs: Ints, groups: Ints, w: Array, give: float, rest: float) -> None:
    """One iteration of XPBD; `give` is one over the stiffness times the small step squared, `pull` its multipliers."""
    for g in range(len(groups) - 1):
        for e in prange(groups[g], groups[g + 1]):
            a, b = springs[e]
            way = x[b] - x[a]
            long = np.sqrt((way * way).sum())
            more = (-(long - rest) - give * pull[e]) / (w[a] + w[b] + give) if w[a] + w[b] > 0.0 else 0.0
            pull[e] += more
            x[a] -= w[a] * more * way / long
            x[b] += w[b] * more * way / long


@njit(parallel=True)
def vertex_by_vertex(
    x: Array, led: Array, near: Ints, colours: Ints, ends: Ints, w: Array, stiff: float, rest: float
) -> None:  # fmt: skip
    """One sweep of vertex block descent: Newton's step of each vertex in the energy of a small step. `stiff` is the
    stiffness times the small step squared; `colours` (n,) are vertices without a spring between those from one of
    `ends` to the next."""
    for colour in range(len(ends) - 1):
        for k in prange(ends[colour], ends[colour + 1]):
            i = colours[k]
            if w[i] == 0.0:
                continue
            force, hess = (led[i] - x[i]) / w[i], np.eye(3) / w[i]
            for j in near[i]:
                if j < 0:
                    continue
                way = x[i] - x[j]
                long = np.sqrt((way * way).sum())
                along = way / long
                force -= stiff * (long - rest) * along
                slack = max(0.0, 1.0 - rest / long)
                for c in range(3):
                    for d in range(3):
                        hess[c, d] += stiff * ((1.0 - slack) * along[c] * along[d] + (slack if c == d else 0.0))
            x[i] += np.linalg.solve(hess, force)


def edges_step(springs: Ints, groups: Ints, w: Array, stiff: float, turns: int) -> Step:
    """XPBD, with so many iterations a small step."""

    def step(x: Array) -> None:
        pull = np.zeros(len(springs))
        for _ in range(turns):
            edge_by_edge(x, pull, springs, groups, w, 1.0 / stiff, REST)

    return step


def blocks_step(springs: Ints, _groups: Ints, w: Array, stiff: float, turns: int) -> Step:
    """Vertex block descent, with so many sweeps a small step."""
    near, filled = np.full((len(w), 4), -1), np.zeros(len(w), int)
    for a, b in np.concatenate([springs, springs[:, ::-1]]):
        near[a, filled[a]] = b
        filled[a] += 1
    odd = np.add(*np.divmod(np.arange(len(w)), SIDE)) % 2
    colours, ends = np.argsort(odd, kind="stable"), np.array([0, (odd == 0).sum(), len(w)])

    def step(x: Array) -> None:
        led = x.copy()
        for _ in range(turns):
            vertex_by_vertex(x, led, near, colours, ends, w, stiff, REST)

    return step


def factored_step(springs: Ints, _groups: Ints, w: Array, stiff: float, turns: int) -> Step:
    """Projective dynamics, with so many turns of local and global steps a small step."""
    free = np.flatnonzero(w > 0.0)
    rows = np.repeat(np.arange(len(springs)), 2)
    apart = coo_matrix((np.tile([-1.0, 1.0], len(springs)), (rows, springs.ravel())), (len(springs), len(w))).tocsr()
    pulls = stiff * apart[:, free].T
    whole = (diags(1.0 / w[free]) + pulls @ apart[:, free]).tocsc()
    solve = splu(whole, permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True}).solve

    def step(x: Array) -> None:
        led = x.copy()
        for _ in range(turns):
            way = apart @ x
            way *= 1.0 - REST / np.linalg.norm(way, axis=1, keepdims=True)
            x[free] -= solve((x - led)[free] / w[free, None] + pulls @ way)

    return step


def hung(step: Step, x0: Array, w: Array, small: int) -> tuple[float, float]:
    """How much longer than at rest it hangs in the end, and the seconds of a frame."""
    x, v, h = x0.copy(), np.zeros_like(x0), 1.0 / (RATE * small)
    start = time.perf_counter()
    for _ in range(FRAMES * small):
        before = x.copy()
        v[w > 0.0, 1] -= h * DOWN
        x += h * v
        step(x)
        v = CALM ** (12.0 / small) * (x - before) / h
    return -1.0 - float(x[-SIDE:, 1].mean()), (time.perf_counter() - start) / FRAMES


def main() -> None:
    x0, springs, groups = net()
    mass = WEIGHT / SIDE**2
    w = np.full(len(x0), 1.0 / mass)
    w[:SIDE] = 0.0
    ways = [("edge by edge", edges_step), ("vertex by vertex", blocks_step), ("factored", factored_step)]
    for _, way in ways:
        hung(way(springs, groups, w, 1.0, 1), x0, w, 1)
    for stiff in (1e2, 1e3, 1e4):
        least = DOWN * mass * SIDE * (SIDE - 1) / 2.0 / stiff  # a row: each spring bears all that hangs below it
        for called, way in ways:
            told = []
            for small, turns in ((12, 1), (12, 4), (48, 1)):
                more, cost = hung(way(springs, groups, w, stiff / (RATE * small) ** 2, turns), x0, w, small)
                told.append(f"{small} x {turns}: {more / least:.2f} in {1e3 * cost:.1f} ms")
            print(f"steppers   {stiff:.0f} N/m, {called}: {'; '.join(told)} (1.00 is exact; small steps by turns)")


if __name__ == "__main__":
    main()
