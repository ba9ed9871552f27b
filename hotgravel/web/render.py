"""Templates, and what they need to know of a shot."""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby
from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from fastapi.templating import Jinja2Templates
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup

from hotgravel.core.shot.dials import (
    Choice,
    Colour,
    Described,
    FileName,
    Palette,
    Pick,
    Quantity,
    Refer,
    dials_of,
)
from hotgravel.core.shot.document import SECTIONS, Shot
from hotgravel.core.shot.edit import mentions, rows_of
from hotgravel.core.shot.explain import row_sentence
from hotgravel.core.shot.faults import Fault
from hotgravel.core.shot.row import (
    Clause,
    Row,
    Slot,
    pieces,
    sentence,
    show_value,
    slots_of,
    varies,
)
from hotgravel.core.shot.totals import told_of
from hotgravel.core.shot.units import Dress, show_number, show_quantity, shown_unit

HERE = Path(__file__).parent
STATIC = HERE / "static"

environment = Environment(
    loader=FileSystemLoader(HERE / "templates"), autoescape=True, undefined=StrictUndefined,
    trim_blocks=True, lstrip_blocks=True,
)  # fmt: skip
templates = Jinja2Templates(env=environment)


def page(request: Request, template: str, status: int = 200, **context: Any) -> HTMLResponse:
    """A whole page, or a part of one."""
    return templates.TemplateResponse(request, template, context, status_code=status)


def slot_type(slot: Slot) -> str:
    """Which kind of input a slot is: text, number, pick, refer, refers, colour or file."""
    match slot.described:
        case Pick() | Choice():
            return "pick"
        case Refer(many=True):
            return "refers"
        case Refer():
            return "refer"
        case Colour():
            return "colour"
        case Palette():
            return "palette"
        case FileName():
            return "file"
        case Quantity():
            return "number"
    return "text"


@dataclass(frozen=True)
class Dial:
    """A field as the unfolded row shows it: its slots, what it does, what is usual."""

    name: str
    described: Described
    slots: list[Slot]
    usual: str
    off_default: bool


def dials_in(shot: Shot, clause: Clause, prefix: str = "") -> list[Dial]:
    """All dials of a row, those of its clauses after the clause's own pick."""
    found: list[Dial] = []
    idle = clause.idle()
    for name, described in dials_of(type(clause)).items():
        if name in idle:
            continue
        slots = [s for s in slots_of(clause, name, described, shot.dress, shot.names(), prefix) if isinstance(s, Slot)]
        value = getattr(clause, name)
        if isinstance(described, Pick):
            found.append(Dial(name, described, slots[:1], "", False))
            found += dials_in(shot, value, f"{prefix}{name}.")
            continue
        usual, off = "", False
        if isinstance(described, Quantity):
            usual, off = _usual(described, value, shot)
        elif isinstance(described, Choice):
            off = value != described.default
        found.append(Dial(name, described, slots, usual, off))
    return found


def _usual(quantity: Quantity, value: Any, shot: Shot) -> tuple[str, bool]:
    show = show_quantity if quantity.unit == "count" else show_number
    low, high = (show(n, quantity.unit, shot.dress) for n in quantity.soft)
    unit = "" if quantity.unit in ("count", "frame") else " " + shown_unit(quantity.unit, shot.dress)
    default = (
        ", ".join(show_number(d, quantity.unit, shot.dress) for d in quantity.default)
        if quantity.three else show_value(quantity.default, quantity, shot.dress, {})
    )  # fmt: skip
    return f"usual {low} to {high}{unit}, default {default}", value != quantity.default


@dataclass(frozen=True)
class Typed:
    """What a refused edit held, so that nothing typed is lost: where, the text, and the fault."""

    row: str
    path: str
    text: str
    faults: tuple[Fault, ...] = ()
    keys: tuple[dict[str, str], ...] = ()
    late: bool = False  # another edit came first: its value is shown, and this one can be put in its place

    def sentence(self, row: str) -> str:
        """The fault as the row shows it."""
        return " ".join(f.message for f in self.faults) if row == self.row else ""


NOTHING_TYPED = Typed("", "", "")


def notebook(
    shot_id: int, shot: Shot, revision: int, typed: Typed = NOTHING_TYPED, unfolded: str = ""
) -> dict[str, Any]:
    """What the notebook's template needs."""
    return {
        "news": None,
        "oob": False,
        "shot_id": shot_id,
        "shot": shot,
        "revision": revision,
        "typed": typed,
        "unfolded": set(unfolded.split()),
        "told": told_of(shot),
        "astray": "" if typed.row in {*SECTIONS, *(r.id for r in shot.rows())} else typed.sentence(typed.row),
        "sections": [(name, title, _rows(shot, name), rows_of(name)) for name, title in SECTIONS.items()],
    }


def _rows(shot: Shot, section: str) -> list[Row]:
    return [shot.finish] if section == "finish" else list(getattr(shot, section))


