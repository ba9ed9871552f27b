"""Edits: each takes a shot and gives another one, with a label in words for what changed.

All go through the document's own validation, so that no edit can make a shot that does not
load. Every fault is raised as `ShotFault`, with the shot left as it was.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from hotgravel.core.drive.driver import Driver, answer
from hotgravel.core.drive.keys import Keys
from hotgravel.core.drive.responses import Response
from hotgravel.core.drive.starters import STARTERS
from hotgravel.core.drive.table import keys_from_csv
from hotgravel.core.drive.value import DRIVERS
from hotgravel.core.drive.within import Within
from hotgravel.core.shot.document import ROWS, Shot, load
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.fields import Choice, Colour, Described, Palette, Pick, Quantity, Refer, fields_of, options_of
from hotgravel.core.shot.row import Clause, Row, described_in, show_value
from hotgravel.core.shot.units import Unreadable, read_quantity
from hotgravel.core.shot.zones import Strokes


@dataclass(frozen=True)
class Edited:
    """The shot after an edit, and what the edit was."""

    shot: Shot
    label: str


@dataclass(frozen=True)
class Spot:
    """A place in a row: what describes it, what stands there now, and the clause it is in; `is_kind`
    where the path names which kind of clause, or of driver, stands there."""

    described: Described
    value: Any
    clause: Clause
    name: str
    is_kind: bool = False


def spot(shot: Shot, row_id: str, path: str) -> Spot:
    """What stands at a path such as "speed", "position.1", "when.speed", "emit.kind" or, within a
    driver, "speed.high"."""
    try:
        clause: Clause = shot.row(row_id)
    except KeyError:
        raise ShotFault([Fault(row_id, "", "There is no such row any more.")]) from None
    found = _spot(clause, path.split("."), None)
    if found is None:
        raise ShotFault([Fault(row_id, path, "There is no such field here.")])
    return found


def _spot(clause: Clause, steps: list[str], owner: Quantity | None) -> Spot | None:
    name, *rest = steps
    if name not in fields_of(type(clause)):
        return None
    described, value = described_in(clause, name, owner), getattr(clause, name)
    if isinstance(described, Pick):
        return (
            Spot(described, value.kind, clause, name, is_kind=True) if rest == ["kind"] else _inside(value, rest, None)
        )
    if isinstance(described, Quantity):
        if described.three:
            if not rest or rest[0] not in ("0", "1", "2"):
                return None
            value, rest = value[int(rest[0])], rest[1:]
        if rest == ["kind"] and isinstance(value, Driver):
            return Spot(described, value.kind, clause, name, is_kind=True)  # type: ignore[attr-defined]
        if rest:
            return _inside(value, rest, described) if isinstance(value, Driver) else None
    return None if rest else Spot(described, value, clause, name)


def _inside(clause: Clause, steps: list[str], owner: Quantity | None) -> Spot | None:
    return _spot(clause, steps, owner) if steps else None


def set_text(shot: Shot, row_id: str, path: str, text: str) -> Edited:
    """Set a field from what was typed or chosen in its sentence."""
    place = spot(shot, row_id, path)
    if place.is_kind:
        where = path.removesuffix(".kind")
        if isinstance(place.described, Quantity):
            return (
                undrive(shot, row_id, where, shot.finish.first)
                if text == "number"
                else drive(shot, row_id, where, text)
            )
        return _changed(shot, row_id, where, _other_kind(shot, place, row_id, path, text))
    return _changed(shot, row_id, path, _read(shot, place.described, row_id, path, text))


def set_many(shot: Shot, row_id: str, path: str, targets: Sequence[str]) -> Edited:
    """Set a field that names several rows."""
    return _changed(shot, row_id, path, list(targets))


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
    return _changed(shot, row_id, path, {"kind": "keys", "keys": read, **kept})


def set_points(shot: Shot, row_id: str, path: str, points: Sequence[tuple[float, float]]) -> Edited:
    """Draw a response's curve through points, shares of its width and height; or keys through
    (frame, value) as stored, which keep their eases where the frame stays."""
    value = _drivable(shot, row_id, path).value
    if isinstance(value, Keys):
        eases = {key.frame: key.model_dump(mode="json") for key in value.keys}
        last = value.keys[-1].model_dump(mode="json")
        keys = [{**eases.get(f, last), "frame": f, "value": v} for f, v in points]
        return _changed(shot, row_id, path, value.model_dump(mode="json") | {"keys": keys})
    if not isinstance(value, Response):
        raise ShotFault([Fault(row_id, path, "There is no curve here to draw.")])
    return _changed(shot, row_id, path, value.model_dump(mode="json") | {"points": [list(p) for p in points]})


def _drivable(shot: Shot, row_id: str, path: str) -> Spot:
    place = spot(shot, row_id, path)
    if not isinstance(place.described, Quantity) or not place.described.drivable or place.is_kind:
        raise ShotFault([Fault(row_id, path, f"{place.described.label} cannot be driven.")])
    if place.value is None:
        raise ShotFault([Fault(row_id, path, f"{place.described.label} has no number that could be driven.")])
    return place


def drive(shot: Shot, row_id: str, path: str, kind: str = "keys") -> Edited:
    """Let a number vary. What is made from others takes in what stood there; the rest begin around it."""
    place = _drivable(shot, row_id, path)
    if kind in STARTERS:
        number, most, first = _about(shot, place)
        return _changed(shot, row_id, path, STARTERS[kind](number, most, first))
    if kind not in DRIVERS:
        raise ShotFault([Fault(row_id, path, f"{kind!r} drives nothing. Accepted: {', '.join(DRIVERS)}.")])
    return _changed(shot, row_id, path, begun(shot, place, kind, row_id))


def set_table(shot: Shot, row_id: str, path: str, text: str) -> Edited:
    """Drive a number by the keys of a CSV table of frames and values."""
    _drivable(shot, row_id, path)
    try:
        keys = keys_from_csv(text)
    except ValueError as fault:
        raise ShotFault([Fault(row_id, path, str(fault))]) from None
    return _changed(shot, row_id, path, {"kind": "keys", "keys": keys})


def _about(shot: Shot, place: Spot) -> tuple[float, float, float]:
    """What a number now is, the most that a signal about it should reach, and the shot's first frame."""
    quantity, value = place.described, place.value
    assert isinstance(quantity, Quantity)
    number = float(answer(value, shot.clock.at(shot.finish.first))[0]) if not _by_element(value) else quantity.soft[1]
    return number, float(np.clip(2.0 * number if number else quantity.soft[1], *_bounds(quantity))), shot.finish.first


