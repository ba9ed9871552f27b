"""Smoke in pictures takes light by the law of Beer and Lambert, and throws its own."""

import numpy as np
import pytest

from hotgravel.core.picture.camera import TAN
from hotgravel.core.picture.light import LIGHTS
from hotgravel.core.picture.volume import lay_over, volume_of
from hotgravel.core.shot.smoke import Smoke

AXES = np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, -1]])
EYE = np.array([0.0, 0.0, 10.0])


def seen(row, depth=100.0, thick=128, sky=1.0):
    """What is seen straight through a block of smoke 2 m deep, before a bright screen."""
    kept = {
        "density": np.full(20**3, thick, np.uint8),
        "shape": np.array([20] * 3),
        "low": np.array([-1.0] * 3),
        "hot": np.zeros(0, np.uint8),
        "tint": np.zeros(0, np.uint8),
        "cell": np.array([0.1]),
    }
    image, fire = np.full((9, 9, 3), sky), np.ones((9, 9, 3))
    light = LIGHTS["working"]
    lay_over(image, fire, np.full((9, 9), depth), EYE, AXES, TAN, volume_of(kept, row, light), light)
    return image, fire


def test_what_shines_through_falls_with_the_depth_and_the_thickness():
    for thickness in (0.5, 2.0):
        row = Smoke(id="smoke", thickness=thickness)
        _, fire = seen(row)
        # The outer cells fade out by half a cell on either side.
        assert fire[4, 4] == pytest.approx(np.exp(-thickness * 128 / 255 * 2.0), rel=0.06)
    assert (seen(row, depth=9.0)[1][4, 4] == 1.0).all()  # all of it is behind what stands there
    half = seen(row, depth=10.0)[1][4, 4]
    assert half == pytest.approx(np.exp(-2.0 * 128 / 255 * 1.0), rel=0.06)


def test_it_throws_its_colour_back_and_is_darker_away_from_the_key():
    image, _ = seen(Smoke(id="smoke", colour="#FF0000", thickness=20.0), thick=255, sky=0.0)
    assert image[4, 4, 0] > 10 * image[4, 4, 1:].max()
    kept = {
        "density": np.full(20**3, 255, np.uint8),
        "shape": np.array([20] * 3),
        "low": np.zeros(3),
        "hot": np.zeros(0, np.uint8),
        "tint": np.zeros(0, np.uint8),
        "cell": np.array([0.1]),
    }
    lit = volume_of(kept, Smoke(id="smoke"), LIGHTS["working"]).lit
    x, y, z = LIGHTS["working"].key_from
    corner = tuple(19 if way > 0 else 0 for way in (x, y, z))
    assert lit[corner] > 3 * lit[tuple(19 - n for n in corner)]
