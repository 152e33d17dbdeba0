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
from contextlib import contextmanager
from pathlib import Path

from plough.service.db.cluster import Cluster
from plough.service.db.session import Database, migrate
from plough.service.errors import SetupError

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
def worker(url: str) -> Iterator[subprocess.Popen[bytes]]:
    """A worker process beside the service, so that a bake never slows the screens down."""
    environment = os.environ | {"PLOUGH_DATABASE_URL": url}
    process = subprocess.Popen(
        [sys.executable, "-m", "plough", "work"], env=environment, start_new_session=True
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
        with worker(url):
            _run(url, host, port, lines, began)


def _run(url: str, host: str, port: int, lines: list[str], began: float) -> None:
    import uvicorn

    from plough.service.app import create_app

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
        create_app(url),
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
