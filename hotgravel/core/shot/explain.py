"""The page as plain text, for the command line and for comparing revisions."""

from dataclasses import dataclass

from hotgravel.core.shot.dials import dials_of
from hotgravel.core.shot.document import SECTIONS, Shot
from hotgravel.core.shot.row import Row, sentence, slots_of


def explain(shot: Shot) -> str:
    """All sentences under their section titles."""
    lines = [shot.name, "=" * len(shot.name)]
    for section, title in SECTIONS.items():
        rows = [shot.finish] if section == "finish" else list(getattr(shot, section))
        if rows:
            lines += ["", title]
            lines += [f"  {row_sentence(shot, row)}" for row in rows]
    return "\n".join(lines)


@dataclass(frozen=True)
class Difference:
    """A row that is not the same in two shots: its sentence in each, None where it is missing."""

    row: str
    before: str | None
    after: str | None


def differences(before: Shot, after: Shot) -> list[Difference]:
    """What changed from one shot to another, sentence by sentence, in working order.

    A dial that its sentence does not show is told with its label behind the sentence.
    """
    old, new = {r.id: r for r in before.rows()}, {r.id: r for r in after.rows()}
    found = []
    if before.name != after.name:
        found.append(Difference("", before.name, after.name))
    for row_id in [*new, *(r for r in old if r not in new)]:
        was, now = old.get(row_id), new.get(row_id)
        if was == now:
            continue
        told = [row_sentence(shot, row) if row else None for shot, row in ((before, was), (after, now))]
        if was and now and told[0] == told[1]:
            told = [f"{text} {_unsaid(shot, mine, other)}" for text, shot, mine, other in (
                (told[0], before, was, now), (told[1], after, now, was),
            )]  # fmt: skip
        found.append(Difference(row_id, told[0], told[1]))
    return found


def _unsaid(shot: Shot, row: Row, other: Row) -> str:
    """The dials of a row that differ from another's, as "(thickness 2 cm)"."""
    parts = []
    for name, described in dials_of(type(row)).items():
        if getattr(row, name) != getattr(other, name, None):
            slots = slots_of(row, name, described, shot.dress, shot.names())
            parts.append(f"{described.label} {''.join(s if isinstance(s, str) else s.text for s in slots)}")
    return f"({'; '.join(parts)})"


def row_sentence(shot: Shot, row: Row) -> str:
    """One row's sentence as text; says so if it is switched off."""
    text = sentence(row, shot.dress, shot.names())
    return text if row.on else f"(off) {text}"
