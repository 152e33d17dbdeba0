"""Documents, evaluation, weight, bake and files."""

import csv
import io
import json
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

from plough.core.bake.bundle import Baker, bake
from plough.core.errors import DocumentError, FormatError, ParameterError, Superseded
from plough.core.formats.glb import read_json
from plough.core.hashing import digest
from plough.core.scene import Evaluator, read_document
from plough.core.scene.document import resolved, write_document
from plough.core.scene.evaluation import Variant, with_layer
from plough.core.scene.weight import weigh
from plough.service.demo.teasel_fen import teasel_fen
from tests.conftest import SMALL

WEB = Path(__file__).resolve().parents[2] / "web"


def small(**layers: dict[str, Any]) -> Any:
    values = json.loads(json.dumps(SMALL))
    for layer in values["layers"]:
        layer["parameters"] |= layers.get(layer["id"], {})
    return read_document(values)


def counts(evaluation: Any) -> dict[str, int]:
    return {r.layer.id: r.scattered.placements.count for r in evaluation.layers if r.scattered}


def test_a_document_survives_a_round_trip() -> None:
    document = teasel_fen()
    assert read_document(write_document(document)) == document


@pytest.mark.parametrize(
    ("change", "error", "words"),
    [
        (lambda d: d | {"version": 99}, DocumentError, "newer Plough"),
        (lambda d: d | {"version": "one"}, DocumentError, "version"),
        (lambda d: d | {"colour": 1}, ParameterError, "colour: there is no such field"),
        (lambda d: {"name": "x"}, DocumentError, "layers"),
        (lambda d: d | {"layers": d["layers"][1:]}, DocumentError, "ground"),
        (lambda d: d | {"layers": d["layers"][:-1]}, DocumentError, "bake"),
        (lambda d: d | {"layers": [*d["layers"][:2], *d["layers"][1:]]}, DocumentError, "more than once"),
    ],
)  # fmt: skip
def test_bad_documents_are_refused(change: Any, error: type[Exception], words: str) -> None:
    with pytest.raises(error, match=words):
        read_document(change(json.loads(json.dumps(SMALL))))


@pytest.mark.parametrize(
    ("layer", "parameters", "words"),
    [
        ("dyke", {"points": [[-40, 0], [40, 0], [40, 40], [0, 30], [0, -40]]}, "crosses itself"),
        ("dyke", {"points": [[0, 0]]}, "points"),
        ("holt", {"corners": [[0, 0], [9, 9], [9, 0], [0, 9]]}, "crosses itself"),
        ("willows", {"fill": 140}, "fill.*100"),
        ("willows", {"size": [120, 80]}, "size.*must not exceed"),
        ("willows", {"spacing": float("nan")}, "spacing.*finite"),
        ("ground", {"size": 1e9}, "size.*4096"),
    ],
)  # fmt: skip
def test_bad_layers_name_the_field(layer: str, parameters: dict[str, Any], words: str) -> None:
    with pytest.raises(ParameterError, match=words):
        small(**{layer: parameters})


def test_text_that_is_no_json_is_refused() -> None:
    with pytest.raises(DocumentError, match="not JSON"):
        read_document(b"{ nothing")


def test_evaluation_computes_only_what_has_changed() -> None:
    evaluator = Evaluator()
    first = evaluator.evaluate(small())
    misses = evaluator.cache.misses
    again = evaluator.evaluate(small())
    assert evaluator.cache.misses == misses, "the same document costs nothing"
    assert [r.key for r in again.layers] == [r.key for r in first.layers]
    changed = evaluator.evaluate(small(sedges={"fill": 30}))
    assert [a.key == b.key for a, b in zip(first.layers, changed.layers, strict=True)] == [True, True, True, True, False, False]
    assert evaluator.cache.misses == misses + 2, "the layer's own points, and their giving way"


def test_a_new_cache_gives_the_same_bytes() -> None:
    a, b = (Evaluator().evaluate(small()) for _ in range(2))
    for x, y in zip(a.layers, b.layers, strict=True):
        if x.scattered and y.scattered:
            assert x.scattered.placements.to_bytes() == y.scattered.placements.to_bytes()


