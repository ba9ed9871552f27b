"""A run that is stopped, at any moment and however hard, goes on to the same bytes."""

import time
from pathlib import Path

import pytest

from hotgravel.core.run.checkpoint import EVERY, newest
from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.conftest import GRAVITY, LOOSE, at, document, landing, source
from tests.core.run.test_execute import bytes_of

LATE = {"kind": "state", "id": "late", "name": "late"}


def shot(**sections):
    """With all that a run remembers: streams that owe fractions, cues that have fired, lives, moving props."""
    keys = {"kind": "keys", "keys": [{"frame": 1, "value": 1}, {"frame": 40, "value": 1.5}]}
    plain = document(
        set=at(1.0, position=[0, keys, 0]), matter=[LOOSE, LATE, landing(bounce=0.5, friction=0.3)], forces=[GRAVITY],
        supply=[source(
            emit={"kind": "stream", "rate": 333.3, "start": 1, "end": 35}, aim={"kind": "anywhere"}, speed_spread=0.5,
            life=1.0, life_spread=0.4,
        )],
        cues=[{"kind": "cue", "id": "cue", "when": {"kind": "touches"}, "then": {"kind": "enter", "state": "late"}}],
        finish={"last": 42},
    )  # fmt: skip
    return plain | sections


def world(**sections):
    return build(load(shot(**sections)), beside(Path()))


@pytest.fixture(scope="module")
def unbroken(tmp_path_factory):
    folder = tmp_path_factory.mktemp("unbroken")
    execute(world(), folder, clock=time.perf_counter)
    return bytes_of(folder)


@pytest.mark.parametrize("stop", [1, 7, EVERY, EVERY + 1, 29])
def test_a_cancelled_run_goes_on_to_the_same_bytes(tmp_path, unbroken, stop):
    told: list[int] = []
    execute(world(), tmp_path, landed=lambda f, g: told.append(f), cancelled=lambda: len(told) >= stop)
    assert execute(world(), tmp_path, landed=lambda f, g: told.append(f), resume=True)[-1] == 42
    assert told == list(range(1, 43))  # none was told twice
    assert bytes_of(tmp_path) == unbroken


def test_it_goes_on_without_its_newest_checkpoint(tmp_path, unbroken):
    told: list[int] = []
    execute(world(), tmp_path, landed=lambda f, g: told.append(f), cancelled=lambda: len(told) >= 25)
    checkpoints = sorted((tmp_path / "checkpoints").iterdir())
    checkpoints[-1].write_bytes(b"half a checkpoint")
    assert newest(world(), tmp_path, 25).frame == 21
    execute(world(), tmp_path, resume=True)
    assert bytes_of(tmp_path) == unbroken


def test_a_damaged_frame_and_all_after_it_are_made_anew(tmp_path, unbroken):
    execute(world(), tmp_path)
    FrameStore(tmp_path).path(30).write_bytes(b"")
    execute(world(), tmp_path, resume=True)
    assert bytes_of(tmp_path) == unbroken


def test_another_shot_does_not_go_on_from_this_ones_frames(tmp_path):
    execute(world(), tmp_path)
    before = bytes_of(tmp_path)
    execute(world(forces=[]), tmp_path, resume=True)
    assert bytes_of(tmp_path) != before


def test_a_finished_run_has_nothing_to_go_on_with(tmp_path, unbroken):
    execute(world(), tmp_path)
    told: list[int] = []
    execute(world(), tmp_path, landed=lambda f, g: told.append(f), resume=True)
    assert told == []
    assert bytes_of(tmp_path) == unbroken
