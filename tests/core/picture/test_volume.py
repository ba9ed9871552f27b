"""Smoke in pictures takes light by the law of Beer and Lambert, and throws its own."""

import numpy as np
import pytest

from hotgravel.core.picture.camera import TAN
from hotgravel.core.picture.cast import cast_of, lamp_of
from hotgravel.core.picture.light import LIGHTS
from hotgravel.core.picture.shade import past_smoke
from hotgravel.core.picture.volume import NO_LAMPS, lay_over, volume_of
from hotgravel.core.shot.smoke import Fire, Smoke

AXES = np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, -1]])
EYE = np.array([0.0, 0.0, 10.0])


def block(thick, hot=(), low=-1.0):
    """A block of smoke 2 m wide, as frames keep it."""
    return {
        "density": np.broadcast_to(thick, 20**3).astype(np.uint8), "shape": np.array([20] * 3),
        "low": np.array([low] * 3), "hot": np.array(hot, np.uint8), "tint": np.zeros(0, np.uint8),
        "cell": np.array([0.1]),
    }  # fmt: skip


def seen(row, depth=100.0, thick=128, sky=1.0, lamps=NO_LAMPS):
    """What is seen straight through a block of smoke 2 m deep, before a bright screen."""
    image, fire = np.full((9, 9, 3), sky), np.ones((9, 9, 3))
    light = LIGHTS["working"]
    lay_over(image, fire, np.full((9, 9), depth), EYE, AXES, TAN, volume_of(block(thick), row, light), light, lamps)
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
    lit = volume_of(block(255), Smoke(id="smoke"), LIGHTS["working"]).lit
    x, y, z = LIGHTS["working"].key_from
    corner = tuple(19 if way > 0 else 0 for way in (x, y, z))
    assert lit[corner] > 3 * lit[tuple(19 - n for n in corner)]


def test_its_shadow_is_what_a_ball_lets_through_and_none_lies_before_it():
    light = LIGHTS["working"]
    at = (np.indices((20, 20, 20)).reshape(3, -1).T + 0.5) * 0.1 - 1.0
    ball = np.where(np.linalg.norm(at, axis=1) < 0.9, 255, 0)
    cast = cast_of(volume_of(block(ball), Smoke(id="smoke", thickness=1.5), light), light)
    key = np.array(light.key_from)
    aside = np.cross(key, [0.0, 1.0, 0.0]) / np.linalg.norm(np.cross(key, [0.0, 1.0, 0.0]))
    for off in (0.0, 0.3, 0.6):
        chord = 2.0 * np.sqrt(0.81 - off**2)  # the law of Beer and Lambert along it
        behind = past_smoke(cast.map, cast.frame, *(off * aside - 3.0 * key))
        assert behind == pytest.approx(np.exp(-1.5 * chord), abs=0.02)
        assert past_smoke(cast.map, cast.frame, *(off * aside + 3.0 * key)) == 1.0
    assert past_smoke(cast.map, cast.frame, *(1.3 * aside - 3.0 * key)) == 1.0
    assert 0.1 < past_smoke(cast.map, cast.frame, 0.0, 0.0, 0.0) < 0.6  # in the midst of it


def test_fire_is_a_lamp_where_it_glows_and_a_lamp_lights_smoke_by_its_distance():
    hot = np.zeros((20, 20, 20))
    hot[12:16, 2:6, 8:12] = 200
    fire = volume_of(block(255, hot.ravel()), Smoke(id="smoke", thickness=9.0), LIGHTS["dusk"], Fire(id="fire"))
    place, reach, colour = np.split(lamp_of(fire), [3, 5])
    assert place == pytest.approx([0.4, -0.6, 0.0], abs=0.02)
    assert reach[1] == pytest.approx(0.2, abs=0.03)
    assert colour[0] > colour[1] > colour[2]
    assert not len(lamp_of(volume_of(block(255), Smoke(id="smoke"), LIGHTS["dusk"])))

    row, dark = Smoke(id="smoke", thickness=50.0), seen(Smoke(id="smoke", thickness=50.0), thick=255, sky=0.0)[0]
    lit = [
        seen(row, thick=255, sky=0.0, lamps=np.array([[0.0, 0, far, 2.0, 0.5, 1.0, 0.5, 0.0]]))[0][4, 4] - dark[4, 4]
        for far in (2.0, 3.0)
    ]
    assert lit[0][0] > 1.9 * lit[0][1] > 0.0 == pytest.approx(lit[0][2])
    # What throws light back lies at the front of the block, 1 m from its middle.
    assert lit[0][0] / lit[1][0] == pytest.approx((1 + (2 / 0.5) ** 2) / (1 + (1 / 0.5) ** 2), rel=0.05)
