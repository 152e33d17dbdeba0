"""What strangers and the unlucky send: too much, half of it, too many at once."""

from __future__ import annotations

import asyncio
import socket
import time
from contextlib import ExitStack
from typing import Any

import httpx
import psycopg
import pytest
from sqlalchemy import text

from plough.core.scene.document import MOST_LAYERS
from plough.service.api.evaluation import MOST_PACKED, packed
from plough.service.app import create_app
from plough.service.db.cluster import Cluster
from plough.service.db.session import MOST_CONNECTIONS, Database
from plough.service.db.tables import Layer
from plough.service.limits import MOST_JSON, limit_of
from tests.conftest import SMALL, Running, signed_in


def address(running: Running) -> tuple[str, int]:
    return "127.0.0.1", running.port


def memory(running: Running) -> int:
    """Bytes that the service has held at most."""
    with open(f"/proc/{running.service.pid}/status") as status:
        line = next(x for x in status if x.startswith("VmHWM"))
    return int(line.split()[1]) * 1024


def started(
    running: Running,
    path: str,
    length: int | None,
    cookie: str = "",
    kind: str = "application/json",
) -> socket.socket:
    """A connection whose request has its head sent, and no more."""
    connection = socket.create_connection(address(running), 10)
    size = f"Content-Length: {length}" if length is not None else "Transfer-Encoding: chunked"
    head = f"POST {path} HTTP/1.1\r\nHost: x\r\nContent-Type: {kind}\r\n{size}\r\n"
    connection.sendall((head + (f"Cookie: {cookie}\r\n" if cookie else "") + "\r\n").encode())
    return connection


def status_of(connection: socket.socket) -> int:
    connection.settimeout(20)
    return int(connection.recv(200).split()[1])


@pytest.mark.parametrize(
    ("path", "most"),
    [("/api/session", 64_000), ("/api/scenes", MOST_JSON), ("/api/make", MOST_JSON)],
)
def test_a_body_that_says_that_it_is_too_large_is_refused_unread(
    running: Running, sedge: httpx.Client, path: str, most: int
) -> None:
    assert limit_of(path) == most
    cookie = f"plough_session={sedge.cookies['plough_session']}"
    with started(running, path, most + 1, cookie) as connection:
        assert status_of(connection) == 413


def test_a_body_that_grows_too_large_is_refused_while_it_streams(
    running: Running, sedge: httpx.Client
) -> None:
    cookie = f"plough_session={sedge.cookies['plough_session']}"
    before = memory(running)
    chunk = b"10000\r\n" + b"x" * 0x10000 + b"\r\n"
    for path, most in (("/api/session", 64_000), ("/api/scenes", MOST_JSON)):
        with started(running, path, None, cookie) as connection:
            sent = 0
            try:
                while sent < 180_000_000:
                    connection.sendall(chunk)
                    sent += 0x10000
            except OSError:
                pass  # it has hung up
            assert sent < most + 20_000_000, "not all of the 180 MB went through"
    assert memory(running) - before < 150_000_000
    assert httpx.get(f"{running.base}/api/health", timeout=2).status_code == 200


def test_a_stranger_is_refused_before_the_body_is_read(running: Running) -> None:
    with started(running, "/api/scenes", 1_000_000) as connection:
        assert status_of(connection) == 401


def test_uploads_have_limits_of_their_own(sedge: httpx.Client) -> None:
    assert limit_of("/api/bench/images") > MOST_JSON
    answer = sedge.post("/api/bench/images", content=b"x" * (limit_of("/api/bench/images") + 1))
    assert answer.status_code == 413
    assert answer.headers["content-type"] == "application/problem+json"


