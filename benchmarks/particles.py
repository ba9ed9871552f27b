"""A step of one million particles over one copy of all their arrays.

Gravity, soft and air drag, and a collision with the ground. The floor is what any step must
do at the least: read and write the arrays once. Aim: 6 or less.
"""

import time

import numpy as np

from hotgravel.core.matter.particles.advance import advance
from hotgravel.core.matter.particles.state import Particles
from hotgravel.core.shape.bvh import empty_tree
from hotgravel.core.shape.colliders import Surface, table_of
from hotgravel.core.shape.distance import PLANE
from hotgravel.core.shape.kinds import Shaped
from hotgravel.core.shape.pose import Pose

N, ROUNDS = 1_000_000, 15


def main() -> None:
    rng = np.random.default_rng(1)
    p = Particles.blank(N)
    p.position[:] = rng.uniform([-20, 0.05, -20], [20, 10, 20], (N, 3))
    p.velocity[:] = 5 * rng.normal(size=(N, 3))
    p.radius[:] = 0.02
    stand = Pose(np.zeros(3), np.array([0.0, 0, 0, 1]), 1.0)
    ground = Surface(Shaped(PLANE, np.array([80.0, 80, 0])), 1 << 63, -1, 1.0, 0.3, 0.4, 0.002, stand, stand)
    c, tree = table_of([ground]), empty_tree()
    blows = np.zeros(0, np.int64), np.zeros((0, 3)), np.zeros((0, 3))
    forces = np.array([[0.0, -9.81, 0]]), np.array([0.5]), np.zeros((1, 3)), np.array([0.1])
    arrays = [getattr(p, name) for name in p.names()]
    copies = [a.copy() for a in arrays]

    def copy() -> None:
        for target, source in zip(copies, arrays, strict=True):
            np.copyto(target, source)

    def step() -> int:
        return advance(p.position, p.velocity, p.age, p.state, p.radius, p.touched, p.impact, p.travelled, 1 / 48,
                       False, *forces, c.table, c.bits, tree, p.id, 0, c.elements, *blows)  # fmt: skip

    def timed(work) -> float:
        start = time.perf_counter()
        work()
        return time.perf_counter() - start

    step(), copy()
    times = np.array([(timed(copy), timed(step)) for _ in range(ROUNDS)])
    copied, stepped = np.median(times, axis=0)
    ratio = np.median(times[:, 1] / times[:, 0])
    print(f"particles  1 000 000, gravity, drag, ground: step {stepped * 1e3:.0f} ms, copy {copied * 1e3:.0f} ms, "
          f"ratio {ratio:.1f} (aim 6 or less)")  # fmt: skip


if __name__ == "__main__":
    main()
