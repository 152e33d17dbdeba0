"""What is set down by hand stands where it was put, on whatever the ground becomes, and nothing else moves it."""

from __future__ import annotations

import copy
import json
import math
from typing import Any

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from plough.core.errors import ParameterError
from plough.core.layers.by_hand import ByHandParameters
from plough.core.parameters import build
from plough.core.place.by_hand import MOST_SET
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.loose import facing_of, set_loose
from plough.core.scene.parcel import pack_layers, unpack
from plough.core.vectors import rotations
from plough.service.limits import MOST_JSON
from tests.conftest import SMALL
from tests.core.test_brush import by_id
from tests.core.test_touches import OWN
from tests.core.test_touches import scene as ruled_by
from tests.depth import examples

EVALUATOR = Evaluator()


def ruled(kind: str, *touches: dict[str, Any], game: Any = None, **own: Any) -> Any:
    """A scene with a layer of a rule; `game` is what of it the tiers keep."""
    document = ruled_by(kind, *touches, **own)
    if game:
        next(x for x in document["layers"] if x["id"] == "ruled")["game"] = game
    return document


def thing(id: str = "a", **own: Any) -> dict[str, Any]:
    return {"id": id, "asset": "sedge", "seed": 4, "at": [3, -7], **own}


def scene(*things: dict[str, Any], **ground: Any) -> Any:
    document = copy.deepcopy(SMALL)
    document["layers"][0]["parameters"] |= ground
    parameters = {"mix": [{"asset": "sedge"}], "placed": list(things)}
    layer = {"id": "set", "kind": "by_hand", "name": "Set", "parameters": parameters}
    document["layers"].insert(-1, layer)
    return document


def run(document: Any) -> Evaluation:
    return EVALUATOR.evaluate(read_document(document))


def placed(found: Evaluation) -> Any:
    placements = found.layer("set").output.placements
    assert placements is not None
    return placements.whole()


@given(
    turn=st.floats(0, 360),
    way=st.floats(0, 2 * math.pi),
    level=st.floats(0, 2),
)
def test_it_faces_as_it_is_turned_and_its_up_is_where_it_points(
    turn: float, way: float, level: float
) -> None:
    up = np.array([[level * math.cos(way), level * math.sin(way)]])
    q = Rotation.from_quat(rotations(np.radians([turn]), up).astype(np.float64))
    y = q.apply([0, 1, 0])[0]
    part = min(level, 2 - level)
    high = math.copysign(math.sqrt(1 - part**2), 1 - level)
    assert y == pytest.approx([part * math.cos(way), high, part * math.sin(way)], abs=2e-3)
    # untilted, its front looks clockwise from north
    front = Rotation.from_quat(rotations(np.radians([turn]), np.zeros((1, 2)))).apply([0, 0, 1])[0]
    north = math.radians(turn)
    assert front == pytest.approx([math.sin(north), 0, -math.cos(north)], abs=1e-5)


@given(st.lists(st.floats(-1, 1), min_size=4, max_size=4).filter(lambda q: max(map(abs, q)) > 0.1))
@example([0, 0, 0, 1])
@example([1, 0, 0, 0])
@example([0, 0, 1, 0])
@example([1, 0, 1e-5, 0])
def test_however_a_thing_lies_it_can_be_told(turn: list[float]) -> None:
    lies = Rotation.from_quat(turn)
    degrees, up = facing_of(lies.as_quat()[None])
    assert (np.abs(up) <= 2.0).all()
    again = Rotation.from_quat(rotations(np.radians(degrees), up)[0])
    assert np.degrees((lies.inv() * again).magnitude()) < 0.1


things = st.lists(
    st.builds(
        thing,
        st.integers(0, 10**6).map(lambda n: f"t{n}"),
        asset=st.just("willow"),
        seed=st.sampled_from([1, 2]),
        at=st.tuples(st.floats(-60, 60), st.floats(-60, 60)),
        lift=st.floats(-2, 9),
        turn=st.floats(0, 360),
        up=st.tuples(st.floats(-0.7, 0.7), st.floats(-0.7, 0.7)),
        size=st.floats(0.1, 5),
        tall=st.floats(0.5, 2),
    ),
    min_size=1,
    max_size=8,
    unique_by=lambda t: t["id"],
)


@settings(max_examples=examples(25), deadline=None)
@given(things, st.data())
def test_each_stands_as_it_was_set_and_no_other_acts_on_it(
    several: list[dict[str, Any]], data: st.DataObject
) -> None:
    found = run(scene(*several))
    p = placed(found)
    assert len(p.ids) == len(several)
    for t in several:
        (alone,) = by_id(run(scene(t)), "set").items()
        assert alone in by_id(found, "set").items()
        row = p.ids.tolist().index(alone[0])
        ground = found.surface.sample(*np.array([[t["at"][0]], [t["at"][1]]], float))
        assert p.position[row] == pytest.approx(
            [t["at"][0], ground.position[0, 1] + t["lift"], t["at"][1]], abs=1e-4
        )
        assert p.scale[row] == pytest.approx(
            [t["size"], t["size"] * t["tall"], t["size"]], rel=1e-5
        )
    gone = data.draw(st.integers(0, len(several) - 1))
    left = run(scene(*(t for k, t in enumerate(several) if k != gone)))
    assert by_id(left, "set").items() < by_id(found, "set").items()


