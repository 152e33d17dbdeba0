"""Bakes as jobs, live edits, the cluster, the client's schema."""

from __future__ import annotations

import copy
import csv
import io
import itertools
import json
import os
import signal
import socket
import subprocess
import sys
import time
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest
from PIL import Image
from sqlalchemy import delete, func, select, text, update
from sqlalchemy.orm import Session as Db
from websockets.sync.client import connect

from plough.core.bake import bake
from plough.core.hashing import digest
from plough.core.library import Library
from plough.core.scene import Evaluator, read_document
from plough.service import releases
from plough.service.db.session import Database
from plough.service.db.tables import Account, Blob, Release, ReleaseFile, Result, Scene
from plough.service.pieces import DatabasePieces
from plough.service.results import Results, file_loader, keep_blobs, keep_model
from plough.service.work import CARD, run_bake, run_preparing
from tests.conftest import SMALL, Running, signed_in
from tests.models import BROKEN

YESTERDAY = datetime.now(UTC) - timedelta(days=2)
ROOT = Path(__file__).resolve().parents[2]


def wait(
    client: httpx.Client,
    url: str,
    states: tuple[str, ...] = ("done", "failed", "cancelled"),
    seconds: float = 90,
) -> dict[str, Any]:
    for _ in range(int(seconds * 10)):
        release = client.get(url).json()
        if release["state"] in states:
            return release  # type: ignore[no-any-return]
        time.sleep(0.1)
    raise AssertionError(release)


_NUMBERS = itertools.count(1)


@pytest.fixture
def scene_id(sedge: httpx.Client) -> str:
    """A scene that has not been baked: what is the same to the last value would not be made again."""
    body = {"name": f"Withy Hythe {next(_NUMBERS)}", "document": SMALL}
    return str(sedge.post("/api/scenes", json=body).json()["id"])


def test_a_bake_becomes_a_release_with_the_files_of_the_core(
    sedge: httpx.Client, scene_id: str
) -> None:
    base = f"/api/scenes/{scene_id}/releases"
    assert sedge.post(base).status_code == 202
    release = wait(sedge, f"{base}/1")
    assert release["state"] == "done", release
    assert release["done"] == release["known"] > 0
    archive = zipfile.ZipFile(io.BytesIO(sedge.get(f"{base}/1/bundle.zip").content))
    assert archive.testzip() is None
    named = read_document({**SMALL, "name": release["manifest"]["scene"]})
    expected = bake(Evaluator().evaluate(named), Library()).files
    assert {n: archive.read(n) for n in archive.namelist()} == expected
    manifest = json.loads(archive.read("manifest.json"))
    assert manifest == release["manifest"]
    rows = list(csv.DictReader(io.StringIO(archive.read("placements.csv").decode())))
    assert len(rows) == manifest["counts"]["instances"]


def idle(database: Database) -> None:
    """Wait until the worker has nothing left to do."""
    waiting = text("SELECT count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing')")
    for _ in range(600):
        with database.session() as db:
            if not db.scalar(waiting):
                return
        time.sleep(0.1)
    raise AssertionError("the worker does not come to an end")


def test_baking_again_writes_only_what_has_changed(
    sedge: httpx.Client, scene_id: str, database_url: str
) -> None:
    database = Database(database_url)

    def blobs() -> int:
        with database.session() as db:
            return db.query(Blob).count()

    base = f"/api/scenes/{scene_id}/releases"
    sedge.post(base)
    wait(sedge, f"{base}/1")
    idle(database)  # what is prepared for the view is kept, too
    before = blobs()
    sedge.post(base)
    assert wait(sedge, f"{base}/2")["state"] == "done"
    assert blobs() == before
    database.close()


