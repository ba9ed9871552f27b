"""SIGKILL of the worker or of the server under the page, at random moments, loses at most the frame in work."""

import json
import random
import time
from pathlib import Path

import httpx
import psutil
import pytest

from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.conftest import GRAVITY, at, document, landing, source
from tests.core.run.test_execute import bytes_of
from tests.web.conftest import PATIENCE, ended, start, stop

FRAMES = 60


def shot(seed: int, frames: int = FRAMES) -> dict:
    return document(
        set=at(1.0), matter=[{"kind": "state", "id": "loose", "name": "loose"}, landing(bounce=0.5, friction=0.2)],
        supply=[source(emit={"kind": "stream", "rate": 3000, "start": 1, "end": frames - 5}, aim={"kind": "anywhere"}, life=2.0, seed=seed)],
        forces=[GRAVITY], finish={"last": frames, "quality": "rough"},
    )  # fmt: skip


def workers(server) -> list[psutil.Process]:
    """The processes that compute; not the one that only counts resources."""
    children = psutil.Process(server.process.pid).children(recursive=True)
    return [c for c in children if "resource_tracker" not in " ".join(c.cmdline())]


@pytest.fixture
def store(tmp_path):
    running = [start(tmp_path / "store", tmp_path / "log.txt", command="serve")]
    yield running, tmp_path
    stop(running[-1])


def test_ten_kills_of_ten_end_in_the_same_bytes(store, browser):
    running, folder = store
    dice = random.Random(11)
    client = httpx.Client(base_url=running[-1].url, timeout=PATIENCE)
    for kill in range(10):
        file = {"file": ("it.shot.json", json.dumps(shot(kill)).encode())}
        number = client.post("/shots/upload", files=file).headers["location"].split("/")[-1]
        run = client.post(f"/shots/{number}/runs").json()["run"]["id"]
        kept = FrameStore(folder / "store" / "runs" / f"{run:06d}")
        target = 1 + dice.randrange(40)
        until = time.monotonic() + PATIENCE
        while len(kept.frames()) < target:
            assert time.monotonic() < until
            time.sleep(0.002)
        time.sleep(0.02 * dice.random())
        if kill % 2:
            doomed = workers(running[-1])
            assert doomed
            for process in doomed:
                process.kill()
            before = kept.whole(1)  # another worker takes the run up by itself
        else:
            running[-1].process.kill()
            running[-1].process.wait()
            before = kept.whole(1)
            running.append(start(folder / "store", folder / "log.txt", command="serve"))
            client = httpx.Client(base_url=running[-1].url, timeout=PATIENCE)
            told = client.get(f"/runs/{run}.json").json()["run"]
            assert told["state"] == "failed"
            assert "stopped when the application ended" in told["message"]
            if kill == 0:
                go_on_from_the_page(browser, running[-1].url, number, told["message"])
            else:
                assert client.post(f"/runs/{run}/resume").status_code == 201
        assert kept.whole(1)[: len(before)] == before  # and none is half there
        told = ended(client, run)
        assert told["run"]["state"] == "finished", told["run"]
        assert [f["frame"] for f in told["frames"]] == list(range(1, FRAMES + 1))
        execute(build(load(shot(kill)), beside(Path())), folder / "unbroken")
        made = {name: data for name, data in bytes_of(kept.folder).items() if not name.startswith(".")}
        assert made == bytes_of(folder / "unbroken")


def go_on_from_the_page(browser, url, shot, message):
    page = browser.new_page()
    page.goto(f"{url}/shots/{shot}")
    page.get_by_text(message).wait_for()
    page.get_by_role("button", name="Go on").click()
    page.get_by_role("button", name="Cancel").wait_for()
    page.close()
