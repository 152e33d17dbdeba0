"""Ways to begin a ground, height maps that are brought in or taken, the ground as a file."""

from __future__ import annotations

import io
import json
import zipfile

import httpx
import numpy as np
import pytest
from PIL import Image

from plough.core.formats.geojson import MOST_BYTES
from plough.core.formats.heights import read_heights, write_png, write_tiff
from plough.core.ground.conditions import MEASURES
from plough.core.scene.ways import ways_of
from tests.conftest import SMALL
from tests.library import Outside


@pytest.fixture
def scene_id(sedge: httpx.Client) -> str:
    return sedge.post("/api/scenes", json={"name": "Hythe", "document": SMALL}).json()["id"]


def edited(client: httpx.Client, scene: str, parameters: dict[str, object]) -> httpx.Response:
    layers = client.get(f"/api/scenes/{scene}").json()["layers"]
    body = {"version": layers[0]["version"], "parameters": parameters}
    return client.patch(f"/api/scenes/{scene}/layers/{layers[0]['id']}", json=body)


def fen() -> np.ndarray:
    y, x = np.mgrid[0:65, 0:65]
    return np.float32(4 * np.sin(x / 9) + 2 * np.cos(y / 5))


def test_a_height_map_is_brought_in_and_the_ground_written_again(
    sedge: httpx.Client, scene_id: str
) -> None:
    sent = {"file": ("fen.tif", write_tiff(fen(), 3.0))}
    told = sedge.post("/api/bench/heights", files=sent).json()
    assert (told["width"], told["height"], told["metres"], told["holes"]) == (65, 65, True, 0)
    assert (told["low"], told["high"]) == pytest.approx((fen().min(), fen().max()))
    assert edited(sedge, scene_id, told["parameters"]).status_code == 200
    answer = sedge.get(f"/api/scenes/{scene_id}/ground", params={"format": "tif"})
    assert answer.headers["content-type"] == "image/tiff"
    assert "65 x 65 samples, 192 m a side" in answer.headers["x-told"]
    again = read_heights("a.tif", answer.content)
    assert np.array_equal(again.values, fen()) and again.spacing == (3.0, 3.0)
    answer = sedge.get(f"/api/scenes/{scene_id}/ground", params={"format": "glb"})
    assert answer.content.startswith(b"glTF")
    assert sedge.get(f"/api/scenes/{scene_id}/ground?format=bmp").status_code == 422
    assert sedge.get(f"/api/bench/meshes/{told['hash']}").json()["file"] == "fen.tif"


def test_what_is_no_height_map_is_refused_with_its_reason(sedge: httpx.Client) -> None:
    out = io.BytesIO()
    Image.effect_noise((8, 8), 90).convert("RGB").rotate(1).save(out, "PNG")
    for name, data, words in (
        ("a.jpg", b"x", "png, tif"),
        ("a.raw", b"x" * 99, "no square"),
        ("a.png", b"\x89PNG", "no PNG or TIFF"),
    ):
        answer = sedge.post("/api/bench/heights", files={"file": (name, data)})
        assert answer.status_code == 422 and words in answer.json()["detail"]
    answer = sedge.post("/api/bench/heights", files={"file": ("a.raw", bytes(100_000_001))})
    assert answer.status_code == 413


def test_a_height_map_is_taken_from_the_library_with_its_origin(
    sedge: httpx.Client, scene_id: str, library: Outside
) -> None:
    taken = sedge.post(f"/api/scenes/{scene_id}/library/downs-heights").json()
    heights = taken["heights"]
    assert (heights["width"], heights["metres"]) == (513, False)
    assert edited(sedge, scene_id, heights["parameters"]).status_code == 200
    document = sedge.get(f"/api/scenes/{scene_id}/document").json()
    assert [o["item"] for o in document["origins"]] == ["downs-heights"]
    evaluation = sedge.get(f"/api/scenes/{scene_id}/evaluation").json()
    assert evaluation["layers"][0]["surface"]["samples"] == 513


