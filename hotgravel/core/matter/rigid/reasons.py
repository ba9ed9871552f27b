"""Why a body came off: the bonds that gave way, what each bore, and what hit it; told of one, and of all as a table."""

from collections.abc import Iterable, Iterator, Mapping

import numpy as np

from hotgravel.core.matter.contract import Array, Kept, Table
from hotgravel.core.matter.elements import NOBODY, hit_by
from hotgravel.core.matter.rigid.breaking import BREAKS, CUE, SHEAR, TENSION
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.units import show_quantity

WAYS = {TENSION: "tension", SHEAR: "shear", CUE: "parted by a cue"}
HEAD = (
    "frame", "one", "other", "x [m]", "y [m]", "z [m]", "nx", "ny", "nz", "area [m²]", "bore [MPa]", "strength [MPa]",
    "in", "hit by",
)  # fmt: skip


def bonds_table(shot: Shot, kept: Kept, frames: Iterable[int]) -> Table:
    """A line for each bond that gave way, in the order in which they did."""
    return Table("bonds", HEAD, (line for frame in frames for line in _lines(shot, kept, frame)))


def _lines(shot: Shot, kept: Kept, frame: int) -> Iterator[tuple[object, ...]]:
    b = kept.record(frame, "breaks", BREAKS)
    for k in range(len(b["one"])):
        numbers = [*b["place"][k], *b["normal"][k], b["area"][k], b["bore"][k] / 1e6, b["strength"][k] / 1e6]
        told = (WAYS[int(b["why"][k])], hit_by(shot, int(b["by"][k])))
        yield (frame, int(b["one"][k]), int(b["other"][k]), *(f"{x:.6g}" for x in numbers), *told)


def reasons(shot: Shot, kept: Kept, element: int, frame: int) -> Iterator[tuple[int, str, str]]:
    """Frame, row and sentence of all that parted a body from others up to a frame: its own bonds, and those of the lump
    that it came off with."""
    rows = shot.bonds
    if not rows:
        return
    was_held = False
    for at in (f for f in kept.frames() if f <= frame):
        broken = kept.record(at, "breaks", BREAKS)
        columns = kept.elements(at, "rigid", ("id", "supported"))
        mine = columns["id"] == element
        held = bool(columns["supported"][mine].any())
        own = np.flatnonzero((broken["one"] == element) | (broken["other"] == element))
        if len(own):
            first = int(own[0])
            yield at, rows[int(broken["row"][first])].id, _own(shot, broken, own, element)
        elif was_held and not held and mine.any() and len(broken["one"]):
            first = int(np.argmax(broken["area"]))
            row = rows[int(broken["row"][first])].id
            many = _bonds(len(broken["one"]))
            told = _gave(shot, broken, first, f"between bodies {broken['one'][first]} and {broken['other'][first]}")
            yield at, row, f"The lump that it hangs in came off: {many} gave way, the largest {told}."
        was_held = held


def _bonds(count: int) -> str:
    return "1 bond" if count == 1 else f"{count} bonds"


def _own(shot: Shot, broken: Mapping[str, Array], own: Array, element: int) -> str:
    first = int(own[0])
    one, other = int(broken["one"][first]), int(broken["other"][first])
    partner = other if one == element else one
    to = f"to body {partner}" if partner != NOBODY else "to one that is gone"
    if len(own) == 1:
        return f"Its bond {_gave(shot, broken, first, to)} gave way."
    return f"{len(own)} of its bonds gave way, first that {_gave(shot, broken, first, to)}."


def _gave(shot: Shot, broken: Mapping[str, Array], k: int, which: str) -> str:
    """A bond, its load and its strength."""
    if broken["why"][k] == CUE:
        return f"{which}, as a cue parted it"
    way = WAYS[int(broken["why"][k])]
    bore, strength = (show_quantity(float(f"{broken[n][k]:.3g}"), "MPa", shot.dress) for n in ("bore", "strength"))
    area = show_quantity(float(f"{broken['area'][k]:.3g}"), "m²", shot.dress)
    by = hit_by(shot, int(broken["by"][k]))
    hit = "" if by is None else f", hit by {by if isinstance(by, str) else f'body {by}'}"
    return f"{which}, which bore {bore} of {strength} in {way} over {area}{hit}"
