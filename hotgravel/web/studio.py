"""What all pages share: the store, the farm, the folders, and the news of runs."""

import asyncio
import logging
import os
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from hotgravel.core.place import Place, remove
from hotgravel.core.run.estimate import Spent, size_in_words
from hotgravel.core.run.frames import FrameStore
from hotgravel.core.run.reuse import same_until, take_over
from hotgravel.core.run.world import World, beside, build
from hotgravel.core.shape.cutting import Cutting
from hotgravel.core.shape.setting import setting_of, to_cut
from hotgravel.core.shape.shelf import FOLDER as CUTTINGS
from hotgravel.core.shape.shelf import watched
from hotgravel.core.shot.cut import Smooth
from hotgravel.core.shot.document import Shot, load
from hotgravel.core.shot.faults import Fault, ShotFault
from hotgravel.core.shot.finish import Quality
from hotgravel.core.shot.totals import largest
from hotgravel.demo.shots import demo_path
from hotgravel.farm.cluster import OVER, Farm
from hotgravel.farm.cutting import CANCELLED, DONE, FAILED, GOING, Cuttings
from hotgravel.farm.cutting import Standing as CutStanding
from hotgravel.farm.handing import Handings
from hotgravel.farm.job import BEHIND, CANCEL
from hotgravel.store import bin, runs, settings, shots
from hotgravel.store.database import Database
from hotgravel.store.models import RunRecord

RETRY = 5.0  # seconds between tries to write that a run is over
RUN_FIRST = ("cairn", "ember-burst")  # demo shots that the first start runs

MANY_PIECES, ROUGHLY = 150, 5  # pieces that take a moment to cut, and how many smooth ones a rough one is worth
LOOK_EVERY = 0.1  # seconds between looks at a cutting that is waited for

log = logging.getLogger("hotgravel.web")


class BeingCut(Exception):
    """The pieces of a shot's props are not there yet."""

    def __init__(self, standing: CutStanding) -> None:
        super().__init__(f"The pieces are being cut: {round(100 * standing.share)} %.")
        self.standing = standing


class CutStopped(ShotFault):
    """The cutting of a shot's props was cancelled, or failed."""

    def __init__(self, standing: CutStanding) -> None:
        super().__init__([Fault("", "", standing.message)])
        self.standing = standing


@dataclass(frozen=True)
class Started:
    """What became of the wish to run: the run, its shot, what there is to note, and whether it was there before."""

    run: RunRecord
    shot: Shot
    notes: tuple[str, ...]
    found: bool