def blocks_of(rows: list[Row]) -> list[tuple[str | None, list[Row]]]:
    """Rows in order, cut where the title that they stand under changes."""
    return [(title, list(members)) for title, members in groupby(rows, key=lambda row: row.group)]


def concerns(row: Row) -> str:
    """The ids of a row and of all that it names, with a space between."""
    return " ".join([row.id, *sorted(mentions(row))])


def found_by(shot: Shot, row: Row) -> str:
    """The words that a row is found by: its name, its kind and its sentence."""
    return f"{shot.names()[row.id]} {row.title} {sentence(row, shot.dress, shot.names())}".lower()


def found_as(shot: Shot, row: Row) -> str:
    """Which of *off*, *driven* and *changed* a row is. Typed alone, these words mean the row, not its sentence."""
    changed = any(dial.off_default for dial in dials_in(shot, row))
    return " ".join(
        word for word, holds in (("off", not row.on), ("driven", varies(row)), ("changed", changed)) if holds
    )


def closed_row(shot_id: int, shot: Shot, row: Row, told: dict[str, str]) -> Markup:
    """A row that is not unfolded, as the page shows it: drawn once for as long as nothing changes in it."""
    return _closed_row(
        shot_id,
        row,
        tuple((r.id, shot.names()[r.id], r.kind) for r in shot.rows()),
        shot.dress,
        told.get(row.id),
        Held(shot),
    )


def redrawn(shot_id: int, before: Shot, after: Shot) -> list[Row] | None:
    """The rows that the page must show anew after an edit; None where the page's very order has changed."""
    if _outline(before) != _outline(after):
        return None
    told, old = told_of(after), told_of(before)
    return [
        row
        for row, was in zip(after.rows(), before.rows(), strict=True)
        if row != was or closed_row(shot_id, after, row, told) != closed_row(shot_id, before, was, old)
    ]


def _outline(shot: Shot) -> list[Any]:
    """Which rows there are, in order, under which titles, and whether all under one are off."""
    blocks = [(section, *block) for section in SECTIONS for block in blocks_of(_rows(shot, section))]
    return [
        (section, title, title and any(row.on for row in rows), [row.id for row in rows])
        for section, title, rows in blocks
    ]


@dataclass(frozen=True)
class Held:
    """A shot that a drawing is made from; equal to any other, because all that the drawing shows is told beside it."""

    shot: Shot

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Held)

    def __hash__(self) -> int:
        return 0


@lru_cache(maxsize=4096)
def _closed_row(
    shot_id: int, row: Row, names: tuple[tuple[str, ...], ...], dress: Dress, told: str | None, held: Held
) -> Markup:  # fmt: skip
    context = {
        "shot_id": shot_id,
        "shot": held.shot,
        "row": row,
        "typed": NOTHING_TYPED,
        "unfolded": set(),
        "oob": False,
    }
    return Markup(environment.get_template("row.html").render(told={row.id: told} if told else {}, **context))


@dataclass(frozen=True)
class Piece:
    """Words of a sentence, or a slot with the punctuation that must not leave it."""

    words: str
    slot: Slot | None = None


def row_groups(shot: Shot, row: Row) -> list[list[Piece]]:
    """The sentence of a row, cut for the page: the numbers of a place or a direction are one group, which stays on one
    line, unless one of them is driven and may be long."""
    groups: list[list[Piece]] = []
    last = ""
    for piece in joined_pieces(pieces(row, shot.dress, shot.names())):
        part = piece.slot is not None and not piece.slot.driven and re.fullmatch(r"(.+)\.[012]", piece.slot.path)
        of = part[1] if part else ""
        if groups and of and of == last:
            groups[-1].append(piece)
        elif not (groups and last and not piece.slot and not piece.words.strip()):
            groups.append([piece])
            last = of
        else:
            groups[-1].append(piece)  # the space between two numbers
    return groups


def joined_pieces(parts: Iterable[str | Slot]) -> list[Piece]:
    """Words and slots, with a mark that follows a slot kept to it."""
    found: list[Piece] = []
    for part in parts:
        if isinstance(part, Slot):
            found.append(Piece("", part))
            continue
        mark = len(part) - len(part.lstrip(",.;"))
        if mark and found and found[-1].slot:
            found[-1] = Piece(part[:mark], found[-1].slot)
            part = part[mark:]
        found.append(Piece(part))
    return found


def rows_to_name(shot: Shot, described: Refer) -> list[tuple[str, str]]:
    """Id and name of all rows that a reference may name."""
    names = shot.names()
    return [(row.id, names[row.id]) for row in shot.rows() if described.fits(row.kind)]


environment.globals.update(
    slot_type=slot_type, dials_in=dials_in, row_groups=row_groups, blocks_of=blocks_of, concerns=concerns,
    found_by=found_by, found_as=found_as, closed_row=closed_row, row_sentence=row_sentence, rows_to_name=rows_to_name,
)  # fmt: skip
