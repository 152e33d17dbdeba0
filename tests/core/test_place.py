"""Sampling and scatter rules."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from plough.core.errors import ParameterError, TooLargeError
from plough.core.ground import TerrainParameters, make_terrain
from plough.core.ground.paths import path_line
from plough.core.place.rules import ScatterRule, give_way, scatter
from plough.core.place.sampling import sample

BOX = (-30.0, -20.0, 45.0, 38.0)
FIELD = make_terrain(TerrainParameters(size=128, resolution=2, relief=14, feature=40))


def nearest(x: np.ndarray, z: np.ndarray) -> float:
    points = np.stack([x, z], axis=1)
    return float(cKDTree(points).query(points, k=2)[0][:, 1].min())


@given(seed=st.integers(0, 2**63), spacing=st.floats(0.7, 9), fill=st.floats(0.05, 1))
@settings(max_examples=30, deadline=None)
def test_no_two_points_are_nearer_than_the_spacing(seed: int, spacing: float, fill: float) -> None:
    points = sample(seed, spacing, BOX, fill)
    if points.x.size > 1:
        assert nearest(points.x, points.z) >= spacing * (1 - 1e-9)
    assert ((points.x >= BOX[0]) & (points.x < BOX[2]) & (points.z >= BOX[1]) & (points.z < BOX[3])).all()
    assert np.unique(points.ids).size == points.ids.size


@given(seed=st.integers(0, 2**32), tile=st.integers(5, 90))
@settings(max_examples=25, deadline=None)
def test_the_same_bytes_for_any_tile_size(seed: int, tile: int) -> None:
    a, b = sample(seed, 1.3, BOX), sample(seed, 1.3, BOX, tile=tile)
    for name in ("x", "z", "ids", "place"):
        assert getattr(a, name).tobytes() == getattr(b, name).tobytes()


@given(seed=st.integers(0, 2**32), x0=st.floats(-29, 0), z0=st.floats(-19, 0), w=st.floats(3, 30))
@settings(max_examples=25, deadline=None)
def test_a_part_holds_the_points_of_the_whole(seed: int, x0: float, z0: float, w: float) -> None:
    whole = sample(seed, 1.1, BOX)
    part = sample(seed, 1.1, (x0, z0, x0 + w, z0 + w))
    inside = (whole.x >= x0) & (whole.x < x0 + w) & (whole.z >= z0) & (whole.z < z0 + w)
    assert set(part.ids.tolist()) == set(whole.ids[inside].tolist())


@given(seed=st.integers(0, 2**32), a=st.floats(0, 1), b=st.floats(0, 1))
@settings(max_examples=30, deadline=None)
def test_raising_the_fill_keeps_all_that_stood(seed: int, a: float, b: float) -> None:
    less, more = sample(seed, 1.6, BOX, min(a, b)), sample(seed, 1.6, BOX, max(a, b))
    assert set(less.ids.tolist()) <= set(more.ids.tolist())


def test_a_full_sampling_is_maximal_and_the_fill_is_a_share_of_it() -> None:
    box = (0.0, 0.0, 120.0, 120.0)
    full = sample(3, 1.0, box)
    density = full.x.size * math.pi / 4 / 120**2
    assert 0.535 < density < 0.56, "the jamming limit of random sequential packing is 0.547 of the plane"
    grid = np.stack(np.meshgrid(np.linspace(2, 118, 700), np.linspace(2, 118, 700)), axis=-1).reshape(-1, 2)
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


def test_rules_hold_for_every_placement() -> None:
    line = path_line([(-60, 0), (0, 6), (60, -4)])
    rule = ScatterRule(
        5,
        1.5,
        0.9,
        (SQUARE,),
        height=(-2.0, 3.0),
        slope=(0.0, math.radians(20)),
        clear_of=(line,),
        clearance=4.0,
        size=(0.8, 1.3),
        sink=(0.02, 0.1),
    )
    placed = scatter(rule, FIELD)
    assert placed.count > 200
    x, y, z = placed.position.astype(np.float64).T
    height, normal = FIELD.height_and_normal(x, z)
    sink = height - y
    assert (sink > 0.02 - 1e-3).all()
    assert (sink < 0.1 + 1e-3).all()
    assert ((height > -2.01) & (height < 3.01)).all()
    assert (np.degrees(np.arccos(normal[:, 1])) < 20.05).all()
    from shapely import LineString, Polygon, contains_xy, points

    assert contains_xy(Polygon(SQUARE).buffer(1e-3), x, z).all()
    assert LineString(line).distance(points(x, z)).min() > 4.0 - 1e-3
    assert ((placed.scale >= 0.8) & (placed.scale <= 1.3)).all()
    assert np.allclose(np.linalg.norm(placed.rotation, axis=1), 1, atol=1e-5)


def up_of(rotation: np.ndarray) -> np.ndarray:
    x, y, z, w = rotation.astype(np.float64).T
    return np.stack([2 * (x * y - w * z), 1 - 2 * (x * x + z * z), 2 * (y * z + w * x)], axis=1)


def test_lean_goes_from_upright_to_square_with_the_slope() -> None:
    for lean in (0.0, 0.5, 1.0):
        placed = scatter(ScatterRule(2, 3.0, 0.8, lean=lean), FIELD)
        _, normal = FIELD.height_and_normal(*placed.position.astype(np.float64).T[[0, 2]])
        up = up_of(placed.rotation)
        tilt, slope = np.arccos(np.clip(up[:, 1], -1, 1)), np.arccos(np.clip(normal[:, 1], -1, 1))
        assert np.allclose(tilt, lean * slope, atol=2e-3)
        if lean == 1.0:
            assert np.allclose(up, normal, atol=2e-3)


def test_changing_a_condition_moves_nothing_that_stays() -> None:
    rule = ScatterRule(5, 2.0, 0.8)
    by_id = lambda p: {int(i): (*map(float, a), *map(float, b)) for i, a, b in zip(p.ids, p.position, p.rotation, strict=True)}  # noqa: E731
    whole = by_id(scatter(rule, FIELD))
    for other in (ScatterRule(5, 2.0, 0.8, (SQUARE,)), ScatterRule(5, 2.0, 0.8, height=(0, 99)), ScatterRule(5, 2.0, 0.4)):
        some = by_id(scatter(other, FIELD))
        assert some.items() <= whole.items()
        assert 0 < len(some) < len(whole)


def test_a_mix_follows_its_weights() -> None:
    placed = scatter(ScatterRule(1, 1.0, 0.9, weights=(1.0, 3.0)), FIELD)
    assert np.bincount(placed.variant)[1] / placed.count == pytest.approx(0.75, abs=0.02)


def test_later_layers_give_way() -> None:
    first, second = scatter(ScatterRule(1, 6.0, 0.7), FIELD), scatter(ScatterRule(2, 1.0, 0.9), FIELD)
    left = give_way(second, first.position, 2.5)
    distance = cKDTree(first.position[:, [0, 2]]).query(left.position[:, [0, 2]])[0]
    assert distance.min() >= 2.5
    assert 0 < left.count < second.count
    near = cKDTree(first.position[:, [0, 2]]).query(second.position[:, [0, 2]])[0] < 2.5
    assert left.count == second.count - int(near.sum()), "nothing else is removed"


def test_the_buffer_has_the_documented_layout() -> None:
    placed = scatter(ScatterRule(1, 9.0, 0.9), FIELD)
    data, n = placed.to_bytes(), placed.count
    assert len(data) == 52 * n
    assert np.array_equal(np.frombuffer(data, "<f4", 3 * n).reshape(n, 3), placed.position)
    assert np.array_equal(np.frombuffer(data, "<u4", n, 40 * n), placed.variant)
    assert np.array_equal(np.frombuffer(data, "<u8", n, 44 * n), placed.ids)
