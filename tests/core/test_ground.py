"""Terrain, paths, areas, curves, noise."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Polygon, contains_xy, points

from plough.core.curves import profile_table, spline
from plough.core.errors import ParameterError, TooLargeError
from plough.core.ground import HeightField, TerrainParameters, make_terrain, terrain_mesh
from plough.core.ground.areas import check_polygon, inside, polygon_area
from plough.core.ground.paths import near_line, path_line, ribbon
from plough.core.mesh.checks import problems, triangle_areas
from plough.core.noise import gradient, tile


@given(seed=st.integers(0, 2**32 - 1), relief=st.floats(0, 600), roughness=st.floats(0, 0.8), ridges=st.floats(0, 1), basin=st.booleans())
@settings(max_examples=25, deadline=None)
def test_any_terrain_is_finite_and_within_its_relief(seed: int, relief: float, roughness: float, ridges: float, basin: bool) -> None:
    field = make_terrain(
        TerrainParameters(size=128, resolution=4, seed=seed, relief=relief, roughness=roughness, ridges=ridges, basin=basin)
    )
    assert np.isfinite(field.heights).all()
    assert np.abs(field.heights).max() <= 0.75 * relief + 3.01


def test_hills_stay_when_the_ground_grows_or_gets_finer() -> None:
    base = TerrainParameters(size=256, resolution=4, feature=60)
    small, large = make_terrain(base), make_terrain(base.model_copy(update={"size": 512}))
    assert np.allclose(large.heights[32:97, 32:97], small.heights, atol=1e-5)


def test_the_basin_is_flat_and_low() -> None:
    p = TerrainParameters(size=512, resolution=4, relief=20, basin=True, basin_radius=100, basin_depth=6)
    field = make_terrain(p)
    n = field.heights.shape[0] // 2
    bottom = field.heights[n - 8 : n + 9, n - 8 : n + 9]
    assert np.ptp(bottom) < 0.06 * 20
    assert bottom.mean() < field.heights.mean() - 3


@given(x=st.floats(-63, 63), z=st.floats(-63, 63))
@settings(max_examples=60, deadline=None)
def test_height_is_bilinear_and_the_normal_is_its_gradient(x: float, z: float) -> None:
    field = make_terrain(TerrainParameters(size=128, resolution=4, relief=20, feature=40))
    h, normal = field.height_and_normal(np.array([x]), np.array([z]))
    n, s = field.heights.shape[0], field.spacing
    u, v = (x + 64) / s, (z + 64) / s
    c, r = min(int(u), n - 2), min(int(v), n - 2)
    f, g = u - c, v - r
    q = field.heights[r : r + 2, c : c + 2].astype(float)
    assert h[0] == pytest.approx((q[0, 0] * (1 - f) + q[0, 1] * f) * (1 - g) + (q[1, 0] * (1 - f) + q[1, 1] * f) * g, abs=1e-6)
    assert np.linalg.norm(normal[0]) == pytest.approx(1, abs=1e-9)
    assert normal[0, 1] > 0


def test_height_outside_is_that_of_the_edge() -> None:
    field = make_terrain(TerrainParameters(size=64, resolution=2))
    assert field.height(np.array([1e6]), np.array([0.0]))[0] == pytest.approx(field.height(np.array([32.0]), np.array([0.0]))[0])


@pytest.mark.parametrize("step", [1, 2, 4, 7])
def test_terrain_mesh_covers_the_ground_once_and_faces_up(step: int) -> None:
    field = make_terrain(TerrainParameters(size=128, resolution=2))
    mesh = terrain_mesh(field, step)
    assert problems(mesh) == []
    a, b, c = (mesh.positions[mesh.indices[:, k]].astype(float) for k in range(3))
    flat = np.cross(b - a, c - a)[:, 1] / 2
    assert (flat > 0).all()
    assert flat.sum() == pytest.approx(128**2, rel=1e-6)


def test_too_fine_a_terrain_is_refused_with_what_to_do() -> None:
    with pytest.raises(TooLargeError, match="raise the sample spacing to"):
        make_terrain(TerrainParameters(size=4096, resolution=0.25))


def test_a_path_goes_through_its_points_and_lies_on_the_ground() -> None:
    field = make_terrain(TerrainParameters(size=128, resolution=2, relief=10, feature=30))
    knots = [(-50, -10), (-20, 15), (10, -12), (48, 20)]
    line = path_line(knots)
    assert LineString(line).distance(points(np.array(knots, float))).max() < 0.15
    mesh = ribbon(line, 3.0, field)
    assert problems(mesh) == []
    lift = mesh.positions[:, 1] - field.height(mesh.positions[:, 0], mesh.positions[:, 2])
    assert (lift > -1e-3).all()
    assert (lift < 0.06).all()
    a, b, c = (mesh.positions[mesh.indices[:, k]].astype(float) for k in range(3))
    assert (np.cross(b - a, c - a)[:, 1] > 0).all(), "it faces up"
    length = np.hypot(*np.diff(line, axis=0).T).sum()
    assert triangle_areas(mesh).sum() == pytest.approx(length * 3.0, rel=0.08)


def test_a_path_that_crosses_itself_is_refused_with_the_place() -> None:
    with pytest.raises(ParameterError, match=r"crosses itself near \(") as caught:
        path_line([(-40, 0), (40, 0), (40, 40), (0, 30), (0, -40)])
    assert caught.value.field == "points"
    with pytest.raises(ParameterError, match="5 cm"):
        path_line([(0, 0), (0, 0), (5, 5)])


def test_an_outline_that_crosses_itself_is_refused() -> None:
    check_polygon([(0, 0), (10, 0), (10, 10), (0, 10)])
    with pytest.raises(ParameterError, match="crosses itself"):
        check_polygon([(0, 0), (10, 10), (10, 0), (0, 10)])


RING = [(-20.0, -20.0), (25.0, -15.0), (10.0, 3.0), (22.0, 30.0), (-18.0, 12.0)]


def test_inside_and_area_agree_with_another_library() -> None:
    rng = np.random.default_rng(1)
    x, z = rng.uniform(-30, 30, (2, 4000))
    ring = np.array(RING)
    assert np.array_equal(inside(x, z, ring), contains_xy(Polygon(RING), x, z))
    assert polygon_area(ring) == pytest.approx(Polygon(RING).area)


@given(limit=st.floats(0.1, 30))
@settings(max_examples=20, deadline=None)
def test_near_a_line_agrees_with_another_library(limit: float) -> None:
    rng = np.random.default_rng(2)
    x, z = rng.uniform(-60, 60, (2, 1500))
    line = path_line([(-50, -10), (-20, 15), (10, -12), (48, 20)])
    distance = LineString(line).distance(points(x, z))
    sure = np.abs(distance - limit) > 1e-6
    assert np.array_equal(near_line(x, z, line, limit)[sure], (distance < limit)[sure])


def test_profile_is_monotone_between_knots_and_flat_beyond() -> None:
    table = profile_table([(0.2, 0.1), (0.5, 0.9), (0.8, 0.3)], 101)
    assert np.allclose(table[:21], 0.1)
    assert (np.diff(table[20:51]) >= -1e-6).all()
    assert (np.diff(table[50:81]) <= 1e-6).all()
    assert np.allclose(table[80:], 0.3)


def test_spline_is_evenly_spaced() -> None:
    line = spline([(0, 0), (10, 0), (10, 12)], 0.5)
    gaps = np.hypot(*np.diff(line, axis=0).T)
    assert gaps.max() / gaps.min() < 1.05
    assert math.isclose(line[0, 0], 0, abs_tol=1e-9)
    assert np.allclose(line[-1], (10, 12))


def test_noise_is_smooth_repeats_and_differs_by_seed() -> None:
    seed = np.uint64(4)
    values = np.array([gradient(seed, x, 0.37, 0, 0) for x in np.linspace(-20, 20, 4001)])
    assert np.abs(values).max() <= 1.01
    assert values.std() > 0.15
    assert np.abs(np.diff(values)).max() < 0.05
    assert gradient(seed, -3.3, 7.25, 5, 8) == pytest.approx(gradient(seed, 1.7, -0.75, 5, 8), abs=1e-12)
    image = tile(seed, 64, 64, 4, 4, 3, 0.5)
    assert np.abs(image[:, 0] - image[:, -1]).max() < 0.35
    assert not np.allclose(image, tile(np.uint64(5), 64, 64, 4, 4, 3, 0.5))


def test_height_field_spacing() -> None:
    assert HeightField(np.zeros((5, 5), np.float32), 8.0).spacing == 2.0
