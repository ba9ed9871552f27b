"""Shots and their revisions."""

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from hotgravel.core.shot.document import Shot, load
from hotgravel.store.models import Revision, ShotRecord, now


class NoSuchShot(LookupError):
    """There is no shot of this number."""


class Stale(ValueError):
    """The edit was made on an older revision than the current one."""


def all_shots(session: Session) -> list[ShotRecord]:
    """The latest changed first."""
    return list(session.scalars(select(ShotRecord).order_by(ShotRecord.changed.desc(), ShotRecord.id.desc())))


def record(session: Session, shot_id: int) -> ShotRecord:
    """Raises `NoSuchShot`."""
    found = session.get(ShotRecord, shot_id)
    if found is None:
        raise NoSuchShot(shot_id)
    return found


def document(session: Session, shot_id: int, number: int | None = None) -> Shot:
    """The shot as it is now, or as it was at a revision. Raises `NoSuchShot`."""
    number = record(session, shot_id).head if number is None else number
    query = select(Revision).where(Revision.shot_id == shot_id, Revision.number == number)
    found = session.scalars(query).one_or_none()
    if found is None:
        raise NoSuchShot(shot_id)
    return load(found.document)


def create(session: Session, shot: Shot, label: str) -> ShotRecord:
    """A new shot with its first revision."""
    made = ShotRecord(name=shot.name, head=1)
    session.add(made)
    session.flush()
    session.add(Revision(shot_id=made.id, number=1, label=label, document=shot.dump()))
    return made


def revise(session: Session, shot_id: int, seen: int, shot: Shot, label: str) -> int:
    """Store an edit made on revision `seen` and return the new number. Raises `Stale`."""
    there = record(session, shot_id)
    if there.head != seen:
        raise Stale(f"This shot was changed elsewhere (revision {there.head}) while this page showed revision {seen}.")
    there.head += 1
    there.name, there.changed = shot.name, now()
    session.add(Revision(shot_id=shot_id, number=there.head, label=label, document=shot.dump()))
    return there.head


def latest_label(session: Session, shot_id: int) -> str:
    """What the last edit was."""
    query = select(Revision.label).where(Revision.shot_id == shot_id).order_by(Revision.number.desc()).limit(1)
    return session.scalars(query).first() or ""


def set_camera(session: Session, shot_id: int, camera: dict[str, Any]) -> None:
    """Keep where the stage's camera stands."""
    record(session, shot_id).camera = camera


def delete(session: Session, shot_id: int) -> None:
    """Remove a shot with its revisions and runs."""
    session.delete(record(session, shot_id))
