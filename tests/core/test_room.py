"""Room between things of every size, and the patterns in which they stand."""

from __future__ import annotations

import io
import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from scipy.spatial import cKDTree

from plough.core.cache import Cache
from plough.core.errors import ParameterError, TooLargeError
from plough.core.formats.heights import pack_heights, read_heights
from plough.core.ground import HeightField, TerrainParameters, make_terrain
from plough.core.ground.surface import Surface
from plough.core.hashing import digest
from plough.core.library.library import Library
from plough.core.place import PlacedTile, ScatterRule, joined, scatter
from plough.core.place import room as rooms
from plough.core.place.pose import Pose
from plough.core.place.room import Room, first_of, with_room
from plough.core.place.rules import Pattern
from plough.core.place.variants import Choices
from plough.core.scene import Evaluator
from plough.core.scene.masks import mask_of
from plough.core.tiles import SIZE
from tests.core.test_place import within
from tests.core.test_rules import by_id, kinds_of, mixed, placed, run
from tests.depth import examples

FIELD = make_terrain(TerrainParameters(size=384, resolution=2, relief=14, feature=60))
MIX = Choices.of([("a", 1.0, (1, 2)), ("b", 0.6, (1,)), ("c", 0.2, (1,))])


def room(stems: Any, crowns: Any, size: float = 1.5, **more: Any) -> Room:
    """Of variants a1, a2, b, c."""
    s, c = (np.array([v[0], v[0], v[1], v[2]], np.float32) for v in (stems, crowns))
    return Room(s, c, max(float(s.max()), float(c.max()) * size), **more)


def offered(fill: float = 1.0, seed: int = 4, surface: Surface = FIELD) -> list[PlacedTile]:
    pose, low = Pose(size_low=0.6, size_high=1.5), within("height", -50, 50)
    rule = ScatterRule(seed, 1.5, fill, choices=MIX, conditions=low, pose=pose)
    return scatter(rule, surface)


def same(one: Any, other: Any) -> bool:
    return {(t.x, t.z): t.key for t in one} == {(t.x, t.z): t.key for t in other}


def ids_of(tiles: Any) -> set[int]:
    return set(joined([t.placements for t in tiles]).ids.tolist())


metres = st.tuples(*[st.floats(0, 6)] * 3)


@given(stems=metres, crowns=metres, seed=st.integers(0, 2**40))
@settings(max_examples=examples(25), deadline=None)
def test_no_two_of_any_mix_and_size_are_nearer_than_the_room_of_both(
    stems: Any, crowns: Any, seed: int
) -> None:
    kept = room(stems, crowns)
    whole = offered(seed=seed)
    tiles = with_room(whole, kept, Cache())
    p = joined([t.placements for t in tiles])
    about = np.concatenate([kept.about(t) for t in tiles]).astype(float)
    tree = cKDTree(p.position[:, [0, 2]].astype(float))
    pairs = tree.query_pairs(2 * about.max() + 1e-6, output_type="ndarray")
    apart = np.linalg.norm(tree.data[pairs[:, 0]] - tree.data[pairs[:, 1]], axis=1)
    assert (apart >= about[pairs].sum(axis=1) - 1e-5).all()
    # and where one gave way, there was a reason for it: hardly a gap is left that would hold it
    every = joined([t.placements for t in whole])
    reach = np.concatenate([kept.about(t) for t in whole]).astype(float)
    gone = np.nonzero(~np.isin(every.ids, p.ids))[0]
    if len(gone):
        free = 0
        for row in gone[:400].tolist():
            near = tree.query_ball_point(every.position[row, [0, 2]], reach[row] + about.max())
            to = np.linalg.norm(tree.data[near] - every.position[row, [0, 2]], axis=1)
            free += not (to < reach[row] + about[near]).any()
        assert free <= 0.03 * min(400, len(gone))


@given(low=st.floats(0.05, 1), high=st.floats(0.05, 1))
@settings(max_examples=5, deadline=None)
def test_a_higher_fill_keeps_all_that_stood(low: float, high: float) -> None:
    kept = room((1.2, 2.4, 0.4), (0, 2, 1))
    less, more = sorted([low, high])
    few, many = (with_room(offered(f), kept, Cache()) for f in (less, more))
    assert ids_of(few) <= ids_of(many)
    share = [
        with_room(offered(), room((1.2, 2.4, 0.4), (0, 2, 1), share=s, seed=3), Cache())
        for s in (less, more)
    ]
    assert ids_of(share[0]) <= ids_of(share[1])
    fit = len(ids_of(with_room(offered(), kept, Cache())))
    assert len(ids_of(share[1])) == pytest.approx(more * fit, abs=4 * math.sqrt(fit))


