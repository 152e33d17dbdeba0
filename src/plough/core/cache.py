"""A cache by content key that forgets what was used longest ago."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable, Sequence
from concurrent.futures import Future
from threading import RLock
from typing import Any, TypeVar

T = TypeVar("T")


class Cache:
    """Least-recently-used, bounded by bytes; safe to use from several threads.

    Two threads that miss the same key at once share one computation: the first makes, the others
    wait for it; if it fails, the next of them tries for itself.
    """

    def __init__(self, most_bytes: int = 1_500_000_000) -> None:
        self.most_bytes = most_bytes
        self.held_bytes = 0
        self.hits = 0
        self.misses = 0
        self._held: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._making: dict[Hashable, Future[Any]] = {}
        self._lock = RLock()

    def get(self, key: Hashable, make: Callable[[], T], size: Callable[[T], int]) -> T:
        """The value under `key`, made by `make` when it is not held; `size` gives its bytes."""
        while True:
            with self._lock:
                if key in self._held:
                    self.hits += 1
                    self._held.move_to_end(key)
                    return self._held[key][0]  # type: ignore[no-any-return]
                making = self._making.get(key)
                if making is None:
                    self.misses += 1
                    ours: Future[Any] = Future()
                    self._making[key] = ours
                    break
            if making.exception() is None:  # waits
                return making.result()  # type: ignore[no-any-return]
            # whoever made it was stopped, perhaps for a reason of their own
        try:
            value = make()
            bytes_ = size(value)
        except BaseException as error:
            with self._lock:
                del self._making[key]
            ours.set_exception(error)
            raise
        with self._lock:
            self._store(key, value, bytes_)
            del self._making[key]
        ours.set_result(value)
        return value

    def look_up(self, keys: Sequence[Hashable]) -> list[Any | None]:
        """What is held under each of `keys`, or None."""
        out: list[Any | None] = []
        with self._lock:
            for key in keys:
                found = self._held.get(key)
                if found is not None:
                    self._held.move_to_end(key)
                    self.hits += 1
                out.append(None if found is None else found[0])
        return out

    def keep(self, items: Iterable[tuple[Hashable, Any, int]]) -> None:
        """Hold what was made elsewhere: key, value and bytes of each."""
        with self._lock:
            for key, value, bytes_ in items:
                self.misses += 1
                self._store(key, value, bytes_)

    def _store(self, key: Hashable, value: Any, bytes_: int) -> None:
        known = self._held.pop(key, None)
        if known is not None:
            self.held_bytes -= known[1]
        self._held[key] = (value, bytes_)
        self.held_bytes += bytes_
        while self.held_bytes > self.most_bytes and len(self._held) > 1:
            _, (_, dropped) = self._held.popitem(last=False)
            self.held_bytes -= dropped