def test_it_goes_with_the_ground_and_the_layers_before_it_are_nothing_to_it() -> None:
    up = {"id": "u", "brush": "raise", "radius": 20, "amount": 4, "points": [[3, -7]]}
    things = [thing(lift=0.4), thing("far", at=[-50, 50])]
    before, raised = placed(run(scene(*things))), placed(run(scene(*things, strokes=[up])))
    assert raised.position[:, 1] - before.position[:, 1] == pytest.approx([4, 0], abs=1e-3) or (
        raised.position[:, 1] - before.position[:, 1] == pytest.approx([0, 4], abs=1e-3)
    )
    document = scene(*things)
    document["layers"] = [x for x in document["layers"] if x["kind"] != "scatter"]
    assert by_id(run(document), "set") == by_id(run(scene(*things)), "set")


def test_two_layers_with_things_of_one_name_have_placements_of_their_own() -> None:
    document = scene(thing(), thing("b"))
    again = copy.deepcopy(next(x for x in document["layers"] if x["id"] == "set"))
    document["layers"].insert(-1, again | {"id": "again"})
    found = run(document)
    assert set(by_id(found, "set")).isdisjoint(by_id(found, "again"))


def test_beyond_the_ground_it_stands_above_nothing() -> None:
    (y,) = placed(run(scene(thing(at=[900, 900], lift=2.5)))).position[:, 1].tolist()
    assert y == 2.5


def test_what_is_missing_is_told_and_no_other_stands_for_it() -> None:
    things = [thing(), thing("b", asset="gone"), thing("c", seed=9), thing("d", seed=9)]
    output = run(scene(*things)).layer("set").output
    assert {f.code: f.text for f in output.findings} == {
        "missing-asset": "the asset 'gone' is missing",
        "missing-seed": "2 stand in the seed 9 of sedge, which is gone",
    }
    assert len(placed(run(scene(*things))).ids) == 1


def test_they_are_put_into_another_scene_with_their_assets() -> None:
    document = read_document(scene(thing(), thing("b", asset="willow", seed=2)))
    parcel = pack_layers(document, ["set"])
    assert {a.id for a in parcel.assets} == {"sedge", "willow"}
    other = copy.deepcopy(SMALL)
    other["assets"][0]["seeds"] = [9]  # the id is taken by another
    names = iter(f"new{k}" for k in range(9))
    put = unpack(read_document(other), parcel, lambda: next(names))
    (layer,) = put.layers
    first, second = (t["asset"] for t in layer.parameters["placed"])
    assert first == "sedge" and second in {a.id for a in put.assets} and second != "willow"


@pytest.mark.parametrize(
    ("values", "field"),
    [
        ({"size": 0}, "placed.0.size"),
        ({"tall": 21}, "placed.0.tall"),
        ({"turn": 361}, "placed.0.turn"),
        ({"lift": 501}, "placed.0.lift"),
        ({"up": [2.1, 0]}, "placed.0.up"),
        ({"at": [0, 9000]}, "placed.0.at"),
        ({"asset": "a b"}, "placed.0.asset"),
        ({"lean": 1}, "placed.0.lean"),
    ],
)
def test_what_is_out_of_its_limits_is_refused_by_its_field(
    values: dict[str, Any], field: str
) -> None:
    with pytest.raises(ParameterError) as refused:
        build(ByHandParameters, {"placed": [thing() | values]}, "")
    assert refused.value.field.startswith(field)
    with pytest.raises(ParameterError, match="10000"):
        build(ByHandParameters, {"placed": [thing(f"s{k}") for k in range(10_001)]}, "")


@pytest.mark.parametrize("kind", OWN)
def test_a_rule_set_loose_stands_as_it_stood_and_what_ruled_it_may_go(kind: str) -> None:
    mirrored = {"mirrored": 40, "tilt": 20} if kind in ("scatter", "brush") else {}
    touch = {"id": "1", "removed": True}
    document = read_document(ruled(kind, touch, game={"console": 30}, **mirrored))
    before = EVALUATOR.evaluate(read_document(ruled(kind, touch, **mirrored)))
    loose = set_loose(EVALUATOR, document, "ruled")
    changed = ruled(kind)
    layer = next(x for x in changed["layers"] if x["id"] == "ruled")
    layer |= {"kind": loose.kind, "parameters": loose.parameters}
    changed["layers"] = [x for x in changed["layers"] if x["kind"] not in ("path", "scatter")]
    after = EVALUATOR.evaluate(read_document(changed))

    def all_of(found: Evaluation) -> Any:
        of = found.layer("ruled").output.placements
        assert of is not None
        p = of.whole()
        return p, np.array([of.variants[v].label for v in p.variant.tolist()])

    (a, one), (b, other) = all_of(before), all_of(after)
    assert len(one) == len(other) > 10
    away, near = cKDTree(b.position).query(a.position)
    assert away.max() < 1e-3 and len(set(near.tolist())) == len(one)
    assert (one == other[near]).all()
    assert np.abs(a.scale - b.scale[near]).max() < 1e-4
    turned = Rotation.from_quat(a.rotation).inv() * Rotation.from_quat(b.rotation[near])
    assert np.degrees(turned.magnitude()).max() < 0.2
    assert set(loose.parameters) == {"mix", "placed"}
    # as many as can be set loose are one request
    size = len(json.dumps(loose.parameters)) / len(one)
    assert size * MOST_SET < MOST_JSON


def test_what_cannot_be_set_loose_says_why() -> None:
    document = read_document(ruled("along", spin=20))
    many = read_document(ruled("scatter", spacing=0.5, fill=100))
    for scene_, layer, why in (
        (document, "ruled", "what spins stays with its rule"),
        (many, "ruled", "no more than 10,000 can be set loose"),
        (document, "dyke", "nothing of Dyke stands"),
        (document, "gone", "there is no layer 'gone'"),
    ):
        with pytest.raises(ParameterError, match=why):
            set_loose(EVALUATOR, scene_, layer)
