"""Two runs of a shot side by side: what differs in their sentences, their gauges over each other."""

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from hotgravel.core.shot.explain import differences
from hotgravel.store import runs, shots
from hotgravel.web.bench import run_facts, shot_facts
from hotgravel.web.render import page
from hotgravel.web.studio import Studio

router = APIRouter()


@router.get("/shots/{shot_id}/compare")
def compare(request: Request, shot_id: int, a: int | None = None, b: int | None = None) -> Response:
    """Run `a` at the left and `b` at the right; the two latest that have frames by default."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        there = shots.record(session, shot_id)
        made = [r for r in runs.of_shot(session, shot_id) if r.landed > 0]
        if len(made) < 2:
            return RedirectResponse(f"/shots/{shot_id}/runs", 303)
        left = runs.record(session, a) if a is not None else made[1]
        right = runs.record(session, b) if b is not None else made[0]
        if {left.shot_id, right.shot_id} != {shot_id}:
            raise runs.NoSuchRun(a)
        documents = [shots.document(session, shot_id, r.revision) for r in (left, right)]
        sides = [
            {"run": run_facts(session, run), "shot": shot_facts(shot)}
            for run, shot in zip((left, right), documents, strict=True)
        ]
        return page(
            request, "compare.html", shot=there, made=made, left=left, right=right, changed=differences(*documents),
            facts={"sides": sides, "camera": there.camera},
        )  # fmt: skip
