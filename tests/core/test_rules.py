"""Scatters by conditions: on classes, from what stands, beneath crowns, within a frame; thinned as they weigh, and stable."""

from __future__ import annotations

import copy
import math
from typing import Any

import numpy as np
import pytest
from scipy.spatial import cKDTree

from plough.core.demo import teasel_fen
from plough.core.ground.measures import InView
from plough.core.ground.paths import strip_distance
from plough.core.ground.surface import Samples
from plough.core.migrate import conditions_of_edit, conditions_of_scatter
from plough.core.scene import Evaluation, Evaluator, read_document
from tests.conftest import SMALL

EVALUATOR = Evaluator()


def scene(*conditions: dict[str, Any], layer: str = "sedges", **settings: Any) -> Any:
    document = copy.deepcopy(SMALL)
    document["version"] = 4
    for x in document["layers"]:
        if x["kind"] == "scatter":
            kept = {k: v for k, v in x["parameters"].items() if k not in ("paths", "clearance")}
            x["parameters"] = {**kept, "apart": 0}
        if x["id"] == layer:
            x["parameters"] |= {
                "conditions": [{"id": f"c{k}", **c} for k, c in enumerate(conditions)]
            }
    document["settings"] = settings
    return document


def run(document: Any, evaluator: Evaluator = EVALUATOR) -> Evaluation:
    return evaluator.evaluate(read_document(document))


def placed(found: Evaluation, layer: str = "sedges") -> Any:
    placements = found.layer(layer).output.placements
    assert placements is not None
    return placements.whole()


def by_id(found: Evaluation, layer: str = "sedges") -> dict[int, Any]:
    p = placed(found, layer)
    return dict(zip(p.ids.tolist(), p.position.tolist(), strict=True))


WHERE: dict[str, dict[str, Any]] = {
    "class": {"of": "class", "ids": ["sand"], "between": [90, 100], "fade": 0},
    "layer": {"of": "layer", "ids": ["willows"], "between": [0, 4], "fade": 0},
    "crown": {"of": "crown", "ids": ["willows"], "between": [0, 100], "fade": 0},
    "view": {"of": "view", "ids": ["low"], "between": [0, 180], "fade": 0},
}
VIEW = {"id": "low", "name": "Low", "eye": [0, 3, 60], "target": [0, 2, 0]}
PAINT = {"id": "p", "paint": "sand", "radius": 18, "falloff": 0, "points": [[-20, 10], [15, -5]]}


def painted(document: Any) -> Any:
    document["layers"][0]["parameters"]["painted"] = [PAINT]
    return document


def test_a_rule_over_a_class_stands_on_it_alone_and_the_other_way_about_nowhere_on_it() -> None:
    whole = by_id(run(painted(scene())))
    (curve,) = run(scene()).layer("dyke").output.curves
    on = by_id(run(painted(scene(WHERE["class"]))))
    off = by_id(run(painted(scene({**WHERE["class"], "outside": True}))))
    assert 20 < len(on) < len(whole) - 20
    assert on.keys() | off.keys() == whole.keys() and not on.keys() & off.keys()
    assert all(whole[i] == on[i] for i in on)
    for held, inside in ((on, True), (off, False)):
        at = np.array(list(held.values()), float)
        t = np.linspace(0, 1, 3000)
        line = np.stack([-20 + 35 * t, 10 - 15 * t], axis=1)
        away = cKDTree(line).query(at[:, [0, 2]])[0]
        # the surface of the dyke's path lies over what is painted
        laid = strip_distance(*at[:, [0, 2]].T, curve.strip) < 1
        assert ((away < 18.05) & ~laid if inside else (away > 17.95) | laid).all()


