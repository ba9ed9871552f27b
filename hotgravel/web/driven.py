"""Driven numbers on the page: their editors, and what they act on at a frame."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Query, Request
from fastapi.responses import Response as Answer
from starlette.exceptions import HTTPException

from hotgravel.core.attributes import READABLE
from hotgravel.core.drive.ask import Array, Ask
from hotgravel.core.drive.driver import Driver, answer
from hotgravel.core.drive.formulas import FUNCTIONS, NAMES
from hotgravel.core.drive.keys import Keys
from hotgravel.core.drive.responses import Response
from hotgravel.core.drive.starters import STARTERS
from hotgravel.core.drive.table import signal_csv
from hotgravel.core.drive.value import DRIVERS, is_signal
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.ranges import range_in
from hotgravel.core.run.reading import asked_for, crowd_at
from hotgravel.core.run.world import World, beside, build
from hotgravel.core.shot import vary
from hotgravel.core.shot.dials import Quantity, Refer, dials_of
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import ShotFault
from hotgravel.core.shot.row import Row, Slot, Steady, described_in, pieces, slots_of
from hotgravel.core.shot.spot import spot
from hotgravel.core.shot.units import show_quantity
from hotgravel.store import runs, shots
from hotgravel.web.render import Dial, Piece, environment, joined_pieces
from hotgravel.web.studio import Studio

router = APIRouter()
BINS = 60
FORMULA_WORDS = [*NAMES, *(f"{name}({', '.join('abc'[:count])})" for name, (count, _) in FUNCTIONS.items()), "^"]
COMMON = {"fraction of life": "life", "speed": "speed", "age": "age"}
SHARES = ("fraction of life", "random", "weight in")


@dataclass(frozen=True)
class Plot:
    """A signal over the shot's frames: points of a 100 by 30 polyline, and what its top and bottom mean."""

    points: str
    low: str
    high: str
    stored: tuple[float, float]


@dataclass(frozen=True)
class Driving:
    """A driver as the unfolded row shows it: its sentence, its plot or curve, and the drivers within."""

    slot: Slot
    kinds: list[tuple[str, str]]
    does: str
    pieces: list[Piece]
    also: list[Dial]
    plot: Plot | None
    keys: list[dict[str, str]]
    handles: list[dict[str, float]]
    response: dict[str, Any] | None
    within: list[Slot]


def kinds_for(quantity: Quantity) -> list[tuple[str, str]]:
    """Kind and title of all drivers that a quantity takes, and the signals to begin with."""
    only_each = ("response", "within", "compound")
    found = [
        (kind, cls.title)
        for kind, cls in DRIVERS.items()
        if not issubclass(cls, Steady) and (quantity.each or kind not in only_each)
    ]
    return found + [(name, f"to begin with: {name}") for name in STARTERS]


def beginnings_for(quantity: Quantity) -> list[tuple[str, str]]:
    """What a number that does not vary yet can begin to vary with."""
    common = [(f"response {name}", f"over its {words}") for name, words in COMMON.items()] if quantity.each else []
    return common + [
        (kind, "over an attribute" if kind == "response" else title) for kind, title in kinds_for(quantity)
    ]


def last_range(request: Request, shot_id: int, row: str, attribute: str) -> dict[str, tuple[float, float]]:
    """From where to where an attribute, or the usual one, went in the shot's last run, of what a row's numbers are
    asked for, if that can be told."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run, shot = runs.latest(session, shot_id, with_frames=True), shots.document(session, shot_id)
    attribute = attribute or vary.usual_attribute(shot)
    if attribute not in READABLE or attribute in ("distance to", "weight in"):
        return {}
    if run is None or attribute in SHARES:
        return {}
    try:
        world = build(shot, beside(studio.meshes), run.quality)
        found = range_in(world, studio.frames(run.id), attribute, _row(shot, row))
    except (ShotFault, KeyError, ValueError):
        return {}
    return {attribute: found} if found else {}


def _row(shot: Shot, name: str) -> Row | None:
    """A row by its id; None where the shot has it no more."""
    return next((row for row in shot.rows() if row.id == name), None)


def driving(shot: Shot, slot: Slot) -> Driving:
    """What the editor of a driven slot shows."""
    driver, quantity = slot.value, slot.described
    assert isinstance(driver, Driver)
    assert isinstance(quantity, Quantity)
    names, prefix = shot.names(), f"{slot.path}."
    parts = list(pieces(driver, shot.dress, names, prefix, quantity))
    said = {p.path for p in parts if isinstance(p, Slot)}
    also, within = [], []
    for name in dials_of(type(driver)):
        described = described_in(driver, name, quantity)
        for s in slots_of(driver, name, described, shot.dress, names, prefix):
            if not isinstance(s, Slot):
                continue
            if s.path not in said and not isinstance(described, Refer):
                also.append(Dial(name, described, [s], "", False))
            if isinstance(described, Quantity) and described.drivable:
                within.append(s)
    response = None
    if isinstance(driver, Response):
        unit = READABLE[driver.attribute][1]
        response = {
            "points": driver.points, "manner": driver.manner, "attribute": driver.attribute,
            "target": driver.target or "",
            "begin": driver.begin, "end": driver.end,
            "from": show_quantity(driver.begin, unit, shot.dress), "to": show_quantity(driver.end, unit, shot.dress),
            "low": show_quantity(driver.low, quantity.unit, shot.dress),
            "high": show_quantity(driver.high, quantity.unit, shot.dress),
        }  # fmt: skip
    keys = handles = []
    if isinstance(driver, Keys):
        keys = [
            {"frame": f"{k.frame:g}", "value": show_quantity(k.value, quantity.unit, shot.dress), "ease": k.ease}
            for k in driver.keys
        ]
        handles = [{"frame": k.frame, "value": k.value} for k in driver.keys]
    return Driving(
        slot, kinds_for(quantity), driver.does, joined_pieces(parts), also, plot_of(shot, driver, quantity), keys,
        handles, response, within,
    )  # fmt: skip


def plot_of(shot: Shot, driver: Driver, quantity: Quantity) -> Plot | None:
    """The plot of a signal; None for what differs between particles."""
    if driver.by_element:
        return None
    finish, steps = shot.finish, 240
    frames = np.linspace(finish.first, finish.last, steps + 1)
    values = over_frames(shot, driver, frames)
    low, high = float(values.min()), float(values.max())
    span = high - low or 1.0
    points = " ".join(f"{100 * i / steps:.2f},{28 - 26 * (v - low) / span:.2f}" for i, v in enumerate(values))
    ends = (show_quantity(float(f"{n:.3g}"), quantity.unit, shot.dress) for n in (low, high))
    return Plot(points, *ends, (low, low + span))


environment.globals.update(
    driving=driving, kinds_for=kinds_for, beginnings_for=beginnings_for, formula_words=FORMULA_WORDS
)


@router.get("/shots/{shot_id}/rows/{row}/signal.csv")
def signal_table(request: Request, shot_id: int, row: str, path: str) -> Answer:
    """A signal over the shot's frames, a line a frame."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        shot = shots.document(session, shot_id)
    place = spot(shot, row, path)
    if not is_signal(place.value) or not isinstance(place.described, Quantity):
        raise HTTPException(404, "This number is not driven over time, so there is no table of it.")
    frames = np.arange(shot.finish.first, shot.finish.last + 1, dtype=float)
    values = over_frames(shot, place.value, frames)
    headers = {"Content-Disposition": f'attachment; filename="{row}.csv"'}
    return Answer(
        signal_csv(frames.tolist(), values.tolist(), place.described.unit), media_type="text/csv", headers=headers
    )


