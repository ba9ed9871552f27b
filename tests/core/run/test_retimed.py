"""Frames between frames and backwards, and the lines behind particles, against straight flight and falls."""

from pathlib import Path

import numpy as np
import pytest

from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.retimed import Retimed, shown_frames
from hotgravel.core.run.reuse import same_until
from hotgravel.core.run.streaks import streak_of
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import fingerprint, load
from tests.conftest import GRAVITY, at, document, source

BACK = {"kind": "keys", "keys": [{"frame": 1, "value": 25, "ease": "linear"}, {"frame": 25, "value": 1}]}
SLOW = {"kind": "keys", "keys": [{"frame": 1, "value": 1, "ease": "linear"}, {"frame": 25, "value": 13}]}


def shot_with(retime=None, **more):
    streaks = {"kind": "streaks", "id": "lines", "frames": 6}
    base = document(set=at(30.0), forces=[GRAVITY], **more)
    base["matter"].append(streaks)
    return load(base | {"finish": {"last": 25, "quality": "fine", "retime": retime}})


@pytest.fixture(scope="module")
def fall(tmp_path_factory) -> Path:
    folder = tmp_path_factory.mktemp("fall")
    execute(build(shot_with(), beside(folder)), folder)
    return folder


def test_backwards_the_last_frame_comes_first_and_goes_the_other_way(fall):
    run, back = FrameStore(fall), Retimed(fall, shot_with(BACK))
    assert back.frames() == list(range(1, 26))
    for frame in (1, 9, 25):
        assert back.particles(frame)["position"] == pytest.approx(run.particles(26 - frame)["position"])
        assert back.particles(frame)["velocity"] == pytest.approx(
            -run.particles(26 - frame)["velocity"], rel=0.5 if frame in (1, 25) else 1e-5
        )
    assert shown_frames(shot_with(BACK)) == list(range(25, 0, -1))


def test_half_as_fast_lies_on_the_fall_between_frames(fall):
    slow = Retimed(fall, shot_with(SLOW))
    for frame in (4, 10, 16):
        seconds = (frame - 1) / 2 / 24
        found = slow.particles(frame, ("position", "velocity"))
        # a fall under gravity is a parabola, which a cubic through both ends meets
        assert found["position"][0, 1] == pytest.approx(30 - 0.5 * 9.81 * seconds**2, abs=2e-3)
        assert found["position"][0, 0] == pytest.approx(10 * seconds, abs=1e-4)
        assert found["velocity"][0, 0] == pytest.approx(5.0, rel=1e-4)


def test_between_frames_that_are_kept_in_full_it_lies_on_the_fall(tmp_path):
    shot = load(shot_with(SLOW).dump() | {"finish": {"last": 25, "quality": "fine", "every": 8, "retime": SLOW}})
    execute(build(shot, beside(tmp_path)), tmp_path)
    assert FrameStore(tmp_path).in_full(shot.finish) == [1, 9, 17, 25]
    for frame in (4, 10, 22):
        y = Retimed(tmp_path, shot).particles(frame, ("position",))["position"][0, 1]
        assert y == pytest.approx(30 - 0.5 * 9.81 * ((frame - 1) / 2 / 24) ** 2, abs=2e-3)


def test_a_retime_changes_what_is_shown_and_nothing_that_is_run():
    plain, back = shot_with(), shot_with(BACK)
    assert fingerprint(plain) == fingerprint(back)
    assert same_until(plain, back) == float("inf")


def test_streaks_go_through_where_each_was(fall):
    shot, store = shot_with(), FrameStore(fall)
    made = streak_of(shot, store, 20, shot.matter[-1])
    assert made["points"].shape == (1, 7, 3)
    path = np.array([store.particles(f)["position"][0] for f in range(20, 13, -1)])
    assert made["points"][0] == pytest.approx(path)
    assert made["colour"].tolist() == [0xF2A33C]
    assert streak_of(shot, store, 3, shot.matter[-1])["points"].shape == (1, 3, 3)  # no longer than the run


def test_a_streak_of_one_just_born_stays_where_it_was_born(tmp_path):
    later = source(emit={"kind": "burst", "count": 3, "frame": 5})
    shot = shot_with(supply=[later])
    execute(build(shot, beside(tmp_path)), tmp_path, frames=(1, 8))
    points = streak_of(shot, FrameStore(tmp_path), 6, shot.matter[-1])["points"]
    assert points.shape == (3, 6, 3)
    assert points[:, 1:] == pytest.approx(np.repeat(points[:, 1:2], 5, axis=1))
    assert not np.allclose(points[:, 0], points[:, 1])
