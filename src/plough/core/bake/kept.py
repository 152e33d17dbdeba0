"""Pieces of bakes in a folder, so that what is the same to the last byte is not made again.

`FOLDER/pieces/KEY.json` lists the files of a piece with their sizes and hashes; `FOLDER/files/HASH`
holds each of them once, whichever pieces it is of. A list is written last: what is not whole is not
found. Several processes, on several machines that share the folder, may use it at once.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Collection, Mapping
from pathlib import Path
from typing import Any

import orjson

from plough.core.bake.pieces import Damaged, Files, Piece, Stored, piece_of
from plough.core.errors import FormatError
from plough.core.hashing import digest


class Kept:
    """Pieces in a folder."""

    def __init__(self, folder: Path) -> None:
        """Raises `FormatError` where the folder cannot be made."""
        self._folder = folder
        try:
            for name in ("files", "pieces"):
                (folder / name).mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise FormatError(f"{folder}: {error.strerror}") from None

    def known(self, keys: Collection[str]) -> dict[str, Piece]:
        """The pieces that are kept, with files of the sizes that they had."""
        found = {}
        for key in keys:
            try:
                piece = piece_of((self._folder / "pieces" / f"{key}.json").read_bytes())
            except (OSError, ValueError, KeyError, TypeError):
                continue
            if all(self._size(s) == s.bytes for s in piece.files.values()):
                found[key] = piece
        return found

    def _size(self, stored: Stored) -> int:
        try:
            return (self._folder / "files" / stored.hash).stat().st_size
        except OSError:
            return -1

    def keep(self, key: str, files: Files, says: Mapping[str, Any] | None = None) -> Piece:
        """Keep a piece."""
        stored = {}
        for path, data in files.items():
            own = data if isinstance(data, Stored) else Stored(len(data), digest(data))
            if not isinstance(data, Stored) and self._size(own) != own.bytes:
                self._put(self._folder / "files" / own.hash, data)
            stored[path] = own
        piece = Piece(stored, orjson.loads(orjson.dumps(says or {})))
        self._put(self._folder / "pieces" / f"{key}.json", piece.to_bytes())
        return piece

    def read(self, stored: Stored) -> bytes:
        """The bytes of a file. Raises `Damaged` where they are not as they were; they are forgotten then."""
        path = self._folder / "files" / stored.hash
        try:
            data = path.read_bytes()
        except OSError as error:
            raise Damaged(f"{path}: {error.strerror}") from None
        if len(data) != stored.bytes or digest(data) != stored.hash:
            path.unlink(missing_ok=True)
            raise Damaged(f"{path} is not as it was")
        return data

    def drop(self, keys: Collection[str]) -> None:
        """Forget pieces, with their files."""
        found = self.known(keys)
        for key in keys:
            (self._folder / "pieces" / f"{key}.json").unlink(missing_ok=True)
            for stored in found[key].files.values() if key in found else ():
                (self._folder / "files" / stored.hash).unlink(missing_ok=True)

    def _put(self, target: Path, data: bytes) -> None:
        """Write a file at once, or not at all."""
        handle, name = tempfile.mkstemp(dir=self._folder)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        Path(name).replace(target)
