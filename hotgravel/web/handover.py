"""Handover from the page: a run in open formats, as a zip that is made while it is sent."""

import zipfile
from collections.abc import Iterator
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response, StreamingResponse
from starlette.exceptions import HTTPException

from hotgravel.core.exchange.take import File, Take, Unit, Up, take_of, wish
from hotgravel.core.exchange.writers import WRITERS
from hotgravel.core.run.world import beside
from hotgravel.store import runs, shots
from hotgravel.web.render import page
from hotgravel.web.studio import Studio

router = APIRouter(prefix="/runs/{run_id}")


def _take(studio: Studio, run_id: int) -> Take:
    with studio.database.session() as session:
        run = runs.record(session, run_id)
    return take_of(studio.run_folder(run_id), beside(studio.meshes), run.revision)


@router.get("/handover")
def handover_page(request: Request, run_id: int) -> Response:
    """Which frames, in which format, unit and axes."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        there = shots.record(session, run.shot_id)
    kept = studio.frames(run_id).frames()
    formats = {name: what for name, (what, _) in WRITERS.items()}
    return page(request, "handover.html", run=run, shot=there, kept=kept, formats=formats)


@router.get("/handover.zip")
def handover(
    request: Request, run_id: int, format: str, first: int | None = None, last: int | None = None, every: int = 1,
    unit: Unit = "m", up: Up = "y", pattern: str = "{shot}.{frame}",
) -> Response:  # fmt: skip
    """The files in one zip. What cannot be granted is told before anything is sent."""
    if format not in WRITERS:
        raise HTTPException(422, f"{format!r} is no format that is written. Accepted: {', '.join(WRITERS)}.")
    take = _take(request.app.state.studio, run_id)
    kept = take.store.frames()
    span = (first if first is not None else -(10**9), last if last is not None else 10**9)
    wanted = wish(kept, frames=span, every=every, unit=unit, up=up, pattern=pattern)
    return _download(_zipped(WRITERS[format][1](take, wanted)), f"run-{run_id}-{format}.zip", "application/zip")


def _download(parts: Iterator[Any], name: str, media: str) -> StreamingResponse:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return StreamingResponse(parts, media_type=media, headers=headers)


class _Outlet:
    """A file that only goes forward: what is written waits to be sent."""

    def __init__(self) -> None:
        self.waiting: list[bytes] = []

    def write(self, data: bytes) -> int:
        self.waiting.append(bytes(data))
        return len(data)

    def flush(self) -> None:
        """Nothing to do."""


def _zipped(files: Iterator[File]) -> Iterator[bytes]:
    outlet = _Outlet()
    with zipfile.ZipFile(outlet, "w", zipfile.ZIP_STORED) as archive:  # type: ignore[arg-type]
        for name, data in files:
            archive.writestr(name, data)
            yield from outlet.waiting
            outlet.waiting.clear()
    yield from outlet.waiting
