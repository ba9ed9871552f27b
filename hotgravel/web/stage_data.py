"""What the stage draws: props as meshes with their poses over time, and frames as binary."""

import re
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import PositiveInt
from starlette.exceptions import HTTPException

from hotgravel.core.chance import key_of
from hotgravel.core.drive.value import is_driven, one, three
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.picture.light import as_data
from hotgravel.core.run.streaks import streak_of
from hotgravel.core.run.world import beside
from hotgravel.core.shape.grid import GridFault, read_grid
from hotgravel.core.shape.mesh import MeshFault, creased, triangles_of
from hotgravel.core.shape.pose import moves, pose_at
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.velocity_field import VelocityField
from hotgravel.core.shot.zones import Zone
from hotgravel.store import runs, shots
from hotgravel.web.studio import BeingCut, Studio
from hotgravel.web.wire import answer, packed, packed_frame

router = APIRouter()


@router.get("/shots/{shot_id}/set.json")
def current_set(request: Request, shot_id: int) -> dict[str, Any]:
    """The props of a shot as it is now."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        return _set(studio, shots.document(session, shot_id))


@router.get("/runs/{run_id}/set.json")
def set_of_run(request: Request, run_id: int) -> dict[str, Any]:
    """The props of the shot as it was run."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        return _set(studio, shots.document(session, run.shot_id, run.revision))


def _set(studio: Studio, shot: Shot) -> dict[str, Any]:
    pieces, cutting = _pieces(studio, shot)
    moved = {prop for matter in MATTERS.values() for prop in matter.places(shot)}
    props = []
    for prop in (p for p in shot.props if p.seen == "seen"):
        try:
            vertices, faces, normals, _ = creased(*triangles_of(prop.shape, beside(studio.meshes))[:2])
        except MeshFault:
            continue  # the row's own fault says so when the shot is run
        frames = range(shot.finish.first, shot.finish.last + 1) if moves(prop) else [shot.finish.first]
        poses = [pose_at(prop, shot.clock.at(f)) for f in frames]
        props.append({
            "id": prop.id, "name": prop.name, "colour": prop.colour, "shine": prop.shine, "kind": prop.shape.kind,
            "key": int(key_of(prop.id)),
            "moved": prop.id in moved, "pieces": pieces.get(prop.id, []),
            "vertices": np.round(vertices, 6).ravel().tolist(), "faces": faces.ravel().tolist(),
            "normals": np.round(normals, 4).ravel().tolist(),
            "poses": [[*p.position.tolist(), *p.quaternion.tolist(), p.scale] for p in poses],
        })  # fmt: skip
    return {
        "props": props,
        "zones": [
            *(_zone(shot, zone) for zone in shot.zones.values() if zone.on),
            *(_box(studio, shot, field) for field in shot.fields.values()),
        ],
        "first": shot.finish.first, "light": as_data(shot.finish), "cutting": cutting,
    }  # fmt: skip


def _pieces(studio: Studio, shot: Shot) -> tuple[dict[str, list[dict[str, Any]]], float | None]:
    """The pieces of cut props, each in its prop's own frame; and how far their cutting is, while they are not there."""
    try:
        cuttings = studio.cuttings(shot)
    except BeingCut as going:
        return {}, going.standing.share
    except ShotFault:
        return {}, None  # preflight says so
    found: dict[str, list[dict[str, Any]]] = {}
    for prop, cutting in cuttings.items():
        for piece in cutting.pieces:
            vertices, faces, normals, _ = creased(piece.vertices, piece.faces)
            found.setdefault(prop, []).append({
                "vertices": np.round(vertices, 5).ravel().tolist(), "faces": faces.ravel().tolist(),
                "normals": np.round(normals, 3).ravel().tolist(), "centre": np.round(piece.centre, 5).tolist(),
            })  # fmt: skip
    return found, None


OUTLINED = {"front": ("at", "direction", "come"), "ball": ("at", "radius"), "block": ("at", "size"),
            "capsule": ("at", "to", "radius"), "strokes": ("points",)}  # fmt: skip


