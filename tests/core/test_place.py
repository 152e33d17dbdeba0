"""Sampling and scatter rules."""

import math
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from plough.core.cache import Cache
from plough.core.errors import ParameterError, Superseded, TooLargeError
from plough.core.ground import HeightField, Samples, TerrainParameters, make_terrain
from plough.core.ground.areas import Region
from plough.core.ground.conditions import Condition, Weighting
from plough.core.ground.paths import Curve, path_curve
from plough.core.parameters import build
from plough.core.place import Placements, ScatterRule, joined, sample, scatter
from plough.core.place.candidates import Scattered, block_size
from plough.core.place.near import any_near
from plough.core.place.placements import cut
from plough.core.place.pose import Pose
from plough.core.place.standing import Stand
from plough.core.place.variants import Choices
from plough.core.scene.facets import Ground
from plough.core.scene.senses import Senses
from plough.core.tiles import SIZE, tile_of, tiles_in
from tests.depth import examples

BOX = (-30.0, -20.0, 45.0, 38.0)
FIELD = make_terrain(TerrainParameters(size=128, resolution=2, relief=14, feature=40))


def nearest(x: np.ndarray, z: np.ndarray) -> float:
    points = np.stack([x, z], axis=1)
    return float(cKDTree(points).query(points, k=2)[0][:, 1].min())


@given(seed=st.integers(0, 2**63), spacing=st.floats(0.7, 9), fill=st.floats(0.05, 1))
@settings(max_examples=examples(30), deadline=None)
def test_no_two_points_are_nearer_than_the_spacing(seed: int, spacing: float, fill: float) -> None:
    points = sample(seed, spacing, BOX, fill)
    if points.x.size > 1:
        assert nearest(points.x, points.z) >= spacing * (1 - 1e-9)
    assert (
        (points.x >= BOX[0]) & (points.x < BOX[2]) & (points.z >= BOX[1]) & (points.z < BOX[3])
    ).all()
    assert np.unique(points.ids).size == points.ids.size


@given(seed=st.integers(0, 2**32), tile=st.integers(5, 90))
@settings(max_examples=examples(25), deadline=None)
def test_the_same_bytes_for_any_tile_size(seed: int, tile: int) -> None:
    a, b = sample(seed, 1.3, BOX), sample(seed, 1.3, BOX, tile=tile)
    for name in ("x", "z", "ids", "place"):
        assert getattr(a, name).tobytes() == getattr(b, name).tobytes()


@given(seed=st.integers(0, 2**32), x0=st.floats(-29, 0), z0=st.floats(-19, 0), w=st.floats(3, 30))
@settings(max_examples=examples(25), deadline=None)
def test_a_part_holds_the_points_of_the_whole(seed: int, x0: float, z0: float, w: float) -> None:
    whole = sample(seed, 1.1, BOX)
    part = sample(seed, 1.1, (x0, z0, x0 + w, z0 + w))
    inside = (whole.x >= x0) & (whole.x < x0 + w) & (whole.z >= z0) & (whole.z < z0 + w)
    assert set(part.ids.tolist()) == set(whole.ids[inside].tolist())


@given(seed=st.integers(0, 2**32), a=st.floats(0, 1), b=st.floats(0, 1))
@settings(max_examples=examples(30), deadline=None)
def test_raising_the_fill_keeps_all_that_stood(seed: int, a: float, b: float) -> None:
    less, more = sample(seed, 1.6, BOX, min(a, b)), sample(seed, 1.6, BOX, max(a, b))
    assert set(less.ids.tolist()) <= set(more.ids.tolist())


def test_a_full_sampling_is_maximal_and_the_fill_is_a_share_of_it() -> None:
    box = (0.0, 0.0, 120.0, 120.0)
    full = sample(3, 1.0, box)
    density = full.x.size * math.pi / 4 / 120**2
    assert 0.535 < density < 0.56, (
        "the jamming limit of random sequential packing is 0.547 of the plane"
    )
    grid = np.stack(
        np.meshgrid(np.linspace(2, 118, 700), np.linspace(2, 118, 700)), axis=-1
    ).reshape(-1, 2)
    gap = cKDTree(np.stack([full.x, full.z], axis=1)).query(grid)[0]
    assert (gap > 1.0).mean() < 2e-4, "there is hardly a place left for another point"
    for fill in (0.1, 0.3, 0.5, 0.72, 0.9):
        assert sample(3, 1.0, box, fill).x.size / full.x.size == pytest.approx(fill, abs=0.02)


