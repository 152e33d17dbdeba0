"""Bakes over a folder: where their pieces are kept, and who makes them."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from plough.core.bake.graph import Graph
from plough.core.bake.kept import Kept
from plough.core.bake.pieces import Held, Pieces
from plough.core.bake.workers import Threads
from plough.core.cache import Cache
from plough.core.errors import ParameterError
from plough.core.formats.folder import folder_loader
from plough.core.hashing import digest, key_of
from plough.core.kernels import core_key
from plough.core.library.library import Library

_MEMORY = 400_000_000  #: bytes of what a worker has grown that it holds


def key_of_bake(document: bytes, *asked: object) -> str:
    """The key of a whole bake: of a document as it is read, what else is asked, and the code that bakes."""
    return key_of(core_key(), "bake", digest(document), *asked)


@contextmanager
def opened(cache: Path | None, shared: bool = False) -> Iterator[tuple[Pieces, Path | None]]:
    """The store of pieces in a folder, and the folder; without one, in memory or, where other processes share it, in a folder that goes again.

    Raises:
        FormatError: the folder cannot be made.
    """
    if cache is not None:
        yield Kept(cache), cache
    elif shared:
        with tempfile.TemporaryDirectory(prefix="plough-") as folder:
            yield Kept(Path(folder)), Path(folder)
    else:
        yield Held(), None


@dataclass(frozen=True, slots=True)
class FolderOpener:
    """Opens the store in a folder; goes to workers."""

    folder: Path
    files: Path | None  #: of what assets name

    def __call__(self) -> tuple[Pieces, Library]:
        """The store, and a library."""
        load = folder_loader(self.files) if self.files else None
        return Kept(self.folder), Library(Cache(_MEMORY), load)


def workers_of(
    folder: Path | None, files: Path | None, workers: int, scheduler: str
) -> Threads | Graph:
    """Who makes the pieces that are kept in `folder`.

    Args:
        workers: processes; 0 for threads of this one.
        scheduler: the address of one that is running.

    Raises:
        ParameterError: workers of other machines cannot reach what they make.
    """
    if not workers and not scheduler:
        return Threads()
    if folder is None:
        raise ParameterError("--cache", "workers of a scheduler need a folder that they share")
    opener = FolderOpener(folder.resolve(), files.resolve() if files else None)
    return Graph(opener, scheduler, workers)
