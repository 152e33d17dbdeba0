"""Documents, evaluation and weight."""

import json
from typing import Any

import pytest

from plough.core.demo import teasel_fen
from plough.core.errors import DocumentError, FormatError, ParameterError, Superseded
from plough.core.formats.glb_read import read_json
from plough.core.library import Library
from plough.core.library.library import switch_distances
from plough.core.migrate import VERSION
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.document import with_layer, write_document
from plough.core.scene.weight import weigh
from tests.conftest import SMALL
from tests.models import FILES, NEEDS


def small(**layers: dict[str, Any]) -> Any:
    values = json.loads(json.dumps(SMALL))
    for layer in values["layers"]:
        layer["parameters"] = layer["parameters"] | layers.get(layer["id"], {})
    return read_document(values)


def counts(evaluation: Evaluation) -> dict[str, int]:
    found = {r.layer.id: r.output.placements for r in evaluation.layers}
    return {name: placed.count for name, placed in found.items() if placed}


def bytes_of(evaluation: Evaluation) -> dict[str, bytes]:
    found = {r.layer.id: r.output.placements for r in evaluation.layers}
    return {name: placed.whole().to_bytes() for name, placed in found.items() if placed}


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
        (
            lambda d: d | {"layers": [*d["layers"][:2], *d["layers"][1:]]},
            DocumentError,
            "more than once",
        ),
    ],
)
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
)
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
    same = [a.key == b.key for a, b in zip(first.layers, changed.layers, strict=True)]
    assert same == [True, True, True, True, False, True]
    assert evaluator.cache.misses == misses + 4, (
        "the layer's four tiles, of candidates that are held"
    )


def test_a_default_that_is_written_out_or_a_whole_number_changes_no_key() -> None:
    evaluator = Evaluator()
    first = evaluator.evaluate(small())
    misses = evaluator.outputs.misses
    same = small(ground={"seed": 1, "roughness": 0.42}, willows={"turn": 360.0, "spacing": 9.0})
    second = evaluator.evaluate(same)
    assert evaluator.outputs.misses == misses
    assert [r.key for r in second.layers] == [r.key for r in first.layers]


def test_a_new_cache_gives_the_same_bytes() -> None:
    assert bytes_of(Evaluator().evaluate(small())) == bytes_of(Evaluator().evaluate(small()))


def test_order_is_precedence() -> None:
    document = small()
    before = counts(Evaluator().evaluate(document))
    layers = list(document.layers)
    layers[3], layers[4] = layers[4], layers[3]
    swapped = document.model_copy(update={"layers": tuple(layers)})
    giving = with_layer(
        swapped,
        swapped.layers[4].model_copy(
            update={"parameters": {**swapped.layers[4].parameters, "apart": 2}}
        ),
    )
    after = counts(Evaluator().evaluate(giving))
    assert after["sedges"] > before["sedges"]
    assert after["willows"] < before["willows"]


def test_a_hidden_layer_places_nothing_and_bars_nobody() -> None:
    document = small()
    before = counts(Evaluator().evaluate(document))
    hidden = with_layer(document, document.layers[3].model_copy(update={"hidden": True}))
    after = counts(Evaluator().evaluate(hidden))
    assert "willows" not in after
    assert after["sedges"] > before["sedges"]


def test_a_hidden_path_is_not_seen_but_still_kept_clear_of() -> None:
    document = small()
    shown = Evaluator().evaluate(document)
    hidden = Evaluator().evaluate(
        with_layer(document, document.layers[1].model_copy(update={"hidden": True}))
    )
    assert shown.layer("dyke").output.solids
    assert not hidden.layer("dyke").output.solids
    assert bytes_of(hidden) == bytes_of(shown)


def test_missing_references_are_told_and_lose_nothing() -> None:
    result = Evaluator().evaluate(
        small(willows={"areas": ["gone"], "mix": [{"asset": "willow"}, {"asset": "nobody"}]})
    )
    found = {f.code: f.text for f in result.layer("willows").output.findings}
    assert "'gone'" in found["missing-area"]
    assert "'nobody'" in found["missing-asset"]


