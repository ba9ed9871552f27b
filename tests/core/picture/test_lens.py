"""What a lens and its shutter do, against the geometry of a thin lens and of straight flight."""

import numpy as np
import pytest

from hotgravel.core.picture.camera import TAN
from hotgravel.core.picture.lens import defocused, discs, smeared, ways


def test_a_point_out_of_focus_is_as_wide_as_a_thin_lens_makes_it():
    # Thin lens: a point at z through an aperture A, sharp at s, is A |z - s| / z wide at s; seen from there, over s.
    depth = np.array([[2.0, 4.0, 8.0, np.inf]] * 540)
    found = discs(depth, 4.0, 0.1, TAN)[0]
    pixels = 270 / TAN / 4.0
    assert found == pytest.approx([0.05 * pixels, 0.0, 0.025 * pixels, 0.05 * pixels])


def test_blur_keeps_the_light_and_sharp_things_keep_their_edges():
    image, depth = np.zeros((41, 41, 1)), np.full((41, 41), 9.0)
    image[20, 20] = 1.0
    spread = defocused(image, depth, np.full((41, 41), 5.0))[..., 0]
    assert spread.sum() == pytest.approx(1.0, abs=0.02)
    assert spread[20, 26] == 0.0
    depth[:, :20] = 4.0  # sharp, before what is blurred
    image[:, 20:] = 1.0
    blurred = defocused(image, depth, np.where(depth < 5.0, 0.0, 5.0))[..., 0]
    assert (blurred[:, :20] == 0.0).all()


def test_a_ball_in_flight_is_drawn_out_as_far_as_it_flies_while_the_shutter_is_open():
    depth, which = np.full((90, 160), np.inf), np.full((90, 160), -1, np.int64)
    image = np.zeros((90, 160, 1))
    ball = (slice(40, 50), slice(80, 90))
    depth[ball], which[ball], image[ball] = 10.0, -2, 1.0
    moved = np.empty((90, 160, 2))
    none, faces = np.zeros((0, 3)), np.zeros((0, 3), np.int64)
    flight = np.array([[24.0, 0.0, 0.0]])
    ways(depth, which, np.zeros(3), np.eye(3), TAN, faces, none, flight, 1 / 48, moved)
    flown = 24 / 48 * 45 / TAN / 10.0  # metres flown, seen from ten metres away
    assert moved[45, 85] == pytest.approx([flown, 0.0], abs=1e-9)
    trail = np.flatnonzero(smeared(image, depth, moved)[45, :, 0] > 0.01)
    assert trail[-1] == 89
    assert trail[0] == pytest.approx(80 - flown, abs=1.5)
