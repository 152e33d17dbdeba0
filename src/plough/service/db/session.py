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


MOST_CONNECTIONS = 24  #: of one process to the database at once
POOL_TIMEOUT = 2.5  #: seconds to wait for a connection
LOCK_TIMEOUT = 2.5  #: seconds that one who is waited for may be kept by somebody else's lock
IDLE_TIMEOUT = 60  #: seconds that a transaction may be left open with nothing asked


class Database:
    """One engine and its sessions.

    With `impatient`, a statement that another's lock keeps beyond `LOCK_TIMEOUT` is refused
    (`sqlalchemy.exc.OperationalError`), and a transaction left idle is ended: somebody waits for
    the answer, and a connection that waits for ever is lost to everybody. Jobs have the time.
    """

    def __init__(self, url: str, *, impatient: bool = False) -> None:
        self.url = url
        limits = (
            f"-c lock_timeout={round(LOCK_TIMEOUT * 1000)}"
            f" -c idle_in_transaction_session_timeout={IDLE_TIMEOUT * 1000}"
        )
        self.engine: Engine = create_engine(
            sqlalchemy_url(url),
            pool_size=8,
            max_overflow=MOST_CONNECTIONS - 8,
            pool_timeout=POOL_TIMEOUT,
            pool_pre_ping=True,
            connect_args={"options": limits} if impatient else {},
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