def test_order_is_precedence() -> None:
    document = small()
    before = counts(Evaluator().evaluate(document))
    layers = list(document.layers)
    layers[3], layers[4] = layers[4], layers[3]
    swapped = document.model_copy(update={"layers": tuple(layers)})
    after = counts(Evaluator().evaluate(swapped))
    assert after["sedges"] > before["sedges"]
    assert after["willows"] < before["willows"]


def test_a_hidden_layer_places_nothing_and_bars_nobody() -> None:
    document = small()
    before = counts(Evaluator().evaluate(document))
    hidden = with_layer(document, document.layers[3].model_copy(update={"hidden": True}))
    after = counts(Evaluator().evaluate(hidden))
    assert "willows" not in after
    assert after["sedges"] > before["sedges"]


def test_missing_references_are_told_and_lose_nothing() -> None:
    result = Evaluator().evaluate(small(willows={"areas": ["gone"], "mix": [{"asset": "willow"}, {"asset": "nobody"}]}))
    notes = " ".join(result.layer("willows").notes)
    assert "'gone'" in notes
    assert "'nobody'" in notes


def test_evaluation_can_be_stopped() -> None:
    def stop() -> None:
        raise Superseded("a newer request")

    with pytest.raises(Superseded):
        Evaluator().evaluate(small(), stop)


def test_weight_follows_the_distance() -> None:
    evaluator = Evaluator()
    evaluation = evaluator.evaluate(small())
    near, far = weigh(evaluation, evaluator, (0, 2, 0)), weigh(evaluation, evaluator, (0, 2000, 0))
    willows = evaluation.layer("willows").scattered
    assert willows is not None
    assert near["willows"].instances == willows.placements.count
    exact = sum(int(n) * evaluator.product(v, 0).mesh.triangles for n, v in zip(willows.per_variant(), willows.variants, strict=True))
    assert near["willows"].triangles_near == exact
    assert far["willows"].triangles == 4 * willows.placements.count, "from far away each is a card of four triangles"
    assert far["willows"].triangles < near["willows"].triangles <= exact


def validate(path: Path) -> dict[str, Any]:
    script = (
        "const v=require('gltf-validator');const fs=require('fs');"
        "v.validateBytes(new Uint8Array(fs.readFileSync(process.argv[1])),{maxIssues:200}).then(r=>console.log(JSON.stringify(r.issues)))"
    )
    done = subprocess.run(["node", "-e", script, str(path)], cwd=WEB, capture_output=True, text=True, check=True)
    return json.loads(done.stdout)  # type: ignore[no-any-return]


def test_the_bake_is_valid_complete_and_the_same_each_time(tmp_path: Path) -> None:
    evaluator = Evaluator()
    evaluation = evaluator.evaluate(small())
    seen: list[tuple[int, int]] = []
    result = bake(evaluation, evaluator, lambda done, known, name: seen.append((done, known)))
    assert seen == [(k + 1, len(seen)) for k in range(len(seen))]
    assert bake(evaluation, Evaluator()).files == result.files, "another machine bakes the same bytes"
    for name, data in result.files.items():
        if name.endswith(".glb"):
            path = tmp_path / Path(name).name
            path.write_bytes(data)
            issues = validate(path)
            assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"][:3]
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
    evaluator = Evaluator()
    evaluation = evaluator.evaluate(small())
    document = read_json(bake(evaluation, evaluator).files["scene.glb"])
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
    scattered = evaluation.layer("willows").scattered
    assert scattered is not None
    bodies = [evaluator.product(v, 0).collider.count for v in scattered.variants]
    expected = int(np.dot(bodies, scattered.per_variant()))
    assert sum(instances(document, n) for n in colliders) == expected >= placed["willows"]
    assert all(n["extras"]["blocksMovement"] is True and n["extras"]["collider"] == "capsule" for n in colliders)
    for material in document["materials"]:
        assert material["pbrMetallicRoughness"]["metallicFactor"] == 0
        assert "emissiveFactor" not in material
    # each variant's mesh stands in the file once a level
    names = [m["name"] for m in document["meshes"]]
    assert len(names) == len(set(names))


