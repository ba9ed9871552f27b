"""Signals against scipy.signal and their own laws."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy import signal

from hotgravel.core.drive.ask import Ask, Clock
from hotgravel.core.drive.driver import answer
from hotgravel.core.drive.keys import Key, Keys
from hotgravel.core.drive.signals import Clip, Delay, Mix, Noise, Remap, Smooth, Warp, Wave

TIMES = np.arange(0.0, 10.0, 1 / 96) + 1e-7  # just off the jumps
LONG = np.arange(0.0, 8000.0, 1 / 24)


def over(value, times=TIMES):
    return np.broadcast_to(answer(value, Ask(times)), np.shape(times))


@pytest.mark.parametrize(("shape", "peer"), [
    ("sine", lambda turn: -np.cos(turn)), ("triangle", lambda turn: signal.sawtooth(turn, 0.5)),
    ("square", lambda turn: signal.square(turn, 0.5)), ("saw", lambda turn: signal.sawtooth(turn, 1.0)),
])  # fmt: skip
def test_waves_are_those_of_scipy(shape, peer):
    made = over(Wave(shape=shape, low=-2.0, high=6.0, period=0.7, phase=0.3))
    assert made == pytest.approx(2.0 + 4.0 * peer(2 * np.pi * (TIMES / 0.7 + 0.3)), abs=1e-9)


@pytest.mark.parametrize(("colour", "slope"), [("pink", -1.0), ("brown", -2.0)])
def test_the_spectrum_falls_as_its_colour_says(colour, slope):
    """Power over frequency by Welch's method, between the slowest swings and the fastest; tolerance for
    the ripple that octaves of noise leave."""
    made = over(Noise(colour=colour, middle=3.0, amplitude=2.0, period=64.0, seed=5), LONG)
    frequency, power = signal.welch(made, 24.0, nperseg=2**14)
    inside = (frequency > 0.05) & (frequency < 3.0)
    fitted = np.polyfit(np.log(frequency[inside]), np.log(power[inside]), 1)[0]
    assert fitted == pytest.approx(slope, abs=0.15)
    assert made.mean() == pytest.approx(3.0, abs=0.3)


def test_noise_mostly_stays_within_its_amplitude_and_obeys_its_seed():
    made = over(Noise(middle=1.0, amplitude=0.5, period=1.0, seed=2), LONG)
    assert 0.9 < (np.abs(made - 1.0) < 0.5).mean() < 1.0
    assert made.std() == pytest.approx(0.25, rel=0.15)
    assert np.array_equal(made, over(Noise(middle=1.0, amplitude=0.5, period=1.0, seed=2), LONG))
    assert np.corrcoef(made, over(Noise(middle=1.0, amplitude=0.5, period=1.0, seed=3), LONG))[0, 1] < 0.1
    faster = over(Noise(amplitude=0.5, period=0.5, seed=2), LONG)
    crossings = [np.sum(np.diff(np.sign(x - x.mean())) != 0) for x in (made, faster)]
    assert crossings[1] == pytest.approx(2 * crossings[0], rel=0.1)
    rough = over(Noise(amplitude=0.5, period=1.0, octaves=4, seed=2), LONG)
    assert np.abs(np.diff(rough)).mean() > 1.3 * np.abs(np.diff(made)).mean()


def test_warp_changes_when_but_not_how_high():
    pulses = Wave(shape="triangle", low=0.0, high=4.0, period=0.5)
    bent = Warp(of=pulses, by=Noise(middle=0.0, amplitude=0.15, period=1.3, seed=4))
    fine = np.arange(0.0, 60.0, 1e-3)
    plain, uneven = over(pulses, fine), over(bent, fine)
    tops = [signal.find_peaks(x, height=2.0)[0] for x in (plain, uneven)]
    heights = uneven[tops[1]]
    assert heights == pytest.approx(4.0, abs=0.05)
    gaps = [np.diff(fine[t]) for t in tops]
    assert gaps[0].std() < 1e-3
    assert gaps[1].std() > 0.03


def test_what_is_made_from_others_is_what_it_says():
    a, b = Wave(low=1.0, high=3.0, period=0.9), Wave(shape="saw", low=0.0, high=4.0, period=1.7)
    x, y = over(a), over(b)
    for how, peer in (("add", x + y), ("multiply", x * y), ("least", np.minimum(x, y)), ("most", np.maximum(x, y))):
        assert over(Mix(how=how, first=a, second=b)) == pytest.approx(peer)
    assert over(Clip(of=b, low=1.0, high=2.0)) == pytest.approx(np.clip(y, 1.0, 2.0))
    assert over(Remap(of=b, from_low=0, from_high=4, low=10, high=-10)) == pytest.approx(10 - 5 * y)
    assert over(Delay(of=b, by=0.25)) == pytest.approx(over(b, TIMES - 0.25))


def test_smoothing_takes_the_mean_over_its_window():
    line = Remap(of=Wave(shape="saw", low=0, high=1, period=1000.0), from_low=0, from_high=1, low=0, high=1000)
    assert over(Smooth(of=line, over=2.0), TIMES + 5) == pytest.approx(over(line, TIMES + 5))  # a line stays itself
    jump = over(Smooth(of=Wave(shape="square", low=0, high=1, period=100.0), over=2.0), np.linspace(45, 55, 400))
    assert (np.diff(jump) <= 1e-12).all()  # one fall, no bumps
    falling = np.linspace(45, 55, 400)[(jump > 0.01) & (jump < 0.99)]
    assert np.ptp(falling) == pytest.approx(2.0, rel=0.1)


def test_keys_begin_again_rest_and_are_zero_outside_as_told():
    keys = (Key(frame=1, value=2.0, ease="linear"), Key(frame=11, value=4.0))
    at = lambda frame, **how: Keys(keys=keys, **how).at(frame)  # noqa: E731
    assert [at(0, outside="zero"), at(6, outside="zero"), at(12, outside="zero")] == [0.0, 3.0, 0.0]
    assert at(16, outside="loop") == at(6) == 3.0
    assert at(-4, outside="loop") == pytest.approx(3.0)
    assert at(14, outside="loop", rest=5) == 4.0  # resting
    assert at(21, outside="loop", rest=5) == pytest.approx(3.0)


@given(st.floats(0, 1), st.floats(0, 1))
def test_handles_ease_monotonically_and_thirds_are_smooth(leave, arrive):
    keys = Keys(keys=(Key(frame=0, value=0, ease="handles", leave=leave, arrive=arrive), Key(frame=100, value=1)))
    way = [keys.at(f) for f in range(101)]
    assert (np.diff(way) >= -1e-9).all()
    assert (way[0], way[-1]) == (pytest.approx(0, abs=1e-9), pytest.approx(1))


def test_handles_of_a_third_are_the_smooth_ease_and_longer_ones_wait_longer():
    def at(share, **how):
        return Keys(keys=(Key(frame=0, value=0, **how), Key(frame=100, value=1))).at(100 * share)

    for share in (0.1, 0.35, 0.8):
        assert at(share, ease="handles", leave=1 / 3, arrive=1 / 3) == pytest.approx(at(share, ease="smooth"), abs=1e-9)
    assert at(0.3, ease="handles", leave=0.9) < at(0.3, ease="handles", leave=0.2)


def test_signals_do_not_end():
    for made in (Wave(), Noise(), Noise(colour="brown")):
        far = over(made, np.arange(90_000.0, 90_010.0, 0.05))
        assert np.ptp(far) > 0.1


def test_drivers_stand_only_so_deep():
    value = 1.0
    for _ in range(5):
        value = Delay(of=value)
    with pytest.raises(ValidationError, match="more than 5 deep"):
        Delay(of=value)


def test_frames_and_seconds_agree_with_the_shots_clock():
    clock = Clock(first=11, rate=12)
    assert clock.at(23).times == pytest.approx(1.0)
    assert clock.at(23).later(0.5).frames == pytest.approx(29.0)
