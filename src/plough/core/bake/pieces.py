"""What a bake is made of: pieces, each found by the key of all that it hangs on, whoever made it.

A piece is a few files and plain values. A store of pieces is the truth of a bake: what is kept there is
not made again, by this worker or another, now or after a restart.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from threading import Lock
from typing import Any, Protocol

import orjson

from plough.core.hashing import digest


@dataclass(frozen=True, slots=True)
class Stored:
    """A file that is kept."""

    bytes: int
    hash: str  #: of all of it
    blobs: tuple[str, ...] = ()  #: hashes of what it lies in, where a store cuts files up


@dataclass(frozen=True, slots=True)
class Piece:
    """Files by path, and what else came of the work."""

    files: dict[str, Stored] = field(default_factory=dict)
    says: dict[str, Any] = field(default_factory=dict)  #: plain values

    def to_bytes(self) -> bytes:
        """As JSON."""
        files = {p: [s.bytes, s.hash, list(s.blobs)] for p, s in self.files.items()}
        return orjson.dumps({"files": files, "says": self.says})


def piece_of(data: bytes) -> Piece:
    """A piece from its JSON."""
    told = orjson.loads(data)
    files = {
        p: Stored(size, name, tuple(blobs)) for p, (size, name, blobs) in told["files"].items()
    }
    return Piece(files, told["says"])


Files = Mapping[str, bytes | Stored]
"""Files by path: their bytes, or what the same store keeps already."""


class Pieces(Protocol):
    """A store of pieces. Safe to use from several threads and processes at once."""

    def known(self, keys: Collection[str]) -> dict[str, Piece]:
        """The pieces that are kept, whole, of `keys`."""

    def keep(self, key: str, files: Files, says: Mapping[str, Any] | None = None) -> Piece:
        """Keep a piece: its files, and plain values that JSON holds."""

    def read(self, stored: Stored) -> bytes:
        """The bytes of a file. Raises `Damaged` where they are not as they were."""

    def drop(self, keys: Collection[str]) -> None:
        """Forget pieces, with their files, which no other piece has."""


class Damaged(Exception):
    """What was kept is gone, or not as it was; the store has forgotten it, so that it is made anew."""


class Held:
    """Pieces in memory."""

    def __init__(self) -> None:
        self._pieces: dict[str, Piece] = {}
        self._files: dict[str, bytes] = {}
        self._lock = Lock()

    def known(self, keys: Collection[str]) -> dict[str, Piece]:
        """The pieces that are held, of `keys`."""
        return {k: self._pieces[k] for k in keys if k in self._pieces}

    def keep(self, key: str, files: Files, says: Mapping[str, Any] | None = None) -> Piece:
        """Hold a piece."""
        stored = {}
        for path, data in files.items():
            own = data if isinstance(data, Stored) else Stored(len(data), digest(data))
            if not isinstance(data, Stored):
                with self._lock:
                    self._files.setdefault(own.hash, data)
            stored[path] = own
        piece = Piece(stored, orjson.loads(orjson.dumps(says or {})))
        with self._lock:
            self._pieces[key] = piece
        return piece

    def read(self, stored: Stored) -> bytes:
        """The bytes of a file."""
        return self._files[stored.hash]

    def drop(self, keys: Collection[str]) -> None:
        """Forget pieces, with their files."""
        with self._lock:
            for key in keys:
                gone = self._pieces.pop(key, None)
                for stored in gone.files.values() if gone else ():
                    self._files.pop(stored.hash, None)