def test_half_sent_uploads_hold_nothing_that_others_need(
    running: Running, burdock: httpx.Client, sedge: httpx.Client
) -> None:
    cookie = f"plough_session={burdock.cookies['plough_session']}"
    half = [
        started(running, path, 100_000, cookie, "application/octet-stream")
        for path in ("/api/bench/images", "/api/bench/form?kind=obj", "/api/make")
        for _ in range(15)
    ]
    try:
        for connection in half:
            connection.sendall(b"v 0 0 0\n" * 100)
        time.sleep(1)
        scene = sedge.post("/api/scenes", json={"name": "Meanwhile", "document": SMALL}).json()[
            "id"
        ]
        for k in range(8):
            body = {"version": k + 1, "name": f"Meanwhile {k}"}
            answer = sedge.patch(f"/api/scenes/{scene}", json=body, timeout=3)
            assert answer.status_code == 200
    finally:
        for connection in half:
            connection.close()


def test_who_waits_for_anothers_lock_is_told_when_to_come_again(
    running: Running, sedge: httpx.Client, demo_id: str
) -> None:
    assert sedge.get(f"/api/scenes/{demo_id}").status_code == 200
    with psycopg.connect(running.database_url) as one:
        one.execute("LOCK TABLE member IN ACCESS EXCLUSIVE MODE")
        answer = sedge.get("/api/scenes", timeout=20)
        assert answer.status_code == 503
        assert int(answer.headers["retry-after"]) >= 1
        one.rollback()
    assert sedge.get("/api/scenes").status_code == 200


def test_a_crowd_behind_a_lock_is_told_when_to_come_again_and_gone_when_it_opens(
    running: Running, sedge: httpx.Client, demo_id: str
) -> None:
    with psycopg.connect(running.database_url) as one:
        one.execute("LOCK TABLE member IN ACCESS EXCLUSIVE MODE")
        waiting = [
            started_get(running, f"/api/scenes/{demo_id}", sedge.cookies["plough_session"])
            for _ in range(36)
        ]
        answer = sedge.get("/api/scenes", timeout=40)
        assert answer.status_code == 503
        assert int(answer.headers["retry-after"]) >= 1
        one.rollback()
    for connection in waiting:
        connection.close()
    for _ in range(50):
        if sedge.get("/api/scenes").status_code == 200:
            break
        time.sleep(0.1)
    assert sedge.get("/api/scenes").status_code == 200


def test_a_full_pool_is_told_when_to_come_again(running: Running, sedge: httpx.Client) -> None:
    app = create_app(running.database_url)
    database = app.state.context.database
    cookies = {"plough_session": sedge.cookies["plough_session"]}

    async def scenes() -> httpx.Response:
        transport = httpx.ASGITransport(app)
        async with httpx.AsyncClient(
            transport=transport, base_url="http://x", cookies=cookies
        ) as c:
            return await c.get("/api/scenes")

    with ExitStack() as held:
        for _ in range(MOST_CONNECTIONS):
            held.enter_context(database.session()).execute(text("SELECT 1"))
        answer = asyncio.run(scenes())
        assert answer.status_code == 503
        assert int(answer.headers["retry-after"]) >= 1
    assert asyncio.run(scenes()).status_code == 200
    database.close()


def started_get(running: Running, path: str, token: str) -> socket.socket:
    connection = socket.create_connection(address(running), 10)
    cookie = f"Cookie: plough_session={token}"
    connection.sendall(f"GET {path} HTTP/1.1\r\nHost: x\r\n{cookie}\r\n\r\n".encode())
    return connection


def test_exports_whose_clients_have_gone_leave_the_service_well(
    running: Running, sedge: httpx.Client
) -> None:
    cookie = f"plough_session={sedge.cookies['plough_session']}"
    body = b'{"kind": "tuft", "name": "t", "format": "glb", "parameters": {}, "seeds": [1, 2, 3]}'
    gone = []
    for _ in range(30):
        connection = started(running, "/api/bench/export", len(body), cookie)
        connection.sendall(body)
        gone.append(connection)
    for connection in gone:
        connection.close()
    scene = sedge.post("/api/scenes", json={"name": "After", "document": SMALL}, timeout=30)
    assert scene.status_code == 201
    answer = sedge.patch(f"/api/scenes/{scene.json()['id']}", json={"version": 1, "name": "b"})
    assert answer.status_code == 200


