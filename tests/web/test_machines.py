"""A scheduler and two workers as processes of their own, frames at an fsspec address; one worker is killed."""

import json
import subprocess
import sys
import time
from pathlib import Path

import httpx
import pytest

from hotgravel.core.place import place_of
from hotgravel.core.run.execute import execute
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.document import load
from tests.core.run.test_execute import bytes_of
from tests.web.conftest import PATIENCE, ended, start, stop
from tests.web.kills import shot

FRAMES = 70  # long enough to be still at it when a machine is killed


def dask(kind: str, folder: Path, *words: str) -> subprocess.Popen[bytes]:
    line = [sys.executable, "-m", f"distributed.cli.dask_{kind}", "--scheduler-file", str(folder / "scheduler.json")]
    with (folder / "dask.txt").open("ab") as log:
        return subprocess.Popen([*line, "--no-dashboard", *words], stdout=log, stderr=log)


@pytest.fixture
def machines(tmp_path):
    scheduler = dask("scheduler", tmp_path, "--host", "127.0.0.1", "--port", "0")
    workers = [
        dask("worker", tmp_path, "--nthreads", "1", "--no-nanny", "--memory-limit", "0", "--host", "127.0.0.1", "--name", str(n))
        for n in range(2)
    ]  # fmt: skip
    until = time.monotonic() + 40
    while not (tmp_path / "scheduler.json").is_file():
        assert time.monotonic() < until
        time.sleep(0.1)
    address = json.loads((tmp_path / "scheduler.json").read_text())["address"]
    server = start(
        f"local://{tmp_path}/everywhere", tmp_path / "log.txt", command="serve",
        HOTGRAVEL_SCHEDULER=address, HOTGRAVEL_DATABASE=str(tmp_path / "here"),
    )  # fmt: skip
    yield server, workers, address
    stop(server)
    for process in (*workers, scheduler):
        process.kill()
        process.wait()


def who_computes(address: str, run: int) -> str | None:
    from distributed import Client

    with Client(address, set_as_default=False) as client:
        return next((name for name, tasks in busy(client).items() if f"run-{run}" in tasks), None)


def busy(client) -> dict[str, tuple[str, ...]]:
    names = {w: str(told["name"]) for w, told in client.scheduler_info(n_workers=-1)["workers"].items()}
    return {names[w]: tasks for w, tasks in client.processing().items()}


def test_a_killed_machine_does_not_end_the_run(machines, tmp_path):
    server, workers, address = machines
    with httpx.Client(base_url=server.url, timeout=PATIENCE) as client:
        numbers = []
        for seed in (1, 2):
            file = {"file": ("it.shot.json", json.dumps(shot(seed, FRAMES)).encode())}
            made = client.post("/shots/upload", files=file).headers["location"].split("/")[-1]
            numbers.append(client.post(f"/shots/{made}/runs").json()["run"]["id"])
        kept = FrameStore(place_of(f"local://{tmp_path}/everywhere/runs/{numbers[0]:06d}"))
        until = time.monotonic() + PATIENCE
        while len(kept.frames()) < 20:
            assert time.monotonic() < until
            time.sleep(0.02)
        doomed = who_computes(address, numbers[0])
        assert doomed is not None
        workers[int(doomed)].kill()
        for seed, number in zip((1, 2), numbers, strict=True):
            told = ended(client, number)
            assert told["run"]["state"] == "finished", told["run"]
            assert [f["frame"] for f in told["frames"]] == list(range(1, FRAMES + 1))
            execute(build(load(shot(seed, FRAMES)), beside(Path())), tmp_path / "unbroken")
            assert bytes_of(tmp_path / "everywhere" / "runs" / f"{number:06d}") == bytes_of(tmp_path / "unbroken")
            body = client.get(f"/runs/{number}/frames/{FRAMES - 5}.bin")
            assert len(body.content) > 1000
            assert client.get(f"/runs/{number}/picture.png").content[:4] == b"\x89PNG"
        assert (tmp_path / "here" / "hotgravel.sqlite").is_file()
        assert client.get("/disk.json").json()["bytes"] > 10_000


def test_frames_are_the_same_wherever_they_are_kept(tmp_path):
    world = build(load(shot(1) | {"finish": {"last": 14}}), beside(Path()))
    there = place_of("memory://far/run")
    told: list[int] = []
    execute(world, there, landed=lambda f, g: told.append(f), cancelled=lambda: len(told) >= 12)
    execute(world, there, landed=lambda f, g: told.append(f), resume=True)
    assert told == list(range(1, 15))
    execute(world, tmp_path)
    far, near = FrameStore(there), FrameStore(tmp_path)
    assert far.frames() == near.frames()
    for frame in far.frames():
        assert far.path(frame).read_bytes() == near.path(frame).read_bytes()
    assert far.drawn(9)[0] == near.drawn(9)[0]
