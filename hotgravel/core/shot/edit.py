"""Edits: each takes a shot and gives another one, with a label in words for what changed.

All go through the document's own validation, so that no edit can make a shot that does not
load. Every fault is raised as `ShotFault`, with the shot left as it was.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from hotgravel.core.drive.value import is_driven, scalar
from hotgravel.core.shot.document import ROWS, Shot, load
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.fields import Choice, Colour, Described, Pick, Quantity, Refer, fields_of, options_of
from hotgravel.core.shot.row import Row, show_value
from hotgravel.core.shot.units import Unreadable, read_quantity


@dataclass(frozen=True)
class Edited:
    """The shot after an edit, and what the edit was."""

    shot: Shot
    label: str


@dataclass(frozen=True)
class Spot:
    """A place in a row: what describes it, what stands there now, and the clause it is in."""

    described: Described
    value: Any
    clause: BaseModel
    name: str
    is_kind: bool = False


def spot(shot: Shot, row_id: str, path: str) -> Spot:
    """What stands at a path such as "speed", "position.1", "when.speed" or "emit.kind"."""
    try:
        clause: BaseModel = shot.row(row_id)
    except KeyError:
        raise ShotFault([Fault(row_id, "", "There is no such row any more.")]) from None
    steps = path.split(".")
    for depth, name in enumerate(steps):
        described = fields_of(type(clause)).get(name)
        rest = steps[depth + 1 :]
        if described is None:
            break
        value = getattr(clause, name)
        if isinstance(described, Pick):
            if rest == ["kind"]:
                return Spot(described, value.kind, clause, name, is_kind=True)
            clause = value
            continue
        if isinstance(described, Quantity) and described.three and rest in (["0"], ["1"], ["2"]):
            return Spot(described, value[int(rest[0])], clause, name)
        if not rest:
            return Spot(described, value, clause, name)
        break
    raise ShotFault([Fault(row_id, path, "There is no such field here.")])


def set_text(shot: Shot, row_id: str, path: str, text: str) -> Edited:
    """Set a field from what was typed or chosen in its sentence."""
    place = spot(shot, row_id, path)
    if place.is_kind:
        return _changed(shot, row_id, path.removesuffix(".kind"), _other_kind(shot, place, row_id, path, text))
    return _changed(shot, row_id, path, _read(shot, place.described, row_id, path, text))


def set_many(shot: Shot, row_id: str, path: str, targets: Sequence[str]) -> Edited:
    """Set a field that names several rows."""
    return _changed(shot, row_id, path, list(targets))


def set_keys(shot: Shot, row_id: str, path: str, keys: Sequence[tuple[str, str, str]]) -> Edited:
    """Drive a number by keys: (frame, value, ease) as typed."""
    described = spot(shot, row_id, path).described
    if not isinstance(described, Quantity) or not described.drivable:
        raise ShotFault([Fault(row_id, path, f"{described.label} cannot be driven.")])
    read = []
    for number, (frame, value, ease) in enumerate(keys, 1):
        try:
            at = read_quantity(frame, "frame", shot.dress)
            read.append({"frame": at, "value": read_quantity(value, described.unit, shot.dress), "ease": ease})
        except Unreadable as fault:
            raise ShotFault([Fault(row_id, path, f"Key {number}: {fault}")]) from None
    return _changed(shot, row_id, path, {"by": "keys", "keys": read})


def drive(shot: Shot, row_id: str, path: str) -> Edited:
    """Turn a plain number into keys that hold it over the shot's frames."""
    place = spot(shot, row_id, path)
    quantity = place.described
    if not isinstance(quantity, Quantity) or not quantity.drivable or place.value is None:
        raise ShotFault([Fault(row_id, path, f"{quantity.label} has no number that could be driven.")])
    finish = shot.finish
    keys = [{"frame": f, "value": place.value} for f in sorted({finish.first, finish.last})]
    return _changed(shot, row_id, path, {"by": "keys", "keys": keys})


def undrive(shot: Shot, row_id: str, path: str, frame: float) -> Edited:
    """Turn keys back into the number they give at a frame."""
    place = spot(shot, row_id, path)
    return _changed(shot, row_id, path, scalar(place.value, frame) if is_driven(place.value) else place.value)


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
            target = _first(shot, described.to, row_id, cls.title)
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
    users = [r.id for r in shot.rows() if r.id != row_id and row_id in _mentions(r)]
    if users:
        names = ", ".join(shot.names()[u] for u in users)
        raise ShotFault([Fault(row_id, "", f"Still named by {names}. Change or remove that first.")])
    section = shot.row(row_id).section
    document[section] = [r for r in document[section] if r is not row]
    return Edited(load(document), f"{shot.names()[row_id]} removed")


def _mentions(clause: BaseModel) -> set[str]:
    found: set[str] = set()
    for name, described in fields_of(type(clause)).items():
        value = getattr(clause, name)
        if isinstance(described, Refer) and value is not None:
            found |= set(value) if described.many else {value}
        elif isinstance(described, Pick):
            found |= _mentions(value)
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
            made[name] = _first(shot, described.to, row_id, cls.title)  # type: ignore[attr-defined]
    return made


def _first(shot: Shot, kind: str, row_id: str, for_what: str) -> str:
    for row in shot.rows():
        if row.kind == kind:  # type: ignore[attr-defined]
            return row.id
    raise ShotFault([Fault(row_id, "", f"A {for_what} needs a {kind}, and there is none yet. Add a {kind} first.")])


def _changed(shot: Shot, row_id: str, path: str, value: Any) -> Edited:
    document = shot.dump()
    here: Any = _find(document, row_id)
    *steps, last = path.split(".")
    for step in steps:
        here = here[int(step)] if isinstance(here, list) else here[step]
    if isinstance(here, list):
        here[int(last)] = value
    else:
        here[last] = value
    after = load(document)
    return Edited(after, _label(shot, after, row_id, path))


def _label(before: Shot, after: Shot, row_id: str, path: str) -> str:
    name = after.names()[row_id]
    told = []
    for shot in (before, after):
        place = spot(shot, row_id, path if not _is_clause(shot, row_id, path) else f"{path}.kind")
        told.append(_tell(shot, place))
        label = place.described.label + (f" {'xyz'[int(path[-1])]}" if _is_axis(place, path) else "")
    return f"{name}: {label} {told[0]} to {told[1]}"


def _is_axis(place: Spot, path: str) -> bool:
    return isinstance(place.described, Quantity) and place.described.three and path[-2:] in (".0", ".1", ".2")


def _is_clause(shot: Shot, row_id: str, path: str) -> bool:
    here: Any = shot.row(row_id)
    for step in path.split("."):
        here = here[int(step)] if isinstance(here, tuple) else getattr(here, step, None)
    return isinstance(here, BaseModel) and not is_driven(here)


def _tell(shot: Shot, place: Spot) -> str:
    if isinstance(place.described, Quantity):
        return show_value(place.value, place.described, shot.dress)
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
    """The kinds of row that a section takes."""
    return [cls for cls in ROWS if cls.section == section]
