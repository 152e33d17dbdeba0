"""Limits on what requests bring: their bodies are counted while they stream, before anything is parsed."""

from __future__ import annotations

import re

from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from plough.core.formats.geojson import MOST_BYTES as MOST_LINES
from plough.core.formats.images import MOST_BYTES as MOST_IMAGE
from plough.core.formats.meshes import MOST_BYTES as MOST_FILES
from plough.core.formats.solids import MOST_BYTES as MOST_MESH

MOST_JSON = 2_000_000  #: bytes
MOST_PICTURE = 300_000  #: bytes of the picture on a scene's card
MOST_STILL = 4_000_000  #: bytes of what a viewpoint shows, kept with a release
_LIMITS = (
    (re.compile(r"/api/session"), 64_000),
    (re.compile(r"/api/bench/images"), MOST_IMAGE),
    (re.compile(r"/api/bench/form"), MOST_MESH),
    (re.compile(r"/api/bench/(meshes|heights)"), MOST_FILES),
    (re.compile(r"/api/scenes/[^/]+/geojson"), MOST_LINES + 10_000),
    (re.compile(r"/api/scenes/[^/]+/picture"), MOST_PICTURE),
    (re.compile(r"/api/scenes/[^/]+/releases/[^/]+/stills/[^/]+"), MOST_STILL),
)


def limit_of(path: str) -> int:
    """The most bytes that a request to `path` may bring."""
    return next((most for pattern, most in _LIMITS if pattern.fullmatch(path)), MOST_JSON)


class BodyTooLarge(HTTPException):
    """A request brings more than it may."""

    def __init__(self, most: int) -> None:
        super().__init__(413, f"the request brings more than the {most:,} bytes that it may")


class LimitBodies:
    """Ends requests whose bodies are too large: at once where they say so, else as soon as they are."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        most, got = limit_of(scope["path"]), 0
        said = Headers(scope=scope).get("content-length", "")

        async def counted() -> Message:
            nonlocal got
            if said.isdigit() and int(said) > most:
                raise BodyTooLarge(most)
            message = await receive()
            got += len(message.get("body", b""))
            if got > most:
                raise BodyTooLarge(most)
            return message

        await self.app(scope, counted, send)
