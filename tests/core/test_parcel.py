"""Parcels: what is copied comes along whole, and changes nothing where it is put."""

from __future__ import annotations

import copy
import itertools
import json
from typing import Any

import numpy as np
import pytest

from plough.core.demo import demo_file, teasel_fen
from plough.core.errors import ParameterError
from plough.core.library import Library
from plough.core.scene import Evaluator, read_document
from plough.core.scene.document import SceneDocument
from plough.core.scene.parcel import Unpacked, pack_layers, read_parcel, unpack
from tests.conftest import SMALL

DEMO = teasel_fen()
EVALUATOR = Evaluator(Library(load=demo_file))


def ids() -> Any:
    numbers = itertools.count()
    return lambda: f"new-{next(numbers)}"


def put(document: SceneDocument, unpacked: Unpacked) -> SceneDocument:
    """`document` with what a parcel brought, before the bake."""
    return document.model_copy(
        update={
            "assets": (*document.assets, *unpacked.assets),
            "settings": document.settings.model_copy(
                update={"mixes": (*document.settings.mixes, *unpacked.mixes)}
            ),
            "layers": (*document.layers[:-1], *unpacked.layers, document.layers[-1]),
        }
    )


def sent(document: SceneDocument, *layers: str) -> Any:
    """A parcel as it travels."""
    return read_parcel(json.loads(pack_layers(document, layers).model_dump_json()))


def counts(document: SceneDocument, layer: str) -> Any:
    placed = EVALUATOR.evaluate(document).layer(layer).output.placements
    return placed.per_variant.tolist(), [v.key for v in placed.variants]


def small(**more: Any) -> SceneDocument:
    return read_document({**copy.deepcopy(SMALL), **more})


def test_a_parcel_holds_what_its_layers_place_and_nothing_else() -> None:
    parcel = pack_layers(DEMO, ["moss", "stones"])
    assert [x.id for x in parcel.layers] == ["stones", "moss"]  # in their order
    assert {a.id for a in parcel.assets} == {
        "moss",
        "drift-stone",
        "split-drift-stone",
        "flat-drift-stone",
    }


def test_put_into_another_scene_all_stands_and_refers_as_it_did() -> None:
    brought = unpack(small(), sent(DEMO, "stones", "moss", "landing"), ids())
    merged = read_document(json.loads(put(small(), brought).model_dump_json()))
    area, stones, moss = (x.id for x in brought.layers)
    by_id = {x.id: x for x in merged.layers}
    assert by_id[moss].parameters["on"] == [stones]
    heap = next(c for c in by_id[stones].parameters["conditions"] if c["id"] == "heap")
    assert heap["ids"] == [area]
    clear = next(c for c in by_id[stones].parameters["conditions"] if c["id"] == "clear")
    assert clear["ids"] == ["causeway"]  # it did not come along: told as missing there
    evaluation = EVALUATOR.evaluate(merged)
    told = [f.text for r in evaluation.layers for f in r.output.findings]
    assert all("causeway" in text for text in told) and told
    keys = {v.key for v in evaluation.layer(stones).output.placements.variants}
    assert keys == set(counts(DEMO, "stones")[1])


def test_put_into_the_same_scene_it_brings_no_asset_twice() -> None:
    brought = unpack(DEMO, sent(DEMO, "stones", "moss"), ids())
    assert not brought.assets and not brought.mixes
    assert [x.id for x in brought.layers] == ["new-0", "new-1"]
    assert counts(put(DEMO, brought), "new-0")[1] == counts(DEMO, "stones")[1]


def test_ids_that_are_taken_by_others_are_given_anew() -> None:
    values = copy.deepcopy(SMALL)
    values["assets"].append({"id": "moss", "name": "Another", "kind": "tuft", "seeds": [9]})
    values["assets"].append(
        {
            **next(a for a in DEMO.model_dump(mode="json")["assets"] if a["id"] == "drift-stone"),
            "id": "boulder",
        }
    )
    target = read_document(values)
    brought = unpack(target, sent(DEMO, "stones", "moss"), ids())
    added = {a.id: a.name for a in brought.assets}
    assert "moss" not in added and "drift-stone" not in added
    assert sorted(added.values()) == ["Cushion of moss", "Flat drift stone", "Split drift stone"]
    stones, moss = brought.layers
    assert [e["asset"] for e in stones.parameters["mix"]] == [
        "boulder",
        "split-drift-stone",
        "flat-drift-stone",
    ]
    (own,) = (e["asset"] for e in moss.parameters["mix"])
    assert added[own] == "Cushion of moss"