def test_points_are_spread_alike_in_all_directions() -> None:
    points = sample(9, 1.0, (0.0, 0.0, 100.0, 100.0))
    for values in (points.x, points.z):
        share = np.histogram(np.mod(values * math.sqrt(2), 1), bins=8)[0] / values.size
        assert np.abs(share - 1 / 8).max() < 0.012, "no trace of the cells remains"


def test_spacing_is_checked() -> None:
    with pytest.raises(ParameterError):
        sample(1, 0.0, BOX)
    with pytest.raises(TooLargeError, match="raise it to"):
        sample(1, 0.01, (-2000, -2000, 2000, 2000))


SQUARE = np.array([[-40.0, -30.0], [20.0, -35.0], [30.0, 40.0], [-35.0, 30.0]])


def weighted(**values: Any) -> tuple[Weighting, ...]:
    """A condition that has no fade, with what it measures on `FIELD`."""
    condition = build(Condition, {"id": "c", "fade": 0, **values})
    return Senses(Ground(FIELD), Cache()).weighted([condition])


def within(of: str, low: float, high: float) -> tuple[Weighting, ...]:
    return weighted(of=of, between=(low, high))


def clear(curve: Curve, metres: float) -> tuple[Weighting, ...]:
    condition = build(Condition, {"id": "c", "of": "path", "between": (metres, 1000), "fade": 0})
    return Senses(Ground(FIELD, traced={"path": curve}), Cache()).weighted([condition])


def placed(rule: ScatterRule, *standing: Any, cache: Cache | None = None) -> Placements:
    return joined([t.placements for t in scatter(rule, FIELD, [Stand(s) for s in standing], cache)])


def by_id(p: Placements) -> dict[int, tuple[float, ...]]:
    rows = np.concatenate([p.position, p.rotation, p.scale], axis=1).tolist()
    return {int(i): (*row, int(v)) for i, row, v in zip(p.ids, rows, p.variant, strict=True)}


@pytest.mark.parametrize("spacing", [2.05, 3.0, 40.0])
def test_blocks_give_the_points_of_the_plane(spacing: float) -> None:
    size = block_size(spacing)
    box = (-size * 0.8, -size, size * 1.2, size * 0.5)
    whole = sample(9, spacing, box, 0.8)
    source = Scattered(9, spacing, 0.8, Cache(), lambda: None, box)
    found = source.of_blocks(tiles_in(box, size))
    inside = (found.x >= box[0]) & (found.x < box[2]) & (found.z >= box[1]) & (found.z < box[3])
    assert set(found.ids[inside].tolist()) == set(whole.ids.tolist())
    tiles = tile_of(found.x, found.z)
    code = tiles[:, 1] * 10_000 + tiles[:, 0]
    assert (np.diff(code) >= 0).all(), "sorted by tile"


def test_rules_hold_for_every_placement() -> None:
    curve = path_curve([(-60, 0), (0, 6), (60, -4)])
    line = curve.line
    rule = ScatterRule(
        5,
        1.5,
        0.9,
        regions=(Region(SQUARE),),
        conditions=(*within("height", -2.0, 3.0), *within("slope", 0, 20), *clear(curve, 4.0)),
        pose=Pose(size_low=0.8, size_high=1.3, sink_low=0.02, sink_high=0.1),
    )
    got = placed(rule)
    assert got.count > 200
    x, y, z = got.position.astype(np.float64).T
    height, normal = FIELD.height_and_normal(x, z)
    sink = height - y
    assert (sink > 0.02 - 1e-3).all()
    assert (sink < 0.1 + 1e-3).all()
    assert ((height > -2.01) & (height < 3.01)).all()
    assert (np.degrees(np.arccos(normal[:, 1])) < 20.05).all()
    from shapely import LineString, Polygon, contains_xy, points

    assert contains_xy(Polygon(SQUARE).buffer(1e-3), x, z).all()
    assert LineString(line).distance(points(x, z)).min() > 4.0 - 1e-3
    assert ((got.scale >= 0.8) & (got.scale <= 1.3)).all()
    assert np.allclose(np.linalg.norm(got.rotation, axis=1), 1, atol=1e-5)


