"""The database file: opened, brought up to date, and handed out in sessions."""

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.util import CommandError
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session, sessionmaker

MIGRATIONS = Path(__file__).parent / "migrations"


class CannotOpen(ValueError):
    """The database cannot be used; the message says why and what to do."""


class Database:
    """A SQLite file in a folder."""

    def __init__(self, folder: Path) -> None:
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise CannotOpen(f"The store folder {folder} cannot be made ({error.strerror}).") from error
        self.path = folder / "hotgravel.sqlite"
        self.engine: Engine = create_engine(f"sqlite:///{self.path}", connect_args={"timeout": 10})
        event.listen(self.engine, "connect", _pragmas)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    def keep_to_myself(self) -> None:
        """Hold the folder until this process ends. Raises `CannotOpen` where another process holds it."""
        self._lock = (self.path.parent / "in-use.lock").open("a+")
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._lock.seek(0)
            raise CannotOpen(
                f"{self.path.parent} is in use by another Hot Gravel, process {self._lock.read()}. "
                "End that one, or name another HOTGRAVEL_STORE."
            ) from None
        self._lock.truncate(0)
        self._lock.write(str(os.getpid()))
        self._lock.flush()

    def upgrade(self, to: str = "head") -> None:
        """Bring the tables to this version's shape. Raises `CannotOpen`; the file is then as it was."""
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        try:
            with self.engine.begin() as connection:
                config.attributes["connection"] = connection
                command.upgrade(config, to)
        except CommandError as error:
            raise CannotOpen(
                f"{self.path} was written by a newer Hot Gravel ({error}). "
                "Use that version, or another HOTGRAVEL_STORE."
            ) from error
        except DatabaseError as error:
            raise CannotOpen(f"{self.path} cannot be used ({error.orig}). Nothing was changed in it.") from error

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that commits when its block ends well and undoes all otherwise."""
        with self._sessions.begin() as session:
            yield session


def _pragmas(connection, _record) -> None:
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA foreign_keys=ON")
    cursor.execute("PRAGMA synchronous=NORMAL")
    cursor.close()
