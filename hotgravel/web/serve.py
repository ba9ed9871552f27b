"""Start the application with uvicorn."""

import logging
import os
import socket
import sys
from collections.abc import Sequence
from pathlib import Path

import psutil
import uvicorn

from hotgravel.core.place import address_of, place_of
from hotgravel.store.database import CannotOpen
from hotgravel.web.app import create_app
from hotgravel.web.guard import LOCAL, SHORTEST_TOKEN, Access
from hotgravel.web.studio import Studio

STORE, DATABASE = "HOTGRAVEL_STORE", "HOTGRAVEL_DATABASE"
TOKEN, HOSTS = "HOTGRAVEL_TOKEN", "HOTGRAVEL_HOSTS"


def access_to(host: str) -> Access:
    """Who may ask at this address. Raises `ValueError` with a sentence if it asks for a token and has none."""
    if host in ("127.0.0.1", "localhost", "::1"):
        return Access()
    token = os.environ.get(TOKEN, "")
    if len(token) < SHORTEST_TOKEN:
        raise ValueError(
            f"Other machines can reach {host}, so it takes a token: set {TOKEN} to {SHORTEST_TOKEN} characters or "
            "more, or listen on 127.0.0.1."
        )
    addresses = {a.address for near in psutil.net_if_addrs().values() for a in near if a.family == socket.AF_INET}
    named = {name.strip() for name in os.environ.get(HOSTS, "").split(",") if name.strip()}
    return Access(LOCAL | addresses | named | {host, socket.gethostname()}, token)


def serve(host: str, port: int, *, demo: Sequence[str] = ()) -> None:
    """Serve until interrupted, with the demo shots of these names in an empty store."""
    try:
        access = access_to(host)
    except ValueError as fault:
        sys.exit(str(fault))
    logging.basicConfig(level=logging.INFO, format="%(levelname)s %(name)s: %(message)s")
    logging.getLogger("alembic").setLevel(logging.WARNING)
    logging.getLogger("distributed").setLevel(logging.ERROR)
    place = place_of(os.environ.get(STORE, "data"))
    folder = place if isinstance(place, Path) else Path(os.environ.get(DATABASE, "data"))
    print(f"Hot Gravel: http://{host}:{port}  (store: {address_of(place)})", flush=True)
    try:
        studio = Studio(folder, place)
        studio.database.keep_to_myself()
        studio.database.upgrade()
    except CannotOpen as fault:
        sys.exit(str(fault))
    uvicorn.run(
        create_app(studio, demo=demo, access=access),
        host=host,
        port=port,
        log_level="warning",
        timeout_keep_alive=75,  # seconds; at 5 a client that had paused as long could ask just as it was hung up on
        timeout_graceful_shutdown=2,
    )
