"""Cuttings on the page: how far they are, their pieces when they are there, and the end of what takes too long."""

from typing import Annotated

from fastapi import APIRouter, HTTPException, Query, Request
from fastapi.responses import Response

from hotgravel.farm.cutting import NAME
from hotgravel.store import shots
from hotgravel.web.bench import cut_reports
from hotgravel.web.render import page
from hotgravel.web.studio import Studio

Name = Annotated[str, Query(pattern=NAME)]
router = APIRouter(prefix="/shots/{shot_id}/rows/{row}/pieces")


@router.get("")
def pieces(request: Request, shot_id: int, row: str) -> Response:
    """What the cutting that a row is of comes to, or how far it is."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        shot = shots.document(session, shot_id)
    try:
        there = shot.row(row)
    except KeyError:
        raise HTTPException(404, "There is no such row any more.") from None
    reports, sizes, cutting = cut_reports(studio, shot, (row,))
    return page(
        request, "pieces.html", shot_id=shot_id, row=there, reports=reports, sizes=sizes, cutting=cutting
    )  # fmt: skip


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
    return pieces(request, shot_id, row)