def test_what_is_the_same_is_not_made_again_but_given_the_files_that_were_made(
    scene_id: str, database_url: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    database = Database(database_url)
    results = Results(database)

    def files(release: int) -> list[tuple[str, int, list[str]]]:
        with database.session() as db:
            rows = db.query(ReleaseFile).filter_by(release_id=release).order_by(ReleaseFile.ordinal)
            return [(r.path, r.bytes, r.pieces) for r in rows]

    document: Any = {**copy.deepcopy(SMALL), "name": "Twice"}
    with unqueued(database) as new:
        first = new(scene_id, document)
        run_bake(database, results, Library(), first)

        def never(*_: Any, **__: Any) -> None:
            raise AssertionError("it is made again")

        with monkeypatch.context() as patched:
            patched.setattr("plough.service.work.Evaluator", never)
            second = new(scene_id, document)
            run_bake(database, Results(database), Library(), second)  # as another worker would
        assert state(database, second) == "done" and files(second) == files(first) != []
        with database.session() as db:
            one, other = (db.get(Release, r) for r in (first, second))
            assert one and other and one.manifest == other.manifest
            assert one.bytes == other.bytes > 0 and other.done == other.known > 0
        # one value more, and it is another
        less = copy.deepcopy(document)
        less["layers"][-1]["parameters"]["levels"] = False
        third = new(scene_id, less)
        run_bake(database, results, Library(), third)
        assert 0 < len(files(third)) < len(files(first))
        # what was kept and has lost a blob is made again
        lost = files(first)[0][2][0]
        with database.session() as db:
            db.execute(delete(ReleaseFile).where(ReleaseFile.release_id.in_([first, second])))
            db.execute(delete(Blob).where(Blob.hash == lost))
        again = new(scene_id, document)
        run_bake(database, Results(database), Library(), again)
        assert state(database, again) == "done" and files(again)[0][2][0] == lost
    database.close()


def test_what_lacks_a_file_is_made_again_once_it_is_there(scene_id: str, database_url: str) -> None:
    database = Database(database_url)
    document: Any = {**copy.deepcopy(SMALL), "name": "Lent"}
    document["assets"][0] |= {
        "kind": "mesh",
        "parameters": {"source": digest(BROKEN), "unit": "cm"},
        "seeds": [1],
    }

    def levels(new: Callable[..., int]) -> int:
        release = new(scene_id, document)
        run_bake(database, Results(database), Library(load=file_loader(database)), release)
        assert state(database, release) == "done"
        with database.session() as db:
            of = (ReleaseFile.release_id == release) & ReleaseFile.path.like("levels/%")
            return db.scalar(select(func.count()).select_from(ReleaseFile).where(of)) or 0

    with unqueued(database) as new:
        without = levels(new)
        with database.session() as db:
            account = db.scalar(select(Account.id).where(Account.name == "sedge"))
            assert account is not None
            keep_model(db, account, "stone.glb", BROKEN)
        assert levels(new) > without
    database.close()


def test_one_bake_of_a_scene_at_a_time_and_it_can_be_cancelled(
    sedge: httpx.Client, demo_id: str
) -> None:
    base = f"/api/scenes/{demo_id}/releases"
    number = sedge.post(base).json()["number"]
    assert sedge.post(base).status_code == 409
    assert sedge.post(f"{base}/{number}/cancel").status_code == 200
    ended = wait(sedge, f"{base}/{number}")
    assert ended["state"] == "cancelled"
    assert sedge.post(f"{base}/{number}/cancel").status_code == 409
    assert sedge.get(f"{base}/{number}/bundle.zip").status_code == 404


def test_a_bake_that_cannot_be_made_fails_with_the_reason(
    sedge: httpx.Client, scene_id: str
) -> None:
    scene = sedge.get(f"/api/scenes/{scene_id}").json()
    for layer, parameters in (
        ("ground", {"size": 4096, "resolution": 4}),
        ("sedges", {"spacing": 0.1, "fill": 100}),
    ):
        version = next(x["version"] for x in scene["layers"] if x["id"] == layer)
        sedge.patch(
            f"/api/scenes/{scene_id}/layers/{layer}",
            json={"version": version, "parameters": parameters},
        )
    sedge.post(f"/api/scenes/{scene_id}/releases")
    release = wait(sedge, f"/api/scenes/{scene_id}/releases/1")
    assert release["state"] == "failed"
    assert "spacing" in release["error"]


def test_a_bake_survives_a_restart_of_the_service(database_url: str) -> None:
    own = Running(database_url)
    own.wait()
    try:
        client = signed_in(own.base, "sedge")
        made = client.post("/api/scenes", json={"name": "Fen again", "start": "demo"}).json()
        scene, last = made["id"], made["layers"][-1]
        # long enough to be met in its middle, without what takes longest
        less = {"version": last["version"], "parameters": {"textures": False}}
        assert client.patch(f"/api/scenes/{scene}/layers/{last['id']}", json=less).is_success
        base = f"/api/scenes/{scene}/releases"
        client.post(base)
        wait(client, f"{base}/1", ("running", "done"))
        own.restart()
        assert wait(client, f"{base}/1")["state"] == "done"
        client.delete(f"/api/scenes/{scene}")
    finally:
        own.stop()


def test_edits_presence_and_progress_arrive_live(
    running: Running, sedge: httpx.Client, tansy: httpx.Client, demo_id: str
) -> None:
    def socket_of(client: httpx.Client) -> Any:
        cookie = f"plough_session={client.cookies['plough_session']}"
        return connect(
            f"{running.base.replace('http', 'ws')}/api/scenes/{demo_id}/live",
            additional_headers={"Cookie": cookie},
        )

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
            tansy.patch(
                f"/api/scenes/{demo_id}/layers/pears",
                json={"version": version, "name": "Old pears"},
            )
            message = hear(one, "edit")
            assert (message["author"], message["id"], message["target"]) == (
                "tansy",
                "pears",
                "layer",
            )
            tansy.post(f"/api/scenes/{demo_id}/undo")
            number = sedge.post(f"/api/scenes/{demo_id}/releases").json()["number"]
            hear(
                two,
                "release",
                lambda m: m["release"] == number and m["state"] == "running" and m["known"] > 0,
            )
            sedge.post(f"/api/scenes/{demo_id}/releases/{number}/cancel")
            hear(
                two,
                "release",
                lambda m: m["release"] == number and m["state"] in ("cancelled", "done"),
            )
        hear(one, "presence", lambda m: m["names"] == ["sedge"])


def test_a_new_scene_has_a_picture_that_a_persons_view_replaces(
    sedge: httpx.Client, database_url: str
) -> None:
    made = sedge.post("/api/scenes", json={"name": "Eel Reach", "document": SMALL}).json()
    try:

        def card() -> dict[str, Any]:
            return next(c for c in sedge.get("/api/scenes").json() if c["id"] == made["id"])

        end = time.monotonic() + 60
        while card()["picture"] is None:
            assert time.monotonic() < end, "no picture is drawn"
            time.sleep(0.2)
        image = Image.open(io.BytesIO(sedge.get(card()["picture"]).content)).convert("RGB")
        assert image.size == CARD
        colours = image.resize((64, 36)).getcolors(3000) or []
        assert len(colours) > 100, "a plain sheet"
        greens = sum(n for n, (r, g, b) in colours if g > r and g > b)
        assert greens > 400, "no meadow"
        buffer = io.BytesIO()
        Image.new("RGB", (64, 36), "#c08a2d").save(buffer, "JPEG")
        own = buffer.getvalue()
        put = sedge.put(
            f"/api/scenes/{made['id']}/picture",
            content=own,
            headers={"Content-Type": "image/jpeg"},
        )
        assert put.status_code == 204
        # preparing once more leaves it
        database = Database(database_url)
        results = Results(database)
        run_preparing(database, results, Library(), made["id"])
        database.close()
        assert sedge.get(card()["picture"]).content == own
    finally:
        sedge.delete(f"/api/scenes/{made['id']}")


def test_live_needs_a_session(running: Running, demo_id: str) -> None:
    from websockets.exceptions import InvalidStatus

    with pytest.raises(InvalidStatus):
        connect(f"{running.base.replace('http', 'ws')}/api/scenes/{demo_id}/live")


def test_tidying_keeps_what_is_referred_to_or_young(
    database_url: str, sedge: httpx.Client, scene_id: str
) -> None:
    base = f"/api/scenes/{scene_id}/releases"
    sedge.post(base)
    wait(sedge, f"{base}/1")
    database = Database(database_url)
    results = Results(database)
    lost, young = b"nobody refers to this", b"nor to this, which is being written"
    with database.session() as db:
        db.add(Blob(hash=digest(lost), data=lost, at=YESTERDAY))
        db.add(Blob(hash=digest(young), data=young))
        db.execute(update(Blob).where(Blob.hash != digest(young)).values(at=YESTERDAY))
    assert results.tidy() >= 1
    with database.session() as db:
        assert db.get(Blob, digest(lost)) is None
        assert db.get(Blob, digest(young)) is not None
        for file in db.query(ReleaseFile):
            assert all(db.get(Blob, piece) is not None for piece in file.pieces)
        for result in db.query(Result):
            assert all(db.get(Blob, name) is not None for name in result.blobs.values())
    database.close()


def test_a_piece_that_is_written_again_is_not_tidied_away(
    database_url: str, sedge: httpx.Client, scene_id: str
) -> None:
    sedge.post(f"/api/scenes/{scene_id}/releases")
    wait(sedge, f"/api/scenes/{scene_id}/releases/1")
    database = Database(database_url)
    results, data = Results(database), b"a piece that an earlier release held"
    with database.session() as db:
        db.add(Blob(hash=digest(data), data=data, at=YESTERDAY))
        release = db.scalar(select(Release.id).where(Release.scene_id == scene_id))
    with database.session() as db:
        keep_blobs(db, {digest(data): data})
    results.tidy()
    assert release is not None
    piece = DatabasePieces(database).keep("again", {"again.bin": data})
    results.give_files(release, piece.files, 99)
    assert b"".join(results.read_pieces([digest(data)])) == data
    database.close()


def test_a_result_whose_blob_is_gone_is_made_again(database_url: str) -> None:
    database = Database(database_url)
    made: list[int] = []

    def make() -> dict[str, bytes]:
        made.append(1)
        return {"data": b"the same each time"}

    names = Results(database).result("a test's result", make, True)
    assert Results(database).result("a test's result", make, True) == names
    assert len(made) == 1, "kept across restarts"
    with database.session() as db:
        db.execute(delete(Blob).where(Blob.hash == names["data"]))
    fresh = Results(database)
    assert fresh.result("a test's result", make, True) == names
    assert len(made) == 2
    assert fresh.get(names["data"]) == b"the same each time"
    database.close()


@pytest.mark.parametrize("kept", [True, False])
def test_what_memory_has_let_go_of_is_found_where_it_was_kept_and_else_made_again(
    database_url: str, kept: bool
) -> None:
    database = Database(database_url)
    results, made = Results(database, most_bytes=500), []

    def ask(k: int) -> dict[str, str]:
        def make() -> dict[str, bytes]:
            made.append(k)
            return {"data": bytes([k + 9 * kept]) * 400}

        return results.result(f"one of many, {kept}, {k}", make, kept)

    names = [ask(k) for k in range(5)]
    assert [ask(k) for k in range(5)] == names
    assert made == [0, 1, 2, 3, 4] if kept else made == [*range(5), *range(5)]
    found = [results.get(n["data"]) for n in names]
    assert found == [bytes([k + 9]) * 400 for k in range(5)] if kept else found.count(None) == 4
    # what is not to be kept is not looked for where others keep
    again = Results(database)
    again.result(f"one of many, {kept}, 0", lambda: made.append(9) or {"data": b"x"}, False)
    assert made[-1] == 9
    database.close()


# Releases as a state machine


@contextmanager
def unqueued(database: Database) -> Iterator[Callable[..., int]]:
    """Makes releases that no worker takes up, as the test bakes them itself."""
    mine = "nobody's"

    def made(scene_id: str, document: Any = None) -> int:
        with database.session() as db:
            release = added(db, scene_id, document=document)
            releases._defer(db, mine, mine, f"release {release}", {})
            return release

    yield made
    with database.session() as db:
        db.execute(text("DELETE FROM procrastinate_jobs WHERE queue_name = :mine"), {"mine": mine})


def new_release(database: Database, scene_id: str, state: str = "queued") -> int:
    with database.session() as db:
        return added(db, scene_id, state)


def added(db: Db, scene_id: str, state: str = "queued", document: Any = None) -> int:
    """A new release; by default of a document that has not been baked."""
    own = document or {**SMALL, "name": f"Eel Reach {next(_NUMBERS)}"}
    account = db.scalar(select(Account.id).where(Account.name == "sedge"))
    scene = db.get_one(Scene, scene_id)
    scene.releases += 1
    release = Release(
        scene_id=scene_id, number=scene.releases, account_id=account, state=state, document=own
    )
    db.add(release)
    db.flush()
    return release.id


def state(database: Database, release_id: int) -> str:
    with database.session() as db:
        return releases.state_of(db, release_id)


@pytest.mark.parametrize("final", releases.FINAL)
def test_a_final_state_never_changes(database_url: str, scene_id: str, final: str) -> None:
    database = Database(database_url)
    release = new_release(database, scene_id, final)
    for wanted in (*releases.OPEN, *releases.FINAL):
        with database.session() as db:
            assert releases.move(db, release, wanted, part="moved") is None
        with database.session() as db:
            assert releases.cancel(db, release) is None
    run_bake(database, Results(database), Library(), release)  # a job that is delivered again
    assert state(database, release) == final
    database.close()


def test_a_bake_that_is_cancelled_while_it_runs_ends_so(database_url: str, scene_id: str) -> None:
    database = Database(database_url)
    calls = 0

    def interrupted() -> bool:
        nonlocal calls
        calls += 1
        if calls == 2:
            with database.session() as db:
                assert releases.move(db, release, "stopping") is not None
        return False

    with unqueued(database) as new:
        release = new(scene_id)
        run_bake(database, Results(database), Library(), release, interrupted)
    assert state(database, release) == "cancelled"
    database.close()


def test_cancel_ends_a_bake_that_no_worker_is_at(
    database_url: str, sedge: httpx.Client, scene_id: str
) -> None:
    database = Database(database_url)
    release = new_release(database, scene_id, "running")
    base = f"/api/scenes/{scene_id}/releases"
    answer = sedge.post(f"{base}/1/cancel")
    assert (answer.status_code, answer.json()["state"]) == (200, "cancelled")
    assert sedge.post(base).status_code == 202, "and the scene may be baked again"
    assert state(database, release) == "cancelled"
    database.close()


def test_a_release_that_lost_its_job_is_taken_up_again(
    sedge: httpx.Client, database_url: str, scene_id: str
) -> None:
    database = Database(database_url)
    new_release(database, scene_id, "running")
    assert wait(sedge, f"/api/scenes/{scene_id}/releases/1")["state"] == "done"
    stopping = new_release(database, scene_id, "stopping")
    assert wait(sedge, f"/api/scenes/{scene_id}/releases/2")["state"] == "cancelled"
    assert state(database, stopping) == "cancelled"
    database.close()


def test_a_release_is_queued_in_the_transaction_that_makes_it(
    database_url: str, scene_id: str
) -> None:
    database = Database(database_url)

    def jobs() -> int:
        with database.session() as db:
            return (
                db.scalar(
                    text(
                        "SELECT count(*) FROM procrastinate_jobs WHERE args @> '{\"release_id\": 987654321}'"
                    )
                )
                or 0
            )

    def fail() -> None:
        with database.session() as db:
            releases.enqueue(db, 987_654_321)
            raise RuntimeError("the transaction fails")

    with pytest.raises(RuntimeError):
        fail()
    assert jobs() == 0
    database.close()


def test_the_clients_schema_is_up_to_date(running: Running, tmp_path: Path) -> None:
    source = tmp_path / "openapi.json"
    source.write_text(json.dumps(httpx.get(f"{running.base}/api/openapi.json").json()))
    made = tmp_path / "schema.ts"
    subprocess.run(
        ["npx", "openapi-typescript", str(source), "-o", str(made)],
        cwd=ROOT / "web",
        check=True,
        capture_output=True,
    )
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
            capture_output=True,
            text=True,
            env=os.environ | {"PLOUGH_DATABASE_URL": url},
            check=False,
        )
    assert done.returncode == 1
    assert "could not be migrated" in done.stderr
    assert "Traceback" not in done.stderr


def test_ctrl_c_stops_the_service_and_its_worker(database_url: str) -> None:
    own = Running(database_url)
    own.wait()
    children = subprocess.run(
        ["pgrep", "-P", str(own.service.pid)], capture_output=True, text=True, check=True
    ).stdout.split()
    own.service.send_signal(signal.SIGINT)
    assert own.service.wait(30) == 0
    for child in children:
        assert (
            not Path(f"/proc/{child}").exists()
            or "Z" in Path(f"/proc/{child}/stat").read_text().split()[2]
        )
