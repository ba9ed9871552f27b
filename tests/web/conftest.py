"""A server on a store of its own, as a user starts it; one for all tests of the web."""

import os
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import Browser, Page, Playwright, expect, sync_playwright

PATIENCE = int(
    os.environ.get("HOTGRAVEL_PATIENCE", "90")
)  # seconds for what should come: a machine may stand still for a while, and only a fault waits so long
expect.set_options(timeout=1000 * PATIENCE)
SHELL = "/usr/bin/chromium-headless-shell"
CHROMIUM = [
    "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip
# Pages are put together by the processor as it is: by a graphics card that it stands in for, that takes half of a page's
# time. What is drawn on the stage then comes to the screen more slowly.
PLAIN = ["--disable-gpu-compositing", "--disable-gpu-rasterization", "--num-raster-threads=1"]


@dataclass
class Server:
    """A running application: its address and its store."""

    url: str
    store: Path
    process: subprocess.Popen[bytes]

    def wait(self, seconds: float = PATIENCE) -> None:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            try:
                assert httpx.get(self.url, timeout=5).status_code < 500
                return
            except httpx.HTTPError:
                assert self.process.poll() is None, "the server ended"
                time.sleep(0.1)
        raise AssertionError("the server did not answer")


def start(store: Path, log: Path, *words: str, command: str = "demo", **environment: str) -> Server:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    only = ["--shot", "ember-burst"] if command == "demo" else []
    line = [sys.executable, "-m", "hotgravel.cli", command, "--port", str(port), *only, *words]
    # As tests themselves do, servers side by side take a core each: see the other conftest.
    cores = {"NUMBA_NUM_THREADS": "1"} if "PYTEST_XDIST_WORKER" in os.environ else {}
    environment = os.environ | {"HOTGRAVEL_STORE": str(store)} | cores | environment
    with log.open("ab") as out:
        process = subprocess.Popen(line, env=environment, stdout=out, stderr=out)
    server = Server(f"http://127.0.0.1:{port}", store, process)
    server.wait()
    return server


def stop(server: Server) -> None:
    server.process.terminate()
    try:
        server.process.wait(20)
    except subprocess.TimeoutExpired:
        server.process.kill()


@pytest.fixture(scope="session")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    folder = tmp_path_factory.mktemp("server")
    made = start(folder / "store", folder / "log.txt")
    yield made
    stop(made)
    log = (folder / "log.txt").read_text()
    assert "Traceback" not in log, log


@pytest.fixture(scope="session")
def client(server: Server) -> Iterator[httpx.Client]:
    with httpx.Client(base_url=server.url, timeout=PATIENCE) as made:
        yield made


def ended(client: httpx.Client, run: int, seconds: float = PATIENCE) -> dict:
    """The run's JSON once it is over."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        told = client.get(f"/runs/{run}.json").json()
        if told["run"]["state"] not in ("waiting", "running"):
            return told
        time.sleep(0.15)
    raise AssertionError(f"run {run} did not end: {told['run']}")


@pytest.fixture(scope="session")
def demo_run(client: httpx.Client) -> int:
    """The run that the first start makes of the demo shot, finished. Half of the tests need it, so it is waited for longer."""
    assert ended(client, 1, 4 * PATIENCE)["run"]["state"] == "finished"
    return 1


@pytest.fixture(scope="session")
def player() -> Iterator[Playwright]:
    with sync_playwright() as made:
        yield made


@pytest.fixture(scope="session")
def browser(player: Playwright) -> Iterator[Browser]:
    made = player.chromium.launch(executable_path=SHELL, args=CHROMIUM + PLAIN)
    yield made
    made.close()


@pytest.fixture(scope="session")
def drawing(player: Playwright) -> Iterator[Browser]:
    """A browser for what looks at the stage."""
    made = player.chromium.launch(executable_path=SHELL, args=CHROMIUM)
    yield made
    made.close()


@pytest.fixture
def scrap(client: httpx.Client) -> Iterator[list[int]]:
    """Shots to be deleted once the page is closed, which would ask for what is gone."""
    numbers: list[int] = []
    yield numbers
    for number in numbers:
        client.post(f"/shots/{number}/delete")


# Shaders are still compiled, and all else is done.
UNDRAWN = "for (const name of ['drawArrays', 'drawElements']) WebGL2RenderingContext.prototype[name] = () => {};"


@pytest.fixture
def seen() -> bool:
    """Whether a test looks at the stage's picture: drawn without a graphics card, it takes a third of a page's time."""
    return False


@pytest.fixture
def scale() -> float:
    """Pixels for each of the page's own: fewer where nobody looks closely."""
    return 0.5


@pytest.fixture
def page(request: pytest.FixtureRequest, server: Server, scrap: list[int], scale: float, seen: bool) -> Iterator[Page]:
    """A page that fails its test on any error in its console."""
    browser: Browser = request.getfixturevalue("drawing" if seen else "browser")
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, device_scale_factor=scale, base_url=server.url, accept_downloads=True
    )
    if not seen:
        context.add_init_script(UNDRAWN)
    made = context.new_page()
    made.set_default_timeout(1000 * PATIENCE)
    wrong: list[str] = []
    made.on("console", lambda m: wrong.append(m.text) if m.type == "error" else None)
    made.on("pageerror", lambda e: wrong.append(str(e)))
    yield made
    context.close()
    assert not wrong, wrong