@pytest.mark.parametrize("seed", range(4))
def test_an_incremental_run_is_bit_equal_to_a_full_one_and_far_tiles_stay(seed: int) -> None:
    kept, cache = room((1, 3, 0.5), (1, 0.5, 2)), Cache()
    before = with_room(offered(), kept, cache)
    heights, dents = FIELD.heights.copy(), 1 + seed % 3
    for r, c in np.random.default_rng(seed).integers(8, 184, (dents, 2)):
        heights[r - 8 : r + 9, c - 8 : c + 9] = 99  # too high to stand on
    dented = HeightField(heights, FIELD.size)
    misses = cache.misses
    after = with_room(offered(surface=dented), kept, cache)
    assert same(after, with_room(offered(surface=dented), kept, Cache()))
    reach = math.ceil(rooms.LINKS * 2 * kept.widest / SIZE)
    assert 0 < cache.misses - misses <= dents * (2 * reach + 2) ** 2
    assert ids_of(before) != ids_of(after)


def test_groups_of_any_size_agree(monkeypatch: pytest.MonkeyPatch) -> None:
    kept = room((1, 3, 0.5), (1, 0.5, 2))
    whole = with_room(offered(), kept, Cache())
    for size in (64.0, 128.0):
        monkeypatch.setattr("plough.core.tiles.GROUP", size)
        assert same(with_room(offered(), kept, Cache()), whole)


def test_the_first_of_all_are_so_many_and_more_keep_them() -> None:
    tiles = offered()
    counts = (0, 1, 7, 300, 301)
    found = [ids_of(first_of(tiles, n)) for n in counts]
    assert tuple(map(len, found)) == counts
    assert all(a <= b for a, b in zip(found, found[1:], strict=False))
    assert same(first_of(tiles, 10**9), tiles)
    # the first of a lower fill are the first of all
    assert ids_of(first_of(offered(0.3), 300)) == found[3]


# In a scene


def rule(*entries: dict[str, Any], **values: Any) -> Any:
    document = mixed(*(entries or ({"asset": "sedge"},)))
    sedges = next(x for x in document["layers"] if x["id"] == "sedges")
    sedges["parameters"] |= {"spacing": 1.5, "fill": 100, "size": [100, 100], **values}
    return document


def test_crowns_do_not_overlap_by_more_than_told_whatever_the_sizes() -> None:
    evaluated = run(rule(crowns=True, overlap=25, size=[60, 160], spacing=0.4))
    p = placed(evaluated)
    variants = evaluated.layer("sedges").output.placements.variants  # type: ignore[union-attr]

    radius = np.array([Library().size(v)[1] for v in variants])
    wide = radius[p.variant] * p.scale[:, 0]
    tree = cKDTree(p.position[:, [0, 2]].astype(float))
    pairs = tree.query_pairs(2 * wide.max(), output_type="ndarray")
    apart = np.linalg.norm(tree.data[pairs[:, 0]] - tree.data[pairs[:, 1]], axis=1)
    overlap = 1 - apart / wide[pairs].sum(axis=1)
    assert 0.15 < overlap.max() <= 0.25 + 1e-4
    plain = placed(run(rule(size=[60, 160], spacing=0.4)))
    assert 50 < len(p.ids) < len(plain.ids)


def test_an_asset_keeps_a_distance_of_its_own_from_its_kind() -> None:
    far = run(rule({"asset": "sedge"}, {"asset": "rush", "spacing": 8}, spacing=1))
    kinds, at = kinds_of(far), by_id(far)
    rushes = np.array([at[i] for i in at if kinds[i] == "rush"])[:, [0, 2]]
    others = np.array([at[i] for i in at if kinds[i] != "rush"])[:, [0, 2]]
    assert cKDTree(rushes).query(rushes, k=2)[0][:, 1].min() >= 8 - 1e-4
    assert cKDTree(rushes).query(others)[0].min() >= 4 - 1e-4
    assert cKDTree(others).query(others, k=2)[0][:, 1].min() < 1.5


