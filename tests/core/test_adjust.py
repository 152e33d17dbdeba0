"""Many placements changed together: the chosen and no others, by exactly what was asked for."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest
import trimesh
from scipy.spatial.distance import pdist
from scipy.spatial.transform import Rotation

from plough.core.demo import demo_file
from plough.core.errors import ParameterError
from plough.core.ground import HeightField
from plough.core.library import Library
from plough.core.mesh.value import Mesh, Part
from plough.core.place.clear import stand_clear
from plough.core.place.placements import Placements
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.adjust import MOST_CHOSEN, MOST_FITTED, Adjusted, Change, adjust
from plough.core.scene.trouble import trouble
from plough.service.fields import flatten, nested
from tests.core.test_touches import OWN
from tests.core.test_touches import scene as ruled_by
from tests.core.test_trouble import rule, thing
from tests.core.test_trouble import scene as set_by_hand

EVALUATOR = Evaluator(Library(load=demo_file))
HAND = [
    thing("a", at=[40, 40], turn=10),
    thing("b", at=[44, 40], lift=0.3, size=1.2, up=[0.2, -0.1]),
    thing("c", "willow", at=[40, 47], turn=200, tall=1.1),
    thing("d", "sedge", at=[50, 50]),
    thing("e", "sedge", at=[20, 50], lift=2),
]
KINDS = [*OWN, "by_hand"]


def make(kind: str) -> tuple[Any, str]:
    """A scene, and the layer of it whose placements are chosen."""
    return (set_by_hand(*HAND), "set") if kind == "by_hand" else (ruled_by(kind), "ruled")


def run(document: Any) -> Evaluation:
    return EVALUATOR.evaluate(read_document(document))


def stands(document: Any, layer: str) -> dict[int, dict[str, Any]]:
    """All placements of a layer, by id."""
    found = run(document)
    placed = found.layer(layer).output.placements
    assert placed is not None
    p = placed.whole()
    ground = found.surface.sample(*(p.position[:, k].astype(np.float64) for k in (0, 2))).position[
        :, 1
    ]
    return {
        i: {
            "bytes": b"".join(getattr(p, n)[k].tobytes() for n in Placements.__slots__),
            "at": p.position[k, [0, 2]].astype(float),
            "lift": float(p.position[k, 1] - ground[k]),
            "rotation": Rotation.from_quat(p.rotation[k].astype(float)),
            "scale": p.scale[k].astype(float),
            "variant": placed.variants[p.variant[k]],
        }
        for k, i in enumerate(p.ids.tolist())
    }


def chosen(document: Any, layer: str, count: int = 3) -> list[int]:
    ids = sorted(stands(document, layer))
    return ids[:: max(1, len(ids) // count)][:count]


def adjusted(document: Any, layer: str, ids: list[int], **change: Any) -> tuple[Any, Adjusted]:
    made = adjust(
        EVALUATOR, read_document(document), layer, [str(i) for i in ids], Change(**change)
    )
    out = copy.deepcopy(document)
    own = next(x for x in out["layers"] if x["id"] == layer)
    fields = flatten(own["parameters"], "p") | flatten(made.parameters, "p")
    own["parameters"] = nested(fields, "p")
    return out, made


@pytest.mark.parametrize("kind", KINDS)
def test_the_chosen_change_by_what_is_asked_for_and_no_others(kind: str) -> None:
    document, layer = make(kind)
    ids, before = chosen(document, layer), stands(document, layer)
    after = stands(
        adjusted(document, layer, ids, move=(1.5, -2.0), turn=30, size=1.25, lift=0.4)[0], layer
    )
    assert before.keys() == after.keys()
    for i in before:
        was, now = before[i], after[i]
        if i not in ids:
            assert was["bytes"] == now["bytes"]
            continue
        assert now["at"] - was["at"] == pytest.approx([1.5, -2.0], abs=1e-3)
        assert now["lift"] - was["lift"] == pytest.approx(0.4, abs=2e-3)
        assert now["scale"] / was["scale"] == pytest.approx([1.25] * 3, rel=1e-4)
        front, was_front = (r["rotation"].apply([0, 0, 1]) for r in (now, was))
        if (
            was["rotation"].apply([0, 1, 0])[1] > 0.9999
        ):  # of one that stands upright the turn is plain to see
            turned = np.degrees(
                np.arctan2(
                    was_front[0] * front[2] - was_front[2] * front[0],
                    was_front[[0, 2]] @ front[[0, 2]],
                )
            )
            assert turned == pytest.approx(30, abs=0.05)


@pytest.mark.parametrize("kind", KINDS)
def test_nothing_asked_for_changes_nothing(kind: str) -> None:
    document, layer = make(kind)
    ids = chosen(document, layer)
    for change in ({}, {"move": (0, 0)}, {"turn": 0.0, "size": 1.0}, {"lift": 0.0}):
        assert adjusted(document, layer, ids, **change)[1].parameters == {}


@pytest.mark.parametrize("kind", KINDS)
def test_numbers_that_are_not_relative_are_alike_for_all(kind: str) -> None:
    document, layer = make(kind)
    ids, before = chosen(document, layer), stands(document, layer)
    document, _ = adjusted(
        document,
        layer,
        ids,
        relative=False,
        turn=90,
        size=0.8,
        lift=0.25,
        up="upright",
        move=(10, 12),
    )
    after = stands(document, layer)
    at, was = (np.array([s[i]["at"] for i in ids]) for s in (after, before))
    assert 0.5 * (at.min(axis=0) + at.max(axis=0)) == pytest.approx([10, 12], abs=1e-3)
    assert pdist(at) == pytest.approx(pdist(was), abs=2e-3)  # as they lay to each other
    for i in ids:
        assert after[i]["lift"] == pytest.approx(0.25, abs=2e-3)
        assert after[i]["scale"][0] == pytest.approx(0.8, abs=1e-4)
        assert after[i]["rotation"].apply([0, 1, 0]) == pytest.approx([0, 1, 0], abs=1e-5)
        assert after[i]["rotation"].apply([0, 0, 1]) == pytest.approx([1, 0, 0], abs=1e-4)  # east
    again = adjusted(document, layer, ids, relative=False, turn=90, size=0.8, lift=0.25)[1]
    assert not any("turn" in v or "size" in v for v in again.parameters.values())


def test_they_turn_and_grow_as_one_about_the_middle_of_all() -> None:
    document, layer = make("by_hand")
    ids, before = sorted(stands(document, layer)), stands(document, layer)
    after = stands(adjusted(document, layer, ids, about="middle", turn=90)[0], layer)
    was, now = (np.array([s[i]["at"] for i in ids]) for s in (before, after))
    middle = 0.5 * (was.min(axis=0) + was.max(axis=0))
    # a quarter clockwise, seen from above: what lay east lies south
    assert now - middle == pytest.approx(
        np.stack([-(was - middle)[:, 1], (was - middle)[:, 0]], axis=1), abs=1e-3
    )
    grown = stands(adjusted(document, layer, ids, about="middle", size=2.0)[0], layer)
    assert np.array([grown[i]["at"] for i in ids]) - middle == pytest.approx(
        2 * (was - middle), abs=1e-3
    )


def test_along_their_own_axes_each_goes_its_own_way() -> None:
    document, layer = make("by_hand")
    before = stands(document, layer)
    ids = [i for i in before if before[i]["rotation"].apply([0, 1, 0])[1] > 0.9999]
    for move, axis in (((0, 2), [0, 0, 1]), ((2, 0), [1, 0, 0])):
        after = stands(adjusted(document, layer, ids, axes="own", move=move)[0], layer)
        for i in ids:
            way = before[i]["rotation"].apply(axis)[[0, 2]]
            assert after[i]["at"] - before[i]["at"] == pytest.approx(2 * way, abs=2e-3)


@pytest.mark.parametrize("kind", ["by_hand", "scatter"])
@pytest.mark.parametrize("axes", ["scene", "own"])
def test_they_lean_by_so_many_degrees_the_way_that_is_asked_for(kind: str, axes: str) -> None:
    document, layer = make(kind)
    before = stands(document, layer)
    ids = [i for i in before if before[i]["rotation"].apply([0, 1, 0])[1] > 0.9999][:3]
    assert ids
    for lean, axis in (((20, 0), [1, 0, 0]), ((0, -35), [0, 0, -1])):
        after = stands(adjusted(document, layer, ids, axes=axes, lean=lean)[0], layer)
        for i in ids:
            way = before[i]["rotation"].apply(axis) if axes == "own" else np.array(axis)
            angle = np.radians(max(np.abs(lean)))
            up = after[i]["rotation"].apply([0, 1, 0])
            assert up[[0, 2]] == pytest.approx(np.sin(angle) * way[[0, 2]], abs=2e-3)
            assert up[1] == pytest.approx(np.cos(angle), abs=2e-3)
    once, _ = adjusted(document, layer, ids, lean=(12, 5))
    back = stands(adjusted(once, layer, ids, lean=(-12, -5))[0], layer)
    level = stands(adjusted(once, layer, ids, lean=(0, 0), relative=False)[0], layer)
    for i in ids:
        for now in (back, level):
            assert now[i]["rotation"].apply([0, 1, 0])[1] > 0.99999


def test_they_are_swapped_for_another_of_the_layers_assets() -> None:
    for kind in ("scatter", "by_hand"):
        document, layer = make(kind)
        ids = chosen(document, layer)
        after = stands(adjusted(document, layer, ids, asset="sedge", seed=4)[0], layer)
        assert {(after[i]["variant"].asset, after[i]["variant"].seed) for i in ids} == {
            ("sedge", 4)
        }
        with pytest.raises(ParameterError, match="places no 'sedge' with the seed 5"):
            adjusted(document, layer, ids, asset="sedge", seed=5)
        with pytest.raises(ParameterError, match="together with a seed"):
            adjusted(document, layer, ids, asset="sedge")


@pytest.mark.parametrize("kind", KINDS)
def test_they_are_taken_out_and_given_back_to_their_rule(kind: str) -> None:
    document, layer = make(kind)
    ids, before = chosen(document, layer), stands(document, layer)
    out, _ = adjusted(document, layer, ids, do="remove")
    assert stands(out, layer).keys() == before.keys() - set(ids)
    moved, _ = adjusted(document, layer, ids, move=(1, 1))
    if kind == "by_hand":
        with pytest.raises(ParameterError, match="no rule to give them back to"):
            adjusted(moved, layer, ids, do="rule")
        return
    for changed in (out, moved):
        back, _ = adjusted(changed, layer, ids, do="rule")
        assert {i: s["bytes"] for i, s in stands(back, layer).items()} == {
            i: s["bytes"] for i, s in before.items()
        }


@pytest.mark.parametrize("kind", [k for k in KINDS if k not in ("surfaces", "air")])
def test_what_is_loosened_keeps_its_height_whatever_becomes_of_the_ground(kind: str) -> None:
    document, layer = make(kind)
    ids, before = chosen(document, layer), stands(document, layer)

    def height(d: Any) -> dict[int, float]:
        whole = run(d).layer(layer).output.placements.whole()
        told = zip(whole.ids.tolist(), whole.position[:, 1].tolist(), strict=True)
        return {i: y for i, y in told if i in ids}

    was = height(document)
    loose, made = adjusted(document, layer, ids, do="loosen")
    assert len(made.parameters) == len(ids)
    assert height(loose) == pytest.approx(was, abs=1e-3)
    assert adjusted(loose, layer, ids, do="loosen")[1].parameters == {}
    ground = next(x for x in loose["layers"] if x["kind"] == "ground")
    ground["parameters"] |= {"relief": 7}
    there = height(loose)  # of a rule, some may not stand there now
    assert there and all(there[i] == pytest.approx(was[i], abs=1e-3) for i in there)
    ground["parameters"] |= {"relief": 5}
    # moved about, they stay on their level; lifted, they rise by that
    moved, _ = adjusted(loose, layer, ids, move=(3, 2), lift=0.5)
    assert height(moved) == pytest.approx({i: y + 0.5 for i, y in was.items()}, abs=1e-3)
    back, _ = adjusted(loose, layer, ids, do="follow")
    ground = next(x for x in back["layers"] if x["kind"] == "ground")
    ground["parameters"] |= {"relief": 7}
    after = stands(back, layer)
    for i in set(ids) & after.keys():
        assert after[i]["lift"] == pytest.approx(before[i]["lift"], abs=3e-3)


def test_what_was_set_down_is_doubled_with_all_that_it_has() -> None:
    document, layer = make("by_hand")
    before = stands(document, layer)
    ids = sorted(before)[:3]
    twice, _ = adjusted(document, layer, ids, do="double", move=(3, 0))
    after = stands(twice, layer)
    assert len(after) == len(before) + 3
    assert all(after[i]["bytes"] == before[i]["bytes"] for i in before)
    fresh = [after[i] for i in after.keys() - before.keys()]
    for i in ids:
        near = min(fresh, key=lambda s: np.hypot(*(s["at"] - before[i]["at"] - [3, 0])))
        assert near["at"] == pytest.approx(before[i]["at"] + [3, 0], abs=1e-3)
        assert near["scale"] == pytest.approx(before[i]["scale"])
        assert near["variant"].key == before[i]["variant"].key
    again, _ = adjusted(twice, layer, ids, do="double", move=(3, 3))
    assert len(stands(again, layer)) == len(before) + 6
    with pytest.raises(ParameterError, match="set it loose first"):
        adjusted(*make("scatter"), chosen(*make("scatter")), do="double")


def test_what_is_dropped_lies_on_what_is_beneath_it() -> None:
    document = set_by_hand(
        thing("a"),
        thing("b", at=[40.1, 40], lift=7),
        thing("c", at=[50, 30], lift=5),
        thing("d", at=[90, 0], lift=1),
    )
    ids = sorted(stands(document, "set"))
    down, made = adjusted(document, "set", ids, do="drop")
    after = {t["id"]: {"lift": 0.0, **t} for t in down["layers"][-2]["parameters"]["placed"]}
    assert made.told == "1 of them have nothing beneath them"
    assert after["a"]["lift"] == pytest.approx(0, abs=0.4) and after["c"]["lift"] == pytest.approx(
        0, abs=0.4
    )
    assert 0.4 < after["b"]["lift"] < 2  # on the stone
    down["layers"][-2]["parameters"]["placed"] = [t for t in after.values() if t["id"] != "d"]
    found = trouble(run(down), EVALUATOR.library).findings
    assert [f.code for f in found] == []


def lowest(triangles: Any, x: Any, z: Any) -> Any:
    """(n,) height of the lowest triangle (m, 3, 3) over each place of the map; infinite where there is none."""
    out = np.full(len(x), np.inf)
    for a, b, c in triangles:
        area = (b[0] - a[0]) * (c[2] - a[2]) - (b[2] - a[2]) * (c[0] - a[0])
        if abs(area) < 1e-12:
            continue
        u = ((x - a[0]) * (c[2] - a[2]) - (z - a[2]) * (c[0] - a[0])) / area
        v = ((b[0] - a[0]) * (z - a[2]) - (b[2] - a[2]) * (x - a[0])) / area
        inside = (u >= 0) & (v >= 0) & (u + v <= 1)
        out[inside] = np.minimum(
            out[inside], (a[1] + u * (b[1] - a[1]) + v * (c[1] - a[1]))[inside]
        )
    return out


def bottoms(document: Any, id: int) -> float:
    """Metres of the lowest that a placement's mesh is above the ground, place by place."""
    found = run(document)
    one = stands(document, "set")[id]
    mesh = EVALUATOR.library.level(one["variant"], 0).mesh
    corners = one["rotation"].apply(mesh.positions.astype(float) * one["scale"])
    low, high = corners.min(axis=0), corners.max(axis=0)
    x, z = (g.ravel() for g in np.meshgrid(*(np.linspace(low[k], high[k], 61) for k in (0, 2))))
    y = lowest(corners[mesh.indices.astype(int)], x, z)
    met = np.isfinite(y)
    x, y, z = x[met], y[met], z[met]
    foot = found.surface.sample(one["at"][:1], one["at"][1:]).position[0, 1] + one["lift"]
    ground = found.surface.sample(one["at"][0] + x, one["at"][1] + z).position[:, 1]
    return float((foot + y - ground).min())


