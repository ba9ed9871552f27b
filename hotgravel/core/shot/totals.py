"""Totals: what a row comes to over the shot's frames, said beside its sentence."""

import numpy as np

from hotgravel.core.drive.value import is_driven, one
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.sources import Burst, Source, Stream
from hotgravel.core.shot.units import show_quantity


def given_by(shot: Shot, source: Source) -> float:
    """How many particles a source gives within the shot's frames, before any zone holds some back."""
    finish, emit = shot.finish, source.emit
    if isinstance(emit, Burst):
        return float(emit.count if finish.begins <= emit.frame <= finish.last else 0)
    start, end = max(emit.start, finish.begins), min(emit.end + 1, finish.last)
    if end <= start:
        return 0.0
    if not is_driven(emit.rate):
        return float(np.ceil(one(emit, "rate", shot.clock.at(start)) * shot.pace.lasting(start, end) - 1e-6))
    given = sum(one(emit, "rate", shot.clock.at(n + 0.5)) * shot.pace.span(n) for n in range(start, end))
    return float(np.ceil(given - 1e-6))


def largest(shot: Shot) -> Source | None:
    """The source that gives the most, of those that are on."""
    sources = [row for row in shot.supply if row.on and isinstance(row, Source)]
    return max(sources, key=lambda row: given_by(shot, row), default=None)


def told_of(shot: Shot) -> dict[str, str]:
    """Row id to what is said beside its sentence."""
    return {
        row.id: f"{show_quantity(given_by(shot, row), 'count', shot.dress)} in all"
        for row in shot.supply
        if isinstance(row, Source) and isinstance(row.emit, Stream)
    }