def test_an_asset_without_weight_changes_nothing() -> None:
    plain = run(rule({"asset": "sedge", "spacing": 2}))
    more = run(rule({"asset": "sedge", "spacing": 2}, {"asset": "rush", "weight": 0, "spacing": 9}))
    assert by_id(plain) == by_id(more) and set(kinds_of(more).values()) == {"sedge"}
    assert by_id(run(rule({"asset": "sedge", "weight": 0}))) == {}


def test_so_many_in_all_are_so_many_and_it_is_told_where_fewer_fit() -> None:
    few, more = (by_id(run(rule(how_many="count", in_all=n))) for n in (40, 200))
    assert (len(few), len(more)) == (40, 200) and few.items() <= more.items()
    crowded = {"crowns": True, "overlap": 0}
    few, more = (by_id(run(rule(how_many="count", in_all=n, **crowded))) for n in (40, 90))
    assert (len(few), len(more)) == (40, 90) and few.items() <= more.items()
    full = run(rule(how_many="count", in_all=1_000_000))
    assert [f.code for f in full.layer("sedges").output.findings] == ["too-many"]
    assert by_id(full) == by_id(run(rule()))


# Patterns


def in_pattern(pattern: Pattern, spacing: float = 3.0, fill: float = 1.0, **more: Any) -> Any:
    return scatter(ScatterRule(8, spacing, fill, pattern=pattern, **more), FIELD)


def flat(tiles: Any) -> Any:
    return joined([t.placements for t in tiles]).position[:, [0, 2]].astype(float)


@pytest.mark.parametrize("turn", [0.0, 0.4, math.pi / 2])
@pytest.mark.parametrize("staggered", [False, True])
def test_rows_are_so_far_apart_and_run_as_told(turn: float, staggered: bool) -> None:
    at = flat(in_pattern(Pattern("rows", 7.0, turn, staggered)))
    along = at @ [math.cos(turn), math.sin(turn)] / 3.0
    across = at @ [-math.sin(turn), math.cos(turn)] / 7.0
    row = np.round(across)
    assert np.abs(across - row).max() < 1e-4
    shifted = along - (0.5 * (row % 2) if staggered else 0)
    assert np.abs(shifted - np.round(shifted)).max() < 1e-4
    assert len(at) == pytest.approx(384**2 / 21, rel=0.02)
    assert len(np.unique(np.round(np.stack([row, shifted]), 0), axis=1).T) == len(at)


def test_jitter_moves_by_no_more_than_told_and_keeps_who_stands() -> None:
    still, moved = (in_pattern(Pattern("rows", 7.0, 0.4, False, j)) for j in (0.0, 0.5))
    a, b = (joined([t.placements for t in tiles]) for tiles in (still, moved))
    _, ka, kb = np.intersect1d(a.ids, b.ids, return_indices=True)
    assert len(ka) > 0.97 * a.count
    off = (b.position[kb] - a.position[ka])[:, [0, 2]].astype(float)
    along, across = off @ [math.cos(0.4), math.sin(0.4)], off @ [-math.sin(0.4), math.cos(0.4)]
    assert 0.7 < np.abs(along).max() <= 0.75 + 1e-4 and 1.6 < np.abs(across).max() <= 1.75 + 1e-4
    for tile in moved:
        inside = np.floor(tile.placements.position[:, [0, 2]] / SIZE)
        assert (inside == [tile.x, tile.z]).all()


def test_rows_fill_as_told_and_a_higher_fill_keeps_them() -> None:
    few, more, whole = (ids_of(in_pattern(Pattern("rows", 2.0), fill=f)) for f in (0.3, 0.6, 1.0))
    assert few < more < whole
    assert len(few) == pytest.approx(0.3 * len(whole), rel=0.08)
    with pytest.raises(TooLargeError, match="raise it to"):
        in_pattern(Pattern("rows", 0.1), 0.1)


