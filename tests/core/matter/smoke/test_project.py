"""The pressure is that of independent solvers, and leaves nothing that flows together."""

import numpy as np
import pytest
from scipy.fft import dctn, idctn

from hotgravel.core.matter.fluid.project import divergence_of, levels_of, pressure, projected


def wild(shape, seed=1):
    dice = np.random.default_rng(seed)
    return tuple(
        dice.standard_normal(tuple(n + (a == axis) for a, n in enumerate(shape))).astype(np.float32)
        for axis in range(3)
    )


def shares(shape, shut=True, ball=None):
    made = tuple(np.ones(tuple(n + (a == axis) for a, n in enumerate(shape)), np.float32) for axis in range(3))
    for axis, face in enumerate(made):
        if ball is not None:
            places = np.stack(np.meshgrid(*[np.arange(n) for n in face.shape], indexing="ij"), axis=-1)
            off = np.linalg.norm(places + np.where(np.arange(3) == axis, 0.0, 0.5) - np.array(shape) / 2, axis=-1)
            face[:] = np.clip(off - ball, 0.0, 1.0)
        if shut:
            np.moveaxis(face, axis, 0)[[0, -1]] = 0.0
    return made


@pytest.mark.parametrize("shape", [(32, 32, 32), (24, 40, 16)])
def test_in_a_plain_box_it_is_that_of_the_cosine_transform(shape):
    flow, open_ = wild(shape), shares(shape)
    there = divergence_of(flow, open_, tuple(np.zeros_like(f) for f in flow))
    p, rounds = pressure(levels_of(open_), there)
    waves = [2.0 - 2.0 * np.cos(np.pi * np.arange(n) / n) for n in shape]
    total = waves[0][:, None, None] + waves[1][None, :, None] + waves[2][None, None, :]
    total[0, 0, 0] = 1.0
    exact = idctn(dctn(-(there - there.mean()), type=2) / total, type=2)
    mine = p[1:-1, 1:-1, 1:-1]
    assert mine - mine.mean() == pytest.approx(exact - exact.mean(), abs=2e-3 * np.abs(exact).max())
    assert rounds < 12


def test_around_an_obstacle_it_is_that_of_a_dense_solver():
    shape = (8, 8, 8)
    flow, open_ = wild(shape), shares(shape, shut=False, ball=2.4)
    there = divergence_of(flow, open_, tuple(np.zeros_like(f) for f in flow))
    p, _ = pressure(levels_of(open_), there)
    number = np.arange(512).reshape(shape)
    matrix = np.zeros((512, 512))
    for axis, face in enumerate(open_):
        for at in np.ndindex(shape):
            for way in (0, 1):
                share = face[tuple(n + (way if a == axis else 0) for a, n in enumerate(at))]
                other = tuple(n + ((2 * way - 1) if a == axis else 0) for a, n in enumerate(at))
                matrix[number[at], number[at]] += share
                if 0 <= other[axis] < 8:
                    matrix[number[at], number[other]] -= share
    shut = np.diag(matrix) == 0.0
    matrix[shut, shut] = 1.0
    exact = np.linalg.solve(matrix, np.where(shut, 0.0, -there.ravel()))
    mine = p[1:-1, 1:-1, 1:-1].ravel()[~shut]  # in what is shut it says nothing
    assert mine == pytest.approx(exact[~shut], abs=1e-3 * np.abs(exact).max())


def test_nothing_flows_together_and_an_obstacle_that_moves_pushes_the_gas_ahead():
    shape = (32, 24, 16)
    open_ = shares(shape, shut=False, ball=4.0)
    flow, solid = tuple(np.zeros_like(f) for f in open_), tuple(np.zeros_like(f) for f in open_)
    solid[0][:] = 1.0
    projected(flow, levels_of(open_), solid)
    left = divergence_of(flow, open_, solid)
    assert np.abs(left).max() < 1e-3
    assert flow[0][22, 12, 8] > 0.2  # before it
    assert flow[0][10, 12, 8] > 0.2  # it draws the gas after it
    assert flow[0][16, 19, 8] < 0.0  # beside it the gas goes back
    assert flow[0] == pytest.approx(flow[0][::-1], abs=2e-3)  # past a ball it is as before and behind


def test_a_rest_in_layers_stays_at_rest():
    shape = (16, 32, 16)
    open_ = shares(shape)
    flow = tuple(np.zeros_like(f) for f in open_)
    flow[1][:] = np.linspace(0.0, 1.0, 33)[None, :, None] ** 2  # what lift gives to air that is hotter above
    projected(flow, levels_of(open_), tuple(np.zeros_like(f) for f in flow))
    assert max(np.abs(f).max() for f in flow) < 2e-4
