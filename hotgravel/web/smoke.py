"""Smoke on the stage: its volume in a light, slices through it, and what is where one looks into it."""

from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, HTTPException, Query, Request
from fastapi.responses import Response

from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.matter.smoke.asked import UNITS, Axis, Quantity, kept_smoke, looked_into, slice_of, told_at
from hotgravel.core.picture.cast import cast_of, lamp_of
from hotgravel.core.picture.light import LIGHTS
from hotgravel.core.picture.volume import volume_of
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.smoke import Smoke
from hotgravel.store import runs, shots
from hotgravel.web.studio import Studio
from hotgravel.web.wire import answer, packed

router = APIRouter(prefix="/runs/{run_id}/frames/{frame}")
Number = Annotated[float, Query(ge=-1e9, le=1e9, allow_inf_nan=False)]
Share = Annotated[float, Query(ge=0.0, le=1.0)]
NONE = "There is no smoke in this frame."


def _smoke_of(request: Request, run_id: int) -> tuple[Studio, Shot, Smoke]:
    """The shot as it was run, and its smoke. Raises 404."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        shot = shots.document(session, run.shot_id, run.revision)
    if not shot.smokes:
        raise HTTPException(404, NONE)
    return studio, shot, shot.smokes[0]


@router.get("/smoke.bin")
def smoke_bytes(request: Request, run_id: int, frame: int, light: str = "dusk") -> Response:
    """The smoke of a frame, with how much of a light's key reaches each cell."""
    studio, shot, row = _smoke_of(request, run_id)
    if light not in LIGHTS:
        raise HTTPException(404, f"There is no light {light!r}.")

    def pack() -> bytes:
        kept = studio.frames(run_id).record(frame, "volume", MATTERS["smoke"].records["volume"])
        made = volume_of(kept, row, LIGHTS[light], next(iter(shot.fires), None))
        told = {"lit": made.lit.ravel(), "colour": made.colour.astype(np.float32)}
        glow = made.glow.ravel() if len(kept["hot"]) else np.zeros(0)
        told |= {"glow": glow.astype(np.float32), "take": np.array([made.take], np.float32)}
        cast = cast_of(made, LIGHTS[light])
        told |= {"cast": cast.map.ravel(), "cast_frame": cast.frame.ravel().astype(np.float32)}
        told["lamp"] = lamp_of(made).astype(np.float32)
        return packed(frame, {"smoke": kept | told})

    return answer(frame, "smoke", pack)


@router.get("/slice.bin")
def slice_bytes(
    request: Request, run_id: int, frame: int, of: Quantity = "density", axis: Axis = "z", at: Share = 0.5
) -> Response:  # fmt: skip
    """A slice through a quantity, with arrows of the velocity in it, and the grid's box."""
    studio, _, _ = _smoke_of(request, run_id)

    def pack() -> bytes:
        smoke = kept_smoke(studio.frames(run_id), frame)
        cut, shape = slice_of(smoke, of, axis, at), smoke.arrays["density"].shape
        low = 20.0 if of == "temperature" else 0.0
        arrays = {
            "values": cut.values.ravel(), "corner": cut.corner, "down": cut.down, "along": cut.along,
            "places": cut.places.ravel(), "flow": cut.flow.ravel(), "low": smoke.low, "cell": [smoke.cell],
            "range": [min(low, float(cut.values.min())), float(smoke.arrays[of].max())],
        }  # fmt: skip
        sizes = {"size": np.array(cut.values.shape, np.int32), "shape": np.array(shape, np.int32)}
        return packed(frame, {"slice": {name: np.asarray(a, np.float32) for name, a in arrays.items()} | sizes})

    return answer(frame, "smoke", pack)


@router.get("/looked.json")
def looked(
    request: Request, run_id: int, frame: int, x: Number, y: Number, z: Number, dx: Number, dy: Number, dz: Number
) -> dict[str, Any]:  # fmt: skip
    """What is where a look from a place along a way ends in smoke."""
    studio, shot, row = _smoke_of(request, run_id)
    way = np.array([dx, dy, dz])
    length = float(np.linalg.norm(way))
    if length == 0.0:
        raise HTTPException(422, "The way points nowhere.")
    try:
        smoke = kept_smoke(studio.frames(run_id), frame)
    except KeyError:
        raise HTTPException(404, NONE) from None
    place = looked_into(smoke, np.array([x, y, z]), way / length, row.thickness)
    if place is None:
        raise HTTPException(404, "There is no smoke that way.")
    told = told_at(smoke, place)
    names, sources = shot.names(), shot.smoke_sources
    parts = told["parts"].tolist() or [1.0]
    facts = {of: f"{float(told[of]):.3g} {unit}".strip() for of, unit in UNITS.items() if of != "flames" or shot.fires}
    facts["velocity"] = ", ".join(f"{v:.2f}" for v in told["velocity"].tolist()) + " m/s"
    facts["from"] = ", ".join(
        f"{names[source.id]} {100 * share:.0f} %"
        for source, share in zip(sources, parts, strict=False)
        if share > 0.005
    )
    return {"place": np.round(place, 4).tolist(), "facts": facts}
