"""Files that scenes and assets name by their hash, in a folder."""

from __future__ import annotations

import re
from pathlib import Path

from plough.core.errors import FormatError
from plough.core.formats.images import Load
from plough.core.hashing import digest

_NAME = re.compile(r"[0-9a-f]{16,64}")


def folder_loader(folder: Path) -> Load:
    """Gives the files of `folder` that are called by their hash; raises `FormatError` for one that is not there, or is another than it says."""

    def load(name: str) -> bytes:
        path = folder / name
        if not _NAME.fullmatch(name) or not path.is_file():
            raise FormatError(f"the file {name} is not in {folder}; give it along")
        data = path.read_bytes()
        if digest(data) != name:
            raise FormatError(f"the file {path} is damaged: its hash is another than its name")
        return data

    return load


def keep(folder: Path, data: bytes) -> str:
    """Write `data` to `folder` under its hash; the hash."""
    name = digest(data)
    folder.mkdir(parents=True, exist_ok=True)
    (folder / name).write_bytes(data)
    return name
