"""What every route needs: the application's parts, the account, a database session."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from threading import Lock
from typing import Annotated

from fastapi import Cookie, Depends
from sqlalchemy.orm import Session as Db
from starlette.requests import HTTPConnection

from plough.core.errors import Superseded
from plough.core.kernels import core_key
from plough.core.library import Library
from plough.core.scene import Evaluator
from plough.outside.client import AssetLibrary
from plough.service.accounts import COOKIE, Attempts, account_of
from plough.service.db.session import Database
from plough.service.db.tables import Account
from plough.service.live import Live
from plough.service.results import Results


class Latest:
    """The newest request of each client; older ones are told to stop."""

    def __init__(self) -> None:
        self._newest: dict[tuple[str, str], int] = {}
        self._lock = Lock()

    def enter(self, scene: str, client: str, serial: int) -> None:
        """Note a request; raises `Superseded` when a newer one is known."""
        with self._lock:
            if len(self._newest) > 5_000:
                self._newest.clear()
            key = (scene, client)
            if serial < self._newest.get(key, -1):
                raise Superseded("a newer request has taken this one's place")
            self._newest[key] = serial

    def check(self, scene: str, client: str, serial: int) -> None:
        """Raises `Superseded` when a newer request is known."""
        if self._newest.get((scene, client), serial) > serial:
            raise Superseded("a newer request has taken this one's place")


@dataclass
class Context:
    """The parts of the running application."""

    database: Database
    results: Results
    library: Library
    evaluator: Evaluator
    live: Live
    outside: AssetLibrary | None = None  #: where there is one
    attempts: Attempts = field(default_factory=Attempts)
    latest: Latest = field(default_factory=Latest)
    code: str = field(default_factory=core_key)  #: tells this code of the core from any other


def context(connection: HTTPConnection) -> Context:
    """The application's parts."""
    return connection.app.state.context  # type: ignore[no-any-return]


Ctx = Annotated[Context, Depends(context)]


def session(ctx: Ctx) -> Iterator[Db]:
    """A database session that commits when the route succeeds, before the answer is sent.

    It takes a connection with its first query; a route that goes on to compute commits before that,
    which gives the connection back.
    """
    with ctx.database.session() as db:
        yield db


Session = Annotated[Db, Depends(session, scope="function")]


def signed_in(
    ctx: Ctx,
    plough_session: Annotated[str | None, Cookie(alias=COOKIE, include_in_schema=False)] = None,
) -> Account:
    """The account whose session the request carries, looked up in a session of its own that is closed again."""
    with ctx.database.session() as db:
        return account_of(db, plough_session)


Me = Annotated[Account, Depends(signed_in)]
