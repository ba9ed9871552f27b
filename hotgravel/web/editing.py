"""Edits from the notebook. Each answers with the notebook as it is afterwards."""

from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import Response
from sqlalchemy.orm import Session
from starlette.exceptions import HTTPException

from hotgravel.core.shape.swatches import LARGEST_PICTURE, NoPicture, swatches_of
from hotgravel.core.shot import edit, vary
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.explain import row_sentence
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.spot import Edited
from hotgravel.store import runs, shots
from hotgravel.web.bench import imports, row_in, run_facts, shot_facts
from hotgravel.web.driven import last_range
from hotgravel.web.guide import steps_for
from hotgravel.web.render import NOTHING_TYPED, Typed, notebook, page, redrawn
from hotgravel.web.studio import Studio

MOST_TABLE = 4 * 2**20
router = APIRouter(prefix="/shots/{shot_id}")

Text = Annotated[str, Form()]
Number = Annotated[int, Form()]
Real = Annotated[float, Form(allow_inf_nan=False)]
Change = Callable[[Shot], Edited]


def answer(
    request: Request,
    shot_id: int,
    seen: int,
    change: Change,
    typed: Typed = NOTHING_TYPED,
    unfolded: str = "",
    added: list[str] | None = None,
) -> Response:
    """Make the change, store it as a revision, and show the notebook; a fault changes nothing.

    `change` may put rows into `added`, which are then shown unfolded.
    """
    studio: Studio = request.app.state.studio
    status = 200
    with studio.editing, studio.database.session() as session:
        shot = shots.document(session, shot_id)
        before = shot if seen == shots.record(session, shot_id).head else None  # which the page then shows
        try:
            edited = change(shot)
            if edited.shot != shot:
                shots.revise(session, shot_id, seen, edited.shot, edited.label)
            # Its row is drawn anew even where nothing has changed: it may show a fault, or "0,5" for 0.5.
            typed, unfolded = replace(NOTHING_TYPED, row=typed.row), " ".join([unfolded, *(added or [])])
        except ShotFault as fault:
            status, typed = 422, replace(typed, faults=fault.faults)
        except shots.Stale as stale:
            fault = Fault(typed.row, "", _refusal(stale, shot, typed.row))
            status, typed = 409, replace(typed, faults=(fault,), late=True)
        return _notebook(request, session, shot_id, status, typed, unfolded, before)


def _refusal(stale: shots.Stale, shot: Shot, row: str) -> str:
    """Why a stale edit was not made, with what its row says now."""
    now = next((row_sentence(shot, r) for r in shot.rows() if r.id == row), "This row is gone.")
    return f"{stale} Nothing was overwritten. It now says: {now} Yours was not made."


def _notebook(
    request: Request, session: Session, shot_id: int, status: int, typed: Typed, unfolded: str, before: Shot | None
) -> Response:  # fmt: skip
    """The notebook; or of it, if the page is known to show the shot `before`, the rows alone that have changed."""
    head = shots.record(session, shot_id).head
    shot = shots.document(session, shot_id)
    run = runs.latest(session, shot_id, with_frames=True)
    facts = {"shot": {"id": shot_id, **shot_facts(shot)}, "revision": head, "run": run and run_facts(session, run)}
    if request.headers.get("hx-request"):
        status = 200  # the page asked, and shows the refusal where it belongs
    studio: Studio = request.app.state.studio
    changed = redrawn(shot_id, before, shot) if before and request.headers.get("hx-request") else None
    typed_in = next((row for row in shot.rows() if row.id == typed.row), None)
    whole = changed is None or (typed.faults and typed_in is None)
    drawn = list(shot.rows()) if changed is None or whole else changed
    if typed_in is not None and typed_in not in drawn:
        drawn.append(typed_in)
    reported = {row.id for row in drawn} & set(unfolded.split())
    context = notebook(shot_id, shot, head, typed, unfolded) | imports(studio, session, shot, reported)
    context |= {"walk": shots.walk(session, shot_id), "news": facts, "guide": steps_for(session, shot_id, shot)}
    if whole:
        return page(request, "notebook.html", status, **context)
    answer = page(request, "changed.html", status, **context | {"changed": drawn, "oob": True})
    answer.headers["HX-Reswap"] = "none"
    return answer


def _step(request: Request, shot_id: int, seen: int, unfolded: str, *, on: bool) -> Response:
    studio: Studio = request.app.state.studio
    status, typed = 200, NOTHING_TYPED
    with studio.editing, studio.database.session() as session:
        before: Shot | None = shots.document(session, shot_id)
        try:
            shots.step(session, shot_id, seen, on=on)
        except shots.Stale as stale:
            before = None
            status, typed = 409, Typed("set", "", "", (Fault("set", "", f"{stale} This is the current page."),))
        return _notebook(request, session, shot_id, status, typed, unfolded, before)


def _seen(form: Any) -> int:
    """The revision that a form was made on. Raises 422."""
    try:
        return int(str(form.get("revision", 0)))
    except ValueError:
        raise HTTPException(422, "The revision is no whole number.") from None