def test_ways_to_begin_are_told_with_their_pictures(sedge: httpx.Client, scene_id: str) -> None:
    ways = sedge.get("/api/ways/ground").json()
    assert [w["name"] for w in ways] == [w.name for w in ways_of("ground")]
    seen = set()
    for w in ways:
        answer = sedge.get(w["picture"])
        assert Image.open(io.BytesIO(answer.content)).size == (300, 270)
        seen.add(answer.content)
        tag = {"If-None-Match": answer.headers["etag"]}
        assert sedge.get(w["picture"], headers=tag).status_code == 304
        assert edited(sedge, scene_id, w["parameters"]).status_code == 200
    assert len(seen) == len(ways)
    assert sedge.get("/api/ways/cloud").status_code == 422
    assert sedge.get("/api/ways/ground/moon/picture").status_code == 422
    assert sedge.get("/api/ways/path").json() == []


def test_a_viewer_may_write_the_ground_and_a_stranger_not(
    sedge: httpx.Client, burdock: httpx.Client, demo_id: str, scene_id: str
) -> None:
    assert burdock.get(f"/api/scenes/{demo_id}/ground?format=png").status_code == 200
    assert burdock.get(f"/api/scenes/{scene_id}/ground?format=png").status_code == 404
    data = burdock.get(f"/api/scenes/{demo_id}/ground?format=png").content
    assert data[:8] == write_png(fen())[0][:8]


