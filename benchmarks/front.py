"""A front that creeps over a whole board, step by step, over the shortest paths of the same points at once (SciPy)."""

import time

import numpy as np
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from hotgravel.core.matter.front.skin import Skin, crept, skin_of
from hotgravel.core.shape.welding import in_parts

FRAMES, RATE, SPEED, REACH = 60, 24.0, 0.5, 0.08
CORNERS = np.array([[-1, 0, -1], [1, 0, -1], [1, 0, 1], [-1, 0, 1]], float)
HALVES = np.array([[0, 2, 1], [0, 3, 2]])


def creeping(skin: Skin) -> float:
    """Seconds that all frames take."""
    n = len(skin.place)
    rate, arrived, gone, alight = np.full(n, SPEED), np.full(n, -1.0), np.zeros(n), np.ones(n, bool)
    arrived[0] = 0.0
    start = time.perf_counter()
    for _ in range(FRAMES):
        crept(skin.ends, skin.near, skin.off, rate, arrived, gone, alight, 1.0 / RATE)
    return time.perf_counter() - start


def main() -> None:
    creeping(skin_of(*in_parts(CORNERS, HALVES, 8), 1.0, 1.0, True))
    last = 0.0
    for segments in (64, 128):
        skin = skin_of(*in_parts(CORNERS, HALVES, segments), 1.0, REACH, False)
        n = len(skin.place)
        graph = csr_matrix((skin.off, skin.near, skin.ends), shape=(n, n))
        start = time.perf_counter()
        dijkstra(graph, indices=0)
        paths, mine = time.perf_counter() - start, creeping(skin)
        grown = f", {mine / last:.1f} times the one before" if last else ""
        print(f"front      {n} points, {len(skin.near) / n:.0f} near each: {1e3 * mine / FRAMES:.1f} ms a frame, "
              f"{FRAMES} frames over SciPy's shortest paths once {mine / paths:.2f}{grown}")  # fmt: skip
        last = mine


if __name__ == "__main__":
    main()
