"""What a run will take, from what runs before it took.

The work of a run is its particle-steps: for each frame, elements times steps and what one costs
beside a particle, and a constant for what a frame costs however empty it is. Runs of the same shot give
the seconds and bytes that a unit of work took; their spread is the estimate's. They also tell how many elements came
for each that the rows let expect: smoke fills a part of its box, and sparks come off what flies.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Any

from hotgravel.core.matter.fineness import FINENESS
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.run.gauges import IN_FULL, count_of
from hotgravel.core.shot.document import Shot

FRAME = 4000.0  # a frame's own cost, in particle-steps
# Where nothing has run yet: seconds for a particle-step, measured on a two-core machine; the spread covers slower and
# faster ones.
UNKNOWN_SECONDS = 2e-7, 3e-6
MARGIN = 1.15
# A skin over particles, for each of them in each frame, where no run has told: measured as above.
SKIN_SECONDS, SKIN_BYTES = (4e-6, 6e-5), 60.0
LONG = (("s", 1.0, 120.0), ("min", 60.0, 7200.0), ("h", 3600.0, float("inf")))


@dataclass(frozen=True)
class Spent:
    """What one run took: work in particle-steps, elements over all frames that are kept in full, seconds, bytes;
    whether skins are in them; and by matter, how many elements there were for each that its rows let expect."""

    work: float
    elements: float
    seconds: float
    bytes: float
    skinned: bool = False
    came: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Estimate:
    """Seconds at the least and at the most, bytes on the disk, from how many runs it is told, bytes of memory, and the
    bytes of one frame at the most."""

    least: float
    most: float
    bytes: float
    runs: int
    memory: float = 0.0
    frame: float = 0.0


def spent(shot: Shot, frames: Iterable[tuple[int, dict[str, Any]]], size: float) -> Spent:
    """From a run's shot, its frames with their gauges, and their size in bytes."""
    work = elements = seconds = 0.0
    skinned = False
    there, expected = dict.fromkeys(MATTERS, 0.0), dict.fromkeys(MATTERS, 0.0)
    for frame, gauges in frames:
        skinned |= "skins" in gauges["seconds"]
        work += FRAME
        for name, of in gauges["matter"].items():
            there[name] += of["count"]
            expected[name] += MATTERS[name].count_at(shot, frame)
            work += MATTERS[name].cost * of["count"] * max(1, gauges["steps"])
        elements += count_of(gauges) if gauges.get(IN_FULL, True) else 0
        seconds += sum(gauges["seconds"].values())
    came = {name: there[name] / of for name, of in expected.items() if of and there[name]}
    return Spent(work, elements, seconds, size, skinned, came)


def counts_at(shot: Shot, frame: int) -> dict[str, float]:
    """About how many elements of each matter there will be by a frame."""
    return {name: matter.count_at(shot, frame) for name, matter in MATTERS.items()}


def estimate(shot: Shot, past: list[Spent]) -> Estimate:
    """For a shot as it stands, from its latest runs (none is fine)."""
    frames = range(shot.finish.begins, shot.finish.last + 1)
    most = [counts_at(shot, frame) for frame in frames]
    came = _came(past)
    counts = [{name: came.get(name, 1.0) * many for name, many in of.items()} for of in most]
    steps = FINENESS[shot.finish.quality].steps
    total = sum(sum(of.values()) for of in counts[shot.finish.pre_roll :: shot.finish.every])
    work = steps * sum(MATTERS[name].cost * n for of in counts for name, n in of.items()) + FRAME * len(counts)
    known = [p for p in past if p.work > 0 and p.seconds > 0]
    peak = max(sum(of.values()) for of in counts)
    # Memory is that of all that the rows let expect, as a run that lacks it ends.
    memory = max(sum(MATTERS[name].takes[0] * many for name, many in of.items()) for of in most)
    disk = [sum(MATTERS[name].takes[1] * many for name, many in of.items()) for of in counts]
    told = _told(known, work, total, sum(disk[shot.finish.pre_roll :: shot.finish.every]))
    if shot.skins and not any(p.skinned for p in known):
        skinned = len(shot.skins) * total
        told = replace(
            told, least=told.least + SKIN_SECONDS[0] * skinned, most=told.most + SKIN_SECONDS[1] * skinned,
            bytes=told.bytes + SKIN_BYTES * skinned,
        )  # fmt: skip
    share = peak / total if total else 0.0
    return replace(told, memory=memory, frame=told.bytes * share)


def _came(past: list[Spent]) -> dict[str, float]:
    """How many elements of each matter came for each that rows let expect, on the mean of runs."""
    told = {name: [p.came[name] for p in past if name in p.came] for name in MATTERS}
    return {name: sum(of) / len(of) for name, of in told.items() if of}


def _told(known: list[Spent], work: float, total: float, disk: float) -> Estimate:
    """From runs that are known, for so much work and so many elements over all frames; `disk` is the bytes that these
    take where no run has told."""
    if not known:
        least, most = UNKNOWN_SECONDS
        return Estimate(least * work, most * work, disk, 0)
    rates = [p.seconds / p.work for p in known]
    weights = [p.bytes / p.elements for p in known if p.elements > 0]
    kept = total * sum(weights) / len(weights) if weights else disk
    return Estimate(min(rates) * work / MARGIN, max(rates) * work * MARGIN, kept, len(known))


def in_words(told: Estimate) -> str:
    """ "about 3 to 4 s, 32 MB" """
    low, high = told.least, told.most
    if high < 1.0:
        time = "under 1 s"
    else:
        unit, of = next((unit, of) for unit, of, most in LONG if high < most)
        time = f"{max(1, round(low / of))} to {round(high / of)} {unit}"
        time = time if round(low / of) < round(high / of) else f"{max(1, round(high / of))} {unit}"
    return f"{'' if time.startswith('under') else 'about '}{time}, {size_in_words(told.bytes)}"


def size_in_words(size: float) -> str:
    """Bytes as people say them: "32 MB"."""
    for unit in ("B", "kB", "MB", "GB", "TB"):
        if size < 999.5 or unit == "TB":
            return f"{size:.0f} {unit}" if size >= 9.95 or unit == "B" else f"{size:.1f} {unit}"
        size /= 1000.0
    raise AssertionError