@pytest.mark.parametrize("seed", range(6))
def test_what_stands_clear_of_the_ground_does_not_cut_it(seed: int) -> None:
    rng = np.random.default_rng(seed)
    things = [
        thing(
            f"t{k}",
            at=rng.uniform(-50, 50, 2).round(2).tolist(),
            lift=round(rng.uniform(-1.5, 0.5), 2),
            turn=round(rng.uniform(0, 360)),
            size=round(rng.uniform(0.5, 3), 2),
            up=rng.uniform(-0.4, 0.4, 2).round(3).tolist(),
        )
        for k in range(5)
    ]
    document = set_by_hand(*things)
    document["layers"][0]["parameters"] |= {"relief": 14, "feature": 25}
    ids, before = sorted(stands(document, "set")), stands(document, "set")
    cut = {i: bottoms(document, i) for i in ids}
    assert min(cut.values()) < -0.1
    clear, _ = adjusted(document, "set", ids, do="clear")
    after = stands(clear, "set")
    for i in ids:
        gap = bottoms(clear, i)
        assert gap > -1e-3
        assert (after[i]["at"] == before[i]["at"]).all() and (
            after[i]["scale"] == before[i]["scale"]
        ).all()
        if cut[i] > 0.01:
            assert after[i]["bytes"] == before[i]["bytes"]  # it was clear already
        else:
            assert gap < 0.05  # and stands no higher than it must
    assert adjusted(clear, "set", ids, do="clear")[1].parameters == {}


