"""The light of a black body against the tables of the CIE."""

import colour
import numpy as np
import pytest

from hotgravel.core.picture.blackbody import BRIGHT, observer, seen, table


def test_the_observer_is_that_of_1931():
    cmfs = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
    waves, functions = observer()
    assert functions == pytest.approx(cmfs[waves], rel=1e-5)


@pytest.mark.parametrize("kelvin", [1000, 1500, 2000, 2856])
def test_its_colour_and_how_its_light_grows_are_those_of_the_tables(kelvin):
    shape = colour.SpectralShape(380, 780, 5)
    cmfs = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape)

    def known(kelvin):
        return colour.sd_blackbody(kelvin, shape).values @ cmfs.values

    mine, theirs = seen(np.array([kelvin - 273.15]))[0], known(kelvin)
    assert mine[:2] / mine.sum() == pytest.approx(theirs[:2] / theirs.sum(), abs=1e-4)
    assert mine[1] == pytest.approx(theirs[1] / known(BRIGHT + 273.15)[1], rel=1e-3)


def test_it_is_dark_then_red_then_white():
    light = table(400.0, 2400.0)
    assert light[0].max() < 1e-4
    assert light[90, 0] > 3 * light[90, 1] > 3 * light[90, 2]
    assert (np.diff(light[:, 0]) > 0).all()
