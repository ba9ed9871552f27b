"""What comes in from outside: meshes for a shot, and shots from another Hot Gravel."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import count
from pathlib import Path, PurePosixPath
from tempfile import TemporaryDirectory
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from hotgravel.core.exchange.bundle import BESIDE, read_bundle, write_bundle
from hotgravel.core.place import Place
from hotgravel.core.run.world import beside
from hotgravel.core.shape import grid
from hotgravel.core.shape.lettering import FONT_FORMATS
from hotgravel.core.shape.mesh import LARGEST_BYTES
from hotgravel.core.shot import edit
from hotgravel.core.shot.document import Shot, load
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.props import MeshUnit
from hotgravel.core.shot.spot import Edited
from hotgravel.farm.reading import look
from hotgravel.store import settings, shots
from hotgravel.web.editing import Number, Text, answer
from hotgravel.web.render import Typed
from hotgravel.web.studio import Studio

router = APIRouter()
ZIP = b"PK\x03\x04"


@router.post("/shots/{shot_id}/meshes")
def add_mesh(
    request: Request, shot_id: int, mesh: UploadFile, revision: Number, unit: Annotated[MeshUnit, Form()] = "m",
    up: Text = "y", unfolded: Text = "",
) -> Response:  # fmt: skip
    """Keep an uploaded file and add a prop or a field of it, unfolded, so that its report is in view."""
    studio: Studio = request.app.state.studio
    added: list[str] = []
    try:
        name, wrong = keep_file(studio, mesh.filename or "", mesh.file.read(LARGEST_BYTES + 1)), None
    except ShotFault as fault:  # it is told in the notebook
        name, wrong = "", fault

    def change(shot: Shot) -> Edited:
        if up not in ("y", "z"):
            raise ShotFault.of(f"{up!r} is no up axis. Accepted: y or z.")
        if wrong is not None:
            raise wrong
        called = Path(name).stem.replace("-", " ")[:60]
        if is_field(name):
            edited, row = edit.add_row(shot, "field", file=name, name=called)
        else:
            edited, row = edit.add_row(shot, "prop", shape=shape_from(name, unit, up), name=called)
        added.append(row)
        return edited

    with studio.database.session() as session:
        settings.put(session, settings.MESH_UNIT, unit)
        settings.put(session, settings.MESH_UP, up)
    return answer(request, shot_id, revision, change, Typed("set", "", ""), unfolded, added)


def is_field(name: str) -> bool:
    return Path(name).suffix.lower() == f".{grid.FORMAT}"


def shape_from(name: str, unit: str = "m", up: str = "y") -> dict[str, Any]:
    """The shape that a file beside the shot makes."""
    suffix = Path(name).suffix.lower().lstrip(".")
    if suffix == "svg":
        return {"kind": "outline", "file": name}
    if suffix in FONT_FORMATS:
        return {"kind": "lettering", "words": "Camp Nine", "file": name}
    return {"kind": "mesh", "file": name, "unit": unit, "up": up}


def keep_file(studio: Studio, given: str, data: bytes) -> str:
    """Store an uploaded file under a name of our own making, if it can be read. Raises `ShotFault`."""
    given = PurePosixPath(given.replace("\\", "/")).name
    suffix = Path(given).suffix.lower()
    if suffix.lstrip(".") not in BESIDE:
        raise ShotFault.of(f"{given or 'The file'} is no format that is read. Accepted: {', '.join(BESIDE)}.")
    stem = "".join(c if c.isascii() and c.isalnum() else "-" for c in Path(given).stem).strip("-")[:40] or "mesh"
    if len(data) > LARGEST_BYTES:
        raise ShotFault.of(f"{given} is over {LARGEST_BYTES // 2**20} MiB.")
    with _looked_at(studio, f"{stem}{suffix}", data) as read:
        studio.meshes.mkdir(parents=True, exist_ok=True)
        for number in count(1):
            path = studio.meshes / (f"{stem}-{number}{suffix}" if number > 1 else f"{stem}{suffix}")
            if _placed(read, path, data):
                return str(path.name)
    raise AssertionError


@contextmanager
def _looked_at(studio: Studio, name: str, data: bytes) -> Iterator[Path]:
    """A file in a folder of its own, read once to see that it can be; it goes with the folder. Raises `ShotFault`."""
    incoming = studio.folder / "incoming"
    incoming.mkdir(parents=True, exist_ok=True)
    with TemporaryDirectory(dir=incoming) as folder:
        path = Path(folder) / name
        path.write_bytes(data)
        look(path, None if is_field(name) else shape_from(name))
        yield path


def _placed(read: Path, path: Place, data: bytes) -> bool:
    """Put a file in its place, unless another is there. One of the same bytes counts as this."""
    if not isinstance(path, Path):  # a store that is no folder knows no links
        if not path.exists():
            path.write_bytes(data)
        return bool(path.read_bytes() == data)
    try:
        os.link(read, path)  # whole and exclusively, however many come at once
    except FileExistsError:
        return path.read_bytes() == data
    return True


@router.post("/shots/upload")
def take_in(request: Request, file: UploadFile) -> Response:
    """A shot file (.shot.json), or a zip of a shot with its meshes, as a new shot."""
    studio: Studio = request.app.state.studio
    data = file.file.read()
    if data.startswith(ZIP):
        shot, meshes = read_bundle(data)
    else:
        shot, meshes = load(data), {}
    kept = {name: keep_file(studio, name, content) for name, content in meshes.items()}
    document = shot.dump()
    for row in document["set"]:
        made_from = row if row["kind"] == "field" else row.get("shape", {})
        if made_from.get("file"):
            made_from["file"] = kept.get(made_from["file"], made_from["file"])
    with studio.creating() as session:
        made = shots.create(session, load(document), "taken in from a file")
    return RedirectResponse(f"/shots/{made.id}", 303)


@router.get("/shots/{shot_id}.zip")
def bundle(request: Request, shot_id: int) -> Response:
    """The shot with its meshes."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        shot = shots.document(session, shot_id)
    headers = {"Content-Disposition": f'attachment; filename="shot-{shot_id}.zip"'}
    return Response(write_bundle(shot, beside(studio.meshes)), media_type="application/zip", headers=headers)
