"""Kinds of layer: one module each, known by nobody."""

import ast
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from plough.core.bake import bake
from plough.core.demo import demo_file
from plough.core.errors import ParameterError
from plough.core.formats.glb_read import read_json
from plough.core.library import Library
from plough.core.scene import Evaluator, read_document, registry
from plough.core.scene.ways import way, way_document, ways_of
from plough.core.scene.weight import weigh
from tests.conftest import SMALL
from tests.core.test_along import scene as with_posts

ROOT = Path(__file__).resolve().parents[2]
CAIRNS = '''
"""Piles of cairns: small heaps of flat stones beside the paths they mark."""

import numpy as np

from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh, Part
from plough.core.parameters import Parameters, count, number
from plough.core.place.placements import Placements, cut
from plough.core.scene.document import MixEntry
from plough.core.scene.facets import Output, TiledPlacements, solid
from plough.core.scene.registry import layer_kind


class CairnParameters(Parameters):
    cairns: int = count(5, "Cairns", (1, 99))
    height: float = number(0.8, "Height", (0.1, 4), unit="m")
    mix: tuple[MixEntry, ...] = ()


@layer_kind("pile of cairns", "Cairns", "Heaps of stones.", CairnParameters, gives=("solids",))
def evaluate(p, inputs):
    x = np.linspace(-40, 40, p.cairns)
    at = inputs.surface().sample(x, np.full(p.cairns, 9.0)).position.astype(np.float32)
    corner = np.array([[-1, 0, -1], [0, 0, 1], [1, 0, -1], [0, 1, 0]], np.float32) * p.height
    faces = np.array([[0, 2, 1], [0, 1, 3], [1, 2, 3], [2, 0, 3]], np.uint32)
    stones = []
    for k, place in enumerate(at):
        normals = np.tile(np.array([0, 1, 0], np.float32), (4, 1))
        mesh = Mesh(corner + place, normals, corner[:, :2], faces, (Part("stone", 0, 4),))
        stones.append(solid(f"{k}", mesh, {"stone": Material("stone", color=(0.3, 0.3, 0.28))}))
    mix, n = inputs.mix(p.mix), np.arange(p.cairns, dtype=np.uint64)
    ids = n + np.uint64(inputs.seed(0))
    turn, size = np.tile(np.float32([0, 0, 0, 1]), (p.cairns, 1)), np.ones((p.cairns, 3), "f4")
    tufts = Placements(ids, mix.choices.choose(ids), at + np.float32([1, 0, 0]), turn, size)
    return Output(solids=tuple(stones), placements=TiledPlacements(mix.variants, tuple(cut(tufts))))
'''


@pytest.fixture
def cairns() -> Iterator[dict[str, Any]]:
    """A scene with a layer of a kind that nothing else has heard of."""
    assert len([line for line in CAIRNS.splitlines() if line.strip()]) <= 40
    exec(compile(CAIRNS, "cairns", "exec"), {"__name__": "cairns"})
    layer = {
        "id": "marks",
        "kind": "pile of cairns",
        "name": "Marks",
        "parameters": {"cairns": 7, "mix": [{"asset": "sedge"}]},
    }
    yield {**SMALL, "layers": [*SMALL["layers"][:3], layer, *SMALL["layers"][4:]]}
    del registry._KINDS["pile of cairns"]


def test_a_kind_of_one_module_is_evaluated_weighed_and_baked(cairns: dict[str, Any]) -> None:
    library = Library()
    evaluation = Evaluator(library).evaluate(read_document(cairns))
    output = evaluation.layer("marks").output
    assert len(output.solids) == 7
    weight = weigh(evaluation, library, (0, 2, 0))["marks"]
    assert weight.instances == 14
    assert weight.triangles > 28
    result = bake(evaluation, library)
    nodes = {n["name"]: n for n in read_json(result.files["scene.glb"])["nodes"]}
    assert len(nodes["marks solids"]["children"]) == 7
    assert nodes["marks"]["extras"]["placements"] == 7
    assert result.files["placements.csv"].decode().count(",marks,sedge,") == 7
    sedges = evaluation.layer("sedges").output.placements
    assert sedges is not None
    standing = output.placements
    assert standing is not None
    gap = sedges.whole().position[:, None, [0, 2]] - standing.whole().position[None, :, [0, 2]]
    assert np.linalg.norm(gap, axis=2).min() >= 2 - 1e-4, "later layers give way to it"


def sources() -> Iterator[Path]:
    yield from (p for p in (ROOT / "src").rglob("*.py") if p.parent.name != "layers")
    for suffix in ("*.ts", "*.svelte"):
        web = (ROOT / "web" / "src").rglob(suffix)
        yield from (p for p in web if "layers" not in p.parts and p.name != "schema.ts")


