"""Two bakes compared: each placement is told once, by its id, whatever format the tables have."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from plough.core.bake.bundle import bake
from plough.core.bake.compare import SEATED, Baked, Table, changes, compare, read_table
from plough.core.library import Library
from plough.core.scene import Evaluator, read_document
from plough.core.scene.document import SceneDocument
from tests.core.test_scene import small

PLAIN = {"levels": False, "textures": False}


def baked(document: SceneDocument, table: str = "csv") -> Baked:
    *layers, last = document.layers
    last = last.model_copy(update={"parameters": {**PLAIN, "table": table}})
    document = document.model_copy(update={"layers": (*layers, last)})
    library = Library()
    files = bake(Evaluator(library).evaluate(document), library).files
    path = f"placements.{table}"
    return Baked(document, json.loads(files["manifest.json"]), read_table(files[path], path))


def with_values(document: SceneDocument, name: str, **values: Any) -> SceneDocument:
    layers = tuple(
        x.model_copy(update={"parameters": {**x.parameters, **values}}) if x.id == name else x
        for x in document.layers
    )
    return document.model_copy(update={"layers": layers})


@pytest.fixture(scope="module")
def first() -> Baked:
    return baked(small())


@pytest.mark.parametrize("form", ["csv", "jsonl", "parquet"])
def test_tables_are_read_back_whatever_their_format(first: Baked, form: str) -> None:
    table = baked(small(), form).table
    np.testing.assert_array_equal(table.ids, first.table.ids)
    np.testing.assert_array_equal(table.numbers, first.table.numbers)
    assert (table.layer == first.table.layer).all()
    assert (table.thing == first.table.thing).all()
    assert len(table.ids) > 400


@pytest.mark.parametrize("form", ["csv", "jsonl", "parquet"])
def test_a_table_of_nothing_is_read_back(form: str) -> None:
    bare = small()
    kept = tuple(x for x in bare.layers if x.kind in ("ground", "bake"))
    table = baked(bare.model_copy(update={"layers": kept}), form).table
    assert len(table.ids) == 0
    assert table.numbers.shape == (0, 10)


def test_what_is_the_same_differs_in_nothing(first: Baked) -> None:
    found = compare(first, first)
    assert {x.change for x in (*found.layers, *found.assets)} == {"same"}
    assert len(found.added) == len(found.removed) == len(found.moved) == 0
    assert all(a == b for _, a, b in found.weight)


def test_each_placement_is_told_once(first: Baked) -> None:
    rng = np.random.default_rng(3)
    table = first.table
    n = len(table.ids)
    kinds = rng.integers(0, 5, n)  # same, gone, moved, turned, of another variant
    numbers = table.numbers.copy()
    numbers[kinds == 2, 0] += 0.01
    numbers[kinds == 3, 3:7] = [0, 1, 0, 0]
    numbers[:, 1] += 0.5 * SEATED  # seated otherwise: nothing has moved by that
    thing = table.thing.copy()
    thing[kinds == 4] = "another 1"
    kept = rng.permutation(np.nonzero(kinds != 1)[0])
    new = Table(
        np.append(table.ids[kept], np.arange(1, 8, dtype=np.uint64)),
        np.append(table.layer[kept], ["willows"] * 7),
        np.append(thing[kept], ["willow 1"] * 7),
        np.concatenate([numbers[kept], np.ones((7, 10), np.float32)]),
    )
    found = compare(first, replace(first, table=new))
    assert len(found.added) == 7
    assert len(found.removed) == (kinds == 1).sum()
    assert len(found.moved) == (kinds == 2).sum()
    np.testing.assert_allclose(found.moved[:, 3] - found.moved[:, 0], 0.01, atol=1e-4)
    assert sum(x.altered for x in found.layers) == np.isin(kinds, (3, 4)).sum()
    for layer in found.layers:
        own = table.layer == layer.id
        assert layer.removed == (own & (kinds == 1)).sum()
        assert layer.moved == (own & (kinds == 2)).sum()
        assert layer.after == layer.before - layer.removed + layer.added
    # the other way round
    back = compare(replace(first, table=new), first)
    assert sorted(map(tuple, back.removed.tolist())) == sorted(map(tuple, found.added.tolist()))
    assert len(back.moved) == len(found.moved)


def test_layers_and_assets_tell_what_was_changed(first: Baked) -> None:
    own = with_values(small(), "willows", fill=20.0)
    assets = tuple(
        a.model_copy(update={"parameters": {**a.parameters, "age": 0.6}}) if a.id == "willow" else a
        for a in own.assets
    )
    found = compare(first, baked(own.model_copy(update={"assets": assets})))
    by_id = {x.id: x for x in found.layers}
    assert by_id["willows"].change == "values"
    assert [(v.path, v.after) for v in by_id["willows"].values] == [("fill", 20.0)]
    assert by_id["ground"].change == "same"
    willow = next(a for a in found.assets if a.id == "willow")
    assert [(v.path, v.after) for v in willow.values] == [("age", 0.6)]
    assert willow.before != willow.after
    # what is not there any more, and what was not there before
    less = own.model_copy(update={"layers": tuple(x for x in own.layers if x.id != "sedges")})
    there = {x.id: x for x in compare(first, baked(less)).layers}
    assert there["sedges"].change == "removed"
    assert there["sedges"].removed == there["sedges"].before > 0
    assert {x.id: x.change for x in compare(baked(less), first).layers}["sedges"] == "added"


def test_leaves_that_differ_are_named_by_their_path() -> None:
    a = {"x": 1, "in": {"y": [1, 2], "z": None}, "gone": True}
    b = {"x": 1.0, "in": {"y": [1, 3], "z": None}, "new": {"deep": 0}}
    found = {v.path: (v.before, v.after) for v in changes(a, b)}
    assert found == {
        "x": (1, 1.0),
        "in.y": ([1, 2], [1, 3]),
        "new.deep": (None, 0),
        "gone": (True, None),
    }


def test_a_document_of_long_ago_is_compared_too(first: Baked) -> None:
    old = read_document(json.loads(first.document.model_dump_json()))
    assert {x.change for x in compare(first, replace(first, document=old)).layers} == {"same"}
