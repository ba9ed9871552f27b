"""Another address asks for a token; no log shows it; whatever is sent to the interface, it does not break."""

import asyncio
import os
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor

import httpx
import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from hotgravel.web import guard
from hotgravel.web.guard import Access
from tests.web.conftest import PATIENCE, start, stop

TOKEN = "ashfall-over-the-camp-1"


@pytest.fixture(scope="module")
def open_server(tmp_path_factory):
    """A server that other machines could reach."""
    folder = tmp_path_factory.mktemp("open")
    made = start(folder / "store", folder / "log.txt", "--host", "0.0.0.0", HOTGRAVEL_TOKEN=TOKEN, command="serve")
    yield made, folder / "log.txt"
    stop(made)


def test_another_address_asks_for_a_token(open_server):
    server, log = open_server
    with httpx.Client(base_url=server.url) as visitor:
        assert visitor.get("/shots.json").status_code == 401
        assert visitor.post("/shots", data={"starter": "cinder fountain"}).status_code == 401
        asked = visitor.get("/", headers={"accept": "text/html"})
        assert (asked.status_code, asked.headers["location"]) == (303, "/enter")
        assert visitor.get("/static/css/look.css").status_code == 200
        wrong = visitor.post("/enter", data={"token": TOKEN[:-1]})
        assert wrong.status_code == 401
        assert "not the token" in wrong.text
        assert visitor.get("/shots.json", headers={"authorization": f"Bearer {TOKEN}x"}).status_code == 401
        assert visitor.get("/shots.json", headers={"cookie": "hotgravel=" + "0" * 64}).status_code == 401
        assert visitor.get("/shots.json", headers={"authorization": f"Bearer {TOKEN}"}).json() == []
        entered = visitor.post("/enter", data={"token": TOKEN})
        assert entered.status_code == 303
        cookie = entered.headers["set-cookie"]
        assert TOKEN not in cookie
        assert "HttpOnly" in cookie
        assert "samesite=strict" in cookie.lower()
        assert visitor.get("/shots.json").json() == []  # with the cookie
        assert visitor.get("/shots.json", headers={"host": "evil.example"}).status_code == 421
    assert TOKEN not in log.read_text()
    assert TOKEN not in repr(Access(token=TOKEN))


def test_a_second_server_on_the_same_store_is_refused(open_server):
    server, _ = open_server
    command = [sys.executable, "-m", "hotgravel.cli", "serve", "--port", "0"]
    settings_ = os.environ | {"HOTGRAVEL_STORE": str(server.store)}
    done = subprocess.run(command, env=settings_, capture_output=True, text=True, timeout=PATIENCE)
    assert done.returncode == 1
    assert f"in use by another Hot Gravel, process {server.process.pid}" in done.stderr


def test_another_address_without_a_token_is_not_served(tmp_path):
    command = [sys.executable, "-m", "hotgravel.cli", "serve", "--host", "0.0.0.0", "--port", "0"]
    for token in ("", "short"):
        settings_ = os.environ | {"HOTGRAVEL_STORE": str(tmp_path), "HOTGRAVEL_TOKEN": token}
        done = subprocess.run(command, env=settings_, capture_output=True, text=True, timeout=PATIENCE)
        assert done.returncode == 1
        assert "set HOTGRAVEL_TOKEN to 16 characters or more" in done.stderr


def test_tokens_are_compared_in_constant_time(monkeypatch):
    from hotgravel.web import guard

    asked = []
    monkeypatch.setattr(guard.hmac, "compare_digest", lambda a, b: asked.append((a, b)) or a == b)
    assert Access(token=TOKEN).fits(TOKEN)
    assert not Access(token=TOKEN).fits("x")
    assert len(asked) == 2


def test_nothing_that_fits_the_schema_breaks_the_server(open_server):
    """On a server of its own, as it deletes too. Half of the calls name rows that are there."""
    server, log = open_server
    bearer = {"authorization": f"Bearer {TOKEN}"}
    with httpx.Client(base_url=server.url, headers=bearer, timeout=PATIENCE) as client:
        for _ in range(2):
            client.post("/shots", data={"starter": "cinder fountain"})
        client.post("/shots/1/rows/finish/set", data={"path": "last", "value": "5", "revision": 1})
        assert client.post("/shots/1/runs").status_code == 201
    schema = schemathesis.openapi.from_url(f"{server.url}/openapi.json", headers=bearer)
    every = [op.ok() for op in schema.get_all_operations()]
    operations = [op for op in every if not op.path.endswith("/feed")]  # a feed does not end
    assert len(operations) > 45
    there = {"shot_id": [1, 2], "run_id": [1], "row": ["fountain", "finish"], "frame": [3]}
    told: dict[int, int] = {}
    for operation in sorted(operations, key=lambda op: "delete" in op.path or "empty" in op.path):

        @settings(
            max_examples=4,
            deadline=None,
            phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
            database=None,
        )
        @given(case=operation.as_strategy(), dice=st.integers(0, 5))
        def ask(case, dice):
            if dice > 1:
                known = {
                    name: there[name][dice % len(there[name])] for name in case.path_parameters or {} if name in there
                }
                case.path_parameters.update(known)
            answer = case.call(base_url=server.url, headers=bearer, allow_redirects=False)
            told[answer.status_code] = told.get(answer.status_code, 0) + 1
            assert answer.status_code < 500, (
                f"{case.method} {case.formatted_path}: {answer.status_code} {answer.text[:300]}"
            )

        ask()
    assert sum(told.values()) > 2 * len(operations)
    assert told.get(200, 0) > 20  # it got past the front door
    assert "Traceback" not in log.read_text()


@pytest.mark.parametrize(
    "host", ["127.0.0.1:80@evil.example", "a:b@127.0.0.1", "127.0.0.1:", "127.0.0.1:x", "127.0.0.1/"]
)
def test_a_host_with_anything_beside_its_name_and_port_is_refused(client, host):
    assert client.get("/shots.json", headers={"host": host}).status_code == 421


def test_a_body_that_ceases_to_come_is_given_up(monkeypatch):
    monkeypatch.setattr(guard, "PATIENCE", 0.05)
    sent = []

    async def app(scope, receive, send):
        while (await receive()).get("more_body"):
            pass

    async def receive():
        if not sent and not came:
            came.append(1)
            return {"type": "http.request", "body": b"half", "more_body": True}
        return await asyncio.Event().wait()

    async def send(message):
        sent.append(message)

    came = []
    scope = {"type": "http", "method": "POST", "path": "/shots/upload", "headers": [(b"host", b"127.0.0.1")]}
    with ThreadPoolExecutor(1) as apart:  # this thread may have a browser's loop already
        apart.submit(asyncio.run, guard.Guard(app, Access())(scope, receive, send)).result()
    assert sent[0]["status"] == 408
    assert b"Nothing was changed" in sent[1]["body"]
