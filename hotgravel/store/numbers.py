"""Numbers of shots and runs, which are never used again, even when the bin is emptied."""

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from hotgravel.store import settings
from hotgravel.store.models import RunRecord, ShotRecord


def never_used(session: Session, kind: type[RunRecord] | type[ShotRecord]) -> int:
    """A number for a new record: one more than any that was ever given."""
    name = f"highest number of {kind.__tablename__}"
    there = session.scalar(select(func.max(kind.id))) or 0
    number = 1 + max(there, settings.get(session, name, 0))
    settings.put(session, name, number)
    return number
