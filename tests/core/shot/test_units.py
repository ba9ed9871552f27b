"""What people type is understood, shown in the shot's unit, and refused with a sentence."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hotgravel.core.shot.units import UNITS, Dress, Unreadable, read_quantity, show_quantity

METRES, CENTIMETRES = Dress(), Dress("cm", 25.0)


@pytest.mark.parametrize(("text", "unit", "stored"), [
    ("30 cm", "m", 0.3), ("1.5", "m", 1.5), (" 2 ft", "m", 0.6096), ("-3e-2m", "m", -0.03), ("250 ms", "s", 0.25),
    ("12 f", "s", 0.5), ("1 min", "s", 60.0), ("36 km/h", "m/s", 10.0), ("9 m/s", "m/s", 9.0), ("1 g", "m/s²", 9.80665),
    ("9.81 m/s2", "m/s²", 9.81), ("40 %", "%", 0.4), ("40", "%", 0.4), ("90 deg", "°", 90.0), ("0.5 turn", "°", 180.0),
    ("10k", "count", 10_000), ("10,000", "count", 10_000), ("1.5 M", "count", 1_500_000), ("10 000", "count", 10_000),
    ("2 /s", "/s", 2.0), ("120 per s", "/s", 120.0), ("5 /frame", "/s", 120.0), ("0.2 /cm", "/m", 20.0), (".5", "", 0.5),
    ("35 %", "", 0.35), ("12 f", "frame", 12.0), ("25 fps", "fps", 25.0), ("2 x", "×", 2.0), ("3.28084 ft", "m", 1.0),
    ("0,5", "m", 0.5), ("1/2", "m", 0.5), ("1/4 turn", "°", 90.0), ("1,5 cm", "m", 0.015), ("12 per frame", "/s", 288.0),
    ("every 12 frames", "/s", 2.0), ("every 2 s", "/s", 0.5), ("0.3 %", "%", 0.003), ("1", "%", 0.01), ("0", "%", 0.0),
])  # fmt: skip
def test_what_is_typed_is_read(text, unit, stored):
    assert read_quantity(text, unit, METRES) == pytest.approx(stored, rel=1e-6)


def test_a_bare_number_is_in_the_shown_unit():
    assert read_quantity("30", "m", CENTIMETRES) == pytest.approx(0.3)
    assert show_quantity(0.3, "m", CENTIMETRES) == "30 cm"
    assert show_quantity(0.3, "m", METRES) == "0.3 m"
    assert show_quantity(10_000, "count", METRES) == "10 000"
    assert read_quantity("12 f", "s", CENTIMETRES) == pytest.approx(12 / 25)


@pytest.mark.parametrize(
    "text", ["", "fast", "3 bananas", "1,5,2", "1/0", "--2", "1 2 m 3", "nan", "inf", "1e999", "9" * 200, "3 m/s/s"]
)
def test_what_is_no_quantity_is_told_what_would_be(text):
    with pytest.raises(Unreadable, match="Accepted: a number in m"):
        read_quantity(text, "m", METRES)


def test_a_share_that_may_mean_two_is_asked_about():
    with pytest.raises(Unreadable, match=r"0\.3 may mean 30 % or 0\.3 %"):
        read_quantity("0,3", "%", METRES)


@given(
    st.floats(-1e6, 1e6, allow_nan=False),
    st.sampled_from([u for u in UNITS if u != "count"]),
    st.sampled_from([METRES, CENTIMETRES]),
)
def test_what_is_shown_reads_back_to_six_digits(stored, unit, dress):
    again = read_quantity(show_quantity(stored, unit, dress), unit, dress)
    assert again == pytest.approx(stored, rel=6e-6, abs=1e-9)