def test_nobody_decides_by_a_kind_of_layer() -> None:
    names = set(registry.all_layer_kinds()) | {"along", "brush", "wall", "by_hand", "street"}
    word = "|".join(sorted(names))
    decides = re.compile(
        rf"kind\w* *(===?|!==?) *[\"']({word})[\"']|[\"']({word})[\"'] *(===?|!==?) *[\w.]*kind"
        rf"|kind\w* (not )?in *[(\[{{][^)\]}}]*[\"']({word})[\"']"
        rf"|[(\[{{][^)\]}}]*[\"']({word})[\"'][^)\]}}]*[)\]}}]\.(includes|has)\(\w*\.?kind"
    )
    assert decides.search('if layer.kind == "scatter"')
    assert decides.search("['path', 'area'].includes(layer.kind)")
    found = [
        f"{path.relative_to(ROOT)}: {line.strip()}"
        for path in sources()
        for line in path.read_text().splitlines()
        if decides.search(line)
    ]
    assert found == []


def test_only_layers_and_the_bake_import_kinds_of_layer() -> None:
    for path in (ROOT / "src").rglob("*.py"):
        if path.parent.name in ("layers", "bake"):
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom):
                assert not (node.module or "").startswith("plough.core.layers"), path


@pytest.mark.parametrize("name", registry.all_layer_kinds())
def test_every_kind_says_what_its_results_hold(name: str) -> None:
    kind = registry.get_layer_kind(name)
    document = with_posts()
    mix = [{"asset": "sedge"}]
    stroke = {"id": "s", "radius": 9, "points": [[0, 0]]}
    for kind_name, own in (
        ("surfaces", {"on": ["posts"]}),
        ("climber", {"points": [[0, 0]], "on": ["posts"], "starts": "foot", "share": 100}),
        ("air", {"points": [[0, 0]]}),
        ("pile", {"points": [[0, 0]], "mix": [{"asset": "willow"}]}),
        ("brush", {"strokes": [stroke]}),
        ("by_hand", {"placed": [{"id": "p", "asset": "sedge", "seed": 4, "at": [0, 0]}]}),
        ("wall", {"points": [[-20, 30], [20, 30]]}),
        ("bricks", {"points": [[-20, 34], [20, 34]]}),
        ("fence", {"points": [[-20, 38], [20, 38]]}),
        ("hedge", {"points": [[-20, 42], [20, 42]]}),
        ("street", {"paths": [next(x["id"] for x in document["layers"] if x["kind"] == "path")]}),
    ):
        layer = {"id": kind_name, "kind": kind_name, "name": kind_name}
        bears = {"mix": mix} if registry.get_layer_kind(kind_name).holds("mix") else {}
        document["layers"].insert(-1, {**layer, "parameters": {**bears, **own}})
    evaluation = Evaluator().evaluate(read_document(document))
    output = next(r.output for r in evaluation.layers if r.layer.kind == name)
    held = {
        "surface": output.surface is not None,
        "curve": bool(output.curves),
        "region": bool(output.regions),
        "placements": output.placements is not None,
        "blocks": output.blocks is not None,
        "elevation": output.elevation is not None,
    }
    assert {facet for facet, there in held.items() if there} == set(kind.gives) - {"solids"}
    assert not output.solids or "solids" in kind.gives


@pytest.mark.parametrize("name", [w.name for w in ways_of("scatter")])
def test_a_way_to_begin_a_scatter_places_something_in_each_of_its_layers(name: str) -> None:
    chosen = way("scatter", name)
    document = way_document(chosen)
    evaluation = Evaluator(Library(load=demo_file)).evaluate(document)
    for layer in chosen.layers:
        result = evaluation.layer(layer["id"])
        assert result.output.placements is not None and result.output.placements.count > 15
        assert not result.output.findings
        assert (np.bincount(result.output.placements.whole().variant) > 0).any()
    used = {e["asset"] for x in chosen.layers for e in x["parameters"]["mix"]}
    assert used == {*chosen.assets, *chosen.meshes}, "it brings what it places and nothing else"


def test_a_way_refers_to_what_it_is_called_where_it_is_added() -> None:
    ids = {"oak": "a1", "sapling": "a2", "fern": "a3", "trees": "l1", "young": "l2", "floor": "l3"}
    made = way("scatter", "forest").made(ids)
    assert [x["parameters"]["mix"][0]["asset"] for x in made] == ["a1", "a2", "a3"]
    assert made[1]["parameters"]["conditions"][0]["ids"] == ["l1"]
    assert way("scatter", "forest").layers[1]["parameters"]["mix"][0]["asset"] == "sapling"
    with pytest.raises(ParameterError, match="reed-edge"):
        way("scatter", "jungle")
