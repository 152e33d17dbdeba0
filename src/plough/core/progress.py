"""How far long work is: told by whoever does it to whoever waits, who may stop it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any, Protocol


class Told(Protocol):
    """Is told how much is done, 0 to 1, in words what is being done, and what makes a picture of it so far; may raise to stop."""

    def __call__(
        self, share: float, words: str, so_far: Callable[[], Any] | None = None, /
    ) -> None: ...


Step = Callable[[float, str], None]
"""Is told how much of a part of it is done, and in words what is being done."""


def untold(_share: float, _words: str, _so_far: Callable[[], Any] | None = None) -> None:
    """Tells nobody."""


_told: ContextVar[Told] = ContextVar("told", default=untold)


def tell(share: float, words: str, so_far: Callable[[], Any] | None = None) -> None:
    """Tell whoever waits in this thread. Raises what stops the work.

    Args:
        share: done, 0 to 1.
        words: what is being done.
        so_far: makes the product as it is now, while `tell` runs; None where there is nothing to see.
    """
    _told.get()(share, words, so_far)


@contextmanager
def telling(told: Told) -> Iterator[None]:
    """What is done in this thread tells `told`, and whoever was told before."""
    before = _told.get()

    def both(share: float, words: str, so_far: Callable[[], Any] | None = None, /) -> None:
        before(share, words, so_far)
        told(share, words, so_far)

    token = _told.set(both)
    try:
        yield
    finally:
        _told.reset(token)