def test_evaluation_can_be_stopped() -> None:
    def stop() -> None:
        raise Superseded("a newer request")

    with pytest.raises(Superseded):
        Evaluator().evaluate(small(), stop)


def with_asset(name: str, **changes: Any) -> Any:
    values = json.loads(json.dumps(SMALL))
    for asset in values["assets"]:
        if asset["id"] == name:
            asset |= changes
    return read_document(values)


def test_the_look_of_an_asset_samples_nothing_again() -> None:
    evaluator = Evaluator()
    before = evaluator.evaluate(small())
    misses = evaluator.cache.misses
    willow = next(a for a in SMALL["assets"] if a["id"] == "willow")  # type: ignore[union-attr, index]
    painted = with_asset("willow", parameters={**willow["parameters"], "bark_light": "#aa8866"})
    after = evaluator.evaluate(painted)
    assert evaluator.cache.misses == misses, "neither candidates nor tiles"
    assert bytes_of(after) == bytes_of(before)
    assert after.layer("willows").key != before.layer("willows").key, "but it looks different"
    placed = [e.layer("willows").output.placements for e in (before, after)]
    assert all(a.variants[0].key != b.variants[0].key for a, b in [placed])  # type: ignore[union-attr, misc]


def test_the_level_of_the_water_rebuilds_no_terrain_and_moves_nothing() -> None:
    evaluator = Evaluator()
    before = evaluator.evaluate(small())
    misses = evaluator.cache.misses
    wet = evaluator.evaluate(small(ground={"water": True, "water_level": -0.5}))
    wetter = evaluator.evaluate(small(ground={"water": True, "water_level": -0.25}))
    assert evaluator.cache.misses == misses
    assert wet.surface is before.surface
    assert bytes_of(wetter) == bytes_of(before)
    levels = [e.layer("ground").output.solids[0].mesh.positions[0, 1] for e in (wet, wetter)]
    assert levels == [-0.5, -0.25]


def test_every_placement_of_a_scene_has_an_id_of_its_own() -> None:
    values = json.loads(json.dumps(SMALL))
    twin = {
        "kind": "scatter",
        "parameters": {"mix": [{"asset": "sedge"}], "spacing": 3, "apart": 0},
    }
    values["layers"][3:5] = [
        {"id": "one", "name": "One", **twin},
        {"id": "two", "name": "Two", **twin},
    ]
    evaluation = Evaluator().evaluate(read_document(values))
    one, two = (evaluation.layer(n).output.placements for n in ("one", "two"))
    assert one is not None
    assert two is not None
    ids = [set(p.whole().ids.tolist()) for p in (one, two)]
    assert not ids[0] & ids[1]
    places = [{tuple(p) for p in x.whole().position[:, [0, 2]].tolist()} for x in (one, two)]
    assert not places[0] & places[1], "two new scatters with default seeds do not coincide"


def test_weight_follows_the_distance() -> None:
    evaluator = Evaluator()
    library = evaluator.library
    evaluation = evaluator.evaluate(small())
    near, far = (weigh(evaluation, library, eye) for eye in ((0, 2, 0), (0, 2000, 0)))
    placed = evaluation.layer("willows").output.placements
    assert placed is not None
    assert near["willows"].instances == placed.count
    numbers = zip(placed.per_variant, placed.variants, strict=True)
    exact = sum(int(n) * library.level(v, 0).mesh.triangles for n, v in numbers)
    assert near["willows"].triangles_near == exact
    assert far["willows"].triangles == 4 * placed.count, "from far away each is a card"
    assert far["willows"].triangles < near["willows"].triangles <= exact


