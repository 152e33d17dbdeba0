"""The bake: files, counts, the ground that is written, limits."""

import copy
import csv
import io
import json
import os
import subprocess
import sys
import threading
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from PIL import Image

from plough.core.bake.bundle import Baker, bake
from plough.core.errors import TooLargeError
from plough.core.formats import glb
from plough.core.formats.glb_read import read_json
from plough.core.hashing import digest
from plough.core.library import Library
from plough.core.scene import Evaluator, read_document
from tests.conftest import SMALL
from tests.core.test_scene import counts, small
from tests.models import BROKEN as MESH

WEB = Path(__file__).resolve().parents[2] / "web"


def validate(path: Path) -> dict[str, Any]:
    script = (
        "const v=require('gltf-validator');const fs=require('fs');const path=require('path');const at=process.argv[1];"
        "const read=(f)=>new Uint8Array(fs.readFileSync(f));"
        "const externalResourceFunction=(u)=>new Promise((ok)=>ok(read(path.join(path.dirname(at),u))));"
        "v.validateBytes(read(at),{maxIssues:200,externalResourceFunction}).then(r=>console.log(JSON.stringify(r.issues)))"
    )
    done = subprocess.run(
        ["node", "-e", script, str(path)], cwd=WEB, capture_output=True, text=True, check=True
    )
    return json.loads(done.stdout)  # type: ignore[no-any-return]


def sound(files: dict[str, bytes], folder: Path) -> None:
    """Each GLB is valid where it lies among the others."""
    for name, data in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
    for name in files:
        if name.endswith(".glb"):
            issues = validate(folder / name)
            assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"][:3]


def test_the_bake_is_valid_complete_and_the_same_each_time(tmp_path: Path) -> None:
    library = Library()
    evaluation = Evaluator(library).evaluate(small())
    seen: list[tuple[int, int]] = []
    result = bake(evaluation, library, lambda done, known, name: seen.append((done, known)))
    assert seen == [(k + 1, len(seen)) for k in range(len(seen))]
    assert bake(Evaluator().evaluate(small()), Library()).files == result.files
    sound(result.files, tmp_path)
    for entry in result.manifest["files"]:
        assert digest(result.files[entry["path"]]) == entry["blake2b"]
        assert len(result.files[entry["path"]]) == entry["bytes"]
    rows = list(csv.DictReader(io.StringIO(result.files["placements.csv"].decode())))
    placed = counts(evaluation)
    assert len(rows) == sum(placed.values()) == result.manifest["counts"]["instances"]
    assert {r["layer"] for r in rows} == set(placed)


