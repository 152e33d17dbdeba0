"""Erosion takes from where it is steep and lays down below; hydrology follows the water over any ground."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.ground import HeightField, TerrainParameters, make_terrain
from plough.core.ground.erosion import Rain, rained_on, slid
from plough.core.ground.hydrology import STEPS, drained, filled, flow, hydrology_of
from plough.core.tiles import code_of
from tests.depth import examples

HILLS = make_terrain(
    TerrainParameters(size=256, resolution=1, relief=80, feature=60, roughness=0.5, seed=4)
)


def steepest(field: HeightField) -> float:
    """Tangent of the steepest step to any of the eight neighbours."""
    h, s = field.heights.astype(float), field.spacing
    slant = [h[1:, 1:] - h[:-1, :-1], h[1:, :-1] - h[:-1, 1:]]
    return max(
        np.abs(np.diff(h, axis=0)).max() / s,
        np.abs(np.diff(h, axis=1)).max() / s,
        *(np.abs(d).max() / (s * math.sqrt(2)) for d in slant),
    )


@settings(max_examples=examples(15), deadline=None)
@given(seed=st.integers(0, 2**31), repose=st.floats(15, 60), rounds=st.integers(1, 12))
def test_slopes_that_slide_lose_no_ground_and_only_grow_gentler(
    seed: int, repose: float, rounds: int
) -> None:
    p = TerrainParameters(size=128, resolution=2, relief=60, feature=40, roughness=0.5, seed=seed)
    before = make_terrain(p)
    after = slid(before, rounds, math.radians(repose))
    moved = np.abs(after.heights - before.heights).sum(dtype=float)
    lost = after.heights.sum(dtype=float) - before.heights.sum(dtype=float)
    assert abs(lost) <= 1e-4 * moved + 1e-3
    assert after.heights.min() >= before.heights.min() - 1e-4
    assert after.heights.max() <= before.heights.max() + 1e-4
    assert steepest(after) <= max(steepest(before), math.tan(math.radians(repose))) + 1e-3


def test_after_enough_rounds_nothing_is_steeper_than_the_angle_of_repose() -> None:
    cone = np.zeros((65, 65), np.float32)
    cone[32, 32] = 60.0
    after = slid(HeightField(cone, 64.0), 200, math.radians(30))
    assert steepest(after) < math.tan(math.radians(30)) * 1.12
    assert after.heights.sum(dtype=float) == pytest.approx(60.0, abs=1e-3)
    # it slides alike on all sides
    for turned in (after.heights.T, after.heights[::-1], after.heights[:, ::-1]):
        assert np.abs(turned - after.heights).max() < 1e-4


def test_ground_at_rest_stays_as_it_is_bit_for_bit() -> None:
    gentle = HeightField(HILLS.heights * np.float32(0.05), HILLS.size)
    assert slid(gentle, 20, math.radians(45)).heights.tobytes() == gentle.heights.tobytes()
    assert slid(HILLS, 0, 0.5).key == HILLS.key
    assert rained_on(HILLS, 0, Rain(0.3, 0.3), 1).heights == pytest.approx(HILLS.heights, abs=1e-5)


def test_rain_takes_from_the_slope_and_lays_down_at_its_foot() -> None:
    at = np.arange(129, dtype=np.float32)
    noise = make_terrain(TerrainParameters(size=128, resolution=1, relief=3, feature=12, seed=2))
    ramp = np.where(at < 64, 40.0 - 0.6 * at, 1.6)[:, None] + 0.3 * noise.heights
    before = HeightField(ramp.astype(np.float32), 128.0)
    after = rained_on(before, 6000, Rain(0.3, 0.3), 5)
    change = after.heights - before.heights
    assert change[8:50].mean() < -0.05
    assert change[64:80].mean() > 0.05
    assert change.mean() < 1e-4  # what leaves the map is lost, nothing comes of nothing
    assert np.isfinite(after.heights).all()
    assert after.heights.max() <= before.heights.max() + 0.5
    # gullies run down the slope: it varies more across it than before
    across = [np.abs(np.diff(f.heights[10:50], n=2, axis=1)).mean() for f in (before, after)]
    assert across[1] > 1.3 * across[0]


def test_rain_is_the_same_bytes_again_and_hangs_on_its_seed() -> None:
    how = Rain(0.4, 0.2)
    first = rained_on(HILLS, 3000, how, 7)
    assert rained_on(HILLS, 3000, how, 7).key == first.key
    assert rained_on(HILLS, 3000, how, 8).key != first.key
    assert rained_on(HILLS, 3000, Rain(0.5, 0.2), 7).key != first.key


def test_both_can_be_stopped() -> None:
    class Stop(Exception):
        pass

    calls = 0

    def check() -> None:
        nonlocal calls
        calls += 1
        if calls == 3:
            raise Stop

    with pytest.raises(Stop):
        slid(HILLS, 50, 0.5, check)
    calls = 0
    with pytest.raises(Stop):
        rained_on(HILLS, 200_000, Rain(0.3, 0.3), 1, check)


def border(h: Any) -> Any:
    out = np.zeros(h.shape, bool)
    out[[0, -1]] = out[:, [0, -1]] = True
    return out


def flooded(h: Any, fixed: Any) -> Any:
    """Heights with hollows filled, by letting a full map run out until nothing changes."""
    n, m = h.shape
    level = np.full((n + 2, m + 2), np.inf)
    level[1:-1, 1:-1][fixed] = h[fixed]
    while True:
        around = [
            level[1 + i : n + 1 + i, 1 + j : m + 1 + j] for i in (-1, 0, 1) for j in (-1, 0, 1)
        ]
        new = np.where(fixed, h, np.maximum(h, np.minimum.reduce(around)))
        if (new == level[1:-1, 1:-1]).all():
            return new
        level[1:-1, 1:-1] = new


@settings(max_examples=examples(30), deadline=None)
@given(st.integers(0, 2**31), st.integers(4, 24), st.integers(4, 24), st.booleans())
def test_hollows_are_filled_to_where_they_run_over(seed: int, n: int, m: int, holed: bool) -> None:
    rng = np.random.default_rng(seed)
    h = rng.integers(0, 9, (n, m)).astype(np.float32)
    ends = border(h) | (rng.random((n, m)) < (0.05 if holed else 0))
    level, order = filled(h, ends)
    assert (level.reshape(n, m) == flooded(h, ends)).all()
    assert sorted(order.tolist()) == list(range(n * m))
    # what lies farther on in the order never lies lower: water runs back along it
    assert (np.diff(level[order]) >= 0).all()


def test_all_that_falls_on_a_slope_arrives_at_its_foot() -> None:
    rows = np.arange(40, dtype=np.float32)
    slope = np.repeat((40.0 - rows)[:, None], 101, axis=1)
    ends = np.zeros(slope.shape, bool)
    ends[-1] = True
    area = flow(*filled(slope, ends), ends).reshape(slope.shape)
    assert area[:, 50] == pytest.approx(rows + 1, rel=1e-9)


@settings(max_examples=examples(20), deadline=None)
@given(st.integers(0, 2**31))
def test_no_water_is_lost_on_its_way(seed: int) -> None:
    h = np.random.default_rng(seed).normal(size=(30, 30)).astype(np.float32)
    ends = border(h)
    area = flow(*filled(h, ends), ends)
    assert area[ends.ravel()].sum() == pytest.approx(900)
    assert area.min() >= 1


def test_a_deep_hollow_is_no_lake_and_drains_to_its_lowest_place() -> None:
    x, z = np.meshgrid(np.arange(41.0), np.arange(41.0))
    bowl = (0.01 * ((x - 20) ** 2 + (z - 20) ** 2)).astype(np.float32)
    level, _, _ = drained(bowl, np.zeros(bowl.shape, bool))
    assert (level.reshape(41, 41) == bowl).all()
    shallow = (bowl * np.float32(0.04)).astype(np.float32)
    level, _, _ = drained(shallow, np.zeros(bowl.shape, bool))
    assert level.reshape(41, 41)[20, 20] > shallow[20, 20]


def test_it_is_wet_where_water_runs_together_or_stands_and_the_shore_is_measured() -> None:
    at = np.linspace(-128, 128, 257)
    x, z = np.meshgrid(at, at)
    valley = HeightField((0.15 * np.abs(x) + 0.02 * (128 - z)).astype(np.float32), 256.0)
    found = hydrology_of(valley, None)
    line, back = np.zeros(50), np.linspace(0, 100, 50)
    assert found.wetness_at(line, back).min() > found.wetness_at(line + 60, back).max() + 0.2
    assert np.isinf(found.shore).all()
    bowl = HeightField((0.05 * np.hypot(x, z)).astype(np.float32), 256.0)
    found = hydrology_of(bowl, 2.0)  # a round water of 40 m
    away = np.hypot(x, z).ravel()
    assert found.wetness_at(x.ravel(), z.ravel())[away < 39].min() == 1.0
    shore = found.shore_at(x.ravel(), z.ravel())
    assert np.abs(shore - (away - 40)).max() < 1.5
    assert found.wetness.max() <= STEPS


def test_a_bump_far_off_changes_few_tiles() -> None:
    x, z = np.meshgrid(*2 * [np.linspace(-128, 128, 257)])
    bump = (2.0 * np.exp(-((x + 100) ** 2 + (z + 100) ** 2) / 50)).astype(np.float32)
    tiles = HILLS.tiles()
    before = hydrology_of(HILLS, 0.0)
    after = hydrology_of(HeightField(HILLS.heights + bump, HILLS.size), 0.0)
    changed = (before.wetness_hashes(tiles) != after.wetness_hashes(tiles)).any(axis=1)
    assert 1 <= changed.sum() <= len(tiles) // 3
    assert code_of(np.array([[-2, -2]]))[0] in code_of(tiles[changed])
