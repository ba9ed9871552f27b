"""The page as plain text, for the command line and for comparing revisions."""

from hotgravel.core.shot.document import SECTIONS, Shot
from hotgravel.core.shot.row import Row, sentence


def explain(shot: Shot) -> str:
    """All sentences under their section titles."""
    lines = [shot.name, "=" * len(shot.name)]
    for section, title in SECTIONS.items():
        rows = [shot.finish] if section == "finish" else list(getattr(shot, section))
        if rows:
            lines += ["", title]
            lines += [f"  {row_sentence(shot, row)}" for row in rows]
    return "\n".join(lines)


def row_sentence(shot: Shot, row: Row) -> str:
    """One row's sentence as text; says so if it is switched off."""
    text = sentence(row, shot.dress, shot.names())
    return text if row.on else f"(off) {text}"
