"""Conditions weigh as they say, whatever they measure; and a tile's hash tells all that any of them can see in it."""

from __future__ import annotations

import math
from typing import Any, get_args

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.cache import Cache
from plough.core.errors import ParameterError
from plough.core.ground import HeightField, Samples, TerrainParameters, make_terrain
from plough.core.ground.areas import Region
from plough.core.ground.conditions import (
    GROUND_ONLY,
    MEASURES,
    Condition,
    MeasureName,
    seen,
    sifted,
    weights,
)
from plough.core.ground.measures import FromImage, InView
from plough.core.ground.paths import path_curve
from plough.core.parameters import build
from plough.core.scene.facets import Ground
from plough.core.scene.senses import Senses
from plough.core.tiles import combine, tile_of
from tests.depth import examples

FIELD = make_terrain(TerrainParameters(size=256, resolution=2, relief=30, feature=40, seed=9))
PATH = path_curve([(-90.0, -40.0), (0.0, 10.0), (80.0, -20.0)], 4.0)
AREA = Region(np.array([(-60.0, -60.0), (50.0, -50.0), (40.0, 70.0), (-50.0, 40.0)]))
RNG = np.random.default_rng(3)
X, Z = RNG.uniform(-127.5, 127.5, (2, 20_000))
AT = FIELD.sample(X, Z)
ALL = sorted(GROUND_ONLY)


def ground(**values: Any) -> Ground:
    return Ground(**{"surface": FIELD, "water": 0.0, "traced": {"p": PATH, "a": AREA}} | values)


def condition(of: str, **values: Any) -> Condition:
    return build(Condition, {"id": "c", "of": of, **values})


def values_of(c: Condition, on: Ground, at: Samples = AT) -> Any:
    return Senses(on, Cache()).measure(c).values(at)


def middling(of: str, on: Ground) -> tuple[float, float]:
    """A span that some places lie in and others do not."""
    low, high = MEASURES[of].limits
    v = values_of(condition(of, between=(low, high - 1), fade=0), on)
    v = v[np.isfinite(v)]
    a, b = np.quantile(v, [0.3, 0.6])
    return float(np.clip(a, low, high)), float(np.clip(b, low, high))


@pytest.mark.parametrize("of", ALL)
@pytest.mark.parametrize("outside", [False, True])
@pytest.mark.parametrize("fade", [0.0, 3.0])
def test_a_weight_is_one_within_falls_beyond_and_is_never_anything_else(
    of: str, outside: bool, fade: float
) -> None:
    between = middling(of, ground())
    straight = ((0.0, 1.0), (1.0, 0.0))
    c = condition(of, between=between, fade=fade, falloff=straight, outside=outside, strength=80)
    got = weights(Senses(ground(), Cache()).weighted([c]), AT)
    v = values_of(c, ground())
    beyond = np.maximum(np.maximum(between[0] - v, v - between[1]), 0)
    inner = np.where(beyond == 0, 1.0, np.clip(1 - beyond / fade, 0, 1) if fade else 0.0)
    w = 1 - inner if outside else inner
    assert got == pytest.approx(1 - 0.8 * (1 - w), abs=2e-6)
    assert 0.02 < np.mean(beyond == 0) < 0.98  # it was a test of both


@pytest.mark.parametrize("of", ALL)
def test_an_end_of_a_span_that_lies_at_a_limit_is_open(of: str) -> None:
    low, high = MEASURES[of].limits
    c = condition(of, between=(low, high), fade=0)
    dry = ground(water=None, traced={})
    for on in (ground(), dry):
        assert (weights(Senses(on, Cache()).weighted([c]), AT) == 1).all()
    if of in ("above-water", "shore", "path", "area"):
        near = condition(of, between=(low, (low + high) / 2), fade=1)
        assert (weights(Senses(dry, Cache()).weighted([near]), AT) == 0).all()  # there is none


