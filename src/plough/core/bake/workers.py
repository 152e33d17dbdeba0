"""Who makes the pieces of a bake: threads of this process."""

from __future__ import annotations

import os
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from itertools import islice
from typing import Any, Protocol

from plough.core.bake.pieces import Piece, Stored
from plough.core.bake.shop import Recipe, Shop
from plough.core.errors import Superseded


@dataclass(frozen=True, slots=True)
class Task:
    """One piece that is wanted."""

    name: str
    key: str  #: of the piece
    build: Callable[[], Recipe]  #: gathers all that it is made from; called where it is made at all
    needs: tuple[str, ...] = ()  #: keys of pieces that must be there before
    together: str = ""  #: tasks that follow each other and say the same are best made by one worker
    here: bool = False  #: made in the process that asks, whose memory holds what it is made from


@dataclass(frozen=True, slots=True)
class Done:
    """A piece that is there."""

    name: str
    piece: Piece
    seconds: float = 0.0
    where: str = ""  #: who made it; empty for what was there before


@dataclass(frozen=True, slots=True)
class Here:
    """Makes a piece from what this process holds."""

    what: Callable[[Shop], tuple[dict[str, bytes | Stored], dict[str, Any]]]

    def make(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        """The files, and what the piece says."""
        return self.what(shop)


class Workers(Protocol):
    """Makes pieces, and keeps them where `Shop.pieces` finds them."""

    def run(self, tasks: Iterable[Task], shop: Shop) -> Iterator[Done]:
        """Makes what is asked, several pieces at once. What a piece needs comes before it among `tasks`, or is there.

        Closing the iterator ends the work.
        """

    def close(self) -> None:
        """Let go what was started."""


def make(recipe: Recipe, key: str, shop: Shop) -> Piece:
    """Make a piece and keep it."""
    files, says = recipe.make(shop)
    return shop.pieces.keep(key, files, says)


class Threads:
    """Threads of this process; kernels run without the interpreter's lock."""

    def __init__(self, threads: int = 0) -> None:
        self._threads = threads or os.cpu_count() or 1

    def close(self) -> None:
        """Nothing is held."""

    def run(self, tasks: Iterable[Task], shop: Shop) -> Iterator[Done]:
        """Makes what is asked; gives it in the order in which it is asked for."""
        left = False
        made: dict[str, Future[Done]] = {}

        def check() -> None:
            if left:
                raise Superseded("the bake was left")
            shop.check()

        own = shop.with_check(check)

        def work(task: Task) -> Done:
            check()
            for key in task.needs:
                if key in made:
                    made[key].result()
            began = time.perf_counter()
            piece = make(task.build(), task.key, own)
            return Done(task.name, piece, time.perf_counter() - began, "this process")

        waiting: deque[Future[Done]] = deque()
        ahead = iter(tasks)
        pool = ThreadPoolExecutor(self._threads)

        def submit(most: int) -> None:
            for task in islice(ahead, most):
                made[task.key] = pool.submit(work, task)
                waiting.append(made[task.key])

        try:
            submit(2 * self._threads)
            while waiting:
                yield waiting.popleft().result()
                submit(1)
        finally:
            left = True
            pool.shutdown(cancel_futures=True)