def test_what_stands_near_others_or_beneath_their_crowns_is_measured_from_each_of_them() -> None:
    found = run(scene())
    stems, all_sedges = placed(found, "willows"), by_id(found)
    tree = cKDTree(stems.position[:, [0, 2]].astype(float))
    near = run(scene(WHERE["layer"]))
    at = placed(near).position[:, [0, 2]].astype(float)
    assert len(at) > 20 and tree.query(at)[0].max() <= 4.0
    wanted = [i for i, p in all_sedges.items() if tree.query([p[0], p[2]])[0] < 4.0 - 1e-6]
    assert set(wanted) <= set(by_id(near)), "and nobody near is left out"
    beneath = run(scene(WHERE["crown"]))
    variants = found.layer("willows").output.placements.variants
    radius = np.array([EVALUATOR.library.size(v)[1] for v in variants])
    crowns = radius[stems.variant] * stems.scale[:, 0]
    share = np.array(
        [
            (np.hypot(*(stems.position[:, [0, 2]] - [p[0], p[2]]).T) / crowns).min()
            for p in all_sedges.values()
        ]
    )
    got = np.isin(list(all_sedges), list(by_id(beneath)))
    assert (got == (share <= 1.0))[np.abs(share - 1) > 1e-4].all()
    assert 10 < got.sum() < len(got) - 10
    open_ = by_id(run(scene({**WHERE["crown"], "outside": True})))
    assert set(open_) == set(all_sedges) - set(by_id(beneath))


def test_a_frame_of_a_viewpoint_holds_what_it_shows() -> None:
    inside = {**WHERE["view"], "between": [0, 0.001]}
    found = run(scene(inside, viewpoints=[VIEW]))
    at = placed(found).position.astype(float)
    camera = InView(tuple(VIEW["eye"]), tuple(VIEW["target"]))  # type: ignore[arg-type]
    up = np.tile([0.0, 1.0, 0.0], (len(at), 1))
    # they are sunk a little beneath the place that was looked at
    assert len(at) > 20 and camera.values(Samples(at, up, np.ones(len(at), bool))).max() < 0.5
    moved = run(scene(inside, viewpoints=[{**VIEW, "target": [60, 2, 60]}]))
    assert by_id(moved).keys() != by_id(found).keys()


def test_a_condition_thins_out_as_much_as_it_weighs() -> None:
    whole = len(by_id(run(scene())))
    for strength in (25, 50, 75):
        never = {"of": "height", "between": [8000, 9000], "fade": 0, "strength": strength}
        left = len(by_id(run(scene(never))))
        assert left / whole == pytest.approx(1 - strength / 100, abs=4 / math.sqrt(whole))
    # what a weaker one leaves is left by a still weaker one
    kept = [
        set(by_id(run(scene({"of": "height", "between": [8000, 9000], "fade": 0, "strength": s}))))
        for s in (80, 60, 40, 20)
    ]
    assert all(a <= b for a, b in zip(kept, kept[1:], strict=False))


def test_a_fall_off_grows_thinner_away_from_its_border() -> None:
    fade = {"of": "path", "between": [0, 4], "fade": 30, "falloff": [[0, 1], [1, 0]]}
    found = run(scene(fade))
    whole, some = by_id(run(scene())), by_id(found)
    (curve,) = found.layer("dyke").output.curves
    tree = cKDTree(curve.line)
    away = {i: tree.query([p[0], p[2]])[0] for i, p in whole.items()}
    shares = []
    for low, high in ((0, 4), (4, 14), (14, 24), (24, 34), (34, 90)):
        ring = [i for i, d in away.items() if low <= d < high]
        shares.append(sum(i in some for i in ring) / max(len(ring), 1))
    assert shares[0] == 1 and shares[-1] == 0
    assert shares[1:4] == pytest.approx([5 / 6, 1 / 2, 1 / 6], abs=0.2)


@pytest.mark.parametrize("of", sorted(WHERE))
def test_a_condition_on_what_is_missing_is_left_out_and_told(of: str) -> None:
    found = run(scene({**WHERE[of], "ids": ["gone"]}))
    texts = [f.code for f in found.layer("sedges").output.findings]
    assert any(code.startswith("missing-") for code in texts)
    assert by_id(found) == by_id(run(scene())), "not silently nothing"


