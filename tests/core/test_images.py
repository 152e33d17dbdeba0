"""Noise, strokes, triangles and bleeding, each against a plain way to the same result."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree
from shapely import LineString, MultiPoint

from plough.core.grow.sprig import Canvas
from plough.core.mesh.bleed import bleed, bleed_planes
from plough.core.mesh.raster import Samples, Triangles, draw_depth, draw_triangles
from plough.core.noise import _cell_points, cells, gradient, octaves_of, tile
from tests.depth import examples

SEEDS = st.integers(0, 2**63 - 1).map(np.uint64)


@given(
    seed=SEEDS,
    size=st.tuples(st.integers(3, 70), st.integers(3, 70)),
    repeat=st.tuples(st.integers(1, 80), st.integers(1, 40)),
    jitter=st.floats(0, 1),
)
@settings(max_examples=examples(60), deadline=None)
def test_cells_know_the_two_nearest_points(
    seed: np.uint64, size: tuple[int, int], repeat: tuple[int, int], jitter: float
) -> None:
    edge, value = cells(seed, size, repeat, jitter)
    at, own = _cell_points(seed, repeat, jitter)
    x, y = np.meshgrid(
        (np.arange(size[1]) + 0.5) / size[1] * repeat[0],
        (np.arange(size[0]) + 0.5) / size[0] * repeat[1],
    )
    far, which = cKDTree(at.reshape(-1, 2)).query(np.stack([x, y], axis=-1), k=2)
    assert np.allclose(edge, 0.5 * (far[..., 1] - far[..., 0]), atol=2e-4)
    clear = far[..., 1] - far[..., 0] > 1e-3
    assert (value == own.reshape(-1)[which[..., 0]])[clear].all()


@given(
    seed=SEEDS,
    repeat=st.tuples(st.integers(1, 9), st.integers(1, 9)),
    octaves=st.integers(1, 4),
    gain=st.floats(0.2, 0.9),
)
@settings(max_examples=examples(25), deadline=None)
def test_a_tile_is_the_sum_of_its_octaves_at_each_pixel(
    seed: np.uint64, repeat: tuple[int, int], octaves: int, gain: float
) -> None:
    rows, columns = 24, 40
    image = tile(seed, (rows, columns), repeat, octaves, gain)
    o = octaves_of(seed, octaves)
    rng = np.random.default_rng(int(seed) % 1000)
    for _ in range(20):
        r, c = int(rng.integers(rows)), int(rng.integers(columns))
        total = 0.0
        for k in range(octaves):
            px, py = repeat[0] << k, repeat[1] << k
            x, y = c / columns * px + o.x[k], r / rows * py + o.y[k]
            total += gain**k * gradient(o.seed[k], x, y, px, py)
        assert image[r, c] == pytest.approx(total / sum(gain**k for k in range(octaves)), abs=1e-4)


@given(seed=st.integers(0, 2**31), kept=st.floats(0.02, 1))
@settings(max_examples=examples(30), deadline=None)
def test_bleeding_keeps_what_is_seen_and_invents_no_colour(seed: int, kept: float) -> None:
    rng = np.random.default_rng(seed)
    color = rng.uniform(0.1, 0.9, (32, 32, 3)).astype(np.float32)
    alpha = np.where(rng.uniform(size=(32, 32)) < kept, 1.0, 0.0).astype(np.float32)
    alpha[5, 7] = 1.0
    out = bleed(color * alpha[..., None], alpha)
    seen = alpha > 0
    assert np.allclose(out[seen], color[seen], atol=1e-5)
    assert (out.min(axis=(0, 1)) >= color[seen].min(axis=0) - 1e-4).all()
    assert (out.max(axis=(0, 1)) <= color[seen].max(axis=0) + 1e-4).all()


def test_bleeding_treats_each_plane_alike() -> None:
    rng = np.random.default_rng(4)
    planes = rng.uniform(size=(6, 16, 16)).astype(np.float32)
    planes[-1] *= planes[-1] > 0.4
    planes[:-1] *= planes[-1]
    together = bleed_planes(planes)
    for k in range(5):
        alone = bleed_planes(np.ascontiguousarray(planes[[k, 5]]))
        assert np.array_equal(alone[0], together[k])


def canvas(size: int) -> Samples:
    return Samples(
        np.full((size, size), -1e30, np.float32),
        np.zeros((size, size, 3), np.float32),
        np.zeros((size, size, 3), np.float32),
    )


def some_triangles(seed: int, n: int, size: int) -> Triangles:
    rng = np.random.default_rng(seed)
    points = rng.uniform(-0.2 * size, 1.2 * size, (3 * n, 3)).astype(np.float32)
    points[:, 2] = np.repeat(rng.permutation(n), 3)  # each at a depth of its own
    normals = np.tile(np.float32([0, 0, 1]), (3 * n, 1))
    colors = np.repeat(rng.integers(1, 255, (n, 4)).astype(np.uint8), 3, axis=0)
    uv = rng.uniform(0, 1, (3 * n, 2)).astype(np.float32)
    return Triangles(points, normals, uv, colors, np.arange(3 * n, dtype=np.uint32).reshape(n, 3))


def covered(corners: np.ndarray, size: int) -> np.ndarray:
    """Pixels whose middles lie clearly within a triangle, by the signs of its three edges."""
    y, x = np.mgrid[0:size, 0:size] + 0.5
    sides = []
    for k in range(3):
        (ax, ay), (bx, by) = corners[k], corners[(k + 1) % 3]
        sides.append((bx - ax) * (y - ay) - (by - ay) * (x - ax))
    return (
        np.min(sides, axis=0) > 1e-3
        if sum(s[0, 0] for s in sides) > 0
        else (np.max(sides, axis=0) < -1e-3)
    )


@given(seed=st.integers(0, 2**31))
@settings(max_examples=examples(30), deadline=None)
def test_the_nearest_triangle_is_seen_in_each_pixel_whatever_the_order(seed: int) -> None:
    size, n = 40, 12
    triangles = some_triangles(seed, n, size)
    white = np.full((2, 2, 4), 255, np.uint8)
    samples = canvas(size)
    draw_triangles(triangles, white, False, samples, (0, size))
    wanted = np.full((size, size), -1.0)
    for corners in triangles.points.reshape(n, 3, 3).astype(np.float64):
        inside = covered(corners[:, :2], size)
        wanted[inside] = np.maximum(wanted[inside], corners[0, 2])
    # pixels on an edge may go either way
    assert (np.abs(samples.depth - wanted) > 1e-3)[wanted >= 0].mean() < 0.02
    turned = triangles._replace(indices=np.ascontiguousarray(triangles.indices[::-1]))
    again = canvas(size)
    for rows in ((0, 13), (13, size)):
        draw_triangles(turned, white, False, again, rows)
    assert np.allclose(again.color, samples.color, atol=1e-4)
    depth = np.full((size, size), -1e30, np.float32)
    draw_depth(triangles.points, triangles.uv, triangles.indices, white, False, depth)
    assert np.allclose(depth, samples.depth, atol=1e-3)


def test_what_the_texture_cuts_out_is_not_drawn() -> None:
    half = np.full((1, 2, 4), 255, np.uint8)
    half[0, 1, 3] = 0
    points = np.float32([[0, 0, 1], [16, 0, 1], [0, 16, 1], [16, 16, 1]])
    uv = np.float32([[0, 0], [1, 0], [0, 1], [1, 1]])
    square = Triangles(
        points,
        np.tile(np.float32([0, 0, 1]), (4, 1)),
        uv,
        np.full((4, 4), 255, np.uint8),
        np.uint32([[0, 1, 2], [2, 1, 3]]),
    )
    samples = canvas(16)
    draw_triangles(square, half, True, samples, (0, 16))
    assert (samples.depth[:, :8] == 1).all()
    assert (samples.depth[:, 8:] < 0).all()


@given(
    line=st.lists(st.tuples(st.floats(-0.45, 0.45), st.floats(0.05, 0.95)), min_size=2, max_size=6),
    half=st.floats(0.004, 0.08),
)
@settings(max_examples=examples(60), deadline=None)
def test_a_stroke_covers_what_lies_within_its_width(
    line: list[tuple[float, float]], half: float
) -> None:
    n = 96
    drawn = Canvas(n)
    drawn.stroke(np.array(line), np.full(len(line), half), (0.2, 0.3, 0.4))
    body = LineString([((x + 0.5) * n, (1 - y) * n) for x, y in line])
    y, x = np.mgrid[0:n, 0:n] + 0.5
    far = np.array(
        [p.distance(body) for p in MultiPoint(np.stack([x, y], -1).reshape(-1, 2)).geoms]
    )
    far, wide = far.reshape(n, n), max(half * n, 1.0)
    inside = drawn.samples.depth == 0
    assert inside[far < wide - 1e-6].all()
    assert not inside[far > wide + 1e-6].any()
    assert np.allclose(drawn.samples.color[inside], (0.2, 0.3, 0.4))


def test_light_comes_through_leaves_and_not_through_twigs() -> None:
    from plough.core.kinds import make
    from plough.core.presets import preset

    tree = preset("old-orchard-standard")
    made = make(tree.kind, tree.parameters, tree.seed)
    maps = made.materials["leaf"].maps
    assert maps is not None
    images = maps.draw()
    assert images.translucency is not None
    seen = images.albedo[..., 3] > 200
    green = images.albedo[..., 1].astype(int) - images.albedo[..., 0]
    through = images.translucency.astype(float)
    assert through[seen & (green > 20)].mean() > 4 * through[seen & (green < 0)].mean()
    assert through.max() <= math.ceil(255 * 1.5)
    normal = images.normal.astype(float) / 127.5 - 1.0
    assert np.abs(np.linalg.norm(normal[seen], axis=-1) - 1.0).max() < 0.02
