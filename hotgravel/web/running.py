"""Runs: started, followed, cancelled, asked for their because."""

import asyncio
import json
from collections.abc import AsyncIterator
from functools import partial
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import Response, StreamingResponse
from sqlalchemy.orm import Session
from starlette.exceptions import HTTPException

from hotgravel.core.cues.because import ancestry
from hotgravel.core.cues.record import Events, all_events
from hotgravel.core.preflight.checks import findings
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.why_not import why_not
from hotgravel.core.run.world import beside, build
from hotgravel.core.shot.units import show_quantity
from hotgravel.store import runs, shots
from hotgravel.web.bench import opening_of, run_facts, shot_facts
from hotgravel.web.render import page
from hotgravel.web.studio import Studio

router = APIRouter()
MOST_RINGED = 2000  # of those that a cue concerned in one frame


@router.post("/shots/{shot_id}/runs", status_code=201)
def start(request: Request, shot_id: int) -> dict[str, Any]:
    """Start a run of the shot as it is, or find the one it would repeat. Faults that only building
    shows are told here."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        _none_going(session, shot_id)
    started = studio.run(shot_id)
    notes = [*started.notes, *(str(f) for f in findings(started.shot))]
    if started.found:
        notes.insert(0, f"Nothing that matters changed since run {started.run.id}, so it is shown, not repeated.")
    with studio.database.session() as session:
        facts = run_facts(started.run, started.run.revision) | opening_of(runs.gauges(session, started.run.id))
    return {"run": facts, "shot": shot_facts(started.shot), "notes": notes}


def _none_going(session: Session, shot_id: int) -> None:
    latest = runs.latest(session, shot_id)
    if latest and latest.state in runs.GOING:
        raise HTTPException(409, "A run of this shot is going on. Cancel it first, or wait for it.")


@router.post("/runs/{run_id}/resume", status_code=201)
def resume(request: Request, run_id: int) -> dict[str, Any]:
    """Let a run that stopped go on; what it had kept stays, and the result is the same bytes."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        if run.state not in ("cancelled", "failed"):
            raise HTTPException(409, f"Run {run_id} is {run.state}, so there is nothing to go on with.")
        _none_going(session, run.shot_id)
        shot = shots.document(session, run.shot_id, run.revision)
        head = shots.record(session, run.shot_id).head
    run = studio.go_on(run_id)
    return {"run": run_facts(run, head), "shot": shot_facts(shot), "notes": []}


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
        head = shots.record(session, run.shot_id).head
        measured = runs.gauges(session, run_id)
        facts = run_facts(run, head) | opening_of(measured)
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
    """The story of a particle at a frame, through all it came off."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        shot = shots.document(session, run.shot_id, run.revision)
    store = studio.frames(run_id)
    arrays, i = _picked(store, particle, frame)
    happened = _events(store, frame)
    chain = ancestry(shot, happened, particle, frame, partial(_found, store))
    facts = {
        "state": shot.states[int(arrays["state"][i])],
        "age": show_quantity(round(float(arrays["age"][i]), 3), "s", shot.dress),
        "speed": show_quantity(round(float(np.linalg.norm(arrays["velocity"][i])), 3), "m/s", shot.dress),
        "radius": show_quantity(round(float(arrays["radius"][i]), 5), "m", shot.dress),
        "height": show_quantity(round(float(arrays["position"][i, 1]), 4), "m", shot.dress),
    }
    mine = happened.particle == particle
    fired = {shot.cues[int(n)].id for n in np.unique(happened.cue[mine])}
    asked = [c for c in shot.cues if c.on and c.id not in fired]
    return page(
        request, "because.html", particle=particle, frame=frame, facts=facts, chain=chain, asked=asked, run_id=run_id
    )


@router.get("/runs/{run_id}/why-not")
def why_not_of(request: Request, run_id: int, particle: int, frame: int, cue: str) -> Response:
    """Why a cue has not happened to a particle by a frame."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        shot = shots.document(session, run.shot_id, run.revision)
    store = studio.frames(run_id)
    _picked(store, particle, frame)
    world = build(shot, beside(studio.meshes), run.quality)
    try:
        reasons = why_not(world, store, _events(store, frame), particle, cue, frame)
    except KeyError:
        raise HTTPException(404, f"There is no cue {cue!r} at work in this run.") from None
    return page(request, "why_not.html", reasons=reasons)


def _picked(store: FrameStore, particle: int, frame: int) -> tuple[dict[str, Any], int]:
    """The arrays of a frame, and which place in them is the particle's. Raises 404."""
    try:
        arrays = store.particles(frame, ("id", "age", "velocity", "state", "radius", "position"))
    except KeyError:
        raise HTTPException(404, f"Frame {frame} is not kept in this run.") from None
    found = np.flatnonzero(arrays["id"] == particle)
    if len(found) == 0:
        raise HTTPException(404, f"There is no particle {particle} at frame {frame}.")
    return arrays, int(found[0])


def _found(store: FrameStore, particle: int, frame: int) -> dict[str, Any] | None:
    """A particle at a frame, or at the latest one before it that still has it."""
    for f in range(frame, -(10**9), -1):
        try:
            arrays = store.particles(f, ("id", "age", "source", "parent", "cause"))
        except KeyError:
            return None
        at = np.flatnonzero(arrays["id"] == particle)
        if len(at):
            return {"frame": f} | {name: arrays[name][at[0]].item() for name in ("age", "source", "parent", "cause")}
    return None


def _events(store: FrameStore, frame: int) -> Events:
    return all_events([store.events(f) for f in store.frames() if f <= frame])


@router.get("/runs/{run_id}/frames/{frame}/fired.json")
def fired(request: Request, run_id: int, frame: int, cue: str) -> dict[str, Any]:
    """Whom a cue concerned on the way to a frame."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        shot = shots.document(session, run.shot_id, run.revision)
    number = next((n for n, row in enumerate(shot.cues) if row.id == cue), None)
    if number is None:
        raise HTTPException(404, f"There is no cue {cue!r} in this run.")
    try:
        events = studio.frames(run_id).events(frame)
    except KeyError:
        raise HTTPException(404, f"Frame {frame} is not kept in this run.") from None
    mine = np.flatnonzero(events.cue == number)[:MOST_RINGED]
    return {"particles": events.particle[mine].tolist(), "places": events.place[mine].tolist()}
