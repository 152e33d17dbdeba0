"""Asks an asset library, and believes nothing: sizes, types, hashes and times are held against what was told."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Sequence
from time import monotonic
from typing import TypeVar
from urllib.parse import quote

import httpx
from pydantic import BaseModel, TypeAdapter, ValidationError

from plough.core.errors import PloughError
from plough.outside.interface import MOST_FILE, About, Item, ItemFile, ItemKind, ItemPage, Version

MOST_TOLD = 1_000_000  #: bytes of an answer in JSON
MOST_PICTURE = 400_000
_SILENT = 5.0  #: seconds that nothing may come
_GLANCED, _ASKED, _TAKEN = 3.0, 10.0, 60.0  #: seconds for versions, for a question, for a file
_MAGIC: dict[str, tuple[bytes, ...]] = {
    "image/png": (b"\x89PNG\r\n\x1a\n",),
    "image/jpeg": (b"\xff\xd8\xff",),
    "model/gltf-binary": (b"glTF",),
    "image/tiff": (b"II*\0", b"MM\0*"),
}  #: how files of a type begin
T = TypeVar("T", bound=BaseModel)
_VERSIONS = TypeAdapter(dict[str, Version])


class LibraryError(PloughError):
    """The asset library does not answer, or its answer cannot be used."""


class AskedForNothing(LibraryError):
    """The asset library has no such thing."""


class AssetLibrary:
    """An asset library at an address."""

    def __init__(self, base: str, silent: float = _SILENT, most_seconds: float = _TAKEN) -> None:
        """`silent`: seconds that nothing may come; `most_seconds`: for one file."""
        self._most = most_seconds
        self._http = httpx.AsyncClient(
            base_url=base.rstrip("/"),
            timeout=httpx.Timeout(silent),
            headers={"Accept-Encoding": "identity"},
            follow_redirects=False,
            trust_env=False,
            limits=httpx.Limits(max_connections=12),
        )
        self._name = ""

    async def close(self) -> None:
        """Let go of its connections."""
        await self._http.aclose()

    async def name(self) -> str:
        """What it is called."""
        if not self._name:
            self._name = (await self._told(About, "/")).name
        return self._name

    async def search(self, words: str, kinds: Sequence[ItemKind], page: int) -> ItemPage:
        """A page of what fits all of `words` and one of `kinds`; no kinds: all. Pages count from 1."""
        found = await self._told(
            ItemPage, "/items", [("search", words), ("page", page), *(("kind", k) for k in kinds)]
        )
        if found.page != page:
            raise LibraryError(f"the asset library answered page {found.page} for page {page}")
        return found

    async def item(self, name: str) -> Item:
        """An item as it is now."""
        found = await self._told(Item, f"/items/{quote(name, safe='')}")
        if found.id != name:
            raise LibraryError(f"the asset library answered {found.id!r} for {name!r}")
        if found.bytes > MOST_FILE:
            raise LibraryError(
                f"{found.title}: its files have {found.bytes:,} bytes together; the limit is {MOST_FILE:,}"
            )
        return found

    async def versions(self, names: Sequence[str]) -> dict[str, str]:
        """The present versions of those of `names` that are there."""
        data, _ = await self._bytes("/versions", MOST_TOLD, _GLANCED, [("of", n) for n in names])
        try:
            told = _VERSIONS.validate_json(data)
        except ValidationError:
            raise LibraryError("the asset library's answer about versions is not right") from None
        return {n: v for n, v in told.items() if n in names}

    async def picture(self, name: str) -> tuple[bytes, str]:
        """A picture of an item, and its media type: PNG or JPEG."""
        address = f"/items/{quote(name, safe='')}/picture"
        data, _ = await self._bytes(address, MOST_PICTURE, _ASKED)
        for kind in ("image/png", "image/jpeg"):
            if data.startswith(_MAGIC[kind]):
                return data, kind
        raise LibraryError("the asset library's picture is no PNG or JPEG")

    async def file(
        self, item: Item, file: ItemFile, gone: Callable[[], bool] = lambda: False
    ) -> bytes:
        """The bytes of a file of `item`, held against what was told of it.

        Args:
            gone: asked again and again while it comes; True ends it.

        Raises:
            LibraryError: it does not come in time, or has another size, type or hash.
        """
        address = f"/items/{quote(item.id, safe='')}/{quote(item.version, safe='')}/{quote(file.name, safe='')}"
        data, kind = await self._bytes(address, file.bytes, self._most, gone=gone)
        what = f"{item.title}: {file.name}"
        if len(data) != file.bytes:
            raise LibraryError(f"{what} has {len(data):,} bytes where {file.bytes:,} were told")
        if kind != file.type or not data.startswith(_MAGIC.get(kind, (b"",))):
            raise LibraryError(f"{what} is not of the type that was told, {file.type}")
        if hashlib.sha256(data).hexdigest() != file.sha256:
            raise LibraryError(f"{what} does not have the hash that was told; take it again later")
        return data

    async def _told(
        self, model: type[T], address: str, asked: Sequence[tuple[str, str | int]] = ()
    ) -> T:
        data, _ = await self._bytes(address, MOST_TOLD, _ASKED, asked)
        try:
            return model.model_validate_json(data)
        except ValidationError as error:
            where = ".".join(str(p) for p in error.errors()[0]["loc"])
            raise LibraryError(
                f"the asset library's answer is not right: {where or 'it is no JSON'}"
            ) from None

    async def _bytes(
        self,
        address: str,
        most: int,
        seconds: float,
        asked: Sequence[tuple[str, str | int]] = (),
        gone: Callable[[], bool] = lambda: False,
    ) -> tuple[bytes, str]:
        """An answer of at most `most` bytes that is there after at most `seconds`, and its media type."""
        end = monotonic() + seconds
        got = bytearray()
        try:
            async with self._http.stream("GET", address, params=list(asked)) as answer:
                if answer.status_code == 404:
                    raise AskedForNothing("the asset library does not have this any more")
                if answer.status_code != 200:
                    raise LibraryError(f"the asset library answers with {answer.status_code}")
                if answer.headers.get("content-encoding", "identity") != "identity":
                    raise LibraryError("the asset library packs its answer, unasked")
                async for chunk in answer.aiter_raw():
                    got += chunk
                    if len(got) > most:
                        raise LibraryError(
                            f"the asset library sends more than the {most:,} bytes that this may have"
                        )
                    if monotonic() > end:
                        raise LibraryError(f"the asset library takes more than {seconds:g} seconds")
                    if gone():
                        raise LibraryError("nobody waits for it any more")
                kind = re.split(r"[;\s]", answer.headers.get("content-type", ""))[0].lower()
        except httpx.TimeoutException:
            raise LibraryError("the asset library does not answer in time") from None
        except httpx.HTTPError:
            raise LibraryError("the asset library cannot be reached, or breaks off") from None
        return bytes(got), kind
