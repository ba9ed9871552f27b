"""What is on the disk, by shot and run; the limit; and the bin."""

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response
from starlette.exceptions import HTTPException

from hotgravel.core.run.estimate import size_in_words
from hotgravel.store import bin, runs, settings, shots
from hotgravel.store.models import RunRecord, ShotRecord
from hotgravel.web.render import page
from hotgravel.web.studio import Studio

router = APIRouter()
GIB = 2**30


@dataclass(frozen=True)
class Used:
    """A shot and what it takes: together (what runs share counts once), and run by run."""

    shot: ShotRecord
    size: str
    bytes: int
    runs: list[tuple[RunRecord, str]]


def _used(studio: Studio) -> list[Used]:
    with studio.database.session() as session:
        found = []
        for shot in shots.all_shots(session):
            made = runs.of_shot(session, shot.id)
            size = studio.disk(*(r.id for r in made))
            found.append(Used(shot, size_in_words(size), size, [(r, size_in_words(studio.disk(r.id))) for r in made]))
    return sorted(found, key=lambda used: -used.bytes)


@router.get("/disk")
def disk_page(request: Request) -> Response:
    return _page(request)


def _page(request: Request, status: int = 200, fault: str = "", typed: str | None = None) -> Response:
    """After a refused limit with the fault and what was typed."""
    studio: Studio = request.app.state.studio
    used = _used(studio)
    with studio.database.session() as session:
        limit = settings.get(session, settings.DISK_LIMIT)
        binned = [
            (shot, size_in_words(studio.disk(*(r.id for r in runs.of_shot(session, shot.id, binned=True)))))
            for shot in bin.binned_shots(session)
        ]
        binned_runs = [(run, shot, size_in_words(studio.disk(run.id))) for run, shot in bin.binned_runs(session)]
        shown = typed if typed is not None else f"{limit / GIB:g}" if limit else ""
        total = studio.disk_of_all(session)
        return page(
            request, "disk.html", status, used=used, binned=binned, binned_runs=binned_runs, limit=shown, fault=fault,
            total=size_in_words(total), notices=settings.notices(session), over=bool(limit and total > limit),
        )  # fmt: skip


@router.get("/disk.json")
def disk_json(request: Request) -> dict[str, object]:
    """The page as data."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        total, limit = studio.disk_of_all(session), settings.get(session, settings.DISK_LIMIT)
        told = [notice.text for notice in settings.notices(session)]
        in_bin = {
            "shots": [s.id for s in bin.binned_shots(session)],
            "runs": [r.id for r, _ in bin.binned_runs(session)],
        }
    by_shot = [{"shot": u.shot.id, "bytes": u.bytes, "runs": [r.id for r, _ in u.runs]} for u in _used(studio)]
    return {"bytes": total, "limit": limit, "shots": by_shot, "bin": in_bin, "notices": told}


@router.post("/disk/limit")
def set_limit(request: Request, limit: Annotated[str, Form()] = "") -> Response:
    """A limit in GB for all runs together; nothing typed means none. What it removes is told on the page."""
    studio: Studio = request.app.state.studio
    text = limit.strip().removesuffix("GB").strip()
    try:
        bytes_ = round(float(text) * GIB) if text else None
        if bytes_ is not None and not 0 < bytes_ < 2**60:
            raise ValueError
    except (ValueError, OverflowError):
        fault = f"{limit!r} is no limit. Accepted: a number of GB above 0, such as 20, or nothing for no limit."
        return _page(request, 422, fault, limit)
    with studio.database.session() as session:
        settings.put(session, settings.DISK_LIMIT, bytes_)
    studio.keep_within_limit()
    return RedirectResponse("/disk", 303)


@router.post("/bin/empty")
def empty_bin(request: Request) -> Response:
    """Remove for good what is in the bin."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        gone = bin.empty(session)
    for run_id in gone:
        studio.forget_run(run_id)
    return RedirectResponse("/disk", 303)


@router.post("/bin/shots/{shot_id}/back")
def put_back_shot(request: Request, shot_id: int) -> Response:
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        bin.put_back_shot(session, shot_id)
    return RedirectResponse("/", 303)


@router.post("/bin/runs/{run_id}/back")
def put_back_run(request: Request, run_id: int) -> Response:
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        shot_id = bin.put_back_run(session, run_id)
    return RedirectResponse(f"/shots/{shot_id}/runs", 303)


@router.post("/shots/{shot_id}/delete")
def bin_shot(request: Request, shot_id: int) -> Response:
    """A shot with its runs goes into the bin; a run that is going on is cancelled."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        going = [r.id for r in runs.of_shot(session, shot_id) if r.state in runs.GOING]
        bin.bin_shot(session, shot_id)
    for run_id in going:
        studio.cancel(run_id)
    return RedirectResponse("/", 303)


@router.post("/runs/{run_id}/delete")
def bin_run(request: Request, run_id: int) -> Response:
    studio: Studio = request.app.state.studio
    try:
        with studio.database.session() as session:
            shot_id = runs.record(session, run_id).shot_id
            bin.bin_run(session, run_id)
    except runs.Kept as kept:
        raise HTTPException(409, str(kept)) from None
    return RedirectResponse(f"/shots/{shot_id}/runs", 303)
