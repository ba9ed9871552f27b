"""Responses read their curve over an attribute; monotone curves are SciPy's PCHIP and never overshoot."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy.interpolate import PchipInterpolator

from hotgravel.core.drive.ask import Ask, NobodyAsked, Rows
from hotgravel.core.drive.responses import Response, curve
from hotgravel.core.drive.within import Within

SHARES = np.linspace(-0.2, 1.2, 141)


def asked(**arrays):
    return Ask(0.0, crowd=Rows({name.replace("_", " "): np.asarray(a, float) for name, a in arrays.items()}))


@given(
    st.lists(st.tuples(st.floats(0, 1), st.floats(0, 1)), min_size=2, max_size=8, unique_by=lambda p: round(p[0], 3))
)
def test_monotone_curves_meet_their_points_and_stay_between(points):
    points = tuple(sorted(points))
    x, y = np.array(points).T
    made = curve(points, "monotone", SHARES)
    assert curve(points, "monotone", x) == pytest.approx(y, abs=1e-9)
    assert made.min() >= y.min() - 1e-9
    assert made.max() <= y.max() + 1e-9
    if len(points) > 2:
        inside = np.clip(SHARES, x[0], x[-1])
        assert made == pytest.approx(np.clip(PchipInterpolator(x, y)(inside), 0, 1), abs=1e-9)


def test_stepped_holds_each_point_until_the_next():
    assert curve(((0, 0.2), (0.5, 0.8), (1, 0.4)), "stepped", np.array([0.0, 0.49, 0.51, 0.99, 1.0])).tolist() == [
        0.2, 0.2, 0.8, 0.8, 0.4,
    ]  # fmt: skip


def test_smooth_swings_through_its_points_where_monotone_does_not():
    points = ((0.0, 0.0), (0.4, 0.9), (0.6, 0.9), (1.0, 0.0))
    assert curve(points, "smooth", SHARES).max() > 0.93
    assert curve(points, "monotone", SHARES).max() == pytest.approx(0.9)


def test_a_response_maps_its_range_onto_its_values():
    speed = Response(attribute="speed", begin=2.0, end=6.0, low=10.0, high=30.0)
    told = speed.answer(asked(speed=[0.0, 2.0, 4.0, 6.0, 9.0]))
    assert told == pytest.approx([10, 10, 20, 30, 30])
    turned = Response(attribute="speed", begin=6.0, end=2.0, low=10.0, high=30.0)
    assert turned.answer(asked(speed=[2.0, 6.0])) == pytest.approx([30, 10])


def test_distances_and_weights_name_what_they_are_measured_to():
    near = Response(attribute="distance to", prop="cone", begin=0, end=2, low=0, high=1)
    assert near.answer(asked(distance_to_cone=[0.5, 1.0])) == pytest.approx([0.25, 0.5])
    inside = Within(zone="pit", inside=8.0, outside=Response(attribute="age", begin=0, end=1, low=0, high=2))
    assert inside.answer(asked(weight_in_pit=[0.0, 0.5, 1.0], age=[1.0, 0.5, 0.0])) == pytest.approx([2.0, 4.5, 8.0])


def test_without_anyone_to_ask_it_says_so():
    with pytest.raises(NobodyAsked):
        Response().answer(Ask(0.0))


def test_two_points_at_one_place_are_refused():
    with pytest.raises(ValidationError, match="two points of the curve stand at 50 %"):
        Response(points=((0.5, 0.0), (0.5, 1.0)))
