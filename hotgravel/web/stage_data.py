"""What the stage draws: props as meshes with their poses over time, and frames as binary."""

import json
import re
from collections.abc import Callable
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import Response
from starlette.exceptions import HTTPException

from hotgravel.core.drive.value import is_driven, one, three
from hotgravel.core.run.frames import DamagedFrame, FrameStore
from hotgravel.core.run.streaks import streak_of
from hotgravel.core.run.world import beside
from hotgravel.core.shape.grid import GridFault, read_grid
from hotgravel.core.shape.mesh import MeshFault, triangles_of
from hotgravel.core.shape.pose import moves, pose_at
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.velocity_field import VelocityField
from hotgravel.core.shot.zones import Zone
from hotgravel.store import runs, shots
from hotgravel.web.studio import Studio

router = APIRouter()
# Floats hardly compress: the stated identity keeps the compressing middleware off them.
UNTOUCHED = {"Cache-Control": "no-cache", "Content-Encoding": "identity"}


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
    props = []
    for prop in (p for p in shot.props if p.seen == "seen"):
        try:
            vertices, faces, normals = triangles_of(prop.shape, beside(studio.meshes))
        except MeshFault:
            continue  # the row's own fault says so when the shot is run
        frames = range(shot.finish.first, shot.finish.last + 1) if moves(prop) else [shot.finish.first]
        poses = [pose_at(prop, shot.clock.at(f)) for f in frames]
        props.append({
            "id": prop.id, "name": prop.name, "colour": prop.colour, "shine": prop.shine, "kind": prop.shape.kind,
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
        "first": shot.finish.first,
    }


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
def frame_bytes(request: Request, run_id: int, frame: int) -> Response:
    """A frame for the stage: a JSON head of stated length, then its arrays, little endian.

    Bytes 0 to 3 hold the head's length n (uint32), 4 to n + 3 the head, which names each
    array with its type, numbers per particle and byte offset behind the head; arrays start at
    multiples of 4. What lies between them has no meaning: the part of the frame's file that
    holds the arrays is sent as it stands.
    """
    studio: Studio = request.app.state.studio
    try:
        body = packed(studio.frames(run_id), frame)
    except KeyError:
        raise HTTPException(404, f"Frame {frame} is not kept in this run.") from None
    except DamagedFrame as fault:
        raise HTTPException(410, str(fault)) from None
    return Response(body, media_type="application/octet-stream", headers=UNTOUCHED)


@router.get("/runs/{run_id}/frames/{frame}/skins/{row}.bin")
def skin_bytes(request: Request, run_id: int, frame: int, row: str) -> Response:
    """A skin of a frame, packed as a frame is: a head that names its arrays, then the arrays."""
    studio: Studio = request.app.state.studio
    if not re.fullmatch(r"[a-z][a-z0-9-]{0,59}", row):
        raise HTTPException(404, f"There is no skin {row!r}.")
    return _arrays(frame, f"skin {row}", lambda: studio.frames(run_id).skin(frame, row))


@router.get("/runs/{run_id}/frames/{frame}/streaks/{row}.bin")
def streak_bytes(request: Request, run_id: int, frame: int, row: str) -> Response:
    """The streaks of a frame, packed likewise."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        shot = shots.document(session, run.shot_id, run.revision)
    found = next((s for s in shot.streaks if s.id == row), None)
    if found is None:
        raise HTTPException(404, f"There are no streaks {row!r} in this run.")
    return _arrays(frame, f"streaks {row}", lambda: streak_of(shot, studio.frames(run_id), frame, found))


def _arrays(frame: int, what: str, read: Callable[[], dict[str, Any]]) -> Response:
    try:
        arrays = read()
    except KeyError:
        raise HTTPException(404, f"Frame {frame} of this run has no {what}.") from None
    except DamagedFrame as fault:
        raise HTTPException(410, str(fault)) from None
    fields, body = [], b""
    for name, array in arrays.items():
        width = array.size // len(array) if len(array) else 1
        entry = {"name": name, "type": array.dtype.name, "width": width, "count": len(array), "offset": len(body)}
        fields.append(entry)
        body += array.tobytes()
    head = json.dumps({"frame": frame, "fields": fields}).encode()
    head += b" " * (-len(head) % 4)
    whole = np.uint32(len(head)).tobytes() + head + body
    return Response(whole, media_type="application/octet-stream", headers=UNTOUCHED)


def packed(store: FrameStore, frame: int) -> memoryview:
    """The wire form of a kept frame."""
    spans, path = store.drawn(frame)
    there = [span for span in spans if span.size]
    low = min((span.start for span in there), default=0)
    high = max((span.start + span.size for span in there), default=0)
    fields = [
        {
            "name": s.name,
            "type": s.dtype,
            "width": s.shape[1] if len(s.shape) > 1 else 1,
            "offset": max(s.start - low, 0),
        }
        for s in spans
    ]
    head = json.dumps({"frame": frame, "count": spans[0].shape[0], "fields": fields}).encode()
    head += b" " * (-len(head) % 4)
    start = 4 + len(head)
    body = np.empty(start + high - low, np.uint8)  # not cleared first, which would cost as much as the reading
    body[:start] = np.frombuffer(np.uint32(len(head)).tobytes() + head, np.uint8)
    with path.open("rb", buffering=0) as file:
        file.seek(low)
        file.readinto(memoryview(body)[start:])
    return body.data
