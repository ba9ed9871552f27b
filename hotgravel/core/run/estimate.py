"""What a run will take, from what runs before it took.

The work of a run is its particle-steps: for each frame, particles times steps, and a constant
for what a frame costs however empty it is. Runs of the same shot give the seconds and bytes
that a unit of work took; their spread is the estimate's.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from hotgravel.core.drive.value import one
from hotgravel.core.run.quality import FINENESS
from hotgravel.core.shot.document import Shot
from hotgravel.core.shot.sources import Asked, Burst, Trail

FRAME = 4000.0  # a frame's own cost, in particle-steps
# Where nothing has run yet: seconds for a particle-step and bytes for a particle, measured on a
# two-core machine; the spread covers slower and faster ones.
UNKNOWN_SECONDS, UNKNOWN_BYTES = (2e-7, 3e-6), 42.0
MARGIN = 1.15


@dataclass(frozen=True)
class Spent:
    """What one run took: work in particle-steps, particles over all frames, seconds, bytes."""

    work: float
    particles: float
    seconds: float
    bytes: float


@dataclass(frozen=True)
class Estimate:
    """Seconds at the least and at the most, bytes on the disk, and from how many runs it is told."""

    least: float
    most: float
    bytes: float
    runs: int


def spent(frames: Iterable[dict[str, Any]], size: float) -> Spent:
    """From a run's gauges, and its frames' size in bytes."""
    work = particles = seconds = 0.0
    for gauges in frames:
        work += gauges["particles"] * max(1, gauges["steps"]) + FRAME
        particles += gauges["particles"]
        seconds += sum(gauges["seconds"].values())
    return Spent(work, particles, seconds, size)


def particles_at(shot: Shot, frame: int) -> float:
    """How many particles the sources will have given by a frame; none is taken off for what dies."""
    finish = shot.finish
    total = 0.0
    for source in (s for s in shot.supply if s.on):
        emit = source.emit
        if isinstance(emit, Trail | Asked):
            continue  # what comes off others is told by runs, not by rows
        if isinstance(emit, Burst):
            total += emit.count if finish.first <= emit.frame <= frame else 0
            continue
        start, end = max(emit.start, finish.first), min(emit.end, frame)
        if end > start:
            middle = one(emit, "rate", shot.clock.at(0.5 * (start + end)))
            total += middle * (end - start) * finish.time_scale / finish.rate
    return total


def estimate(shot: Shot, past: list[Spent]) -> Estimate:
    """For a shot as it stands, from its latest runs (none is fine)."""
    frames = range(shot.finish.first, shot.finish.last + 1)
    counts = [particles_at(shot, frame) for frame in frames]
    steps = FINENESS[shot.finish.quality].steps
    work = sum(counts) * steps + FRAME * len(counts)
    known = [p for p in past if p.work > 0 and p.seconds > 0]
    if not known:
        least, most = UNKNOWN_SECONDS
        return Estimate(least * work, most * work, UNKNOWN_BYTES * sum(counts), 0)
    rates = [p.seconds / p.work for p in known]
    weights = [p.bytes / p.particles for p in known if p.particles > 0]
    weight = sum(weights) / len(weights) if weights else UNKNOWN_BYTES
    return Estimate(min(rates) * work / MARGIN, max(rates) * work * MARGIN, weight * sum(counts), len(known))


def in_words(told: Estimate) -> str:
    """ "about 3 to 4 s, 32 MB" """
    low, high = told.least, told.most
    if high < 1.0:
        time = "under 1 s"
    elif high < 120.0:
        time = f"{max(1, round(low))} to {round(high)} s" if round(low) < round(high) else f"{round(high)} s"
    else:
        time = f"{max(1, round(low / 60))} to {round(high / 60)} min"
    return f"{'' if time.startswith('under') else 'about '}{time}, {size_in_words(told.bytes)}"


def size_in_words(size: float) -> str:
    """Bytes as people say them: "32 MB"."""
    for unit in ("B", "kB", "MB", "GB"):
        if size < 999.5 or unit == "GB":
            return f"{size:.0f} {unit}" if size >= 9.95 or unit == "B" else f"{size:.1f} {unit}"
        size /= 1000.0
    raise AssertionError
