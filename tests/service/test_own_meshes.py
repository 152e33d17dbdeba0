"""Meshes that people bring along: taken in, refused, kept, exported and baked."""

from __future__ import annotations

import io
import threading
from typing import Any

import httpx
import numpy as np
import pytest
import trimesh

from plough.core.formats.glb import GlbBuilder
from plough.core.formats.meshes import MOST_BYTES, read_model
from plough.service.limits import limit_of
from tests.conftest import SMALL, Running
from tests.models import make, png

ROUTE = "/api/bench/meshes"
MEND = {"outwards": True, "holes": True}


def stone() -> bytes:
    """The broken model, as a GLB of centimetres taken for metres."""
    product = make("mesh", {"size": 1}, 1)
    images = {"albedo": png(16, (120, 110, 100))}
    builder = GlbBuilder(lambda m: dict(images))
    nodes = builder.add_named(product.mesh, product.materials, product.nodes)
    return builder.finish(nodes)


def sent(client: httpx.Client, **files: bytes) -> httpx.Response:
    parts = [("files", (name.replace("__", "."), data)) for name, data in files.items()]
    return client.post(ROUTE, files=parts, timeout=120)


def taken(client: httpx.Client, **files: bytes) -> list[dict[str, Any]]:
    answer = sent(client, **files)
    assert answer.status_code == 201, answer.text
    found: list[dict[str, Any]] = answer.json()
    return found


def test_several_are_taken_at_once_and_one_that_cannot_be_read_does_not_spoil_the_others(
    sedge: httpx.Client,
) -> None:
    obj = b"mtllib wood.mtl\nusemtl oak\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nf 1/1 2/2 3/3\n"
    found = taken(
        sedge,
        stone__glb=stone(),
        broken__stl=b"solid nothing",
        post__obj=obj,
        wood__mtl=b"newmtl oak\nmap_Kd oak.png\n",
        oak__png=png(8, (90, 70, 50)),
    )
    by_name = {m["file"]: m for m in found}
    assert set(by_name) == {"stone.glb", "broken.stl", "post.obj"}
    assert by_name["broken.stl"]["error"]
    assert not by_name["broken.stl"]["hash"]
    assert by_name["post.obj"]["images"] == 1
    glb = by_name["stone.glb"]
    assert glb["nodes"] == ["lump", "leaf"]
    assert glb["materials"] == ["stone", "leaf"]
    assert sedge.get(f"{ROUTE}/{glb['hash']}").json()["file"] == "stone.glb"
    assert taken(sedge, again__glb=stone())[0]["hash"] == glb["hash"], "kept once"


def test_what_is_no_mesh_or_too_much_is_refused_with_its_field(sedge: httpx.Client) -> None:
    answer = sent(sedge, notes__txt=b"hello")
    assert answer.status_code == 422
    assert answer.json()["errors"][0]["field"] == "files"
    many = [("files", (f"a{k}.obj", b"v 0 0 0")) for k in range(201)]
    assert sedge.post(ROUTE, files=many).status_code == 422
    assert limit_of(ROUTE) == MOST_BYTES
    assert sedge.get(f"{ROUTE}/{'0' * 32}").status_code == 404


def test_only_those_who_are_signed_in_are_heard(running: Running) -> None:
    with httpx.Client(base_url=running.base) as stranger:
        assert sent(stranger, stone__glb=stone()).status_code == 401


def test_more_than_two_at_a_time_are_told_to_come_again(sedge: httpx.Client) -> None:
    ball = trimesh.creation.icosphere(7).export(file_type="obj").encode()
    answers: list[httpx.Response] = []
    threads = [
        threading.Thread(target=lambda: answers.append(sent(sedge, ball__obj=ball)))
        for _ in range(5)
    ]
    for thread in threads:
        thread.start()
    health = sedge.get("/api/health", timeout=10)
    for thread in threads:
        thread.join()
    codes = sorted(a.status_code for a in answers)
    assert health.status_code == 200
    assert set(codes) == {201, 429}
    assert codes.count(201) >= 2
    refused = next(a for a in answers if a.status_code == 429)
    assert int(refused.headers["Retry-After"]) > 0
    assert sent(sedge, stone__glb=stone()).status_code == 201, "it reads on afterwards"


@pytest.fixture
def placed(sedge: httpx.Client) -> Any:
    """A scene whose scatter places a mesh of one's own."""
    source = taken(sedge, stone__glb=stone())[0]["hash"]
    made = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": SMALL}).json()
    body = {
        "kind": "mesh",
        "name": "Drift stone",
        "parameters": {"source": source, "mend": MEND},
    }
    answer = sedge.post(f"/api/scenes/{made['id']}/assets", json=body)
    assert answer.status_code == 201, answer.text
    yield answer.json()
    sedge.delete(f"/api/scenes/{made['id']}")


def test_a_mesh_of_ones_own_is_placed_pictured_exported_and_named_as_it_was(
    sedge: httpx.Client, placed: dict[str, Any]
) -> None:
    scene = placed["id"]
    own = next(a for a in placed["assets"] if a["kind"] == "mesh")
    picture = sedge.get(f"/api/scenes/{scene}/assets/{own['id']}/picture", timeout=120)
    assert picture.status_code == 200
    scatter = next(x for x in placed["layers"] if x["kind"] == "scatter")
    change = {
        "version": scatter["version"],
        "parameters": {"mix": [{"asset": own["id"], "weight": 1}]},
    }
    assert (
        sedge.patch(f"/api/scenes/{scene}/layers/{scatter['id']}", json=change).status_code == 200
    )
    evaluation = sedge.get(f"/api/scenes/{scene}/evaluation", timeout=300).json()
    layer = next(x for x in evaluation["layers"] if x["id"] == scatter["id"])
    (variant,) = layer["placements"]["variants"]
    assert variant["count"] > 0
    body = {"kind": "mesh", "name": "stone", "parameters": own["parameters"], "seeds": [1]}
    answer = sedge.post("/api/bench/export", json={**body, "format": "glb"}, timeout=120)
    assert answer.status_code == 200, answer.text
    again = read_model("stone.glb", answer.content)
    names = [p.name for p in again.pieces if not p.collides]
    assert names == ["lump", "leaf"]
    assert [p.extras for p in again.pieces if p.name == "lump"] == [{"age": 3}]
    assert again.coverings[0].extras["wet"] is True
    size = np.ptp(np.stack(again.bounds()), axis=0)
    assert size[1] == pytest.approx(1.8, rel=0.01)
    assert any(p.collides for p in again.pieces)
    solid = trimesh.load_scene(io.BytesIO(answer.content), file_type="glb")
    assert solid.geometry


def test_a_mesh_whose_file_is_gone_is_told(sedge: httpx.Client) -> None:
    body = {"kind": "mesh", "parameters": {"source": "ab" * 16}, "seed": 1, "detail": 0}
    answer = sedge.post("/api/make", json=body)
    assert answer.status_code == 422
    assert "not here" in answer.json()["detail"]
    bare = sedge.post("/api/make", json={**body, "parameters": {}})
    assert bare.json()["errors"][0]["field"].endswith("source")
