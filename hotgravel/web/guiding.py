"""The guide's presses."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.spot import Edited
from hotgravel.store import settings
from hotgravel.web.editing import Number, Text, answer
from hotgravel.web.guide import STEPS, guided
from hotgravel.web.render import Typed

router = APIRouter(prefix="/shots/{shot_id}/guide")


@router.post("/leave")
def leave(request: Request, shot_id: int, revision: Number, unfolded: Text = "") -> Response:
    with request.app.state.studio.database.session() as session:
        settings.put(session, guided(shot_id), False)
    return answer(request, shot_id, revision, lambda s: Edited(s, ""), Typed("set", "", ""), unfolded)


@router.post("/{step}")
def do_step(request: Request, shot_id: int, step: str, revision: Number, unfolded: Text = "") -> Response:
    """Do what a sentence of the guide speaks of."""
    known = {s.name: s.do for s in STEPS if s.do}

    def change(shot: Shot) -> Edited:
        if step not in known:
            raise ShotFault([Fault("set", "", f"The guide has no step {step!r}. Accepted: {', '.join(known)}.")])
        return known[step](shot)

    return answer(request, shot_id, revision, change, Typed("set", "", ""), unfolded)