@router.get("/notebook")
def whole_notebook(request: Request, shot_id: int, unfolded: str = "") -> Response:
    """The notebook as it is now, for a page that has fallen behind."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        return _notebook(request, session, shot_id, 200, NOTHING_TYPED, unfolded, None)


@router.get("/now.json")
def now(request: Request, shot_id: int) -> dict[str, Any]:
    """The revision that is current and the latest run, which other tabs and windows may have made; and the kernel that
    is being prepared for later runs."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.latest(session, shot_id)
        return {
            "revision": shots.record(session, shot_id).head,
            "run": run.id if run else None,
            "preparing": studio.preparing,
        }


@router.post("/undo")
def undo(request: Request, shot_id: int, revision: Number, unfolded: Text = "") -> Response:
    return _step(request, shot_id, revision, unfolded, on=False)


@router.post("/redo")
def redo(request: Request, shot_id: int, revision: Number, unfolded: Text = "") -> Response:
    return _step(request, shot_id, revision, unfolded, on=True)


@router.post("/rows/{row}/set")
def set_text(
    request: Request,
    shot_id: int,
    row: str,
    path: Text,
    revision: Number,
    value: Text = "",
    unfolded: Text = "",
) -> Response:
    typed = Typed(row, path, value)
    told = last_range(request, shot_id, row, value) if path.endswith("attribute") else {}
    return answer(request, shot_id, revision, lambda s: edit.set_text(s, row, path, value, told), typed, unfolded)


@router.get("/rows/{row}/dials")
def dials_of_row(request: Request, shot_id: int, row: str) -> Response:
    """The dials of a row that is being unfolded."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        shot = shots.document(session, shot_id)
        context = {"shot_id": shot_id, "shot": shot, "row": row_in(shot, row), "typed": NOTHING_TYPED}
        return page(request, "dials.html", **context, **imports(studio, session, shot, (row,)))


@router.post("/rows/{row}/refers")
async def set_many(request: Request, shot_id: int, row: str) -> Response:
    form = await request.form()
    path, targets = str(form.get("path", "")), [str(v) for v in form.getlist("value")]
    typed = Typed(row, path, "")
    seen = _seen(form)
    change = lambda s: edit.set_many(s, row, path, targets)  # noqa: E731
    return answer(request, shot_id, seen, change, typed, str(form.get("unfolded", "")))


@router.post("/rows/{row}/keys")
async def set_keys(request: Request, shot_id: int, row: str) -> Response:
    form = await request.form()
    path = str(form.get("path", ""))
    columns = [[str(v) for v in form.getlist(name)] for name in ("frame", "value", "ease")]
    keys = [k for k in zip(*columns, strict=False) if k[0].strip() or k[1].strip()]
    shown = tuple({"frame": f, "value": v, "ease": e} for f, v, e in keys)
    typed = Typed(row, path, "", keys=shown)
    seen = _seen(form)
    change = lambda s: vary.set_keys(s, row, path, keys)  # noqa: E731
    return answer(request, shot_id, seen, change, typed, str(form.get("unfolded", "")))


@router.post("/rows/{row}/drive")
def drive(
    request: Request, shot_id: int, row: str, path: Text, revision: Number, kind: Text = "keys", unfolded: Text = ""
) -> Response:  # fmt: skip
    typed = Typed(row, path, "")
    told = last_range(request, shot_id, row, kind.partition(" ")[2]) if kind.startswith("response") else {}
    return answer(request, shot_id, revision, lambda s: vary.drive(s, row, path, kind, told), typed, unfolded)


@router.post("/rows/{row}/points")
def set_points(
    request: Request, shot_id: int, row: str, path: Text, points: Text, revision: Number, unfolded: Text = ""
) -> Response:  # fmt: skip
    """The points of a curve as it was dragged: "x,y x,y"."""

    def change(shot: Shot) -> Edited:
        try:
            read = [(float(x), float(y)) for x, y in (pair.split(",") for pair in points.split())]
        except ValueError:
            raise ShotFault([Fault(row, path, "The curve's points cannot be read. Accepted: x,y x,y.")]) from None
        return vary.set_points(shot, row, path, read)

    return answer(request, shot_id, revision, change, Typed(row, path, ""), unfolded)


@router.post("/rows/{row}/palette")
async def set_palette(request: Request, shot_id: int, row: str) -> Response:
    form = await request.form()
    path = str(form.get("path", ""))
    swatches = list(zip(*([str(v) for v in form.getlist(name)] for name in ("colour", "weight")), strict=False))
    change = lambda s: edit.set_palette(s, row, path, swatches)  # noqa: E731
    return answer(request, shot_id, _seen(form), change, Typed(row, path, ""), str(form.get("unfolded", "")))


@router.post("/rows/{row}/palette-picture")
def palette_from(
    request: Request, shot_id: int, row: str, path: Text, picture: UploadFile, revision: Number, unfolded: Text = ""
) -> Response:  # fmt: skip
    """A palette of a picture's main colours; the picture itself is not kept."""

    def change(shot: Shot) -> Edited:
        try:
            found = swatches_of(picture.file.read(LARGEST_PICTURE + 1))
        except NoPicture as fault:
            raise ShotFault([Fault(row, path, str(fault))]) from None
        return edit.set_palette(shot, row, path, [(colour, str(weight)) for colour, weight in found])

    return answer(request, shot_id, revision, change, Typed(row, path, ""), unfolded)


