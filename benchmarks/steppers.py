"""Three ways to step what is soft, on one hanging net of springs: by how much it hangs longer, over how much longer its
weight makes a row of springs, and what a frame costs.

Position-based small steps (XPBD: Macklin and others 2019), blocks of one vertex (vertex block descent: Chen and others
2024), and local and global steps with a matrix that is factored once (projective dynamics: Bouaziz and others 2014),
which is what `core/matter/soft` does. All are implicit Euler steps of the same springs."""

import time
from collections.abc import Callable

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray
from scipy.sparse import coo_matrix, diags
from scipy.sparse.linalg import splu

Array = NDArray[np.float64]
Ints = NDArray[np.int64]
Step = Callable[[Array, Array, float], None]  # from places that forces have led to (moved in place) and those before
SIDE, WEIGHT, DOWN, FRAMES, RATE = 33, 0.3, 9.81, 72, 24.0
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
    """One iteration of XPBD; `give` is one over the stiffness and the small step squared, `pull` its multipliers."""
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
def vertex_by_vertex(x: Array, led: Array, near: Ints, colours: Ints, w: Array, stiff: float, rest: float) -> None:
    """One sweep of vertex block descent: Newton's step of each vertex in the energy of a small step. `stiff` is the
    stiffness times the small step squared, `colours` (2, n / 2) the vertices without a spring between them."""
    for colour in range(2):
        for k in prange(colours.shape[1]):
            i = colours[colour, k]
            if i < 0 or w[i] == 0.0:
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


def edges_step(x0: Array, springs: Ints, groups: Ints, w: Array, stiff: float, turns: int) -> Step:
    """XPBD, with so many iterations a small step."""

    def step(x: Array, _before: Array, h: float) -> None:
        pull = np.zeros(len(springs))
        for _ in range(turns):
            edge_by_edge(x, pull, springs, groups, w, 1.0 / (stiff * h * h), 1.0 / (SIDE - 1))

    return step


def blocks_step(x0: Array, springs: Ints, groups: Ints, w: Array, stiff: float, turns: int) -> Step:
    """Vertex block descent, with so many sweeps a small step."""
    near = np.full((len(x0), 4), -1)
    filled = np.zeros(len(x0), int)
    for a, b in np.concatenate([springs, springs[:, ::-1]]):
        near[a, filled[a]] = b
        filled[a] += 1
    odd = np.add(*np.divmod(np.arange(len(x0)), SIDE)) % 2
    colours = np.full((2, len(x0)), -1)
    for n in (0, 1):
        colours[n, : (odd == n).sum()] = np.flatnonzero(odd == n)

    def step(x: Array, _before: Array, h: float) -> None:
        led = x.copy()
        for _ in range(turns):
            vertex_by_vertex(x, led, near, colours, w, stiff * h * h, 1.0 / (SIDE - 1))

    return step


def factored_step(x0: Array, springs: Ints, groups: Ints, w: Array, stiff: float, turns: int) -> Step:
    """Projective dynamics, with so many turns of local and global steps a small step."""
    free, rest = np.flatnonzero(w > 0.0), 1.0 / (SIDE - 1)
    rows = np.repeat(np.arange(len(springs)), 2)
    apart = coo_matrix((np.tile([-1.0, 1.0], len(springs)), (rows, springs.ravel())), (len(springs), len(x0))).tocsr()
    known: dict[float, object] = {}

    def step(x: Array, _before: Array, h: float) -> None:
        pulls = stiff * h * h * apart.T
        if h not in known:
            whole = (diags(1.0 / np.where(w > 0.0, w, 1e-9)) + pulls @ apart).tocsc()
            known[h] = splu(whole[free][:, free], permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True})
        led = x.copy()
        for _ in range(turns):
            way = apart @ x
            way *= 1.0 - rest / np.linalg.norm(way, axis=1, keepdims=True)
            away = (x - led)[free] / w[free, None] + (pulls @ way)[free]
            x[free] -= known[h].solve(away)

    return step


def hung(step: Step, x0: Array, w: Array, small: int) -> tuple[float, float]:
    """How much longer than at rest it hangs in the end, and the seconds of a frame."""
    x, v, h = x0.copy(), np.zeros_like(x0), 1.0 / (RATE * small)
    start = time.perf_counter()
    for _ in range(FRAMES * small):
        before = x.copy()
        v[w > 0.0, 1] -= h * DOWN
        x += h * v
        step(x, before, h)
        v = CALM ** (12.0 / small) * (x - before) / h
    return -1.0 - float(x[-SIDE:, 1].mean()), (time.perf_counter() - start) / FRAMES


def main() -> None:
    x0, springs, groups = net()
    mass = WEIGHT / SIDE**2
    w = np.full(len(x0), 1.0 / mass)
    w[:SIDE] = 0.0
    ways = [("edge by edge", edges_step), ("vertex by vertex", blocks_step), ("factored", factored_step)]
    for _, way in ways:
        hung(way(x0, springs, groups, w, 1e3, 1), x0, w, 1)
    for stiff in (1e2, 1e3, 1e4):
        least = DOWN * mass * SIDE * (SIDE - 1) / 2.0 / stiff  # a row: each spring bears all that hangs below it
        for called, way in ways:
            told = []
            for small, turns in ((12, 1), (12, 4), (48, 1)):
                more, cost = hung(way(x0, springs, groups, w, stiff, turns), x0, w, small)
                told.append(f"{small} x {turns}: {more / least:.2f} in {1e3 * cost:.1f} ms")
            print(f"steppers   {stiff:.0f} N/m, {called}: {'; '.join(told)} (1.00 is exact; small steps by turns)")


if __name__ == "__main__":
    main()