@pytest.mark.parametrize("of", ["class", "layer", "crown"])
def test_an_incremental_run_is_bit_equal_to_a_full_one(of: str) -> None:
    warm = Evaluator(EVALUATOR.library)
    first = painted(scene(WHERE[of]))
    run(first, warm)
    changes: list[Any] = []
    for value in (30, 60):
        other = copy.deepcopy(first)
        willows = next(x for x in other["layers"] if x["id"] == "willows")
        willows["parameters"]["fill"] = value
        changes.append(other)
    stroke = copy.deepcopy(first)
    stroke["layers"][0]["parameters"]["painted"].append({**PAINT, "id": "q", "points": [[50, 50]]})
    larger = copy.deepcopy(first)
    next(x for x in larger["layers"] if x["id"] == "willows")["parameters"]["size"] = [180, 190]
    for document in (*changes, stroke, larger):
        a, b = run(document, warm), run(document, Evaluator())
        assert a.layer("sedges").key == b.layer("sedges").key
        assert placed(a).to_bytes() == placed(b).to_bytes()


def test_what_stands_elsewhere_changes_nothing_here() -> None:
    """Another layer that is not measured from, a far path, a class that is nowhere: the same ids, the same bytes."""
    before = placed(run(painted(scene(WHERE["class"]))))
    document = painted(scene(WHERE["class"]))
    willows = next(x for x in document["layers"] if x["id"] == "willows")
    willows["parameters"]["fill"] = 20
    document["layers"][0]["parameters"]["painted"].append(
        {**PAINT, "id": "far", "paint": "mud", "radius": 4, "points": [[60, -60]]}
    )
    after = placed(run(document))
    far = np.hypot(*(before.position[:, [0, 2]] - [60, -60]).T) > 5
    assert (
        before.taken(far).to_bytes()
        == after.taken(np.hypot(*(after.position[:, [0, 2]] - [60, -60]).T) > 5).to_bytes()
    )


def test_borders_of_before_are_conditions_that_place_the_same() -> None:
    old = {"fill": 50, "height": [-1, 5000], "slope": [5, 90], "paths": ["dyke"], "clearance": 8}
    new = conditions_of_scatter(old)
    assert new["fill"] == 50 and not {"height", "slope", "paths", "clearance"} & set(new)
    spans = {c["of"]: (c["between"], c["fade"]) for c in new["conditions"]}
    assert spans == {
        "height": ([-1, 9000], 0),
        "slope": ([5, 180], 0),
        "path": ([8, 1000], 0),
    }
    assert conditions_of_scatter({"height": [-1000, 5000], "slope": [0, 90]}) == {}
    assert conditions_of_scatter({"paths": ["dyke"]})["conditions"][0]["between"] == [3, 1000]
    assert conditions_of_scatter({"paths": ["dyke"], "clearance": 0}) == {}
    # nothing of the demo is lost: each of its scatters has its conditions
    layers = {x.id: x.parameters for x in teasel_fen().layers if x.kind == "scatter"}
    assert {c["of"] for c in layers["pears"]["conditions"]} == {"slope", "path"}


def test_edits_of_before_are_undone_as_conditions() -> None:
    forward = {"parameters.slope": [0, 20], "parameters.fill": 3}
    told = conditions_of_edit(forward, {})
    assert told["parameters.fill"] == 3 and "parameters.slope" not in told
    assert told["parameters.conditions#slope"]["value"]["between"] == [0, 20]
    assert conditions_of_edit({"parameters.slope": None}, {}) == {
        "parameters.conditions#slope": None
    }
    wider = conditions_of_edit({"parameters.clearance": 9}, {"paths": ["dyke"]})
    assert wider["parameters.conditions#clear"]["value"]["ids"] == ["dyke"]
    assert wider["parameters.conditions#clear"]["value"]["between"] == [9, 1000]
    assert conditions_of_edit(None, {}) is None