def test_on_contour_lines_all_stand_at_a_level_and_apart() -> None:
    found = run(rule(pattern="contours", contours=0.5, spacing=2, apart=0, sink=[0, 0]))
    p = placed(found)
    assert len(p.ids) > 100
    levels = p.position[:, 1] / 0.5
    assert np.abs(levels - np.round(levels)).max() * 0.5 <= 0.02 + 1e-3
    assert len(np.unique(np.round(levels))) > 4
    at = p.position[:, [0, 2]].astype(float)
    assert cKDTree(at).query(at, k=2)[0][:, 1].min() >= 2 - 1e-4
    half = run(rule(pattern="contours", contours=0.5, spacing=2, apart=0, sink=[0, 0], fill=50))
    assert by_id(half).items() <= by_id(found).items()
    assert len(by_id(half)) == pytest.approx(0.5 * len(p.ids), rel=0.2)


@given(st.lists(st.tuples(st.integers(0, 191), st.integers(0, 191)), min_size=1, max_size=2))
@settings(max_examples=5, deadline=None)
def test_a_dent_changes_what_stands_on_contour_lines_as_a_full_run_says(dents: Any) -> None:
    cache, heights = Cache(), FIELD.heights.copy()
    contours = ScatterRule(8, 3.0, 1.0, pattern=Pattern("contours", 0.7))
    before = scatter(contours, FIELD, (), cache)
    for r, c in dents:
        heights[r : r + 6, c : c + 6] += 0.3
    dented = HeightField(heights, FIELD.size)
    after = scatter(contours, dented, (), cache)
    assert same(after, scatter(contours, dented))
    assert not same(after, before)
    for tile in after:
        inside = np.floor(tile.placements.position[:, [0, 2]] / SIZE)
        assert (inside == [tile.x, tile.z]).all()


# Masks


def test_a_mask_is_where_the_rule_lets_things_stand_and_places_so_when_it_is_brought_in() -> None:
    sloped = {"id": "s", "of": "slope", "between": [0, 6], "fade": 0}
    document = rule(conditions=[sloped], apart=0)
    evaluated = run(document)
    mask = np.asarray(Image.open(io.BytesIO(mask_of(evaluated, "sedges", 512))))
    assert mask.shape == (512, 512) and set(np.unique(mask)) == {0, 255}
    at = placed(evaluated).position
    x0, z0, x1, _ = evaluated.surface.bounds
    c, r = (((at[:, k] - low) / (x1 - x0) * 512).astype(int) for k, low in ((0, x0), (2, z0)))
    assert (mask[r, c] == 255).mean() > 0.97
    for side in (10, 5000):
        with pytest.raises(ParameterError, match="4,096"):
            mask_of(evaluated, "sedges", side)
    for layer, words in (("ground", "no rule"), ("nobody", "no layer")):
        with pytest.raises(ParameterError, match=words):
            mask_of(evaluated, layer)
    # the same image, brought in again, is a condition that says the same
    data = pack_heights(read_heights("mask.png", mask_of(evaluated, "sedges", 512)))
    name = digest(data)
    lies = {"id": "m", "of": "image", "image": name, "between": [50, 100], "fade": 0}
    library = Library(load={name: data}.__getitem__)
    again = run(rule(conditions=[lies], apart=0), Evaluator(library))
    a, b = by_id(evaluated), by_id(again)
    assert len(a.keys() ^ b.keys()) < 0.03 * len(a) and all(a[i] == b[i] for i in a.keys() & b)
    gone = run(rule(conditions=[lies], apart=0))
    assert [f.code for f in gone.layer("sedges").output.findings] == ["missing-image"]
    assert by_id(gone) == by_id(run(rule(apart=0))), "what cannot be measured is left out and told"


def test_too_many_on_contour_lines_are_refused_with_the_spacing_that_is_set() -> None:
    with pytest.raises(TooLargeError) as refused:
        scatter(ScatterRule(8, 0.05, 1.0, pattern=Pattern("contours", 0.7)), FIELD)
    told = str(refused.value)
    assert "0.05 m over" in told
    least = float(told.split("raise it to ")[1].split(" m", maxsplit=1)[0])
    scatter(ScatterRule(8, least + 0.01, 0.01, pattern=Pattern("contours", 0.7)), FIELD)


def test_room_wider_than_all_there_is_leaves_one() -> None:
    kept = room((900, 900, 900), (0, 0, 0))
    whole = offered()
    (tile,) = with_room(whole, kept, Cache())
    ids = joined([t.placements for t in whole]).ids
    first = np.lexsort((ids, np.concatenate([t.place for t in whole])))[0]
    assert tile.placements.ids.tolist() == [ids[first]]
    assert with_room([], kept, Cache()) == []
