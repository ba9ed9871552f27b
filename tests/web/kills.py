"""SIGKILL of the worker or of the server under the page, at random moments of a run that is gone on with each time."""

import json
import random
import time
from collections.abc import Callable
from pathlib import Path

import httpx
import psutil

from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.conftest import GRAVITY, at, document, landing, source
from tests.core.run.test_execute import bytes_of
from tests.web.conftest import PATIENCE, Server, ended, start, stop

FRAMES = 60


def shot(seed: int, frames: int = FRAMES) -> dict:
    return document(
        set=at(1.0), matter=[{"kind": "state", "id": "loose", "name": "loose"}, landing(bounce=0.5, friction=0.2)],
        supply=[source(emit={"kind": "stream", "rate": 3000, "start": 1, "end": frames - 5}, aim={"kind": "anywhere"}, life=2.0, seed=seed)],
        forces=[GRAVITY], finish={"last": frames, "quality": "rough"},
    )  # fmt: skip


def workers(server: Server) -> list[psutil.Process]:
    """The processes that compute; not the one that only counts resources."""
    children = psutil.Process(server.process.pid).children(recursive=True)
    return [c for c in children if "resource_tracker" not in " ".join(c.cmdline())]


def attack(folder: Path, runs: int, seed: int, go_on: Callable[[Server, str, int], None] | None = None) -> int:
    """Kill the worker and then the server in each of so many runs, which end in the bytes of one that was let alone.
    `go_on` takes up a run after its server's end; by itself it is asked for. Returns how many kills struck."""
    dice, server = random.Random(seed), start(folder / "store", folder / "log.txt", command="serve")
    try:
        for number in range(runs):
            client = httpx.Client(base_url=server.url, timeout=PATIENCE)
            file = {"file": ("it.shot.json", json.dumps(shot(number)).encode())}
            page = client.post("/shots/upload", files=file).headers["location"].split("/")[-1]
            run = client.post(f"/shots/{page}/runs").json()["run"]["id"]
            kept = FrameStore(folder / "store" / "runs" / f"{run:06d}")
            _wait_for(kept, 1 + dice.randrange(20), dice)
            doomed = workers(server)
            assert doomed
            for process in doomed:
                process.kill()
            before = kept.whole(1)  # another worker takes the run up by itself
            _wait_for(kept, len(before) + 1 + dice.randrange(15), dice)
            assert kept.whole(1)[: len(before)] == before  # and none is half there
            server.process.kill()
            server.process.wait()
            before = kept.whole(1)
            server = start(folder / "store", folder / "log.txt", command="serve")
            client = httpx.Client(base_url=server.url, timeout=PATIENCE)
            told = client.get(f"/runs/{run}.json").json()["run"]
            assert told["state"] == "failed"
            assert "stopped when the application ended" in told["message"]
            if go_on and number == 0:
                go_on(server, told["message"], int(page))
            else:
                assert client.post(f"/runs/{run}/resume").status_code == 201
            assert kept.whole(1)[: len(before)] == before
            told = ended(client, run)
            assert told["run"]["state"] == "finished", told["run"]
            assert [f["frame"] for f in told["frames"]] == list(range(1, FRAMES + 1))
            execute(build(load(shot(number)), beside(Path())), folder / "unbroken")
            made = {name: data for name, data in bytes_of(kept.folder).items() if not name.startswith(".")}
            assert made == bytes_of(folder / "unbroken")
    finally:
        stop(server)
    return 2 * runs


def _wait_for(kept: FrameStore, target: int, dice: random.Random) -> None:
    """Until so many frames are kept, and a moment more."""
    until = time.monotonic() + PATIENCE
    while len(kept.frames()) < target:
        assert time.monotonic() < until
        time.sleep(0.002)
    time.sleep(0.02 * dice.random())
