"""Pieces of bakes in the database, where all workers find them."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any

import orjson
from sqlalchemy import delete, func, text
from sqlalchemy.dialects.postgresql import insert

from plough.core.bake.pieces import Damaged, Files, Piece, Pieces, Stored, piece_of
from plough.core.cache import Cache
from plough.core.hashing import digest
from plough.core.library import Library
from plough.service.db.session import Database
from plough.service.db.tables import Blob
from plough.service.db.tables import Piece as Row
from plough.service.results import PIECE, file_loader, keep_blobs

_WHOLE = text(
    "UPDATE piece p SET used = now() WHERE key = ANY(:keys) AND NOT EXISTS (SELECT 1"
    " FROM jsonb_array_elements_text(p.blobs) b LEFT JOIN blob ON blob.hash = b WHERE blob.hash IS NULL)"
    " RETURNING key, told"
)
_MEMORY = 400_000_000  #: bytes of what a worker has grown that it holds


class DatabasePieces:
    """Pieces in the database, their files cut up as blobs."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def known(self, keys: Collection[str]) -> dict[str, Piece]:
        """The pieces of `keys` whose blobs are all there."""
        with self.database.session() as db:
            rows = db.execute(_WHOLE, {"keys": [_short(k) for k in keys]}).all()
        found = {key: piece_of(bytes(told)) for key, told in rows}
        return {k: found[_short(k)] for k in keys if _short(k) in found}

    def keep(self, key: str, files: Files, says: Mapping[str, Any] | None = None) -> Piece:
        """Keep a piece."""
        stored: dict[str, Stored] = {}
        blobs: dict[str, bytes] = {}
        for path, data in files.items():
            if isinstance(data, Stored):
                stored[path] = data
                continue
            cut = [data[i : i + PIECE] for i in range(0, len(data), PIECE)] or [b""]
            names = [digest(c) for c in cut]
            blobs |= dict(zip(names, cut, strict=True))
            stored[path] = Stored(
                len(data), names[0] if len(names) == 1 else digest(data), tuple(names)
            )
        piece = Piece(stored, orjson.loads(orjson.dumps(says or {})))
        held = sorted({b for s in stored.values() for b in s.blobs})
        values = {"told": piece.to_bytes(), "blobs": held}
        with self.database.session() as db:
            keep_blobs(db, blobs)
            row = insert(Row).values(key=_short(key), **values)
            again = {**values, "used": func.now()}
            db.execute(row.on_conflict_do_update(index_elements=["key"], set_=again))
        return piece

    def read(self, stored: Stored) -> bytes:
        """The bytes of a file. Raises `Damaged` where a blob of it is gone."""
        with self.database.session() as db:
            found = [db.get(Blob, name) for name in stored.blobs]
        if any(blob is None for blob in found):
            raise Damaged(f"the file {stored.hash} has lost a part")
        return b"".join(blob.data for blob in found if blob is not None)

    def drop(self, keys: Collection[str]) -> None:
        """Forget pieces, with their blobs."""
        gone = self.known(keys)
        blobs = [b for piece in gone.values() for s in piece.files.values() for b in s.blobs]
        with self.database.session() as db:
            db.execute(delete(Row).where(Row.key.in_([_short(k) for k in keys])))
            db.execute(delete(Blob).where(Blob.hash.in_(blobs)))


def _short(key: str) -> str:
    """A key that the table holds."""
    return key if len(key) <= 40 else digest(key.encode())


@dataclass(frozen=True, slots=True)
class DatabaseOpener:
    """Opens the pieces in a database; goes to workers."""

    url: str

    def __call__(self) -> tuple[Pieces, Library]:
        """The store, and a library that finds the files that people brought along."""
        database = Database(self.url)
        return DatabasePieces(database), Library(Cache(_MEMORY), file_loader(database))
