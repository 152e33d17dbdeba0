"""Paths with knots of their own and closed ones, areas with holes and kept clear, and both as GeoJSON."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import orjson
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Point as Dot
from shapely import Polygon

from plough.core.errors import DocumentError, ParameterError
from plough.core.formats.geojson import read_geojson, write_geojson
from plough.core.ground import TerrainParameters, make_terrain
from plough.core.ground.areas import Region, check_region
from plough.core.ground.beds import Bed, with_bed
from plough.core.ground.paths import Strip, path_curve, strip_distance
from plough.core.ground.ribbon import edges
from plough.core.layers.area import AreaParameters
from plough.core.layers.path import PathParameters
from plough.core.parameters import build
from plough.core.scene import Evaluator, read_document
from plough.core.scene.outlines import MOST_POINTS, layers_of, shapes_of
from plough.core.tiles import tile_of, tiles_in
from tests.conftest import SMALL
from tests.depth import examples

FIELD = make_terrain(TerrainParameters(size=256, resolution=1, relief=10, feature=50, seed=6))
KNOTS = [(-90.0, -40.0), (-20.0, 30.0, 12.0, 0.0), (40.0, -20.0, 2.0, 60.0), (90.0, 50.0)]
SQUARE = ((-40.0, -40.0), (40.0, -40.0), (40.0, 40.0), (-40.0, 40.0))
HOLE = ((-10.0, -10.0), (10.0, -10.0), (10.0, 10.0), (-10.0, 10.0))
X, Z = np.random.default_rng(2).uniform(-100, 100, (2, 4000))


def test_a_path_is_as_wide_at_each_knot_as_that_says_and_evenly_between() -> None:
    curve = path_curve(KNOTS, 4.0)
    at = [int(np.argmin(np.hypot(*(curve.line - k[:2]).T))) for k in KNOTS]
    assert (2 * curve.half)[at] == pytest.approx([4, 12, 2, 4])
    assert curve.bank[at] == pytest.approx([0, 0, 60, 0])
    for a, b in zip(at, at[1:], strict=False):
        run = curve.half[a : b + 1]
        assert (np.diff(run) >= -1e-12).all() or (np.diff(run) <= 1e-12).all()
    plain = path_curve([k[:2] for k in KNOTS], 4.0)
    assert (plain.line == curve.line).all() and plain.key != curve.key
    assert (plain.half == 2).all()
    # what shows it is as wide
    across = edges(curve.line, 2 * curve.half)
    wide = np.hypot(*(across[:, -1] - across[:, 0]).T)
    assert wide[at[1:3]] == pytest.approx([12, 2], abs=0.2)


def test_a_strip_reaches_as_far_as_it_is_wide_there() -> None:
    strip = path_curve(KNOTS, 4.0).strip
    found = strip_distance(X, Z, strip)
    fine = np.linspace(0, len(strip.line) - 1, 60_000)
    k = np.arange(len(strip.line))
    px, pz, half = (np.interp(fine, k, v) for v in (*strip.line.T, strip.half))
    for i in range(0, len(X), 7):
        least = (np.hypot(px - X[i], pz - Z[i]) / half).min()
        if least < 0.98:
            assert found[i] == pytest.approx(least, abs=0.02)
        elif least > 1.02:
            assert np.isinf(found[i])


def test_no_place_goes_over_to_a_strip_in_a_tile_whose_hash_stays() -> None:
    a = path_curve(KNOTS, 4.0).strip
    b = path_curve([KNOTS[0], KNOTS[1], (40.0, -20.0, 3.0, 60.0), KNOTS[3]], 4.0).strip
    tiles = tiles_in((-128, -128, 128, 128))
    same = {tuple(t) for t in tiles[(a.seen(tiles) == b.seen(tiles)).all(axis=1)].tolist()}
    changed = tile_of(X, Z)[(strip_distance(X, Z, a) < 1) != (strip_distance(X, Z, b) < 1)]
    assert len(changed) and same
    assert not same & {tuple(t) for t in changed.tolist()}


def test_a_bed_is_as_wide_and_as_steep_as_its_knots_say() -> None:
    level = make_terrain(TerrainParameters(size=256, resolution=1, relief=0))
    line = [(-80.0, 0.0, 20.0, 20.0), (80.0, 0.0, 4.0, 70.0)]
    made = with_bed(level, path_curve(line, 8.0), Bed(-3.0, 1.0, "no"))
    for x, wide, steep in ((-80.0, 20.0, 20.0), (80.0, 4.0, 70.0)):
        for side in (-1, 1):
            deep, up = made.height(
                np.array([x, x]), side * np.array([wide / 2 - 0.6, wide / 2 + 1.0])
            )
            assert deep == pytest.approx(-3, abs=0.05)
            assert up == pytest.approx(min(0, -3 + np.tan(np.radians(steep))), abs=0.35)


def test_a_closed_path_goes_round_and_has_no_seam() -> None:
    ring = [(-50.0, -30.0), (40.0, -50.0), (60.0, 30.0), (-30.0, 50.0)]
    curve = path_curve(ring, 4.0, closed=True)
    assert (curve.line[0] == curve.line[-1]).all() and curve.closed
    steps = np.diff(curve.line, axis=0)
    turn = np.arctan2(*steps.T)
    seam = (turn[0] - turn[-1] + np.pi) % (2 * np.pi) - np.pi
    assert abs(seam) < 0.1, "no kink where it closes"
    # begun at another knot, it is the same line
    other = path_curve(ring[2:] + ring[:2], 4.0, closed=True)
    assert {tuple(p) for p in other.line.tolist()} == {tuple(p) for p in curve.line.tolist()}
    assert path_curve(ring, 4.0).length < curve.length - 40


@pytest.mark.parametrize(
    ("values", "field", "words"),
    [
        ({"points": [(0, 0), (9, 0)], "closed": True}, "points", "3 points"),
        ({"points": [(0, 0), (9, 9), (9, 0), (0, 9)], "closed": True}, "points", "crosses itself"),
        (
            {"points": [(0, 0), (9, 0), (9, 9)], "closed": True, "shapes": "bed", "flows": "falls"},
            "flows",
            "cannot flow",
        ),
        ({"points": [(0, 0), (9, 0, 50, 0)]}, "points", "40"),
        ({"points": [(0, 0), (9, 0, 5)]}, "points", ""),
    ],
)
def test_a_path_that_cannot_be_is_refused(values: Any, field: str, words: str) -> None:
    with pytest.raises(ParameterError) as refused:
        build(PathParameters, values)
    assert refused.value.field.startswith(field) and words in refused.value.message


@settings(max_examples=examples(40), deadline=None)
@given(st.integers(3, 9), st.integers(0, 2**31))
def test_an_area_with_holes_holds_what_a_polygon_library_says(corners: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    turns = np.sort(rng.uniform(0, 2 * np.pi, corners))
    if np.diff(turns, append=turns[0] + 2 * np.pi).min() < 0.2:
        return
    ring = np.stack([np.cos(turns), np.sin(turns)], 1) * rng.uniform(60, 90, (corners, 1))
    hole = np.stack([np.cos(turns), np.sin(turns)], 1) * rng.uniform(2, 8)
    try:
        region = check_region(ring.tolist(), [hole.tolist()])
    except ParameterError:
        return
    whole = Polygon(ring, [hole])
    assert region.area == pytest.approx(whole.area)
    held = region.holds(X, Z)
    for i in range(0, len(X), 25):
        assert held[i] == whole.contains(Dot(X[i], Z[i]))


@pytest.mark.parametrize(
    ("holes", "field"),
    [
        ([((30, 30), (60, 30), (60, 60))], "holes"),
        ([HOLE, ((0, 0), (20, 0), (20, 20))], "holes"),
        ([((0, 0), (5, 5), (5, 0), (0, 5))], "holes"),
        ([((90, 90), (99, 90), (99, 99))], "holes"),
    ],
)
def test_a_hole_beyond_its_area_or_over_another_is_refused(holes: Any, field: str) -> None:
    with pytest.raises(ParameterError) as refused:
        build(AreaParameters, {"corners": SQUARE, "holes": holes})
    assert refused.value.field == field


def scene(*layers: tuple[str, dict[str, Any]]) -> Any:
    document = copy.deepcopy(SMALL)
    document["layers"][1:1] = [
        {"id": f"own-{k}", "kind": kind, "name": f"Own {k}", "parameters": p}
        for k, (kind, p) in enumerate(layers)
    ]
    return document


def standing(document: Any) -> dict[str, Any]:
    out = {}
    for r in Evaluator().evaluate(read_document(document)).layers:
        if r.output.placements is not None:
            placed = r.output.placements.whole()
            out[r.layer.id] = dict(zip(placed.ids.tolist(), placed.position.tolist(), strict=True))
    return out


def test_nothing_stands_in_a_hole_or_in_what_is_kept_clear_and_all_else_stays() -> None:
    plain = standing(scene())
    clear = standing(scene(("area", {"corners": SQUARE, "holes": [HOLE], "kept_clear": True})))
    region = check_region(SQUARE, [HOLE])
    for layer, before in plain.items():
        at = np.array(list(before.values())).reshape(-1, 3)
        within = region.holds(at[:, 0].astype(float), at[:, 2].astype(float))
        kept = {i for i, w in zip(before, within, strict=True) if not w}
        if layer == "sedges":  # gives way to what gave way
            assert kept <= set(clear[layer])
        else:
            assert set(clear[layer]) == kept
        after = np.array(list(clear[layer].values())).reshape(-1, 3).astype(float)
        assert not region.holds(after[:, 0], after[:, 2]).any()
        assert all(clear[layer][i] == before[i] for i in kept)
    # as long as it is not kept clear, an area is nothing but an outline
    assert standing(scene(("area", {"corners": SQUARE, "holes": [HOLE]}))) == plain


def test_an_area_with_holes_is_filled_but_for_them() -> None:
    document = scene(("area", {"corners": SQUARE, "holes": [HOLE]}))
    for layer in document["layers"]:
        if layer["kind"] == "scatter":
            layer["parameters"]["areas"] = ["own-0"]
    placed = standing(document)
    at = np.array([p for of in placed.values() for p in of.values()]).astype(float)
    assert len(at) > 20 and check_region(SQUARE, [HOLE]).holds(at[:, 0], at[:, 2]).all()


def test_regions_tell_tiles_apart_by_their_holes() -> None:
    tiles = tiles_in((-128, -128, 128, 128))
    big = [(-100.0, -100.0), (100.0, -100.0), (100.0, 100.0), (-100.0, 100.0)]
    plain, holed = check_region(big), check_region(big, [HOLE])
    changed = (plain.seen(tiles)[0] != holed.seen(tiles)[0]).any(axis=1)
    touched = {tuple(t) for t in tiles[changed].tolist()}
    assert touched == {(-1, -1), (0, -1), (-1, 0), (0, 0)}


def test_paths_and_areas_come_back_from_geojson_as_they_were() -> None:
    made = [
        ("path", {"points": KNOTS, "width": 5, "surface": "gravel"}),
        ("path", {"points": [(0, 0), (20, 0), (20, 20)], "closed": True, "surface": "none"}),
        ("area", {"corners": SQUARE, "holes": [HOLE], "kept_clear": True}),
    ]
    document = read_document(scene(*made))
    data = write_geojson(shapes_of(document))
    told = orjson.loads(data)
    assert told["features"][0]["geometry"]["coordinates"][0] == [-90, 40], "east and north"
    outline = told["features"][2]["geometry"]
    assert (
        outline["type"] == "Polygon"
        and outline["coordinates"][0][0] == outline["coordinates"][0][-1]
    )
    back, left = layers_of(read_geojson(data))
    assert not left and [m.name for m in back][:3] == ["Own 0", "Own 1", "Own 2"]
    for (kind, parameters), again in zip(made, back, strict=False):
        model = PathParameters if kind == "path" else AreaParameters
        wanted = build(model, parameters).model_dump(mode="json")  # type: ignore[type-var]
        found = build(model, again.parameters).model_dump(mode="json")  # type: ignore[type-var]
        if kind == "path":
            full = [[*p, 0, 0][:4] for p in wanted.pop("points")]
            assert [[*p, 0, 0][:4] for p in found.pop("points")] == full
        assert (again.kind, found) == (kind, wanted)


def feature(kind: str, coordinates: Any, **properties: Any) -> dict[str, Any]:
    geometry = {"type": kind, "coordinates": coordinates}
    return {"type": "Feature", "properties": properties, "geometry": geometry}


def collection(*features: Any) -> bytes:
    return orjson.dumps({"type": "FeatureCollection", "features": list(features)})


def test_degrees_are_laid_on_the_map_true_to_scale() -> None:
    lon, lat = 0.21, 52.4
    data = collection(
        feature("LineString", [[lon, lat], [lon + 0.01, lat], [lon + 0.01, lat + 0.01]])
    )
    (line,) = read_geojson(data, degrees=True).drawn[0].rings
    east, north = np.diff(np.array(line), axis=0)
    assert east == pytest.approx([0.01 * 111_195 * np.cos(np.radians(lat + 0.005)), 0], abs=0.5)
    assert north == pytest.approx([0, -1111.95], abs=0.5)
    assert np.mean([np.min(line, axis=0), np.max(line, axis=0)], axis=0) == pytest.approx(
        [0, 0], abs=1e-6
    )
    with pytest.raises(DocumentError, match="longitudes"):
        read_geojson(collection(feature("LineString", [[400, 0], [0, 0]])), degrees=True)


def test_many_parts_are_taken_apart_and_what_is_no_line_is_told() -> None:
    data = collection(
        feature("MultiLineString", [[[0, 0], [9, 0]], [[0, 5], [9, 5]]], name="Drove"),
        feature("Point", [1, 2], name="Pump"),
        feature("MultiPolygon", [[[[0, 0], [9, 0], [9, 9], [0, 0]]]], name="Wash"),
        feature("Polygon", [[[0, 0], [9, 9], [9, 0], [0, 9], [0, 0]]], name="Knot"),
        feature("LineString", [[0, 0], [9000, 0]], name="Far"),
    )
    made, told = layers_of(read_geojson(data))
    assert [(m.kind, m.name) for m in made] == [
        ("path", "Drove"),
        ("path", "Drove"),
        ("area", "Wash"),
    ]
    assert any("Point" in t for t in told)
    assert any(t.startswith("Knot") and "crosses itself" in t for t in told)
    assert any(t.startswith("Far") and "4096" in t for t in told)


def test_a_line_with_too_many_points_is_made_simpler_and_stays_where_it_is() -> None:
    t = np.linspace(0, 8 * np.pi, 5000)
    line = np.stack([t * 20 - 250, 60 * np.sin(t)], axis=1)
    made, told = layers_of(read_geojson(collection(feature("LineString", line.tolist()))))
    points = np.array(made[0].parameters["points"])
    assert 50 < len(points) <= MOST_POINTS and "simpler" in told[0]
    away = [np.hypot(line[:, 0] - x, -line[:, 1] - z).min() for x, z in points]
    assert max(away) < 0.5


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"[]",
        b'{"type": "Topology"}',
        collection(feature("LineString", [[1, 2]])),
        collection(feature("LineString", [["a", 2], [3, 4]])),
        collection(feature("Polygon", [[[0, 0], [1, 1]]])),
        collection(feature("LineString", None)),
        b" " * 4_000_001,
    ],
)
def test_what_is_no_geojson_is_refused_in_words(data: bytes) -> None:
    with pytest.raises(DocumentError) as refused:
        read_geojson(data)
    assert len(str(refused.value)) > 10


def test_there_is_a_limit_to_how_many_layers_one_file_makes() -> None:
    lines = [feature("LineString", [[0, k], [9, k]]) for k in range(201)]
    with pytest.raises(ParameterError, match="200"):
        layers_of(read_geojson(collection(*lines)))


def test_there_is_a_limit_to_how_many_points_one_file_brings_and_long_lines_count_as_made_simpler() -> (
    None
):
    def lines(count: int, points: int) -> bytes:
        drawn = [[[x / 20, k + x % 2] for x in range(points)] for k in range(count)]
        return collection(*(feature("LineString", line) for line in drawn))

    with pytest.raises(ParameterError, match="20,000") as refused:
        layers_of(read_geojson(lines(51, 400)))
    assert refused.value.field == "file"
    made, told = layers_of(read_geojson(lines(2, 2_000)))
    assert len(made) == 2 and len(told) == 2


def test_a_strip_that_is_even_is_a_line_with_a_distance() -> None:
    line = np.array([[0.0, 0.0], [10.0, 0.0]])
    strip = Strip.even(line, 2.0)
    found = strip_distance(np.array([5.0, 5.0, 5.0, 13.0]), np.array([0.0, 1.0, 2.1, 0.0]), strip)
    assert found.tolist() == [0.0, 0.5, np.inf, np.inf]
    assert Region(np.array(SQUARE)).key != Region(np.array(SQUARE), (np.array(HOLE),)).key