def begun(shot: Shot, place: Spot, kind: str, row_id: str) -> dict[str, Any]:
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
            return {"kind": kind, "low": none, "high": number, "points": [[0.0, 1.0], [1.0, 0.0]], "end": 2.0}
        case "within":
            return {"kind": kind, "zone": _zone_for(shot, row_id), "inside": stood,
                    "outside": none}  # fmt: skip
    return {"kind": "formula", "text": f"{number:g}"}


def _by_element(value: Any) -> bool:
    return isinstance(value, Driver) and value.by_element


def _bounds(quantity: Quantity) -> tuple[float, float]:
    low = quantity.above if quantity.above is not None else quantity.low
    return (-np.inf if low is None else low, np.inf if quantity.high is None else quantity.high)


def undrive(shot: Shot, row_id: str, path: str, frame: float) -> Edited:
    """Turn a driver back into the number it gives at a frame; one that differs between particles gives
    the top of its range."""
    place = spot(shot, row_id, path)
    value = place.value
    if not isinstance(value, Driver):
        return _changed(shot, row_id, path, value)
    assert isinstance(place.described, Quantity)
    stated = value.stated() or [place.described.default if isinstance(place.described.default, float) else 0.0]
    number = max(stated) if value.by_element else float(answer(value, shot.clock.at(frame))[0])
    return _changed(shot, row_id, path, float(np.clip(number, *_bounds(place.described))))


