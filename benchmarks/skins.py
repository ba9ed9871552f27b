"""The skin of 100,000 particles, over drawing the surface of the finished field alone (scikit-image's
marching cubes without a mask)."""

import time

import numpy as np
from skimage.measure import marching_cubes

from hotgravel.core.shape.skin import skin

N, ROUNDS = 100_000, 5


def main() -> None:
    rng = np.random.default_rng(1)
    # Threads: a hundred wandering lines of a thousand particles.
    steps = rng.normal(size=(100, 1000, 3)).cumsum(axis=1) * 0.012 + rng.uniform(-1, 1, (100, 1, 3))
    points, radius = steps.reshape(-1, 3), np.full(N, 0.03)
    how = {"blend": 0.02, "cell": 0.02}
    vertices, _ = skin(points, radius, **how)
    shape = np.ceil((np.ptp(points, axis=0) + 2 * (0.03 + 0.06 + 0.04)) / 0.02).astype(int) + 1
    grid = np.meshgrid(*(np.linspace(-1, 1, n, dtype=np.float32) for n in shape), indexing="ij")
    field = np.sqrt(sum(g * g for g in grid)) - 0.8
    times = []
    for _ in range(ROUNDS):
        start = time.perf_counter()
        skin(points, radius, **how)
        middle = time.perf_counter()
        marching_cubes(field, 0.0)
        times.append((middle - start, time.perf_counter() - middle))
    mine, peer = np.median(times, axis=0)
    print(f"skins      {N:,} particles, {field.size / 1e6:.0f} M cells, {len(vertices):,} corners: {mine * 1e3:.0f} ms "
          f"over a ball's surface on the same grid {mine / peer:.2f}")  # fmt: skip


if __name__ == "__main__":
    main()