@settings(max_examples=examples(25), deadline=None)
@given(st.lists(st.sampled_from(ALL), min_size=1, max_size=4), st.integers(0, 99))
def test_sifting_keeps_those_whose_whole_weight_is_above_their_draw(
    chosen: list[str], seed: int
) -> None:
    conditions = [condition(of, id=f"c{k}", fade=4) for k, of in enumerate(chosen)]
    weighted = Senses(ground(), Cache()).weighted(conditions)
    draw = np.random.default_rng(seed).random(len(X))
    kept = sifted(weighted, AT, draw)
    assert kept.tolist() == np.nonzero(weights(weighted, AT) > draw)[0].tolist()
    # another condition takes away, and moves none of those that stay
    fewer = sifted(Senses(ground(), Cache()).weighted([*conditions, condition("noise")]), AT, draw)
    assert set(fewer.tolist()) <= set(kept.tolist())


def test_places_without_a_surface_have_no_weight() -> None:
    beyond = FIELD.sample(np.array([0.0, 500.0]), np.array([0.0, 0.0]))
    assert weights([], beyond).tolist() == [1, 0]
    assert sifted([], beyond, np.zeros(2)).tolist() == [0]


def bumped() -> HeightField:
    heights = FIELD.heights.copy()
    heights[20:30, 30:40] += 3.0
    return HeightField(heights, FIELD.size)


MOVES = {
    "another surface": lambda: ground(surface=bumped()),
    "another water": lambda: ground(water=1.0),
    "a knot moved": lambda: ground(
        traced={"p": path_curve([(-90.0, -40.0), (0.0, 14.0), (80.0, -20.0)], 4.0), "a": AREA}
    ),
    "a corner moved": lambda: ground(
        traced={"p": PATH, "a": Region(np.add(AREA.ring, [[0, 0], [6, 0], [0, 0], [0, 0]]))}
    ),
    "an area more": lambda: ground(
        traced={"p": PATH, "a": AREA, "b": Region(AREA.ring * 0.2 + [90, 90])}
    ),
    "no path": lambda: ground(traced={"a": AREA}),
}


@pytest.mark.parametrize("of", ALL)
@pytest.mark.parametrize("move", sorted(MOVES))
def test_no_value_changes_in_a_tile_whose_hash_does_not(of: str, move: str) -> None:
    before, after = ground(), MOVES[move]()
    c = condition(of, between=middling(of, before), fade=6)
    tiles = FIELD.tiles()

    def look(on: Ground) -> tuple[Any, Any]:
        weighted = Senses(on, Cache()).weighted([c])
        hashes = combine(seen(weighted, tiles), on.surface.tile_hashes(tiles))
        return hashes, weights(weighted, on.surface.sample(X, Z))

    (hash_a, a), (hash_b, b) = look(before), look(after)
    same = (hash_a == hash_b).all(axis=1)
    own = tile_of(X, Z)
    of_tile = {tuple(t): k for k, t in enumerate(tiles.tolist())}
    row = np.array([of_tile[tuple(t)] for t in own.tolist()])
    changed = np.unique(row[a != b])
    assert not same[changed].any()
    if not len(changed):
        assert same.all() or move != "a knot moved" or of == "path"


@pytest.mark.parametrize("of", ["path", "area"])
def test_what_lies_beyond_the_reach_of_a_condition_is_not_seen(of: str) -> None:
    c = condition(of, between=(0, 3), fade=3)
    far = Region(AREA.ring * 0.2 + [90, 90])
    moved = {
        "p": path_curve([(-90.0, -40.0), (0.0, 10.0), (80.0, -28.0)], 4.0),
        "a": AREA,
        "b": far,
    }
    tiles = FIELD.tiles()
    a = seen(Senses(ground(), Cache()).weighted([c]), tiles)
    b = seen(Senses(ground(traced=moved), Cache()).weighted([c]), tiles)
    assert 1 <= (a != b).any(axis=1).sum() <= len(tiles) // 2


