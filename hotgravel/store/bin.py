"""The bin: what was deleted and can be put back until the bin is emptied."""

from collections.abc import Iterable

from sqlalchemy import select
from sqlalchemy.orm import Session

from hotgravel.store import runs, shots
from hotgravel.store.models import RunRecord, ShotRecord, now


def bin_shot(session: Session, shot_id: int) -> None:
    """Put a shot into the bin, with its runs. Raises `NoSuchShot`."""
    shots.record(session, shot_id).binned = now()


def bin_run(session: Session, run_id: int) -> None:
    """Put a run into the bin. Raises `NoSuchRun`, `Kept`."""
    run = runs.record(session, run_id)
    if run.state in runs.GOING:
        raise runs.Kept(f"Run {run_id} is going on. Cancel it first.")
    if run.pinned:
        raise runs.Kept(f"Run {run_id} is pinned. Unpin it first.")
    run.binned = now()


def binned_shots(session: Session) -> list[ShotRecord]:
    """The latest first."""
    query = select(ShotRecord).where(ShotRecord.binned.is_not(None))
    return list(session.scalars(query.order_by(ShotRecord.binned.desc())))


def binned_runs(session: Session) -> list[tuple[RunRecord, ShotRecord]]:
    """Runs that were deleted by themselves, with their shots; the latest first."""
    query = select(RunRecord, ShotRecord).join(ShotRecord, ShotRecord.id == RunRecord.shot_id)
    query = query.where(RunRecord.binned.is_not(None), ShotRecord.binned.is_(None))
    return [(run, shot) for run, shot in session.execute(query.order_by(RunRecord.binned.desc()))]


def put_back_shot(session: Session, shot_id: int) -> None:
    """Out of the bin again. Raises `NoSuchShot`."""
    found = session.get(ShotRecord, shot_id)
    if found is None:
        raise shots.NoSuchShot(shot_id)
    found.binned = None


def put_back_run(session: Session, run_id: int) -> int:
    """Out of the bin again; returns its shot. Raises `NoSuchRun`."""
    run = runs.any_record(session, run_id)
    run.binned = None
    return run.shot_id


def empty(session: Session) -> list[int]:
    """Remove all that is in the bin and return the runs whose folders are to go."""
    doomed = binned_shots(session)
    gone = [r.id for shot in doomed for r in runs.of_shot(session, shot.id, binned=True)]
    gone += [run.id for run, _ in binned_runs(session)]
    _remove_runs(session, gone)
    for shot in doomed:
        session.delete(shot)
    return gone


def oldest_first(session: Session) -> list[tuple[RunRecord, ShotRecord]]:
    """Runs that may be removed to make room: binned ones before the others, the oldest first; none
    that is pinned or going on, and never the latest run of a shot that is not in the bin."""
    query = select(RunRecord, ShotRecord).join(ShotRecord, ShotRecord.id == RunRecord.shot_id)
    query = query.where(RunRecord.state.not_in(runs.GOING), RunRecord.pinned.is_(False)).order_by(RunRecord.id)
    both = [(run, shot) for run, shot in session.execute(query)]
    latest: dict[int, int] = {}
    for run, shot in both:
        if run.binned is None and run.landed:
            latest[shot.id] = run.id
    in_bin = [(r, s) for r, s in both if r.binned or s.binned]
    return in_bin + [(r, s) for r, s in both if not (r.binned or s.binned) and latest.get(s.id) != r.id]


def remove_run(session: Session, run_id: int) -> None:
    """Remove a run for good."""
    _remove_runs(session, [run_id])


def _remove_runs(session: Session, doomed: Iterable[int]) -> None:
    for run_id in doomed:
        session.delete(runs.any_record(session, run_id))
