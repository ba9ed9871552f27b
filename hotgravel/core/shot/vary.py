"""Numbers that begin to vary, how they do, and numbers that stand still again."""

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any

import numpy as np

from hotgravel.core.attributes import READABLE
from hotgravel.core.drive.driver import Driver, answer
from hotgravel.core.drive.keys import Keys
from hotgravel.core.drive.responses import Response
from hotgravel.core.drive.starters import STARTERS
from hotgravel.core.drive.table import keys_from_csv
from hotgravel.core.drive.value import DRIVERS, by_element, plain
from hotgravel.core.drive.within import Within
from hotgravel.core.shot.dials import Quantity, Refer, dials_of
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.spot import Edited, Spot, changed, first_that_fits, spot
from hotgravel.core.shot.units import Unreadable, read_quantity

Ranges = Mapping[str, tuple[float, float]]  # attribute to what the last run had of it, the least and the most
NOTHING_TOLD: Ranges = MappingProxyType({})


def set_keys(shot: Shot, row_id: str, path: str, keys: Sequence[tuple[str, str, str]]) -> Edited:
    """Drive a number by keys: (frame, value, ease) as typed. Handles stay with the key at their frame."""
    place = _drivable(shot, row_id, path)
    read = []
    old = place.value if isinstance(place.value, Keys) else None
    handles = {key.frame: (key.leave, key.arrive) for key in old.keys} if old else {}
    for number, (frame, value, ease) in enumerate(keys, 1):
        try:
            at = read_quantity(frame, "frame", shot.dress)
            key = {"frame": at, "value": read_quantity(value, place.described.unit, shot.dress), "ease": ease}  # type: ignore[attr-defined]
        except Unreadable as fault:
            raise ShotFault([Fault(row_id, path, f"Key {number}: {fault}")]) from None
        if at in handles:
            key |= dict(zip(("leave", "arrive"), handles[at], strict=True))
        read.append(key)
    kept = {"outside": old.outside, "rest": old.rest} if old else {}
    return changed(shot, row_id, path, {"kind": "keys", "keys": read, **kept})


def set_points(shot: Shot, row_id: str, path: str, points: Sequence[tuple[float, float]]) -> Edited:
    """Draw a response's curve through points, shares of its width and height; or keys through
    (frame, value) as stored, which keep their eases where the frame stays."""
    value = _drivable(shot, row_id, path).value
    if isinstance(value, Keys):
        eases = {key.frame: key.model_dump(mode="json") for key in value.keys}
        last = value.keys[-1].model_dump(mode="json")
        keys = [{**eases.get(f, last), "frame": f, "value": v} for f, v in points]
        return changed(shot, row_id, path, value.model_dump(mode="json") | {"keys": keys})
    if not isinstance(value, Response):
        raise ShotFault([Fault(row_id, path, "There is no curve here to draw.")])
    return changed(shot, row_id, path, value.model_dump(mode="json") | {"points": [list(p) for p in points]})


def _drivable(shot: Shot, row_id: str, path: str) -> Spot:
    place = spot(shot, row_id, path)
    if not isinstance(place.described, Quantity) or not place.described.drivable or place.is_kind:
        raise ShotFault([Fault(row_id, path, f"{place.described.label} cannot be driven.")])
    if place.value is None:
        raise ShotFault([Fault(row_id, path, f"{place.described.label} has no number that could be driven.")])
    return place


def drive(shot: Shot, row_id: str, path: str, kind: str = "keys", told: Ranges = NOTHING_TOLD) -> Edited:
    """Let a number vary. What is made from others takes in what stood there; the rest begin around it."""
    place = _drivable(shot, row_id, path)
    if kind in STARTERS:
        number, most, first = _about(shot, place)
        return changed(shot, row_id, path, STARTERS[kind](number, most, first))
    if kind.partition(" ")[0] not in DRIVERS:
        raise ShotFault([Fault(row_id, path, f"{kind!r} drives nothing. Accepted: {', '.join(DRIVERS)}.")])
    kind, _, attribute = kind.partition(" ")
    begun = _begun(shot, place, kind, row_id)
    if kind == "response":
        begun |= {"attribute": attribute or usual_attribute(shot)}
        begun["begin"], begun["end"] = range_of(shot, begun["attribute"], told)
    return changed(shot, row_id, path, begun)


def set_table(shot: Shot, row_id: str, path: str, text: str) -> Edited:
    """Drive a number by the keys of a CSV table of frames and values."""
    _drivable(shot, row_id, path)
    try:
        keys = keys_from_csv(text)
    except ValueError as fault:
        raise ShotFault([Fault(row_id, path, str(fault))]) from None
    return changed(shot, row_id, path, {"kind": "keys", "keys": keys})


def _about(shot: Shot, place: Spot) -> tuple[float, float, float]:
    """What a number now is, the most that a signal about it should reach, and the shot's first frame."""
    quantity, value = place.described, place.value
    assert isinstance(quantity, Quantity)
    number = float(answer(value, shot.clock.at(shot.finish.first))[0]) if not by_element(value) else quantity.soft[1]
    return number, float(np.clip(2.0 * number if number else quantity.soft[1], *_bounds(quantity))), shot.finish.first


