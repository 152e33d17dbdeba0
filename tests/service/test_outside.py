"""An asset library outside: what is taken, what is noted of it, and how little of it is believed."""

from __future__ import annotations

import gzip
import io
import json
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import httpx
import pytest
from PIL import Image
from starlette.responses import RedirectResponse, Response

from plough.core.formats.glb_read import read_glb
from plough.core.scene.document import MOST_ORIGINS
from plough.outside.catalogue import Catalogue
from plough.service.db.session import Database
from plough.service.db.tables import Origin
from tests.conftest import SMALL, Running, signed_in
from tests.depth import some
from tests.library import Outside, Slow, Wrong


@pytest.fixture
def scene_id(sedge: httpx.Client, library: Outside) -> str:
    return sedge.post("/api/scenes", json={"name": "Hythe", "document": SMALL}).json()["id"]


def test_the_catalogue_is_whole_and_each_mesh_is_closed() -> None:
    items = Catalogue().items
    kinds = [k.item.kind for k in items.values()]
    assert len(kinds) >= 24 and set(kinds) == {"mesh", "leaf", "texture", "heights"}
    for kept in items.values():
        assert [len(kept.files[f.name]) for f in kept.item.files] == [
            f.bytes for f in kept.item.files
        ]
        if kept.item.kind == "mesh":
            model = read_glb(kept.files[f"{kept.item.id}.glb"], 100_000)
            assert 50 < model.triangles < 30_000
            low, high = model.bounds()
            assert 0.2 < (high - low).max() < 6.0
        elif kept.item.kind == "heights":
            image = Image.open(io.BytesIO(next(iter(kept.files.values()))))
            assert image.mode == "I;16" and image.getextrema() == (0, 65535)
        assert Image.open(io.BytesIO(kept.picture)).size == (400, 360)
    again = Catalogue().items
    assert [k.item for k in again.values()] == [k.item for k in items.values()]


def test_search_goes_by_words_kinds_and_pages(sedge: httpx.Client, library: Outside) -> None:
    first = sedge.get("/api/library/items").json()
    pages = [
        sedge.get("/api/library/items", params={"page": p + 1}).json()
        for p in range(first["pages"])
    ]
    ids = [i["id"] for page in pages for i in page["items"]]
    assert len(ids) == len(set(ids)) == first["total"] >= 24
    found = sedge.get("/api/library/items", params={"search": "drift STONE", "kind": "mesh"}).json()
    assert {i["id"] for i in found["items"]} == {
        "drift-stone",
        "split-drift-stone",
        "flat-drift-stone",
    }
    assert not sedge.get("/api/library/items", params={"search": "drift", "kind": "leaf"}).json()[
        "total"
    ]
    answer = sedge.get("/api/library/items", params={"kind": "lamp"})
    assert answer.status_code == 422
    picture = sedge.get(found["items"][0]["picture"])
    assert Image.open(io.BytesIO(picture.content)).size == (400, 360)


def test_what_is_taken_keeps_where_it_came_from(
    sedge: httpx.Client, burdock: httpx.Client, scene_id: str, library: Outside
) -> None:
    taken = sedge.post(f"/api/scenes/{scene_id}/library/drift-stone").json()
    (mesh,) = taken["meshes"]
    assert mesh["triangles"] > 1000 and not mesh["error"]
    document = sedge.get(f"/api/scenes/{scene_id}/document").json()
    assert document["origins"] == [], "nothing uses it yet"
    asset = {
        "kind": "mesh",
        "name": "Stone",
        "parameters": {**mesh["parameters"], "source": mesh["hash"]},
    }
    made = sedge.post(f"/api/scenes/{scene_id}/assets", json=asset)
    assert made.status_code == 201, made.text
    (origin,) = sedge.get(f"/api/scenes/{scene_id}/origins").json()
    assert origin == {
        "file": mesh["hash"],
        "library": "Teasel Fen collection",
        "item": "drift-stone",
        "title": "Drift stone",
        "version": taken["item"]["version"],
        "by": "Teasel Fen workshop",
        "licence": "CC0-1.0",
        "newer": "",
    }
    document = sedge.get(f"/api/scenes/{scene_id}/document").json()
    assert [o["file"] for o in document["origins"]] == [mesh["hash"]]
    copy = sedge.post("/api/scenes", json={"name": "Copy", "document": document}).json()["id"]
    assert sedge.get(f"/api/scenes/{copy}/origins").json() == [origin]
    twice = {**document, "origins": document["origins"] * 2}
    answer = sedge.post("/api/scenes", json={"name": "Twice", "document": twice})
    assert answer.status_code == 422 and "more than once" in answer.json()["detail"]
    assert burdock.post(f"/api/scenes/{scene_id}/library/drift-stone").status_code == 404


