"""Starts and stops everything: the database, the web service, one worker."""

from __future__ import annotations

import asyncio
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from plough.service.db.cluster import Cluster, free_port
from plough.service.db.session import Database, migrate
from plough.service.errors import SetupError

if TYPE_CHECKING:
    from fastapi import FastAPI

STATE = Path(__file__).resolve().parents[3] / ".plough"


@contextmanager
def database() -> Iterator[str]:
    """The address of a migrated database: that of ``PLOUGH_DATABASE_URL``, or of the private cluster, which runs meanwhile."""
    given = os.environ.get("PLOUGH_DATABASE_URL")
    if given:
        migrate(given)
        yield given
        return
    cluster = Cluster.at(STATE / "postgres")
    started = cluster.start()
    try:
        url = cluster.ensure()
        migrate(url)
        yield url
    finally:
        if started:
            cluster.stop()


def check_port(host: str, port: int) -> None:
    """Raises `SetupError` when something listens on the port already."""
    with socket.socket() as s:
        s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            s.bind((host, port))
        except OSError as error:
            raise SetupError(
                f"port {port} on {host} cannot be used ({error.strerror}); choose another with --port"
            ) from None


@contextmanager
def beside(*arguments: str, **environment: str) -> Iterator[subprocess.Popen[bytes]]:
    """`plough` with `arguments` as a process that runs meanwhile."""
    process = subprocess.Popen(
        [sys.executable, "-m", "plough", *arguments],
        env=os.environ | environment,
        start_new_session=True,
    )
    try:
        yield process
    finally:
        process.terminate()
        try:
            process.wait(20)
        except subprocess.TimeoutExpired:
            process.kill()


def serve(host: str, port: int, demo: bool) -> None:
    """Run until Ctrl+C.

    Raises:
        SetupError: the port is in use, a tool is missing, the database cannot be started or migrated.
    """
    from plough.service.app import create_app

    check_port(host, port)
    began = time.monotonic()
    with database() as url:
        lines = [f"Plough is at http://{host}:{port}"]
        if demo:
            from plough.service.demo.load import ACCOUNTS, load_demo
            from plough.service.releases import enqueue_preparing

            store = Database(url)
            scene = load_demo(store)
            with store.session() as db:
                enqueue_preparing(db, scene)
            store.close()
            lines += [
                "Sign in as "
                + ", ".join(f"{n} (password {p}, {r})" for n, (p, r) in ACCOUNTS.items())
                + "."
            ]
        with ExitStack() as stack:
            # so that a bake never slows the screens down
            stack.enter_context(beside("work", PLOUGH_DATABASE_URL=url))
            library = os.environ.get("PLOUGH_LIBRARY", "")
            if demo and not library:
                own = str(free_port())
                stack.enter_context(beside("library", "--port", own))
                library = f"http://127.0.0.1:{own}"
            _run(create_app(url, library), host, port, lines, began)


def _run(app: FastAPI, host: str, port: int, lines: list[str], began: float) -> None:
    import uvicorn

    class Server(uvicorn.Server):
        async def startup(self, sockets: list[socket.socket] | None = None) -> None:
            await super().startup(sockets)
            print(
                "\n".join(
                    [*lines, f"Ready after {time.monotonic() - began:.1f} s. Ctrl+C stops it."]
                ),
                flush=True,
            )

    config = uvicorn.Config(
        app,
        host=host,
        port=port,
        log_level="warning",
        ws_max_size=65_536,
        timeout_graceful_shutdown=3,
    )
    server = Server(config)

    def stop(*_: object) -> None:
        server.should_exit = True

    async def main() -> None:
        loop = asyncio.get_running_loop()
        for name in (signal.SIGINT, signal.SIGTERM):
            loop.add_signal_handler(name, stop)
        await server._serve()

    asyncio.run(main())
