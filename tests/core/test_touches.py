"""Edits by hand of single placements: they hang on ids, change nothing else, survive every re-run, and wait."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plough.core.errors import ParameterError
from plough.core.parameters import build
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.registry import all_layer_kinds
from tests.conftest import SMALL
from tests.core.test_brush import by_id
from tests.depth import examples

EVALUATOR = Evaluator()
MIX = [{"asset": "willow"}, {"asset": "sedge"}]
OWN: dict[str, dict[str, Any]] = {
    "scatter": {"spacing": 6, "apart": 0},
    "brush": {"spacing": 6, "apart": 0, "strokes": [{"id": "s", "radius": 50, "points": [[0, 0]]}]},
    "along": {"paths": ["dyke"], "spacing": 4, "offset": 3},
    "surfaces": {"on": ["willows"], "spacing": 0.4},
    "air": {"points": [[0, 0]], "count": 40},
    "pile": {"points": [[0, 0]], "count": 40, "radius": 20},
    "hedge": {"points": [[-30, 0], [30, 10]], "spacing": 1},
    "street": {"paths": ["dyke"], "trees": MIX, "tree_spacing": 3},
    "climber": {
        "points": [[0, 0]],
        "on": ["willows"],
        "starts": "foot",
        "share": 100,
        "stems": 4,
        "dense": 8,
        "size": [5, 8],  # of a willow, so that leaves are leaves
    },
}
"""Every kind of layer that has touches, with what makes it place many."""


def scene(kind: str, *touches: dict[str, Any], **own: Any) -> Any:
    document = copy.deepcopy(SMALL)
    parameters = {"mix": MIX, **OWN[kind], "touches": list(touches), **own}
    layer = {"id": "ruled", "kind": kind, "name": "Ruled", "parameters": parameters}
    document["layers"].insert(-1, layer)
    return document


def run(document: Any) -> Evaluation:
    return EVALUATOR.evaluate(read_document(document))


def placed(found: Evaluation) -> Any:
    placements = found.layer("ruled").output.placements
    assert placements is not None
    return placements.whole()


def one(found: Evaluation, id: int) -> dict[str, Any]:
    """All of one placement."""
    p = placed(found)
    row = p.ids.tolist().index(id)
    of = found.layer("ruled").output.placements
    assert of is not None
    variant = of.variants[p.variant[row]]
    return {
        "position": p.position[row].astype(float),
        "rotation": p.rotation[row].astype(float),
        "scale": p.scale[row].astype(float),
        "variant": (variant.asset, variant.seed),
    }


def told(found: Evaluation) -> list[str]:
    return [f.text for f in found.layer("ruled").output.findings if f.code == "waiting-touch"]


def ground_under(found: Evaluation, position: Any) -> float:
    at = found.surface.sample(position[:1], position[2:])
    return float(at.position[0, 1])


def test_every_kind_that_places_by_rule_has_touches() -> None:
    kinds = all_layer_kinds()
    placing = {n for n, k in kinds.items() if "placements" in k.gives}
    having = {n for n, k in kinds.items() if "touches" in k.parameters.model_fields}
    assert having == set(OWN) == placing - {"by_hand"}


@pytest.mark.parametrize("kind", OWN)
def test_a_touch_changes_its_own_and_nothing_else(kind: str) -> None:
    plain = run(scene(kind))
    before = by_id(plain, "ruled")
    assert len(before) > 12, "there is something to touch"
    ids = sorted(before)
    gone, moved, turned, swapped, larger = ids[:5]
    kept = one(plain, swapped)["variant"]
    other = next(v for v in (("willow", 1), ("willow", 2), ("sedge", 4)) if v != kept)
    touches = [
        {"id": f"{gone}", "removed": True},
        {"id": f"{moved}", "at": [-50, 55]},
        {"id": f"{turned}", "turn": 90, "up": [0.6, 0]},
        {"id": f"{swapped}", "asset": other[0], "seed": other[1]},
        {"id": f"{larger}", "size": 2, "tall": 0.5, "lift": 3},
    ]
    found = run(scene(kind, *touches))
    after = by_id(found, "ruled")
    assert set(after) == set(before) - {gone}
    # rows of variants may differ where none of one is left: the rest is told by bytes
    assert {i: t for i, t in after.items() if i not in ids[:5]} == {
        i: t for i, t in before.items() if i not in ids[:5]
    }
    a, b = one(plain, moved), one(found, moved)
    lift = [x["position"][1] - ground_under(found, x["position"]) for x in (a, b)]
    assert b["position"][[0, 2]] == pytest.approx([-50, 55]) and lift[0] == pytest.approx(
        lift[1], abs=2e-3
    )
    assert (b["rotation"] == a["rotation"]).all() and (b["scale"] == a["scale"]).all()
    up = Rotation.from_quat(one(found, turned)["rotation"]).apply([0, 1, 0])
    assert up == pytest.approx([0.6, 0.8, 0], abs=1e-3)
    assert (one(found, turned)["position"] == one(plain, turned)["position"]).all()
    assert one(found, swapped)["variant"] == other
    grown = one(found, larger)
    assert grown["scale"][:2] == pytest.approx([2, 1])
    assert grown["position"][1] - ground_under(found, grown["position"]) == pytest.approx(
        3, abs=1e-3
    )
    # dropped, all is as it was
    assert by_id(run(scene(kind)), "ruled") == before
    assert by_id(run(scene(kind, *touches[1:])), "ruled").items() >= {gone: before[gone]}.items()
    assert not told(found)


CHANGES: dict[str, list[dict[str, Any]]] = {
    "scatter": [{"fill": 95}, {"size": [60, 70]}, {"lean": 100}, {"crowns": True}],
    "brush": [{"size": [60, 70]}, {"sink": [20, 30]}],
    "along": [{"size": [60, 70]}, {"turn": 0}, {"offset": 4}],
    "surfaces": [{"size": [60, 70]}, {"fill": 95}],
    "air": [{"size": [60, 70]}],
    "pile": [{"size": [60, 70]}, {"how": "set"}],
    "hedge": [{"size": [60, 70]}, {"turn": 0}, {"bank": 1.5}],
    "street": [{"turn": 40}, {"lamps": MIX}, {"paved": "flags"}],
    "climber": [{"size": [6, 9]}, {"tilt": 0}, {"thick": 0}],
}


@pytest.mark.parametrize("kind", OWN)
def test_touches_survive_what_becomes_of_their_layer_and_of_all_before_it(kind: str) -> None:
    ids = sorted(by_id(run(scene(kind)), "ruled"))
    raised = {
        "id": "u",
        "brush": "raise",
        "radius": 200,
        "amount": 6,
        "falloff": 0,
        "points": [[0, 0]],
    }
    touches = [
        {"id": f"{ids[0]}", "removed": True},
        {"id": f"{ids[1]}", "at": [40, -41], "lift": 0.5, "turn": 30, "size": 1.5},
    ]
    documents = [scene(kind, *touches, **own) for own in CHANGES[kind]]
    shaped = scene(kind, *touches)
    shaped["layers"][0]["parameters"]["strokes"] = [raised]
    fewer = scene(kind, *touches)
    if kind != "surfaces":  # it stands on them
        fewer["layers"] = [
            x for x in fewer["layers"] if x["kind"] != "scatter" or x["id"] == "ruled"
        ]
    for document in (*documents, shaped, fewer):
        found = run(document)
        there = placed(found).ids.tolist()
        if ids[1] not in there:
            assert told(found), "what is not there waits, and is told"
            continue
        assert ids[0] not in there
        it = one(found, ids[1])
        assert it["position"][[0, 2]] == pytest.approx([40, -41])
        assert it["position"][1] - ground_under(found, it["position"]) == pytest.approx(
            0.5, abs=1e-3
        )
        assert it["scale"] == pytest.approx([1.5, 1.5, 1.5], rel=1e-5) or not document["layers"]


def test_one_whose_placement_is_gone_waits_and_acts_when_it_is_back() -> None:
    ids = sorted(by_id(run(scene("scatter")), "ruled"))
    touches = [{"id": f"{i}", "removed": True} for i in ids]
    none = run(scene("scatter", *touches, fill=70))
    assert not len(placed(none).ids) and not told(none)
    few = run(scene("scatter", *touches, fill=20))
    assert not len(placed(few).ids)
    assert told(few)[0].endswith("touches wait: their placements are not there now")
    assert told(run(scene("scatter", {"id": "7", "removed": True}))) == [
        "1 touch waits: its placement is not there now"
    ]
    lost = run(scene("scatter", {"id": f"{ids[0]}", "asset": "gone", "seed": 1}))
    assert told(lost) and by_id(lost, "ruled") == by_id(run(scene("scatter")), "ruled")
    # nothing that was removed comes back through a later layer's eyes
    more = run(scene("scatter", *touches, fill=90))
    assert set(placed(more).ids.tolist()).isdisjoint(ids) and len(placed(more).ids)


@settings(max_examples=examples(20), deadline=None)
@given(st.data())
def test_in_any_order_and_from_any_cache_they_give_the_same(data: st.DataObject) -> None:
    ids = sorted(by_id(run(scene("scatter")), "ruled"))
    chosen = data.draw(st.lists(st.sampled_from(ids), min_size=1, max_size=6, unique=True))
    point = st.tuples(st.floats(-60, 60), st.floats(-60, 60))
    touches = [{"id": f"{i}", "at": data.draw(point)} for i in chosen]
    found = run(scene("scatter", *touches))
    again = Evaluator().evaluate(read_document(scene("scatter", *reversed(touches))))
    assert by_id(found, "ruled") == by_id(again, "ruled")
    of = found.layer("ruled").output.placements
    assert of is not None
    for tile in of.tiles:  # each in the tile that it stands in
        assert (
            np.floor(tile.placements.position[:, [0, 2]].astype(float) / 64) == [tile.x, tile.z]
        ).all()
    assert len({(t.x, t.z) for t in of.tiles}) == len(of.tiles)


def test_later_layers_give_way_to_what_was_moved() -> None:
    document = scene("scatter")
    later = {"mix": [{"asset": "sedge"}], "spacing": 2, "fill": 100, "apart": 4}
    document["layers"].insert(
        -1, {"id": "later", "kind": "scatter", "name": "Later", "parameters": later}
    )
    ids = sorted(by_id(run(document), "ruled"))
    layer = next(x for x in document["layers"] if x["id"] == "ruled")
    layer["parameters"]["touches"] = [{"id": f"{ids[0]}", "at": [11, 12]}]
    found = run(document)
    at = found.layer("later").output.placements.whole().position[:, [0, 2]]  # type: ignore[union-attr]
    assert np.hypot(*(at - [11, 12]).T).min() >= 4 - 1e-3


@pytest.mark.parametrize(
    "values",
    [
        {"id": "a"},
        {"id": f"{2**64}"},
        {"id": "1", "up": [0, 0]},
        {"id": "1", "turn": 3, "up": [2.1, 0]},
        {"id": "1", "asset": "sedge"},
        {"id": "1", "size": 0},
        {"id": "1", "at": [0, 9000]},
        {"id": "1", "pushed": True},
    ],
)
@pytest.mark.parametrize("kind", OWN)
def test_what_is_out_of_its_limits_is_refused_by_its_field(
    kind: str, values: dict[str, Any]
) -> None:
    model = all_layer_kinds()[kind].parameters
    with pytest.raises(ParameterError) as refused:
        build(model, {**OWN[kind], "touches": [values]}, "")
    assert refused.value.field.startswith("touches.0")


def test_touches_of_nothing_at_all_only_wait() -> None:
    touches = [{"id": f"{k}", "removed": True} for k in range(3)]
    found = run(scene("scatter", *touches, fill=0))
    assert not len(placed(found).ids) and told(found)[0].startswith("3 touches wait")