@router.post("/rows/{row}/table")
def set_table(
    request: Request, shot_id: int, row: str, path: Text, table: UploadFile, revision: Number, unfolded: Text = ""
) -> Response:  # fmt: skip
    """The keys of an uploaded CSV table."""

    def change(shot: Shot) -> Edited:
        try:
            text = table.file.read(MOST_TABLE).decode("utf-8-sig")
        except UnicodeDecodeError:
            raise ShotFault([Fault(row, path, "The table is not text in UTF-8.")]) from None
        return vary.set_table(shot, row, path, text)

    return answer(request, shot_id, revision, change, Typed(row, path, ""), unfolded)


@router.post("/rows/{row}/strokes")
def add_strokes(
    request: Request, shot_id: int, row: str, path: Text, points: Text, revision: Number, unfolded: Text = ""
) -> Response:  # fmt: skip
    """A stroke as it was drawn, "x,y,z x,y,z" in metres, beside those that are there; none clears them."""

    def change(shot: Shot) -> Edited:
        try:
            read = [tuple(float(n) for n in point.split(",")) for point in points.split()]
        except ValueError:
            raise ShotFault([Fault(row, path, "The stroke's points cannot be read. Accepted: x,y,z x,y,z.")]) from None
        return edit.add_strokes(shot, row, path, read)

    return answer(request, shot_id, revision, change, Typed(row, path, ""), unfolded)


@router.post("/rows/{row}/place")
def place_at(
    request: Request, shot_id: int, row: str, path: Text, x: Real, y: Real, z: Real, revision: Number,
    unfolded: Text = "",
) -> Response:  # fmt: skip
    """Where something was dragged to on the stage, in metres."""
    typed = Typed(row, path, "")
    return answer(request, shot_id, revision, lambda s: edit.place_at(s, row, path, (x, y, z)), typed, unfolded)


@router.post("/rows/{row}/undrive")
def undrive(
    request: Request, shot_id: int, row: str, path: Text, revision: Number, frame: Annotated[float, Form()] = 1.0,
    unfolded: Text = "",
) -> Response:  # fmt: skip
    typed = Typed(row, path, "")
    return answer(request, shot_id, revision, lambda s: vary.undrive(s, row, path, frame), typed, unfolded)


@router.post("/rows/{row}/switch")
def switch(request: Request, shot_id: int, row: str, on: Text, revision: Number, unfolded: Text = "") -> Response:
    typed = Typed(row, "", "")
    return answer(request, shot_id, revision, lambda s: edit.switch(s, row, on == "1"), typed, unfolded)


@router.post("/rows/{row}/move")
def move(
    request: Request, shot_id: int, row: str, by: Annotated[int, Form(ge=-500, le=500)], revision: Number,
    unfolded: Text = "",
) -> Response:  # fmt: skip
    typed = Typed(row, "", "")
    return answer(request, shot_id, revision, lambda s: edit.move_row(s, row, by), typed, unfolded)


@router.post("/rows/{row}/group")
def group(
    request: Request, shot_id: int, row: str, revision: Number, title: Text = "", unfolded: Text = ""
) -> Response:  # fmt: skip
    """Put a row under a title, or under none."""
    typed = Typed(row, "", "")
    return answer(request, shot_id, revision, lambda s: edit.group_row(s, row, title), typed, unfolded)


@router.post("/groups/switch")
def switch_group(
    request: Request, shot_id: int, section: Text, title: Text, on: Text, revision: Number, unfolded: Text = ""
) -> Response:  # fmt: skip
    typed = Typed(section, "", "")
    return answer(
        request, shot_id, revision, lambda s: edit.switch_group(s, section, title, on == "1"), typed, unfolded
    )


@router.post("/rows/{row}/duplicate")
def duplicate(request: Request, shot_id: int, row: str, revision: Number, unfolded: Text = "") -> Response:
    typed = Typed(row, "", "")
    return answer(request, shot_id, revision, lambda s: edit.duplicate_row(s, row)[0], typed, unfolded)


@router.post("/rows/{row}/remove")
def remove(request: Request, shot_id: int, row: str, revision: Number, unfolded: Text = "") -> Response:
    typed = Typed(row, "", "")
    return answer(request, shot_id, revision, lambda s: edit.remove_row(s, row), typed, unfolded)


@router.post("/rows")
def add(request: Request, shot_id: int, kind: Text, section: Text, revision: Number, unfolded: Text = "") -> Response:
    typed = Typed(section, "", "")
    return answer(request, shot_id, revision, lambda s: edit.add_row(s, kind)[0], typed, unfolded)
