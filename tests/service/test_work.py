"""Bakes as jobs, live edits, the cluster, the client's schema."""

from __future__ import annotations

import csv
import io
import json
import os
import signal
import socket
import subprocess
import sys
import time
import zipfile
from pathlib import Path
from typing import Any

import httpx
import pytest
from websockets.sync.client import connect

from plough.core.bake import bake
from plough.core.hashing import digest
from plough.core.scene import Evaluator, read_document
from plough.service.db.session import Database
from plough.service.db.tables import Blob, ReleaseFile
from plough.service.results import Results
from tests.conftest import SMALL, Running, signed_in

ROOT = Path(__file__).resolve().parents[2]


def wait(client: httpx.Client, url: str, states: tuple[str, ...] = ("done", "failed", "cancelled"), seconds: float = 90) -> dict[str, Any]:
    for _ in range(int(seconds * 10)):
        release = client.get(url).json()
        if release["state"] in states:
            return release  # type: ignore[no-any-return]
        time.sleep(0.1)
    raise AssertionError(release)


@pytest.fixture
def scene_id(sedge: httpx.Client) -> str:
    return str(sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": SMALL}).json()["id"])


def test_a_bake_becomes_a_release_with_the_files_of_the_core(sedge: httpx.Client, scene_id: str) -> None:
    base = f"/api/scenes/{scene_id}/releases"
    assert sedge.post(base).status_code == 202
    release = wait(sedge, f"{base}/1")
    assert release["state"] == "done", release
    assert release["done"] == release["known"] > 0
    archive = zipfile.ZipFile(io.BytesIO(sedge.get(f"{base}/1/bundle.zip").content))
    assert archive.testzip() is None
    expected = bake(Evaluator().evaluate(read_document(SMALL)), Evaluator()).files
    assert {n: archive.read(n) for n in archive.namelist()} == expected
    manifest = json.loads(archive.read("manifest.json"))
    assert manifest == release["manifest"]
    rows = list(csv.DictReader(io.StringIO(archive.read("placements.csv").decode())))
    assert len(rows) == manifest["counts"]["instances"]


def test_baking_again_writes_only_what_has_changed(sedge: httpx.Client, scene_id: str, database_url: str) -> None:
    database = Database(database_url)

    def blobs() -> int:
        with database.session() as db:
            return db.query(Blob).count()

    base = f"/api/scenes/{scene_id}/releases"
    sedge.post(base)
    wait(sedge, f"{base}/1")
    before = blobs()
    sedge.post(base)
    assert wait(sedge, f"{base}/2")["state"] == "done"
    assert blobs() == before
    database.close()


def test_one_bake_of_a_scene_at_a_time_and_it_can_be_cancelled(sedge: httpx.Client, demo_id: str) -> None:
    base = f"/api/scenes/{demo_id}/releases"
    number = sedge.post(base).json()["number"]
    assert sedge.post(base).status_code == 409
    assert sedge.post(f"{base}/{number}/cancel").status_code == 200
    ended = wait(sedge, f"{base}/{number}")
    assert ended["state"] == "cancelled"
    assert sedge.post(f"{base}/{number}/cancel").status_code == 409
    assert sedge.get(f"{base}/{number}/bundle.zip").status_code == 404


def test_a_bake_that_cannot_be_made_fails_with_the_reason(sedge: httpx.Client, scene_id: str) -> None:
    scene = sedge.get(f"/api/scenes/{scene_id}").json()
    for layer, parameters in (("ground", {"size": 4096, "resolution": 4}), ("sedges", {"spacing": 0.1, "fill": 100})):
        version = next(x["version"] for x in scene["layers"] if x["id"] == layer)
        sedge.patch(f"/api/scenes/{scene_id}/layers/{layer}", json={"version": version, "parameters": parameters})
    sedge.post(f"/api/scenes/{scene_id}/releases")
    release = wait(sedge, f"/api/scenes/{scene_id}/releases/1")
    assert release["state"] == "failed"
    assert "spacing" in release["error"]


def test_a_bake_survives_a_restart_of_the_service(database_url: str) -> None:
    own = Running(database_url)
    own.wait()
    try:
        client = signed_in(own.base, "sedge")
        scene = client.post("/api/scenes", json={"name": "Fen again", "start": "demo"}).json()["id"]
        base = f"/api/scenes/{scene}/releases"
        client.post(base)
        wait(client, f"{base}/1", ("running", "done"))
        own.restart()
        assert wait(client, f"{base}/1")["state"] == "done"
        client.delete(f"/api/scenes/{scene}")
    finally:
        own.stop()


def test_edits_presence_and_progress_arrive_live(running: Running, sedge: httpx.Client, tansy: httpx.Client, demo_id: str) -> None:
    def socket_of(client: httpx.Client) -> Any:
        cookie = f"plough_session={client.cookies['plough_session']}"
        return connect(f"{running.base.replace('http', 'ws')}/api/scenes/{demo_id}/live", additional_headers={"Cookie": cookie})

    def hear(ws: Any, kind: str, check: Any = lambda m: True) -> dict[str, Any]:
        for _ in range(200):
            message = json.loads(ws.recv(timeout=30))
            if message["type"] == kind and check(message):
                return message  # type: ignore[no-any-return]
        raise AssertionError(kind)

    with socket_of(sedge) as one:
        hear(one, "presence", lambda m: m["names"] == ["sedge"])
        with socket_of(tansy) as two:
            hear(one, "presence", lambda m: m["names"] == ["sedge", "tansy"])
            hear(two, "presence")
            scene = tansy.get(f"/api/scenes/{demo_id}").json()
            version = next(x["version"] for x in scene["layers"] if x["id"] == "pears")
            tansy.patch(f"/api/scenes/{demo_id}/layers/pears", json={"version": version, "name": "Old pears"})
            message = hear(one, "edit")
            assert (message["author"], message["id"], message["target"]) == ("tansy", "pears", "layer")
            tansy.post(f"/api/scenes/{demo_id}/undo")
            number = sedge.post(f"/api/scenes/{demo_id}/releases").json()["number"]
            hear(two, "release", lambda m: m["release"] == number and m["state"] == "running" and m["known"] > 0)
            sedge.post(f"/api/scenes/{demo_id}/releases/{number}/cancel")
            hear(two, "release", lambda m: m["release"] == number and m["state"] in ("cancelled", "done"))
        hear(one, "presence", lambda m: m["names"] == ["sedge"])


def test_live_needs_a_session(running: Running, demo_id: str) -> None:
    from websockets.exceptions import InvalidStatus

    with pytest.raises(InvalidStatus):
        connect(f"{running.base.replace('http', 'ws')}/api/scenes/{demo_id}/live")


def test_tidying_keeps_what_is_referred_to(database_url: str, sedge: httpx.Client, scene_id: str) -> None:
    base = f"/api/scenes/{scene_id}/releases"
    sedge.post(base)
    wait(sedge, f"{base}/1")
    database = Database(database_url)
    results = Results(database)
    lost = b"nobody refers to this"
    with database.session() as db:
        db.add(Blob(hash=digest(lost), data=lost))
    assert results.tidy() >= 1
    with database.session() as db:
        assert db.get(Blob, digest(lost)) is None
        for file in db.query(ReleaseFile):
            assert all(db.get(Blob, piece) is not None for piece in file.pieces)
    database.close()


def test_the_clients_schema_is_up_to_date(running: Running, tmp_path: Path) -> None:
    source = tmp_path / "openapi.json"
    source.write_text(json.dumps(httpx.get(f"{running.base}/api/openapi.json").json()))
    made = tmp_path / "schema.ts"
    subprocess.run(["npx", "openapi-typescript", str(source), "-o", str(made)], cwd=ROOT / "web", check=True, capture_output=True)
    committed = (ROOT / "web/src/api/schema.ts").read_text()
    assert made.read_text() == committed, "run: npm --prefix web run schema"


def test_a_port_in_use_is_one_sentence_and_exit_code_1(running: Running) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "plough", "serve", "--port", str(running.port)],
        capture_output=True,
        text=True,
        env=running.environment,
        check=False,
    )
    assert done.returncode == 1
    assert f"port {running.port}" in done.stderr
    assert done.stderr.count("\n") == 1


def test_a_database_that_does_not_answer_is_one_sentence_and_exit_code_1() -> None:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        url = f"postgresql://nobody:x@127.0.0.1:{s.getsockname()[1]}/none"
        done = subprocess.run(
            [sys.executable, "-m", "plough", "serve", "--port", "18999"],
            capture_output=True, text=True, env=os.environ | {"PLOUGH_DATABASE_URL": url}, check=False,
        )  # fmt: skip
    assert done.returncode == 1
    assert "could not be migrated" in done.stderr
    assert "Traceback" not in done.stderr


def test_ctrl_c_stops_the_service_and_its_worker(database_url: str) -> None:
    own = Running(database_url)
    own.wait()
    children = subprocess.run(["pgrep", "-P", str(own.service.pid)], capture_output=True, text=True, check=True).stdout.split()
    own.service.send_signal(signal.SIGINT)
    assert own.service.wait(30) == 0
    for child in children:
        assert not Path(f"/proc/{child}").exists() or "Z" in Path(f"/proc/{child}/stat").read_text().split()[2]
