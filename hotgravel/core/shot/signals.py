"""The signals of a shot: which of its numbers are driven over time, and by what."""

from collections.abc import Iterator
from typing import Any

from hotgravel.core.drive.value import is_signal
from hotgravel.core.shot.dials import Pick, Quantity, dials_of
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.row import Clause, Row


def signals_of(clause: Clause, prefix: str = "") -> Iterator[tuple[str, Quantity, Any]]:
    """Path, quantity and driver of each number of a row that is driven over time alone."""
    for name, described in dials_of(type(clause)).items():
        value = getattr(clause, name)
        if isinstance(described, Pick):
            yield from signals_of(value, f"{prefix}{name}.")
        elif isinstance(described, Quantity):
            for axis, part in enumerate(value if described.three else (value,)):
                if is_signal(part):
                    yield f"{prefix}{name}.{axis}" if described.three else f"{prefix}{name}", described, part


def signals_in(shot: Shot) -> Iterator[tuple[Row, str, Quantity, Any]]:
    """Row, path, quantity and driver of each signal in the rows that are on."""
    for row in (r for r in shot.rows() if r.on):
        for path, quantity, driver in signals_of(row):
            yield row, path, quantity, driver
