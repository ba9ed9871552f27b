"""Noise in space, and curl noise without divergence (Bridson, Hourihan and Nordenstam 2007)."""

import numpy as np
import pytest

from hotgravel.core.noise import curl_at, noise_at

POINTS = np.random.default_rng(4).uniform(-40, 40, (4000, 3))


def slopes(field, points, h=1e-4):
    """All nine partial derivatives by central differences (n, 3 of the value, 3 along)."""
    steps = [(field(points + h * e) - field(points - h * e)) / (2 * h) for e in np.eye(3)]
    return np.stack(steps, axis=-1)


@pytest.mark.parametrize("how", [{}, {"octaves": 3}, {"time": 0.37}, {"size": 2.5, "time": 7.9, "octaves": 2}])
def test_curl_noise_has_no_divergence(how):
    made = slopes(lambda p: curl_at(p, **{"size": 1.0, **how}), POINTS)
    divergence = np.abs(np.trace(made, axis1=1, axis2=2))
    assert divergence.max() < 1e-3 * np.sqrt((made**2).mean())


def test_curl_noise_is_of_unit_strength_and_favours_no_direction():
    made = curl_at(POINTS, size=1.0, time=0.5)
    assert np.linalg.norm(made, axis=1).mean() == pytest.approx(1.2, abs=0.2)
    assert np.abs(made.mean(axis=0)).max() < 0.08


def test_noise_is_smooth_centred_and_of_the_stated_size():
    made = noise_at(POINTS, size=1.0)
    assert abs(made.mean()) < 0.03
    assert np.abs(made).max() < 2.0
    line = np.stack([np.linspace(0, 400, 40_001), np.full(40_001, 0.3), np.full(40_001, 0.7)], axis=1)
    lines = [line + np.array([0, y, 0]) for y in np.arange(0, 60, 4.7)]
    crossings = [sum(np.sum(np.diff(np.sign(noise_at(x, size=s))) != 0) for x in lines) for s in (1.0, 4.0)]
    assert crossings[0] == pytest.approx(4 * crossings[1], rel=0.15)
    assert np.abs(np.diff(noise_at(line, size=1.0))).max() < 0.06  # over a hundredth of a lump


def test_noise_changes_in_place_over_time_without_jumps_and_by_seed():
    then = [noise_at(POINTS, size=1.0, time=t) for t in (0.0, 0.01, 5.0)]
    assert np.abs(then[1] - then[0]).max() < 0.05
    assert abs(np.corrcoef(then[0], then[2])[0, 1]) < 0.06
    assert abs(np.corrcoef(then[0], noise_at(POINTS, size=1.0, seed=2))[0, 1]) < 0.06
    spread = [noise_at(POINTS, size=1.0, time=t).std() for t in (0.0, 0.25, 0.5)]
    assert max(spread) < 1.1 * min(spread)  # no breathing between whole times
