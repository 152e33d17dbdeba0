"""How far long work is: told by whoever does it to whoever waits, who may stop it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

Told = Callable[[float, str], None]
"""Is told how much is done, 0 to 1, and in words what is being done; may raise to stop."""


def untold(_share: float, _words: str) -> None:
    """Tells nobody."""


_told: ContextVar[Told] = ContextVar("told", default=untold)


def tell(share: float, words: str) -> None:
    """Tell whoever waits in this thread. Raises what stops the work."""
    _told.get()(share, words)


@contextmanager
def telling(told: Told) -> Iterator[None]:
    """What is done in this thread tells `told`, and whoever was told before."""
    before = _told.get()

    def both(share: float, words: str) -> None:
        before(share, words)
        told(share, words)

    token = _told.set(both)
    try:
        yield
    finally:
        _told.reset(token)
