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
_span: ContextVar[tuple[float, float]] = ContextVar("span", default=(0.0, 1.0))


def tell(share: float, words: str, so_far: Callable[[], Any] | None = None) -> None:
    """Tell whoever waits in this thread. Raises what stops the work.

    Args:
        share: done, 0 to 1.
        words: what is being done.
        so_far: makes the product as it is now, while `tell` runs; None where there is nothing to see.
    """
    first, last = _span.get()
    _told.get()(first + share * (last - first), words, so_far if (first, last) == (0, 1) else None)


@contextmanager
def part_of(first: float, last: float) -> Iterator[None]:
    """What is told in this thread is of a part of the work, from one share of it to another; nothing is seen of that part by itself."""
    low, high = _span.get()
    token = _span.set((low + first * (high - low), low + last * (high - low)))
    try:
        yield
    finally:
        _span.reset(token)


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
