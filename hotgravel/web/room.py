"""Whether a run fits: the disk and the memory that it will take, against those that are there."""

import math
import shutil
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import psutil

from hotgravel.core.run.estimate import Estimate, size_in_words
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.sources import Burst, Stream
from hotgravel.core.shot.totals import largest
from hotgravel.web.studio import Studio

SPARE = 0.05  # of the disk, and of the memory, that is left to others


@dataclass(frozen=True)
class Offer:
    """An edit that would let it fit, at a press."""

    label: str
    row: str
    path: str
    value: str


class NoRoom(ValueError):
    """A run would not fit; says what it needs and what is there, and offers what would."""

    def __init__(self, sentence: str, offers: list[Offer]) -> None:
        super().__init__(sentence)
        self.offers = offers

    def told(self) -> dict[str, Any]:
        return {"detail": str(self), "offers": [vars(offer) for offer in self.offers]}


def make_sure(studio: Studio, shot: Shot, needs: Estimate) -> None:
    """Raises `NoRoom`."""
    there = disk_there(studio)
    if there is not None and needs.bytes > there:
        frames = shot.finish.last - shot.finish.first + 1
        fewer = int(frames * there / needs.bytes)
        offers = [Offer("Limit what runs take", "", "disk", "")]
        if fewer > 0:
            last, every = shot.finish.first + fewer - 1, shot.finish.every * math.ceil(1.05 * needs.bytes / there)
            offers.insert(0, Offer(f"Keep one frame of {every} in full", "finish", "every", str(every)))
            offers.insert(0, Offer(f"Run to frame {last}", "finish", "last", str(last)))
        raise NoRoom(_sentence("disk", needs.bytes, there), offers + list(_fewer(shot, there / needs.bytes)))
    memory = (1.0 - SPARE) * psutil.virtual_memory().available
    if needs.memory > memory:
        raise NoRoom(_sentence("memory", needs.memory, memory), list(_fewer(shot, memory / needs.memory)))


def disk_there(studio: Studio) -> float | None:
    """Bytes that runs may still take; None where that cannot be told, as in a store that is no folder."""
    if not isinstance(studio.place, Path):
        return None
    told = shutil.disk_usage(studio.place)
    return max(0.0, told.free - SPARE * told.total)


def _sentence(what: str, needs: float, there: float) -> str:
    return (
        f"This run would take about {size_in_words(needs)} of {what}, and {size_in_words(there)} are there. "
        "It was not begun. Accepted: fewer frames, or fewer particles."
    )


def _fewer(shot: Shot, share: float) -> Iterator[Offer]:
    """As many from the source that gives the most as will fit."""
    source = largest(shot)
    if source is None:
        return
    name = shot.names()[source.id]
    if isinstance(source.emit, Burst):
        count = max(1, int(0.9 * share * source.emit.count))
        yield Offer(f"{count} from {name}", source.id, "emit.count", str(count))
    elif isinstance(source.emit, Stream) and isinstance(source.emit.rate, int | float):
        rate = float(f"{0.9 * share * source.emit.rate:.2g}")
        yield Offer(f"{rate:g} a second from {name}", source.id, "emit.rate", f"{rate:g}")
