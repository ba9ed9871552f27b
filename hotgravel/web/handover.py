"""Handover from the page: a run's particles, gauges and events in open formats."""

import zipfile
from collections.abc import Iterator
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import StreamingResponse
from starlette.exceptions import HTTPException

from hotgravel.core.exchange.ply import NAMES, comments_for, ply_bytes
from hotgravel.core.exchange.table import events_csv, gauges_csv
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.shot.document import Shot
from hotgravel.store import runs, shots
from hotgravel.web.studio import Studio

router = APIRouter(prefix="/runs/{run_id}")


def _run(request: Request, run_id: int) -> tuple[FrameStore, Shot, list[tuple[int, dict[str, Any]]]]:
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        shot = shots.document(session, run.shot_id, run.revision)
        measured = runs.gauges(session, run_id)
    if not measured:
        raise HTTPException(404, "This run has no frames to hand over yet.")
    return studio.frames(run_id), shot, measured


def _download(parts: Iterator[Any], name: str, media: str) -> StreamingResponse:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return StreamingResponse(parts, media_type=media, headers=headers)


@router.get("/gauges.csv")
def gauges(request: Request, run_id: int) -> StreamingResponse:
    _store, shot, measured = _run(request, run_id)
    return _download(gauges_csv(shot, measured), f"run-{run_id}-gauges.csv", "text/csv")


@router.get("/events.csv")
def events(request: Request, run_id: int) -> StreamingResponse:
    store, shot, _measured = _run(request, run_id)
    lines = events_csv(shot, (store.events(f) for f in store.frames()))
    return _download(lines, f"run-{run_id}-events.csv", "text/csv")


@router.get("/particles.zip")
def particles(request: Request, run_id: int) -> StreamingResponse:
    """All kept frames as PLY, in one zip that is made while it is sent."""
    store, shot, _measured = _run(request, run_id)
    return _download(_zipped(store, shot), f"run-{run_id}-particles.zip", "application/zip")


class _Outlet:
    """A file that only goes forward: what is written waits to be sent."""

    def __init__(self) -> None:
        self.waiting: list[bytes] = []

    def write(self, data: bytes) -> int:
        self.waiting.append(bytes(data))
        return len(data)

    def flush(self) -> None:
        """Nothing to do."""


def _zipped(store: FrameStore, shot: Shot) -> Iterator[bytes]:
    outlet = _Outlet()
    with zipfile.ZipFile(outlet, "w", zipfile.ZIP_STORED) as file:  # type: ignore[arg-type]
        for frame in store.frames():
            data = ply_bytes(store.particles(frame, NAMES), comments_for(shot, frame))
            file.writestr(f"particles.{frame:04d}.ply", data)
            yield from outlet.waiting
            outlet.waiting.clear()
    yield from outlet.waiting
