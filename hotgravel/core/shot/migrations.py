"""Shots of older versions of the format, brought to the present one step by step."""

import re
from collections.abc import Callable, Mapping
from typing import Any, Literal

from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.naming import free_name

VERSION: Literal[4] = 4
SECTIONS = ("set", "matter", "supply", "forces", "cues")  # those of all versions so far that hold rows


def _drivers_have_kinds(here: Any) -> Any:
    """Version 1 told drivers apart by `by`, of which there was one."""
    if isinstance(here, dict):
        renamed = "by" in here and "keys" in here
        return {"kind" if renamed and k == "by" else k: _drivers_have_kinds(v) for k, v in here.items()}
    return [_drivers_have_kinds(v) for v in here] if isinstance(here, list | tuple) else here


def _states_have_matter(document: dict[str, Any]) -> dict[str, Any]:
    """Version 2 knew only particles."""
    rows = document.get("matter", [])
    if not isinstance(rows, list):
        return document
    states = [{"of": "particles"} | r if isinstance(r, dict) and r.get("kind") == "state" else r for r in rows]
    return document | {"matter": states}


def _rows_have_names(document: dict[str, Any], titles: Mapping[str, str]) -> dict[str, Any]:
    """Version 3 called rows by their ids, let names be used twice, and ended a stream before its last frame."""
    made = dict(document)
    taken: set[tuple[str, str]] = set()
    for section in SECTIONS:
        rows = made.get(section, [])
        if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
            return document
        made[section] = [_named_row(row, titles, taken) for row in rows]
    return made


def _named_row(row: dict[str, Any], titles: Mapping[str, str], taken: set[tuple[str, str]]) -> dict[str, Any]:
    kind, name = row.get("kind"), row.get("name")
    made_by_title = re.fullmatch(rf"{titles.get(str(kind), '')}(-\d+)?", str(row.get("id")))
    if not isinstance(name, str):
        name = None if made_by_title else str(row.get("id")).replace("-", " ")
    if name is not None:
        name = free_name(name, [other for of, other in taken if of == kind])
        taken.add((str(kind), name.casefold()))
        row = row | {"name": name}
    for part, kind, usual in (("emit", "stream", 120), ("copies", "poured", 48)):
        of = row.get(part)
        if isinstance(of, dict) and of.get("kind") == kind and isinstance(of.get("end", usual), int):
            row = row | {part: of | {"end": of.get("end", usual) - 1}}
    return row


def migrated(document: dict[str, Any], titles: Mapping[str, str]) -> dict[str, Any]:
    """A document as of the version that this program writes. `titles` has the title of each kind of row, with dashes.
    Raises `ShotFault`."""
    version = document.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise ShotFault([Fault("", "version", f"A shot states its format version. Accepted: 1 to {VERSION}.")])
    if version > VERSION:
        said = f"Written by a newer Hot Gravel (format {version}; this one reads up to {VERSION})."
        raise ShotFault([Fault("", "version", said)])
    steps: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
        1: _drivers_have_kinds, 2: _states_have_matter, 3: lambda old: _rows_have_names(old, titles),
    }  # fmt: skip
    for now in range(version, VERSION):
        document = steps[now](document) | {"version": now + 1}
    return document