def test_a_scene_has_room_for_so_many_origins_and_forgets_unused_ones(
    database_url: str, sedge: httpx.Client, scene_id: str, library: Outside
) -> None:
    database = Database(database_url)

    def fill(days: int) -> None:
        then = datetime.now(UTC) - timedelta(days=days)
        told = {
            "library": "L",
            "item": "i",
            "title": "t",
            "version": "1",
            "by": "b",
            "licence": "l",
        }
        with database.session() as db:
            for k in range(MOST_ORIGINS):
                db.add(Origin(scene_id=scene_id, file=f"{days:08d}{k:032x}", at=then, **told))

    fill(3)
    assert sedge.post(f"/api/scenes/{scene_id}/library/cask").status_code == 201
    assert len(sedge.get(f"/api/scenes/{scene_id}/origins").json()) == 1
    fill(0)
    library.asked.clear()
    answer = sedge.post(f"/api/scenes/{scene_id}/library/milestone")
    assert answer.status_code == 422 and answer.json()["errors"][0]["limit"] == "2000"
    assert not library.asked, "nothing is fetched that there is no room for"
    database.close()


def test_textures_are_taken_as_images(sedge: httpx.Client, scene_id: str, library: Outside) -> None:
    taken = sedge.post(f"/api/scenes/{scene_id}/library/alder-leaf").json()
    assert set(taken["images"]) == {"albedo", "normal", "surface"}
    image = Image.open(
        io.BytesIO(sedge.get(f"/api/bench/images/{taken['images']['albedo']}").content)
    )
    assert image.mode == "RGBA"
    images = {f"leaf.{k}": v for k, v in taken["images"].items()}
    scene = sedge.get(f"/api/scenes/{scene_id}").json()
    willow = next(a for a in scene["assets"] if a["id"] == "willow")
    edit = {"version": willow["version"], "images": images}
    assert sedge.patch(f"/api/scenes/{scene_id}/assets/willow", json=edit).status_code == 200
    assert {o["item"] for o in sedge.get(f"/api/scenes/{scene_id}/origins").json()} == {
        "alder-leaf"
    }


def test_a_newer_version_is_told(
    database_url: str, sedge: httpx.Client, scene_id: str, library: Outside
) -> None:
    taken = sedge.post(f"/api/scenes/{scene_id}/library/cask").json()
    source = {"source": taken["meshes"][0]["hash"]}
    asset = {"kind": "mesh", "name": "Cask", "parameters": source}
    sedge.post(f"/api/scenes/{scene_id}/assets", json=asset)
    library.wrong["/versions"] = lambda body, h: (json.dumps({"cask": "later"}).encode(), h)
    (origin,) = sedge.get(f"/api/scenes/{scene_id}/origins").json()
    assert (origin["version"], origin["newer"]) == (taken["item"]["version"], "later")


def told(**changes: Any) -> Wrong:
    """What an item is told to be, with other values; of its first file where they begin with `file_`."""

    def spoil(body: bytes, headers: dict[str, str]) -> tuple[bytes, dict[str, str]]:
        item = json.loads(body)
        for name, value in changes.items():
            at = item["files"][0] if name.startswith("file_") else item
            at[name.removeprefix("file_")] = value
        return json.dumps(item).encode(), headers

    return spoil


def body(change: Callable[[bytes], bytes], **headers: str) -> Wrong:
    return lambda data, h: (
        change(data),
        {**h, **{k.replace("_", "-"): v for k, v in headers.items()}},
    )


ITEM, FILE = "/items/cask", "/cask.glb"
LIES: dict[str, tuple[str, Wrong, str]] = {
    "larger than told": (FILE, body(lambda b: b + b"\0"), "more than the"),
    "smaller than told": (FILE, body(lambda b: b[:-9]), "bytes where"),
    "another hash": (FILE, body(lambda b: b[:-1] + bytes([b[-1] ^ 1])), "hash"),
    "another type told": (FILE, body(lambda b: b, content_type="image/png"), "type"),
    "a page for a file": (FILE, body(lambda b: b, content_type="text/html"), "type"),
    "another type inside": (FILE, body(lambda b: b"PK\3\4" + b[4:]), "type"),
    "packed, unasked": (FILE, body(gzip.compress, content_encoding="gzip"), "packs"),
    "an error": (FILE, lambda b, h: Response(b"", 500), "500"),
    "elsewhere": (FILE, lambda b, h: RedirectResponse("http://127.0.0.1:9/"), "307"),
    "gone": (FILE, lambda b, h: Response(b"", 404), "any more"),
    "another item": (ITEM, told(id="crate"), "'crate'"),
    "a path for a name": (ITEM, told(file_name="../../etc/passwd"), "files.0.name"),
    "a huge file": (ITEM, told(file_bytes=10**12), "files.0.bytes"),
    "too much together": (
        ITEM,
        lambda b, h: told(
            files=[
                {**json.loads(b)["files"][0], "name": f"{k}.glb", "bytes": 60_000_000} for k in "ab"
            ]
        )(b, h),
        "together",
    ),
    "a licence of many lines": (ITEM, told(licence="a\nb"), "licence"),
    "no JSON": (ITEM, body(lambda b: b"<html>"), "JSON"),
    "a long answer": (ITEM, body(lambda b: b + b" " * 1_100_000), "more than the"),
    "a deep answer": (ITEM, body(lambda b: b"[" * 100_000), "JSON"),
}


