"""Things along paths: stations where they should be, in stable order, facing as told, apart where that is asked for."""

from __future__ import annotations

import copy
import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point, STRtree, points

from plough.core.errors import ParameterError, TooLargeError
from plough.core.ground.paths import path_curve
from plough.core.place.along import AlongRule, facing_of, pushed_apart, stations
from plough.core.scene import Evaluator, read_document
from plough.core.scene.strips import strip_maps
from tests.conftest import SMALL
from tests.depth import examples

EVALUATOR = Evaluator()
BENT = [(-50.0, -10.0), (-20.0, 15.0), (10.0, -5.0), (45.0, 20.0)]
CURVE = path_curve(BENT, 3.0)
LINE = LineString(CURVE.line)


def at(name: str = "p", curve: Any = CURVE, **values: Any) -> Any:
    return stations(AlongRule(**{"seed": 7, "spacing": 4.0, **values}), name, curve)


def chain(found: Any, line: Any = LINE) -> np.ndarray:
    return np.array([line.project(Point(p)) for p in zip(found.x, found.z, strict=True)])


def test_evenly_is_one_at_every_spacing_from_the_start() -> None:
    found = at(sides="middle")
    assert chain(found) == pytest.approx(4.0 * np.arange(len(found.x)), abs=0.02)
    assert len(found.x) == math.floor(LINE.length / 4) + 1
    inner = at(sides="middle", margins=(6.0, 10.0))
    assert chain(inner)[0] == pytest.approx(6, abs=0.02)
    assert LINE.length - 14 < chain(inner)[-1] <= LINE.length - 10 + 0.02
    assert len(at(sides="middle", margins=(90.0, 90.0)).x) == 0


@given(spacing=st.floats(0.5, 60), start=st.floats(0, 30), end=st.floats(0, 30))
@settings(max_examples=examples(40), deadline=None)
def test_fitted_ends_exactly_and_is_as_near_to_the_spacing_as_can_be(
    spacing: float, start: float, end: float
) -> None:
    found = chain(at(sides="middle", layout="fitted", spacing=spacing, margins=(start, end)))
    assert found[0] == pytest.approx(start, abs=0.02)
    assert found[-1] == pytest.approx(LINE.length - end, abs=0.02)
    gaps = np.diff(found)
    assert gaps == pytest.approx(np.full(len(gaps), gaps.mean()), abs=0.03)
    room = LINE.length - start - end
    assert len(gaps) == max(1, round(room / spacing))


def test_jittered_stations_stay_in_order_near_where_they_were() -> None:
    even = chain(at(sides="middle"))
    off = chain(at(sides="middle", layout="jittered", jitter=0.3)) - even
    assert np.abs(off).max() <= 0.3 * 4 + 0.03 and np.abs(off).std() > 0.2


@pytest.mark.parametrize("sides", ["left", "right", "both", "alternate"])
def test_rows_lie_at_their_offsets_on_their_sides(sides: Any) -> None:
    found = at(sides=sides, offset=3.0, rows=2, between=1.5)
    far = LINE.distance(points(found.x, found.z))
    assert set(np.round(far, 1)) <= {3.0, 4.5, 2.9, 4.4, 3.1, 4.6}
    right = np.stack([-found.tangent[:, 1], found.tangent[:, 0]], axis=1)
    side = np.sign((right * found.out).sum(axis=1))
    expected = {"left": {-1.0}, "right": {1.0}}.get(sides, {-1.0, 1.0})
    assert set(side) == expected
    assert len(found.x) == len(at(sides="middle").x) * (4 if sides == "both" else 2)
    if sides == "alternate":
        one = at(sides=sides, offset=3.0)
        right = np.stack([-one.tangent[:, 1], one.tangent[:, 0]], axis=1)
        order = np.argsort(one.share)
        assert (np.diff(np.sign((right * one.out).sum(axis=1))[order]) != 0).all()


