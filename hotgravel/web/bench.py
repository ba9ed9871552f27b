"""The bench: one shot, with its stage, notebook and score."""

from collections.abc import Container
from itertools import islice
from typing import Any

import numpy as np
from fastapi import APIRouter, Body, Request
from fastapi.responses import Response
from sqlalchemy.orm import Session
from starlette.exceptions import HTTPException

from hotgravel.core.drive.value import is_driven
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.picture.light import as_data
from hotgravel.core.run.estimate import counts_at, in_words
from hotgravel.core.run.gauges import named, telling_frame
from hotgravel.core.run.retimed import shown_frames
from hotgravel.core.run.world import beside
from hotgravel.core.shape.mesh import MeshFault, import_mesh
from hotgravel.core.shot.dials import dials_of
from hotgravel.core.shot.document import Shot, fingerprint
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.props import Mesh, Prop
from hotgravel.core.shot.row import Row
from hotgravel.core.shot.signals import signals_in
from hotgravel.core.shot.units import shown_factor, shown_unit
from hotgravel.farm.cutting import Standing
from hotgravel.store import runs, settings, shots
from hotgravel.store.models import RunRecord
from hotgravel.web.driven import over_frames
from hotgravel.web.guide import steps_for
from hotgravel.web.render import notebook, page
from hotgravel.web.runs_page import estimate_for
from hotgravel.web.studio import BeingCut, CutStopped, Studio

router = APIRouter()
FARTHEST = 1e6  # metres: how far off a camera may stand
MOST_LANES, MOST_SAMPLES = 40, 600  # signals, and values of each: more than there are pixels to draw them
MESH_UNITS = dials_of(Mesh)["unit"].words  # type: ignore[attr-defined]


def run_facts(session: Session, run: RunRecord) -> dict[str, Any]:
    """A run as the bench's scripts know it; `older` if the page would give another result by now."""
    return {
        "id": run.id, "state": run.state, "message": run.message, "quality": run.quality,
        "revision": run.revision, "first": run.first, "last": run.last, "landed": run.landed,
        "older": _is_older(session, run), "waits_for": runs.in_work(session) if run.state == "waiting" else None,
    }  # fmt: skip


def _is_older(session: Session, run: RunRecord) -> bool:
    if run.revision == shots.record(session, run.shot_id).head:
        return False
    now, then = shots.document(session, run.shot_id), shots.document(session, run.shot_id, run.revision)
    return now.finish.quality != run.quality or fingerprint(now) != fingerprint(then)


def opening_of(measured: list[tuple[int, dict[str, Any]]]) -> dict[str, int]:
    """The frame at which the stage opens on a run, if any has landed."""
    return {"opening": telling_frame(dict(measured))} if measured else {}


def shot_facts(shot: Shot) -> dict[str, Any]:
    """What the stage and the score need to know of a shot."""
    there = counts_at(shot, shot.finish.last)
    return {
        "set": hash((shot.set, shot.matter, shot.finish, shot.cues)),  # of all that the set is drawn from
        "first": shot.finish.first, "last": shot.finish.last, "rate": shot.finish.rate,
        "pre_roll": shot.finish.pre_roll,
        "spans": shot.pace.spans.tolist() if is_driven(shot.finish.time_scale) else [shot.pace.longest],
        "lengths": shot.finish.lengths, "quality": shot.finish.quality,
        "states": [{"id": s.id, "name": s.name, "colour": s.colour, "shine": s.shine, "of": s.of} for s in shot.states],
        "skins": [
            {"id": s.id, "look": s.look, "shown": s.shown, "whom": s.whom, "wraps": s.wraps}
            for s in shot.surfaces
        ],
        "streaks": [row.id for row in shot.streaks],
        "retime": shown_frames(shot) if shot.finish.retime is not None else None,
        "signals": _lanes(shot), "light": as_data(shot.finish),
        "zones": [{"id": z.id, "name": z.name} for z in shot.zones.values()],
        "origins": [origin.id for origin in shot.origins] + [row.prop for row in shot.shaped],
        "cues": [{"id": c.id, "name": shot.names()[c.id], "on": c.on} for c in shot.cues],
        "gauges": [
            {"matter": matter, "name": name, "title": title.replace("_", " "), "unit": gauge.unit}
            for matter, name, title, gauge in named(MATTERS.values())
        ],
        "lanes": [
            {
                "matter": matter.name, "title": lane.title, "style": lane.style, "gauges": lane.gauges,
                "expected": there[matter.name] > 0, "unit": matter.gauges[lane.gauges[0]].unit,
                "help": "; ".join(matter.gauges[name].help for name in lane.gauges),
            }
            for matter in MATTERS.values() for lane in matter.lanes if lane.told_in(shot)
        ],
    }  # fmt: skip


