"""Assets made for the bench: at once, or told as it goes and stopped when nobody waits any more."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import AsyncIterator
from queue import SimpleQueue
from threading import BoundedSemaphore, Event, Thread
from typing import Any

import orjson
from fastapi import APIRouter, Request, Response
from starlette.responses import StreamingResponse

from plough.core.bake.colliders import convex_mesh
from plough.core.errors import ParameterError, PloughError, Superseded
from plough.core.formats.glb import mesh_glb
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
_places = BoundedSemaphore(_MOST)


def _variant(body: MakeAsset, db: Session, me: Me) -> Variant:
    parameters = borrowed(db, me, body.scene, body.kind, body.parameters)
    return draft_variant(body.kind, parameters, body.seed, body.images)


def _made(ctx: Context, variant: Variant, detail: int) -> bytes:
    """A level as GLB; the scene's extras hold what the bench tells of it."""
    product = ctx.library.level(variant, detail)
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
    data = _made(ctx, _variant(body, db, me), body.detail)
    return Response(data, media_type="model/gltf-binary", headers=PLAIN)


@router.post(
    "/make/told",
    response_class=Response,
    responses={200: {"content": {"application/octet-stream": {}}}},
)
def make_told(body: MakeAsset, request: Request, db: Session, me: Me, ctx: Ctx) -> Response:
    """As `make`, told as it goes: lines of JSON with `share` and `words`; then one with `bytes`, behind which as many bytes of GLB come, or one with `error` and `field`.

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
        self.news: SimpleQueue[dict[str, Any] | bytes] = SimpleQueue()
        self.unwanted = Event()
        self._what = (ctx, variant, detail)
        Thread(target=self._run, daemon=True).start()

    def _tell(self, share: float, words: str) -> None:
        if self.unwanted.is_set():
            raise Superseded("nobody waits for it any more")
        self.news.put({"share": round(share, 3), "words": words})

    def _run(self) -> None:
        try:
            with telling(self._tell):
                self.news.put(_made(*self._what))
        except ParameterError as error:
            self.news.put({"error": str(error), "field": error.field, "limit": error.limit})
        except PloughError as error:
            self.news.put({"error": str(error), "field": "", "limit": ""})
        except Exception:
            log.exception("an asset could not be made")
            self.news.put({"error": "it could not be made", "field": "", "limit": ""})
        finally:
            _places.release()


async def _told(request: Request, work: _Work) -> AsyncIterator[bytes]:
    """What is told of a level while it is made, and the level."""
    news = work.news
    last: dict[str, Any] = {"share": 0.0, "words": "Beginning"}
    waited = 0.0
    try:
        while True:
            if news.empty() and waited < _BEAT:
                await asyncio.sleep(_LOOK)
                waited += _LOOK
                continue
            if await request.is_disconnected():
                return
            found = last if news.empty() else news.get()
            waited = 0.0
            if isinstance(found, bytes):
                yield orjson.dumps({"bytes": len(found)}) + b"\n"
                yield found
                return
            last = found
            yield orjson.dumps(found) + b"\n"
            if "error" in found:
                return
    finally:
        work.unwanted.set()
