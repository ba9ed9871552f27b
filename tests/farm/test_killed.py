"""SIGKILL of a process that computes, edits or hands over, at moments that a seed draws: what was kept or acknowledged
stays, and what goes on ends in the same bytes."""

import multiprocessing
import random
import time
from itertools import count
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.shot.document import load
from hotgravel.farm.handing import FILES, GOING, Handings, Standing, _note, _work, order_for
from hotgravel.store import shots
from hotgravel.web.app import create_app
from hotgravel.web.studio import Studio
from tests.core.run.test_execute import bytes_of
from tests.core.run.test_resume import shot, world

KILLS = 6
context = multiprocessing.get_context("forkserver")  # a fork of this process could wait for its threads for ever
context.set_forkserver_preload(["tests.farm.test_killed"])  # by the name that it has there


def struck(dice: random.Random, work, *asked, soon: float) -> list:
    """Let another process work, and end it at a moment soon after it has first told of something. Returns all that it
    told."""
    hears, tells = context.Pipe(duplex=False)
    process = context.Process(target=work, args=(*asked, tells), daemon=True)
    process.start()
    tells.close()
    told = [hears.recv()]
    time.sleep(soon * dice.random())
    process.kill()
    process.join()
    try:
        while True:
            told.append(hears.recv())
    except EOFError:
        return told


def runs(folder, tells):
    execute(world(), folder, resume=True, landed=lambda frame, gauges: tells.send(frame))
    tells.send("over")


def test_a_run_loses_at_most_the_frame_in_work(tmp_path):
    execute(world(), tmp_path / "unbroken")
    dice, kept = random.Random(4), []
    for _ in range(KILLS):
        told = struck(dice, runs, tmp_path / "run", soon=0.1)
        assert told[0] == (kept[-1] + 1 if kept and kept[-1] < 42 else "over" if kept else 1)
        before, kept = kept, FrameStore(tmp_path / "run").frames()
        assert kept == FrameStore(tmp_path / "run").whole(1)  # no frame is half there
        assert kept[: len(before)] == before
        assert set(told) - {"over"} <= set(kept)
    execute(world(), tmp_path / "run", resume=True)
    made = {name: data for name, data in bytes_of(tmp_path / "run").items() if not name.startswith(".")}
    assert made == bytes_of(tmp_path / "unbroken")


def edits(folder, head, tells):
    client = TestClient(create_app(Studio(folder)), base_url="http://127.0.0.1")
    for revision in count(head):
        speed = f"{1 + revision}"
        fields = {"path": "speed", "value": speed, "revision": revision}
        assert client.post("/shots/1/rows/source/set", data=fields).status_code == 200
        tells.send((revision + 1, float(speed)))


def test_no_edit_that_was_acknowledged_is_lost(tmp_path):
    studio, dice, head = Studio(tmp_path), random.Random(5), 1
    studio.database.upgrade()
    with studio.creating() as session:
        shots.create(session, load(shot()), "for edits")
    for _ in range(KILLS):
        told = struck(dice, edits, tmp_path, head, soon=0.3)
        with studio.database.session() as session:
            head = shots.record(session, 1).head
            assert told[-1][0] <= head <= told[-1][0] + 1  # the last may have been made and not told of
            for revision, speed in told:
                assert shots.document(session, 1, revision).supply[0].speed == speed
            assert shots.document(session, 1).supply[0].speed == float(head)


def hands(folder, order, tells):
    tells.send("begun")
    _work(str(folder), order)


@pytest.mark.parametrize("kind", ["ply", "obj"])
def test_of_a_handover_each_file_is_whole_or_not_there(tmp_path, ember_run, kind):
    whole, stopped = tmp_path / "whole", 0
    order = order_for(1, ember_run, Path(), kind, 1, {"frames": (1, 15)}, None)
    for folder in (whole, *(tmp_path / "made" / f"{n}" for n in range(KILLS // 2))):
        folder.mkdir(parents=True)
        _note(folder, Standing(folder.name, order, GOING))
    began = time.monotonic()
    _work(str(whole), order)
    took, files = time.monotonic() - began, {path.name: path.read_bytes() for path in (whole / FILES).iterdir()}
    assert len(files) >= 15
    for folder in (tmp_path / "made").iterdir():
        struck(random.Random(folder.name), hands, folder, order, soon=took)
        standing = Handings(tmp_path / "made").one(folder.name)
        made = {path.name: path.read_bytes() for path in (folder / FILES).glob("[!.]*")}
        assert made.items() <= files.items()
        assert standing.state == ("finished" if standing.files else "stopped")
        assert f"{len(made)} files are there" in standing.message or made == files
        stopped += standing.state == "stopped"
    assert stopped
