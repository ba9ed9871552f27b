"""Run a shot: frame after frame into a frame store."""

import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numba

from hotgravel.core.run.frame import first_frame, next_frame
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.gauges import measure
from hotgravel.core.run.world import World

Landed = Callable[[int, dict[str, Any]], None]
SHOT, RUN = "shot.json", "run.json"


def still(*_: object) -> float:
    """A clock that stands: seconds are then all zero."""
    return 0.0


def execute(
    world: World,
    folder: Path,
    *,
    frames: tuple[int, int] | None = None,
    landed: Landed = lambda frame, gauges: None,
    cancelled: Callable[[], bool] = lambda: False,
    clock: Callable[[], float] = still,
) -> list[int]:
    """Compute a world's frames into a folder and return those that landed.

    All frames from the first on are computed; `frames` says which of them are kept. `landed`
    is called after each is safely written; `cancelled` is asked before each.
    """
    store = FrameStore(folder)
    shutil.rmtree(store.frames_folder, ignore_errors=True)
    finish = world.shot.finish
    first, last = frames or (finish.first, finish.last)
    store.write_note(SHOT, world.shot.dump())
    store.write_note(RUN, {"quality": world.quality, "first": first, "last": last, "notes": list(world.notes)})
    kept = []
    moment, happened = first_frame(world, clock)
    while True:
        if moment.frame >= first:
            start = clock()
            gauges = measure(world, moment.particles, happened)
            gauges["seconds"]["measuring"] = round(clock() - start, 6)
            store.write(moment.frame, moment.particles, happened.events, gauges)
            gauges["seconds"]["writing"] = round(clock() - start - gauges["seconds"]["measuring"], 6)
            kept.append(moment.frame)
            landed(moment.frame, gauges)
        if moment.frame >= last or cancelled():
            return kept
        happened = next_frame(world, moment, clock)


def threads(count: int | None = None) -> int:
    """Set how many threads kernels use (all by default); the result does not depend on it."""
    available = int(numba.config.NUMBA_NUM_THREADS)  # type: ignore[attr-defined]
    numba.set_num_threads(max(1, min(count or available, available)))
    return int(numba.get_num_threads())
