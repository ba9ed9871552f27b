"""The tables."""

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


def now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


class Table(DeclarativeBase):
    type_annotation_map = {dict[str, Any]: JSON}  # noqa: RUF012


class ShotRecord(Table):
    """A shot: its name and which of its revisions is the current one."""

    __tablename__ = "shots"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    head: Mapped[int]
    camera: Mapped[dict[str, Any] | None]
    created: Mapped[datetime] = mapped_column(default=now)
    changed: Mapped[datetime] = mapped_column(default=now)
    binned: Mapped[datetime | None]


class Revision(Table):
    """A state of a shot's document, and the edit that led to it in words."""

    __tablename__ = "revisions"
    __table_args__ = (UniqueConstraint("shot_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    parent: Mapped[int | None]
    label: Mapped[str]
    document: Mapped[dict[str, Any]]
    made: Mapped[datetime] = mapped_column(default=now)


class RunRecord(Table):
    """One execution of a shot's revision at a quality."""

    __tablename__ = "runs"
    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), index=True)
    revision: Mapped[int]
    quality: Mapped[str]
    fingerprint: Mapped[str] = mapped_column(index=True)
    state: Mapped[str] = mapped_column(default="waiting")
    message: Mapped[str] = mapped_column(default="")
    first: Mapped[int]
    last: Mapped[int]
    landed: Mapped[int] = mapped_column(default=0)
    pinned: Mapped[bool] = mapped_column(default=False)
    made: Mapped[datetime] = mapped_column(default=now)
    started: Mapped[datetime | None]
    ended: Mapped[datetime | None]
    binned: Mapped[datetime | None]


class GaugeRecord(Table):
    """What was measured of one frame of a run."""

    __tablename__ = "gauges"
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    frame: Mapped[int] = mapped_column(primary_key=True)
    measured: Mapped[dict[str, Any]]


class Setting(Table):
    """One thing the user has set for the whole store."""

    __tablename__ = "settings"
    name: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[Any] = mapped_column(JSON)


class Notice(Table):
    """Something that was done without being asked for at that moment, in words."""

    __tablename__ = "notices"
    id: Mapped[int] = mapped_column(primary_key=True)
    made: Mapped[datetime] = mapped_column(default=now)
    text: Mapped[str]