def test_words_that_are_no_ids_are_left_alone() -> None:
    # the demo's path is called "causeway", and so is a way in which a path shapes the ground
    values = DEMO.model_dump(mode="json")
    path = next(x for x in values["layers"] if x["id"] == "causeway")
    path["parameters"]["shapes"] = "causeway"
    brought = unpack(small(), sent(read_document(values), "causeway", "lanterns"), ids())
    way, lanterns = brought.layers
    assert way.parameters["shapes"] == "causeway"
    assert lanterns.parameters["paths"] == [way.id] != ["causeway"]


def test_kept_mixes_and_what_assets_are_made_with_come_along() -> None:
    mix = {"id": "wet", "name": "Wet", "entries": [{"asset": "willow"}, {"asset": "sedge"}]}
    values = copy.deepcopy(SMALL)
    values["settings"] = {"mixes": [mix]}
    leaf = {"id": "osier", "name": "Osier leaf", "kind": "leaf", "seeds": [1]}
    values["assets"] = [{**a, "parameters": {**a["parameters"]}} for a in values["assets"]] + [leaf]
    values["assets"][0]["parameters"]["leaf_asset"] = "osier"
    next(x for x in values["layers"] if x["id"] == "willows")["parameters"]["mix"] = [
        {"asset": "wet", "weight": 2}
    ]
    source = read_document(values)
    parcel = sent(source, "willows")
    assert [m.id for m in parcel.mixes] == ["wet"]
    assert {a.id for a in parcel.assets} == {"willow", "sedge", "osier"}
    # into a scene in which all of these ids mean something else
    other = copy.deepcopy(values)
    other["settings"]["mixes"][0]["name"] = "Other"
    for asset in other["assets"]:
        asset["name"] += " of here"
    target = read_document(other)
    brought = unpack(target, parcel, ids())
    assert len(brought.assets) == 3 and len(brought.mixes) == 1
    merged = put(target, brought)
    names = {a.id: a for a in merged.assets}
    (layer,) = brought.layers
    (kept,) = brought.mixes
    assert [e["asset"] for e in layer.parameters["mix"]] == [kept.id] != ["wet"]
    willow, sedge = (names[e.asset] for e in kept.entries)
    assert (willow.name, sedge.name) == ("Willow", "Sedge")
    assert names[willow.parameters["leaf_asset"]].name == "Osier leaf"
    assert willow.parameters["leaf_asset"] not in {a.id for a in target.assets}


def test_an_asset_does_not_take_the_id_of_a_mix_that_is_there() -> None:
    mix = {"id": "moss", "name": "Wet", "entries": [{"asset": "sedge"}]}
    target = small(settings={"mixes": [mix]})
    brought = unpack(target, sent(DEMO, "moss"), ids())
    (asset,) = brought.assets
    assert asset.id != "moss"
    assert [e["asset"] for e in brought.layers[0].parameters["mix"]] == [asset.id]


def test_putting_it_in_changes_nothing_of_what_was_there() -> None:
    before = EVALUATOR.evaluate(small())
    after = EVALUATOR.evaluate(put(small(), unpack(small(), sent(DEMO, "tussocks"), ids())))
    for result in before.layers:
        assert after.layer(result.layer.id).key == result.key
    assert np.sum(counts(after.document, "new-0")[0]) > 0


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"layers": []}, "layers"),
        ({"plough": 99}, "plough"),
        ({"plough": 1}, "plough"),
        ({"layers": [{"id": "g", "kind": "ground", "name": "G"}]}, "one ground"),
        ({"layers": [{"id": "g", "kind": "odd", "name": "G"}]}, "odd"),
        (
            {"assets": [{"id": "a", "name": "A", "kind": "tree", "parameters": {"height": -4}}]},
            "height",
        ),
        ({"more": 1}, "more"),
    ],
)
def test_a_parcel_that_is_wrong_names_the_field(change: Any, words: str) -> None:
    with pytest.raises(ParameterError, match=words):
        read_parcel(json.loads(pack_layers(DEMO, ["moss"]).model_dump_json()) | change)


def test_the_ground_and_the_bake_are_not_copied() -> None:
    for name, words in (("ground", "one ground"), ("bake", "one bake"), ("none", "no layer")):
        with pytest.raises(ParameterError, match=words):
            pack_layers(DEMO, [name])


def test_what_is_locked_is_not_where_it_is_put_and_all_else_of_it_is_the_same() -> None:
    document = small()
    layers = tuple(
        x.model_copy(update={"locked": True, "hidden": True, "notes": {"zone": "a"}})
        for x in document.layers
    )
    locked = document.model_copy(update={"layers": layers})
    (made,) = unpack(document, sent(locked, "willows"), ids()).layers
    assert (made.locked, made.hidden, made.notes) == (False, True, {"zone": "a"})
