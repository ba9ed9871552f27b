"""Edits: each takes a shot and gives another one, with a label in words for what changed.

All go through the document's own validation, so that no edit can make a shot that does not
load. Every fault is raised as `ShotFault`, with the shot left as it was.
"""

import re
from collections.abc import Sequence
from typing import Any

from hotgravel.core.attributes import READABLE
from hotgravel.core.drive.driver import Driver
from hotgravel.core.drive.responses import Response
from hotgravel.core.shot.dials import (
    Choice,
    Colour,
    Described,
    Palette,
    Pick,
    Quantity,
    Refer,
    Words,
    dials_of,
    options_of,
)
from hotgravel.core.shot.document import ROW_SECTIONS, ROWS, Shot, load
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.naming import free_name
from hotgravel.core.shot.row import Clause, Row
from hotgravel.core.shot.spot import Edited, Spot, changed, find, first_that_fits, from_file, spot
from hotgravel.core.shot.units import Unreadable, read_quantity
from hotgravel.core.shot.vary import NOTHING_TOLD, Ranges, drive, over_other, undrive
from hotgravel.core.shot.zones import Strokes

IN_FRAMES = re.compile(r"\s*(\d+(?:\.\d+)?)\s*f(?:rames?)?\s*", re.IGNORECASE)


def set_text(shot: Shot, row_id: str, path: str, text: str, told: Ranges = NOTHING_TOLD) -> Edited:
    """Set a dial from what was typed or chosen in its sentence. `told`: from where to where attributes went last."""
    place = spot(shot, row_id, path)
    if isinstance(place.clause, Response) and place.name == "attribute" and text in READABLE:
        return over_other(shot, row_id, path, text, told)
    if place.is_kind:
        where = path.removesuffix(".kind")
        if isinstance(place.described, Quantity):
            return (
                undrive(shot, row_id, where, shot.finish.first)
                if text == "number"
                else drive(shot, row_id, where, text, told)
            )
        return changed(shot, row_id, where, _other_kind(shot, place, row_id, path, text))
    return changed(shot, row_id, path, _read(shot, place.described, row_id, path, text))


def set_many(shot: Shot, row_id: str, path: str, targets: Sequence[str]) -> Edited:
    """Set a dial that names several rows."""
    described = spot(shot, row_id, path).described
    if not (isinstance(described, Refer) and described.many):
        raise ShotFault([Fault(row_id, path, f"{described.label} does not name several rows.")])
    return changed(shot, row_id, path, list(targets))


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
    return changed(shot, row_id, path, read)


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
    find(document, row_id)[path]["points"] = kept
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
    return changed(shot, row_id, path, [v.model_dump(mode="json") if isinstance(v, Driver) else v for v in new])


def switch(shot: Shot, row_id: str, on: bool) -> Edited:
    """Switch a row on or off without losing it."""
    document = shot.dump()
    find(document, row_id)["on"] = on
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
    for name, described in dials_of(cls).items():
        if name in row:
            continue
        if isinstance(described, Refer) and described.none is None:
            target = first_that_fits(shot, described, row_id, cls.title)
            row[name] = [target] if described.many else target
        elif isinstance(described, Words) and described.none is None:
            row[name] = row_id.replace("-", " ")
    document = shot.dump()
    document[cls.section] = [*document[cls.section], row]
    return Edited(load(document), f"{cls.title} {row_id} added"), row_id


def move_row(shot: Shot, row_id: str, by: int) -> Edited:
    """A row so many places on in its section, or back."""
    document = shot.dump()
    row = find(document, row_id)
    rows = document[_section_of(shot, row_id)]
    at = next(i for i, r in enumerate(rows) if r is row)
    to = min(max(at + by, 0), len(rows) - 1)
    beyond = rows[to]["group"] if to != at else row["group"]
    rows.insert(to, rows.pop(at))
    neighbours = [rows[i]["group"] for i in (to - 1, to + 1) if 0 <= i < len(rows)]
    if row["group"] not in neighbours:
        # It has left its group, or has been moved in among the rows of another.
        row["group"] = beyond if neighbours == [beyond, beyond] else None
    return Edited(load(document), f"{shot.names()[row_id]} moved {'down' if by > 0 else 'up'}")