def up_of(rotation: np.ndarray) -> np.ndarray:
    x, y, z, w = rotation.astype(np.float64).T
    return np.stack([2 * (x * y - w * z), 1 - 2 * (x * x + z * z), 2 * (y * z + w * x)], axis=1)


def test_lean_goes_from_upright_to_square_with_the_slope() -> None:
    for lean in (0.0, 0.5, 1.0):
        got = placed(ScatterRule(2, 3.0, 0.8, pose=Pose(lean=lean)))
        _, normal = FIELD.height_and_normal(*got.position.astype(np.float64).T[[0, 2]])
        up = up_of(got.rotation)
        tilt, slope = (np.arccos(np.clip(v[:, 1], -1, 1)) for v in (up, normal))
        assert np.allclose(tilt, lean * slope, atol=2e-3)
        if lean == 1.0:
            assert np.allclose(up, normal, atol=2e-3)


def test_changing_a_condition_moves_nothing_that_stays() -> None:
    rule = ScatterRule(5, 2.0, 0.8)
    whole = by_id(placed(rule))
    for other in (
        replace(rule, regions=(Region(SQUARE),)),
        replace(rule, conditions=within("height", 0, 99)),
        replace(rule, fill=0.4),
    ):
        some = by_id(placed(other))
        assert some.items() <= whole.items()
        assert 0 < len(some) < len(whole)


def test_later_layers_give_way() -> None:
    first = scatter(ScatterRule(1, 6.0, 0.7), FIELD)
    rule = ScatterRule(2, 1.0, 0.9)
    second, left = placed(rule), placed(replace(rule, apart=2.5), first)
    standing = joined([t.placements for t in first])
    tree = cKDTree(standing.position[:, [0, 2]])
    distance = tree.query(left.position[:, [0, 2]])[0]
    assert distance.min() >= 2.5 - 1e-5
    assert 0 < left.count < second.count
    near = tree.query(second.position[:, [0, 2]])[0] < 2.5
    assert left.count == second.count - int(near.sum()), "nothing else is removed"


@given(seed=st.integers(0, 2**32), radius=st.floats(0.2, 90), apart=st.floats(0, 9))
@example(seed=1, radius=30.0, apart=0.0)
@settings(max_examples=examples(12), deadline=None)
def test_room_is_kept_from_crowns_however_wide(seed: int, radius: float, apart: float) -> None:
    sized = Pose(size_low=0.3, size_high=1.0)
    first = scatter(ScatterRule(seed, 24.0, 0.4, pose=sized), FIELD)
    rule = ScatterRule(2, 2.0, 0.9, apart=apart)
    every = placed(replace(rule, apart=0.0))
    stand = Stand(first, np.array([radius]))
    left = joined([t.placements for t in scatter(rule, FIELD, [stand])])
    standing = joined([t.placements for t in first])
    apart_of = np.hypot(
        *(every.position[:, None, k] - standing.position[None, :, k] for k in (0, 2))
    ).astype(float)
    clear_by = (apart_of - radius * standing.scale[None, :, 0] - apart).min(axis=1)
    sure = np.abs(clear_by) > 1e-3
    kept = np.isin(every.ids, left.ids)
    assert np.array_equal(kept[sure], (clear_by >= 0)[sure])
    assert left.position.tobytes() == every.taken(kept).position.tobytes()


def test_a_crown_that_grows_on_the_same_stem_is_seen_as_far_as_it_reaches() -> None:
    cache, rule = Cache(), ScatterRule(2, 2.0, 0.9)
    stems = scatter(ScatterRule(3, 24.0, 0.2), FIELD)
    for radius in (3.0, 8.0, 70.0):
        wide = [Stand(stems, np.array([radius]))]
        assert keys(scatter(rule, FIELD, wide, cache)) == keys(scatter(rule, FIELD, wide))
    grown = scatter(ScatterRule(3, 24.0, 0.2, pose=Pose(size_low=2, size_high=2)), FIELD)
    assert [t.standing for t in grown] == [t.standing for t in stems]
    wide = [Stand(grown, np.array([3.0]))]
    assert keys(scatter(rule, FIELD, wide, cache)) == keys(scatter(rule, FIELD, wide))


