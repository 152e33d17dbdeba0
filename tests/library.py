"""An asset library for tests: the stand-in, with answers that can be made wrong."""

from __future__ import annotations

import asyncio
import threading
import time
from collections.abc import Awaitable, Callable, Iterator
from contextlib import contextmanager
from typing import Any

import uvicorn
from starlette.requests import Request
from starlette.responses import Response, StreamingResponse

from plough.outside.standin import create_library
from plough.service.db.cluster import free_port

Wrong = Callable[[bytes, dict[str, str]], "tuple[bytes, dict[str, str]] | Response"]


class Outside:
    """The stand-in at an address, and what is wrong with its answers."""

    def __init__(self) -> None:
        self.port = free_port()
        self.base = f"http://127.0.0.1:{self.port}"
        self.wrong: dict[str, Wrong] = {}  # by how a path ends
        self.asked: list[str] = []
        app = create_library()
        app.middleware("http")(self._spoil)
        config = uvicorn.Config(app, host="127.0.0.1", port=self.port, log_level="error")
        self._server = uvicorn.Server(config)
        self._thread = threading.Thread(target=self._server.run, daemon=True)
        self._thread.start()
        while not self._server.started:
            time.sleep(0.02)

    def stop(self) -> None:
        """End it."""
        self._server.should_exit = True
        self._thread.join(10)

    async def _spoil(self, request: Request, call: Callable[[Request], Awaitable[Any]]) -> Response:
        path = request.url.path
        self.asked.append(path)
        answer = await call(request)
        spoil = next((w for end, w in self.wrong.items() if path.endswith(end)), None)
        if spoil is None:
            return answer
        body = b"".join([part async for part in answer.body_iterator])
        made = spoil(body, {"content-type": answer.headers["content-type"]})
        if isinstance(made, Response):
            return made
        return Response(made[0], answer.status_code, made[1])


class Slow:
    """Gives a byte every tenth of a second, for a long time."""

    def __init__(self) -> None:
        self.given = 0
        self.ended = False

    def __call__(self, body: bytes, headers: dict[str, str]) -> Response:
        async def drops() -> Any:
            try:
                for k in range(300):
                    self.given = k
                    yield body[k : k + 1]
                    await asyncio.sleep(0.1)
            finally:
                self.ended = True

        return StreamingResponse(drops(), 200, headers)


@contextmanager
def outside() -> Iterator[Outside]:
    """A library that runs meanwhile."""
    made = Outside()
    yield made
    made.stop()