def group_row(shot: Shot, row_id: str, title: str) -> Edited:
    """A row under a title, behind the last row that is there already; under none if the title is empty."""
    title = " ".join(title.split())
    document = shot.dump()
    row = find(document, row_id)
    rows = document[_section_of(shot, row_id)]
    row["group"] = title or None
    rest = [r for r in rows if r is not row]
    others = [i for i, r in enumerate(rest) if title and r["group"] == title]
    at = others[-1] + 1 if others else next(i for i, r in enumerate(rows) if r is row)
    rows[:] = [*rest[:at], row, *rest[at:]]
    name = shot.names()[row_id]
    return Edited(load(document), f"{name} put under “{title}”" if title else f"{name} taken out of its group")


def switch_group(shot: Shot, section: str, title: str, on: bool) -> Edited:
    """Switch all rows under a title on or off together."""
    document = shot.dump()
    mine = [r for r in document.get(section, []) if r["group"] == title] if section in ROW_SECTIONS else []
    if not mine:
        raise ShotFault([Fault(section, "", f"There is no group “{title}” here any more.")])
    for row in mine:
        row["on"] = on
    return Edited(load(document), f"“{title}” switched {'on' if on else 'off'}")


def _section_of(shot: Shot, row_id: str) -> str:
    if row_id == "finish":
        raise ShotFault([Fault(row_id, "", "The finish stands alone, at the end.")])
    return shot.row(row_id).section


def duplicate_row(shot: Shot, row_id: str) -> tuple[Edited, str]:
    """A copy of a row right behind it."""
    document = shot.dump()
    copy = dict(find(document, row_id))
    if row_id == "finish":
        raise ShotFault([Fault(row_id, "", "A shot has one finish.")])
    copy["id"] = _free_id(shot, re.sub(r"-\d+$", "", row_id))
    if copy["name"] is not None:
        taken = [row.name.casefold() for row in shot.rows() if row.name]
        copy["name"] = free_name(re.sub(r" \d+$", "", copy["name"]), taken)
    rows = document[shot.row(row_id).section]
    rows.insert(next(i for i, r in enumerate(rows) if r["id"] == row_id) + 1, copy)
    return Edited(load(document), f"{shot.names()[row_id]} duplicated"), copy["id"]


def remove_row(shot: Shot, row_id: str) -> Edited:
    """Remove a row that no other refers to; otherwise the fault names who does."""
    document = shot.dump()
    row = find(document, row_id)
    if row_id == "finish":
        raise ShotFault([Fault(row_id, "", "A shot keeps its finish.")])
    users = [r.id for r in shot.rows() if r.id != row_id and row_id in mentions(r)]
    if users:
        names = ", ".join(shot.names()[u] for u in users)
        said = f"Still named by {names}. Change or remove that first."
        raise ShotFault([Fault(row_id, "", said, tuple(users))])
    section = shot.row(row_id).section
    document[section] = [r for r in document[section] if r is not row]
    return Edited(load(document), f"{shot.names()[row_id]} removed")


def mentions(clause: Clause) -> set[str]:
    """The rows that a row refers to."""
    found: set[str] = set()
    for name, described in dials_of(type(clause)).items():
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
        if described.unit == "s" and described.drivable and (counted := IN_FRAMES.fullmatch(text)):
            return {"kind": "frames", "frames": float(counted[1])}
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
    said = " ".join(text.split())
    return None if isinstance(described, Words) and described.none and said in ("", described.none) else said


def _other_kind(shot: Shot, place: Spot, row_id: str, path: str, kind: str) -> dict[str, Any]:
    """The clause of another kind, keeping the dials that both have."""
    options = options_of(type(place.clause), place.name)
    if kind not in options:
        raise ShotFault([Fault(row_id, path, f"{kind!r} does not fit here. Accepted: {', '.join(options)}.")])
    cls = options[kind]
    old = getattr(place.clause, place.name).model_dump(mode="json")
    made: dict[str, Any] = {"kind": kind}
    for name, described in dials_of(cls).items():
        if name in old:
            made[name] = old[name]
        elif isinstance(described, Refer) and described.none is None:
            made[name] = first_that_fits(shot, described, row_id, cls.title)  # type: ignore[attr-defined]
    return made


def _free_id(shot: Shot, name: str) -> str:
    stem = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:50] or "row"
    stem = stem if stem[0].isalpha() else f"row-{stem}"
    taken = {row.id for row in shot.rows()}
    if stem not in taken:
        return stem
    return next(f"{stem}-{n}" for n in range(2, 100_000) if f"{stem}-{n}" not in taken)


def rows_of(section: str) -> list[type[Row]]:
    """The kinds of row that can be added to a section; those made from a file come in with it."""
    return [cls for cls in ROWS if cls.section == section and not from_file(cls)]
