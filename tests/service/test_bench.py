"""The bench's routes: pictures, cousins, levels, fitting, presets, exports, tags and kept versions."""

from __future__ import annotations

import base64
import io
import json
import zipfile
from collections.abc import Iterator
from typing import Any

import httpx
import numpy as np
import pytest
from PIL import Image

from plough.core.formats.glb_read import read_json
from plough.core.presets import all_presets
from tests.conftest import SMALL

TREE: dict[str, Any] = {
    "height": 4,
    "second": {"count": 3},
    "third": {"count": 0},
    "texture_size": "128",
}


@pytest.fixture
def scene(sedge: httpx.Client) -> Iterator[dict[str, Any]]:
    """A small scene of one's own."""
    made = sedge.post("/api/scenes", json={"name": "Withy Hythe", "document": SMALL})
    assert made.status_code == 201, made.text
    yield made.json()
    sedge.delete(f"/api/scenes/{made.json()['id']}")


def asset(scene: dict[str, Any], asset_id: str) -> dict[str, Any]:
    return next(x for x in scene["assets"] if x["id"] == asset_id)


def ok(answer: httpx.Response) -> Any:
    assert answer.status_code < 300, answer.text
    return answer.json()


def decoded(address: str) -> np.ndarray[Any, Any]:
    return np.asarray(
        Image.open(io.BytesIO(base64.b64decode(address.split(",", 1)[1]))), dtype=float
    )


def refused(answer: httpx.Response, field: str) -> None:
    assert answer.status_code == 422, answer.text
    assert answer.json()["errors"][0]["field"] == field


def test_eight_seeds_are_eight_different_pictures(sedge: httpx.Client) -> None:
    body = {"kind": "tree", "parameters": TREE, "seeds": list(range(1, 9)), "detail": 0}
    found = ok(sedge.post("/api/bench/pictures", json=body))
    assert [p["seed"] for p in found] == list(range(1, 9))
    images = [decoded(p["picture"]) for p in found]
    paper = images[0][0, 0]
    for k, image in enumerate(images):
        assert (np.abs(image - paper).sum(axis=-1) > 40).mean() > 0.05, "something is drawn"
        assert all(np.abs(image - other).mean() > 1 for other in images[:k])
    coarse = ok(sedge.post("/api/bench/pictures", json={**body, "detail": 2}))
    assert decoded(coarse[0]["picture"]).shape[0] < images[0].shape[0]
    refused(
        sedge.post("/api/bench/pictures", json={**body, "parameters": {"height": 999}}),
        "parameters.height",
    )
    refused(sedge.post("/api/bench/pictures", json={**body, "seeds": []}), "seeds")


def test_cousins_keep_what_is_locked(sedge: httpx.Client) -> None:
    body = {
        "kind": "tree",
        "parameters": TREE,
        "strength": 0.6,
        "locked": ["height", "girth"],
        "walk": 3,
    }
    found = ok(sedge.post("/api/bench/cousins", json=body))
    assert len(found) == 8
    assert {c["parameters"]["height"] for c in found} == {4}
    assert len({c["parameters"]["girth"] for c in found}) == 1
    assert len({json.dumps(c["parameters"]) for c in found}) == 8
    refused(sedge.post("/api/bench/cousins", json={**body, "locked": ["heigth"]}), "locked")


def test_levels_are_lighter_and_their_silhouettes_are_measured(sedge: httpx.Client) -> None:
    levels = ok(
        sedge.post("/api/bench/levels", json={"kind": "tree", "parameters": TREE, "seed": 2})
    )
    triangles = [level["triangles"] for level in levels]
    assert triangles == sorted(triangles, reverse=True)
    assert levels[0]["difference"] == 0
    assert 0 < levels[1]["difference"] <= 0.1
    assert levels[3]["switch_distance"] is None
    made = sedge.post(
        "/api/make", json={"kind": "tree", "parameters": TREE, "seed": 2, "detail": 1}
    )
    assert read_json(made.content)["scenes"][0]["extras"]["triangles"] == triangles[1]


