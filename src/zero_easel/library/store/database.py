"""The SQLite file: opening, migrating, and sessions."""

from collections.abc import Iterator
from contextlib import contextmanager
from copy import copy
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, event
from sqlalchemy.engine import Engine
from sqlalchemy.orm import Session, sessionmaker

BY = "by"
"""Key of a session's info: the name of whoever acts in it, "" for the application itself."""
_CONNECTIONS = 32
_MIGRATIONS = Path(__file__).parent / "migrations"


class Database:
    """The application's SQLite file in WAL mode, so that pages read while a run writes."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self.path, self.url = path, f"sqlite:///{path}"
        # More connections than requests are worked on at once: none waits for one while it holds up another.
        self.engine: Engine = create_engine(
            self.url, connect_args={"timeout": 30}, pool_size=_CONNECTIONS, max_overflow=0
        )
        event.listen(self.engine, "connect", _prepare)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._who = ""

    def acting(self, who: str) -> "Database":
        """The same, for what somebody does, whose name the journal tells."""
        other = copy(self)
        other._who = who
        return other

    def migrate(self) -> None:
        """Bring the tables to the newest revision."""
        command.upgrade(alembic_config(self.url), "head")

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that commits at the end of the block and rolls back if it raises."""
        with self._sessions.begin() as session:
            session.info[BY] = self._who
            yield session

    def close(self) -> None:
        """Release all connections."""
        self.engine.dispose()


def alembic_config(url: str) -> Config:
    """Alembic's settings for the migrations that ship in the package."""
    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    return config


def _prepare(connection: Any, _record: Any) -> None:
    cursor = connection.cursor()
    for pragma in ("journal_mode=WAL", "synchronous=NORMAL", "foreign_keys=ON"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()
