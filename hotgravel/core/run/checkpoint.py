"""Checkpoints: all that changes during a run, at full precision, so that it can go on from there.

A Zarr 3 group in a zip file, like a frame: a group for each solver's elements and other arrays, its plain facts as
attributes.
"""

from dataclasses import fields
from typing import Any

import numpy as np

from hotgravel.core.cues.actions import DUE, Memory
from hotgravel.core.matter.contract import Ids, State
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.place import Place, files_in
from hotgravel.core.run.frame import Snapshot
from hotgravel.core.run.frames import FAULTS, SUFFIX
from hotgravel.core.run.world import World
from hotgravel.core.run.zarr_file import read_arrays, read_attributes, write_groups

EVERY = 10  # frames


def path_of(folder: Place, frame: int) -> Place:
    return folder / "checkpoints" / f"{frame:+07d}{SUFFIX}"


def save(folder: Place, now: Snapshot) -> None:
    """Keep a snapshot, whole."""
    memory = now.memory
    attributes = {
        "frame": now.frame,
        "next_id": now.ids.next,
        "time": now.time,
        "solvers": {name: {"facts": s.facts, "arrays": sorted(s.arrays)} for name, s in now.states.items()},
        "switched": memory.switched,
        "swapped": memory.swapped,
        "done": sorted(memory.done),
        "recent": sorted(memory.recent),
    }
    groups: dict[str, dict[str, Any]] = {
        "due": memory.due, "recent": {f"cue-{cue}": ids for cue, ids in memory.recent.items()}
    }  # fmt: skip
    for name, state in now.states.items():
        groups[name] = {array: getattr(state.elements, array) for array in state.elements.names()}
        groups[f"{name}-more"] = dict(state.arrays)
    write_groups(path_of(folder, now.frame), groups, attributes)


def kept(folder: Place) -> list[int]:
    """The frames at which there are checkpoints, in order."""
    return sorted(int(p.name.removesuffix(SUFFIX)) for p in files_in(folder / "checkpoints", f"*{SUFFIX}"))


def newest(world: World, folder: Place, up_to: int) -> Snapshot | None:
    """The latest snapshot kept at or before a frame; one that cannot be read is passed over."""
    for frame in reversed(kept(folder)):
        if frame <= up_to:
            try:
                return _load(world, path_of(folder, frame))
            except FAULTS:
                continue
    return None


def _load(world: World, path: Place) -> Snapshot:
    facts = read_attributes(path)
    names = {cue: f"cue-{cue}" for cue in facts["recent"]}
    recent = _copies(path, "recent", tuple(names.values()))
    memory = Memory(
        facts["switched"],
        facts["swapped"],
        {cue: recent[name] for cue, name in names.items()},
        set(facts["done"]),
        _copies(path, "due", tuple(DUE)),
    )
    states = {}
    for name, told in facts["solvers"].items():
        cls = MATTERS[name].elements
        elements = cls(**_copies(path, name, tuple(f.name for f in fields(cls))))
        states[name] = State(elements, _copies(path, f"{name}-more", tuple(told["arrays"])), told["facts"])
    now = Snapshot(facts["frame"], states, Ids(facts["next_id"]), facts["time"], memory)
    now.offers = {name: solver.offers(states[name]) for name, solver in world.solvers.items()}
    return now


def _copies(path: Place, group: str, names: tuple[str, ...]) -> dict[str, np.ndarray[Any, Any]]:
    return {name: array.copy() for name, array in read_arrays(path, group, names).items()}