@pytest.mark.parametrize("of", ALL)
def test_whatever_is_set_on_a_condition_is_in_its_hash(of: str) -> None:
    tiles = FIELD.tiles()
    low, high = MEASURES[of].limits
    plain = condition(of)
    changed = [
        {"between": (low, high)},
        {"fade": 7.5},
        {"falloff": ((0.0, 1.0), (1.0, 0.5))},
        {"outside": True},
        {"strength": 50},
        {"azimuth": 10},
        {"width": 3},
        {"seed": 2},
        {"away": 9},
    ]
    hashes = {
        seen(Senses(ground(), Cache()).weighted([c]), tiles).tobytes()
        for c in [plain, *(condition(of, **change) for change in changed)]
    }
    assert len(hashes) == len(changed) + 1


def test_measures_are_what_they_are_called() -> None:
    at = np.linspace(-128, 128, 129)
    x, z = np.meshgrid(at, at)
    south = HeightField((-0.5 * z + 0 * x).astype(np.float32), 256.0)  # falls to the south
    on = Ground(surface=south, water=-10.0, traced={"p": PATH, "a": AREA})
    some = south.sample(np.array([0.0, 30.0]), np.array([0.0, 8.0]))
    steep = math.degrees(math.atan(0.5))
    assert values_of(condition("slope"), on, some) == pytest.approx(steep)
    assert values_of(condition("height"), on, some) == pytest.approx([0, -4])
    assert values_of(condition("above-water"), on, some) == pytest.approx([10, 6])
    assert values_of(condition("facing", azimuth=180), on, some) == pytest.approx(0, abs=1e-6)
    assert values_of(condition("facing", azimuth=300), on, some) == pytest.approx(120)
    assert values_of(condition("rise"), on, some) == pytest.approx(0, abs=1e-5)
    flat = HeightField(np.zeros((65, 65), np.float32), 256.0)
    spot = flat.sample(X[:50], Z[:50])
    assert (values_of(condition("facing"), Ground(surface=flat), spot) == 180).all()
    crest = HeightField((-0.02 * x**2).astype(np.float32), 256.0)
    top = crest.sample(np.zeros(1), np.zeros(1))
    assert values_of(condition("rise", away=10), Ground(surface=crest), top) == pytest.approx(
        0.02 * 50, abs=0.03
    )
    fine = np.interp(np.linspace(0, 1, 40_000), np.linspace(0, 1, len(PATH.line)), PATH.line[:, 0])
    down = np.interp(np.linspace(0, 1, 40_000), np.linspace(0, 1, len(PATH.line)), PATH.line[:, 1])
    away = np.array(
        [np.hypot(fine - a, down - b).min() for a, b in zip(X[:300], Z[:300], strict=True)]
    )
    found = values_of(
        condition("path", between=(0, 40), fade=0), ground(), FIELD.sample(X[:300], Z[:300])
    )
    assert np.where(away < 39.9, found - away, 0) == pytest.approx(0, abs=0.01)
    assert np.isinf(found[away > 40.1]).all()


def test_noise_covers_as_much_as_its_span_says() -> None:
    at = FIELD.sample(*RNG.uniform(-127, 127, (2, 60_000)))
    for low, high in ((0, 25), (40, 70), (80, 100)):
        c = condition("noise", between=(low, high), fade=0, width=3, seed=5)
        share = weights(Senses(ground(), Cache()).weighted([c]), at).mean()
        assert share == pytest.approx((high - low) / 100, abs=0.04)


def test_a_frame_sees_what_lies_before_it() -> None:
    camera = InView((0.0, 2.0, 0.0), (0.0, 2.0, -10.0), math.radians(60), 1.5)
    places = np.array(
        [[0, 2, -20], [11, 2, -20], [12, 2, -20], [0, 2, 5], [0, 9.6, -20], [0, 9.8, -20]], float
    )
    at = Samples(places, np.tile([0.0, 1.0, 0.0], (6, 1)), np.ones(6, bool))
    beyond = camera.values(at)
    assert (beyond == 0).tolist() == [True, True, False, False, True, False]
    assert beyond[3] == 180


