"""Bakes that are kept in a folder, so that what is the same to the last byte is not made again.

`FOLDER/KEY.json` lists the files of a bake with their sizes and hashes; `FOLDER/files/HASH` holds each
of them once, whichever bakes it is of. A list is written last: what is not whole is not found.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import orjson

from plough.core.errors import FormatError
from plough.core.hashing import digest, key_of
from plough.core.kernels import core_key


class Kept:
    """Bakes in a folder, each found by all that it hangs on."""

    def __init__(self, folder: Path) -> None:
        """Raises `FormatError` where the folder cannot be made."""
        self._folder = folder
        try:
            (folder / "files").mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise FormatError(f"{folder}: {error.strerror}") from None

    @staticmethod
    def key(document: bytes, *asked: object) -> str:
        """Of a document as it is read, what else is asked, and the code that bakes."""
        return key_of(core_key(), digest(document), *asked)

    def write(self, key: str, out: Path) -> tuple[int, int] | None:
        """Write the files of a bake into `out`; their number and bytes, or None where they are not all there as they were."""
        try:
            files = orjson.loads((self._folder / f"{key}.json").read_bytes())
        except (OSError, orjson.JSONDecodeError):
            return None
        for folder in {(out / path).parent for path, _, _ in files}:
            folder.mkdir(parents=True, exist_ok=True)

        def copied(told: tuple[str, int, str]) -> bool:
            path, size, name = told
            data = self._read(name, size)
            return data is not None and (out / path).write_bytes(data) == size

        with ThreadPoolExecutor(os.cpu_count()) as pool:
            if not all(list(pool.map(copied, files))):
                return None
        return len(files), sum(size for _, size, _ in files)

    def _read(self, name: str, size: int) -> bytes | None:
        """A file that is kept, as it was written."""
        try:
            data = (self._folder / "files" / name).read_bytes()
        except OSError:
            return None
        return data if len(data) == size and digest(data) == name else None

    def keep(self, key: str, files: Mapping[str, bytes]) -> None:
        """Keep the files of a bake."""
        names = {path: digest(data) for path, data in files.items()}
        for path, data in files.items():
            if self._read(names[path], len(data)) is None:
                self._put(self._folder / "files" / names[path], [data])
        listed = [[path, len(data), names[path]] for path, data in files.items()]
        self._put(self._folder / f"{key}.json", [orjson.dumps(listed)])

    def _put(self, target: Path, data: Iterable[bytes]) -> None:
        """Write a file at once, or not at all."""
        handle, name = tempfile.mkstemp(dir=self._folder)
        with os.fdopen(handle, "wb") as file:
            file.writelines(data)
        Path(name).replace(target)
