"""Signals as CSV and back, and the signals to begin with."""

import csv
import io

import numpy as np
import pytest

from hotgravel.core.drive.starters import STARTERS
from hotgravel.core.drive.table import keys_from_csv, signal_csv
from hotgravel.core.shot.document import load
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.signals import signals_in
from hotgravel.core.shot.vary import drive, set_table
from tests.conftest import GRAVITY, document

SHOT = load(document(forces=[GRAVITY], finish={"last": 97}))


def over_time(shot):
    from hotgravel.core.drive.driver import answer

    ((_, _, _, driver),) = signals_in(shot)
    return np.array([float(answer(driver, shot.clock.at(f))[0]) for f in range(1, 98)])


def test_a_table_is_read_by_another_reader_and_comes_back_the_same():
    frames, values = np.arange(1, 30), np.sin(np.arange(1, 30) / 3.7)
    text = signal_csv(frames, values, "m/s")
    rows = list(csv.DictReader(io.StringIO(text, newline="")))
    assert [float(r["value [m/s]"]) for r in rows] == pytest.approx(values, rel=1e-8)
    keys = keys_from_csv(text)
    assert [(k["frame"], k["value"]) for k in keys] == [
        (f, pytest.approx(v, rel=1e-8)) for f, v in zip(frames, values, strict=True)
    ]
    driven = set_table(SHOT, "gravity", "strength", "frame,value\n1,0\n49,12\n97,0\n").shot
    assert over_time(driven)[24] == pytest.approx(6.0)


@pytest.mark.parametrize(("text", "said"), [
    ("", "no line"), ("frame,value\n", "no line"), ("1,2\nx,3\n", "Line 2"), ("1,2,3\n1,2\n4,5,6", "Line 3"),
    ("1,nan\n", "Line 1"), ("1,1e400", "Line 1"), ("\n".join(f"{i},1" for i in range(10_001)), "over 10000"),
    ("1,9999999", "too high"),
])  # fmt: skip
def test_a_table_that_cannot_be_used_says_why(text, said):
    with pytest.raises(ShotFault, match=said):
        set_table(SHOT, "gravity", "strength", text)


@pytest.mark.parametrize("name", STARTERS)
def test_a_signal_to_begin_with_moves_and_stays_in_bounds(name):
    values = over_time(drive(SHOT, "gravity", "strength", name).shot)
    assert np.ptp(values) > 0.3 * 9.81
    steps = np.abs(np.diff(values))
    if name == "pulses":
        peaks = np.flatnonzero((values[1:-1] > values[:-2]) & (values[1:-1] >= values[2:])) + 1
        assert len(set(np.diff(peaks))) == 1  # evenly spaced
        assert values[peaks] == pytest.approx(values.max())
    if name == "shudder":
        assert steps[:24].mean() > 5 * steps[30:].mean()
        assert values[-1] == pytest.approx(9.81)
    if name == "swell":
        assert steps.max() < 0.1 * np.ptp(values)
    if name == "flicker":
        assert steps.mean() > 0.02 * np.ptp(values)
