"""The loads of 2,000 bonds, again and again as a blow moves and bonds break, over SciPy's direct solver of
the same systems; and a collapse of 800 pieces over its playing time."""

import time

import numpy as np
from scipy.sparse import csc_matrix
from scipy.sparse.linalg import spsolve

from hotgravel.core.matter.rigid.factors import Bonded, Factors
from hotgravel.core.matter.rigid.loads import Bearing, shared_out
from hotgravel.core.run.execute import still
from hotgravel.core.run.frame import first_frame, next_frame
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.demo.shots import FOLDER, demo_path

ROUNDS, FRAMES = 40, 48
SLAB = {
    "format": "hotgravel.shot", "version": 4, "name": "slab",
    "set": [
        {"kind": "prop", "id": "slab", "name": "slab", "shape": {"kind": "box", "width": 6, "height": 0.5, "depth": 3}},
        {"kind": "zone", "id": "end", "name": "end", "shape": {"kind": "block", "at": [-3, 0, 0], "size": [1, 2, 9]}},
        {"kind": "cut", "id": "cut", "prop": "slab", "manner": {"kind": "evenly", "pieces": 400}},
    ],
    "matter": [
        {"kind": "rigid", "id": "body", "prop": "slab", "copies": {"kind": "pieces"}},
        {"kind": "bonds", "id": "bonds", "prop": "slab", "support": {"kind": "in_zone", "zone": "end"}},
    ],
}  # fmt: skip


def whole(bonded: Bonded, works: np.ndarray, firm: np.ndarray) -> csc_matrix:
    """The matrix of the bonds that work; cells that are firm stand for themselves."""
    matrix = np.zeros((bonded.cells, bonded.cells, 6, 6))
    for p, q in np.ndindex(2, 2):
        free = works & ~firm[bonded.pairs[:, p]] & ~firm[bonded.pairs[:, q]]
        np.add.at(matrix, tuple(bonded.pairs[free][:, (p, q)].T), bonded.blocks[free, p, q])
    matrix[firm, firm] = np.eye(6)
    return csc_matrix(matrix.transpose(0, 2, 1, 3).reshape(6 * bonded.cells, -1))


def main() -> None:
    table = build(load(SLAB), beside(FOLDER)).solvers["rigid"].bonds
    kept, there = table.anchored, np.ones(len(table.cells), bool)
    bearing, factors, dice = Bearing.fresh(table), Factors(), np.random.default_rng(1)
    mine, peer = [], []
    for k in range(ROUNDS):
        load_ = np.zeros((len(kept), 6))
        load_[:, 1] = -9.81 * table.mass
        load_[dice.integers(len(kept)), 1] -= 1e4
        if k % 5 == 4:
            bearing.holds[dice.integers(len(table.pairs))] = 0
        matrix = whole(table.bonded, bearing.holds > 0, kept)
        start = time.perf_counter()
        shared_out(table, bearing, load_, kept, there, factors)
        middle = time.perf_counter()
        spsolve(matrix, np.where(kept[:, None], 0.0, load_).ravel())
        mine.append(middle - start)
        peer.append(time.perf_counter() - middle)
    ours, theirs = np.median(mine[1:]), np.median(peer[1:])
    print(f"bonds      {len(table.pairs):,} bonds of {len(kept)} pieces, after the first: {1e3 * ours:.1f} ms, "
          f"over spsolve {ours / theirs:.3f}")  # fmt: skip
    world = build(load(demo_path("lava-tube")), beside(FOLDER))
    now, _ = first_frame(world, still)
    start = time.perf_counter()
    for _ in range(FRAMES):
        next_frame(world, now, still)
    took = time.perf_counter() - start
    print(f"bonds      the lava tube, {FRAMES} frames: {took:.1f} s, over its playing time {took / (FRAMES / 24):.1f}")


if __name__ == "__main__":
    main()
