"""Run a shot: frame after frame into a frame store."""

from collections.abc import Callable
from typing import Any

import numba

from hotgravel.core.run import checkpoint
from hotgravel.core.run.frame import AHEAD, Happened, Moment, first_frame, next_frame
from hotgravel.core.run.frames import PROCESSOR, REMEDY, FrameStore, telling
from hotgravel.core.run.gauges import measure
from hotgravel.core.run.place import Place, files_in, remove
from hotgravel.core.run.world import World

Landed = Callable[[int, dict[str, Any]], None]
SHOT, RUN = "shot.json", "run.json"


def still(*_: object) -> float:
    """A clock that stands: seconds are then all zero."""
    return 0.0


def execute(
    world: World,
    folder: Place,
    *,
    frames: tuple[int, int] | None = None,
    landed: Landed = lambda frame, gauges: None,
    cancelled: Callable[[], bool] = lambda: False,
    clock: Callable[[], float] = still,
    processor: Callable[[], float] = still,
    resume: bool = False,
) -> list[int]:
    """Compute a world's frames into a folder and return those that are kept there.

    All frames from the first on are computed; `frames` says which of them are kept. `landed`
    is called after each is safely written; `cancelled` is asked before each. `clock` and `processor`
    tell the time and how long processors have worked, in seconds. With `resume` the
    run goes on from where an earlier one of the same world stopped in this folder; what it
    had kept stays as it is, and the result is the same bytes.
    """
    store = FrameStore(folder)
    finish = world.shot.finish
    first, last = frames or (finish.first, finish.last)
    kept: list[int] = []
    moment: Moment | None = None
    if resume and _same_run(store, world, first):
        for unfinished in files_in(store.frames_folder, ".*"):
            unfinished.unlink(missing_ok=True)  # what a killed process was writing
        kept = store.whole(first)
        moment = checkpoint.newest(folder, kept[-1]) if kept else None
    else:
        for old in (store.frames_folder, folder / "checkpoints", folder / "seconds"):
            remove(old)
    store.write_note(SHOT, world.shot.dump())
    store.write_note(RUN, facts_of(world, first, last))
    there = set(kept)
    if kept and kept[-1] >= last:
        return kept
    happened: Happened | None = None
    begun = processor()
    if moment is None:
        moment, happened = first_frame(world, clock)
    while True:
        if happened is not None and moment.frame >= first and moment.frame not in there:
            _keep(store, world, moment, happened, landed, clock, processor, begun)
            kept.append(moment.frame)
        stop = moment.frame >= last or cancelled()
        if happened is not None and (stop or (moment.frame - finish.first) % checkpoint.EVERY == 0):
            with telling(f"The checkpoint at frame {moment.frame}", f"The frames are kept: {REMEDY}"):
                checkpoint.save(folder, moment)
        if stop:
            return kept
        begun = processor()
        happened = next_frame(world, moment, clock)


def facts_of(world: World, first: int, last: int) -> dict[str, Any]:
    """What `run.json` says of a run, beside the shot."""
    return {
        "quality": world.quality,
        "first": first,
        "last": last,
        "notes": list(world.notes),
        "fingerprint": world.fingerprint,
        "basis": world.basis,
    }


def _same_run(store: FrameStore, world: World, first: int) -> bool:
    try:
        note = store.note(RUN)
    except (OSError, ValueError):
        return False
    return note.get("fingerprint") == world.fingerprint and note.get("first") == first


def _keep(
    store: FrameStore, world: World, moment: Moment, happened: Happened, landed: Landed,
    clock: Callable[[], float], processor: Callable[[], float], begun: float,
) -> None:  # fmt: skip
    start = clock()
    gauges = measure(world, moment.particles, happened)
    measured = clock()
    skins = world.skins(moment.particles, world.scene(moment.frame, AHEAD))
    wrapped = clock()
    store.write(moment.frame, moment.particles, happened.events, gauges, skins)
    seconds = {"measuring": round(measured - start, 6), "writing": round(clock() - wrapped, 6)}
    if skins:
        seconds["skins"] = round(wrapped - measured, 6)
    gauges["seconds"].update(seconds)
    gauges[PROCESSOR] = round(processor() - begun, 6)
    store.write_seconds(moment.frame, gauges["seconds"], gauges[PROCESSOR])
    landed(moment.frame, gauges)


def threads(count: int | None = None) -> int:
    """Set how many threads kernels use (all by default); the result does not depend on it."""
    available = int(numba.config.NUMBA_NUM_THREADS)  # type: ignore[attr-defined]
    numba.set_num_threads(max(1, min(count or available, available)))
    return int(numba.get_num_threads())
