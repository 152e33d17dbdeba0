"""A service of its own with the demo scene, for what is measured through the API or in a browser."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from tests.conftest import Running


@contextmanager
def served() -> Iterator[Running]:
    """The service, ready to answer; ended with its database."""
    from plough.service.db.session import Database, migrate
    from plough.service.demo.load import load_demo
    from plough.service.run import database

    with database() as url:
        migrate(url)
        store = Database(url)
        load_demo(store)
        store.close()
        service = Running(url)
        service.wait()
        try:
            yield service
        finally:
            service.stop()