def test_so_many_a_hectare_are_so_many_and_more_keep_those_that_stood() -> None:
    def rule(number: float, spacing: float = 1.0) -> dict[str, Any]:
        document = scene()
        sedges = next(x for x in document["layers"] if x["id"] == "sedges")
        sedges["parameters"] |= {
            "how_many": "per-hectare",
            "per_hectare": number,
            "spacing": spacing,
            "areas": [],
        }
        return document

    hectares = 1.28**2
    counts = [len(by_id(run(rule(n)))) / hectares for n in (200, 800, 3000)]
    assert counts == pytest.approx([200, 800, 3000], rel=0.1)
    few, many = by_id(run(rule(300))), by_id(run(rule(900)))
    assert few.items() <= many.items()
    # at another spacing it is as many
    assert len(by_id(run(rule(300, 3.0)))) / hectares == pytest.approx(300, rel=0.15)
    found = run(rule(300, 9.0))
    assert [f.code for f in found.layer("sedges").output.findings] == ["too-many"]
    assert by_id(run(rule(0))) == {}


def mixed(*entries: dict[str, Any]) -> Any:
    document = scene()
    document["assets"].append({**document["assets"][1], "id": "rush", "name": "Rush"})
    sedges = next(x for x in document["layers"] if x["id"] == "sedges")
    sedges["parameters"] |= {"mix": list(entries), "areas": []}
    return painted(document)


def kinds_of(found: Evaluation) -> dict[int, str]:
    placements = found.layer("sedges").output.placements
    assert placements is not None
    p = placements.whole()
    names = [v.asset for v in placements.variants]
    return {i: names[v] for i, v in zip(p.ids.tolist(), p.variant.tolist(), strict=True)}


ON_SAND = {"id": "s", "of": "class", "ids": ["sand"], "between": [50, 100], "fade": 0}


def test_shares_of_a_mix_shift_from_place_to_place_and_nobody_else_moves() -> None:
    plain = run(mixed({"asset": "sedge"}, {"asset": "rush"}))
    likes = run(mixed({"asset": "sedge"}, {"asset": "rush", "conditions": [ON_SAND]}))
    before, after = kinds_of(plain), kinds_of(likes)
    assert before.keys() == after.keys() and by_id(plain) == by_id(likes)
    p = placed(likes)
    cover = likes.ground.cover
    ground = likes.surface.sample(*p.position[:, [0, 2]].T.astype(float))
    sandy = cover.weights(ground)[:, cover.row("sand")] > 0.5
    on = {i for i, s in zip(p.ids.tolist(), sandy, strict=True) if s}
    assert all(after[i] == before[i] for i in on)
    assert {after[i] for i in after.keys() - on} == {"sedge"}
    assert {before[i] for i in before.keys() - on} == {"sedge", "rush"}
    # where none of them may stand, nothing does
    both = run(
        mixed(
            {"asset": "sedge", "conditions": [ON_SAND]}, {"asset": "rush", "conditions": [ON_SAND]}
        )
    )
    assert set(by_id(both)) == on and all(kinds_of(both)[i] == before[i] for i in on)
    # a weaker liking lets some stand elsewhere, all of them such as stood there before
    weak = run(
        mixed({"asset": "sedge"}, {"asset": "rush", "conditions": [{**ON_SAND, "strength": 70}]})
    )
    rushes = {i for i, k in kinds_of(weak).items() if k == "rush"}
    assert {i for i in on if before[i] == "rush"} < rushes
    assert rushes < {i for i, k in before.items() if k == "rush"}


def test_an_asset_of_a_mix_has_a_size_of_its_own_besides_that_of_all() -> None:
    plain = run(mixed({"asset": "sedge"}, {"asset": "rush"}))
    large = run(mixed({"asset": "sedge"}, {"asset": "rush", "size": [200, 300]}))
    a, b, kinds = placed(plain), placed(large), kinds_of(plain)
    assert kinds == kinds_of(large) and (a.ids == b.ids).all()
    ratio = (b.scale / a.scale)[:, 0]
    rush = np.array([kinds[i] == "rush" for i in a.ids.tolist()])
    assert ratio[~rush] == pytest.approx(1)
    assert (ratio[rush] >= 2 - 1e-5).all() and (ratio[rush] <= 3 + 1e-5).all()
    assert ratio[rush].std() > 0.2
    assert (a.rotation == b.rotation).all()