@pytest.mark.parametrize("lie", LIES)
def test_a_lie_is_found_and_nothing_is_kept(
    lie: str, sedge: httpx.Client, scene_id: str, library: Outside
) -> None:
    where, spoil, says = LIES[lie]
    library.wrong[where] = spoil
    answer = sedge.post(f"/api/scenes/{scene_id}/library/cask")
    assert answer.status_code in (404, 502), answer.text
    assert says in answer.json()["detail"]
    assert sedge.get(f"/api/scenes/{scene_id}/document").json()["origins"] == []
    library.wrong.clear()
    assert sedge.post(f"/api/scenes/{scene_id}/library/cask").status_code == 201


def test_a_mesh_that_cannot_be_read_is_told_and_not_noted(
    sedge: httpx.Client, scene_id: str, library: Outside
) -> None:
    import hashlib

    broken = b"glTF" + bytes(100)
    sha = hashlib.sha256(broken).hexdigest()
    library.wrong[FILE] = body(lambda b: broken)
    library.wrong[ITEM] = told(file_bytes=len(broken), file_sha256=sha)
    taken = sedge.post(f"/api/scenes/{scene_id}/library/cask").json()
    assert "damaged" in taken["meshes"][0]["error"]


def test_a_slow_library_is_left_and_does_not_hold_up_others(
    running: Running, sedge: httpx.Client, scene_id: str, library: Outside
) -> None:
    library.wrong["/items"] = Slow()
    with pytest.raises(httpx.ReadTimeout):
        sedge.get("/api/library/items", timeout=1.0)
    assert sedge.get("/api/scenes", timeout=2.0).status_code == 200
    answer = sedge.get("/api/library/items")
    assert answer.status_code == 502 and "seconds" in answer.json()["detail"]
    library.wrong.clear()
    library.wrong["/versions"] = Slow()
    assert sedge.get(f"/api/scenes/{scene_id}/origins").status_code == 200


def test_what_nobody_waits_for_any_more_is_not_taken(
    sedge: httpx.Client, scene_id: str, library: Outside
) -> None:
    drops = Slow()
    library.wrong[FILE] = drops
    with pytest.raises(httpx.ReadTimeout):
        sedge.post(f"/api/scenes/{scene_id}/library/cask", timeout=1.5)
    for _ in range(400):
        if drops.ended:
            break
        time.sleep(0.1)
    assert drops.ended and drops.given < 200, "it ends with its client"


def test_a_page_must_be_the_one_that_was_asked_for(sedge: httpx.Client, library: Outside) -> None:
    library.wrong["/items"] = lambda b, h: (json.dumps(json.loads(b) | {"page": 7}).encode(), h)
    answer = sedge.get("/api/library/items")
    assert answer.status_code == 502 and "page 7 for page 1" in answer.json()["detail"]


def test_pictures_must_be_pictures(sedge: httpx.Client, library: Outside) -> None:
    library.wrong["/picture"] = body(lambda b: b"<svg onload='alert(1)'/>")
    assert sedge.get("/api/library/items/cask/picture").status_code == 502
    library.wrong["/picture"] = body(lambda b: b + bytes(500_000))
    assert sedge.get("/api/library/items/cask/picture").status_code == 502


def test_nothing_but_an_item_is_asked_for(sedge: httpx.Client, library: Outside) -> None:
    for name in ("..%2Fversions", "a%2Fb", "%2e%2e", "x" * 500):
        library.asked.clear()
        assert sedge.get(f"/api/library/items/{name}/picture").status_code in (404, 422)
        assert all(p.startswith("/items/") or p == "/" for p in library.asked)


@pytest.mark.parametrize(
    ("address", "status", "says"),
    some([("http://127.0.0.1:9", 502, "reached"), ("", 404, "PLOUGH_LIBRARY")], 1),
)
def test_without_a_library_it_is_said(
    address: str, status: int, says: str, database_url: str
) -> None:
    own = Running(database_url, address)
    try:
        own.wait()
        client = signed_in(own.base, "sedge")
        assert client.get("/api/library").json() == {"there": bool(address)}
        answer = client.get("/api/library/items")
        assert answer.status_code == status and says in answer.json()["detail"]
    finally:
        own.stop()
