"""Shots and their revisions."""

from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from hotgravel.core.shot.document import Shot, load
from hotgravel.store.models import Revision, ShotRecord, now
from hotgravel.store.numbers import never_used


class NoSuchShot(LookupError):
    """There is no shot of this number, or it is in the bin."""


class Stale(ValueError):
    """The edit was made on an older revision than the current one."""


def all_shots(session: Session) -> list[ShotRecord]:
    """The latest changed first."""
    query = select(ShotRecord).where(ShotRecord.binned.is_(None))
    return list(session.scalars(query.order_by(ShotRecord.changed.desc(), ShotRecord.id.desc())))


def record(session: Session, shot_id: int) -> ShotRecord:
    """Raises `NoSuchShot`, also for one in the bin."""
    found = session.get(ShotRecord, shot_id)
    if found is None or found.binned:
        raise NoSuchShot(shot_id)
    return found


def document(session: Session, shot_id: int, number: int | None = None) -> Shot:
    """The shot as it is now, or as it was at a revision. Raises `NoSuchShot`."""
    number = record(session, shot_id).head if number is None else number
    return load(revision(session, shot_id, number).document)


def revision(session: Session, shot_id: int, number: int) -> Revision:
    """One revision. Raises `NoSuchShot`."""
    query = select(Revision).where(Revision.shot_id == shot_id, Revision.number == number)
    found = session.scalars(query).one_or_none()
    if found is None:
        raise NoSuchShot(shot_id)
    return found


def create(session: Session, shot: Shot, label: str) -> ShotRecord:
    """A new shot with its first revision."""
    made = ShotRecord(id=never_used(session, ShotRecord), name=shot.name, head=1)
    session.add(made)
    session.flush()
    session.add(Revision(shot_id=made.id, number=1, label=label, document=shot.dump()))
    return made


def revise(session: Session, shot_id: int, seen: int, shot: Shot, label: str) -> int:
    """Store an edit made on revision `seen` and return the new number. Raises `Stale`."""
    there = _unchanged(session, shot_id, seen)
    newest = session.scalar(select(func.max(Revision.number)).where(Revision.shot_id == shot_id)) or 0
    made = Revision(shot_id=shot_id, number=newest + 1, parent=seen, label=label, document=shot.dump())
    session.add(made)
    there.head, there.name, there.changed = made.number, shot.name, now()
    return made.number


def _unchanged(session: Session, shot_id: int, seen: int) -> ShotRecord:
    there = record(session, shot_id)
    if there.head != seen:
        raise Stale(f"This shot was changed elsewhere (revision {there.head}) while this page showed revision {seen}.")
    return there


@dataclass(frozen=True)
class Walk:
    """Where undo and redo lead from here: (revision, label of the edit undone or redone), or None."""

    label: str
    undo: tuple[int, str] | None
    redo: tuple[int, str] | None


def walk(session: Session, shot_id: int) -> Walk:
    """The last edit, and the ways back and on. After an undo and another edit, redo follows the newer one."""
    here = revision(session, shot_id, record(session, shot_id).head)
    query = select(Revision).where(Revision.shot_id == shot_id, Revision.parent == here.number)
    child = session.scalars(query.order_by(Revision.number.desc()).limit(1)).first()
    return Walk(
        label=here.label,
        undo=(here.parent, here.label) if here.parent else None,
        redo=(child.number, child.label) if child else None,
    )


def step(session: Session, shot_id: int, seen: int, *, on: bool) -> None:
    """Undo the last edit, or redo the one undone. Raises `Stale`; does nothing at either end."""
    there = _unchanged(session, shot_id, seen)
    ways = walk(session, shot_id)
    way = ways.redo if on else ways.undo
    if way is not None:
        there.head, there.changed = way[0], now()
        there.name = document(session, shot_id).name


def go_back(session: Session, shot_id: int, number: int) -> None:
    """Make an older revision the current one, as an edit that can be undone. Raises `NoSuchShot`."""
    there = record(session, shot_id)
    if number != there.head:
        revise(session, shot_id, there.head, document(session, shot_id, number), f"back to revision {number}")


def history(session: Session, shot_id: int) -> list[Revision]:
    """All revisions, the newest first."""
    record(session, shot_id)
    query = select(Revision).where(Revision.shot_id == shot_id).order_by(Revision.number.desc())
    return list(session.scalars(query))


def set_camera(session: Session, shot_id: int, camera: dict[str, Any]) -> None:
    """Keep where the stage's camera stands."""
    record(session, shot_id).camera = camera
