"""A place in a row: what stands at a path, and the shot with another value there."""

from dataclasses import dataclass
from typing import Any

from hotgravel.core.drive.driver import Driver
from hotgravel.core.shot.dials import Choice, Described, Pick, Quantity, Refer, dials_of, options_of
from hotgravel.core.shot.document import ROW_SECTIONS, ROWS, Shot, load
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.row import Clause, Row, described_in, show_value

SHEETS = ("plane", "disc")


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
    if name not in dials_of(type(clause)):
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


def from_file(cls: type[Row]) -> bool:
    """Whether rows of a kind come in with a file, and cannot be added without one."""
    return "file" in cls.model_fields


def first_that_fits(shot: Shot, described: Refer, row_id: str, for_what: str) -> str:
    there = [row for row in shot.rows() if row.id != row_id and described.fits(row.kind)]  # type: ignore[attr-defined]
    if described.solid:
        there.sort(key=lambda row: row.shape.kind in SHEETS)  # type: ignore[attr-defined]
    if there:
        return there[0].id
    imported = any(from_file(cls) for cls in ROWS if described.fits(cls.model_fields["kind"].default))
    come = " (an imported file, in the Set)" if imported else ""
    need = f"“{for_what}” needs a {described.to}, and there is none yet. Add a {described.to} first{come}."
    raise ShotFault([Fault(row_id, "", need)])


def put(shot: Shot, row_id: str, path: str, value: Any) -> Shot:
    """The shot with a stored value in a dial."""
    document = shot.dump()
    here: Any = find(document, row_id)
    *steps, last = path.split(".")
    for step in steps:
        here = here[int(step)] if isinstance(here, list) else here[step]
    if isinstance(here, list):
        here[int(last)] = value
    else:
        here[last] = value
    return load(document)


def changed(shot: Shot, row_id: str, path: str, value: Any) -> Edited:
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
        return place.value if place.is_kind else show_value(place.value, place.described, shot.dress, shot.names())
    if isinstance(place.described, Refer):
        targets = place.value if place.described.many else [place.value]
        return ", ".join(shot.names().get(t, str(t)) if t else place.described.none or "" for t in targets)
    if place.is_kind:
        return str(options_of(type(place.clause), place.name)[place.value].title)  # type: ignore[attr-defined]
    if isinstance(place.described, Choice):
        return place.described.words[place.value]
    return str(place.value)


def find(document: dict[str, Any], row_id: str) -> dict[str, Any]:
    for section in ROW_SECTIONS:
        for row in document[section]:
            if row["id"] == row_id:
                return row  # type: ignore[no-any-return]
    if row_id == "finish":
        return document["finish"]  # type: ignore[no-any-return]
    raise ShotFault([Fault(row_id, "", "There is no such row any more.")])