def test_what_fits_a_number_of_triangles_does_fit(sedge: httpx.Client) -> None:
    body = {"kind": "tree", "parameters": {}, "seed": 3, "triangles": 6000}
    found = ok(sedge.post("/api/bench/fit", json=body))
    assert found["triangles"] <= 6000
    again = sedge.post(
        "/api/make",
        json={"kind": "tree", "parameters": {"fullness": found["fullness"]}, "seed": 3},
    )
    extras = read_json(again.content)["scenes"][0]["extras"]
    assert extras["triangles"] == found["triangles"]
    assert extras["changed"]["leaf_count"][1] < extras["changed"]["leaf_count"][0]
    refused(sedge.post("/api/bench/fit", json={**body, "triangles": 5}), "triangles")
    refused(sedge.post("/api/bench/fit", json={**body, "kind": "leaf"}), "kind")


def test_presets_have_pictures_and_make_what_they_say(sedge: httpx.Client) -> None:
    found = ok(sedge.get("/api/bench/presets"))
    assert len(found) == len(all_presets()) >= 30
    assert sum(p["kind"] == "tree" for p in found) >= 15
    answer = sedge.get(found[0]["picture"])
    assert Image.open(io.BytesIO(answer.content)).size == (300, 270)
    assert (
        sedge.get(
            found[0]["picture"], headers={"If-None-Match": answer.headers["etag"]}
        ).status_code
        == 304
    )
    refused(sedge.get("/api/bench/presets/nothing/picture"), "preset")


@pytest.mark.parametrize("form", ["glb", "obj", "usd", "maps", "film", "recipe"])
def test_every_format_is_written(sedge: httpx.Client, form: str) -> None:
    body = {
        "kind": "tree",
        "name": "Small tree",
        "parameters": TREE,
        "seeds": [1, 2],
        "format": form,
        "steps": 3,
    }
    answer = sedge.post("/api/bench/export", json=body)
    assert answer.status_code == 200, answer.text
    assert "Small tree" in answer.headers["content-disposition"]
    if form in ("glb", "film"):
        document = read_json(answer.content)
        names = [n["name"] for n in document["nodes"]]
        if form == "film":
            assert len(document["meshes"][0]["primitives"][0]["targets"]) == 3
        else:
            assert {"Small tree-1", "Small tree-2", "Small tree-1-level-3"} <= set(names)
            body_nodes = [n for n in document["nodes"] if n["name"].startswith("collider")]
            assert body_nodes
            assert all(n["extras"]["letsCameraThrough"] is True for n in body_nodes)
    elif form == "recipe":
        again = ok(sedge.post("/api/bench/recipe", json={"text": answer.text}))
        assert again["seeds"] == [1, 2]
        assert again["parameters"]["height"] == 4
        bad = answer.text.replace('"height": 4', '"height": 4000')
        refused(sedge.post("/api/bench/recipe", json={"text": bad}), "parameters.height")
    else:
        archive = zipfile.ZipFile(io.BytesIO(answer.content))
        assert archive.testzip() is None
        wanted = {"obj": "Small tree-2.obj", "usd": "Small tree.usdc", "maps": "card-depth.png"}[
            form
        ]
        assert wanted in archive.namelist()


def test_no_film_of_what_has_no_age(sedge: httpx.Client) -> None:
    refused(
        sedge.post("/api/bench/export", json={"kind": "tuft", "parameters": {}, "format": "film"}),
        "format",
    )


def test_a_leaf_asset_changes_the_tree_that_bears_it(
    sedge: httpx.Client, scene: dict[str, Any]
) -> None:
    def triangles(**more: Any) -> int:
        parameters = {**TREE, "leaf_form": "shaped", "leaf_asset": leaf, "leaf_count": 1}
        answer = sedge.post(
            "/api/make", json={"kind": "tree", "parameters": parameters, "seed": 2, **more}
        )
        return int(read_json(answer.content)["scenes"][0]["extras"]["triangles"])

    body = {
        "kind": "leaf",
        "name": "Fan",
        "parameters": {"form": "palmate", "leaflets": 7},
        "tags": ["fan"],
    }
    made = ok(sedge.post(f"/api/scenes/{scene['id']}/assets", json=body))
    leaf = made["created_id"]
    assert triangles(scene=scene["id"]) > triangles()
    assert asset(made, leaf)["tags"] == ["fan"]