class Studio:
    """A database in a folder, the place of its runs and meshes (the same folder, or an address that
    all workers see), and the workers that fill it."""

    def __init__(self, folder: Path, place: Place | None = None) -> None:
        self.folder = folder
        self.place = folder if place is None else place
        self.database = Database(folder)
        self.spent: dict[int, Spent] = {}  # what finished runs took, by their numbers, which none has twice
        self.preparing = ""  # the kernel that is compiled while no run waits for one
        self.farm = Farm(self._landed, self._ended, self._preparing)
        self.handings = Handings(folder / "handovers")
        self.cutting = Cuttings(folder / "cutting")
        os.environ[CUTTINGS] = str((folder / "cuttings").resolve())  # workers look there too
        self._creating = threading.Lock()  # so that no two new shots take one number
        self.starting = threading.Lock()  # one run of a shot at a time, however often it is asked for at once
        self.editing = threading.Lock()  # one edit after another: of two of the same revision the later is refused
        self._listeners: dict[int, set[asyncio.Queue[dict[str, Any]]]] = {}
        self._loop: asyncio.AbstractEventLoop | None = None
        self._closing = threading.Event()

    @property
    def meshes(self) -> Place:
        return self.place / "meshes"

    def run_folder(self, run_id: int) -> Place:
        return self.place / "runs" / f"{run_id:06d}"

    def frames(self, run_id: int) -> FrameStore:
        return FrameStore(self.run_folder(run_id))

    def open(self, *, demo: Sequence[str]) -> None:
        """Start the workers and put the demo shots of these names in."""
        with self.database.session() as session:
            runs.interrupted(session)
        self.farm.start()
        if demo:
            self._add_demo(demo)

    def listen_on(self, loop: asyncio.AbstractEventLoop) -> None:
        """The loop in which pages wait for news."""
        self._loop = loop

    def close(self) -> None:
        self._closing.set()
        self.farm.stop()
        self.cutting.stop()
        self.database.engine.dispose()

    def _add_demo(self, names: Sequence[str]) -> None:
        with self.database.session() as session:
            if shots.all_shots(session) or bin.binned_shots(session):
                return
            made = {}
            for name in names:
                made[name] = shots.create(session, load(demo_path(name)), "from the demo").id
                settings.put(session, settings.demo_of(made[name]), name)
        for name in [name for name in RUN_FIRST if name in made] or list(made)[:1]:  # the others when they are opened
            self.run(made[name])

    @contextmanager
    def creating(self) -> Iterator[Session]:
        """A session in which shots are made, one after another."""
        with self._creating, self.database.session() as session:
            yield session

    def cuttings(self, shot: Shot) -> dict[str, Cutting]:
        """The pieces of a shot's cut props; no solver is built for them. Raises `ShotFault`, `CutStopped`,
        `BeingCut`."""
        if not shot.cuts:
            return {}
        standing = self._being_cut(shot)
        if standing is not None and standing.state == GOING:
            raise BeingCut(standing)
        if standing is not None and standing.state in (FAILED, CANCELLED):
            raise CutStopped(standing)
        with watched(lambda share: None, time.perf_counter):
            return setting_of(shot, beside(self.meshes), None, []).cuttings

    def _being_cut(self, shot: Shot) -> CutStanding | None:
        """How far a process is that cuts a shot's props; None where they are cut, or are so in no time."""
        keys = to_cut(shot, beside(self.meshes))
        rows = [row for prop in keys for row in shot.cuts[prop]]
        if sum(row.number * (1 if isinstance(row.sides, Smooth) else ROUGHLY) for row in rows) < MANY_PIECES:
            return None
        return self.cutting.start(keys, shot.dump(), self.meshes)

    def world(self, shot: Shot, quality: Quality | None = None) -> World:
        """A world, when its props are cut. Raises `ShotFault`."""
        standing = self._being_cut(shot)
        while standing is not None and standing.state != DONE:
            if standing.state in (FAILED, CANCELLED):
                raise CutStopped(standing)
            time.sleep(LOOK_EVERY)
            # One that was cancelled and asked for again meanwhile has no note, or a new one.
            standing = self.cutting.one(standing.name) or self._being_cut(shot)
        return build(shot, beside(self.meshes), quality)

    def run(self, shot_id: int) -> Started:
        """Run a shot as it is now, or find the finished run that it would repeat. Raises `ShotFault`."""
        removed = self.keep_within_limit()
        with self.database.session() as session:
            shot = shots.document(session, shot_id)
        world = self.world(shot)
        with self.database.session() as session:
            there = shots.record(session, shot_id)
            known = runs.identical(session, shot_id, world.fingerprint)
            damaged = known and settings.get(session, settings.damage_to(known.id), False)
            if known and not damaged and len(self.frames(known.id).frames()) == known.last - known.first + 1:
                known.revision = there.head  # names and paint may differ, the result does not
                return Started(known, shot, world.setting.notes, found=True)
            made = runs.create(session, shot_id, there.head, shot, world.fingerprint)
            session.flush()
            kept, whose = self._take_over(session, made, shot, world)
        self.farm.send(made.id, shot.dump(), self.run_folder(made.id), self.meshes)
        notes = world.setting.notes
        if kept:
            notes = (f"Kept frames {kept[0]} to {kept[-1]} of run {whose}: nothing that matters there changed.", *notes)
        return Started(made, shot, (*removed, *notes), found=False)

    def _take_over(self, session: Session, made: RunRecord, shot: Shot, world: World) -> tuple[list[int], int]:
        """Frames of the run before that the edits since cannot have changed, and whose they are."""
        before = next((r for r in runs.of_shot(session, made.shot_id) if r.id < made.id and r.landed > 1), None)
        if before is None or settings.get(session, settings.damage_to(before.id), False):
            return [], 0
        until = same_until(shots.document(session, made.shot_id, before.revision), shot)
        kept = take_over(self.run_folder(before.id), self.run_folder(made.id), world, until)
        store = self.frames(made.id)
        for frame in kept:
            runs.landed(session, made.id, frame, store.gauges(frame))
        return kept, before.id

    def go_on(self, run_id: int) -> RunRecord:
        """Let a run that was cancelled or cut off go on from its last checkpoint."""
        with self.database.session() as session:
            run = runs.go_on(session, run_id)
            shot = shots.document(session, run.shot_id, run.revision)
        (self.run_folder(run_id) / CANCEL).unlink(missing_ok=True)
        self.farm.send(run.id, shot.dump(), self.run_folder(run.id), self.meshes)
        return run

    def disk(self, *run_ids: int) -> int:
        """Bytes that runs take on the disk together; a frame that several of them share counts once."""
        sizes: dict[Any, int] = {}
        for folder in map(self.run_folder, run_ids):
            for path in folder.rglob("*") if folder.is_dir() else ():
                if path.is_file():
                    told = path.stat()
                    sizes[getattr(told, "st_ino", 0) or str(path)] = told.st_size
        return sum(sizes.values())

    def disk_of_all(self, session: Session) -> int:
        """Bytes of all runs, those in the bin too."""
        return self.disk(*session.scalars(select(RunRecord.id)))

    def keep_within_limit(self) -> tuple[str, ...]:
        """Remove the oldest unpinned runs while all take more than the limit; what went, in sentences,
        which the store remembers too."""
        told = []
        with self.database.session() as session:
            limit = settings.get(session, settings.DISK_LIMIT)
            if not limit:
                return ()
            for run, shot in bin.oldest_first(session):
                if self.disk_of_all(session) <= limit:
                    break
                told.append(
                    f"Run {run.id} of {shot.name} ({size_in_words(self.disk(run.id))}) was removed to keep "
                    f"within the limit of {size_in_words(limit)}."
                )
                settings.notify(session, told[-1])
                bin.remove_run(session, run.id)
                session.flush()
                self.forget_run(run.id)
        return tuple(told)

    def forget_run(self, run_id: int) -> None:
        """Remove a run's folder."""
        remove(self.run_folder(run_id))

    def cancel(self, run_id: int) -> None:
        self.farm.cancel(self.run_folder(run_id))

    # News: from the farm's threads to the pages that listen.

    def subscribe(self, run_id: int) -> asyncio.Queue[dict[str, Any]]:
        queue: asyncio.Queue[dict[str, Any]] = asyncio.Queue()
        self._listeners.setdefault(run_id, set()).add(queue)
        return queue

    def unsubscribe(self, run_id: int, queue: asyncio.Queue[dict[str, Any]]) -> None:
        self._listeners.get(run_id, set()).discard(queue)

    def _landed(self, run_id: int, frame: int, gauges: dict[str, Any]) -> None:
        try:
            with self.database.session() as session:
                runs.landed(session, run_id, frame, gauges)
        except runs.NoSuchRun:
            log.info("run %s was deleted while it ran", run_id)
        except OperationalError as error:  # it is caught up on when the run is over
            log.warning("frame %s of run %s could not be written down: %s", frame, run_id, error)
        # Told once it is written down: who subscribes in between would else hear of it from neither.
        self._tell(run_id, {"frame": frame, "gauges": gauges})

    def _preparing(self, run_id: int, kernel: str) -> None:
        if run_id == BEHIND:
            self.preparing = kernel
        else:
            self._tell(run_id, {"preparing": kernel})

    def _ended(self, run_id: int, state: str, message: str) -> None:
        if message == OVER:
            message = f"{message} {self._mostly(run_id)}".strip()
        written = self._write_end(run_id, state, message)
        self._tell(run_id, {"ended": state, "message": message})
        # A full disk does not take it; the run must not be told as going on for ever.
        while not written and not self._closing.wait(RETRY):
            written = self._write_end(run_id, state, message)
        self.keep_within_limit()

    def _mostly(self, run_id: int) -> str:
        """Which row gives the most of what a run has to hold, as a sentence."""
        with suppress(runs.NoSuchRun, OperationalError), self.database.session() as session:
            run = runs.record(session, run_id)
            shot = shots.document(session, run.shot_id, run.revision)
            if (source := largest(shot)) is not None:
                return f"Most come from {shot.names()[source.id]}."
        return ""

    def _write_end(self, run_id: int, state: str, message: str) -> bool:
        """Whether the store has taken down that a run is over."""
        try:
            with self.database.session() as session:
                self._catch_up(session, run_id)
                runs.ended(session, run_id, state, message)
        except runs.NoSuchRun:
            log.info("run %s was deleted while it ran", run_id)
        except (OperationalError, OSError) as error:
            log.warning("that run %s is over could not be written, and is tried again: %s", run_id, error)
            return False
        return True

    def _catch_up(self, session: Any, run_id: int) -> None:
        """Frames that landed but were not heard of."""
        known = {frame for frame, _ in runs.gauges(session, run_id)}
        kept = self.frames(run_id)
        for frame in kept.frames():
            if frame not in known:
                gauges = kept.gauges(frame)
                runs.landed(session, run_id, frame, gauges)
                self._tell(run_id, {"frame": frame, "gauges": gauges})

    def _tell(self, run_id: int, news: dict[str, Any]) -> None:
        if self._loop is None:
            return
        for queue in tuple(self._listeners.get(run_id, ())):
            self._loop.call_soon_threadsafe(queue.put_nowait, news)
