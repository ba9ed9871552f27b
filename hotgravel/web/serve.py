"""Start the application with uvicorn."""

import logging
import os
import sys
from pathlib import Path

import uvicorn

from hotgravel.store.database import CannotOpen
from hotgravel.web.app import create_app
from hotgravel.web.studio import Studio

STORE = "HOTGRAVEL_STORE"


def serve(host: str, port: int, *, demo: bool) -> None:
    """Serve until interrupted."""
    if host not in ("127.0.0.1", "localhost", "::1"):
        sys.exit("Hot Gravel listens on this machine only: --host takes 127.0.0.1, localhost or ::1.")
    logging.basicConfig(level=logging.INFO, format="%(levelname)s %(name)s: %(message)s")
    logging.getLogger("alembic").setLevel(logging.WARNING)
    logging.getLogger("distributed").setLevel(logging.ERROR)
    folder = Path(os.environ.get(STORE, "data"))
    print(f"Hot Gravel: http://{host}:{port}  (store: {folder.resolve()})", flush=True)
    try:
        studio = Studio(folder)
        studio.database.upgrade()
    except CannotOpen as fault:
        sys.exit(str(fault))
    uvicorn.run(create_app(studio, demo=demo), host=host, port=port, log_level="warning", timeout_graceful_shutdown=2)