def test_tags_are_kept_checked_and_undone(sedge: httpx.Client, scene: dict[str, Any]) -> None:
    url = f"/api/scenes/{scene['id']}"
    body = {"version": asset(scene, "willow")["version"], "tags": ["wet", "old wood"]}
    after = ok(sedge.patch(f"{url}/assets/willow", json=body))
    assert asset(after, "willow")["tags"] == ["wet", "old wood"]
    bad = {"version": asset(after, "willow")["version"], "tags": ["x" * 60]}
    assert sedge.patch(f"{url}/assets/willow", json=bad).status_code == 422
    assert asset(ok(sedge.post(f"{url}/undo")), "willow")["tags"] == []


def test_a_kept_version_is_returned_to_and_that_is_undone(
    sedge: httpx.Client, scene: dict[str, Any], tansy: httpx.Client
) -> None:
    url = f"/api/scenes/{scene['id']}"
    bark = ok(sedge.post("/api/bench/images", content=image((9, 9, 90))))["hash"]
    ok(
        sedge.patch(
            f"{url}/assets/willow",
            json={"version": asset(scene, "willow")["version"], "images": {"bark.albedo": bark}},
        )
    )
    scene = ok(sedge.get(url))
    height = asset(scene, "willow")["parameters"]["height"]
    (first,) = ok(sedge.post(f"{url}/assets/willow/revisions", json={"note": "before the storm"}))
    assert (first["number"], first["note"], first["author"]) == (1, "before the storm", "sedge")
    picture = Image.open(io.BytesIO(sedge.get(first["picture"]).content))
    assert np.asarray(picture).std() > 5
    body = {
        "version": asset(scene, "willow")["version"],
        "parameters": {"height": height + 3, "stems": 4},
        "images": {},
    }
    ok(sedge.patch(f"{url}/assets/willow", json=body))
    assert len(ok(sedge.post(f"{url}/assets/willow/revisions", json={}))) == 2
    back = ok(sedge.post(f"{url}/assets/willow/revisions/1/return"))
    assert asset(back, "willow")["parameters"] == asset(scene, "willow")["parameters"]
    assert asset(back, "willow")["images"] == {"bark.albedo": bark}
    undone = ok(sedge.post(f"{url}/undo"))
    assert asset(undone, "willow")["parameters"]["height"] == height + 3
    assert sedge.post(f"{url}/assets/willow/revisions/9/return").status_code == 404
    assert tansy.get(f"{url}/assets/willow/revisions").status_code == 404, (
        "a scene that is not shared stays closed"
    )
    first_picture = sedge.get(f"{url}/assets/willow/picture")
    assert first_picture.headers["content-type"] == "image/jpeg"


def image(
    color: tuple[int, int, int], size: tuple[int, int] = (64, 64), form: str = "PNG"
) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, color).save(out, form)
    return out.getvalue()


def test_an_image_of_ones_own_replaces_a_map(sedge: httpx.Client, scene: dict[str, Any]) -> None:
    taken = ok(sedge.post("/api/bench/images", content=image((200, 20, 20))))
    assert (taken["width"], taken["height"]) == (64, 64)
    body = {
        "kind": "tree",
        "name": "T",
        "parameters": TREE,
        "format": "maps",
        "images": {"bark.albedo": taken["hash"]},
    }
    archive = zipfile.ZipFile(io.BytesIO(sedge.post("/api/bench/export", json=body).content))
    bark = np.asarray(Image.open(archive.open("bark-albedo.png")).convert("RGB"))
    assert np.abs(bark.astype(int) - (200, 20, 20)).max() <= 2
    plain = zipfile.ZipFile(
        io.BytesIO(sedge.post("/api/bench/export", json={**body, "images": {}}).content)
    )
    assert archive.read("leaf-albedo.png") == plain.read("leaf-albedo.png"), "other maps stay"
    assert archive.read("bark-normal.png") == plain.read("bark-normal.png")
    # kept with the asset, and baked with it
    url = f"/api/scenes/{scene['id']}"
    edit = {"version": asset(scene, "willow")["version"], "images": {"bark.albedo": taken["hash"]}}
    assert asset(ok(sedge.patch(f"{url}/assets/willow", json=edit)), "willow")["images"] == {
        "bark.albedo": taken["hash"]
    }
    assert ok(sedge.get(f"{url}/evaluation"))["layers"]
    assert asset(ok(sedge.post(f"{url}/undo")), "willow")["images"] == {}


