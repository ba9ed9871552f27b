"""Runs go to another process, are heard of in order, and end in a state with a sentence."""

import os
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from types import SimpleNamespace
from unittest import mock

import distributed
import pytest
from distributed import Client

from hotgravel.core.picture.still import still_of
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from hotgravel.core.warm import warm
from hotgravel.farm import job
from hotgravel.farm.cluster import Farm
from hotgravel.farm.handing import Handings, Order
from hotgravel.farm.job import PICTURE, PICTURE_SIZE, compute
from tests.conftest import at, document, source

CROWD = {"kind": "burst", "count": 50, "frame": 1}


class Ear:
    """Hears what a farm tells."""

    def __init__(self) -> None:
        self.frames: dict[int, list[int]] = {}
        self.ends: dict[int, tuple[str, str]] = {}
        self.over = threading.Condition()

    def landed(self, run: int, frame: int, gauges: dict) -> None:
        self.frames.setdefault(run, []).append(frame)

    def ended(self, run: int, state: str, message: str) -> None:
        with self.over:
            self.ends[run] = state, message
            self.over.notify_all()

    def wait(self, run: int) -> tuple[str, str]:
        with self.over:
            assert self.over.wait_for(lambda: run in self.ends, 60)
            return self.ends[run]


@pytest.fixture(scope="module")
def farm():
    ear = Ear()
    made = Farm(ear.landed, ear.ended, lambda run, kernel: None)
    made.start()
    assert made.wait(90)
    yield made, ear
    made.stop()


def test_a_run_is_computed_in_another_process(farm, tmp_path):
    made, ear = farm
    assert made._client.submit(os.getpid, pure=False).result() != os.getpid()
    shot = document(set=at(1.0), supply=[source(emit=CROWD)], finish={"last": 6})
    made.send(1, shot, tmp_path, tmp_path)
    assert ear.wait(1) == ("finished", "")
    assert FrameStore(tmp_path).frames() == [1, 2, 3, 4, 5, 6]
    assert ear.frames[1] == [1, 2, 3, 4, 5, 6]
    assert (tmp_path / PICTURE).read_bytes()[:4] == b"\x89PNG"


def test_the_embedded_workers_answer_nobody_without_their_keys(farm):
    address = farm[0]._cluster.scheduler_address
    assert address.startswith("tls://127.0.0.1:")
    with pytest.raises(OSError, match=r"Timed out|connect|closed"):
        Client(address.replace("tls", "tcp"), timeout=1, set_as_default=False)
    with pytest.raises((TypeError, OSError, ValueError)):
        Client(address, timeout=1, set_as_default=False)


def test_the_picture_is_of_a_frame_in_which_much_goes_on(tmp_path):
    few, many = CROWD | {"count": 2}, CROWD | {"count": 60, "frame": 5}
    shot = document(set=at(1.0), supply=[source(emit=few), source(id="more", emit=many)], finish={"last": 8})
    compute(shot, tmp_path, tmp_path, lambda **_news: None)
    world = build(load(shot), beside(tmp_path))
    looks = {still_of(world, tmp_path, frame, PICTURE_SIZE): frame for frame in range(1, 9)}
    assert looks[(tmp_path / PICTURE).read_bytes()] >= 5


def test_kernels_are_prepared_behind_until_a_run_waits(monkeypatch):
    heard, waiting = [], []
    monkeypatch.setattr(distributed, "get_worker", lambda: SimpleNamespace(state=SimpleNamespace(ready=waiting)))
    monkeypatch.setattr(job, "_tell", lambda run, news: heard.append((run, news["preparing"])))
    monkeypatch.setattr(job, "warm", lambda tell, stopped: [tell("one"), waiting.append("run"), tell("two")])
    assert not job.prepare()
    monkeypatch.setattr(job, "warm", warm)
    assert not job.prepare()  # also where all are kept, and only have to be loaded
    waiting.clear()
    monkeypatch.setattr(job, "warm", lambda tell, stopped: not stopped() and not tell("two"))
    assert job.prepare()
    assert heard == [(job.BEHIND, name) for name in ("one", "", "", "two", "")]


def test_a_run_that_waits_ends_what_its_worker_prepares(farm, tmp_path):
    def prepared(until):  # in the worker
        def until_a_run_waits(tell, stopped):
            (tmp_path / "begun").touch()
            while not stopped() and time.time() < until:
                time.sleep(0.05)

        with mock.patch("hotgravel.farm.job.warm", until_a_run_waits):
            job.prepare()
        return time.time() < until

    made, ear = farm
    behind = made._client.submit(prepared, time.time() + 90, priority=-10)
    while not (tmp_path / "begun").exists() and not behind.done():
        time.sleep(0.05)
    made.send(9, document(set=at(1.0), finish={"last": 2}), tmp_path, tmp_path)
    assert ear.wait(9) == ("finished", "")
    assert behind.result(timeout=5)


def test_a_run_is_cancelled_between_frames(farm, tmp_path):
    made, ear = farm
    made.cancel(tmp_path)
    made.send(2, document(set=at(1.0), finish={"last": 5000}), tmp_path, tmp_path)
    assert ear.wait(2) == ("cancelled", "")
    assert FrameStore(tmp_path).frames() == [1]


def test_a_shot_that_cannot_run_fails_with_its_sentence(farm, tmp_path):
    made, ear = farm
    shot = document()
    shot["set"][1]["shape"] = {"kind": "mesh", "file": "gone.obj"}
    made.send(3, shot, tmp_path, tmp_path)
    state, message = ear.wait(3)
    assert state == "failed"
    assert "Row 'vent', field 'shape.file': The mesh file gone.obj is not beside the shot." in message


def test_what_a_worker_does_can_be_done_here(tmp_path):
    told = []
    state = compute(
        document(set=at(1.0), finish={"last": 3}), tmp_path, tmp_path, lambda **news: told.append(news["frame"])
    )
    assert (state, told) == ("finished", [1, 2, 3])


def test_handovers_at_the_same_moment_have_names_of_their_own_and_wait_for_one_another(tmp_path, monkeypatch):
    made = Handings(tmp_path)
    at_work, most = [], []

    def turn(name, order):
        at_work.append(name)
        most.append(len(at_work))
        time.sleep(0.02)
        at_work.remove(name)

    monkeypatch.setattr(made, "_turn", turn)
    order = Order(1, str(tmp_path), str(tmp_path), "ply", 1, {})
    with ThreadPoolExecutor(8) as pool:
        names = list(pool.map(lambda _: made.start(order), range(8)))
    assert sorted(names) == [f"run-1-ply-{n}" for n in range(1, 9)]
    made._turns.shutdown()
    assert most == [1] * 8