@pytest.mark.parametrize("high", [0.3, 1.2])
def test_a_knoll_does_not_rise_into_a_face_between_its_corners(high: float) -> None:
    slab = trimesh.creation.box((4, 0.2, 4))
    slab.vertices[:, 1] += 0.1
    mesh = Mesh(
        slab.vertices.astype(np.float32),
        slab.vertex_normals.astype(np.float32),
        np.zeros((8, 2), np.float32),
        slab.faces.astype(np.uint32),
        (Part("slab", 0, 12),),
    )
    at = np.arange(-16, 16.25, 0.25)
    knoll = high * np.exp(-(at[None, :] ** 2 + (at[:, None] - 0.7) ** 2) / 0.3)
    field = HeightField(knoll.astype(np.float32), 32.0)
    upright, ones = np.zeros(2), np.ones(3)
    up, lift = stand_clear(mesh, np.zeros(2), 0.0, upright, ones, field, 0.0)
    foot = float(field.sample(np.zeros(1), np.zeros(1)).position[0, 1])
    # where the slab is square to the vertical, its bottom clears the top of the knoll
    tilt = float(np.hypot(*up))
    assert foot + lift + tilt * 0.7 > high - 0.01
    assert foot + lift < high + 0.1


@pytest.mark.parametrize("by", ["apart", "footprints"])
def test_what_is_pushed_apart_stands_into_nothing_and_stays_on_the_ground(by: str) -> None:
    rng = np.random.default_rng(4)
    things = [
        thing(
            f"t{k}",
            at=(rng.uniform(-3, 3, 2) + 40).round(2).tolist(),
            turn=round(rng.uniform(0, 360)),
        )
        for k in range(14)
    ]
    document = set_by_hand(*things, more=[rule()])
    before = stands(document, "set")
    assert (
        sum(f.code == "intersecting" for f in trouble(run(document), EVALUATOR.library).findings)
        > 8
    )
    apart, made = adjusted(document, "set", sorted(before), do=by)
    after = stands(apart, "set")
    assert made.told == ""
    for i in before:
        assert after[i]["lift"] == pytest.approx(before[i]["lift"], abs=2e-3)
        assert np.hypot(*(after[i]["at"] - before[i]["at"])) < 4
    found = [
        f
        for f in trouble(run(apart), EVALUATOR.library).findings
        if f.code == "intersecting" and f.layer == "set"
    ]
    if by == "apart":
        assert found == []
        assert adjusted(apart, "set", sorted(before), do=by)[1].parameters == {}
    else:
        at = np.array([after[i]["at"] for i in after])
        foot = EVALUATOR.library.foot(next(iter(after.values()))["variant"])
        assert pdist(at).min() > 2 * foot - 1e-3


