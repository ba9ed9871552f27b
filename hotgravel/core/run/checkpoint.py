"""Checkpoints: all that changes during a run, at full precision, so that it can go on from there.

A Zarr 3 group in a zip file, like a frame; the tallies of the sources are its attributes.
"""

from dataclasses import asdict

from hotgravel.core.cues.actions import DUE, Memory
from hotgravel.core.matter.particles.births import Tally
from hotgravel.core.matter.particles.state import NAMES, Particles
from hotgravel.core.run.frame import Moment
from hotgravel.core.run.frames import FAULTS, SUFFIX
from hotgravel.core.run.place import Place, files_in
from hotgravel.core.run.zarr_file import read_arrays, read_attributes, write_groups

EVERY = 10  # frames


def path_of(folder: Place, frame: int) -> Place:
    return folder / "checkpoints" / f"{frame:+07d}{SUFFIX}"


def save(folder: Place, moment: Moment) -> None:
    """Keep a moment, whole."""
    attributes = {
        "frame": moment.frame,
        "next_id": moment.next_id,
        "time": moment.time,
        "tallies": {source: asdict(tally) for source, tally in moment.tallies.items()},
        "switched": moment.memory.switched,
        "swapped": moment.memory.swapped,
        "done": sorted(moment.memory.done),
        "recent": sorted(moment.memory.recent),
    }
    arrays = {name: getattr(moment.particles, name) for name in NAMES}
    recent = {f"cue-{cue}": ids for cue, ids in moment.memory.recent.items()}
    groups = {"particles": arrays, "due": moment.memory.due, "recent": recent}
    write_groups(path_of(folder, moment.frame), groups, attributes)


def kept(folder: Place) -> list[int]:
    """The frames at which there are checkpoints, in order."""
    return sorted(int(p.name.removesuffix(SUFFIX)) for p in files_in(folder / "checkpoints", f"*{SUFFIX}"))


def newest(folder: Place, up_to: int) -> Moment | None:
    """The latest moment kept at or before a frame; one that cannot be read is passed over."""
    for frame in reversed(kept(folder)):
        if frame <= up_to:
            try:
                return _load(path_of(folder, frame))
            except FAULTS:
                continue
    return None


def _load(path: Place) -> Moment:
    facts = read_attributes(path)
    arrays = {name: array.copy() for name, array in read_arrays(path, "particles", NAMES).items()}
    tallies = {source: Tally(**tally) for source, tally in facts["tallies"].items()}
    due = {name: array.copy() for name, array in read_arrays(path, "due", DUE).items()}
    names = {cue: f"cue-{cue}" for cue in facts["recent"]}
    recent = read_arrays(path, "recent", names.values())
    memory = Memory(
        facts["switched"],
        facts["swapped"],
        {cue: recent[name].copy() for cue, name in names.items()},
        set(facts["done"]),
        due,
    )
    return Moment(facts["frame"], Particles(**arrays), tallies, facts["next_id"], facts["time"], memory)
