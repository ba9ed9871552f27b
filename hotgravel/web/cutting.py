"""Cuttings on the page: how far they are, their pieces when they are there, and the end of what takes too long."""

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response

from hotgravel.farm.cutting import GOING, NAME
from hotgravel.store import shots
from hotgravel.web.bench import cut_reports, row_in
from hotgravel.web.render import page
from hotgravel.web.studio import Studio

Name = Annotated[str, Query(pattern=NAME)]
router = APIRouter(prefix="/shots/{shot_id}/rows/{row}/pieces")


@router.get("")
def pieces(request: Request, shot_id: int, row: str, far: bool = False) -> Response:
    """What the cutting that a row is of comes to, or how far it is: with `far` that alone while it is under way."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        shot = shots.document(session, shot_id)
    context = {"shot_id": shot_id, "row": row_in(shot, row)}
    reports, sizes, cutting = cut_reports(studio, shot, (row,))
    if far and row in cutting and cutting[row].state == GOING:
        return page(request, "how_far.html", **context, going=cutting[row])
    answer = page(request, "pieces.html", **context, reports=reports, sizes=sizes, cutting=cutting)
    answer.headers["HX-Retarget"] = "closest .pieces"
    return answer


@router.post("/cancel")
def cancel(request: Request, shot_id: int, row: str, name: Name) -> Response:
    """End the cutting that is under way."""
    studio: Studio = request.app.state.studio
    studio.cutting.cancel(name)
    return pieces(request, shot_id, row)


@router.post("/again")
def again(request: Request, shot_id: int, row: str, name: Name) -> Response:
    """Cut anew what was cancelled or failed."""
    studio: Studio = request.app.state.studio
    studio.cutting.again(name)
    answer = pieces(request, shot_id, row)
    answer.headers["HX-Trigger"] = "cut-again"  # the stage tells of it too
    return answer
