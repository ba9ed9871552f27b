"""Keyed values meet their keys, hold outside them, and ease as stated."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from hotgravel.core.drive.ask import Clock
from hotgravel.core.drive.driver import answer
from hotgravel.core.drive.keys import Key, Keys, keyed

FRAMES = st.lists(st.integers(-500, 500), min_size=1, max_size=12, unique=True)


@given(FRAMES, st.data())
def test_curves_meet_their_keys_hold_outside_and_never_overshoot(frames, data):
    values = data.draw(st.lists(st.floats(-1e3, 1e3), min_size=len(frames), max_size=len(frames)))
    eases = data.draw(
        st.lists(st.sampled_from(["step", "linear", "smooth"]), min_size=len(frames), max_size=len(frames))
    )
    keys = Keys(keys=[Key(frame=f, value=v, ease=e) for f, v, e in zip(frames, values, eases, strict=True)])
    ordered = sorted(zip(frames, values, strict=True))
    assert keyed(keys, np.array([f for f, _ in ordered], float)) == pytest.approx([v for _, v in ordered], abs=1e-9)
    assert keys.at(ordered[0][0] - 7) == ordered[0][1]
    assert keys.at(ordered[-1][0] + 7) == ordered[-1][1]
    between = keyed(keys, np.linspace(-600, 600, 300))
    assert between.min() >= min(values) - 1e-9
    assert between.max() <= max(values) + 1e-9


def test_each_ease_has_its_own_way():
    def halfway(ease: str, share: float) -> float:
        return Keys(keys=[Key(frame=0, value=0, ease=ease), Key(frame=10, value=1)]).at(10 * share)

    assert halfway("step", 0.99) == 0
    assert halfway("linear", 0.25) == pytest.approx(0.25)
    assert halfway("smooth", 0.25) == pytest.approx(3 * 0.25**2 - 2 * 0.25**3)
    assert halfway("smooth", 0.01) < 0.001  # flat at the key


def test_two_keys_at_one_frame_are_refused():
    with pytest.raises(ValidationError, match="frame 4"):
        Keys(keys=[Key(frame=4, value=1), Key(frame=4, value=2)])


def test_resolving_gives_one_value_for_all():
    assert answer(2.5, Clock().at(3)).tolist() == [2.5]
    assert answer(Keys(keys=[Key(frame=1, value=2)]), Clock().at(3)).tolist() == [2.0]
