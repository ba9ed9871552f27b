"""What the user has set for the whole store, and notices of what was done by itself."""

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from hotgravel.store.models import Notice, Setting

DISK_LIMIT = "disk limit"  # bytes; absent for none
MESH_UNIT, MESH_UP = "mesh unit", "mesh up"  # as the last import had them


def damage_to(run: int) -> str:
    """The setting that says that frames of a run were found damaged."""
    return f"damage to run {run}"


def demo_of(shot: int) -> str:
    """The setting that names the demo shot which a shot came as."""
    return f"demo of shot {shot}"


def get(session: Session, name: str, default: Any = None) -> Any:
    found = session.get(Setting, name)
    return default if found is None else found.value


def put(session: Session, name: str, value: Any) -> None:
    session.merge(Setting(name=name, value=value))


def notify(session: Session, text: str) -> None:
    session.add(Notice(text=text))


def notices(session: Session, most: int = 30) -> list[Notice]:
    """The latest first."""
    return list(session.scalars(select(Notice).order_by(Notice.id.desc()).limit(most)))
