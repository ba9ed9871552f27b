"""Signals as CSV (RFC 4180): a line a frame, and back as keys."""

import csv
import io
import math
from collections.abc import Sequence

from hotgravel.core.drive.keys import MOST_KEYS

HEAD = ("frame", "value")


def signal_csv(frames: Sequence[float], values: Sequence[float], unit: str) -> str:
    """A table with the unit in its head; values as stored."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow([HEAD[0], f"value [{unit}]" if unit else HEAD[1]])
    writer.writerows((f"{f:g}", f"{v:.9g}") for f, v in zip(frames, values, strict=True))
    return out.getvalue()


def keys_from_csv(text: str) -> list[dict[str, float | str]]:
    """Keys, joined by straight lines, from two columns: frame and value. A head line is passed over.
    Raises `ValueError` with a sentence that names the line."""
    keys: list[dict[str, float | str]] = []
    for number, row in enumerate(csv.reader(io.StringIO(text)), 1):
        if not row or not "".join(row).strip():
            continue
        try:
            frame, value = (float(cell) for cell in row)
            whole = math.isfinite(frame) and math.isfinite(value)
        except ValueError:
            if number == 1:
                continue
            whole = False
        if not whole:
            raise ValueError(f"Line {number} of the table cannot be read. Accepted: a frame and a value, as 12,3.5.")
        if len(keys) == MOST_KEYS:
            raise ValueError(f"The table has over {MOST_KEYS} lines. Accepted: that many.")
        keys.append({"frame": frame, "value": value, "ease": "linear"})
    if not keys:
        raise ValueError("The table holds no line with a frame and a value.")
    return keys
