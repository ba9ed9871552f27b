"""The preflight panel: what will go wrong, what the last run showed, and remedies at a press."""

from fastapi import APIRouter, Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from hotgravel.core.preflight.after import in_run
from hotgravel.core.preflight.checks import findings, in_order
from hotgravel.core.run.world import World
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.finding import Finding, counted
from hotgravel.core.shot.spot import Edited
from hotgravel.store import runs, shots
from hotgravel.web.editing import Number, Text, answer
from hotgravel.web.render import Typed, page
from hotgravel.web.runs_page import estimate_for
from hotgravel.web.studio import Studio

router = APIRouter(prefix="/shots/{shot_id}/preflight")


@router.get("")
def panel(request: Request, shot_id: int) -> Response:
    """All findings about a shot as it is now, and about its latest run if it ran like this."""
    before, after, nothing = _all(request, shot_id)
    count = counted(before + after)
    return page(request, "preflight.html", shot_id=shot_id, before=before, after=after, nothing=nothing, count=count)


def _all(request: Request, shot_id: int) -> tuple[list[Finding], list[Finding], str]:
    """What is found before a run and after it, and what to say where nothing was found after it."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        shot = shots.document(session, shot_id)
        told = estimate_for(studio, session, shot_id, shot)
        try:
            world = studio.world(shot)
        except ShotFault as fault:
            broken = [Finding("cannot be built", f.row, f.field, f.message) for f in fault.faults]
            return in_order(broken + findings(shot, None, told)), [], "The shot cannot run as it is."
        return findings(shot, world, told), *_after(studio, session, shot_id, shot, world)


def _after(studio: Studio, session: Session, shot_id: int, shot: Shot, world: World) -> tuple[list[Finding], str]:
    """Of the latest run that is over, if it is of this very shot; and what there is to say if nothing is found."""
    run = runs.latest(session, shot_id, with_frames=True)
    if run is None:
        return [], "The shot has not run yet."
    if run.state in runs.GOING:
        return [], f"Run {run.id} is not over yet."
    if run.revision != shots.record(session, shot_id).head:
        return [], f"The page has changed since run {run.id}. Run it again to be told."
    measured = dict(runs.gauges(session, run.id))
    found = in_order(list(in_run(shot, world, studio.frames(run.id), measured)))
    return found, f"Nothing found in run {run.id}."


@router.post("/remedy")
def remedy(
    request: Request, shot_id: int, check: Text, revision: Number, row: Text = "", path: Text = "", unfolded: Text = ""
) -> Response:  # fmt: skip
    """Do what a finding offers."""

    def change(shot: Shot) -> Edited:
        before, after, _nothing = _all(request, shot_id)
        for finding in before + after:
            if (finding.check, finding.row, finding.path) == (check, row, path) and finding.remedy:
                return finding.remedy.act(shot)
        raise ShotFault.of("This finding is gone: the shot has changed. Look at the preflight again.")

    return answer(request, shot_id, revision, change, Typed(row or "set", path, ""), unfolded)