def set_palette(shot: Shot, row_id: str, path: str, swatches: Sequence[tuple[str, str]]) -> Edited:
    """Set a palette from (colour, weight) as typed; a swatch without a weight is left out."""
    if not isinstance(spot(shot, row_id, path).described, Palette):
        raise ShotFault([Fault(row_id, path, "There is no palette here.")])
    read = []
    for number, (colour, weight) in enumerate(swatches, 1):
        if not weight.strip():
            continue
        try:
            read.append([colour, read_quantity(weight, "", shot.dress)])
        except Unreadable as fault:
            raise ShotFault([Fault(row_id, path, f"Swatch {number}: {fault}")]) from None
    return _changed(shot, row_id, path, read)


def add_strokes(shot: Shot, row_id: str, path: str, points: Sequence[Sequence[float]]) -> Edited:
    """Add a stroke's points to a zone drawn on the stage; no points at all clear it."""
    try:
        shape = getattr(shot.row(row_id), path, None)
    except KeyError:
        raise ShotFault([Fault(row_id, "", "There is no such row any more.")]) from None
    if not isinstance(shape, Strokes):
        raise ShotFault([Fault(row_id, path, "Nothing can be drawn here. Accepted: a zone of strokes.")])
    if any(len(point) != 3 for point in points):
        raise ShotFault([Fault(row_id, path, "A point has three numbers: x, y, z.")])
    kept = [list(p) for p in shape.points] + [[round(float(n), 5) for n in p] for p in points] if points else []
    document = shot.dump()
    _find(document, row_id)[path]["points"] = kept
    label = (
        f"{shot.names()[row_id]}: stroke of {len(points)} points drawn"
        if points
        else f"{shot.names()[row_id]}: strokes cleared"
    )
    return Edited(load(document), label)


def place_at(shot: Shot, row_id: str, path: str, at: Sequence[float]) -> Edited:
    """Move what stands at three numbers, as by a hand on the stage. Driven ones stay as they are."""
    place = [spot(shot, row_id, f"{path}.{axis}") for axis in range(3)]
    if not all(isinstance(p.described, Quantity) and p.described.three for p in place) or len(at) != 3:
        raise ShotFault([Fault(row_id, path, "There is no place here that could be moved.")])
    new = [p.value if isinstance(p.value, Driver) else round(float(x), 6) for p, x in zip(place, at, strict=True)]
    return _changed(shot, row_id, path, [v.model_dump(mode="json") if isinstance(v, Driver) else v for v in new])


def switch(shot: Shot, row_id: str, on: bool) -> Edited:
    """Switch a row on or off without losing it."""
    document = shot.dump()
    _find(document, row_id)["on"] = on
    return Edited(load(document), f"{shot.names()[row_id]} switched {'on' if on else 'off'}")


def rename(shot: Shot, name: str) -> Edited:
    """Give the shot another name."""
    document = shot.dump() | {"name": " ".join(name.split())}
    return Edited(load(document), f"renamed to {document['name']}")


def add_row(shot: Shot, kind: str, **fields: Any) -> tuple[Edited, str]:
    """Add a row with its defaults; references point at the first row that fits. Returns its id too."""
    cls = next((c for c in ROWS if c.model_fields["kind"].default == kind), None)
    if cls is None:
        raise ShotFault([Fault("", "kind", f"{kind!r} is no kind of row.")])
    row_id = _free_id(shot, fields.get("name") or cls.title)
    row: dict[str, Any] = {"kind": kind, "id": row_id, **fields}
    for name, described in fields_of(cls).items():
        if name in row:
            continue
        if isinstance(described, Refer) and described.none is None:
            target = _first(shot, described, row_id, cls.title)
            row[name] = [target] if described.many else target
        elif name == "name":
            row[name] = row_id.replace("-", " ")
    document = shot.dump()
    document[cls.section] = [*document[cls.section], row]
    return Edited(load(document), f"{cls.title} {row_id} added"), row_id