@pytest.mark.parametrize(
    ("data", "word"),
    [
        (b"no image", "PNG or JPEG"),
        (image((1, 2, 3), (60, 64)), "powers of two"),
        (image((1, 2, 3), (8192, 8)), "4096"),
        (image((1, 2, 3), form="GIF"), "PNG or JPEG"),
        (image((9, 9, 9), form="PNG")[:60], "PNG or JPEG"),
    ],
)
def test_an_image_that_will_not_do_is_refused(sedge: httpx.Client, data: bytes, word: str) -> None:
    answer = sedge.post("/api/bench/images", content=data)
    assert answer.status_code == 422
    assert word in answer.json()["detail"]


def test_a_jpeg_is_taken_and_a_missing_image_is_told(sedge: httpx.Client) -> None:
    taken = ok(sedge.post("/api/bench/images", content=image((9, 90, 9), form="JPEG")))
    assert sedge.get(f"/api/bench/images/{taken['hash']}").headers["content-type"] == "image/jpeg"
    answer = sedge.post(
        "/api/make", json={"kind": "tree", "parameters": TREE, "images": {"bark.albedo": "0" * 40}}
    )
    assert answer.status_code == 422
    assert "not here" in answer.json()["detail"]


def test_a_mesh_is_measured_as_a_body(sedge: httpx.Client) -> None:
    import trimesh

    data = trimesh.creation.icosphere(radius=2.0).export(file_type="obj")
    found = ok(sedge.post("/api/bench/form?kind=obj", content=data.encode()))
    assert found["height"] == pytest.approx(4, rel=0.02)
    assert len(found["form"][0]) == 16
    middle, foot = found["form"][len(found["form"]) // 2], found["form"][0]
    assert min(middle) > 0.9
    assert max(foot) < 0.6
    refused(sedge.post("/api/bench/form?kind=dwg", content=b"x"), "kind")


def test_how_near_maps_of_its_own_come_is_told_for_each_level(sedge: httpx.Client) -> None:
    rock = {"triangles": 1200, "game": {"sheet": {"size": "512", "triangles": 200, "rays": 0}}}
    body = {"kind": "rock", "parameters": rock, "seed": 2}
    found = ok(sedge.post("/api/bench/sheet", json=body))
    assert [(f["level"], f["texels"]) for f in found] == [(0, 512), (1, 256), (2, 128)]
    assert all(0 < f["turned"] < f["plain"] < 90 and f["missed"] < 0.05 for f in found)
    ladder = ok(sedge.post("/api/bench/levels", json=body))
    assert [x["triangles"] for x in ladder[:3]] == [f["triangles"] for f in found]
    last = {**rock, "game": {"sheet": {**rock["game"]["sheet"], "levels": "last"}}}
    found = ok(sedge.post("/api/bench/sheet", json={**body, "parameters": last}))
    assert [(f["level"], f["texels"]) for f in found] == [(2, 512)]
    assert ok(sedge.post("/api/bench/sheet", json={**body, "parameters": {}})) == []
    wrong = {"game": {"sheet": {"size": "512", "rays": 1000}}}
    refused(
        sedge.post("/api/bench/sheet", json={**body, "parameters": wrong}),
        "parameters.game.sheet.rays",
    )
