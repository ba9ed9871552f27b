"""The history of a shot: its revisions, what changed between two of them, and the way back."""

from typing import Annotated

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from hotgravel.core.shot.explain import differences
from hotgravel.store import runs, shots
from hotgravel.web.render import page
from hotgravel.web.studio import Studio

router = APIRouter(prefix="/shots/{shot_id}/history")


@router.get("")
def history(
    request: Request,
    shot_id: int,
    before: Annotated[int | None, Query(alias="from")] = None,
    after: Annotated[int | None, Query(alias="to")] = None,
) -> Response:
    """All revisions; two of them compared, the current one with the one before it by default."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        there = shots.record(session, shot_id)
        revisions = shots.history(session, shot_id)
        after = there.head if after is None else after
        before = (shots.revision(session, shot_id, after).parent or after) if before is None else before
        changed = differences(shots.document(session, shot_id, before), shots.document(session, shot_id, after))
        ran: dict[int, list[int]] = {}
        for run in runs.of_shot(session, shot_id):
            ran.setdefault(run.revision, []).append(run.id)
        return page(
            request,
            "history.html",
            shot=there,
            revisions=revisions,
            changed=changed,
            before=before,
            after=after,
            ran=ran,
        )


@router.post("")
def go_back(request: Request, shot_id: int, number: Annotated[int, Form()]) -> Response:
    """Make a revision the current one."""
    studio: Studio = request.app.state.studio
    with studio.editing, studio.database.session() as session:
        shots.go_back(session, shot_id, number)
    return RedirectResponse(f"/shots/{shot_id}", 303)
