"""Engine, sessions and migrations."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker

from plough.service.errors import SetupError


def database_url() -> str:
    """The address in ``PLOUGH_DATABASE_URL``. Raises `SetupError` when it is not set."""
    url = os.environ.get("PLOUGH_DATABASE_URL", "")
    if not url:
        raise SetupError("no database: set PLOUGH_DATABASE_URL, or start Plough with ./plough")
    return url


def sqlalchemy_url(url: str) -> str:
    """`url` with the driver that SQLAlchemy is to use."""
    for scheme in ("postgresql://", "postgres://"):
        if url.startswith(scheme):
            return "postgresql+psycopg://" + url.removeprefix(scheme)
    return url


POOL_TIMEOUT = 2.5  #: seconds to wait for a connection


class Database:
    """One engine and its sessions."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine: Engine = create_engine(
            sqlalchemy_url(url),
            pool_size=8,
            max_overflow=16,
            pool_timeout=POOL_TIMEOUT,
            pool_pre_ping=True,
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that commits at the end, or rolls back when something is raised."""
        with self._sessions() as session:
            try:
                yield session
                session.commit()
            except BaseException:
                session.rollback()
                raise

    def close(self) -> None:
        """Close all connections."""
        self.engine.dispose()


def migrate(url: str) -> None:
    """Bring the database at `url` to the newest schema. Raises `SetupError` when a migration fails."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.set_main_option("sqlalchemy.url", sqlalchemy_url(url).replace("%", "%%"))
    try:
        command.upgrade(config, "head")
    except Exception as error:
        raise SetupError(
            f"the database could not be migrated: {str(error).splitlines()[0]}"
        ) from error
