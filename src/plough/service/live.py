"""Who is here, and what changed: WebSockets fed by PostgreSQL's LISTEN and NOTIFY."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import secrets
from collections import defaultdict
from typing import Any

import orjson
import psycopg
from fastapi import WebSocket
from psycopg import sql

from plough.service.scenes import CHANNEL

log = logging.getLogger("plough.live")


class Live:
    """The sockets of this process, and the one connection that listens for all of them.

    Presence is shared between processes by messages: each tells the others who it holds, on every change and when asked.
    """

    def __init__(self, url: str) -> None:
        self._url = url
        self._me = secrets.token_hex(4)
        self._sockets: dict[str, dict[WebSocket, str]] = defaultdict(dict)
        self._others: dict[str, dict[str, list[str]]] = defaultdict(
            dict
        )  # scene -> process -> names
        self._task: asyncio.Task[None] | None = None
        self._connection: psycopg.AsyncConnection[Any] | None = None

    async def start(self) -> None:
        """Begin to listen."""
        self._task = asyncio.create_task(self._listen())

    async def stop(self) -> None:
        """Stop listening."""
        if self._task is not None:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task

    async def _listen(self) -> None:
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(
                    self._url, autocommit=True
                ) as connection:
                    await connection.execute(sql.SQL("LISTEN {}").format(sql.Identifier(CHANNEL)))
                    self._connection = connection
                    await self._broadcast("*", {"type": "resumed"})
                    async for message in connection.notifies():
                        await self._take(orjson.loads(message.payload))
            except (psycopg.Error, OSError) as error:
                log.warning(
                    "the database connection for live edits was lost (%s); trying again", error
                )
            self._connection = None
            await asyncio.sleep(1)

    async def _take(self, message: dict[str, Any]) -> None:
        scene = message.pop("scene", "")
        if message.get("type") == "here":
            if message["process"] != self._me:
                self._others[scene][message["process"]] = message["names"]
                if message.get("ask"):
                    await self._tell(scene)
            await self._broadcast(scene, {"type": "presence", "names": self.names(scene)})
            return
        await self._broadcast(scene, message)

    def names(self, scene: str) -> list[str]:
        """Who looks at the scene, anywhere."""
        here = set(self._sockets[scene].values())
        return sorted(here.union(*self._others[scene].values()))

    async def _tell(self, scene: str, ask: bool = False) -> None:
        message = {
            "scene": scene,
            "type": "here",
            "process": self._me,
            "names": sorted(set(self._sockets[scene].values())),
            "ask": ask,
        }
        if self._connection is not None:
            async with await psycopg.AsyncConnection.connect(
                self._url, autocommit=True
            ) as connection:
                await connection.execute(
                    "SELECT pg_notify(%s, %s)", (CHANNEL, orjson.dumps(message).decode())
                )
        else:
            await self._broadcast(scene, {"type": "presence", "names": self.names(scene)})

    async def _broadcast(self, scene: str, message: dict[str, Any]) -> None:
        text = orjson.dumps(message).decode()
        scenes = list(self._sockets) if scene == "*" else [scene]
        for each in scenes:
            for socket in list(self._sockets.get(each, ())):
                try:
                    await asyncio.wait_for(socket.send_text(text), 5)
                except Exception:  # the socket's own task notices that it has gone
                    self._sockets[each].pop(socket, None)

    async def serve(self, socket: WebSocket, scene: str, name: str) -> None:
        """Hold an accepted socket until it closes."""
        self._sockets[scene][socket] = name
        try:
            await self._tell(scene, ask=True)
            while True:
                if await socket.receive_text() == "ping":
                    await socket.send_text('{"type":"pong"}')
        finally:
            self._sockets[scene].pop(socket, None)
            await self._tell(scene)