def _lanes(shot: Shot) -> list[dict[str, Any]]:
    """The signals of a shot for the score: what each is called, and its values as they are shown, every so many
    frames."""
    frames = np.arange(shot.finish.first, shot.finish.last + 1, dtype=float)
    step = -(-len(frames) // MOST_SAMPLES)
    found = []
    for row, path, quantity, driver in islice(signals_in(shot), MOST_LANES):
        axis = f" {'xyz'[int(path[-1])]}" if quantity.three else ""
        values = over_frames(shot, driver, frames[::step]) / shown_factor(quantity.unit, shot.dress)
        found.append({
            "row": row.id, "path": path, "name": f"{shot.names()[row.id]}: {quantity.label}{axis}", "step": step,
            "values": [float(f"{v:.3g}") if abs(v) > 1e-9 else 0.0 for v in values],
            "unit": "" if quantity.unit in ("count", "frame") else shown_unit(quantity.unit, shot.dress),
        })  # fmt: skip
    return found


def imports(studio: Studio, session: Session, shot: Shot, reported: Container[str] = ()) -> dict[str, Any]:
    """What the notebook says of imported meshes, and of the cuttings among the rows `reported`: a report by row, and
    the unit and axis of the last import."""
    reports = {}
    for prop in shot.set:
        if isinstance(prop, Prop) and isinstance(prop.shape, Mesh):
            try:
                reports[prop.id] = import_mesh(prop.shape, beside(studio.meshes)).report()
            except MeshFault as fault:
                reports[prop.id] = str(fault)
    told, sizes, cutting = cut_reports(studio, shot, reported)
    reports |= told
    unit, up = settings.get(session, settings.MESH_UNIT, "m"), settings.get(session, settings.MESH_UP, "y")
    return {
        "reports": reports,
        "sizes": sizes,
        "cutting": cutting,
        "mesh_unit": unit,
        "mesh_up": up,
        "mesh_units": MESH_UNITS,
    }


Reports = tuple[dict[str, str], dict[str, list[int]], dict[str, Standing]]


def row_in(shot: Shot, row: str) -> Row:
    """A row of a shot, by its id. Raises 404."""
    try:
        return shot.row(row)
    except KeyError:
        raise HTTPException(404, "There is no such row any more.") from None


def cut_reports(studio: Studio, shot: Shot, reported: Container[str]) -> Reports:
    """What cuttings come to, how many pieces there are of each size, and how far those are that are being made, by row;
    only those whose rows are unfolded are made for it."""
    rows = [row for of in shot.cuts.values() for row in of if row.id in reported]
    if not rows:
        return {}, {}, {}
    try:
        cuttings = studio.cuttings(shot)
    except BeingCut as going:
        return {}, {}, {row.id: going.standing for row in rows}
    except ShotFault as fault:
        said = " ".join(f.message for f in fault.faults)
        stopped = {row.id: fault.standing for row in rows} if isinstance(fault, CutStopped) else {}
        return {row.id: said for row in rows}, {}, stopped
    made = {row.id: cuttings[row.prop] for row in rows if row.prop in cuttings}
    return {row: of.report() for row, of in made.items()}, {row: of.spread() for row, of in made.items()}, {}


@router.get("/shots/{shot_id}.json")
def bench_json(request: Request, shot_id: int) -> dict[str, Any]:
    """The shot as its file would hold it."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        return shots.document(session, shot_id).dump()


@router.get("/shots/{shot_id}")
def bench(request: Request, shot_id: int, run: int | None = None) -> Response:
    """The bench on a shot, with its latest run on the stage or the one asked for."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        there = shots.record(session, shot_id)
        shot = shots.document(session, shot_id)
        shown = _run_to_show(session, shot_id, run)
        facts = {
            "shot": {"id": shot_id, **shot_facts(shot)},
            "run": shown and run_facts(session, shown) | opening_of(runs.gauges(session, shown.id)),
            "estimate": in_words(estimate_for(studio, session, shot_id, shot)),
            "camera": there.camera,
            # A demo shot that was not run at the first start is run when it is opened.
            "run_now": shown is None and there.head == 1 and bool(settings.get(session, settings.demo_of(shot_id))),
            "revision": there.head,
        }
        return page(
            request, "bench.html", facts=facts, name=there.name, **notebook(shot_id, shot, there.head),
            **imports(studio, session, shot),
            walk=shots.walk(session, shot_id), guide=steps_for(session, shot_id, shot),
        )  # fmt: skip


@router.get("/shots/{shot_id}/estimate.json")
def estimate_json(request: Request, shot_id: int) -> dict[str, Any]:
    """What a run of the shot will take, in words and numbers."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        told = estimate_for(studio, session, shot_id, shots.document(session, shot_id))
    return {"words": in_words(told), "seconds": [told.least, told.most], "bytes": told.bytes, "from_runs": told.runs}


def _run_to_show(session: Session, shot_id: int, asked: int | None) -> RunRecord | None:
    if asked is not None:
        run = runs.record(session, asked)
        if run.shot_id != shot_id:
            raise runs.NoSuchRun(asked)
        return run
    going = runs.latest(session, shot_id)
    return going if going and going.state in runs.GOING else runs.latest(session, shot_id, with_frames=True)


@router.post("/shots/{shot_id}/camera", status_code=204)
def keep_camera(request: Request, shot_id: int, camera: dict[str, list[float]] = Body()) -> None:
    """Keep where the stage's camera stands: eye and aim, three numbers each."""
    studio: Studio = request.app.state.studio
    for name in ("eye", "aim"):
        if (
            len(camera.get(name, [])) != 3
            or not np.isfinite(camera[name]).all()
            or np.abs(camera[name]).max() > FARTHEST
        ):
            raise HTTPException(422, f"{name} is no place. Accepted: three numbers in metres, up to {FARTHEST:g}.")
    with studio.database.session() as session:
        shots.set_camera(session, shot_id, {name: camera[name] for name in ("eye", "aim")})