def duplicate_row(shot: Shot, row_id: str) -> tuple[Edited, str]:
    """A copy of a row right behind it."""
    document = shot.dump()
    copy = dict(_find(document, row_id))
    if row_id == "finish":
        raise ShotFault([Fault(row_id, "", "A shot has one finish.")])
    copy["id"] = _free_id(shot, re.sub(r"-\d+$", "", row_id))
    if "name" in copy:
        copy["name"] = copy["id"].replace("-", " ")
    rows = document[shot.row(row_id).section]
    rows.insert(next(i for i, r in enumerate(rows) if r["id"] == row_id) + 1, copy)
    return Edited(load(document), f"{shot.names()[row_id]} duplicated"), copy["id"]


def remove_row(shot: Shot, row_id: str) -> Edited:
    """Remove a row that no other refers to; otherwise the fault names who does."""
    document = shot.dump()
    row = _find(document, row_id)
    if row_id == "finish":
        raise ShotFault([Fault(row_id, "", "A shot keeps its finish.")])
    users = [r.id for r in shot.rows() if r.id != row_id and row_id in mentions(r)]
    if users:
        names = ", ".join(shot.names()[u] for u in users)
        raise ShotFault([Fault(row_id, "", f"Still named by {names}. Change or remove that first.")])
    section = shot.row(row_id).section
    document[section] = [r for r in document[section] if r is not row]
    return Edited(load(document), f"{shot.names()[row_id]} removed")


def mentions(clause: Clause) -> set[str]:
    """The rows that a row refers to."""
    found: set[str] = set()
    for name, described in fields_of(type(clause)).items():
        value = getattr(clause, name)
        if isinstance(described, Quantity):
            found |= {m for v in (value if described.three else (value,)) if isinstance(v, Driver) for m in mentions(v)}
        if isinstance(described, Refer) and value is not None:
            found |= set(value) if described.many else {value}
        elif isinstance(described, Pick):
            found |= mentions(value)
    return found


def _read(shot: Shot, described: Described, row_id: str, path: str, text: str) -> Any:
    if isinstance(described, Quantity):
        if described.none is not None and text.strip().lower() in ("", described.none.lower()):
            return None
        try:
            number = read_quantity(text, described.unit, shot.dress)
        except Unreadable as fault:
            raise ShotFault([Fault(row_id, path, str(fault))]) from None
        complaint = described.complaint(number, shot.dress)
        if complaint:
            raise ShotFault([Fault(row_id, path, complaint)])
        return int(number) if described.whole else number
    if isinstance(described, Refer):
        return [text] if described.many else (text or None)
    if isinstance(described, Choice | Colour):
        return text
    return " ".join(text.split())


def _other_kind(shot: Shot, place: Spot, row_id: str, path: str, kind: str) -> dict[str, Any]:
    """The clause of another kind, keeping the fields that both have."""
    options = options_of(type(place.clause), place.name)
    if kind not in options:
        raise ShotFault([Fault(row_id, path, f"{kind!r} does not fit here. Accepted: {', '.join(options)}.")])
    cls = options[kind]
    old = getattr(place.clause, place.name).model_dump(mode="json")
    made: dict[str, Any] = {"kind": kind}
    for name, described in fields_of(cls).items():
        if name in old:
            made[name] = old[name]
        elif isinstance(described, Refer) and described.none is None:
            made[name] = _first(shot, described, row_id, cls.title)  # type: ignore[attr-defined]
    return made


def _first(shot: Shot, described: Refer, row_id: str, for_what: str) -> str:
    for row in shot.rows():
        if row.id != row_id and described.fits(row.kind):  # type: ignore[attr-defined]
            return row.id
    need = f"A {for_what} needs a {described.to}, and there is none yet. Add a {described.to} first."
    raise ShotFault([Fault(row_id, "", need)])