def test_one_layer_more_than_a_scene_may_have_is_refused_and_the_scene_stays_readable(
    running: Running, sedge: httpx.Client
) -> None:
    scene = sedge.post("/api/scenes", json={"name": "Full", "document": SMALL}).json()
    database = Database(running.database_url)
    with database.session() as db:
        for k in range(MOST_LAYERS - len(scene["layers"])):
            db.add(
                Layer(
                    scene_id=scene["id"],
                    id=f"n{k}",
                    kind="area",
                    name="n",
                    position=5 + k / 1000,
                    parameters={"corners": [[0, 0], [1, 0], [0, 1]]},
                )
            )
    database.close()
    url = f"/api/scenes/{scene['id']}"
    new = {"kind": "scatter", "name": "One more", "parameters": {}}
    answer = sedge.post(f"{url}/layers", json=new)
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"] == "layers"
    assert str(MOST_LAYERS) in answer.json()["detail"]
    assert len(sedge.get(url).json()["layers"]) == MOST_LAYERS
    assert sedge.get(f"{url}/document").status_code == 200
    sedge.delete(url)


@pytest.fixture
def own_cluster(tmp_path_factory: pytest.TempPathFactory) -> Any:
    """A cluster of this test's own, that it may stop and start."""
    import shutil
    import tempfile
    from pathlib import Path

    from plough.service.db.session import migrate
    from plough.service.demo.load import load_demo

    folder = Path(tempfile.mkdtemp(prefix="plough-fault-", dir="/tmp"))
    folder.chmod(0o755)
    cluster = Cluster.at(folder / "postgres", durable=True)
    cluster.start()
    url = cluster.ensure()
    migrate(url)
    database = Database(url)
    load_demo(database)
    database.close()
    yield cluster, url
    cluster.stop()
    shutil.rmtree(folder, ignore_errors=True)


def test_a_restart_of_the_database_during_a_bake_ends_with_the_release_done(
    own_cluster: tuple[Cluster, str],
) -> None:
    cluster, url = own_cluster
    own = Running(url)
    own.wait()
    try:
        client = signed_in(own.base, "sedge")
        scene = client.get("/api/scenes").json()[0]["id"]
        base = f"/api/scenes/{scene}/releases"
        assert client.post(base).status_code == 202
        until(lambda: client.get(f"{base}/1").json()["done"] > 0)
        cluster.stop()
        assert client.get(f"{base}/1", timeout=10).status_code == 503
        time.sleep(1)
        cluster.start()
        until(lambda: client.get(f"{base}/1").status_code == 200)
        until(lambda: client.get(f"{base}/1").json()["state"] == "done", 150)
        assert client.post(base).status_code == 202, "the scene may be baked again"
        number = client.get(base).json()[0]["number"]
        until(lambda: client.post(f"{base}/{number}/cancel").status_code in (200, 409))
        until(lambda: client.get(f"{base}/{number}").json()["state"] in ("cancelled", "done"))
    finally:
        own.stop()


def until(check: Any, seconds: float = 60) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        try:
            if check():
                return
        except (httpx.HTTPError, KeyError):
            pass
        time.sleep(0.2)
    raise AssertionError("waited in vain")


def test_an_answer_with_several_blobs_reads_no_more_than_it_may_hold() -> None:
    read: list[str] = []

    def get(name: str) -> bytes | None:
        read.append(name)
        return bytes(MOST_PACKED // 2)

    answer = packed(["a"] * 2000, get)
    assert len(answer) <= MOST_PACKED
    assert len(read) == 2, "the second does not fit with its length; the third is never read"
    assert len(packed(["a"], lambda _: bytes(2 * MOST_PACKED))) == 2 * MOST_PACKED + 4
    assert packed(["a", "b"], lambda n: n.encode()) == b"\1\0\0\0a\1\0\0\0b"
