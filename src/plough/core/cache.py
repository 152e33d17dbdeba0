"""A cache by content key that forgets what was used longest ago."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock
from typing import Any, TypeVar

T = TypeVar("T")


class Cache:
    """Least-recently-used, bounded by bytes; safe to use from several threads.

    Two threads that miss the same key at once share one computation.
    """

    def __init__(self, most_bytes: int = 1_500_000_000) -> None:
        self.most_bytes = most_bytes
        self.held_bytes = 0
        self.hits = 0
        self.misses = 0
        self._held: OrderedDict[str, tuple[Any, int]] = OrderedDict()
        self._lock = Lock()
        self._making: dict[str, Lock] = {}

    def get(self, key: str, make: Callable[[], T], size: Callable[[T], int]) -> T:
        """The value under `key`, made by `make` when it is not held."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                self.hits += 1
                return self._held[key][0]  # type: ignore[no-any-return]
            turn = self._making.setdefault(key, Lock())
        with turn:
            with self._lock:
                if key in self._held:
                    self.hits += 1
                    return self._held[key][0]  # type: ignore[no-any-return]
                self.misses += 1
            try:
                value = make()
            finally:
                with self._lock:
                    self._making.pop(key, None)
            with self._lock:
                self._held[key] = (value, size(value))
                self.held_bytes += self._held[key][1]
                while self.held_bytes > self.most_bytes and len(self._held) > 1:
                    _, (_, dropped) = self._held.popitem(last=False)
                    self.held_bytes -= dropped
            return value