def test_a_wide_crown_that_moves_is_seen_tiles_away() -> None:
    field = make_terrain(TerrainParameters(size=512, resolution=4, relief=14, feature=80))
    rule, cache = ScatterRule(2, 5.0, 0.9, apart=1.0), Cache()

    def crown(east: float) -> list[Stand]:
        one = Placements(
            np.array([7], np.uint64),
            np.zeros(1, np.uint32),
            np.array([[east, 0, 0]], np.float32),
            np.array([[0, 0, 0, 1]], np.float32),
            np.ones((1, 3), np.float32),
        )
        return [Stand(cut(one), np.array([150.0]))]

    before = keys(scatter(rule, field, crown(-40.0), cache))
    warm = keys(scatter(rule, field, crown(-20.0), cache))
    assert warm == keys(scatter(rule, field, crown(-20.0))) != before


@given(reach=st.floats(0.05, 40), count=st.integers(1, 400), seed=st.integers(0, 2**32))
@settings(max_examples=examples(40), deadline=None)
def test_near_agrees_with_another_library(reach: float, count: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    points = rng.uniform(-60, 60, (count, 2)).astype(np.float32)
    x, z = rng.uniform(-70, 70, (2, 300))
    own = rng.uniform(0, reach, count).astype(np.float32)
    apart = np.linalg.norm(np.column_stack([x, z])[:, None] - points[None], axis=2) - own
    sure = np.abs(apart).min(axis=1) > 1e-5
    assert np.array_equal(any_near(x, z, points, own)[sure], (apart < 0).any(axis=1)[sure])


def test_the_buffer_has_the_documented_layout() -> None:
    got = placed(ScatterRule(1, 9.0, 0.9))
    data, n = got.to_bytes(), got.count
    assert len(data) == 52 * n == got.nbytes
    assert np.array_equal(np.frombuffer(data, "<f4", 3 * n).reshape(n, 3), got.position)
    assert np.array_equal(np.frombuffer(data, "<u4", n, 40 * n), got.variant)
    assert np.array_equal(np.frombuffer(data, "<u8", n, 44 * n), got.ids)


# Tiles


def keys(tiles: Any) -> dict[tuple[int, int], str]:
    return {(t.x, t.z): t.key for t in tiles}


def test_every_placement_lies_in_its_tile_once() -> None:
    tiles = scatter(ScatterRule(3, 1.3, 0.8), FIELD)
    ids = np.concatenate([t.placements.ids for t in tiles])
    assert np.unique(ids).size == ids.size
    for tile in tiles:
        inside = np.floor(tile.placements.position[:, [0, 2]] / SIZE)
        assert (inside == [tile.x, tile.z]).all()


class Counted:
    """A height field that counts what is asked of it."""

    def __init__(self, field: HeightField) -> None:
        self.field, self.sampled = field, 0

    def __getattr__(self, name: str) -> Any:
        return getattr(self.field, name)

    def sample(self, x: np.ndarray, z: np.ndarray) -> Samples:
        self.sampled += len(x)
        return self.field.sample(x, z)


def test_only_tiles_that_can_see_a_change_are_computed_again() -> None:
    field = make_terrain(TerrainParameters(size=640, resolution=4, relief=6, feature=90))
    knots = [(-300.0, -20.0), (-180, 10), (-60, -15), (60, 20), (180, -10), (300, 15)]
    moved = [*knots[:-1], (300.0, 40.0)]
    cache = Cache()

    def run(points: list[tuple[float, float]]) -> tuple[dict[tuple[int, int], str], int]:
        surface = Counted(field)
        rule = ScatterRule(4, 2.0, 0.9, conditions=clear(path_curve(points), 5.0))
        return keys(scatter(rule, surface, (), cache)), surface.sampled

    before, all_points = run(knots)
    again, none = run(knots)
    assert again == before
    assert none == 0, "nothing changed, nothing is computed"
    after, some = run(moved)
    assert 0 < some < 0.4 * all_points
    changed = {t for t in before if before[t] != after.get(t)}
    assert changed
    assert all(x * SIZE > 60 - SIZE for x, _ in changed), "only near the spans that moved"
    fresh = keys(scatter(ScatterRule(4, 2.0, 0.9, conditions=clear(path_curve(moved), 5.0)), field))
    assert fresh == after, "bit for bit what a full run gives"


@given(
    seed=st.integers(0, 2**32),
    spacing=st.floats(0.9, 20),
    fill=st.floats(0.1, 1),
    apart=st.floats(0, 80),
    dents=st.lists(st.tuples(st.integers(0, 64), st.integers(0, 64)), min_size=1, max_size=3),
)
@settings(max_examples=examples(25), deadline=None)
def test_an_incremental_run_is_bit_equal_to_a_full_one(
    seed: int, spacing: float, fill: float, apart: float, dents: list[tuple[int, int]]
) -> None:
    field = make_terrain(TerrainParameters(size=256, resolution=4, relief=9, feature=60))
    cache, rule = (
        Cache(),
        ScatterRule(seed, spacing, fill, conditions=within("height", -2, 3), apart=apart),
    )
    first = ScatterRule(seed ^ 1, 7.0, 0.4)
    for k in range(len(dents) + 1):
        heights = field.heights.copy()
        for r, c in dents[:k]:
            heights[r, c] -= 5
        dented = HeightField(heights, field.size)
        standing = scatter(first, dented, (), cache)
        tiles = scatter(rule, dented, [Stand(standing)], cache)
        whole = scatter(rule, dented, [Stand(scatter(first, dented))])
        assert keys(tiles) == keys(whole)


def test_what_stands_further_off_than_the_reach_is_not_seen() -> None:
    field = make_terrain(TerrainParameters(size=512, resolution=4))
    far = scatter(
        ScatterRule(
            8, 9.0, 0.5, regions=(Region(np.array([[150.0, 150], [250, 150], [200, 250]])),)
        ),
        field,
    )
    cache, surface = Cache(), Counted(field)
    rule = ScatterRule(2, 3.0, 0.8, apart=10.0)
    scatter(rule, surface, [], cache)
    before = surface.sampled
    scatter(rule, surface, [Stand(far)], cache)
    assert 0 < surface.sampled - before < 0.4 * before


def test_two_small_areas_far_apart_cost_what_they_hold() -> None:
    field = make_terrain(TerrainParameters(size=4096, resolution=8))
    corner = np.array([[0.0, 0.0], [10, 0], [10, 10], [0, 10]])
    areas = (corner - 2000, corner + 1980)
    cache = Cache()
    tiles = scatter(ScatterRule(1, 0.2, 0.9, regions=tuple(map(Region, areas))), field, (), cache)
    assert sum(t.placements.count for t in tiles) > 1000
    sampled = sum(n for key, (_, n) in cache._held.items() if key[0] == "candidates") / 32
    assert sampled < 100_000, "not the box around both, with its 300 million"
    with pytest.raises(TooLargeError, match="raise it to"):
        scatter(ScatterRule(1, 0.2, 0.9), field)


def test_a_scatter_can_be_stopped_and_keeps_nothing_half_made() -> None:
    cache, calls = Cache(), 0

    def stop() -> None:
        nonlocal calls
        calls += 1
        if calls > 2:
            raise Superseded("a newer request")

    rule = ScatterRule(1, 1.0, 0.9)
    with pytest.raises(Superseded):
        scatter(rule, FIELD, (), cache, stop)
    assert keys(scatter(rule, FIELD, (), cache)) == keys(scatter(rule, FIELD))


# Variants


IDS = np.arange(20_000, dtype=np.uint64) * np.uint64(0x9E3779B97F4A7C15)
names = st.text("abcdefgh", min_size=1, max_size=6)
entries = st.lists(
    st.tuples(
        names, st.floats(0.1, 9), st.lists(st.integers(0, 999), min_size=1, max_size=4, unique=True)
    ),
    min_size=1,
    max_size=5,
    unique_by=lambda e: e[0],
)


def chosen(mix: list[tuple[str, float, list[int]]]) -> list[tuple[str, int]]:
    table = [(name, seed) for name, _, seeds in mix for seed in seeds]
    return [table[row] for row in Choices.of(mix).choose(IDS)]


@given(entries, names, st.floats(0.1, 9))
@settings(max_examples=examples(30), deadline=None)
def test_an_asset_that_is_added_or_reweighed_swaps_only_its_share(
    mix: list[tuple[str, float, list[int]]], name: str, weight: float
) -> None:
    before = chosen(mix)
    others = [e for e in mix if e[0] != name]
    for more in ([(name, weight, [1, 2]), *others], [*others, (name, weight, [1, 2])]):
        after = chosen(more)
        if len(others) == len(mix):
            assert all(a == b or b[0] == name for a, b in zip(before, after, strict=True))
    heavier = [(n, w * 2 if k == 0 else w, s) for k, (n, w, s) in enumerate(mix)]
    for a, b in zip(before, chosen(heavier), strict=True):
        assert a == b or b[0] == mix[0][0]


@given(entries, st.integers(1000, 2000))
@settings(max_examples=examples(30), deadline=None)
def test_a_seed_that_is_added_takes_only_from_its_own_asset(
    mix: list[tuple[str, float, list[int]]], seed: int
) -> None:
    name, weight, seeds = mix[0]
    more = [(name, weight, [*seeds, seed]), *mix[1:]]
    before, after = chosen(mix), chosen(more)
    swapped = [(a, b) for a, b in zip(before, after, strict=True) if a != b]
    assert all(a[0] == name and b == (name, seed) for a, b in swapped)
    own = sum(a[0] == name for a in before)
    assert len(swapped) == pytest.approx(own / (len(seeds) + 1), abs=4 * math.sqrt(own) + 4)


def test_a_mix_follows_its_weights() -> None:
    rows = Choices.of([("a", 1.0, (1,)), ("b", 3.0, (1, 2))]).choose(IDS)
    share = np.bincount(rows) / IDS.size
    assert share == pytest.approx([0.25, 0.375, 0.375], abs=0.02)


# Any surface


class Slope:
    """A tilted plane with a round hole in it: a surface that is no height field."""

    key, triangles, nbytes = "slope", 2, 0
    bounds = (-60.0, -60.0, 60.0, 60.0)

    def sample(self, x: np.ndarray, z: np.ndarray) -> Samples:
        normal = np.tile(np.array([-0.2, 1.0, 0.0]) / math.hypot(0.2, 1), (len(x), 1))
        hit = (np.maximum(np.abs(x), np.abs(z)) < 60) & (np.hypot(x, z) > 20)
        return Samples(np.column_stack([x, 0.2 * x, z]), normal, hit)

    def tiles(self) -> np.ndarray:
        return tiles_in(self.bounds)

    def tile_hashes(self, tiles: np.ndarray) -> np.ndarray:
        return np.ones((len(tiles), 2), np.uint64)

    def cast(self, origin: np.ndarray, direction: np.ndarray) -> Any:
        raise NotImplementedError


def test_rules_know_nothing_of_what_a_surface_is_made_of() -> None:
    got = joined(
        [t.placements for t in scatter(ScatterRule(3, 2.0, 0.9, pose=Pose(lean=1.0)), Slope())]
    )
    x, y, z = got.position.astype(np.float64).T
    assert got.count > 500
    assert np.allclose(y, 0.2 * x, atol=1e-4)
    assert np.hypot(x, z).min() > 20 - 1e-4
    assert np.allclose(up_of(got.rotation), [-0.196116, 0.980581, 0], atol=1e-4)


def front_of(rotation: np.ndarray) -> np.ndarray:
    """(n, 3) where the front of each, +Z, points."""
    x, y, z, w = rotation.astype(np.float64).T
    return np.stack([2 * (x * z + w * y), 2 * (y * z - w * x), 1 - 2 * (x * x + y * y)], axis=1)


def test_they_face_and_turn_in_steps_as_told() -> None:
    for azimuth in (0, 90, 215):
        facing = math.pi - math.radians(azimuth)
        got = placed(ScatterRule(6, 4.0, 0.8, pose=Pose(turn=0.0, facing=facing)))
        east, _, south = front_of(got.rotation).T
        assert np.degrees(np.arctan2(east, -south)) % 360 == pytest.approx(azimuth, abs=1e-3)
    step = math.radians(30)
    got = placed(ScatterRule(6, 3.0, 0.8, pose=Pose(turn=0.5, facing=0.2, step=step)))
    east, _, south = front_of(got.rotation).T
    turns = (np.arctan2(east, south) - 0.2) / step
    assert np.abs(turns - np.round(turns)).max() < 1e-3
    assert set(np.round(turns).astype(int).tolist()) == {-3, -2, -1, 0, 1, 2, 3}


def test_tilt_stays_within_its_limit_and_goes_every_way() -> None:
    most = math.radians(20)
    upright = placed(ScatterRule(7, 1.5, 0.9))
    got = placed(ScatterRule(7, 1.5, 0.9, pose=Pose(tilt=most)))
    up = up_of(got.rotation)
    away = np.arccos(np.clip(up[:, 1], -1, 1))
    assert away.max() <= most + 1e-3 and away.max() > 0.95 * most
    assert np.median(away) == pytest.approx(most / math.sqrt(2), rel=0.05)  # even over the disc
    assert np.abs(up[:, [0, 2]].mean(axis=0)).max() < 0.02
    assert np.allclose(np.linalg.norm(got.rotation, axis=1), 1, atol=1e-5)
    # it is the last of all: the turn, and all else, stay
    assert (got.position == upright.position).all() and (got.ids == upright.ids).all()
    lean = placed(ScatterRule(7, 3.0, 0.8, pose=Pose(lean=1.0, tilt=most)))
    _, normal = FIELD.height_and_normal(*lean.position.astype(np.float64).T[[0, 2]])
    off = np.arccos(np.clip((up_of(lean.rotation) * normal).sum(axis=1), -1, 1))
    assert off.max() <= most + 2e-3


def test_heights_are_drawn_by_themselves_where_they_are_not_linked() -> None:
    pose = Pose(size_low=0.5, size_high=0.7, tall_low=1.5, tall_high=2.5)
    got = placed(ScatterRule(8, 1.5, 0.9, pose=pose))
    x, y, z = got.scale.T
    assert (x == z).all() and (x >= 0.5).all() and (x <= 0.7).all()
    assert (y >= 1.5).all() and (y <= 2.5).all()
    assert abs(np.corrcoef(x, y)[0, 1]) < 0.1
    linked = placed(ScatterRule(8, 1.5, 0.9, pose=Pose(size_low=0.5, size_high=0.7)))
    assert (linked.scale[:, 0] == x).all() and (linked.scale[:, 1] == x).all()


# Footing


@pytest.mark.parametrize("lean", [0.0, 1.0])
def test_no_gap_shows_under_anything_that_is_set_down_and_all_else_stays(lean: float) -> None:
    heights = FIELD.heights.copy()
    heights[20:44, 30:34] -= 1.5  # a ditch
    dug = HeightField(heights, FIELD.size)
    feet, pose = np.array([0.6]), Pose(lean=lean, size_low=0.5, size_high=2.0)
    rule = ScatterRule(6, 1.5, 0.8, pose=pose)
    before = joined([t.placements for t in scatter(rule, dug)])
    tiles = scatter(replace(rule, feet=feet), dug)
    after = joined([t.placements for t in tiles])
    assert (after.ids == before.ids).all() and (after.rotation == before.rotation).all()
    down = before.position[:, 1] - after.position[:, 1]
    assert (down >= 0).all() and down.max() > 0.3
    # measured by itself: the foot as a dense disc, turned by another library
    rng = np.random.default_rng(1)
    r, turn = np.sqrt(rng.uniform(0, 1, 900)), rng.uniform(0, 2 * np.pi, 900)
    disc = np.stack([r * np.cos(turn), 0 * r, r * np.sin(turn)], axis=1)
    for k in range(0, after.count, 7):
        turned = Rotation.from_quat(after.rotation[k]).apply(0.6 * after.scale[k, 0] * disc)
        at = turned + after.position[k]
        ground = dug.sample(at[:, 0].copy(), at[:, 2].copy())
        over = (at[:, 1] - ground.position[:, 1])[ground.hit]
        assert over.max() <= 0.02, "nothing floats by more than 2 cm"
        if down[k] > 0:
            assert over.max() > -0.05, "and nothing goes down further than it must"
    cache = Cache()
    scatter(replace(rule, feet=feet), FIELD, (), cache)
    assert keys(scatter(replace(rule, feet=feet), dug, (), cache)) == keys(tiles)
