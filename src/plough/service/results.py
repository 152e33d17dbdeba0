"""Computed bytes by their hash: in memory, and for what is to outlive a restart in the database."""

from __future__ import annotations

import math
import time
from collections import OrderedDict
from collections.abc import Callable, Iterable, Iterator, Mapping
from datetime import UTC, datetime, timedelta
from threading import Lock

from sqlalchemy import delete, func, select, text, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session as Db

from plough.core.bake.pieces import Stored
from plough.core.errors import FormatError
from plough.core.formats.glb import Images
from plough.core.formats.images import encode
from plough.core.hashing import digest, key_of
from plough.core.kernels import core_key
from plough.core.mesh.material import Material
from plough.service.db.session import Database
from plough.service.db.tables import (
    Blob,
    Model,
    ModelPiece,
    Picture,
    Piece,
    ReleaseFile,
    Result,
)

PIECE = 3_500_000  #: bytes of one blob at most


def file_loader(database: Database) -> Callable[[str], bytes]:
    """Gives images and meshes that people brought along, by their hash; raises `FormatError` for one that is not there."""

    def load(name: str) -> bytes:
        with database.session() as db:
            row = db.get(Picture, name)
            if row is not None:
                return row.data
            pieces = db.scalars(
                select(ModelPiece.data).where(ModelPiece.hash == name).order_by(ModelPiece.ordinal)
            ).all()
        if not pieces:
            raise FormatError(f"the file {name} is not here any more; choose another")
        return b"".join(pieces)

    return load


def keep_model(db: Db, account_id: int, name: str, data: bytes) -> str:
    """Keep a mesh that was read from a file called `name`; its hash."""
    found = digest(data)
    row = insert(Model).values(hash=found, name=name[-200:], bytes=len(data), account_id=account_id)
    made = db.scalar(row.on_conflict_do_nothing().returning(Model.hash))
    if made is not None:
        for k, start in enumerate(range(0, len(data), PIECE)):
            db.add(ModelPiece(hash=found, ordinal=k, data=data[start : start + PIECE]))
    return found


_SURE = 3600.0  #: seconds; what is tidied away has not been used for far longer


