"""A small asset library for trying things out: it serves what `catalogue` makes."""

from __future__ import annotations

import math
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from threading import Lock, Thread
from typing import Annotated

from fastapi import FastAPI, HTTPException, Query
from fastapi.responses import Response

from plough.outside.catalogue import Catalogue, Kept
from plough.outside.interface import A_PAGE, About, Item, ItemKind, ItemPage


def create_library(catalogue: Catalogue | None = None) -> FastAPI:
    """The library as a web application."""
    made = catalogue or Catalogue()
    lock = Lock()

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        Thread(target=items, daemon=True).start()  # so that the first who asks waits less
        yield

    app = FastAPI(title="Asset library", lifespan=lifespan, docs_url=None, redoc_url=None)

    def items() -> dict[str, Kept]:
        with lock:
            return made.items

    def kept(name: str) -> Kept:
        found = items().get(name)
        if found is None:
            raise HTTPException(404, f"there is no item {name!r}")
        return found

    @app.get("/")
    def about() -> About:
        return About(name="Teasel Fen collection")

    @app.get("/items")
    def search(
        search: Annotated[str, Query(max_length=200)] = "",
        kind: Annotated[list[ItemKind] | None, Query()] = None,
        page: Annotated[int, Query(ge=1, le=10_000)] = 1,
    ) -> ItemPage:
        words = search.lower().split()
        found = [
            k.item
            for k in items().values()
            if (not kind or k.item.kind in kind)
            and all(w in f"{k.item.title} {k.item.text} {k.item.kind}".lower() for w in words)
        ]
        first = (page - 1) * A_PAGE
        return ItemPage(
            total=len(found),
            page=page,
            pages=math.ceil(len(found) / A_PAGE),
            items=tuple(found[first : first + A_PAGE]),
        )

    @app.get("/items/{name}")
    def item(name: str) -> Item:
        return kept(name).item

    @app.get("/items/{name}/picture")
    def picture(name: str) -> Response:
        return Response(kept(name).picture, media_type="image/jpeg")

    @app.get("/items/{name}/{version}/{file}")
    def file(name: str, version: str, file: str) -> Response:
        found = kept(name)
        told = next((f for f in found.item.files if f.name == file), None)
        if told is None or version != found.item.version:
            raise HTTPException(404, f"there is no {file!r} in version {version!r} of {name!r}")
        return Response(found.files[file], media_type=told.type)

    @app.get("/versions")
    def versions(of: Annotated[list[str], Query(max_length=500)]) -> dict[str, str]:
        return {n: items()[n].item.version for n in of if n in items()}

    return app
