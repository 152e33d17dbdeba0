"""The brush: strokes say which of a layer's candidates stand, and nothing else; undone, they leave the bytes before."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from plough.core.errors import ParameterError
from plough.core.layers.brush import BrushParameters
from plough.core.parameters import build
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.masks import mask_of
from plough.core.scene.parcel import pack_layers, unpack
from tests.conftest import SMALL
from tests.depth import examples

EVALUATOR = Evaluator()
MIX = [{"asset": "willow"}, {"asset": "sedge"}]


def stroke(id: str = "a", **own: Any) -> dict[str, Any]:
    begun = {"id": id, "radius": 20, "falloff": 0, "points": [[-20, 10], [15, -5]]}
    return {**begun, **own}


def scene(*strokes: dict[str, Any], **own: Any) -> Any:
    """A small scene with a layer of the brush before its bake."""
    document = copy.deepcopy(SMALL)
    parameters = {"mix": MIX, "spacing": 3, "apart": 0, "strokes": list(strokes), **own}
    layer = {"id": "brushed", "kind": "brush", "name": "Brushed", "parameters": parameters}
    document["layers"].insert(-1, layer)
    return document


def run(document: Any, evaluator: Evaluator = EVALUATOR) -> Evaluation:
    return evaluator.evaluate(read_document(document))


def placed(found: Evaluation, layer: str = "brushed") -> Any:
    placements = found.layer(layer).output.placements
    assert placements is not None
    return placements.whole()


def by_id(found: Evaluation, layer: str = "brushed") -> dict[int, bytes]:
    """All bytes of each placement."""
    p = placed(found, layer)
    rows = zip(p.variant, p.position, p.rotation, p.scale, strict=True)
    told = [b"".join(np.asarray(v).tobytes() for v in row) for row in rows]
    return dict(zip(p.ids.tolist(), told, strict=True))


def assets(found: Evaluation) -> Any:
    """(n,) the row of the asset of each placement."""
    of = found.layer("brushed").output.placements
    assert of is not None
    names = np.array([v.asset for v in of.variants])
    return names[placed(found).variant]


def away(found: Evaluation, drawn: dict[str, Any]) -> Any:
    """(n,) metres of each placement from the line of a stroke, by another library."""
    points = placed(found).position[:, [0, 2]].astype(np.float64)
    line = drawn["points"] * (2 if len(drawn["points"]) == 1 else 1)
    return shapely.distance(shapely.points(points), shapely.LineString(line))


POINT = st.tuples(st.integers(-60, 60), st.integers(-60, 60)).map(list)


@st.composite
def strokes(draw: st.DrawFn) -> dict[str, Any]:
    return stroke(
        f"s{draw(st.integers(0, 2**40))}",
        does=draw(st.sampled_from(["paint", "paint", "erase"])),
        radius=draw(st.floats(2, 30)),
        strength=draw(st.floats(0.2, 1)),
        falloff=draw(st.floats(0, 1)),
        points=draw(st.lists(POINT, min_size=1, max_size=5)),
        assets=draw(st.sampled_from([[], ["willow"], ["sedge"], ["willow", "sedge"], ["gone"]])),
    )


several = st.lists(strokes(), min_size=1, max_size=6, unique_by=lambda s: s["id"])


@settings(max_examples=examples(40), deadline=None)
@given(several, st.floats(0, 6), st.booleans())
def test_no_stroke_breaks_the_distance(
    drawn: list[dict[str, Any]], own: float, crowns: bool
) -> None:
    mix = [{"asset": "willow", "spacing": own}, {"asset": "sedge"}]
    found = run(scene(*drawn, mix=mix, crowns=crowns, overlap=30))
    at = placed(found).position[:, [0, 2]].astype(np.float64)
    if len(at) > 1:
        assert cKDTree(at).query(at, k=2)[0][:, 1].min() >= 3 - 1e-4
    trees = at[assets(found) == "willow"]
    if len(trees) > 1:
        assert cKDTree(trees).query(trees, k=2)[0][:, 1].min() >= max(3, own) - 1e-4


@settings(max_examples=examples(25), deadline=None)
@given(several, st.data())
def test_undone_in_any_place_they_leave_the_bytes_before(
    drawn: list[dict[str, Any]], data: st.DataObject
) -> None:
    gone = data.draw(st.integers(0, len(drawn) - 1))
    without = [s for k, s in enumerate(drawn) if k != gone]
    warm = Evaluator()
    before = by_id(run(scene(*without), warm))
    with_it = by_id(run(scene(*drawn), warm))
    assert by_id(run(scene(*without), warm)) == before == by_id(run(scene(*without), Evaluator()))
    assert with_it == by_id(run(scene(*drawn), Evaluator()))


@settings(max_examples=examples(25), deadline=None)
@given(several, strokes())
def test_what_lies_beyond_a_stroke_is_as_it_was_bit_for_bit(
    drawn: list[dict[str, Any]], last: dict[str, Any]
) -> None:
    before, after = run(scene(*drawn)), run(scene(*drawn, {**last, "id": "last"}))
    # float32 positions, and the rim itself
    rim = last["radius"] + 1e-3
    far = [
        {i for i, d in zip(placed(f).ids.tolist(), away(f, last), strict=True) if d > rim}
        for f in (before, after)
    ]
    assert far[0] == far[1]
    a, b = by_id(before), by_id(after)
    assert all(a[i] == b[i] for i in far[0])


@settings(max_examples=examples(20), deadline=None)
@given(several)
def test_painting_again_or_slower_is_the_same(drawn: list[dict[str, Any]]) -> None:
    paint = [{**s, "does": "paint"} for s in drawn]
    once = by_id(run(scene(*paint)))
    again = ({**s, "id": f"{s['id']}again"} for s in paint)
    assert by_id(run(scene(*paint, *again))) == once
    # however slowly it was drawn: with points between its points
    slow = [{**s, "points": [p for a in s["points"] for p in (a, a)]} for s in paint]
    assert by_id(run(scene(*slow))) == once


@settings(max_examples=examples(20), deadline=None)
@given(several, strokes())
def test_painting_more_leaves_all_that_stands(
    drawn: list[dict[str, Any]], last: dict[str, Any]
) -> None:
    before = by_id(run(scene(*drawn)))
    more = by_id(run(scene(*drawn, {**last, "id": "last", "does": "paint"})))
    less = by_id(run(scene(*drawn, {**last, "id": "last", "does": "erase"})))
    assert less.items() <= before.items() <= more.items()


@settings(max_examples=examples(25), deadline=None)
@given(several)
def test_nothing_stands_but_where_it_is_painted_and_all_that_fits_does(
    drawn: list[dict[str, Any]],
) -> None:
    hard = [{**s, "strength": 1, "falloff": 0} for s in drawn]
    found = run(scene(*hard))
    every = run(scene(stroke(radius=400, points=[[0, 0]])))
    kinds, there = assets(found), placed(found).ids.tolist()
    for f, names in ((found, kinds), (every, assets(every))):
        # what may stand at each: one of a set of assets, none, or nobody can tell
        may: list[set[str] | None] = [set() for _ in names]
        for s in hard:
            on = {n for n in s["assets"] or ("willow", "sedge") if n != "gone"}
            d = away(f, s)
            for k, held in enumerate(may):
                if held is None or not on or d[k] > s["radius"] + 1e-3:
                    continue
                if d[k] > s["radius"] - 1e-3:
                    may[k] = None
                elif s["does"] == "paint":
                    may[k] = held or on
                elif held & on:
                    may[k] = set() if held <= on else None
        if f is found:
            assert all(held is None or names[k] in held for k, held in enumerate(may))
        else:
            sure = [i for i, held in zip(placed(f).ids.tolist(), may, strict=True) if held]
            assert set(sure) <= set(there)


def test_less_of_it_is_a_part_of_more_and_as_much_as_it_says() -> None:
    whole, less, least = (
        by_id(run(scene(stroke(radius=400, points=[[0, 0]], strength=s)))) for s in (1, 0.6, 0.2)
    )
    assert set(least) < set(less) < set(whole)
    assert len(less) == pytest.approx(0.6 * len(whole), rel=0.06)
    assert len(least) == pytest.approx(0.2 * len(whole), rel=0.12)
    erased = by_id(
        run(scene(stroke(radius=400), stroke("b", radius=400, does="erase", strength=0.4)))
    )
    assert erased == less, "erasing by two fifths leaves what painting three fifths gives"


def test_one_of_several_is_erased_and_nothing_takes_its_room_until_it_is_painted() -> None:
    rubbed = stroke("b", does="erase", radius=9, assets=["willow"])
    before, after = run(scene(stroke())), run(scene(stroke(), rubbed))
    inner = away(before, rubbed) < 9
    assert set(assets(before)[inner]) == {"willow", "sedge"}
    gone = placed(before).ids[inner & (assets(before) == "willow")].tolist()
    left = {i: told for i, told in by_id(before).items() if i not in gone}
    assert len(gone) > 5 and by_id(after) == left
    back = stroke("c", radius=9, assets=["willow"])
    assert by_id(run(scene(stroke(), rubbed, back))) == by_id(before)
    other = run(scene(stroke(), rubbed, {**back, "assets": ["sedge"]}))
    assert set(assets(other)[away(other, rubbed) < 9]) == {"sedge"}
    assert set(placed(other).ids.tolist()) == set(placed(before).ids.tolist())


def test_it_keeps_to_its_conditions_and_clear_of_what_stands() -> None:
    low = {"id": "c", "of": "height", "between": [-50, 0], "fade": 0}
    wide = stroke(radius=400, points=[[0, 0]])
    free = run(scene(wide))
    found = run(scene(wide, conditions=[low], apart=6))
    assert placed(free).position[:, 1].max() > 0.5
    assert len(placed(found).ids) and placed(found).position[:, 1].max() <= 0
    willows = placed(found, "willows").position[:, [0, 2]]
    nearest = cKDTree(willows).query(placed(found).position[:, [0, 2]])[0]
    assert (
        nearest.min()
        >= 6 - 1e-3
        > cKDTree(willows).query(placed(free).position[:, [0, 2]])[0].min()
    )


def test_what_cannot_stand_anywhere_is_told() -> None:
    nowhere = {"id": "c", "of": "height", "between": [900, 1000], "fade": 0}
    told = [
        [f.code for f in run(document).layer("brushed").output.findings]
        for document in (scene(stroke()), scene(stroke(), conditions=[nowhere]), scene(mix=[]))
    ]
    assert told == [[], ["nothing-stands"], ["nothing-chosen"]]


def ruled(*drawn: dict[str, Any], **own: Any) -> Any:
    """The small scene, its sedges painted over."""
    document = copy.deepcopy(SMALL)
    layer = next(x for x in document["layers"] if x["id"] == "sedges")
    layer["parameters"] |= {"strokes": list(drawn), **own}
    return document


@pytest.mark.parametrize(
    "own",
    [
        {},
        {"pattern": "rows", "rows": 2},
        {"pattern": "contours", "contours": 0.4},
        {"crowns": True},
        {"how_many": "per-hectare", "per_hectare": 900},
    ],
)
def test_the_brush_takes_from_a_rule_and_gives_back(own: dict[str, Any]) -> None:
    rubbed, back = stroke("e", does="erase"), stroke("p", radius=25)
    plain = run(ruled(**own))
    before, erased = by_id(plain, "sedges"), run(ruled(rubbed, **own))
    points = placed(erased, "sedges").position[:, [0, 2]].astype(np.float64)
    line = shapely.LineString(rubbed["points"])
    assert len(points) and shapely.distance(shapely.points(points), line).min() >= 20 - 1e-3
    left = by_id(erased, "sedges")
    alone = not (own.get("crowns") or own.get("contours"))  # else others find room at the rim
    if alone:
        assert left.items() < before.items()
    assert by_id(run(ruled(rubbed, back, **own)), "sedges") == before
    assert by_id(run(ruled(only_painted=True, **own)), "sedges") == {}
    only = by_id(run(ruled(back, only_painted=True, **own)), "sedges")
    assert 0 < len(only) < len(before)
    if alone:
        assert only.items() < before.items()


def test_thinning_a_rule_leaves_as_much_of_it_as_it_says() -> None:
    every = {"spacing": 1.2, "fill": 40, "apart": 0, "conditions": [], "paths": [], "clearance": 0}
    whole = by_id(run(ruled(**every)), "sedges")
    thin = stroke("e", does="erase", strength=0.5, radius=400)
    half = by_id(run(ruled(thin, **every)), "sedges")
    assert half.items() < whole.items()
    assert len(half) == pytest.approx(0.5 * len(whole), rel=0.1)


@pytest.mark.parametrize("first", [False, True])
def test_whether_only_what_is_painted_stands_is_seen_by_every_tile(first: bool) -> None:
    warm, strokes_ = Evaluator(), (stroke("p"), stroke("e", does="erase", radius=8))
    for only in (first, not first):
        own = {"only_painted": only, "apart": 0}
        kept = by_id(run(ruled(*strokes_, **own), warm), "sedges")
        assert kept == by_id(run(ruled(*strokes_, **own), Evaluator()), "sedges")


def test_a_rule_over_an_area_sees_what_is_painted() -> None:
    warm, over = Evaluator(), {"areas": ["holt"], "apart": 0}
    before = by_id(run(ruled(**over), warm), "sedges")
    rubbed = stroke("e", does="erase", radius=12)
    elsewhere = {**rubbed, "points": [[60, 60]]}
    assert by_id(run(ruled(elsewhere, **over), warm), "sedges")
    after = by_id(run(ruled(rubbed, **over), warm), "sedges")
    assert after.items() < before.items()
    assert after == by_id(run(ruled(rubbed, **over), Evaluator()), "sedges")


def test_a_count_is_met_beside_what_is_erased() -> None:
    rubbed = stroke("e", does="erase", strength=0.5)
    few, more = (by_id(run(ruled(rubbed, how_many="count", in_all=n)), "sedges") for n in (40, 120))
    assert len(few) == 40 and len(more) == 120 and few.items() < more.items()


def test_a_mask_shows_what_is_painted() -> None:
    import io

    from PIL import Image

    rubbed = stroke("e", does="erase", radius=24, points=[[30, 30]])
    evaluation = run(ruled(rubbed, conditions=[], paths=[], clearance=0))
    pixels = np.asarray(Image.open(io.BytesIO(mask_of(evaluation, "sedges", 256))), float)
    middle = (np.arange(256) + 0.5) / 256 * 128 - 64
    distance = np.hypot(middle[None, :] - 30, middle[:, None] - 30)
    assert pixels[distance < 23].max() == 0
    assert pixels[distance > 25].mean() > 100


def test_assets_of_strokes_are_named_anew_where_a_layer_is_put() -> None:
    document = read_document(scene(stroke(assets=["willow"]), stroke("b", assets=["sedge"])))
    other = copy.deepcopy(SMALL)
    other["assets"][0]["seeds"] = [9]  # the id is taken by another
    names = iter(f"new{k}" for k in range(9))
    put = unpack(read_document(other), pack_layers(document, ["brushed"]), lambda: next(names))
    (layer,) = put.layers
    mixed = [e["asset"] for e in layer.parameters["mix"]]
    assert mixed[0] != "willow"
    assert [s["assets"] for s in layer.parameters["strokes"]] == [[mixed[0]], [mixed[1]]]


def test_a_kept_mix_is_painted_with_whole() -> None:
    document = scene(stroke(assets=["both"]), stroke("b", points=[[40, 40]], assets=["sedge"]))
    brushed = document["layers"][-2]["parameters"]
    brushed["mix"] = [{"asset": "both"}, {"asset": "sedge"}]
    document["settings"] = {"mixes": [{"id": "both", "name": "Both", "entries": MIX}]}
    found = run(document)
    inner = away(found, stroke()) < 20
    assert set(assets(found)[inner]) == {"willow", "sedge"}
    assert set(assets(found)[~inner]) == {"sedge"}


@pytest.mark.parametrize(
    ("values", "field"),
    [
        ({"does": "scrape"}, "strokes.0.does"),
        ({"radius": 401}, "strokes.0.radius"),
        ({"strength": 1.2}, "strokes.0.strength"),
        ({"points": []}, "strokes.0.points"),
        ({"points": [[0, 0]] * 401}, "strokes.0.points"),
        ({"assets": ["a b"]}, "strokes.0.assets"),
        ({"assets": ["a"] * 33}, "strokes.0.assets"),
    ],
)
def test_a_stroke_out_of_its_limits_is_refused_by_its_field(
    values: dict[str, Any], field: str
) -> None:
    with pytest.raises(ParameterError) as refused:
        build(BrushParameters, {"strokes": [stroke() | values]}, "")
    assert refused.value.field.startswith(field)
    with pytest.raises(ParameterError, match="1000"):
        build(BrushParameters, {"strokes": [stroke(f"s{k}") for k in range(1001)]}, "")


def test_painted_all_over_it_is_a_scatter_that_is_full_bit_for_bit() -> None:
    painted = scene(stroke(radius=400, points=[[0, 0]]), spacing=1)
    document = scene(spacing=1, fill=100)
    layer = next(x for x in document["layers"] if x["id"] == "brushed")
    layer["kind"] = "scatter"
    whole = by_id(run(document))
    assert len(whole) > 5000 and by_id(run(painted)) == whole


def test_the_order_of_strokes_is_seen_by_every_tile() -> None:
    a, b = stroke(), stroke("b", does="erase", radius=12)
    warm = Evaluator()
    for drawn in ([a, b], [b, a], [a, b]):
        found, cold = run(scene(*drawn), warm), run(scene(*drawn), Evaluator())
        assert by_id(found) == by_id(cold)
    assert by_id(run(scene(a, b))) != by_id(run(scene(b, a)))


def test_a_long_painting_can_be_stopped_between_strokes() -> None:
    calls = 0

    def check() -> None:
        nonlocal calls
        calls += 1

    drawn = [stroke(f"s{k}", radius=200, points=[[k, -60], [-k, 60]] * 100) for k in range(60)]
    Evaluator().evaluate(read_document(scene(*drawn)), check)
    assert calls > len(drawn), "each stroke of each group is a chance to stop"
