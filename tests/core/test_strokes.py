"""Strokes of the brush: each does what it says within its reach and nothing beyond; their order is kept, and undone they leave no trace."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point, distance, points

from plough.core.errors import ParameterError
from plough.core.ground import HeightField, TerrainParameters, make_terrain
from plough.core.ground.strokes import Stroke, shaped, with_stroke
from plough.core.layers.ground import GroundParameters
from plough.core.parameters import build
from plough.core.scene import Evaluator, read_document
from plough.core.tiles import SIZE
from tests.conftest import SMALL
from tests.depth import examples

BRUSHES = ("raise", "lower", "level", "smooth", "roughen", "terrace")
FIELD = make_terrain(TerrainParameters(size=256, resolution=1, relief=16, feature=50, seed=4))
AT = np.linspace(-128, 128, 257)


def stroke(brush: str = "raise", **values: Any) -> Stroke:
    line = ((-40.0, -20.0), (-10.0, 0.0), (30.0, 10.0))
    return Stroke(**{"id": "s", "brush": brush, "radius": 15, "points": line, **values})


def away(s: Stroke) -> Any:
    """(n, n) metres from each sample to the line, as another library has it."""
    line = LineString(s.points) if len(s.points) > 1 else Point(s.points[0])
    return distance(points(*np.meshgrid(AT, AT)), line)


@st.composite
def strokes(draw: st.DrawFn) -> Stroke:
    at = st.floats(-180, 180)
    return Stroke(
        id=draw(st.sampled_from(["a", "b", "c"])),
        brush=draw(st.sampled_from(BRUSHES)),
        radius=draw(st.floats(0.5, 60)),
        amount=draw(st.floats(0.01, 20)),
        strength=draw(st.floats(0.01, 1)),
        falloff=draw(st.floats(0, 1)),
        points=tuple(draw(st.lists(st.tuples(at, at), min_size=1, max_size=6))),
    )


@settings(max_examples=examples(60), deadline=None)
@given(strokes())
def test_what_lies_beyond_its_reach_keeps_its_very_bytes(s: Stroke) -> None:
    made = with_stroke(FIELD, s)
    beyond = away(s) > s.radius + 1e-9
    assert made.heights[beyond].tobytes() == FIELD.heights[beyond].tobytes()
    assert np.isfinite(made.heights).all()
    tiles = FIELD.tiles()
    changed = (made.tile_hashes(tiles) != FIELD.tile_hashes(tiles)).any(axis=1)
    line = np.array(s.points)
    low, high = line.min(axis=0) - s.radius - 1.5, line.max(axis=0) + s.radius + 1.5
    for x, z in tiles[changed] * SIZE:
        assert x <= high[0] and x + SIZE >= low[0] and z <= high[1] and z + SIZE >= low[1]


@pytest.mark.parametrize("brush", ["raise", "lower"])
def test_raising_and_lowering_go_by_the_amount_and_fade_to_the_rim(brush: str) -> None:
    s = stroke(brush, amount=3, strength=0.5, falloff=0.5)
    change = (with_stroke(FIELD, s).heights - FIELD.heights) * (1 if brush == "raise" else -1)
    d = away(s)
    assert change[d < 0.45 * s.radius] == pytest.approx(1.5, abs=1e-4)
    assert np.abs(change[d > s.radius]).max() == 0
    order = np.argsort(d[d < s.radius], kind="stable")
    fading = change[d < s.radius][order]
    assert (np.diff(fading) < 0.02).all(), "nearer the middle it does more"
    hard = with_stroke(FIELD, stroke(brush, amount=3, falloff=0)).heights - FIELD.heights
    assert set(np.round(np.abs(hard[np.abs(d - 15) > 0.2]), 3).tolist()) == {0.0, 3.0}


def test_levelling_goes_to_the_height_where_the_stroke_began() -> None:
    s = stroke("level", falloff=0.3)
    began = float(FIELD.height(*(np.array([v]) for v in s.points[0]))[0])
    made = with_stroke(FIELD, s).heights
    assert made[away(s) < 0.6 * s.radius] == pytest.approx(began, abs=1e-4)
    half = with_stroke(FIELD, stroke("level", falloff=0.3, strength=0.5)).heights
    inner = away(s) < 0.6 * s.radius
    assert half[inner] == pytest.approx((FIELD.heights[inner] + began) / 2, abs=1e-4)


def test_smoothing_takes_bumps_and_roughening_makes_them() -> None:
    def bumps(heights: Any) -> float:
        inner = away(stroke()) < 10
        return float(np.abs(np.diff(heights, 2, axis=0)[:, 1:-1][inner[1:-1, 1:-1]]).mean())

    rough = with_stroke(FIELD, stroke("roughen", amount=2))
    change = rough.heights - FIELD.heights
    assert bumps(rough.heights) > 2 * bumps(FIELD.heights)
    assert np.abs(change).max() <= 2 and abs(change[away(stroke()) < 10].mean()) < 0.5
    smooth = with_stroke(rough, stroke("smooth"))
    assert bumps(smooth.heights) < 0.3 * bumps(rough.heights)
    other = with_stroke(FIELD, stroke("roughen", amount=2, id="t"))
    assert not np.array_equal(other.heights, rough.heights), "two strokes roughen otherwise"


def test_terraces_have_treads_and_risers() -> None:
    made = with_stroke(FIELD, stroke("terrace", amount=2, falloff=0, radius=40))
    inner = away(stroke()) < 39
    dz, dx = np.gradient(made.heights)
    before = np.hypot(*np.gradient(FIELD.heights))[inner]
    steep = np.hypot(dx, dz)[inner]
    assert np.median(steep) < 0.35 * np.median(before)
    assert np.quantile(steep, 0.97) > np.quantile(before, 0.97)
    assert np.abs(made.heights - FIELD.heights).max() < 2.001


@settings(max_examples=examples(25), deadline=None)
@given(st.lists(strokes(), min_size=2, max_size=5), st.data())
def test_undone_in_any_place_they_leave_the_bytes_before(
    several: list[Stroke], data: st.DataObject
) -> None:
    def nothing(_: int) -> None:
        return None

    whole = shaped(FIELD, several, nothing)
    cold = FIELD
    for s in several:
        cold = with_stroke(cold, s)
    assert whole.heights.tobytes() == cold.heights.tobytes()
    assert shaped(FIELD, [], nothing) is FIELD
    # from whatever was at hand, the same
    known: dict[int, HeightField] = {}
    for k in data.draw(st.sets(st.integers(1, len(several)))):
        known[k] = shaped(FIELD, several[:k], nothing)
    assert shaped(FIELD, several, known.get).heights.tobytes() == cold.heights.tobytes()
    gone = data.draw(st.integers(0, len(several) - 1))
    without = [s for k, s in enumerate(several) if k != gone]
    again = shaped(FIELD, [*without[:gone], several[gone], *without[gone:]], nothing)
    assert again.heights.tobytes() == cold.heights.tobytes()


def test_a_finer_ground_is_shaped_alike() -> None:
    fine = make_terrain(TerrainParameters(size=256, resolution=0.5, relief=16, feature=50, seed=4))
    for brush in ("raise", "level", "roughen"):
        s = stroke(brush, amount=2)
        a, b = with_stroke(FIELD, s), with_stroke(fine, s)
        change = a.heights - FIELD.heights
        finer = (b.heights - fine.heights)[::2, ::2]
        assert np.abs(change - finer).max() < 0.35, brush


def scene(ground: dict[str, Any]) -> Any:
    document = copy.deepcopy(SMALL)
    document["layers"][0]["parameters"] |= ground
    return read_document(document)


def test_a_stroke_more_is_made_from_what_was_there_and_is_the_same_as_from_nothing() -> None:
    evaluator = Evaluator()
    told = [stroke(b, id=b, amount=2).model_dump(mode="json") for b in BRUSHES]
    seen = [evaluator.evaluate(scene({"strokes": told[:k]})) for k in range(len(told) + 1)]
    again = Evaluator().evaluate(scene({"strokes": told}))
    assert [r.key for r in again.layers] == [r.key for r in seen[-1].layers]
    before = evaluator.evaluate(scene({"strokes": []}))
    assert [r.key for r in before.layers] == [r.key for r in seen[0].layers]
    placed = seen[-1].layer("sedges").output.placements
    assert placed is not None
    at = placed.whole().position.astype(np.float64)
    ground = seen[-1].surface.sample(at[:, 0], at[:, 2]).position[:, 1]
    assert np.abs(ground - at[:, 1]).max() < 0.5, "what stands there stands on the shaped ground"


@pytest.mark.parametrize(
    ("values", "field"),
    [
        ({"brush": "dig"}, "strokes.0.brush"),
        ({"radius": 0.1}, "strokes.0.radius"),
        ({"points": []}, "strokes.0.points"),
        ({"points": [[0, 9000]]}, "strokes.0.points"),
        ({"points": [[0, 0]] * 401}, "strokes.0.points"),
        ({"strength": 0}, "strokes.0.strength"),
        ({"id": "a b"}, "strokes.0.id"),
    ],
)
def test_a_stroke_out_of_its_limits_is_refused_by_its_field(
    values: dict[str, Any], field: str
) -> None:
    good = stroke().model_dump(mode="json")
    with pytest.raises(ParameterError) as refused:
        build(GroundParameters, {"strokes": [good | values]}, "")
    assert refused.value.field.startswith(field)
    with pytest.raises(ParameterError, match="500"):
        build(GroundParameters, {"strokes": [good | {"id": f"s{k}"} for k in range(501)]}, "")