def _zone(shot: Shot, zone: Zone) -> dict[str, Any]:
    """A zone's outline at each frame, or once if it does not move."""
    shape, names = zone.shape, OUTLINED.get(zone.shape.kind, ())
    numbers = [n for n in names if n != "points"]
    parts = [p for n in numbers for p in _parts(getattr(shape, n))]
    driven = any(is_driven(p) for p in parts)
    frames = range(shot.finish.first, shot.finish.last + 1) if driven else [shot.finish.first]
    outlines = []
    for frame in frames:
        ask = shot.clock.at(frame)
        many = {n: isinstance(getattr(shape, n), tuple) for n in numbers}
        outlines.append({n: three(shape, n, ask).tolist() if many[n] else one(shape, n, ask) for n in numbers})
    at = getattr(shape, "at", ())
    return {
        "id": zone.id, "name": zone.name, "kind": shape.kind, "outlines": outlines,
        "points": getattr(shape, "points", ()), "movable": bool(at) and not all(is_driven(p) for p in at),
    }  # fmt: skip


def _box(studio: Studio, shot: Shot, field: VelocityField) -> dict[str, Any]:
    """The outline of a field's box, as a zone's."""
    driven = any(is_driven(part) for part in field.position)
    outlines = []
    try:
        grid = read_grid(field.file, beside(studio.meshes))
    except GridFault:
        frames = range(0)  # the row's own fault says so when the shot is run
    else:
        frames = range(shot.finish.first, shot.finish.last + 1 if driven else shot.finish.first + 1)
    for frame in frames:
        placed = grid.placed(three(field, "position", shot.clock.at(frame)), field.scale)
        outlines.append({"at": (placed.origin + 0.5 * placed.size).tolist(), "size": placed.size.tolist()})
    return {"id": field.id, "name": field.name, "kind": "block", "outlines": outlines, "points": (), "movable": False}


def _parts(value: Any) -> tuple[Any, ...]:
    return value if isinstance(value, tuple) else (value,)


@router.get("/runs/{run_id}/frames/{frame}.bin")
def frame_bytes(request: Request, run_id: int, frame: int, most: PositiveInt | None = None) -> Response:
    """The elements of a frame for the stage, as `wire` packs them; of points, `most` at most."""
    studio: Studio = request.app.state.studio
    return answer(frame, "", lambda: packed_frame(studio.frames(run_id), frame, most))


@router.get("/runs/{run_id}/frames/{frame}/skins/{row}.bin")
def skin_bytes(request: Request, run_id: int, frame: int, row: str) -> Response:
    """A skin of a frame."""
    studio: Studio = request.app.state.studio
    if not re.fullmatch(r"[a-z][a-z0-9-]{0,59}", row):
        raise HTTPException(404, f"There is no skin {row!r}.")
    return answer(frame, f"skin {row}", lambda: packed(frame, {"skin": studio.frames(run_id).skin(frame, row)}))


@router.get("/runs/{run_id}/frames/{frame}/streaks/{row}.bin")
def streak_bytes(request: Request, run_id: int, frame: int, row: str) -> Response:
    """The streaks of a frame."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        shot = shots.document(session, run.shot_id, run.revision)
    found = next((s for s in shot.streaks if s.id == row), None)
    if found is None:
        raise HTTPException(404, f"There are no streaks {row!r} in this run.")
    made = studio.frames(run_id)
    return answer(frame, f"streaks {row}", lambda: packed(frame, {"streaks": streak_of(shot, made, frame, found)}))


@router.get("/runs/{run_id}/frames/{frame}/records/{name}.bin")
def record_bytes(request: Request, run_id: int, frame: int, name: str) -> Response:
    """Another record of a frame, such as contacts."""
    studio: Studio = request.app.state.studio
    names = {n: columns for matter in MATTERS.values() for n, columns in matter.records.items()}
    if name not in names:
        raise HTTPException(404, f"There is no record {name!r}.")
    return answer(frame, name, lambda: packed(frame, {name: studio.frames(run_id).record(frame, name, names[name])}))


@router.get("/runs/{run_id}/meshes/{matter}.bin")
def mesh_bytes(request: Request, run_id: int, matter: str) -> Response:
    """The meshes that a matter's pieces are drawn with, a group each."""
    studio: Studio = request.app.state.studio
    if matter not in MATTERS:
        raise HTTPException(404, f"There is no matter {matter!r}.")
    meshes = studio.frames(run_id).meshes(matter)
    return answer(0, "", lambda: packed(0, {str(number): mesh for number, mesh in enumerate(meshes)}))