def instances(document: dict[str, Any], node: dict[str, Any]) -> int:
    attributes = node["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]
    return int(document["accessors"][attributes["TRANSLATION"]]["count"])


def test_the_scene_file_holds_every_instance_level_and_collider() -> None:
    library = Library()
    evaluation = Evaluator(library).evaluate(small())
    document = read_json(bake(evaluation, library).files["scene.glb"])
    nodes = document["nodes"]
    by_name = {n["name"]: n for n in nodes}
    placed = counts(evaluation)
    for layer in ("willows", "sedges"):
        drawn = [nodes[k] for k in by_name[layer]["children"] if "collider" not in nodes[k]["name"]]
        assert sum(instances(document, n) for n in drawn) == placed[layer]
        for node in drawn:
            lower = node["extensions"]["MSFT_lod"]["ids"]
            assert len(lower) == 3
            assert all(instances(document, nodes[k]) == instances(document, node) for k in lower)
            coverage = node["extras"]["MSFT_screencoverage"]
            assert coverage == sorted(coverage, reverse=True)
            assert len(coverage) == 4
    colliders = [nodes[k] for k in by_name["willows"]["children"] if "collider" in nodes[k]["name"]]
    scattered = evaluation.layer("willows").output.placements
    assert scattered is not None
    bodies = [library.level(v, 0).collider.count for v in scattered.variants]
    expected = int(np.dot(bodies, scattered.per_variant))
    assert sum(instances(document, n) for n in colliders) == expected >= placed["willows"]
    assert all(
        n["extras"]["blocksMovement"] is True and n["extras"]["collider"] == "capsule"
        for n in colliders
    )
    for material in document["materials"]:
        assert material["pbrMetallicRoughness"]["metallicFactor"] == 0
        assert "emissiveFactor" not in material
    # each variant's mesh stands in the file once a level
    names = [m["name"] for m in document["meshes"]]
    assert len(names) == len(set(names))


def test_plain_nodes_are_read_by_another_library_with_the_same_counts() -> None:
    library = Library()
    plain = {"instancing": False, "levels": False, "colliders": "none", "textures": False}
    evaluation = Evaluator(library).evaluate(small(bake=plain))
    result = bake(evaluation, library)
    scene = trimesh.load(io.BytesIO(result.files["scene.glb"]), file_type="glb")
    triangles = 0
    for node in scene.graph.nodes_geometry:
        _, geometry = scene.graph[node]
        triangles += len(scene.geometry[geometry].faces)
    placed = [r.output.placements for r in evaluation.layers if r.output.placements]
    grown = sum(
        int(n) * library.level(v, 0).mesh.triangles
        for p in placed
        for n, v in zip(p.per_variant, p.variants, strict=True)
    )
    ground = len(scene.geometry[next(g for g in scene.geometry if g.startswith("ground"))].faces)
    strips = evaluation.layer("dyke").output.solids
    assert triangles == grown + ground + sum(s.mesh.triangles for s in strips)
    assert triangles == result.manifest["counts"]["triangles"]
    nodes = [n for n in read_json(result.files["scene.glb"])["nodes"] if n.get("mesh") is not None]
    assert len(nodes) == sum(counts(evaluation).values()) + 1 + len(strips)


def test_positions_in_the_file_are_those_of_the_placements() -> None:
    library = Library()
    evaluation = Evaluator(library).evaluate(small())
    data = bake(evaluation, library).files["scene.glb"]
    document = read_json(data)
    node = next(n for n in document["nodes"] if n["name"].startswith("willows-willow-1"))
    accessor = document["accessors"][
        node["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]["TRANSLATION"]
    ]
    view = document["bufferViews"][accessor["bufferView"]]
    start = 12 + 8 + int.from_bytes(data[12:16], "little") + 8 + view["byteOffset"]
    stored = np.frombuffer(data, "<f4", accessor["count"] * 3, start).reshape(-1, 3)
    scattered = evaluation.layer("willows").output.placements
    assert scattered is not None
    whole = scattered.whole()
    evaluated = whole.position[whole.variant == 0]
    assert np.array_equal(stored[:, [0, 2]], evaluated[:, [0, 2]])
    assert np.abs(stored[:, 1] - evaluated[:, 1]).max() < 0.03, "set down on the written ground"


def test_images_of_levels_lie_beside_them_each_once_or_inside() -> None:
    files = {
        lie: bake(Evaluator(library).evaluate(small(bake={"images_lie": lie})), library).files
        for lie, library in (("beside", Library()), ("inside", Library()))
    }
    beside, inside = files["beside"], files["inside"]
    images = {name for name in beside if name.startswith("images/")}
    assert images and not any(name.startswith("images/") for name in inside)
    assert len({digest(beside[name]) for name in images}) == len(images), "each is there once"
    named: set[str] = set()
    for name, data in beside.items():
        if not name.startswith("levels/"):
            continue
        own = {i["uri"] for i in read_json(data).get("images", ())}
        assert own and all(uri.startswith("../images/") for uri in own)
        named |= {uri[3:] for uri in own}
        # within the file they are the same
        told = read_json(inside[name])
        assert len(told["images"]) == len(own) and all("bufferView" in i for i in told["images"])
    assert named == images
    assert sum(map(len, beside.values())) < sum(map(len, inside.values()))
    assert beside["scene.glb"] == inside["scene.glb"], "it holds its images in either case"


def test_a_bake_that_is_left_stops(monkeypatch: pytest.MonkeyPatch) -> None:
    library = Library()
    baker = Baker(Evaluator(library).evaluate(small()), library)
    made: list[str] = []
    kept = baker.pieces.keep
    monkeypatch.setattr(baker.pieces, "keep", lambda k, *more: made.append(k) or kept(k, *more))
    parts = baker.run()
    next(parts)
    before = threading.active_count()
    assert before > 1
    parts.close()
    assert threading.active_count() < before
    assert len(made) < len(baker.parts())


def test_the_parts_are_known_beforehand() -> None:
    library = Library()
    baker = Baker(Evaluator(library).evaluate(small()), library)
    assert [name for name, _ in baker.run()] == baker.parts()
    assert list(baker.done) == baker.parts()[:-1]


def test_another_process_bakes_the_same_bytes(tmp_path: Path) -> None:
    path, out = tmp_path / "scene.json", tmp_path / "out"
    path.write_text(json.dumps(SMALL))
    environment = os.environ | {"PYTHONHASHSEED": "77", "NUMBA_NUM_THREADS": "1"}
    command = [sys.executable, "-m", "plough", "bake", str(path), "--out", str(out)]
    subprocess.run(command, env=environment, check=True, capture_output=True)
    library = Library()
    files = bake(Evaluator(library).evaluate(read_document(SMALL)), library).files
    written = {str(p.relative_to(out)): p.read_bytes() for p in out.rglob("*") if p.is_file()}
    assert written == files


STEEP = {"relief": 40, "feature": 24, "resolution": 2}


def stands_on(files: dict[str, bytes]) -> np.ndarray:
    """By how much each row of the table floats over the ground that is written, by another library."""
    scene = trimesh.load(io.BytesIO(files["scene.glb"]), file_type="glb")
    ground = scene.geometry[next(g for g in scene.geometry if g.startswith("ground"))]
    rows = list(csv.DictReader(io.StringIO(files["placements.csv"].decode())))
    at = np.array([[float(r[k]) for k in ("px", "py", "pz")] for r in rows])
    _, rays, hit = _down(ground, at)
    floats = np.full(len(at), np.nan)
    floats[rays] = at[rays, 1] - hit
    return floats


def _down(ground: trimesh.Trimesh, at: np.ndarray) -> tuple[None, np.ndarray, np.ndarray]:
    corners = ground.triangles
    rays, heights = [], []
    flat = corners[:, :, [0, 2]]
    low, high = flat.min(axis=1), flat.max(axis=1)
    for k, p in enumerate(at):
        near = ((low <= p[[0, 2]]) & (high >= p[[0, 2]])).all(axis=1)
        for a, b, c in corners[near]:
            m = np.array([b - a, c - a]).T[[0, 2]]
            u, v = np.linalg.solve(m, (p - a)[[0, 2]])
            if u >= -1e-9 and v >= -1e-9 and u + v <= 1 + 1e-9:
                rays.append(k)
                heights.append(a[1] + u * (b - a)[1] + v * (c - a)[1])
                break
    return None, np.array(rays), np.array(heights)


def test_what_is_placed_stands_on_the_ground_that_is_written() -> None:
    library = Library()
    rough = {"ground_error": 80, "ground_error_near": 40, "levels": False, "textures": False}
    document = small(ground=STEEP, bake=rough, willows={"sink": [0, 0]}, sedges={"sink": [0, 0]})
    result = bake(Evaluator(library).evaluate(document), library)
    floats = stands_on(result.files)
    assert np.isfinite(floats).all()
    assert np.abs(floats).max() < 2e-3
    assert 0.05 < result.manifest["ground"]["error"] <= 0.82, "and the error is told"


def test_the_height_field_is_the_ground_that_is_written() -> None:
    library = Library()
    baker = Baker(Evaluator(library).evaluate(small()), library)
    for _ in baker.run():
        pass
    told = json.loads(baker.read("ground/heights.json"))
    image = np.asarray(Image.open(io.BytesIO(baker.read("ground/heights.png")))).astype(np.float64)
    n = told["samples"]
    assert image.shape == (n, n)
    heights = told["black"] + image / 65535 * (told["white"] - told["black"])
    rng = np.random.default_rng(3)
    rows, columns = rng.integers(0, n, (2, 500))
    x = told["west"] + columns * told["spacing"]
    z = told["north"] + rows * told["spacing"]
    network = baker.network
    assert network is not None
    step = (told["white"] - told["black"]) / 65535
    np.testing.assert_allclose(heights[rows, columns], network.height(x, z), atol=step + 1e-4)
    # what stands, stands on it
    for row in csv.DictReader(io.StringIO(baker.read("placements.csv").decode())):
        at = [round((float(row[c]) - told["west"]) / told["spacing"]) for c in ("px", "pz")]
        assert all(0 <= k < n for k in at)
    less = Baker(Evaluator(library).evaluate(small(bake={"heights": False})), library)
    assert "height field" not in less.parts()


def test_equal_assets_have_files_of_their_own() -> None:
    values = json.loads(json.dumps(SMALL))
    values["assets"].append({**values["assets"][0], "id": "osier", "name": "Osier"})
    values["layers"][3]["parameters"]["mix"].append({"asset": "osier"})
    library = Library()
    result = bake(Evaluator(library).evaluate(read_document(values)), library)
    rows = csv.DictReader(io.StringIO(result.files["placements.csv"].decode()))
    named = {f"levels/{r['asset']}-{r['variant']}-0.glb" for r in rows}
    assert any("osier" in name for name in named)
    assert named <= set(result.files)


def test_the_table_reads_back_as_the_same_numbers_a_long_way_out() -> None:
    values = json.loads(json.dumps(SMALL))
    far = [[-1990, -1990], [-1900, -1990], [-1900, -1900], [-1990, -1900]]
    values["layers"][0]["parameters"] |= {"size": 4096, "resolution": 8}
    values["layers"][2]["parameters"]["corners"] = far
    values["layers"][3]["parameters"] |= {"paths": []}
    del values["layers"][4]
    library = Library()
    evaluation = Evaluator(library).evaluate(read_document(values))
    baker = Baker(evaluation, library)
    for _ in baker.run():
        pass
    rows = list(csv.DictReader(io.StringIO(baker.read("placements.csv").decode())))
    placed = evaluation.layer("willows").output.placements
    assert placed is not None
    x = np.array([r["px"] for r in rows], np.float32)
    assert len(x) > 20
    assert np.array_equal(x, placed.whole().position[:, 0])


def test_plain_nodes_are_counted_with_their_levels_and_colliders_before_the_work(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    library = Library()
    evaluation = Evaluator(library).evaluate(small(bake={"instancing": False}))
    placed = evaluation.layer("willows").output.placements
    assert placed is not None
    nodes = 0
    for p in (r.output.placements for r in evaluation.layers if r.output.placements):
        for n, v in zip(p.per_variant, p.variants, strict=True):
            nodes += int(n) * (4 + library.level(v, 0).collider.count)
    monkeypatch.setattr("plough.core.bake.instances.MOST_NODES", nodes - 1)
    with pytest.raises(TooLargeError, match=f"instancing: .*{nodes:,}"):
        next(Baker(evaluation, library).run())
    monkeypatch.setattr("plough.core.bake.instances.MOST_NODES", nodes)
    next(Baker(evaluation, library).run())


def test_a_file_that_its_format_cannot_hold_is_refused_in_a_sentence(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(glb, "MOST_BYTES", 200_000)
    library = Library()
    with pytest.raises(TooLargeError, match=r"^levels: .*GiB"):
        bake(Evaluator(library).evaluate(small()), library)


@pytest.mark.parametrize("instancing", [True, False])
def test_notes_for_the_game_are_in_nodes_table_and_manifest(instancing: bool) -> None:
    document = copy.deepcopy(SMALL)
    document["assets"][0]["notes"] = {"sound": "leaves", "hp": 'say "40", at most'}
    scatter = next(x for x in document["layers"] if x["kind"] == "scatter")
    scatter["notes"] = {"zone": "holt", "sound": "none"}
    document["layers"][-1]["parameters"] = {"instancing": instancing, "levels": False}
    noted = bake(Evaluator().evaluate(read_document(document)), Library()).files
    own = document["assets"][0]["id"]
    document["assets"][0]["notes"], scatter["notes"] = {}, {}
    plain = bake(Evaluator().evaluate(read_document(document)), Library()).files
    rows = list(csv.DictReader(io.StringIO(noted["placements.csv"].decode())))
    told = {(r["layer"], r["asset"]): r["notes"] for r in rows}
    assert json.loads(told[scatter["id"], own]) == {
        "zone": "holt",
        "sound": "leaves",
        "hp": 'say "40", at most',
    }
    others = [v for (layer, asset), v in told.items() if layer != scatter["id"] and asset != own]
    assert not any(others)
    before = list(csv.DictReader(io.StringIO(plain["placements.csv"].decode())))
    assert "notes" not in before[0]
    assert [{k: v for k, v in r.items() if k != "notes"} for r in rows] == before
    nodes = read_json(noted["scene.glb"])["nodes"]
    by_name = {n["name"]: n.get("extras", {}) for n in nodes}
    assert by_name[scatter["id"]]["notes"] == {"zone": "holt", "sound": "none"}
    prefix = f"{scatter['id']}-{own}-"
    mine = [e for n, e in by_name.items() if n.startswith(prefix) and "level" not in n]
    assert mine
    assert all(e["notes"]["sound"] == "leaves" for e in mine)
    manifest = json.loads(noted["manifest.json"])
    assert all(("notes" in a) == (a["asset"] == own) for a in manifest["assets"])


def test_the_manifest_tells_where_what_is_written_came_from() -> None:
    def origin(file: str, item: str) -> dict[str, str]:
        told = {"library": "Fen", "title": item, "version": "1", "by": "us", "licence": "CC0-1.0"}
        return {"file": file, "item": item, **told}

    worn, idle = digest(MESH), digest(b"another")
    document = copy.deepcopy(SMALL)
    stone = {"id": "stone", "name": "Stone", "kind": "mesh"}
    document["assets"] += [
        stone | {"parameters": {"source": worn, "unit": "cm"}},
        stone | {"id": "idle", "parameters": {"source": idle}},
    ]
    scatter = next(x for x in document["layers"] if x["id"] == "sedges")
    scatter["parameters"]["mix"].append({"asset": "stone"})
    document["origins"] = [origin(worn, "stone"), origin(idle, "idle"), origin("f" * 40, "gone")]
    library = Library(load=lambda name: MESH)
    evaluation = Evaluator(library).evaluate(read_document(document))
    assert bake(evaluation, library).manifest["origins"] == [document["origins"][0]]


def test_how_a_layer_throws_shadows_is_told_where_it_is_not_as_usual() -> None:
    document = copy.deepcopy(SMALL)
    evaluator = Evaluator()

    def told() -> dict[str, Any]:
        made = bake(evaluator.evaluate(read_document(document)), evaluator.library)
        nodes = read_json(made.files["scene.glb"])["nodes"]
        return {n["name"]: n.get("extras", {}).get("shadow") for n in nodes if "extras" in n}

    assert not any(told().values())
    next(x for x in document["layers"] if x["id"] == "willows")["shadow"] = "only"
    assert [k for k, v in told().items() if v == "only"] == ["willows"]