def painted(client: httpx.Client, scene: str) -> dict[tuple[int, int], str]:
    """The hash of each square of the splat map."""
    layers = client.get(f"/api/scenes/{scene}/evaluation").json()["layers"]
    surface = layers[0]["surface"]
    splat, images = surface["splat"], -(-len(surface["classes"]) // 4)
    names = [s["data"] for s in splat["squares"]]
    packed = client.post("/api/blobs/pack", json={"names": names}).content
    assert len(packed) == len(names) * (4 + images * splat["texels"] ** 2 * 4)
    return {(s["x"], s["z"]): s["data"] for s in splat["squares"]}


def test_what_is_painted_changes_the_squares_it_touches_and_is_undone(
    sedge: httpx.Client, scene_id: str
) -> None:
    before = painted(sedge, scene_id)
    stroke = {"paint": "sand", "radius": 5, "points": [[40, 40]]}
    assert edited(sedge, scene_id, {"painted#a": stroke}).status_code == 200
    after = painted(sedge, scene_id)
    assert [k for k in before if before[k] != after[k]] == [(1, 1)]
    refused = edited(sedge, scene_id, {"painted#b": {**stroke, "radius": 4000}})
    assert refused.status_code == 422 and "painted.1.radius" in refused.text
    assert sedge.post(f"/api/scenes/{scene_id}/undo").status_code == 200
    assert painted(sedge, scene_id) == before
    assert (
        "painted" not in sedge.get(f"/api/scenes/{scene_id}").json()["layers"][0]["parameters"]
        or not sedge.get(f"/api/scenes/{scene_id}").json()["layers"][0]["parameters"]["painted"]
    )


def test_classes_are_edited_in_their_order_and_written_as_splat_maps(
    sedge: httpx.Client, scene_id: str
) -> None:
    layer = sedge.get(f"/api/scenes/{scene_id}").json()["layers"][0]
    classes = layer["parameters"]["classes"]
    turned = [classes[0], classes[2], classes[1], *classes[3:]]
    assert edited(sedge, scene_id, {"classes": turned}).status_code == 200
    told = sedge.get(f"/api/scenes/{scene_id}/evaluation").json()["layers"][0]["surface"]
    assert [c["key"] for c in told["classes"]][:3] == ["grass", "rock", "soil"]
    assert [told["covers"][c["cover"]]["name"] for c in told["classes"]][:2] == ["grass", "rock"]
    wrong = [{**classes[0], "conditions": [{"id": "x", "of": "slope", "between": [0, 400]}]}]
    answer = edited(sedge, scene_id, {"classes": wrong})
    assert answer.status_code == 422 and "180" in answer.json()["detail"]
    answer = sedge.get(f"/api/scenes/{scene_id}/ground", params={"format": "zip"})
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        names = archive.namelist()
        facts = json.loads(archive.read("classes.json"))
        image = Image.open(io.BytesIO(archive.read("splat-0.png")))
    assert names == ["splat-0.png", "splat-1.png", "classes.json"]
    assert image.size == (1024, 1024) and image.mode == "RGBA"
    assert [c["key"] for c in facts["classes"]][:3] == ["grass", "rock", "soil"]
    kinds = sedge.get("/api/kinds").json()
    assert {m["name"] for m in kinds["measures"]} == set(MEASURES)
    assert {r["path"] for r in kinds["settings"]["condition"]} >= {"fade", "falloff", "ids"}


def test_lines_and_areas_are_brought_in_left_of_what_refers_to_them_and_written_again(
    sedge: httpx.Client, burdock: httpx.Client, scene_id: str
) -> None:
    square = [[0, 0], [30, 0], [30, 30], [0, 0]]
    hole = [[12, 4], [20, 4], [20, 12], [12, 4]]
    features = [
        {
            "type": "Feature",
            "properties": {"name": "Drove", "width": 5},
            "geometry": {"type": "LineString", "coordinates": [[-40, 10], [0, 20]]},
        },
        {
            "type": "Feature",
            "properties": {"name": "Wash"},
            "geometry": {"type": "Polygon", "coordinates": [square, hole]},
        },
        {
            "type": "Feature",
            "properties": {},
            "geometry": {"type": "Point", "coordinates": [1, 1]},
        },
    ]
    data = json.dumps({"type": "FeatureCollection", "features": features}).encode()
    address = f"/api/scenes/{scene_id}/geojson"
    told = sedge.post(address, files={"file": ("lines.geojson", data)})
    assert told.status_code == 201 and told.json()["layers"] == ["Drove", "Wash"]
    assert "Point" in told.json()["told"][0]
    layers = sedge.get(f"/api/scenes/{scene_id}").json()["layers"]
    assert [x["name"] for x in layers][:3] == ["Ground", "Drove", "Wash"]
    assert layers[1]["parameters"]["width"] == 5
    assert layers[1]["parameters"]["points"][0] == [-40, -10]
    again = sedge.get(address).json()["features"]
    assert [f["properties"]["name"] for f in again][:2] == ["Drove", "Wash"]
    assert again[1]["geometry"]["coordinates"] == features[1]["geometry"]["coordinates"]  # type: ignore[index]
    wrong = sedge.post(address, files={"file": ("a.geojson", b"{}")})
    assert wrong.status_code == 422 and "no features" in wrong.json()["detail"]
    large = sedge.post(address, files={"file": ("a.geojson", b" " * (MOST_BYTES + 20_000))})
    assert large.status_code == 413
    assert burdock.post(address, files={"file": ("a", data)}).status_code in (403, 404)
    sedge.post(f"/api/scenes/{scene_id}/undo")
    names = [x["name"] for x in sedge.get(f"/api/scenes/{scene_id}").json()["layers"]]
    assert "Wash" not in names and "Drove" in names


def test_masks_and_strip_maps_are_given_to_those_who_may_look(
    sedge: httpx.Client, burdock: httpx.Client, scene_id: str
) -> None:
    address = f"/api/scenes/{scene_id}/layers"
    mask = sedge.get(f"{address}/willows/mask", params={"side": 256})
    assert mask.headers["content-type"] == "image/png"
    assert Image.open(io.BytesIO(mask.content)).size == (256, 256)
    for layer, side, words in (
        ("ground", 256, "no rule"),
        ("no", 256, "no layer"),
        ("willows", 9, "side"),
    ):
        wrong = sedge.get(f"{address}/{layer}/mask", params={"side": side})
        assert wrong.status_code == 422 and words in wrong.text
    values = {"mix": [{"asset": "sedge"}], "paths": ["dyke"], "spacing": 6}
    layer = {"kind": "along", "name": "Posts", "parameters": values}
    made = sedge.post(address, json=layer).json()["created_id"]
    (strip,) = sedge.get(f"{address}/{made}/strips").json()
    assert strip["path"] == "dyke" and len(strip["places"]) > 10 and len(strip["knots"]) > 1
    for what in ("mask", "strips"):
        assert burdock.get(f"{address}/willows/{what}").status_code in (403, 404)


def test_a_way_to_begin_brings_its_assets_and_layers_for_those_who_may_edit(
    sedge: httpx.Client, burdock: httpx.Client, scene_id: str
) -> None:
    address = f"/api/scenes/{scene_id}/ways/scatter"
    before = sedge.get(f"/api/scenes/{scene_id}").json()
    made = sedge.post(f"{address}/forest")
    assert made.status_code == 201
    after = sedge.get(f"/api/scenes/{scene_id}").json()
    assert len(after["assets"]) == len(before["assets"]) + 3
    new = [x for x in after["layers"] if x["id"] in made.json()["layers"]]
    assert [x["name"] for x in new] == ["Wood", "Saplings", "Ferns"]
    assert after["layers"][-1]["kind"] == "bake"
    known = {a["id"] for a in after["assets"]}
    assert all(e["asset"] in known for x in new for e in x["parameters"]["mix"])
    assert new[2]["parameters"]["conditions"][0]["ids"] == [new[0]["id"]]
    # stones of one's own making come along as files
    made = sedge.post(f"{address}/scree").json()["layers"]
    told = sedge.get(f"/api/scenes/{scene_id}/evaluation").json()["layers"]
    (scree,) = (x for x in told if x["id"] == made[0])
    assert scree["findings"] == []
    variants = scree["placements"]["variants"]
    meshes = {v["levels"][0]["mesh"] for v in variants}
    assert len(meshes) == 6 and sum("mirrored=true" in m for m in meshes) == 3
    bodies = {m: sedge.get(m) for m in meshes}
    assert all(b.status_code == 200 for b in bodies.values())
    assert len({b.content for b in bodies.values()}) == 6
    twin = next(m for m in meshes if "mirrored" in m)
    assert sedge.get(twin.replace("&mirrored=true", "")).status_code == 404
    wrong = sedge.post(f"{address}/jungle")
    assert wrong.status_code == 422 and "reed-edge" in wrong.text
    assert burdock.post(f"{address}/forest").status_code in (403, 404)


def test_the_blocks_of_a_run_are_listed_and_written_for_those_who_may_look(
    sedge: httpx.Client, burdock: httpx.Client, scene_id: str
) -> None:
    address = f"/api/scenes/{scene_id}/layers"
    layer = {
        "kind": "bricks",
        "name": "Yard",
        "parameters": {"points": [[-4, 0], [4, 0]], "courses": 6},
    }
    made = sedge.post(address, json=layer).json()["created_id"]
    page = sedge.get(f"{address}/{made}/blocks", params={"first": 5, "many": 3}).json()
    assert page["count"] > 200 and page["courses"] >= 6
    assert [b["number"] for b in page["blocks"]] == [6, 7, 8]
    beyond = sedge.get(f"{address}/{made}/blocks", params={"first": page["count"]}).json()
    assert beyond["blocks"] == [] and beyond["count"] == page["count"]
    table = sedge.get(f"{address}/{made}/blocks/file", params={"format": "csv"})
    assert table.headers["content-type"].startswith("text/csv")
    assert len(table.text.splitlines()) == page["count"] + 1
    told = sedge.get(f"{address}/{made}/blocks/file", params={"format": "json"}).json()
    assert told["blocks"][5] == page["blocks"][0]
    for query, words in (({"many": 501}, "many"), ({"first": -1}, "first")):
        wrong = sedge.get(f"{address}/{made}/blocks", params=query)
        assert wrong.status_code == 422 and words in wrong.text
    for name, words in (("willows", "not laid of blocks"), ("no", "no layer")):
        wrong = sedge.get(f"{address}/{name}/blocks/file")
        assert wrong.status_code == 422 and words in wrong.text
    assert burdock.get(f"{address}/{made}/blocks").status_code in (403, 404)