def test_weight_is_that_of_every_placement_by_itself_and_draws_no_card() -> None:
    library = Library()
    evaluation = Evaluator(library).evaluate(small())
    eye = (12.0, 3.0, -20.0)
    weights = weigh(evaluation, library, eye)
    assert not [k for k in library.cache._held if k[0] in ("impostor", "albedo", "maps")]  # type: ignore[index]
    for name in ("willows", "sedges"):
        placed = evaluation.layer(name).output.placements
        assert placed is not None
        total = 0
        whole = placed.whole()
        for position, scale, row in zip(whole.position, whole.scale, whole.variant, strict=True):
            variant = placed.variants[row]
            near = library.level(variant, 0)
            distance = sum((float(a) - b) ** 2 for a, b in zip(position, eye, strict=True)) ** 0.5
            limits = switch_distances((near.height, near.canopy_radius))
            level = sum(distance / float(scale[1]) > limit for limit in limits)
            total += library.level(variant, level).mesh.triangles
        assert weights[name].triangles == total


def test_weighing_can_be_stopped() -> None:
    evaluation = Evaluator().evaluate(small())

    def stop() -> None:
        raise Superseded("a newer request")

    with pytest.raises(Superseded):
        weigh(evaluation, Library(), (0, 2, 0), stop)


@pytest.mark.parametrize("version", [1, 2])
def test_a_document_of_an_older_version_is_read_under_the_names_of_today(version: int) -> None:
    values = json.loads(json.dumps(SMALL)) | {"version": version}
    values["assets"][0]["parameters"] |= {
        "complexity": 0.5,
        "leaf": {"cuts": 0.3, "cut_count": 5},
        "first": {"count": 8, "pull": -0.2},
        "straighten": 0.4,
        "crown_up": 0.1,
        "game": {"card": "eight"},
    }
    values["assets"].append(
        {
            "id": "bush",
            "name": "Bush",
            "kind": "shrub",
            "seeds": [1],
            "parameters": {"limbs": 5, "upward": 0.3},
        }
    )
    values["layers"][-1]["parameters"] = {"ground_step": "4", "textures": False}
    document = read_document(values)
    assert document.version == VERSION
    parameters = document.assets[0].parameters
    assert parameters["fullness"] == 0.5
    assert parameters["leaf"] == {"tears": 0.3, "tear_count": 5}
    assert parameters["first"] == {"count": 8, "gravitropism": -0.2}
    assert (parameters["gravitropism"], parameters["crown_gravitropism"]) == (0.4, 0.1)
    assert parameters["game"] == {"impostor": "eight"}
    assert document.assets[-1].parameters == {"branches": 5, "gravitropism": 0.3}
    assert document.layers[-1].parameters == {"textures": False}


def test_a_damaged_glb_is_refused() -> None:
    with pytest.raises(FormatError, match="glTF"):
        read_json(b"not a glb, but long enough to look at")


def test_an_asset_whose_file_is_not_here_is_told_and_left_out_until_it_comes() -> None:
    document = json.loads(json.dumps(SMALL))
    scatter = next(x for x in document["layers"] if x["kind"] == "scatter")
    own = scatter["parameters"]["mix"][0]["asset"]
    asset = next(a for a in document["assets"] if a["id"] == own)
    asset |= {"kind": "mesh", "parameters": dict(NEEDS["mesh"]), "seeds": [1]}
    files: dict[str, bytes] = {}

    def load(name: str) -> bytes:
        if name not in files:
            raise FormatError("its file is not here")
        return files[name]

    evaluator = Evaluator(Library(load=load))

    def placed(scene: dict[str, Any]) -> tuple[int, list[str]]:
        output = evaluator.evaluate(read_document(scene)).layer(scatter["id"]).output
        count = output.placements.count if output.placements else 0
        return count, [f.text for f in output.findings if f.code == "missing-file"]

    assert placed(document) == (0, [f"{asset['name']}: its file is not here"])
    files.update(FILES)
    count, told = placed(document)
    assert count > 0
    assert told == []
    asset["parameters"] = {}
    assert placed(document) == (0, [f"{asset['name']}: it has no file"])
