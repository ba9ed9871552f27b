"""Slices through smoke and looks into it tell what is there."""

import numpy as np
import pytest

from hotgravel.core.matter.smoke.asked import KeptSmoke, looked_into, slice_of, told_at


def ball():
    """A ball of smoke a metre wide about (2, 2, 2), and air that goes along x, faster the higher it is."""
    shape, cell = (40, 40, 40), 0.1
    middles = np.stack(np.meshgrid(*[cell * (np.arange(n) + 0.5) for n in shape], indexing="ij"), axis=-1)
    velocity = np.zeros((*shape, 3), np.float32)
    velocity[..., 0] = middles[..., 1]
    density = (np.linalg.norm(middles - 2.0, axis=-1) < 0.5).astype(np.float32)
    return KeptSmoke({"density": density, "velocity": velocity, "speed": velocity[..., 0]}, np.zeros(3), cell)


def test_a_slice_is_the_layer_that_the_plane_cuts():
    cut = slice_of(ball(), "density", "z", 0.5)
    assert cut.values.sum() == pytest.approx(np.pi * 0.5**2 / 0.1**2, rel=0.05)
    assert cut.corner == pytest.approx([0, 0, 2.05])
    assert cut.down + cut.along == pytest.approx([4, 4, 0])
    assert cut.flow[:, 0] == pytest.approx(cut.places[:, 1], abs=1e-5)
    assert slice_of(ball(), "density", "y", 0.1).values.max() == 0.0
    across = slice_of(ball(), "speed", "x", 1.0)
    assert across.corner[0] == pytest.approx(3.95)
    assert (across.flow == 0.0).all()  # what goes across the slice is no arrow in it


def test_a_look_ends_where_half_of_what_is_behind_is_hidden():
    eye, way = np.array([2.0, 2.0, 10.0]), np.array([0.0, 0.0, -1.0])
    for take in (20.0, 4.0):
        place = looked_into(ball(), eye, way, take)
        assert place[2] == pytest.approx(2.5 - np.log(2) / take, abs=0.1)
    assert looked_into(ball(), eye + np.array([1.5, 0, 0]), way, 4.0) is None
    assert looked_into(ball(), eye, -way, 4.0) is None
    assert float(told_at(ball(), place)["speed"]) == pytest.approx(2.0, abs=0.06)