@pytest.mark.parametrize("of", sorted(MEASURES))
def test_a_span_beyond_what_is_possible_is_refused_with_the_limit(of: str) -> None:
    low, high = MEASURES[of].limits
    with pytest.raises(ParameterError) as refused:
        build(Condition, {"id": "c", "of": of, "between": (low, high + 1)})
    assert f"{high:g}" in refused.value.message
    with pytest.raises(ParameterError):
        build(Condition, {"id": "c", "of": of, "between": (low - 1, high)})
    with pytest.raises(ParameterError):
        build(Condition, {"id": "c", "of": of, "between": (high, low)})


def test_every_measure_is_described() -> None:
    assert set(get_args(MeasureName)) == set(MEASURES)
    for facts in MEASURES.values():
        (low, high), (a, b) = facts.limits, facts.soft
        assert low <= a < b <= high
        assert low <= facts.between[0] < facts.between[1] <= high


# Clumps and images


def measured(**values: Any) -> Any:
    condition = build(Condition, {"id": "c", **values})
    return condition, Senses(Ground(FIELD), Cache()).measure(condition)


def test_clumps_are_the_distance_to_the_nearest_middle_and_there_is_one_in_each_cell() -> None:
    _, measure = measured(of="clump", width=10, seed=3)
    g = np.linspace(-40, 40, 321)
    x, z = (a.ravel() for a in np.meshgrid(g, g))
    found = measure.values(FIELD.sample(x, z)).reshape(321, 321) / 100 * 10
    step = np.abs(np.diff(found, axis=1))
    assert step.max() <= 0.25 + 1e-9, "a distance changes by no more than one goes"
    low = found[1:-1, 1:-1]
    beside = [found[1 + a : 320 + a, 1 + b : 320 + b] for a in (-1, 0, 1) for b in (-1, 0, 1)]
    middles = (low <= np.min(beside, axis=0)) & (low < 0.3)
    assert 40 <= middles.sum() <= 84, "about one to each cell of ten metres"
    other = measured(of="clump", width=10, seed=4)[1].values(FIELD.sample(x, z))
    assert np.corrcoef(found.ravel(), other)[0, 1] < 0.3


def test_an_image_is_laid_over_the_ground_north_up_and_only_tiles_that_see_a_change_change() -> (
    None
):
    shares = np.random.default_rng(5).random((32, 32)).astype(np.float32)
    x0, z0, x1, z1 = FIELD.bounds
    image = FromImage(shares, FIELD.bounds)
    c, r = (a.ravel() for a in np.meshgrid(np.arange(32), np.arange(32)))
    x, z = x0 + (c + 0.5) * (x1 - x0) / 32, z0 + (r + 0.5) * (z1 - z0) / 32
    assert image.values(FIELD.sample(x, z)) == pytest.approx(100 * shares.ravel(), abs=1e-4)
    changed = shares.copy()
    changed[3, 28] = 1 - changed[3, 28]
    other, tiles = FromImage(changed, FIELD.bounds), FIELD.tiles()
    same = (image.seen(tiles) == other.seen(tiles)).all(axis=1)
    assert same.any() and not same.all()
    g = np.random.default_rng(6).uniform(-1, 1, (4000, 2)) * [x1 - 0.01, z1 - 0.01]
    at = FIELD.sample(*np.ascontiguousarray(g.T))
    differs = image.values(at) != other.values(at)
    seen = {tuple(t): s for t, s in zip(tiles.tolist(), same, strict=True)}
    assert differs.any()
    assert not any(seen[tuple(t)] for t in tile_of(*g[differs].T).tolist())
