"""The first page: all shots as cards."""

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.orm import Session
from starlette.exceptions import HTTPException

from hotgravel.core.run.estimate import size_in_words
from hotgravel.core.shot.document import load
from hotgravel.core.shot.edit import rename
from hotgravel.demo.shots import demo_names, demo_picture
from hotgravel.farm.job import PICTURE
from hotgravel.store import runs, settings, shots
from hotgravel.store.models import RunRecord, ShotRecord
from hotgravel.web.guide import guided
from hotgravel.web.render import page
from hotgravel.web.starters import GUIDED, STARTERS
from hotgravel.web.studio import Studio

router = APIRouter()


@dataclass(frozen=True)
class Card:
    """A shot with its latest run."""

    shot: ShotRecord
    run: RunRecord | None
    picture: int | None
    frames: str
    disk: str
    demo: str | None


def _card(studio: Studio, session: Session, there: ShotRecord) -> Card:
    shot = shots.document(session, there.id)
    shown = runs.latest(session, there.id, with_frames=True)
    pictured = shown and (studio.run_folder(shown.id) / PICTURE).is_file()
    return Card(
        shot=there,
        run=runs.latest(session, there.id),
        picture=shown.id if shown and pictured else None,
        frames=f"{shot.finish.last - shot.finish.first + 1} frames at {shot.finish.rate:g} fps",
        disk=size_in_words(studio.disk(*(r.id for r in runs.of_shot(session, there.id)))),
        demo=_pictured_demo(session, there),
    )


def _pictured_demo(session: Session, there: ShotRecord) -> str | None:
    """The demo shot that a shot came as, if a picture of it comes with the application."""
    name = settings.get(session, settings.demo_of(there.id))
    return name if name and demo_picture(name).is_file() else None


@router.get("/demo/{name}.jpg")
def picture_of_demo(name: str) -> Response:
    """A picture of a demo shot that comes with the application."""
    if name not in demo_names() or not demo_picture(name).is_file():
        raise HTTPException(404, f"There is no picture of a demo shot {name!r}.")
    return Response(demo_picture(name).read_bytes(), media_type="image/jpeg", headers={"Cache-Control": "max-age=3600"})


def _cards(studio: Studio) -> list[Card]:
    with studio.database.session() as session:
        return [_card(studio, session, there) for there in shots.all_shots(session)]


@router.get("/")
def shots_page(request: Request) -> Response:
    return page(request, "shots.html", cards=_cards(request.app.state.studio), starters=STARTERS)


@router.get("/shots.json")
def shots_json(request: Request) -> list[dict[str, object]]:
    """The first page as data."""
    return [
        {
            "id": card.shot.id,
            "name": card.shot.name,
            "revision": card.shot.head,
            "changed": card.shot.changed.isoformat(),
            "latest_run": card.run and {"id": card.run.id, "state": card.run.state, "frames": card.run.landed},
        }
        for card in _cards(request.app.state.studio)
    ]


@router.get("/shots/{shot_id}/cards")
def one_card(request: Request, shot_id: int) -> Response:
    """A card by itself, for a page that waits for a run's picture."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        return page(request, "card.html", card=_card(studio, session, shots.record(session, shot_id)))


@router.post("/shots")
def new_shot(request: Request, starter: Annotated[str, Form()], name: Annotated[str, Form()] = "") -> Response:
    """A new shot from a starter, opened on the bench."""
    if starter not in STARTERS:
        raise HTTPException(422, f"There is no starter {starter!r}. There are: {', '.join(STARTERS)}.")
    studio: Studio = request.app.state.studio
    with studio.creating() as session:
        shot = STARTERS[starter].shot()
        shot = rename(shot, name).shot if name.strip() else shot
        made = shots.create(session, shot, f"from the starter {starter}")
        settings.put(session, guided(made.id), starter == GUIDED)
    return RedirectResponse(f"/shots/{made.id}", 303)


@router.post("/shots/{shot_id}/duplicate")
def duplicate(request: Request, shot_id: int) -> Response:
    studio: Studio = request.app.state.studio
    with studio.creating() as session:
        shot = shots.document(session, shot_id)
        name = f"{shot.name[:70]} copy"
        copy = shots.create(session, load(shot.dump() | {"name": name}), f"duplicate of {shot.name}")
        copy.camera = shots.record(session, shot_id).camera
    return RedirectResponse("/", 303)


@router.post("/shots/{shot_id}/rename")
def rename_shot(
    request: Request, shot_id: int, name: Annotated[str, Form()], back: Annotated[str, Form()] = ""
) -> Response:  # fmt: skip
    studio: Studio = request.app.state.studio
    with studio.editing, studio.database.session() as session:
        seen = shots.record(session, shot_id).head
        edited = rename(shots.document(session, shot_id), name)
        shots.revise(session, shot_id, seen, edited.shot, edited.label)
    return RedirectResponse(f"/shots/{shot_id}" if back == "bench" else "/", 303)


@router.get("/runs/{run_id}/picture.png")
def picture(request: Request, run_id: int) -> Response:
    path = request.app.state.studio.run_folder(run_id) / PICTURE
    if not path.is_file():
        raise HTTPException(404, "This run has no picture yet.")
    return Response(path.read_bytes(), media_type="image/png", headers={"Cache-Control": "max-age=3600"})
