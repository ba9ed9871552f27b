"""The first contact of a moving ball: closed forms, and brute force along the way."""

import numpy as np
import pytest

from hotgravel.core.shape.bvh import empty_tree
from hotgravel.core.shape.distance import SPHERE, distances
from hotgravel.core.shape.sample import in_volume
from hotgravel.core.shape.sweep import MISS, sweep
from tests.core.shape.test_distance import SHAPES, primitive

TREE = empty_tree()


def meet(shape, side, a, b, rho0=0.05, rho1=0.05):
    return sweep(shape.kind, *shape.sizes, shape.tree, float(side), *map(float, (*a, *b)), rho0, rho1)


@pytest.mark.parametrize("offset", [0.0, 0.3, 0.6, 0.84999])
def test_a_ball_meets_a_sphere_where_the_quadratic_says(offset):
    t = sweep(SPHERE, 0.8, 0.0, 0.0, TREE, 1.0, -3.0, offset, 0.0, 3.0, offset, 0.0, 0.05, 0.05)
    assert t == pytest.approx((3 - np.sqrt(0.85**2 - offset**2)) / 6, abs=1e-4 if offset > 0.8 else 1e-6)
    assert sweep(SPHERE, 0.8, 0.0, 0.0, TREE, 1.0, -3.0, 0.86, 0.0, 3.0, 0.86, 0.0, 0.05, 0.05) == MISS


def test_a_growing_ball_meets_earlier():
    still = meet(primitive("sphere"), 1.0, (-3, 0, 0), (3, 0, 0))
    growing = meet(primitive("sphere"), 1.0, (-3, 0, 0), (3, 0, 0), 0.05, 1.05)
    assert growing == pytest.approx((3 - 0.85) / 7)
    assert growing < still


SIDES = [(n, 1.0) for n in SHAPES] + [(n, -1.0) for n in SHAPES if primitive(n).has_volume]


@pytest.mark.parametrize(("name", "side"), SIDES)
def test_no_sweep_passes_a_surface(name, side):
    shape = primitive(name)
    rng = np.random.default_rng(7)
    starts = rng.uniform(-1.6, 1.6, (1500, 3))
    if side < 0:
        starts, _ = in_volume(shape, rng.random((1500, 4)), lambda which, attempt: rng.random((len(which), 4)))
    hits = 0
    for a in starts:
        b = rng.uniform(-1.6, 1.6, 3)
        start = distances(shape.kind, shape.sizes, shape.tree, a[None])[0, 0]
        if side * start < 0.05:
            continue  # begins in contact
        t = meet(shape, side, a, b)
        way = np.linspace(0, 1, 801)
        gaps = side * distances(shape.kind, shape.sizes, shape.tree, a + way[:, None] * (b - a))[:, 0] - 0.05
        before = gaps[way < (t if t <= 1 else 1.0) - 2e-3]
        assert before.min(initial=1.0) > -1e-5  # nothing was passed on the way
        if t <= 1:
            hits += 1
            here = a + t * (b - a)
            assert side * distances(shape.kind, shape.sizes, shape.tree, here[None])[0, 0] < 0.05 + 2e-3
    assert hits > 100


def test_touching_and_leaving_is_no_contact():
    shape = primitive("sphere")
    assert meet(shape, 1.0, (0.85, 0, 0), (2, 0, 0)) == MISS
    assert meet(shape, 1.0, (0.85, 0, 0), (0.5, 0, 0)) == 0.0
    assert meet(shape, 1.0, (0.5, 0, 0), (0.4, 0, 0)) == 0.0  # sunk in, and going deeper
