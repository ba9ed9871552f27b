"""Runs and what was measured of them."""

from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from hotgravel.core.shot.document import Shot
from hotgravel.store.models import GaugeRecord, RunRecord, now
from hotgravel.store.numbers import never_used

GOING = ("waiting", "running")


class NoSuchRun(LookupError):
    """There is no run of this number, or it is in the bin."""


def create(session: Session, shot_id: int, revision: int, shot: Shot, fingerprint: str) -> RunRecord:
    """A run that waits for a worker. `fingerprint` is that of its world."""
    finish = shot.finish
    made = RunRecord(
        id=never_used(session, RunRecord), shot_id=shot_id, revision=revision, quality=finish.quality,
        fingerprint=fingerprint, first=finish.first, last=finish.last,
    )  # fmt: skip
    session.add(made)
    session.flush()
    return made


def record(session: Session, run_id: int) -> RunRecord:
    """Raises `NoSuchRun`, also for one in the bin."""
    found = any_record(session, run_id)
    if found.binned:
        raise NoSuchRun(run_id)
    return found


def any_record(session: Session, run_id: int) -> RunRecord:
    """A run, in the bin or not. Raises `NoSuchRun`."""
    found = session.get(RunRecord, run_id)
    if found is None:
        raise NoSuchRun(run_id)
    return found


def latest(session: Session, shot_id: int, *, with_frames: bool = False) -> RunRecord | None:
    """The newest run of a shot, or the newest that has frames to look at."""
    query = select(RunRecord).where(RunRecord.shot_id == shot_id, RunRecord.binned.is_(None))
    if with_frames:
        query = query.where(RunRecord.landed > 0)
    return session.scalars(query.order_by(RunRecord.id.desc()).limit(1)).first()


def of_shot(session: Session, shot_id: int, *, binned: bool = False) -> list[RunRecord]:
    """All runs of a shot, the newest first; those in the bin only if asked for."""
    query = select(RunRecord).where(RunRecord.shot_id == shot_id)
    if not binned:
        query = query.where(RunRecord.binned.is_(None))
    return list(session.scalars(query.order_by(RunRecord.id.desc())))


def landed(session: Session, run_id: int, frame: int, measured: dict[str, Any]) -> None:
    """A frame has landed. Told twice, it counts once."""
    run = any_record(session, run_id)
    row = insert(GaugeRecord).values(run_id=run_id, frame=frame, measured=measured)
    session.execute(row.on_conflict_do_update(index_elements=["run_id", "frame"], set_={"measured": measured}))
    run.landed = max(run.landed, frame - run.first + 1)
    if run.state == "waiting":
        run.state, run.started = "running", now()


def ended(session: Session, run_id: int, state: str, message: str = "") -> None:
    """The run is over: finished, cancelled or failed."""
    run = any_record(session, run_id)
    run.state, run.message, run.ended = state, message, now()


def gauges(session: Session, run_id: int) -> list[tuple[int, dict[str, Any]]]:
    """(frame, measured) of all landed frames, in order."""
    query = select(GaugeRecord).where(GaugeRecord.run_id == run_id).order_by(GaugeRecord.frame)
    return [(g.frame, g.measured) for g in session.scalars(query)]


def identical(session: Session, shot_id: int, fingerprint: str) -> RunRecord | None:
    """A finished run of this shot of which all that went in was the same."""
    query = select(RunRecord).where(
        RunRecord.shot_id == shot_id,
        RunRecord.fingerprint == fingerprint,
        RunRecord.state == "finished",
        RunRecord.binned.is_(None),
    )
    return session.scalars(query.order_by(RunRecord.id.desc()).limit(1)).first()


def go_on(session: Session, run_id: int) -> RunRecord:
    """A run that stopped waits for a worker again."""
    run = record(session, run_id)
    run.state, run.message, run.ended = "waiting", "", None
    return run


class Kept(ValueError):
    """The run cannot be deleted; the message says why."""


def pin(session: Session, run_id: int, pinned: bool) -> None:
    """A pinned run is not deleted, and makes no room for others."""
    record(session, run_id).pinned = pinned


def in_work(session: Session) -> int | None:
    """The number of a run that is being computed, if any is."""
    return session.scalars(select(RunRecord.id).where(RunRecord.state == "running").order_by(RunRecord.id)).first()


def interrupted(session: Session) -> list[RunRecord]:
    """Runs that were going when the application last ended; they are marked so."""
    runs = list(session.scalars(select(RunRecord).where(RunRecord.state.in_(GOING))))
    for run in runs:
        run.state, run.ended = "failed", now()
        run.message = f"Run {run.id} stopped when the application ended; {run.landed} frames are kept."
    return runs
