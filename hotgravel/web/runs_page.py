"""The runs of a shot: what each was, what it took, what changed since the one before."""

from dataclasses import dataclass, replace
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.orm import Session

from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.estimate import Estimate, Spent, estimate, size_in_words, spent
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.explain import Difference, differences
from hotgravel.farm.job import PICTURE
from hotgravel.store import runs, shots
from hotgravel.store.models import RunRecord
from hotgravel.web.render import page
from hotgravel.web.studio import Studio

router = APIRouter()
PARTS = ("cues", "skins", "measuring", "writing", *MATTERS)
LATEST = 5


@dataclass(frozen=True)
class Line:
    """A run as its page shows it. `parts` are (place, name, seconds, start, width), 100 wide in all."""

    run: RunRecord
    seconds: float
    disk: str
    pictured: bool
    parts: list[tuple[int, str, float, float, float]]
    changed: list[Difference]
    before: int | None


def spent_by(studio: Studio, session: Session, run: RunRecord) -> Spent:
    """What a run took, from its shot, its gauges and its folder; of one that is finished all but the last is kept."""
    told, size = studio.spent.get(run.id), studio.disk(run.id)
    if told is None:
        told = spent(shots.document(session, run.shot_id, run.revision), runs.gauges(session, run.id), size)
        if run.state == "finished":
            studio.spent[run.id] = told
    return replace(told, bytes=size)


def estimate_for(studio: Studio, session: Session, shot_id: int, shot: Shot) -> Estimate:
    """What the next run of a shot will take, from its latest ones."""
    past = [r for r in runs.of_shot(session, shot_id) if r.state == "finished"][:LATEST]
    return estimate(shot, [spent_by(studio, session, run) for run in past])


def _line(studio: Studio, session: Session, run: RunRecord, before: RunRecord | None) -> Line:
    seconds: dict[str, float] = {}
    for _, gauges in runs.gauges(session, run.id):
        for part, took in gauges["seconds"].items():
            seconds[part] = seconds.get(part, 0.0) + took
    total = sum(seconds.values())
    parts, at = [], 0.0
    for place, name in enumerate(PARTS, 1):
        share = 100.0 * seconds.get(name, 0.0) / total if total else 0.0
        parts.append((place, name, seconds.get(name, 0.0), round(at, 2), round(share, 2)))
        at += share
    changed: list[Difference] = []
    if before is not None:
        documents = [shots.document(session, run.shot_id, r.revision) for r in (before, run)]
        changed = differences(*documents)
    size = studio.disk(run.id)
    return Line(
        run, total, size_in_words(size), (studio.run_folder(run.id) / PICTURE).is_file(), parts,
        changed, before.id if before else None,
    )  # fmt: skip


@router.get("/shots/{shot_id}/runs")
def runs_page(request: Request, shot_id: int) -> Response:
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        there = shots.record(session, shot_id)
        made = runs.of_shot(session, shot_id)
        lines = [_line(studio, session, run, before) for run, before in zip(made, [*made[1:], None], strict=False)]
        disk = size_in_words(studio.disk(*(r.id for r in made)))
        going = any(r.state in runs.GOING for r in made)
        return page(request, "runs.html", shot=there, lines=lines, disk=disk, going=going)


@router.get("/shots/{shot_id}/runs.json")
def runs_json(request: Request, shot_id: int) -> list[dict[str, Any]]:
    """The page as data."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        shots.record(session, shot_id)
        return [
            {"id": r.id, "state": r.state, "quality": r.quality, "frames": r.landed, "pinned": r.pinned,
             "bytes": studio.disk(r.id), "seconds": spent_by(studio, session, r).seconds}
            for r in runs.of_shot(session, shot_id)
        ]  # fmt: skip


@router.post("/runs/{run_id}/pin")
def pin(request: Request, run_id: int, pinned: Annotated[bool, Form()]) -> Response:
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        runs.pin(session, run_id, pinned)
        shot_id = runs.record(session, run_id).shot_id
    return RedirectResponse(f"/shots/{shot_id}/runs", 303)