# From where to where an attribute usually goes, where no run has told: SI, or shares.
RANGES: dict[str, tuple[float, float]] = {
    "age": (0.0, 2.0), "speed": (0.0, 10.0), "travelled": (0.0, 10.0), "height": (0.0, 5.0), "radius": (0.0, 0.1),
    "mass": (0.0, 0.01), "temperature": (0.0, 1000.0), "density": (0.0, 1000.0), "distance to": (0.0, 5.0),
}  # fmt: skip
WHOLE = (0.0, 1.0)


def range_of(shot: Shot, attribute: str, told: Ranges = NOTHING_TOLD) -> tuple[float, float]:
    """The range that a response over an attribute begins with: as the last run told, or as the shot's rows say."""
    if attribute in told:
        return told[attribute]
    lives = [plain(source.life, shot.finish.rate) for source in shot.particle_sources if source.on]
    longest = max((life for life in lives if life is not None), default=None)
    if attribute == "age" and longest is not None:
        return 0.0, longest
    return RANGES.get(attribute, WHOLE)


def usual_attribute(shot: Shot) -> str:
    """What a response goes over to begin with: the share of a life where lives end, or the age."""
    return (
        "fraction of life" if any(source.on and source.life is not None for source in shot.particle_sources) else "age"
    )


def over_other(shot: Shot, row_id: str, path: str, attribute: str, told: Ranges = NOTHING_TOLD) -> Edited:
    """A response over another attribute: the curve stays, and its width is that attribute's range."""
    where = path.removesuffix(".attribute")
    made = spot(shot, row_id, where).value.model_dump(mode="json") | {"attribute": attribute}
    made["begin"], made["end"] = range_of(shot, attribute, told)
    for field, needed in (("prop", "distance to"), ("zone", "weight in")):
        if attribute == needed and made[field] is None:
            described = dials_of(Response)[field]
            assert isinstance(described, Refer)
            made[field] = first_that_fits(shot, described, row_id, READABLE[attribute][0])
    return changed(shot, row_id, where, made)


def _begun(shot: Shot, place: Spot, kind: str, row_id: str) -> dict[str, Any]:
    """A driver of a kind that begins as what it replaces, or around it."""
    quantity, value = place.described, place.value
    assert isinstance(quantity, Quantity)
    number, other, _ = _about(shot, place)
    stood = value.model_dump(mode="json") if isinstance(value, Driver) else number
    low, high = quantity.soft
    none = float(np.clip(0.0, *_bounds(quantity))) if quantity.above is None else 0.1 * abs(number) or high
    match kind:
        case "keys":
            frames = sorted({shot.finish.first, shot.finish.last})
            return {"kind": kind, "keys": [{"frame": f, "value": number} for f in frames]}
        case "wave":
            return {"kind": kind, "low": min(number, other), "high": max(number, other)}
        case "noise":
            return {"kind": kind, "middle": number, "amplitude": 0.5 * abs(number) or 0.1 * (high - low)}
        case "mix":
            return {"kind": kind, "how": "multiply", "first": stood, "second": 1.0}
        case "clip":
            return {"kind": kind, "of": stood, "low": min(none, number), "high": max(number, other)}
        case "remap":
            ends = [min(none, number), max(number, other)]
            return {
                "kind": kind,
                "of": stood,
                "from_low": ends[0],
                "from_high": ends[1],
                "low": ends[0],
                "high": ends[1],
            }
        case "smooth" | "delay" | "warp":
            made: dict[str, Any] = {"kind": kind, "of": stood}
            if kind == "warp":
                made["by"] = {"kind": "noise", "middle": 0.0, "amplitude": 0.2, "period": 2.0}
            return made
        case "response":
            return {"kind": kind, "low": none, "high": number, "points": [[0.0, 1.0], [1.0, 0.0]]}
        case "compound":
            return {"kind": kind, "start": number}
        case "within":
            return {"kind": kind, "zone": _zone_for(shot, row_id), "inside": stood,
                    "outside": none}  # fmt: skip
    return {"kind": "formula", "text": f"{number:g}"}


def _bounds(quantity: Quantity) -> tuple[float, float]:
    low = quantity.above if quantity.above is not None else quantity.low
    return (-np.inf if low is None else low, np.inf if quantity.high is None else quantity.high)


def undrive(shot: Shot, row_id: str, path: str, frame: float) -> Edited:
    """Turn a driver back into the number it gives at a frame; one that differs between particles gives
    the top of its range."""
    place = spot(shot, row_id, path)
    value = place.value
    if not isinstance(value, Driver):
        return changed(shot, row_id, path, value)
    assert isinstance(place.described, Quantity)
    stated = value.stated() or [place.described.default if isinstance(place.described.default, float) else 0.0]
    number = max(stated) if value.by_element else float(answer(value, shot.clock.at(frame))[0])
    return changed(shot, row_id, path, float(np.clip(number, *_bounds(place.described))))


def _zone_for(shot: Shot, row_id: str) -> str:
    zone = dials_of(Within)["zone"]
    assert isinstance(zone, Refer)
    return first_that_fits(shot, zone, row_id, "number that goes by a zone")