def test_mistakes_name_the_field_and_the_limit() -> None:
    document, layer = make("by_hand")
    ids = sorted(stands(document, layer))
    for change, words in (
        ({"size": 30.0}, "size: 5 of 5 would be beyond 0.05 to 20"),
        ({"lift": 499.5}, "lift: 1 of 5 would be beyond -500 to 500"),
        ({"move": (4_090.0, 0)}, "4,096 m"),
    ):
        with pytest.raises(ParameterError, match=words):
            adjusted(document, layer, ids, **change)
    with pytest.raises(ParameterError, match="1 of them are not there any more"):
        adjusted(document, layer, [*ids, 5], turn=1)
    with pytest.raises(ParameterError, match="whole number of 64 bits"):
        adjust(EVALUATOR, read_document(document), layer, ["-1"], Change(turn=1))
    with pytest.raises(ParameterError, match="no layer"):
        adjust(EVALUATOR, read_document(document), "nobody", ["1"], Change())
    with pytest.raises(ParameterError, match="no placements to change"):
        adjust(EVALUATOR, read_document(document), "ground", ["1"], Change())


def test_the_same_one_twice_is_once_and_what_is_not_there_is_not_taken_out() -> None:
    for kind in ("scatter", "by_hand"):
        document, layer = make(kind)
        (one,) = chosen(document, layer, 1)
        for change in ({"do": "remove"}, {"turn": 10}, {"do": "drop", "lift": 3.0}):
            _, made = adjusted(document, layer, [one, one], **change)
            assert len(made.parameters) <= 1
        with pytest.raises(ParameterError, match="not there any more"):
            adjusted(document, layer, [12345], do="remove")


