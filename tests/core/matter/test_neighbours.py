"""Neighbours are those of SciPy's tree; what is packed keeps its distance, whoever counts the threads."""

import numba
import numpy as np
import pytest
from scipy.spatial import cKDTree

from hotgravel.core.matter.neighbours import Nearby, around, densities, separate, spheres_of
from tests.conftest import GRAVITY, GROUND, LOOSE, VENT, document, landing, play, source


def crowd(n=3000, side=12.0, seed=1):
    return np.random.default_rng(seed).uniform(-0.5 * side, 0.5 * side, (n, 3))


@pytest.mark.parametrize("side", [12.0, 120.0])  # in a table of all cells, and where most are empty
def test_neighbours_are_those_of_an_independent_tree(side):
    points = crowd(side=side)
    points[:40] *= 0.05  # some are near in any case
    who = np.arange(len(points)) % 3 != 0
    here = np.flatnonzero(who)
    found = Nearby(spheres_of(points[here], np.full(len(here), 0.32)), 1.25)
    order = here[found.order]
    mine = {
        tuple(sorted((int(order[n]), int(order[m]))))
        for n in range(len(here))
        for m in found.near[found.starts[n] : found.ends[n]]
    }
    tree = cKDTree(points).query_pairs(0.8)
    assert mine == {(a, b) for a, b in tree if who[a] and who[b]}


def packed(n=2000):
    side = (n * 4 / 3 * np.pi * 0.5**3 / 0.5) ** (1 / 3)  # half of the room is filled
    points = crowd(n, side)
    separate(points, np.zeros_like(points), np.full(n, 0.5), np.ones(n), np.ones(n, bool), 0.0, 400)
    return points


def test_packed_particles_are_no_closer_than_they_may_be():
    points = packed()
    assert cKDTree(points).query(points, k=2)[0][:, 1].min() > 0.98
    again = points.copy()
    assert separate(again, np.zeros_like(points), np.full(2000, 0.5), np.ones(2000), np.ones(2000, bool), 0.0) == 1
    assert np.array_equal(again, points)  # and stay where they are


def test_heavy_ones_give_way_less_and_a_gap_is_kept():
    points = np.array([[0.0, 0, 0], [0.6, 0, 0]])
    separate(points, np.zeros((2, 3)), np.full(2, 0.5), np.array([3.0, 1.0]), np.ones(2, bool), 0.2, 200)
    assert points[1, 0] - points[0, 0] == pytest.approx(1.2, rel=0.015)
    assert (points[1, 0] - 0.6) / -points[0, 0] == pytest.approx(3.0, rel=0.02)


def test_what_comes_together_does_not_bounce():
    points, going = np.array([[0.0, 0, 0], [0.99, 0, 0]]), np.array([[1.0, 2, 0], [-1.0, 0, 0]])
    separate(points, going, np.full(2, 0.5), np.ones(2), np.ones(2, bool), 0.0)
    assert going == pytest.approx(np.array([[0.0, 2, 0], [0.0, 0, 0]]), abs=1e-9)


def test_means_are_of_those_within_reach():
    points, going = crowd(400, 4.0), crowd(400, 2.0, 2)
    place, mean, number = around(points, going, np.ones(400, bool), 0.9)
    near = cKDTree(points).query_ball_point(points, 0.9)
    for n in range(0, 400, 37):
        others = [m for m in near[n] if m != n]
        assert number[n] == len(others)
        if others:
            assert place[n] == pytest.approx(points[others].mean(axis=0))
            assert mean[n] == pytest.approx(going[others].mean(axis=0))


def test_density_is_the_mass_within_ten_radii_over_their_ball():
    points, rng = crowd(800, 4.0), np.random.default_rng(7)
    radius, mass, who = rng.choice([0.05, 0.08], 800), rng.uniform(1, 3, 800), rng.random(800) < 0.9
    told, tree = densities(points, radius, mass, who), cKDTree(points)
    for n in range(0, 800, 53):
        about = [m for m in tree.query_ball_point(points[n], 10 * radius[n]) if who[m]]
        wanted = mass[about].sum() / (4 / 3 * np.pi * (10 * radius[n]) ** 3) if who[n] else 0.0
        assert told[n] == pytest.approx(wanted)
    side = np.arange(12) * 0.1
    lattice = np.stack(np.meshgrid(side, side, side), -1).reshape(-1, 3)
    made = densities(lattice, np.full(1728, 0.045), np.full(1728, 0.5), np.ones(1728, bool))
    assert made.max() == pytest.approx(0.5 / 0.1**3, rel=0.05)  # one to each cell of the lattice; nearest to it inside


def test_threads_do_not_matter():
    made = []
    for threads in (1, numba.config.NUMBA_NUM_THREADS):
        numba.set_num_threads(threads)
        made.append(packed(600))
    assert np.array_equal(*made)


def test_grit_piles_up():
    heap = document(
        set=[GROUND, VENT | {"shape": {"kind": "sphere", "radius": 0.5}, "position": [0, 1.5, 0]}],
        matter=[LOOSE, landing(bounce=0.0, friction=0.8), {"kind": "apart", "id": "apart"}],
        supply=[source(emit={"kind": "burst", "count": 300, "frame": 1}, part="volume", speed=0, radius=0.07, aim={"kind": "anywhere"})],
        forces=[GRAVITY], finish={"last": 60},
    )  # fmt: skip
    film = play(heap, "fair")
    p = film.last.position
    assert p[:, 1].max() > 2 * 0.07  # higher than a layer
    assert p[:, 1].min() > 0.0719  # none was pushed through the ground
    assert np.median(cKDTree(p).query(p, k=2)[0][:, 1]) > 0.13
    assert np.median(film.last.speed) < 0.3