def _zone_for(shot: Shot, row_id: str) -> str:
    zone = fields_of(Within)["zone"]
    assert isinstance(zone, Refer)
    return _first(shot, zone, row_id, "number that goes by a zone")


def put(shot: Shot, row_id: str, path: str, value: Any) -> Shot:
    """The shot with a stored value in a field."""
    document = shot.dump()
    here: Any = _find(document, row_id)
    *steps, last = path.split(".")
    for step in steps:
        here = here[int(step)] if isinstance(here, list) else here[step]
    if isinstance(here, list):
        here[int(last)] = value
    else:
        here[last] = value
    return load(document)


def _changed(shot: Shot, row_id: str, path: str, value: Any) -> Edited:
    after = put(shot, row_id, path, value)
    return Edited(after, _label(shot, after, row_id, path))


def _label(before: Shot, after: Shot, row_id: str, path: str) -> str:
    name = after.names()[row_id]
    here: Any = after.row(row_id)
    for step in path.split("."):
        here = here[int(step)] if isinstance(here, tuple) else getattr(here, step, None)
    if isinstance(here, tuple):
        label = spot(after, row_id, f"{path}.0" if _is_three(after, row_id, path) else path).described.label
        return f"{name}: {label} {'moved' if _is_three(after, row_id, path) else 'changed'}"
    told = []
    for shot in (before, after):
        place = spot(shot, row_id, f"{path}.kind" if _is_clause(shot, row_id, path) else path)
        told.append(_tell(shot, place))
        label = place.described.label + (f" {'xyz'[int(path[-1])]}" if _is_axis(place, path) else "")
    return f"{name}: {label} {told[0]} to {told[1]}"


def _is_three(shot: Shot, row_id: str, path: str) -> bool:
    """Whether a path names three numbers at once."""
    try:
        return isinstance(spot(shot, row_id, f"{path}.0").described, Quantity)
    except ShotFault:
        return False


def _is_axis(place: Spot, path: str) -> bool:
    return isinstance(place.described, Quantity) and place.described.three and path[-2:] in (".0", ".1", ".2")


def _is_clause(shot: Shot, row_id: str, path: str) -> bool:
    here: Any = shot.row(row_id)
    for step in path.split("."):
        here = here[int(step)] if isinstance(here, tuple) else getattr(here, step, None)
    return isinstance(here, Clause) and not isinstance(here, Driver)


def _tell(shot: Shot, place: Spot) -> str:
    if isinstance(place.described, Quantity):
        return place.value if place.is_kind else show_value(place.value, place.described, shot.dress)
    if isinstance(place.described, Refer):
        targets = place.value if place.described.many else [place.value]
        return ", ".join(shot.names().get(t, str(t)) if t else place.described.none or "" for t in targets)
    if place.is_kind:
        return str(options_of(type(place.clause), place.name)[place.value].title)  # type: ignore[attr-defined]
    if isinstance(place.described, Choice):
        return place.described.words[place.value]
    return str(place.value)


def _find(document: dict[str, Any], row_id: str) -> dict[str, Any]:
    for section in ("set", "matter", "supply", "forces", "cues"):
        for row in document[section]:
            if row["id"] == row_id:
                return row  # type: ignore[no-any-return]
    if row_id == "finish":
        return document["finish"]  # type: ignore[no-any-return]
    raise ShotFault([Fault(row_id, "", "There is no such row any more.")])


def _free_id(shot: Shot, name: str) -> str:
    stem = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:50] or "row"
    stem = stem if stem[0].isalpha() else f"row-{stem}"
    taken = {row.id for row in shot.rows()}
    if stem not in taken:
        return stem
    return next(f"{stem}-{n}" for n in range(2, 100_000) if f"{stem}-{n}" not in taken)


def rows_of(section: str) -> list[type[Row]]:
    """The kinds of row that can be added to a section; those made from a file come in with it."""
    return [cls for cls in ROWS if cls.section == section and "file" not in cls.model_fields]
