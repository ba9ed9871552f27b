"""Templates, and what they need to know of a shot."""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from fastapi.templating import Jinja2Templates
from jinja2 import Environment, FileSystemLoader, StrictUndefined

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
from hotgravel.core.shot.edit import rows_of
from hotgravel.core.shot.faults import Fault
from hotgravel.core.shot.row import (
    Clause,
    Row,
    Slot,
    is_driven,
    pieces,
    sentence,
    show_value,
    slots_of,
)
from hotgravel.core.shot.units import show_number, show_quantity, shown_unit

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
        if quantity.three else show_value(quantity.default, quantity, shot.dress)
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
        "shot_id": shot_id,
        "shot": shot,
        "revision": revision,
        "typed": typed,
        "unfolded": set(unfolded.split()),
        "astray": "" if typed.row in {*SECTIONS, *(r.id for r in shot.rows())} else typed.sentence(typed.row),
        "sections": [(name, title, _rows(shot, name), rows_of(name)) for name, title in SECTIONS.items()],
    }


def _rows(shot: Shot, section: str) -> list[Row]:
    return [shot.finish] if section == "finish" else list(getattr(shot, section))


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
    slot_type=slot_type, dials_in=dials_in, 
    row_groups=row_groups, rows_to_name=rows_to_name, is_driven=is_driven, sentence=sentence,
)  # fmt: skip
