"""Particles in free space against closed forms and an independent integrator."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from tests.conftest import GRAVITY, LOOSE, at, document, play, source

FRAMES = np.arange(25) / 24.0  # seconds at the frames 1 to 25
UPWARD = {"kind": "toward", "direction": [1, 1, 0], "cone": 0}
V = 10 / np.sqrt(2)


def flight(**sections):
    return play(document(set=at(2.0), **sections)).path()


def test_without_forces_it_flies_straight_on():
    path = flight(supply=[source()])
    assert path[:, 0] == pytest.approx(10 * FRAMES, abs=1e-6)
    assert path[:, 1] == pytest.approx(2.0)


@pytest.mark.parametrize("quality", ["rough", "fair", "fine"])
def test_a_projectile_follows_its_parabola_at_any_quality(quality):
    path = play(document(set=at(2.0), supply=[source(aim=UPWARD)], forces=[GRAVITY]), quality).path()
    # Exact for constant acceleration: only rounding is left (and the micrometre of the vent).
    assert path[:, 0] == pytest.approx(V * FRAMES, abs=3e-6)
    assert path[:, 1] == pytest.approx(2 + V * FRAMES - 0.5 * 9.81 * FRAMES**2, abs=3e-6)


@pytest.mark.parametrize("rate", [0.3, 4.0, 60.0])
def test_linear_drag_follows_its_exponentials(rate):
    drag = {"kind": "linear_drag", "id": "drag", "rate": rate}
    path = flight(supply=[source(aim=UPWARD)], forces=[GRAVITY, drag])
    gone = (1 - np.exp(-rate * FRAMES)) / rate
    fall = 9.81 / rate  # the speed it tends to
    assert path[:, 0] == pytest.approx(V * gone, abs=3e-6)
    assert path[:, 1] == pytest.approx(2 - fall * FRAMES + (V + fall) * gone, abs=3e-6)


def reference(bite, pull, v0, rate=0.0, aim=(0, 0, 0)):
    def motion(_t, y):
        v = y[3:]
        return [*v, *(pull + rate * (np.array(aim) - v) - bite * np.linalg.norm(v) * v)]

    solved = solve_ivp(motion, (0, FRAMES[-1]), [0, 2, 0, *v0], t_eval=FRAMES, rtol=1e-10, atol=1e-12)
    return solved.y[:3].T


@pytest.mark.parametrize("bite", [0.05, 0.4])
def test_air_drag_follows_solve_ivp(bite):
    drag = {"kind": "quadratic_drag", "id": "drag", "strength": bite}
    shot = document(set=at(2.0), supply=[source(aim=UPWARD)], forces=[GRAVITY, drag])
    exact = reference(bite, np.array([0, -9.81, 0]), [V, V, 0])
    errors = {q: np.abs(play(shot, q).path() - exact).max() for q in ("rough", "fair", "fine")}
    # Second order: each halving of the step leaves about a quarter of the error.
    assert errors["fine"] < 2e-3
    assert errors["rough"] > 3 * errors["fair"] > 9 * errors["fine"]


def test_air_drag_alone_gives_the_logarithm():
    # dv/dt = -k v^2 has v = v0 / (1 + k v0 t): the speed is exact at any step.
    drag = {"kind": "quadratic_drag", "id": "drag", "strength": 0.4}
    film = play(document(set=at(2.0), forces=[drag]), "rough")
    speeds = [p.speed[0] for p in film.frames.values()]
    assert speeds == pytest.approx(10 / (1 + 0.4 * 10 * FRAMES), rel=1e-12)


def test_wind_drags_up_to_its_own_speed_and_no_further():
    wind = {"kind": "wind", "id": "wind", "speed": 5, "direction": [0, 0, 1], "grip": 2}
    drag = {"kind": "quadratic_drag", "id": "drag", "strength": 0.1}
    path = flight(supply=[source(speed=0)], forces=[wind])
    assert path[:, 2] == pytest.approx(5 * (FRAMES - (1 - np.exp(-2 * FRAMES)) / 2), abs=3e-6)
    both = play(document(set=at(2.0), forces=[wind, drag]), "fine").path()
    exact = reference(0.1, np.zeros(3), [10, 0, 0], rate=2, aim=(0, 0, 5))
    assert both == pytest.approx(exact, abs=2e-3)


def test_time_scale_is_slow_motion():
    slow = document(set=at(2.0), supply=[source(aim=UPWARD)], forces=[GRAVITY], finish={"last": 25, "time_scale": 0.5})
    t = 0.5 * FRAMES
    assert play(slow).path()[:, 1] == pytest.approx(2 + V * t - 0.5 * 9.81 * t**2, abs=3e-6)


def test_a_range_of_frames_in_slow_motion():
    keys = [
        {"frame": 1, "value": 1.0, "ease": "step"},
        {"frame": 9, "value": 0.25, "ease": "step"},
        {"frame": 17, "value": 1.0},
    ]
    shot = document(
        set=at(2.0), supply=[source(aim=UPWARD)], forces=[GRAVITY], finish={"last": 25, "time_scale": {"kind": "keys", "keys": keys}},
        cues=[{"kind": "cue", "id": "held", "when": {"kind": "at_frame", "frame": 13}, "then": {"kind": "become", "attribute": "temperature", "value": 0, "plus": 90}, "frames": 8}],
    )  # fmt: skip
    film = play(shot)
    frames = np.arange(25)
    t = (np.minimum(frames, 8) + 0.25 * np.clip(frames - 8, 0, 8) + np.maximum(frames - 16, 0)) / 24
    assert film.path()[:, 1] == pytest.approx(2 + V * t - 0.5 * 9.81 * t**2, abs=3e-6)
    hot = [frame for frame, there in film.frames.items() if there.temperature[0] == 90]
    assert hot == list(range(13, 21))  # eight frames, though half of them are short


def test_forces_act_on_their_state_only():
    states = [LOOSE, {"kind": "state", "id": "other", "name": "other"}]
    film = play(document(set=at(2.0), matter=states, forces=[GRAVITY | {"whom": "other"}]))
    assert film.path()[:, 1] == pytest.approx(2.0)


def test_keyed_gravity_is_read_as_time_goes():
    keys = {"kind": "keys", "keys": [{"frame": 1, "value": 0, "ease": "step"}, {"frame": 13, "value": 9.81}]}
    path = flight(supply=[source()], forces=[GRAVITY | {"strength": keys}])
    late = np.maximum(0, FRAMES - 0.5)
    assert path[:, 1] == pytest.approx(2 - 0.5 * 9.81 * late**2, abs=1e-6)
