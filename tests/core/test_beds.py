"""Beds and causeways: they run as they are told, meet the ground, and leave all else as it was."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.ground import HeightField, TerrainParameters, make_terrain
from plough.core.ground.beds import FALL, Bed, bed_heights, with_bed
from plough.core.ground.paths import Strip, near_line, path_curve
from plough.core.place.placements import Placements
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.weight import weigh_layer
from tests.conftest import SMALL
from tests.depth import examples

FIELD = make_terrain(TerrainParameters(size=256, resolution=1, relief=14, feature=45, seed=5))
CURVE = path_curve([(-100.0, -30.0), (-30.0, 20.0), (30.0, -20.0), (100.0, 30.0)], 6.0)
FLOWS = ("no", "falls", "balanced")


def along(field: HeightField) -> Any:
    return field.height(CURVE.line[:, 0], CURVE.line[:, 1])


def distance() -> Any:
    """(n, n) metres from each sample to the line."""
    at = np.linspace(-128, 128, 257)
    x, z = np.meshgrid(at, at)
    out = np.full(x.shape, np.inf)
    for px, pz in CURVE.line:
        out = np.minimum(out, np.hypot(x - px, z - pz))
    return out


@pytest.mark.parametrize("flow", ["falls", "balanced"])
@settings(max_examples=examples(20), deadline=None)
@given(seed=st.integers(0, 2**31), depth=st.floats(0.1, 6), relief=st.floats(1, 40))
def test_a_bed_that_flows_never_rises(flow: Any, seed: int, depth: float, relief: float) -> None:
    p = TerrainParameters(size=256, resolution=2, relief=relief, feature=45, seed=seed)
    field = make_terrain(p)
    middle = bed_heights(field, CURVE, Bed(-depth, 0.7, flow))
    steps = np.hypot(*np.diff(CURVE.line, axis=0).T)
    assert (np.diff(middle) <= -0.999 * FALL * steps).all()
    made = with_bed(field, CURVE, Bed(-depth, 0.7, flow))
    run = made.height(CURVE.line[:, 0], CURVE.line[:, 1])
    assert np.abs(run - middle).max() < 0.4, "the ground is what was reckoned, to a sample"
    assert np.diff(run).max() < 1e-3
    back = path_curve(CURVE.line[::-24].tolist(), 6.0)
    assert (
        bed_heights(field, back, Bed(-depth, 0.7, flow))[0]
        > bed_heights(field, back, Bed(-depth, 0.7, flow))[-1]
    ), "it flows the way that it is drawn"


def test_cut_only_never_fills_and_balance_digs_less() -> None:
    plain = with_bed(FIELD, CURVE, Bed(-1.5, 0.7, "no")).heights - FIELD.heights
    assert plain.max() <= 0 and plain.min() < -1.5
    cut = with_bed(FIELD, CURVE, Bed(-1.5, 0.7, "falls")).heights - FIELD.heights
    both = with_bed(FIELD, CURVE, Bed(-1.5, 0.7, "balanced")).heights - FIELD.heights
    assert both[both > 0].sum() > 2 * cut[cut > 0].sum()
    assert -both[both < 0].sum() < -cut[cut < 0].sum()


@pytest.mark.parametrize("flow", FLOWS)
@pytest.mark.parametrize("rise", [-2.0, 1.5])
def test_the_way_is_as_wide_and_as_deep_as_told_and_its_sides_as_steep(
    flow: Any, rise: float
) -> None:
    level = HeightField(np.full((257, 257), 5.0, np.float32), 256.0)
    made = with_bed(level, CURVE, Bed(rise, 0.5, flow))
    change, d = made.heights - level.heights, distance()
    fall = 0.0 if flow == "no" else FALL * CURVE.length
    inner = d < 2.6
    assert np.abs(change[inner] - rise).max() <= fall + 1e-4
    halfway = np.abs(d - (3.0 + abs(rise))) < 0.15  # half of the side, at a tangent of a half
    assert change[halfway] == pytest.approx(rise / 2, abs=fall + 0.15)
    beyond = d > 3.0 + abs(rise) / 0.5 + fall / 0.5 + 0.6
    assert not change[beyond].any()
    dz, dx = np.gradient(made.heights)
    assert np.hypot(dx, dz).max() < 0.56, "nothing is steeper than its sides"


def test_what_the_banks_do_not_reach_keeps_its_very_bytes() -> None:
    for bed in (Bed(-2.0, 0.7, "falls"), Bed(1.5, 0.4, "no"), Bed(-1.0, 0.2, "balanced")):
        made = with_bed(FIELD, CURVE, bed)
        cap = 3.0 + 80.0 + 1.5
        assert np.array_equal(made.heights[distance() > cap], FIELD.heights[distance() > cap])
        assert np.abs(np.diff(made.heights, axis=0)).max() < 3.0, "no wall where a bank ends"
        assert np.isfinite(made.heights).all()


def test_a_knot_that_moves_changes_tiles_near_it_and_gives_back_what_was_dug_elsewhere() -> None:
    field = make_terrain(TerrainParameters(size=1024, resolution=2, relief=6, feature=90))
    knots = [(-480.0 + 120 * k, 40.0 * (-1) ** k) for k in range(9)]
    bed = Bed(-1.5, 0.7, "no")
    first = with_bed(field, path_curve(knots, 5.0), bed)
    moved = [*knots]
    moved[1] = (-360.0, -90.0)
    second = with_bed(field, path_curve(moved, 5.0), bed)
    tiles = field.tiles()
    changed = tiles[(first.tile_hashes(tiles) != second.tile_hashes(tiles)).any(axis=1)]
    # a knot shapes four spans, and its ground twelve metres more
    assert len(changed) > 0 and changed[:, 0].max() * 64 < -480 + 120 * 3 + 64
    assert np.array_equal(with_bed(field, path_curve(knots, 5.0), bed).heights, first.heights)
    was = (np.array(knots[1]) + 512) / 2
    at = (int(was[1]), int(was[0]))
    assert first.heights[at] < field.heights[at] - 1
    assert second.heights[at] == field.heights[at], "what was dug is filled again"


def scene(path: dict[str, Any], **more: Any) -> Evaluation:
    document = copy.deepcopy(SMALL)
    dyke = next(x for x in document["layers"] if x["id"] == "dyke")
    dyke["parameters"] |= path
    dyke |= more
    return Evaluator().evaluate(read_document(document))


def placed(evaluation: Evaluation, layer: str) -> Placements:
    found = evaluation.layer(layer).output.placements
    assert found is not None
    return found.whole()


BED = {"shapes": "bed", "depth": 2, "flows": "falls", "surface": "none", "width": 8}


def test_what_stands_further_right_stands_on_it_and_nothing_grows_in_it() -> None:
    plain, cut = scene({"width": 8}), scene(BED)
    (curve,) = cut.layer("dyke").output.curves
    (strip,) = cut.ground.clear
    assert isinstance(strip, Strip) and (strip.half == 4).all()
    assert np.array_equal(strip.line, curve.line)
    assert not cut.layer("dyke").output.solids
    for layer in ("willows", "sedges"):
        a, b = placed(plain, layer), placed(cut, layer)
        at = b.position.astype(np.float64)
        assert not near_line(at[:, 0], at[:, 2], curve.line, 4.0).any()
        ground = cut.surface.sample(at[:, 0], at[:, 2]).position[:, 1]
        assert np.abs(ground - at[:, 1]).max() < 0.5
        there = a.position.astype(np.float64)
        gone = ~np.isin(a.ids, b.ids)
        near = near_line(there[:, 0], there[:, 2], curve.line, 4.0)
        assert near[gone].all() if layer == "sedges" else True
        assert not np.isin(b.ids, a.ids, invert=True).any(), "nothing new comes"
    grown = scene({**BED, "kept_clear": False})
    at = placed(grown, "sedges").position.astype(np.float64)
    assert near_line(at[:, 0], at[:, 2], curve.line, 4.0).any()
    assert (cut.surface.heights < plain.surface.heights - 1).any()  # type: ignore[attr-defined]


def test_hidden_it_shapes_nothing_and_the_ground_weighs_once() -> None:
    plain, cut = scene({"width": 8}), scene(BED)
    hidden = scene(BED, hidden=True)
    assert hidden.surface.key == plain.surface.key
    assert np.array_equal(
        placed(hidden, "sedges").ids, placed(scene({"width": 8}, hidden=True), "sedges").ids
    )
    library = Evaluator().library
    for a, b in zip(plain.layers[:1], cut.layers[:1], strict=True):
        assert weigh_layer(a.output, library, (0, 2, 0)) == weigh_layer(
            b.output, library, (0, 2, 0)
        )
    assert weigh_layer(cut.layer("dyke").output, library, (0, 2, 0)).triangles == 0


def test_the_ground_is_shaped_before_anything_stands_on_it_wherever_the_path_stands() -> None:
    document = copy.deepcopy(SMALL)
    layers = document["layers"]
    dyke = next(x for x in layers if x["id"] == "dyke")
    dyke["parameters"] |= BED
    late = [x for x in layers if x["id"] not in ("dyke", "bake")] + [dyke, layers[-1]]
    for x in late:
        if x["id"] == "willows":
            x["parameters"] |= {"paths": []}  # it stands further right now
    early = [late[0], dyke, *late[1:-2], late[-1]]
    first, last = (
        Evaluator().evaluate(read_document({**document, "layers": order}))
        for order in (early, late)
    )
    assert first.surface.key == last.surface.key
    for layer in ("willows", "sedges"):
        a, b = placed(first, layer), placed(last, layer)
        assert np.array_equal(a.ids, b.ids)
        assert np.array_equal(a.position, b.position), "nothing floats over a bed cut later"


def test_a_path_that_does_not_shape_changes_nothing_further_left() -> None:
    document = copy.deepcopy(SMALL)
    lane = {
        "id": "lane",
        "kind": "path",
        "name": "Lane",
        "parameters": {"points": [[-50, 50], [50, 40]]},
    }
    layers = [*document["layers"][:-1], lane, document["layers"][-1]]
    with_lane = Evaluator().evaluate(read_document({**document, "layers": layers}))
    without = Evaluator().evaluate(read_document(document))
    keys = {r.layer.id: r.key for r in with_lane.layers}
    assert all(keys[r.layer.id] == r.key for r in without.layers)


def test_two_of_them_lie_one_over_the_other_in_order() -> None:
    document = copy.deepcopy(SMALL)
    dyke = next(x for x in document["layers"] if x["id"] == "dyke")
    dyke["parameters"] |= BED
    bank = {
        "id": "bank",
        "kind": "path",
        "name": "Bank",
        "parameters": {
            "points": [[0, -60], [3, 0], [0, 60]],
            "shapes": "causeway",
            "crown": 1,
            "width": 6,
        },
    }
    orders = []
    for place in (1, 2):
        layers = [*document["layers"]]
        layers.insert(place, bank)
        orders.append(Evaluator().evaluate(read_document({**document, "layers": layers})).surface)
    (bed_last, bank_last) = (s.height(np.array([2.0]), np.array([-6.5])) for s in orders)  # type: ignore[attr-defined]
    assert bank_last[0] > bed_last[0] + 1, "the causeway is laid over the bed, or cut through by it"


def test_on_a_mesh_it_says_that_it_does_not_shape() -> None:
    from plough.core.hashing import digest
    from plough.core.library import Library
    from tests.core.test_triangles import ARCH, packed

    document = copy.deepcopy(SMALL)
    document["layers"][0]["parameters"] = {"made_from": "mesh", "mesh": digest(packed(ARCH))}
    next(x for x in document["layers"] if x["id"] == "dyke")["parameters"] |= BED
    evaluation = Evaluator(Library(load=lambda _: packed(ARCH))).evaluate(read_document(document))
    assert [f.code for f in evaluation.layer("dyke").output.findings] == ["not-shaped"]