def test_clusters_lie_within_their_radius_and_more_keep_those_that_stood() -> None:
    few, more = (at(sides="middle", cluster=n, radius=1.2) for n in (3, 5))
    assert len(more.x) == 5 * len(at(sides="middle").x)
    assert set(few.ids.tolist()) < set(more.ids.tolist())
    off = np.hypot(*(np.interp(few.share, np.linspace(0, 1, 2), [0, 0]), 0 * few.x))
    assert (off == 0).all()
    middle = at(sides="middle")
    to = {s: (x, z) for s, x, z in zip(middle.share, middle.x, middle.z, strict=True)}
    far = [math.dist((x, z), to[s]) for s, x, z in zip(more.share, more.x, more.z, strict=True)]
    assert 0.9 < max(far) <= 1.2


def test_a_closed_path_has_no_two_at_its_seam() -> None:
    ring = path_curve([(0.0, 0.0), (40.0, 0.0), (40.0, 30.0), (0.0, 30.0)], closed=True)
    found = at(curve=ring, sides="middle", layout="even", spacing=5.0)
    pairs = np.stack([found.x, found.z], axis=1)
    gaps = np.hypot(*(np.roll(pairs, -1, axis=0) - pairs).T)
    assert gaps.max() / gaps.min() < 1.15 and gaps.mean() == pytest.approx(5, rel=0.1)


def test_closeness_along_it_is_followed_and_none_stand_where_it_is_nothing() -> None:
    found = chain(at(sides="middle", spacing=0.5, closeness=((0, 1), (0.5, 1), (0.501, 0), (1, 0))))
    assert found.max() < 0.53 * LINE.length and len(found) > 0.4 * LINE.length / 0.5
    taper = chain(at(sides="middle", spacing=0.5, closeness=((0, 1), (1, 0.2))))
    gaps = np.diff(taper)
    assert gaps[0] == pytest.approx(0.5, rel=0.1) and gaps[-1] > 1.5


def test_ids_hang_on_path_row_and_number_alone() -> None:
    whole = at(sides="both", rows=2)
    moved = at(curve=path_curve([*BENT[:-1], (45.0, 60.0)], 3.0), sides="both", rows=2)
    assert set(whole.ids.tolist()) < set(moved.ids.tolist())
    assert set(at(sides="left").ids.tolist()) < set(whole.ids.tolist())
    assert not set(at("q").ids.tolist()) & set(at("p").ids.tolist())
    with pytest.raises(TooLargeError) as refused:
        at(spacing=0.1, rows=40, cluster=60, radius=1.0)
    assert refused.value.field == "spacing"


