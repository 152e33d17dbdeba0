"""Terrain, paths, areas, curves, noise."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator
from shapely import LineString, Polygon, contains_xy, points

from plough.core.curves import profile_table, span_curve
from plough.core.errors import ParameterError, Superseded, TooLargeError
from plough.core.ground import HeightField, TerrainParameters, make_terrain
from plough.core.ground.areas import check_polygon, inside, polygon_area
from plough.core.ground.mesh import fit_network, network_mesh
from plough.core.ground.paths import near_line, path_curve, self_crossing
from plough.core.ground.ribbon import ribbon
from plough.core.mesh.checks import problems, triangle_areas
from plough.core.mesh.value import Mesh, join
from plough.core.noise import gradient, layered, octaves_of, tile
from tests.depth import examples


@given(
    seed=st.integers(0, 2**32 - 1),
    relief=st.floats(0, 600),
    roughness=st.floats(0, 0.8),
    ridges=st.floats(0, 1),
    basin=st.booleans(),
)
@settings(max_examples=examples(25), deadline=None)
def test_any_terrain_is_finite_and_within_its_relief(
    seed: int, relief: float, roughness: float, ridges: float, basin: bool
) -> None:
    field = make_terrain(
        TerrainParameters(
            size=128,
            resolution=4,
            seed=seed,
            relief=relief,
            roughness=roughness,
            ridges=ridges,
            basin=basin,
        )
    )
    assert np.isfinite(field.heights).all()
    assert np.abs(field.heights).max() <= 0.75 * relief + 3.01


def test_hills_stay_when_the_ground_grows_or_gets_finer() -> None:
    base = TerrainParameters(size=256, resolution=4, feature=60)
    small, large = make_terrain(base), make_terrain(base.model_copy(update={"size": 512}))
    assert np.allclose(large.heights[32:97, 32:97], small.heights, atol=1e-5)


def test_the_basin_is_flat_and_low() -> None:
    p = TerrainParameters(
        size=512, resolution=4, relief=20, basin=True, basin_radius=100, basin_depth=6
    )
    field = make_terrain(p)
    n = field.heights.shape[0] // 2
    bottom = field.heights[n - 8 : n + 9, n - 8 : n + 9]
    assert np.ptp(bottom) < 0.06 * 20
    assert bottom.mean() < field.heights.mean() - 3


@given(x=st.floats(-63, 63), z=st.floats(-63, 63))
@settings(max_examples=examples(60), deadline=None)
def test_height_is_bilinear_and_the_normal_is_its_gradient(x: float, z: float) -> None:
    field = make_terrain(TerrainParameters(size=128, resolution=4, relief=20, feature=40))
    h, normal = field.height_and_normal(np.array([x]), np.array([z]))
    n, s = field.heights.shape[0], field.spacing
    u, v = (x + 64) / s, (z + 64) / s
    c, r = min(int(u), n - 2), min(int(v), n - 2)
    f, g = u - c, v - r
    q = field.heights[r : r + 2, c : c + 2].astype(float)
    assert h[0] == pytest.approx(
        (q[0, 0] * (1 - f) + q[0, 1] * f) * (1 - g) + (q[1, 0] * (1 - f) + q[1, 1] * f) * g,
        abs=1e-6,
    )
    assert np.linalg.norm(normal[0]) == pytest.approx(1, abs=1e-9)
    assert normal[0, 1] > 0


def test_height_outside_is_that_of_the_edge() -> None:
    field = make_terrain(TerrainParameters(size=64, resolution=2))
    assert field.height(np.array([1e6]), np.array([0.0]))[0] == pytest.approx(
        field.height(np.array([32.0]), np.array([0.0]))[0]
    )


def test_terrain_of_another_seed_is_another_terrain_not_the_same_one_moved() -> None:
    fields = [
        make_terrain(TerrainParameters(size=512, resolution=4, relief=20, feature=60, seed=k))
        for k in (4, 5, 6)
    ]
    for field in fields:
        assert np.ptp(field.heights) > 0.4 * 20, "there are hills"
    for a, b in ((0, 1), (0, 2), (1, 2)):
        x = fields[a].heights - fields[a].heights.mean()
        y = fields[b].heights - fields[b].heights.mean()
        spectrum = np.fft.rfft2(x) * np.conj(np.fft.rfft2(y))
        likeness = np.fft.irfft2(spectrum, x.shape) / (x.std() * y.std() * x.size)
        assert likeness.max() < 0.6, "however it is moved"


def test_octaves_do_not_vanish_together() -> None:
    octaves = octaves_of(np.uint64(7), 6)
    at = np.arange(-20, 21, dtype=float)
    values = [layered(octaves, x, y, 0.5, 0.0) for x in at for y in at]
    assert np.abs(values).mean() > 0.08, "at whole cells, where each lattice alone is zero"


def test_making_terrain_can_be_stopped() -> None:
    def stop() -> None:
        raise Superseded("no longer wanted")

    with pytest.raises(Superseded):
        make_terrain(TerrainParameters(size=128), stop)


HILLS = make_terrain(TerrainParameters(size=250, resolution=2, relief=24, feature=50, seed=3))


@given(seed=st.integers(0, 2**32))
@settings(max_examples=examples(30), deadline=None)
def test_rays_meet_the_surface_where_they_first_cross_it(seed: int) -> None:
    rng = np.random.default_rng(seed)
    origin = np.column_stack(
        [rng.uniform(-120, 120, 40), rng.uniform(-20, 60, 40), rng.uniform(-120, 120, 40)]
    )
    direction = rng.normal(size=(40, 3))
    direction /= np.linalg.norm(direction, axis=1, keepdims=True)
    hits = HILLS.cast(origin, direction)
    step = np.arange(0.0, 420.0, 0.05)
    for k in range(40):
        along = origin[k] + step[:, None] * direction[k]
        over = (np.abs(along[:, [0, 2]]) < 125 - 1e-6).all(axis=1)
        gap = along[over, 1] - HILLS.height(along[over, 0], along[over, 2])
        turns = np.nonzero(np.diff(np.sign(gap)))[0]
        first = step[over][turns[0]] if turns.size else math.inf
        if math.isfinite(hits.distance[k]):
            assert hits.position[k, 1] == pytest.approx(
                HILLS.height(hits.position[k, :1], hits.position[k, 2:])[0], abs=1e-6
            )
            assert hits.distance[k] <= first + 0.051
        else:
            assert first == math.inf


def test_a_ray_straight_down_meets_what_sampling_says() -> None:
    rng = np.random.default_rng(1)
    x, z = rng.uniform(-125, 125, (2, 500))
    down = np.tile([0.0, -1.0, 0.0], (500, 1))
    hits = HILLS.cast(np.column_stack([x, np.full(500, 100.0), z]), down)
    there = HILLS.sample(x, z)
    assert np.allclose(hits.position, there.position, atol=1e-6)
    assert np.allclose(hits.normal, there.normal, atol=1e-6)
    assert not HILLS.sample(np.array([126.0]), np.array([0.0])).hit[0]


@pytest.mark.parametrize("size", [128.0, 250.0, 333.0])
def test_the_written_ground_is_within_its_bound_and_covers_the_square_once(size: float) -> None:
    field = make_terrain(TerrainParameters(size=size, resolution=2, relief=18, feature=40))
    rng = np.random.default_rng(2)
    near = rng.uniform(-size / 2, size / 2, (60, 2))
    network = fit_network(field, field.heights.shape[0], 0.10, near, 0.02)
    mesh = network_mesh(network, field)
    a, b, c = (mesh.positions[mesh.indices[:, k]].astype(float) for k in range(3))
    flat = np.cross(b - a, c - a)[:, 1] / 2
    assert (flat > 0).all()
    assert flat.sum() == pytest.approx(size**2, rel=1e-6)
    assert problems(mesh) == []
    x, z = rng.uniform(-size / 2, size / 2, (2, 20_000))
    miss = np.abs(network.height(x, z) - field.height(x, z))
    assert miss.max() < 0.105, "a little more than at the points looked at"
    assert miss.max() > 0.03, "and no finer than it has to be"
    under = np.abs(network.height(*near.T) - field.height(*near.T))
    assert under.max() < 0.022
    rough = fit_network(field, field.heights.shape[0], 1.0, near[:0], 1.0)
    assert network_mesh(rough, field).triangles < 0.5 * mesh.triangles


def test_heights_of_the_network_are_those_of_its_triangles() -> None:
    network = fit_network(HILLS, HILLS.heights.shape[0], 0.5, np.empty((0, 2)), 0.5)
    mesh = network_mesh(network, HILLS)
    weights = np.random.default_rng(3).dirichlet([1, 1, 1], mesh.triangles)
    corners = mesh.positions[mesh.indices].astype(float)
    at = (corners * weights[..., None]).sum(axis=1)
    assert np.allclose(network.height(at[:, 0], at[:, 2]), at[:, 1], atol=2e-4)


def test_too_fine_a_terrain_is_refused_with_what_to_do() -> None:
    with pytest.raises(TooLargeError, match="raise the sample spacing to"):
        make_terrain(TerrainParameters(size=4096, resolution=0.25))


def whole(strips: dict[tuple[int, int], Mesh]) -> Mesh:
    return join(list(strips.values()))


def test_a_path_goes_through_its_points_and_lies_on_the_ground() -> None:
    field = make_terrain(TerrainParameters(size=128, resolution=2, relief=10, feature=30))
    knots = [(-50, -10), (-20, 15), (10, -12), (48, 20)]
    curve = path_curve(knots, 3.0)
    assert LineString(curve.line).distance(points(np.array(knots, float))).max() < 1e-9
    mesh = whole(ribbon(curve, field))
    assert problems(mesh) == []
    lift = mesh.positions[:, 1] - field.height(mesh.positions[:, 0], mesh.positions[:, 2])
    assert (lift > -1e-3).all()
    assert (lift < 0.06).all()
    a, b, c = (mesh.positions[mesh.indices[:, k]].astype(float) for k in range(3))
    assert (np.cross(b - a, c - a)[:, 1] > 0).all(), "it faces up"
    assert triangle_areas(mesh).sum() == pytest.approx(curve.length * 3.0, rel=0.08)


@given(
    turn=st.floats(5, 175),
    leg=st.floats(3, 40),
    width=st.floats(0.5, 12),
)
@settings(max_examples=examples(60), deadline=None)
def test_a_ribbon_never_folds_however_tight_the_bend(turn: float, leg: float, width: float) -> None:
    field = HeightField(np.zeros((3, 3), np.float32), 256.0)
    angle = math.radians(turn)
    knots = [(-leg, 0.0), (0.0, 0.0), (leg * math.cos(angle), leg * math.sin(angle))]
    mesh = whole(ribbon(path_curve(knots, width), field))
    a, b, c = (mesh.positions[mesh.indices[:, k]].astype(float) for k in range(3))
    assert (np.cross(b - a, c - a)[:, 1] > -1e-6).all()


@given(
    knots=st.lists(
        st.tuples(st.floats(-300, 300), st.floats(-300, 300)), min_size=7, max_size=14, unique=True
    ),
    moved=st.integers(0, 13),
    by=st.tuples(st.floats(-30, 30), st.floats(-30, 30)),
)
@settings(max_examples=examples(60), deadline=None)
def test_a_knot_that_moves_changes_two_spans_on_each_side(
    knots: list[tuple[float, float]], moved: int, by: tuple[float, float]
) -> None:
    k = moved % len(knots)
    other = [*knots]
    other[k] = (knots[k][0] + by[0], knots[k][1] + by[1])
    for line in (knots, other):
        if np.hypot(*np.diff(np.array(line), axis=0).T).min() < 0.05:
            return
    (a, sa), (b, sb) = span_curve(knots, 1.0), span_curve(other, 1.0)
    for span in range(len(knots) - 1):
        if not k - 2 <= span <= k + 1:
            assert np.array_equal(a[sa == span][:-1], b[sb == span][:-1])


def test_a_path_that_crosses_itself_is_refused_with_the_place() -> None:
    with pytest.raises(ParameterError, match=r"crosses itself near \(") as caught:
        path_curve([(-40, 0), (40, 0), (40, 40), (0, 30), (0, -40)])
    assert caught.value.field == "points"
    with pytest.raises(ParameterError, match="5 cm"):
        path_curve([(0, 0), (0, 0), (5, 5)])


@given(
    st.lists(
        st.tuples(st.integers(-9, 9), st.integers(-9, 9)), min_size=3, max_size=40, unique=True
    )
)
@settings(max_examples=examples(150), deadline=None)
def test_crossings_agree_with_another_library(corners: list[tuple[int, int]]) -> None:
    line = np.array(corners, float) + np.random.default_rng(1).uniform(0, 0.2, (len(corners), 2))
    crossing = self_crossing(line)
    assert (crossing is None) == LineString(line).is_simple
    if crossing is not None:
        assert LineString(line).distance(points(*crossing)) < 1e-6


def test_a_path_without_end_is_refused_before_it_is_made() -> None:
    zigzag = [(4000.0 * (-1) ** k, 20.0 * k - 4000) for k in range(400)]
    with pytest.raises(ParameterError, match="40 km"):
        path_curve(zigzag)


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
@settings(max_examples=examples(20), deadline=None)
def test_near_a_line_agrees_with_another_library(limit: float) -> None:
    rng = np.random.default_rng(2)
    x, z = rng.uniform(-60, 60, (2, 1500))
    line = path_curve([(-50, -10), (-20, 15), (10, -12), (48, 20)]).line
    distance = LineString(line).distance(points(x, z))
    sure = np.abs(distance - limit) > 1e-6
    assert np.array_equal(near_line(x, z, line, limit)[sure], (distance < limit)[sure])


def test_profile_is_monotone_between_knots_and_flat_beyond() -> None:
    table = profile_table([(0.2, 0.1), (0.5, 0.9), (0.8, 0.3)], 101)
    assert np.allclose(table[:21], 0.1)
    assert (np.diff(table[20:51]) >= -1e-6).all()
    assert (np.diff(table[50:81]) <= 1e-6).all()
    assert np.allclose(table[80:], 0.3)


@given(
    st.lists(
        st.tuples(st.floats(0, 1), st.floats(0, 1).map(lambda y: round(y, 4))),
        min_size=2,
        max_size=9,
    ).filter(lambda k: len({round(x, 2) for x, _ in k}) == len(k))
)
@settings(max_examples=examples(60), deadline=None)
def test_profile_agrees_with_another_library(knots: list[tuple[float, float]]) -> None:
    knots = sorted(knots)
    xs, ys = np.array(knots).T
    grid = np.clip(np.linspace(0, 1, 65), xs[0], xs[-1])
    expected = np.clip(PchipInterpolator(xs, ys)(grid), 0, 1)
    assert np.allclose(profile_table(knots), expected, atol=1e-5)


def test_a_curve_is_evenly_spaced_within_its_spans() -> None:
    line, spans = span_curve([(0, 0), (10, 0), (10, 12)], 0.5)
    gaps = np.hypot(*np.diff(line, axis=0).T)
    for span in (0, 1):
        own = gaps[spans[:-1] == span]
        assert own.max() / own.min() < 1.05
        assert own.max() <= 0.5 + 1e-3
    assert math.isclose(line[0, 0], 0, abs_tol=1e-9)
    assert np.allclose(line[-1], (10, 12))


def test_noise_is_smooth_repeats_and_differs_by_seed() -> None:
    seed = np.uint64(4)
    values = np.array([gradient(seed, x, 0.37, 0, 0) for x in np.linspace(-20, 20, 4001)])
    assert np.abs(values).max() <= 1.01
    assert values.std() > 0.15
    assert np.abs(np.diff(values)).max() < 0.05
    assert gradient(seed, -3.3, 7.25, 5, 8) == pytest.approx(
        gradient(seed, 1.7, -0.75, 5, 8), abs=1e-12
    )
    image = tile(seed, (64, 64), (4, 4), 3, 0.5)
    assert np.abs(image[:, 0] - image[:, -1]).max() < 0.35
    assert not np.allclose(image, tile(np.uint64(5), (64, 64), (4, 4), 3, 0.5))


def test_height_field_spacing() -> None:
    assert HeightField(np.zeros((5, 5), np.float32), 8.0).spacing == 2.0