@pytest.mark.parametrize("do", ["drop", "clear", "apart", "footprints"])
def test_very_many_are_not_fitted_at_once(do: str) -> None:
    many = [thing(f"t{k}", "sedge", [k % 60, 20 + k // 60]) for k in range(MOST_FITTED + 1)]
    document = set_by_hand(*many)
    ids = sorted(stands(document, "set"))
    with pytest.raises(ParameterError, match="no more than 500 can be fitted"):
        adjusted(document, "set", ids, do=do)


def test_what_falls_from_far_above_falls_at_once_and_onto_what_is_there() -> None:
    document = set_by_hand(thing("a"), thing("b", at=[40.1, 40], lift=480.0))
    (high,) = (i for i, s in stands(document, "set").items() if s["lift"] > 100)
    near = set_by_hand(thing("a"), thing("b", at=[40.1, 40], lift=7.0))
    down, low = (
        next(
            s["lift"]
            for i, s in stands(adjusted(d, "set", [high], do="drop")[0], "set").items()
            if i == high
        )
        for d in (document, near)
    )
    assert 0.4 < down < 2 and down == pytest.approx(low, abs=0.06)


def test_no_more_touches_than_a_layer_may_have() -> None:
    document = ruled_by("scatter", spacing=0.8)
    ids = sorted(stands(document, "ruled"))
    assert len(ids) > MOST_CHOSEN
    many, _ = adjusted(document, "ruled", ids[:MOST_CHOSEN], lift=0.1)
    with pytest.raises(ParameterError, match="more than 5,000 touches"):
        adjusted(many, "ruled", ids[MOST_CHOSEN - 3 :][:5], lift=0.1)
    adjusted(many, "ruled", ids[:5], lift=0.1)  # those that are touched already may be again
