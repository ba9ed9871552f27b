"""Run a shot: frame after frame into a frame store."""

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import replace
from functools import partial
from typing import Any

import numba
import numpy as np

from hotgravel.core.chance import key_of
from hotgravel.core.cues.actions import absent
from hotgravel.core.cues.record import Events, all_events
from hotgravel.core.matter.contract import Array, Solver, kept_columns
from hotgravel.core.matter.registry import MATTERS
from hotgravel.core.place import Place, files_in, remove
from hotgravel.core.run import checkpoint
from hotgravel.core.run.frame import Happened, Snapshot, Stopped, first_frame, next_frame, scene_at
from hotgravel.core.run.frames import HAPPENED, PROCESSOR, REMEDY, FrameStore, telling
from hotgravel.core.run.gauges import IN_FULL, measure
from hotgravel.core.run.parts import Parts
from hotgravel.core.run.world import World

Landed = Callable[[int, dict[str, Any]], None]
SHOT, RUN = "shot.json", "run.json"
KEEPERS = 2  # frames that are kept while the next is computed


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
    is called after each is safely written, from another thread; `cancelled` is asked before each.
    `clock` and `processor` tell the time and how long processors have worked, in seconds. With `resume` the
    run goes on from where an earlier one of the same world stopped in this folder; what it
    had kept stays as it is, and the result is the same bytes.
    """
    store = FrameStore(folder)
    finish = world.shot.finish
    first, last = frames or (finish.first, finish.last)
    kept: list[int] = []
    now: Snapshot | None = None
    if resume and _same_run(store, world, first):
        for unfinished in files_in(store.frames_folder, ".*"):
            unfinished.unlink(missing_ok=True)  # what a killed process was writing
        kept = store.whole(first)
        now = checkpoint.newest(world, folder, kept[-1]) if kept else None
    else:
        for old in (store.frames_folder, folder / "checkpoints", folder / "seconds"):
            remove(old)
    store.write_note(SHOT, world.shot.dump())
    store.write_note(RUN, facts_of(world, first, last))
    for name, solver in world.solvers.items():
        if meshes := solver.meshes():
            store.write_meshes(name, _of_props(meshes, solver))
    there = set(kept)
    if kept and kept[-1] >= last:
        return kept
    keeper = Keeper(store, world, landed, clock)
    with keeper:
        begun = processor()
        if now is None:
            now, happened = first_frame(world, clock)
            keeper.keep(now, happened, processor() - begun, wanted=now.frame >= first and now.frame not in there)
        while now.frame < last:
            begun = processor()
            try:
                happened = next_frame(world, now, clock, cancelled)
            except Stopped:
                break
            keeper.wait(KEEPERS - 1)
            if cancelled():
                break
            keeper.keep(now, happened, processor() - begun, wanted=now.frame >= first and now.frame not in there)
        keeper.stop()
    return kept + keeper.kept


class Keeper:
    """Skins, measures and writes frames on threads of its own while the next is computed; they land in their order.
    `kept` are those that have landed."""

    def __init__(self, store: FrameStore, world: World, landed: Landed, clock: Callable[[], float]) -> None:
        self.store, self.world, self.landed, self.clock = store, world, landed, clock
        self.kept: list[int] = []
        self.latest: Snapshot | None = None
        self.early: list[Events] = []  # of a pre-roll: they are told with the first frame
        self.pool = ThreadPoolExecutor(KEEPERS)
        self.works: list[Future[None]] = []

    def __enter__(self) -> None:
        self.pool.__enter__()

    def __exit__(self, *fault: Any) -> None:
        self.pool.__exit__(*fault)

    def keep(self, now: Snapshot, happened: Happened, processor: float, *, wanted: bool) -> None:
        """Begin to keep a frame as it is now; one that is not wanted only counts for checkpoints."""
        self.wait(KEEPERS - 1)
        self.latest = now.copy()
        if now.frame < self.world.shot.finish.first:
            self.early.append(happened.events)
        elif self.early:
            happened, self.early = replace(happened, events=all_events([*self.early, happened.events])), []
        context = copy_context()  # what `landed` knows of where it runs
        before = self.works[-1] if self.works else None
        work = self.pool.submit(context.run, self._keep, self.latest, happened, processor, wanted, before)
        self.works.append(work)
        if not _side_by_side():
            self.wait()

    def wait(self, left: int = 0) -> None:
        """Until no more than so many frames are in work. Raises what came in their way."""
        while len(self.works) > left:
            self.works.pop(0).result()

    def stop(self) -> None:
        """Leave a checkpoint at the latest frame, so that a run can go on from there."""
        self.wait()
        if self.latest is not None and not self._due(self.latest):
            self._checkpoint(self.latest)

    def _due(self, now: Snapshot) -> bool:
        return (now.frame - self.world.shot.finish.first) % checkpoint.EVERY == 0

    def _keep(
        self, now: Snapshot, happened: Happened, processor: float, wanted: bool, before: Future[None] | None
    ) -> None:
        """`before` is the work on the frame before, which lands first."""
        if _side_by_side():
            numba.set_num_threads(1)  # of this thread's kernels: the next frame has the other cores
        land = self._made(now, happened, processor) if wanted else None
        if before is not None:
            before.result()
        if land is not None:
            land()
            self.kept.append(now.frame)
        if self._due(now):
            self._checkpoint(now)

    def _checkpoint(self, now: Snapshot) -> None:
        with telling(f"The checkpoint at frame {now.frame}", f"The frames are kept: {REMEDY}"):
            checkpoint.save(self.store.folder, now)

    def _made(self, now: Snapshot, happened: Happened, processor: float) -> Callable[[], None]:
        """Measure and skin a frame. Returns what writes it."""
        world, parts = self.world, Parts(self.clock)
        with parts("measuring"):
            gauges = measure(world, now, happened)
        scene = scene_at(world, now, now.frame, absent(world.shot.cues, now.memory))
        made: dict[str, dict[str, Array]] = {}
        if gauges[IN_FULL]:
            with parts("skins"):
                for name, solver in world.solvers.items():
                    made |= solver.surfaces(now.states[name], scene)
        if not made:
            parts.seconds.pop("skins", None)
        return partial(self._write, now, happened, processor, gauges, made, parts)

    def _write(
        self, now: Snapshot, happened: Happened, processor: float, gauges: dict[str, Any],
        made: dict[str, dict[str, Array]], parts: Parts,
    ) -> None:  # fmt: skip
        world, columns, shown = self.world, {}, None
        if gauges[IN_FULL]:
            columns = {matter.name: kept_columns(matter, now.states[matter.name].elements) for matter in world.matters}
        else:
            shown, _ = world.shot.finish.in_full(now.frame)
        with parts("writing"):
            records: dict[str, dict[str, Array]] = {}
            for name, solver in world.solvers.items():
                if shown is None or HAPPENED & MATTERS[name].records.keys():
                    records |= solver.records(now.states[name])
            if shown is not None:
                records = {name: arrays for name, arrays in records.items() if name in HAPPENED}
            self.store.write(now.frame, columns, happened.events, gauges, made, records, shown)
        gauges["seconds"].update({name: round(seconds, 6) for name, seconds in parts.seconds.items()})
        gauges[PROCESSOR] = round(processor, 6)
        self.store.write_seconds(now.frame, gauges["seconds"], gauges[PROCESSOR])
        self.landed(now.frame, gauges)


def _side_by_side() -> bool:
    """Whether two threads may call kernels at once: the layer that numba brings itself allows only one."""
    try:
        return bool(numba.threading_layer() != "workqueue")  # type: ignore[attr-defined]
    except ValueError:  # no kernel has run yet
        return False


def facts_of(world: World, first: int, last: int) -> dict[str, Any]:
    """What `run.json` says of a run, beside the shot."""
    return {
        "quality": world.quality,
        "first": first,
        "last": last,
        "notes": list(world.setting.notes),
        "fingerprint": world.fingerprint,
        "basis": world.basis,
    }


def _same_run(store: FrameStore, world: World, first: int) -> bool:
    try:
        note = store.note(RUN)
    except (OSError, ValueError):
        return False
    return note.get("fingerprint") == world.fingerprint and note.get("first") == first


def threads(count: int | None = None) -> int:
    """Set how many threads kernels use (all by default); the result does not depend on it."""
    available = int(numba.config.NUMBA_NUM_THREADS)  # type: ignore[attr-defined]
    numba.set_num_threads(max(1, min(count or available, available)))
    return int(numba.get_num_threads())


def _of_props(meshes: list[dict[str, Array]], solver: Solver) -> list[dict[str, Array]]:
    """Meshes, each with a key of the prop that it was made from, by which a picture finds how clear that is."""
    keys = [np.array([key_of(prop)], np.uint32) for prop, _ in solver.drawn()]
    return [mesh | {"prop": key} for mesh, key in zip(meshes, keys, strict=True)] if keys else meshes