def test_plain_nodes_are_read_by_another_library_with_the_same_counts() -> None:
    evaluator = Evaluator()
    evaluation = evaluator.evaluate(small(bake={"instancing": False, "levels": False, "colliders": "none", "textures": False}))
    result = bake(evaluation, evaluator)
    scene = trimesh.load(io.BytesIO(result.files["scene.glb"]), file_type="glb")
    placed = counts(evaluation)
    willows = evaluation.layer("willows").scattered
    assert willows is not None
    triangles = 0
    for node in scene.graph.nodes_geometry:
        _, geometry = scene.graph[node]
        triangles += len(scene.geometry[geometry].faces)
    grown = sum(
        int(n) * evaluator.product(v, 0).mesh.triangles
        for r in evaluation.layers if r.scattered
        for n, v in zip(r.scattered.per_variant(), r.scattered.variants, strict=True)
    )  # fmt: skip
    ground = len(scene.geometry[next(g for g in scene.geometry if g.startswith("ground"))].faces)
    path = evaluation.layer("dyke").path
    assert path is not None
    assert triangles == grown + ground + path.mesh.triangles
    assert sum(placed.values()) == sum(1 for n in read_json(result.files["scene.glb"])["nodes"] if n.get("mesh") is not None) - 2


def test_positions_in_the_file_are_those_of_the_placements() -> None:
    evaluator = Evaluator()
    evaluation = evaluator.evaluate(small())
    data = bake(evaluation, evaluator).files["scene.glb"]
    document = read_json(data)
    node = next(n for n in document["nodes"] if n["name"].startswith("willows-willow-1"))
    accessor = document["accessors"][node["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]["TRANSLATION"]]
    view = document["bufferViews"][accessor["bufferView"]]
    start = 12 + 8 + int.from_bytes(data[12:16], "little") + 8 + view["byteOffset"]
    stored = np.frombuffer(data, "<f4", accessor["count"] * 3, start).reshape(-1, 3)
    scattered = evaluation.layer("willows").scattered
    assert scattered is not None
    assert np.array_equal(stored, scattered.placements.position[scattered.placements.variant == 0])


def test_the_parts_are_known_beforehand() -> None:
    evaluator = Evaluator()
    baker = Baker(evaluator.evaluate(small()), evaluator)
    assert [name for name, _ in baker.run()] == baker.parts()


def test_a_damaged_glb_is_refused() -> None:
    with pytest.raises(FormatError, match="glTF"):
        read_json(b"not a glb, but long enough to look at")


def test_a_tree_bears_the_leaf_of_another_asset() -> None:
    leaf = {"id": "broad", "name": "Broad", "kind": "leaf", "parameters": {"width": 1.1}}
    tree = {"id": "t", "name": "T", "kind": "tree", "parameters": {"leaf_asset": "broad", "leaf": {"width": 0.3}}}
    plant = {"id": "p", "name": "P", "kind": "plant", "parameters": {"low": {"leaf_asset": "gone"}}}
    document = read_document(
        {
            "version": 1,
            "name": "S",
            "assets": [leaf, tree, plant],
            "layers": [{"id": "g", "kind": "ground", "name": "G"}, {"id": "b", "kind": "bake", "name": "B"}],
        }
    )
    assets = {a.id: a for a in document.assets}
    parameters, notes = resolved(assets["t"], assets)
    assert parameters["leaf"] == {"width": 1.1}
    assert notes == []
    parameters, notes = resolved(assets["p"], assets)
    assert "leaf" not in parameters["low"]
    assert notes == ["the leaf 'gone' is missing"]


def test_every_levels_silhouette_is_measured() -> None:
    evaluator = Evaluator()
    parameters = {"texture_size": "128", "height": 5}
    variant = Variant("t", "t", "tree", parameters, 3, "key")
    near, middle, far, card = evaluator.differences(variant)
    assert near == 0.0
    assert 0.0 < middle <= 0.06
    assert middle < far
    assert 0.0 < card < 0.5
