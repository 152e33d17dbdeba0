"""The web application."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from fastapi import FastAPI, Request, WebSocket, WebSocketDisconnect
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy.exc import DataError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.middleware.base import RequestResponseEndpoint
from starlette.middleware.gzip import GZipMiddleware

import plough
from plough.core.collecting import collect_seldom
from plough.core.errors import ParameterError, PloughError, Superseded
from plough.core.library import Library
from plough.core.scene import Evaluator
from plough.outside.client import AskedForNothing, AssetLibrary, LibraryError
from plough.service.accounts import COOKIE, account_of, scene_for
from plough.service.api import (
    accounts,
    bench,
    evaluation,
    ground,
    items,
    laid,
    making,
    outside,
    own_meshes,
    parcels,
    placed,
    releases,
    revisions,
    scenes,
    trials,
    ways,
)
from plough.service.api.context import Context
from plough.service.db.session import Database
from plough.service.errors import ServiceError
from plough.service.limits import LimitBodies
from plough.service.live import Live
from plough.service.results import Results, file_loader

WEB = Path(__file__).resolve().parents[3] / "web" / "dist"
_POLICY = "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; connect-src 'self'; worker-src 'self' blob:; frame-ancestors 'none'"

#: of the page that loads the files of a release: meshes that are compressed are unpacked by WebAssembly, images lie in them
_WALKING = (
    _POLICY.replace("connect-src 'self'", "connect-src 'self' blob:")
    + "; script-src 'self' 'wasm-unsafe-eval'"
)

_OPEN = {"/api/session", "/api/health", "/api/openapi.json"}  #: need no session
_TITLES = {413: "Too large", 429: "Too many requests", 404: "Not found", 405: "Not allowed"}


def problem(status: int, title: str, detail: str, **more: Any) -> JSONResponse:
    """An RFC 9457 answer."""
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail, **more}
    return JSONResponse(body, status, media_type="application/problem+json")


def _plough_problem(_: Request, error: Exception) -> Response:
    if isinstance(error, ServiceError):
        return problem(error.status, error.title, error.detail, **error.more)
    if isinstance(error, LibraryError):
        status = 404 if isinstance(error, AskedForNothing) else 502
        return problem(status, "The asset library", str(error))
    if isinstance(error, Superseded):
        return problem(409, "Superseded", str(error))
    if isinstance(error, ParameterError):
        return problem(
            422,
            "Not valid",
            str(error),
            errors=[{"field": error.field, "message": error.message, "limit": error.limit}],
        )
    if isinstance(error, PloughError):
        field = str(error).split(":", 1)[0] if ":" in str(error) else ""
        return problem(
            422,
            "Not valid",
            str(error),
            errors=[{"field": field, "message": str(error), "limit": ""}],
        )
    raise error


def _validation_problem(_: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    errors = []
    for fault in error.errors():
        field = ".".join(str(p) for p in fault["loc"][1:]) or str(fault["loc"][0])
        context = fault.get("ctx", {})
        limit = ", ".join(
            f"{k} {context[k]}"
            for k in ("ge", "gt", "le", "lt", "max_length", "min_length", "pattern")
            if k in context
        )
        message = "there is no such field" if fault["type"] == "extra_forbidden" else fault["msg"]
        errors.append({"field": field, "message": message, "limit": limit})
    return problem(422, "Not valid", f"{errors[0]['field']}: {errors[0]['message']}", errors=errors)


def _http_problem(_: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    answer = problem(
        error.status_code, _TITLES.get(error.status_code, str(error.detail)), str(error.detail)
    )
    answer.headers.update(error.headers or {})
    if error.status_code == 413:
        answer.headers["Connection"] = "close"  # what is still on its way is not read
    return answer


def _replayed(_: Request, error: Exception) -> Response:
    assert isinstance(error, scenes.Replayed)
    return Response(error.answer.model_dump_json(), media_type="application/json")


def _cannot_be_kept(_: Request, error: Exception) -> Response:
    """What the database cannot hold was in the request; nothing is changed."""
    text = "a text holds the character NUL, or a number is beyond 2^31: neither can be kept"
    return problem(422, "Not valid", text)


def _busy(_: Request, error: Exception) -> Response:
    """The database cannot be reached, or all its connections are in use."""
    detail = "the service is busy, or its database is starting; try again in a few seconds"
    answer = problem(503, "Busy", detail)
    answer.headers["Retry-After"] = "3"
    return answer


def create_app(url: str, asset_library: str = "") -> FastAPI:
    """The application on the database at `url`, with the asset library at another address, if there is one."""
    database = Database(url, impatient=True)
    library = Library(load=file_loader(database))
    elsewhere = AssetLibrary(asset_library) if asset_library else None
    ctx = Context(database, Results(database), library, Evaluator(library), Live(url), elsewhere)

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        await ctx.live.start()
        collect_seldom()
        yield
        await ctx.live.stop()
        if elsewhere is not None:
            await elsewhere.close()
        database.close()

    app = FastAPI(
        title="Plough",
        version=plough.__version__,
        description="Grow, place and bake environments for games.",
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
    )
    app.state.context = ctx
    app.add_middleware(LimitBodies)
    app.add_middleware(GZipMiddleware, minimum_size=2_000, compresslevel=1)
    app.add_exception_handler(PloughError, _plough_problem)
    app.add_exception_handler(RequestValidationError, _validation_problem)
    app.add_exception_handler(HTTPException, _http_problem)
    app.add_exception_handler(PoolTimeout, _busy)
    app.add_exception_handler(OperationalError, _busy)
    app.add_exception_handler(DataError, _cannot_be_kept)
    app.add_exception_handler(scenes.Replayed, _replayed)
    for router in (
        accounts.router,
        scenes.router,
        items.router,
        releases.router,
        evaluation.router,
        making.router,
        trials.router,
        placed.router,
        bench.router,
        own_meshes.router,
        ground.router,
        laid.router,
        ways.router,
        outside.router,
        revisions.router,
        parcels.router,
    ):
        app.include_router(router)

    @app.middleware("http")
    async def guard(request: Request, call_next: RequestResponseEndpoint) -> Response:
        """Refuses edits that another site's page sends, and closes pages to everything from elsewhere."""
        origin = request.headers.get("origin")
        if (
            request.method not in ("GET", "HEAD", "OPTIONS")
            and origin
            and urlsplit(origin).netloc != request.headers.get("host")
        ):
            return problem(403, "Not allowed", "this request comes from a page of another site")
        path = request.url.path
        if path.startswith("/api/") and path not in _OPEN and COOKIE not in request.cookies:
            return problem(401, "Not signed in", "sign in first")  # before anything is read
        response = await call_next(request)
        response.headers["Content-Security-Policy"] = _WALKING if path == "/walk" else _POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        return response

    @app.websocket("/api/scenes/{scene_id}/live")
    async def live(socket: WebSocket, scene_id: str) -> None:
        """Presence, edits as they land, progress of bakes."""

        def who() -> tuple[str, int]:
            with database.session() as db:
                account = account_of(db, socket.cookies.get(COOKIE))
                return account.name, scene_for(db, account, scene_id).edits

        origin = socket.headers.get("origin")
        try:
            name, edits = await run_in_threadpool(who)
        except ServiceError as error:
            await socket.close(4401 if error.status == 401 else 4404, error.detail[:100])
            return
        if origin and urlsplit(origin).netloc != socket.headers.get("host"):
            await socket.close(4403, "this connection comes from a page of another site")
            return
        await socket.accept()
        try:
            await socket.send_json({"type": "hello", "edits": edits})
            await ctx.live.serve(socket, scene_id, name)
        except WebSocketDisconnect:
            return

    if WEB.exists():
        app.mount("/assets", StaticFiles(directory=WEB / "assets"), name="assets")

        @app.get("/", include_in_schema=False)
        def index() -> FileResponse:
            return FileResponse(WEB / "index.html", headers={"Cache-Control": "no-cache"})

        @app.get("/walk", include_in_schema=False)
        def walk() -> FileResponse:
            return FileResponse(WEB / "walk.html", headers={"Cache-Control": "no-cache"})

        @app.get("/favicon.svg", include_in_schema=False)
        def icon() -> FileResponse:
            return FileResponse(WEB / "favicon.svg")

    return app
