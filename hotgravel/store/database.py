"""The database file: opened, brought up to date, and handed out in sessions."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.orm import Session, sessionmaker

MIGRATIONS = Path(__file__).parent / "migrations"


class Database:
    """A SQLite file in a folder."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.path = folder / "hotgravel.sqlite"
        self.engine: Engine = create_engine(f"sqlite:///{self.path}", connect_args={"timeout": 10})
        event.listen(self.engine, "connect", _pragmas)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    def upgrade(self, to: str = "head") -> None:
        """Bring the tables to this version's shape."""
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, to)

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