def over_frames(shot: Shot, driver: Driver, frames: Array) -> Array:
    """A signal's values at frames."""
    ask = Ask((frames - shot.finish.first) / shot.finish.rate, shot.clock)
    return np.array(np.broadcast_to(answer(driver, ask), len(frames)))


def _as_now(request: Request, run_id: int) -> tuple[World, FrameStore]:
    """The set and the zones of a run's shot as it is now, and the run's frames."""
    studio: Studio = request.app.state.studio
    with studio.database.session() as session:
        run = runs.record(session, run_id)
        shot = shots.document(session, run.shot_id)
    return build(shot, beside(studio.meshes), run.quality), studio.frames(run_id)


@contextmanager
def _kept(frame: int) -> Iterator[None]:
    """Tell that a frame is not kept."""
    try:
        yield
    except KeyError:
        raise HTTPException(404, f"Frame {frame} is not kept in this run.") from None


@router.get("/runs/{run_id}/frames/{frame}/histogram.json")
def histogram(
    request: Request, run_id: int, frame: int, attribute: str, begin: float, end: float, target: str = "",
    row: str = "", bins: Annotated[int, Query(ge=2, le=400)] = BINS,
) -> dict[str, Any]:  # fmt: skip
    """How many elements there are at each place of a range of an attribute, of those that a row's numbers are asked
    for, and what share lies below it, inside it and above it."""
    if attribute not in READABLE:
        raise HTTPException(422, f"{attribute!r} is no attribute. Accepted: {', '.join(READABLE)}.")
    if not (np.isfinite(begin) and np.isfinite(end)) or begin == end:
        raise HTTPException(422, "The range has no width. Accepted: two different numbers.")
    world, store = _as_now(request, run_id)
    with _kept(frame):
        scene = world.scene(frame, 1.0, store.gauges(frame)["absent"])
    there = {"distance to": scene.shapes, "weight in": scene.zones}
    if attribute in there and target not in there[attribute]:
        raise HTTPException(422, f"{target!r} is nothing that it could be measured to in this shot.")
    with _kept(frame):
        values = asked_for(world, store, frame, _row(world.shot, row), attribute, target or None)
    share = (values - begin) / (end - begin)
    counts, _ = np.histogram(share, bins, (0.0, 1.0))
    total = max(len(values), 1)
    parts = [float((share < 0).sum() / total), 0.0, float((share > 1).sum() / total)]
    parts[1] = 1.0 - parts[0] - parts[2] if len(values) else 0.0
    return {"frame": frame, "counts": counts.tolist(), "shares": parts, "number": len(values)}


@router.get("/runs/{run_id}/frames/{frame}/weights.bin")
def weights(request: Request, run_id: int, frame: int, zone: str, matter: str = "particles") -> Answer:
    """The weight of each element of a frame in a zone of the shot as it is now: float32, in their order."""
    if matter not in MATTERS:
        raise HTTPException(404, f"There is no matter {matter!r}.")
    world, store = _as_now(request, run_id)
    with _kept(frame):
        crowd = crowd_at(world, store, frame, matter)
    if zone not in crowd.scene.zones:
        raise HTTPException(404, f"There is no zone {zone!r} in this shot.")
    told = np.asarray(crowd.read("weight in", zone), "<f4")
    headers = {"Cache-Control": "no-store", "Content-Encoding": "identity"}
    return Answer(told.tobytes(), media_type="application/octet-stream", headers=headers)