@given(st.integers(0, 2**31), st.floats(0.1, 2.5), st.integers(2, 120))
@settings(max_examples=examples(40), deadline=None)
def test_nothing_intersects_after_pushing_apart_says_another_library(
    seed: int, wide: float, n: int
) -> None:
    rng = np.random.default_rng(seed)
    x, z = rng.uniform(0, 12, (2, n))
    x[: n // 4], z[: n // 4] = x[0], z[0]  # many on one place
    radius = rng.uniform(0.05, wide, n).astype(np.float32)
    px, pz, left = pushed_apart(x, z, radius, rng.random(n))
    assert left == 0
    discs = [Point(a, b).buffer(r, 64) for a, b, r in zip(px, pz, radius.tolist(), strict=True)]
    i, j = STRtree(discs).query(discs, predicate="overlaps")
    assert all(discs[a].intersection(discs[b]).area < 1e-6 for a, b in zip(i, j, strict=True))
    again = pushed_apart(x, z, radius, np.random.default_rng(seed).random(n))
    assert again[0].shape == px.shape


def test_what_does_not_touch_stays_where_it_is() -> None:
    x, z = np.array([0.0, 5.0, 5.1]), np.array([0.0, 0.0, 0.0])
    px, pz, _ = pushed_apart(x, z, np.array([1, 1, 1], np.float32), np.array([0.1, 0.2, 0.3]))
    assert px[0] == 0 and (pz == 0).all()
    assert px[2] - px[1] == pytest.approx(2, abs=3e-3) and px[1] + px[2] == pytest.approx(10.1)


# In a scene


def scene(**values: Any) -> Any:
    document = copy.deepcopy(SMALL)
    dyke = next(k for k, x in enumerate(document["layers"]) if x["id"] == "dyke")
    parameters = {"mix": [{"asset": "sedge"}], "paths": ["dyke"], "spacing": 5} | values
    layer = {"id": "posts", "name": "Posts", "kind": "along", "parameters": parameters}
    document["layers"].insert(dyke + 1, layer)
    return document


def run(**values: Any) -> Any:
    evaluation = EVALUATOR.evaluate(read_document(scene(**values)))
    return evaluation, evaluation.layer("posts").output


def forward(placed: Any) -> np.ndarray:
    """East and south of where each looks."""
    x, y, z, w = placed.rotation.astype(float).T
    return np.stack([2 * (x * z + w * y), 1 - 2 * (x * x + y * y)], axis=1)


@pytest.mark.parametrize("facing", ["along", "across", "outwards", "point", "fixed"])
def test_they_face_as_told(facing: str) -> None:
    evaluation, output = run(facing=facing, azimuth=90, east=10, south=-40, offset=4)
    placed = output.placements.whole()
    (curve,) = evaluation.layer("dyke").output.curves
    x, z = placed.position[:, [0, 2]].astype(float).T
    line = LineString(curve.line)
    found = forward(placed)
    found /= np.hypot(*found.T)[:, None]
    if facing == "fixed":
        assert found == pytest.approx(np.tile([1.0, 0.0], (len(x), 1)), abs=1e-5)
    elif facing == "point":
        to = np.stack([10 - x, -40 - z], axis=1)
        assert found == pytest.approx(to / np.hypot(*to.T)[:, None], abs=1e-4)
    elif facing == "outwards":
        normal = evaluation.surface.sample(x, z).normal[:, [0, 2]]
        steep = np.hypot(*normal.T) > 0.03
        assert ((found * normal).sum(axis=1)[steep] > 0.99 * np.hypot(*normal[steep].T)).all()
    else:
        foot = [line.interpolate(line.project(Point(p))) for p in zip(x, z, strict=True)]
        away = np.stack([x, z], axis=1) - [(p.x, p.y) for p in foot]
        away /= np.hypot(*away.T)[:, None]
        cosine = (found * away).sum(axis=1)
        assert (cosine > 0.97).all() if facing == "across" else (np.abs(cosine) < 0.25).all()


def test_they_stand_on_the_ground_of_the_size_told_along_it_and_follow_a_knot() -> None:
    evaluation, output = run(tapering=[[0, 1], [1, 0.3]], size=[100, 100], sides="middle")
    placed = output.placements.whole()
    ground = evaluation.surface.sample(*placed.position[:, [0, 2]].astype(float).T)
    assert placed.position[:, 1] == pytest.approx(ground.position[:, 1], abs=1e-4)
    assert 0.3 - 1e-3 <= placed.scale.min() < 0.4 and placed.scale.max() == pytest.approx(1, 0.02)
    document = scene(sides="middle")
    dyke = next(x for x in document["layers"] if x["id"] == "dyke")
    dyke["parameters"]["points"][-1][1] += 25
    moved = EVALUATOR.evaluate(read_document(document)).layer("posts").output.placements.whole()
    (curve,) = EVALUATOR.evaluate(read_document(document)).layer("dyke").output.curves
    far = LineString(curve.line).distance(points(*moved.position[:, [0, 2]].astype(float).T))
    assert far.max() < 0.1


def test_turn_nod_and_sway_stay_within_their_limits_about_where_they_face() -> None:
    _, still = run(spacing=0.5)
    _, moved = run(spacing=0.5, turn=40, pitch=10, roll=6)
    from scipy.spatial.transform import Rotation

    a, b = (Rotation.from_quat(o.placements.whole().rotation) for o in (still, moved))
    turn, pitch, roll = np.abs((a.inv() * b).as_euler("YXZ", degrees=True)).T
    for found, most in ((turn, 20), (pitch, 10), (roll, 6)):
        assert 0.85 * most < found.max() <= most + 1e-2


def test_conditions_sift_them_and_pushing_apart_is_told_where_it_does_not_end() -> None:
    _, whole = run(spacing=1)
    low = {"id": "h", "of": "height", "between": [-1000, 0], "fade": 0}
    _, some = run(spacing=1, conditions=[low])
    a, b = (set(o.placements.whole().ids.tolist()) for o in (whole, some))
    assert b < a and (some.placements.whole().position[:, 1] <= 0.01).all()
    _, crowded = run(spacing=0.4, cluster=4, radius=0.3, apart="crowns", sides="middle")
    placed = crowded.placements.whole()
    radius = np.array([EVALUATOR.library.size(v)[1] for v in crowded.placements.variants])
    wide = radius[placed.variant] * placed.scale[:, 0]
    places = points(*placed.position[:, [0, 2]].astype(float).T)
    i, j = STRtree(places).query(places, predicate="dwithin", distance=2 * wide.max())
    apart = np.hypot(*(placed.position[i] - placed.position[j])[:, [0, 2]].T)
    touching = ((i < j) & (apart < (wide[i] + wide[j]) * (1 - 1e-3) - 1e-3)).sum()
    told = [f.code for f in crowded.findings]
    assert (touching > 0) == ("touching" in told)


def test_what_is_missing_or_impossible_is_told() -> None:
    _, output = run(paths=["gone"])
    assert [f.code for f in output.findings] == ["missing-path"] and not output.placements.count
    _, output = run(mix=[], paths=[])
    assert [f.code for f in output.findings] == ["nothing-chosen", "nothing-chosen"]
    for values, field in (
        ({"rows": 41}, "rows"),
        ({"facing": "up"}, "facing"),
        ({"size": [2, 1]}, "size"),
    ):
        with pytest.raises(ParameterError, match=field):
            run(**values)


def test_facing_is_about_the_vertical_from_south() -> None:
    ways = np.array([[0.0, 1.0], [1.0, 0.0], [0.0, -1.0]])
    assert facing_of(ways) == pytest.approx([0, math.pi / 2, math.pi])


def test_a_strip_map_tells_where_along_its_path_each_stands_on_which_side() -> None:
    document = scene(sides="right", offset=3, spacing=4, free_start=5)
    dyke = next(k for k, x in enumerate(document["layers"]) if x["id"] == "dyke")
    a, b = document["layers"][dyke]["parameters"]["points"][:2]
    middle = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]
    across = [[middle[0] - 9, middle[1] - 13], [middle[0] + 9, middle[1] + 13]]
    plank = {"kind": "path", "name": "Plank", "parameters": {"points": across, "surface": "none"}}
    document["layers"].insert(dyke + 1, {"id": "plank", **plank})
    evaluation = EVALUATOR.evaluate(read_document(document))
    (strip,) = strip_maps(evaluation, "posts")
    (curve,) = evaluation.layer("dyke").output.curves
    line = LineString(curve.line)
    assert strip.name == "Dyke" and strip.length == pytest.approx(line.length)
    along, aside = np.array(strip.places).T
    assert along.min() == pytest.approx(5, abs=0.4) and aside == pytest.approx(3, abs=0.05)
    assert np.diff(np.sort(along)) == pytest.approx(4, abs=0.6)
    ((at, name),) = strip.crossings
    assert name == "Plank"
    assert (
        line.interpolate(at).distance(LineString(evaluation.layer("plank").output.curves[0].line))
        < 0.01
    )
    knots = [line.interpolate(k) for k in strip.knots]
    given = document["layers"][dyke]["parameters"]["points"]
    assert [(p.x, p.y) for p in knots] == [pytest.approx(tuple(g[:2]), abs=0.02) for g in given]
    with pytest.raises(ParameterError, match="no layer"):
        strip_maps(evaluation, "nobody")
    assert strip_maps(evaluation, "sedges") == []


def test_the_limit_is_of_the_layer_over_all_its_paths_and_lower_where_they_are_pushed_apart() -> (
    None
):
    many = {"spacing": 0.1, "rows": 4, "cluster": 4, "radius": 0.1}
    with pytest.raises(TooLargeError, match="10,000") as refused:
        run(**many, apart="feet")
    assert refused.value.field == "spacing"
    _, whole = run(**many)
    count = whole.placements.count
    assert 20_000 < count < 100_000
    document = scene(paths=["dyke", "other"], **{**many, "cluster": 20})
    dyke = next(k for k, x in enumerate(document["layers"]) if x["id"] == "dyke")
    twin = {**document["layers"][dyke], "id": "other", "name": "Other"}
    document["layers"].insert(dyke, twin)
    with pytest.raises(TooLargeError, match="the limit is"):
        EVALUATOR.evaluate(read_document(document))
