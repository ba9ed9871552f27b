"""Handover from the page: a run in open formats, into a folder of the store, and from there as a zip."""

import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response, StreamingResponse
from starlette.exceptions import HTTPException

from hotgravel.core.exchange.take import wish
from hotgravel.core.exchange.writers import WRITERS
from hotgravel.core.picture.measured import BY
from hotgravel.core.run.estimate import size_in_words
from hotgravel.core.run.retimed import Retimed
from hotgravel.core.shot.faults import ShotFault
from hotgravel.farm.handing import GOING, Standing, order_for
from hotgravel.store import runs, settings, shots
from hotgravel.web.render import page
from hotgravel.web.studio import Studio

router = APIRouter()
PLAIN = {
    "first": None,
    "last": None,
    "format": "ply",
    "every": 1,
    "unit": "m",
    "up": "y",
    "pattern": "{shot}.{frame}",
    "by": "own",
    "width": 1280,
    "height": 720,
}
PICTURES = ("still", "png", "mp4")
Text = Annotated[str, Form()]
Number = Annotated[int, Form()]


@router.get("/runs/{run_id}/handover")
def handover_page(request: Request, run_id: int) -> Response:
    """Which frames, in which format, unit and axes; and the handovers made so far."""
    return _page(request, run_id)


def _page(
    request: Request, run_id: int, status: int = 200, fault: str = "", given: dict[str, Any] | None = None
) -> Response:  # fmt: skip
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        there = shots.record(session, run.shot_id)
        finish = shots.document(session, run.shot_id, run.revision).finish
        remembered = given or settings.get(session, _memory(there.id), {})
    kept = studio.frames(run_id).in_full(finish)
    formats = {name: what for name, (what, _) in WRITERS.items()}
    made = [card(studio, s) for s in studio.handings.all() if s.order.run == run_id]
    return page(
        request, "handover.html", status, run=run, shot=there, kept=kept, formats=formats, pictures=PICTURES,
        made=made, fault=fault, by=BY, camera=there.camera is not None,
        retime=finish.retime is not None, was=PLAIN | remembered,
    )  # fmt: skip


def _memory(shot: int) -> str:
    """The setting that remembers what a shot was last handed over as."""
    return f"handover of shot {shot}"


def card(studio: Studio, standing: Standing) -> dict[str, Any]:
    """A handover as the page shows it."""
    files = studio.handings.files(standing)
    size = sum(f.stat().st_size for f in files if f.is_file())
    return {
        "name": standing.name, "kind": standing.order.kind, "state": standing.state, "message": standing.message,
        "percent": round(100 * standing.share), "going": standing.state == GOING, "count": len(files),
        "size": size_in_words(size), "folder": str((studio.handings.folder / standing.name / "files").resolve()),
    }  # fmt: skip


@router.post("/runs/{run_id}/handover")
def start(
    request: Request, run_id: int, format: Text, first: Annotated[int | None, Form()] = None,
    last: Annotated[int | None, Form()] = None, every: Number = 1, unit: Text = "m", up: Text = "y",
    pattern: Text = "{shot}.{frame}", width: Number = 1280, height: Number = 720,
    by: Text = "own", retimed: Text = "",
) -> Response:  # fmt: skip
    """Begin a handover. What cannot be granted is told before anything is written."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        camera = shots.record(session, run.shot_id).camera
        shot = shots.document(session, run.shot_id, run.revision)
        now = shots.document(session, run.shot_id).finish  # pictures are in the page's light, as the stage is
    span = (first if first is not None else -(10**9), last if last is not None else 10**9)
    given = {
        "format": format,
        "every": every,
        "unit": unit,
        "up": up,
        "pattern": pattern,
        "width": width,
        "height": height,
        "by": by,
    }
    wanted = {
        "frames": span,
        "every": every,
        "unit": unit,
        "up": up,
        "pattern": pattern,
        "size": (width, height),
        "by": by,
    }
    try:
        _accepted("format", format, WRITERS)
        _accepted("unit", unit, ("m", "cm"))
        _accepted("up axis", up, ("y", "z"))
        store = Retimed(studio.run_folder(run_id), shot) if retimed else studio.frames(run_id)
        wish(store.in_full(shot.finish), **wanted)  # type: ignore[arg-type]
    except ShotFault as fault:
        if "text/html" in request.headers.get("accept", ""):
            return _page(request, run_id, 422, str(fault), given | {"first": first, "last": last})
        raise
    order = order_for(
        run_id,
        studio.run_folder(run_id),
        studio.meshes,
        format,
        run.revision,
        wanted,
        camera,
        bool(retimed),
        {name: getattr(now, name) for name in ("light", "exposure", "focus", "aperture")},
    )
    name = studio.handings.start(order)
    with studio.database.session() as session:
        settings.put(session, _memory(run.shot_id), given)
    return RedirectResponse(f"/runs/{run_id}/handover#{name}", 303)


def _accepted(what: str, given: str, accepted: Any) -> None:
    if given not in accepted:
        raise ShotFault.of(f"{given!r} is no {what}. Accepted: {', '.join(accepted)}.")


def _one(studio: Studio, name: str) -> Standing:
    found = studio.handings.one(name)
    if found is None:
        raise HTTPException(404, "There is no such handover; it may have been removed.")
    return found


@router.get("/handovers/{name}.json")
def one_json(request: Request, name: str) -> dict[str, Any]:
    """The same as data, with the names of its files."""
    studio: Studio = request.app.state.studio
    standing = _one(studio, name)
    return card(studio, standing) | {"files": standing.files}


@router.get("/handovers/{name}")
def one_card(request: Request, name: str) -> Response:
    """A handover by itself, for a page that waits for it."""
    studio: Studio = request.app.state.studio
    return page(request, "handed.html", h=card(studio, _one(studio, name)))


@router.post("/handovers/{name}/cancel")
def cancel(request: Request, name: str) -> Response:
    studio: Studio = request.app.state.studio
    standing = _one(studio, name)
    studio.handings.cancel(standing)
    return RedirectResponse(f"/runs/{standing.order.run}/handover", 303)


@router.post("/handovers/{name}/remove")
def remove(request: Request, name: str) -> Response:
    studio: Studio = request.app.state.studio
    standing = _one(studio, name)
    studio.handings.remove(standing)
    return RedirectResponse(f"/runs/{standing.order.run}/handover", 303)


@router.get("/handovers/{name}/files.zip")
def download(request: Request, name: str) -> Response:
    """The files in one zip, made while it is sent."""
    studio: Studio = request.app.state.studio
    files = studio.handings.files(_one(studio, name))
    headers = {"Content-Disposition": f'attachment; filename="{name}.zip"'}
    return StreamingResponse(_zipped(files), media_type="application/zip", headers=headers)


class _Outlet:
    """A file that only goes forward: what is written waits to be sent."""

    def __init__(self) -> None:
        self.waiting: list[bytes] = []

    def write(self, data: bytes) -> int:
        self.waiting.append(bytes(data))
        return len(data)

    def flush(self) -> None:
        """Nothing to do."""


def _zipped(files: list[Path]) -> Iterator[bytes]:
    outlet = _Outlet()
    with zipfile.ZipFile(outlet, "w", zipfile.ZIP_STORED) as archive:  # type: ignore[arg-type]
        for path in files:
            archive.writestr(path.name, path.read_bytes())
            yield from outlet.waiting
            outlet.waiting.clear()
    yield from outlet.waiting
