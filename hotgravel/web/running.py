"""Runs: started, followed, cancelled, asked for their because."""

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import Response, StreamingResponse
from sqlalchemy.orm import Session
from starlette.exceptions import HTTPException

from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.story import events_until, fired_at, picked, story_of
from hotgravel.core.run.why_not import why_not
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.finish import Quality
from hotgravel.store import runs, shots
from hotgravel.web.bench import opening_of, run_facts, shot_facts
from hotgravel.web.render import page
from hotgravel.web.room import make_sure
from hotgravel.web.runs_page import estimate_for
from hotgravel.web.studio import Studio

router = APIRouter()
MOST_SHOWN = 120  # elements that are lit for a sentence


@router.post("/shots/{shot_id}/runs", status_code=201)
def start(request: Request, shot_id: int) -> dict[str, Any]:
    """Start a run of the shot as it is, or find the one it would repeat. Faults that only building
    shows are told here."""
    studio: Studio = request.app.state.studio
    with studio.starting:
        with studio.database.session() as session:
            _none_going(session, shot_id)
            shot = shots.document(session, shot_id)
            make_sure(studio, shot, estimate_for(studio, session, shot_id, shot))
        started = studio.run(shot_id)
    notes = [*started.notes, *(str(f) for f in findings(started.shot))]
    if started.found:
        notes.insert(0, f"Nothing that matters changed since run {started.run.id}, so it is shown, not repeated.")
    with studio.database.session() as session:
        facts = run_facts(session, started.run) | opening_of(runs.gauges(session, started.run.id))
    return {"run": facts, "shot": shot_facts(started.shot), "notes": notes}


def _none_going(session: Session, shot_id: int) -> None:
    latest = runs.latest(session, shot_id)
    if latest and latest.state in runs.GOING:
        raise HTTPException(409, "A run of this shot is going on. Cancel it first, or wait for it.")


@router.post("/runs/{run_id}/resume", status_code=201)
def resume(request: Request, run_id: int) -> dict[str, Any]:
    """Let a run that stopped go on; what it had kept stays, and the result is the same bytes."""
    studio: Studio = request.app.state.studio
    with studio.starting:
        with studio.database.session() as session:
            run = runs.record(session, run_id)
            if run.state not in ("cancelled", "failed"):
                raise HTTPException(409, f"Run {run_id} is {run.state}, so there is nothing to go on with.")
            _none_going(session, run.shot_id)
            shot = shots.document(session, run.shot_id, run.revision)
        run = studio.go_on(run_id)
    with studio.database.session() as session:
        return {"run": run_facts(session, run), "shot": shot_facts(shot), "notes": []}


@router.post("/runs/{run_id}/cancel", status_code=204)
def cancel(request: Request, run_id: int) -> None:
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        runs.record(session, run_id)
    studio.cancel(run_id)


@router.get("/runs/{run_id}.json")
def run_json(request: Request, run_id: int) -> dict[str, Any]:
    """A run with all that was measured of it."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        measured = runs.gauges(session, run_id)
        facts = run_facts(session, run) | opening_of(measured)
        shot = shots.document(session, run.shot_id, run.revision)
        return {"run": facts, "frames": [{"frame": f, "gauges": g} for f, g in measured], "shot": shot_facts(shot)}


@router.get("/runs/{run_id}/feed")
async def feed(request: Request, run_id: int) -> StreamingResponse:
    """News of a run as server-sent events: what has landed so far, then each frame as it lands."""
    studio: Studio = request.app.state.studio
    queue = studio.subscribe(run_id)

    def so_far() -> tuple[list[tuple[int, dict[str, Any]]], runs.RunRecord]:
        with studio.database.session() as session:
            return runs.gauges(session, run_id), runs.record(session, run_id)

    async def news() -> AsyncIterator[str]:
        try:
            measured, run = await asyncio.to_thread(so_far)
            for frame, gauges in measured:
                yield _event({"frame": frame, "gauges": gauges})
            if run.state not in runs.GOING:
                yield _event({"ended": run.state, "message": run.message})
                return
            told = {frame for frame, _ in measured}  # news may repeat what was read
            while True:
                try:
                    item = await asyncio.wait_for(queue.get(), 15)
                except TimeoutError:
                    yield ": waiting\n\n"
                    continue
                if item.get("frame") in told:
                    continue
                yield _event(item)
                if "ended" in item:
                    return
        finally:
            studio.unsubscribe(run_id, queue)

    return StreamingResponse(news(), media_type="text/event-stream", headers={"Cache-Control": "no-store"})


def _event(item: dict[str, Any]) -> str:
    return f"data: {json.dumps(item)}\n\n"


@router.get("/runs/{run_id}/because")
def because_of(request: Request, run_id: int, particle: int, frame: int) -> Response:
    """The story of an element at a frame, through all it came off."""
    studio: Studio = request.app.state.studio
    shot, _ = _shot_of(studio, run_id)
    try:
        told = story_of(shot, studio.frames(run_id), particle, frame)
    except KeyError as missing:
        raise HTTPException(404, str(missing.args[0])) from None
    return page(request, "because.html", told=told, run_id=run_id)


@router.get("/runs/{run_id}/why-not")
def why_not_of(request: Request, run_id: int, particle: int, frame: int, cue: str) -> Response:
    """Why a cue has not happened to an element by a frame."""
    studio: Studio = request.app.state.studio
    shot, quality = _shot_of(studio, run_id)
    store = studio.frames(run_id)
    try:
        picked(store, particle, frame)
    except KeyError as missing:
        raise HTTPException(404, str(missing.args[0])) from None
    world = studio.world(shot, quality)
    try:
        reasons = why_not(world, store, events_until(store, frame), particle, cue, frame)
    except KeyError:
        raise HTTPException(404, f"There is no cue {cue!r} at work in this run.") from None
    return page(request, "why_not.html", reasons=reasons)


@router.get("/runs/{run_id}/frames/{frame}/fired.json")
def fired(request: Request, run_id: int, frame: int, cue: str) -> dict[str, Any]:
    """Whom a cue concerned on the way to a frame."""
    studio: Studio = request.app.state.studio
    shot, _ = _shot_of(studio, run_id)
    try:
        return fired_at(shot, studio.frames(run_id), cue, frame)
    except KeyError as missing:
        raise HTTPException(404, str(missing.args[0])) from None


@router.get("/runs/{run_id}/frames/{frame}/from.json")
def came_from(request: Request, run_id: int, frame: int, row: str) -> list[list[float]]:
    """Where some of the elements are that came of a row, or of a row that makes bodies of a prop."""
    studio: Studio = request.app.state.studio
    shot, _ = _shot_of(studio, run_id)
    mine = [n for n, origin in enumerate(shot.origins) if row in (origin.id, getattr(origin, "prop", None))]
    store, found = studio.frames(run_id), []
    try:
        for matter in store.matters(frame):
            of = store.elements(frame, matter, ("position", "source"))
            found.append(of["position"][np.isin(of["source"], mine)])
    except KeyError as missing:
        raise HTTPException(404, str(missing.args[0])) from None
    places = np.concatenate(found) if found else np.zeros((0, 3))
    return np.round(places[:: max(1, len(places) // MOST_SHOWN)].astype(float), 4).tolist()  # type: ignore[no-any-return]


def _shot_of(studio: Studio, run_id: int) -> tuple[Shot, Quality]:
    """The shot as it was run, and the quality."""
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        return shots.document(session, run.shot_id, run.revision), run.quality