class Results:
    """A least-recently-used store of bytes over the blob table."""

    def __init__(self, database: Database, most_bytes: int = 600_000_000) -> None:
        self.database = database
        self.most_bytes = most_bytes
        self._held: OrderedDict[str, bytes] = OrderedDict()
        self._bytes = 0
        self._keys: OrderedDict[str, dict[str, str]] = OrderedDict()
        self._kept: dict[str, float] = {}  # when the database was last seen to hold them
        self._lock = Lock()

    def put(self, data: bytes) -> str:
        """Hold `data` in memory; its hash."""
        name = digest(data)
        with self._lock:
            if name not in self._held:
                self._held[name] = data
                self._bytes += len(data)
            self._held.move_to_end(name)
            while self._bytes > self.most_bytes and len(self._held) > 1:
                self._bytes -= len(self._held.popitem(last=False)[1])
        return name

    def hold(self, name: str, make: Callable[[], bytes]) -> str:
        """As `put`, for bytes whose hash is known already: they are made only when they are not held."""
        with self._lock:
            if name in self._held:
                self._held.move_to_end(name)
                return name
        return self.put(make())

    def get(self, name: str) -> bytes | None:
        """The bytes with the hash `name`, from memory or the database."""
        with self._lock:
            if name in self._held:
                self._held.move_to_end(name)
                return self._held[name]
        with self.database.session() as db:
            blob = db.get(Blob, name)
        if blob is None:
            return None
        self.put(blob.data)
        return blob.data

    def result(self, key: str, make: Callable[[], dict[str, bytes]], keep: bool) -> dict[str, str]:
        """Hashes by name of what `make` gives, made once for each `key` and code of the core; `keep` writes it to the database too.

        What is not to be kept is not looked for there, either.
        """
        known = self.known(key) if keep else self._remembered(key_of(core_key(), key))
        if known is not None:
            return known
        key = key_of(core_key(), key)
        made = make()
        names = {name: self.put(data) for name, data in made.items()}
        if keep and all(len(data) <= PIECE for data in made.values()):
            with self.database.session() as db:
                keep_blobs(db, {names[n]: data for n, data in made.items()})
                _keep_result(db, key, names)
            return self._know(key, names, time.monotonic())
        return self._know(key, names)

    def known(self, key: str) -> dict[str, str] | None:
        """Hashes by name of what was made for `key` before; None where nothing was, or it is gone."""
        key = key_of(core_key(), key)
        known = self._remembered(key)
        if known is not None:
            return known
        with self.database.session() as db:
            row = db.get(Result, key)
            if row is None or not _all_there(db, row.blobs.values()):
                return None
            row.used = func.now()
            names = dict(row.blobs)
        return self._know(key, names, time.monotonic())

    def _remembered(self, key: str) -> dict[str, str] | None:
        """What is known of `key` without asking the database, which forgets nothing within `_SURE` of its use."""
        with self._lock:
            known = self._keys.get(key)
            if known is None:
                return None
            sure = time.monotonic() - self._kept.get(key, -math.inf) < _SURE
            if not sure and any(h not in self._held for h in known.values()):
                return None
            self._keys.move_to_end(key)
            return known

    def _know(self, key: str, names: dict[str, str], kept: float | None = None) -> dict[str, str]:
        with self._lock:
            self._keys[key] = names
            if kept is not None:
                self._kept[key] = kept
            while len(self._keys) > 20_000:
                self._kept.pop(self._keys.popitem(last=False)[0], None)
        return names

    def images(self, keep: bool) -> Images:
        """Addresses of a material's maps, drawn when they are first asked for."""

        def images(material: Material) -> dict[str, bytes | str]:
            recipe = material.maps
            if recipe is None:
                return {}
            names = self.result(f"maps {recipe!r}", lambda: encode(recipe.draw()), keep)
            return {name: f"/api/blobs/{h}" for name, h in names.items()}

        return images

    def give_files(self, release_id: int, files: Mapping[str, Stored], first: int = 0) -> None:
        """Give a release files that are kept, from the ordinal `first` on."""
        with self.database.session() as db:
            for ordinal, (path, stored) in enumerate(files.items(), first):
                values = {
                    "ordinal": ordinal,
                    "bytes": stored.bytes,
                    "pieces": list(stored.blobs),
                }
                row = insert(ReleaseFile).values(release_id=release_id, path=path, **values)
                same = ["release_id", "path"]
                db.execute(row.on_conflict_do_update(index_elements=same, set_=values))

    def pieces_of(self, release_id: int, path: str) -> list[str]:
        """The pieces of a file of a release."""
        with self.database.session() as db:
            row = db.get(ReleaseFile, (release_id, path))
            if row is None:
                raise LookupError(f"release {release_id} has no file {path}")
            return list(row.pieces)

    def read_pieces(self, names: list[str]) -> Iterator[bytes]:
        """The pieces of a file, one at a time."""
        for name in names:
            with self.database.session() as db:
                blob = db.get(Blob, name)
                if blob is None:
                    raise LookupError(f"blob {name} is missing")
                data = blob.data
            yield data

    def tidy(self, unused_for: timedelta = timedelta(days=30)) -> int:
        """Forget kept results that nobody asked for in `unused_for`, and blobs of more than a day that nothing refers to.

        Returns:
            The number of blobs removed.
        """
        with self._lock:
            self._kept.clear()
        with self.database.session() as db:
            for kept in (Result, Piece):
                db.execute(delete(kept).where(kept.used < datetime.now(UTC) - unused_for))
            gone = db.execute(
                text(
                    "DELETE FROM blob WHERE at < now() - interval '1 day' AND NOT EXISTS (SELECT 1"
                    " FROM release_file f WHERE f.pieces ? blob.hash) AND NOT EXISTS (SELECT 1"
                    " FROM piece p WHERE p.blobs ? blob.hash) AND NOT EXISTS (SELECT 1"
                    " FROM result r, jsonb_each_text(r.blobs) b WHERE b.value = blob.hash)"
                )
            )
            return int(gone.rowcount)  # type: ignore[attr-defined]


def _keep_result(db: Db, key: str, blobs: Mapping[str, str]) -> None:
    """Keep what came of a key, by the names of its blobs."""
    same = {"blobs": dict(blobs), "used": func.now()}
    row = insert(Result).values(key=key, blobs=dict(blobs))
    db.execute(row.on_conflict_do_update(index_elements=["key"], set_=same))


def _all_there(db: Db, names: Iterable[str]) -> bool:
    """Whether the database holds all of the blobs."""
    wanted = set(names)
    found = db.scalar(select(func.count()).select_from(Blob).where(Blob.hash.in_(wanted)))
    return found == len(wanted)


def keep_blobs(db: Db, blobs: Mapping[str, bytes]) -> None:
    """Write blobs; those that are there already are marked as in use, so that tidying leaves them alone."""
    touched = update(Blob).where(Blob.hash.in_(list(blobs))).values(at=func.now())
    there = set(db.scalars(touched.returning(Blob.hash)))
    for name in sorted(set(blobs) - there):
        row = insert(Blob).values(hash=name, data=blobs[name])
        again = row.on_conflict_do_update(index_elements=["hash"], set_={"at": func.now()})
        db.execute(again)
