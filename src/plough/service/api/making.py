"""Assets made for the bench: at once, or told as it goes and stopped when nobody waits any more."""

from __future__ import annotations

import asyncio
import logging
import time
from collections.abc import AsyncIterator, Callable
from dataclasses import asdict
from queue import SimpleQueue
from threading import BoundedSemaphore, Event, Thread
from typing import Any

import orjson
from fastapi import APIRouter, Request, Response
from starlette.responses import StreamingResponse

from plough.core.bake.colliders import convex_mesh
from plough.core.errors import ParameterError, PloughError, Superseded
from plough.core.formats.glb import mesh_glb
from plough.core.kinds import Product
from plough.core.library import Variant
from plough.core.library.library import switch_distances
from plough.core.progress import telling
from plough.service.api.bench import borrowed, draft_variant
from plough.service.api.context import Context, Ctx, Me, Session
from plough.service.api.evaluation import GLB, PLAIN, lamp_out
from plough.service.api.models import PROBLEMS, MakeAsset
from plough.service.errors import TooMany

router = APIRouter(prefix="/api", tags=["evaluation"], responses=PROBLEMS)
log = logging.getLogger("plough.making")
_MOST = 3  #: that are told at once
_BEAT = 0.5  #: seconds without news after which the last is told again, which shows whether anybody waits
_LOOK = 0.05  #: seconds between two looks for news
_PICTURE = 0.4  #: seconds between two pictures on the way
_WORK = 4.0  #: times as long is worked between two pictures as the first of them took
_places = BoundedSemaphore(_MOST)


def _variant(body: MakeAsset, db: Session, me: Me) -> Variant:
    parameters = borrowed(db, me, body.scene, body.kind, body.parameters)
    return draft_variant(body.kind, parameters, body.seed, body.images)


def _made(ctx: Context, variant: Variant, product: Product) -> bytes:
    """A product as GLB; the scene's extras hold what the bench tells of it."""
    size = (product.height, product.canopy_radius)
    pieces = [convex_mesh(piece) for piece in product.collider.pieces]
    extras: dict[str, Any] = {
        "triangles": product.mesh.triangles,
        "vertices": product.mesh.vertices,
        "bytes": product.mesh.nbytes,
        "height": product.height,
        "canopy_radius": product.canopy_radius,
        "counts": product.counts,
        "measures": product.measures,
        "switch_distances": [*switch_distances(size, ctx.library.levels_of(variant))],
        "ranges": product.ranges,
        "changed": product.changed,
        "slots": [slot for slot, m in product.materials.items() if m.maps is not None],
        "faces": [asdict(face) for face in product.faces],
        "fillings": product.fillings,
        "lamps": [lamp_out(x).model_dump() for x in product.lamps],
        "collider": {
            "capsules": [[*c.start, *c.end, c.radius] for c in product.collider.capsules],
            "pieces": [piece.positions.tolist() for piece in pieces],
            "faces": [piece.indices.tolist() for piece in pieces],
        },
    }
    images = ctx.results.images(False)
    return mesh_glb(product.mesh, product.materials, variant.kind, images, extras)


@router.post("/make", response_class=Response, responses=GLB)
def make_asset(body: MakeAsset, db: Session, me: Me, ctx: Ctx) -> Response:
    """An asset's mesh at one level of detail as GLB; the scene's extras hold triangles, counts and sizes. Nothing is kept."""
    variant = _variant(body, db, me)
    data = _made(ctx, variant, ctx.library.level(variant, body.detail))
    return Response(data, media_type="model/gltf-binary", headers=PLAIN)


@router.post(
    "/make/told",
    response_class=Response,
    responses={200: {"content": {"application/octet-stream": {}}}},
)
def make_told(body: MakeAsset, request: Request, db: Session, me: Me, ctx: Ctx) -> Response:
    """As `make`, told as it goes: lines of JSON with `share` and `words`, and with `picture` where as many bytes of GLB come behind it, which show how far it is; then one with `bytes`, behind which comes what is made, or one with `error` and `field`.

    It stops when the connection ends.
    """
    variant = _variant(body, db, me)
    if not _places.acquire(timeout=0):
        raise TooMany("others are being made; try again in a few seconds")
    return StreamingResponse(
        _told(request, _Work(ctx, variant, body.detail)),
        media_type="application/octet-stream",
        headers=PLAIN,
    )


class _Work:
    """A level that is being made, in a thread of its own."""

    def __init__(self, ctx: Context, variant: Variant, detail: int) -> None:
        self.news: SimpleQueue[tuple[dict[str, Any], bytes]] = SimpleQueue()
        self.unwanted = Event()
        self._what = (ctx, variant, detail)
        self._shown = time.monotonic()
        Thread(target=self._run, daemon=True).start()

    def _tell(
        self, share: float, words: str, so_far: Callable[[], Product] | None = None, /
    ) -> None:
        if self.unwanted.is_set():
            raise Superseded("nobody waits for it any more")
        told = {"share": round(share, 3), "words": words}
        began = time.monotonic()
        if so_far is None or began < self._shown or not self.news.empty():
            self.news.put((told, b""))
            return
        ctx, variant, _ = self._what
        picture = _made(ctx, variant, so_far())
        self.news.put(({**told, "picture": len(picture)}, picture))
        now = time.monotonic()
        self._shown = now + max(_PICTURE, _WORK * (now - began))

    def _run(self) -> None:
        ctx, variant, detail = self._what
        try:
            with telling(self._tell):
                data = _made(ctx, variant, ctx.library.level(variant, detail))
            self.news.put(({"bytes": len(data)}, data))
        except ParameterError as error:
            self._failed(str(error), error.field, error.limit)
        except PloughError as error:
            self._failed(str(error))
        except Exception:
            log.exception("an asset could not be made")
            self._failed("it could not be made")
        finally:
            _places.release()

    def _failed(self, error: str, field: str = "", limit: str = "") -> None:
        self.news.put(({"error": error, "field": field, "limit": limit}, b""))


async def _told(request: Request, work: _Work) -> AsyncIterator[bytes]:
    """What is told of a level while it is made, and the level."""
    news = work.news
    last: tuple[dict[str, Any], bytes] = ({"share": 0.0, "words": "Beginning"}, b"")
    waited = 0.0
    try:
        while True:
            if news.empty() and waited < _BEAT:
                await asyncio.sleep(_LOOK)
                waited += _LOOK
                continue
            if await request.is_disconnected():
                return
            told, data = last if news.empty() else news.get()
            waited = 0.0
            yield orjson.dumps(told) + b"\n"
            if data:
                yield data
            if "bytes" in told or "error" in told:
                return
            last = ({k: told[k] for k in ("share", "words")}, b"")
    finally:
        work.unwanted.set()
