"""An asset library outside: searched, looked at, taken from; what was taken keeps where it came from."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel, Field
from sqlalchemy.dialects.postgresql import insert
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException

from plough.core.scene.document import Origin as Told
from plough.outside.client import AssetLibrary, LibraryError
from plough.outside.interface import MOST_FILES, Item, ItemId, ItemKind
from plough.service import documents
from plough.service.accounts import scene_for
from plough.service.api.bench import keep_image
from plough.service.api.context import Ctx, Me
from plough.service.api.ground import HeightsOut, keep_heights
from plough.service.api.models import PROBLEMS
from plough.service.api.own_meshes import ModelOut, read_given, reading
from plough.service.db.tables import Origin
from plough.service.errors import NotFound

router = APIRouter(prefix="/api", tags=["asset library"], responses=PROBLEMS)
_AT_ONCE = asyncio.Semaphore(4)  # of items that are being taken
_ASKED_AT_ONCE = 50


class LibraryOut(BaseModel):
    """Whether there is an asset library."""

    there: bool


class ItemOut(BaseModel):
    """What the library offers."""

    id: str
    version: str
    kind: ItemKind
    title: str
    text: str
    by: str
    licence: str
    bytes: int = Field(description="Of all its files.")
    files: int
    picture: str = Field(description="Its address.")


class SearchOut(BaseModel):
    """A page of what fits a search."""

    library: str = Field(description="Its name.")
    total: int
    page: int
    pages: int
    items: list[ItemOut]


class TakenOut(BaseModel):
    """An item whose files are here now."""

    item: ItemOut
    meshes: list[ModelOut] = Field([], description="Of a mesh: as a mesh of one's own is told.")
    images: dict[str, str] = Field({}, description="Of a leaf or texture: map to hash.")
    heights: HeightsOut | None = Field(None, description="Of a height map.")


class OriginOut(BaseModel):
    """Where a file of the scene came from."""

    file: str
    library: str
    item: str
    title: str
    version: str
    by: str
    licence: str
    newer: str = Field("", description="The version that the library has now, where it is another.")


def _library(ctx: Ctx) -> AssetLibrary:
    if ctx.outside is None:
        raise NotFound("no asset library is connected; PLOUGH_LIBRARY holds the address of one")
    return ctx.outside


def _out(item: Item) -> ItemOut:
    told = item.model_dump(include={"id", "version", "kind", "title", "text", "by", "licence"})
    picture = f"/api/library/items/{item.id}/picture?version={item.version}"
    return ItemOut(**told, bytes=item.bytes, files=len(item.files), picture=picture)


@router.get("/library")
def about(ctx: Ctx, me: Me) -> LibraryOut:
    """Whether an asset library is connected; it is not asked."""
    return LibraryOut(there=ctx.outside is not None)


@router.get("/library/items")
async def search(
    ctx: Ctx,
    me: Me,
    search: Annotated[str, Query(max_length=200)] = "",
    kind: Annotated[list[ItemKind] | None, Query(max_length=4)] = None,
    page: Annotated[int, Query(ge=1, le=10_000)] = 1,
) -> SearchOut:
    """A page of what fits all words, and one of the kinds; 502 where the library does not answer as it should."""
    library = _library(ctx)
    name, found = await asyncio.gather(library.name(), library.search(search, kind or [], page))
    return SearchOut(
        library=name,
        total=found.total,
        page=page,
        pages=found.pages,
        items=[_out(i) for i in found.items],
    )


@router.get(
    "/library/items/{item}/picture",
    response_class=Response,
    responses={200: {"content": {"image/png": {}, "image/jpeg": {}}}},
)
async def picture(item: ItemId, ctx: Ctx, me: Me) -> Response:
    """A picture of an item, passed on."""
    data, kind = await _library(ctx).picture(item)
    return Response(data, media_type=kind, headers={"Cache-Control": "private, max-age=86400"})


@asynccontextmanager
async def _waiting(request: Request) -> AsyncIterator[Callable[[], bool]]:
    """Tells whether the client is gone, meanwhile. What passes requests on answers no question in passing, so somebody listens all the time."""
    gone = asyncio.Event()

    async def listen() -> None:
        while (await request.receive())["type"] != "http.disconnect":
            pass
        gone.set()

    listening = asyncio.create_task(listen())
    try:
        yield gone.is_set
    finally:
        listening.cancel()


@router.post("/scenes/{scene_id}/library/{item}", status_code=201)
async def take(scene_id: str, item: ItemId, request: Request, ctx: Ctx, me: Me) -> TakenOut:
    """Takes an item in its present version: its files are fetched, held against what was told of them, read and kept, with where they came from.

    It ends when its client is gone.
    """

    def allowed() -> None:
        with ctx.database.session() as db:
            documents.check_origins(db, scene_for(db, me, scene_id, "editor"), MOST_FILES)

    await run_in_threadpool(allowed)
    library = _library(ctx)
    if _AT_ONCE.locked():
        raise HTTPException(
            429, "other items are being taken; try again in a few seconds", {"Retry-After": "5"}
        )
    async with _AT_ONCE, _waiting(request) as gone:
        name, told = await asyncio.gather(library.name(), library.item(item))
        files = {f.name: await library.file(told, f, gone) for f in told.files}
    taken = TakenOut(item=_out(told))
    if told.kind == "mesh":
        taken.meshes = await read_given(ctx, me.id, files)
        hashes = [m.hash for m in taken.meshes if not m.error]
    elif told.kind in ("leaf", "texture"):
        for f in told.files:
            kept = await run_in_threadpool(keep_image, ctx, me.id, files[f.name])
            taken.images[f.part] = kept.hash
        hashes = list(taken.images.values())
    else:
        first = told.files[0]
        with reading():
            made = await run_in_threadpool(keep_heights, ctx, me.id, first.name, files[first.name])
        taken.heights, hashes = made, [made.hash]

    def note() -> None:
        values = told.model_dump(include={"title", "version", "by", "licence"})
        values |= {"library": name, "item": told.id}
        with ctx.database.session() as db:
            for h in hashes:
                row = insert(Origin).values(scene_id=scene_id, file=h, **values)
                key = ["scene_id", "file"]
                db.execute(row.on_conflict_do_update(index_elements=key, set_=values))

    await run_in_threadpool(note)
    return taken


@router.get("/scenes/{scene_id}/origins")
async def origins(scene_id: str, ctx: Ctx, me: Me) -> list[OriginOut]:
    """Where what was taken for the scene came from, and whether the library has another version; where it does not answer, that is left open."""

    def read() -> list[OriginOut]:
        with ctx.database.session() as db:
            rows = documents.origins_of(db, scene_for(db, me, scene_id).id)
            return [OriginOut(**{n: getattr(r, n) for n in Told.model_fields}) for r in rows]

    found = await run_in_threadpool(read)
    now = await _present(ctx.outside, sorted({o.item for o in found})) if ctx.outside else {}
    for origin in found:
        present = now.get(origin.item, origin.version)
        origin.newer = present if present != origin.version else ""
    return found


async def _present(library: AssetLibrary, items: list[str]) -> dict[str, str]:
    """The present versions of items, as far as the library tells them."""
    runs = [items[i : i + _ASKED_AT_ONCE] for i in range(0, len(items), _ASKED_AT_ONCE)]
    out: dict[str, str] = {}
    for answer in await asyncio.gather(*map(library.versions, runs), return_exceptions=True):
        if isinstance(answer, dict):
            out |= answer
        elif not isinstance(answer, LibraryError):
            raise answer
    return out
