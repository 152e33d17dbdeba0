"""The mesh value, sweeps, tangents, cards and colliders."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.bake.colliders import box_mesh, capsule_mesh
from plough.core.collider import Capsule
from plough.core.kinds import make
from plough.core.mesh.bleed import bleed
from plough.core.mesh.checks import is_watertight, problems, triangle_areas, volume, welded
from plough.core.mesh.impostor import make_impostor
from plough.core.mesh.material import Material
from plough.core.mesh.silhouette import difference, silhouettes
from plough.core.mesh.sweep import Branches, sweep
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.unwrap import second_uv
from plough.core.mesh.value import Mesh, Part, join, transformed
from tests.depth import examples


def branches(
    points: np.ndarray, radius: np.ndarray, sides: int = 12, lobe: float = 0.0
) -> Branches:
    n = len(points)
    return Branches(
        np.array([0, n]),
        points.astype(np.float32),
        radius.astype(np.float32),
        np.full(n, lobe, np.float32),
        np.array([sides]),
        np.zeros(1, np.float32),
        np.zeros((n, 4), np.uint8),
    )


def straight(n: int = 9, length: float = 2.0, radius: float = 0.1, sides: int = 24) -> Mesh:
    points = np.stack([np.zeros(n), np.linspace(0, length, n), np.zeros(n)], axis=1)
    return sweep(branches(points, np.full(n, radius), sides), "bark", cap=True)


def test_capped_tube_is_watertight_and_faces_outwards() -> None:
    mesh = straight()
    assert problems(mesh) == []
    assert is_watertight(mesh)
    # a cylinder of seven eighths and a cone over the last segment
    exact = math.pi * 0.1**2 * (2.0 * 7 / 8 + 2.0 / 8 / 3)
    assert volume(mesh) == pytest.approx(exact, rel=0.02)


@given(
    steps=st.lists(st.tuples(*[st.floats(-0.7, 0.7)] * 2), min_size=3, max_size=14),
    radius=st.floats(0.002, 0.3),
    sides=st.integers(3, 24),
    lobe=st.floats(0, 0.3),
)
@settings(max_examples=examples(60), deadline=None)
def test_bent_tubes_are_sound(
    steps: list[tuple[float, float]], radius: float, sides: int, lobe: float
) -> None:
    points = np.cumsum([(0.0, 0.0, 0.0), *((x, 1.0, z) for x, z in steps)], axis=0)
    mesh = sweep(
        branches(points, np.linspace(radius, radius * 0.3, len(points)), sides, lobe),
        "bark",
        cap=True,
    )
    assert problems(mesh) == []
    assert is_watertight(mesh)
    assert volume(mesh) > 0


def test_normals_of_a_tube_point_away_from_its_axis() -> None:
    mesh = straight()
    side = mesh.positions[:, [0, 2]]
    out = np.linalg.norm(side, axis=1) > 0.05
    assert (np.einsum("ij,ij->i", side, mesh.normals[:, [0, 2]])[out][: -25 * 1] > 0).all()


def test_texture_density_is_even_along_and_whole_around() -> None:
    mesh = straight(radius=0.2)
    ring = mesh.uv0[:25]
    assert float(ring[-1, 0] - ring[0, 0]) == round(2 * math.pi * 0.2 / 0.5), (
        "the seam closes on a whole repeat"
    )
    v = mesh.uv0[::25][:8, 1]
    assert np.allclose(np.diff(v), -0.25 / 0.5, atol=1e-5), "one repeat every half metre"


@pytest.mark.parametrize("sides", [3, 5, 8])
def test_a_thin_branch_has_the_same_density_and_no_seam(sides: int) -> None:
    mesh = straight(radius=0.01, sides=sides)
    u = mesh.uv0[: sides + 1, 0]
    assert u[0] == u[-1], "the image comes back to where it began"
    around = 2 * math.pi * 0.01 / 0.5
    assert np.abs(np.diff(u)).sum() == pytest.approx(around, rel=1e-3), (
        "as many texels round as along"
    )
    assert mesh.tangents is not None
    assert set(np.unique(mesh.tangents[:, 3])) == {-1.0, 1.0}
    assert problems(mesh, least_area=0.0) == []


def test_frames_do_not_twist_on_a_closed_turn() -> None:
    a = np.linspace(0, 1.5 * math.pi, 40)
    points = np.stack([np.cos(a), np.sin(a), np.zeros_like(a)], axis=1)
    mesh = sweep(branches(points, np.full(40, 0.05), 8), "bark")
    rings = mesh.positions[: 39 * 9].reshape(39, 9, 3)
    first = rings[:, 0] - points[:39]
    # in a plane curve the first spoke keeps its angle to the plane
    assert np.ptp(first[:, 2]) < 2e-3


def test_sides_out_of_range_are_refused() -> None:
    with pytest.raises(ValueError, match="sides"):
        straight(sides=2)


def test_join_merges_neighbouring_parts_and_keeps_indices_in_range() -> None:
    a, b = straight(), straight(length=1.0)
    both = join([a, b])
    assert problems(both) == []
    assert both.parts == (Part("bark", 0, a.triangles + b.triangles),)
    assert triangle_areas(both).sum() == pytest.approx(
        triangle_areas(a).sum() + triangle_areas(b).sum(), rel=1e-6
    )


def test_transformed_keeps_unit_normals_and_scales_volume() -> None:
    matrix = np.diag([2.0, 3.0, 0.5, 1.0])
    mesh = transformed(straight(), matrix)
    assert problems(mesh) == []
    assert volume(mesh) == pytest.approx(3.0 * volume(straight()), rel=1e-4)


def test_tangents_follow_the_texture() -> None:
    positions = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]], np.float32)
    normals = np.tile(np.array([0, 0, 1], np.float32), (4, 1))
    uv = np.array([[0, 1], [1, 1], [0, 0], [1, 0]], np.float32)
    mesh = with_tangents(
        Mesh(
            positions, normals, uv, np.array([[0, 1, 2], [1, 3, 2]], np.uint32), (Part("m", 0, 2),)
        )
    )
    assert mesh.tangents is not None
    assert np.allclose(mesh.tangents, [1, 0, 0, 1])


def test_problems_are_found() -> None:
    good = straight()
    bad_index = good.indices.copy()
    bad_index[0, 0] = 10**6
    assert (
        "out of range"
        in problems(Mesh(good.positions, good.normals, good.uv0, bad_index, good.parts))[0]
    )
    nan = good.positions.copy()
    nan[3] = np.nan
    assert any(
        "finite" in p for p in problems(Mesh(nan, good.normals, good.uv0, good.indices, good.parts))
    )
    flat = good.indices.copy()
    flat[5] = flat[5, 0]
    assert any(
        "no area" in p
        for p in problems(Mesh(good.positions, good.normals, good.uv0, flat, good.parts))
    )
    assert not is_watertight(
        Mesh(good.positions, good.normals, good.uv0, good.indices[1:], good.parts)
    )


@pytest.mark.parametrize("shape", [capsule_mesh, box_mesh])
def test_colliders_are_closed_and_hold_the_rod(shape) -> None:  # type: ignore[no-untyped-def]
    capsule = Capsule((0.2, 0.0, 0.1), (0.5, 3.0, -0.4), 0.25)
    mesh = shape(capsule)
    assert problems(mesh) == []
    assert is_watertight(mesh)
    length = math.dist(capsule.start, capsule.end)
    rod = math.pi * 0.25**2 * length + 4 / 3 * math.pi * 0.25**3
    box = 0.5 * 0.5 * (length + 0.5)
    assert 0.75 * rod < volume(mesh) <= (box * 1.0001 if shape is box_mesh else rod)


def test_a_card_shows_the_silhouette_of_its_mesh() -> None:
    product = make("tree", {"texture_size": "128"}, 7, 0)
    albedo = {k: m.maps.draw().albedo for k, m in product.materials.items() if m.maps is not None}
    mesh, materials = make_impostor(product.mesh, product.materials, albedo, "key", size=128)
    assert problems(mesh) == []
    assert mesh.triangles == 4
    maps = materials["card"].maps
    assert maps is not None
    image = maps.draw()
    alpha = image.albedo[:, :128, 3] > 127
    low, high = mesh.bounds()
    # the picture is as tall and as wide as the tree
    rows, columns = np.nonzero(alpha.any(axis=1))[0], np.nonzero(alpha.any(axis=0))[0]
    tall = (rows[-1] - rows[0] + 1) / 128 * (high[1] - low[1])
    wide = (columns[-1] - columns[0] + 1) / 128 * (high[0] - low[0])
    p = product.mesh.positions
    assert tall == pytest.approx(p[:, 1].max() - max(p[:, 1].min(), -0.1), rel=0.08)
    assert wide == pytest.approx(np.ptp(p[:, 0]), rel=0.15)
    green = image.albedo[:, :128][alpha].astype(float).mean(axis=0)
    assert green[1] > green[2], "a leafy tree is greener than blue"


def test_bleed_fills_the_transparent_part_with_colours_nearby() -> None:
    image, alpha = np.zeros((64, 64, 3), np.float32), np.zeros((64, 64), np.float32)
    image[20:30, 20:30] = (0.2, 0.6, 0.1)
    alpha[20:30, 20:30] = 1.0
    out = bleed(image, alpha)
    assert np.allclose(out, (0.2, 0.6, 0.1), atol=1e-4)


def test_welded_merges_seams() -> None:
    mesh = straight()
    assert welded(mesh).max() + 1 < mesh.vertices


@pytest.mark.parametrize(
    ("kind", "values"),
    [
        ("tree", {"second": {"count": 3}, "third": {"count": 0}, "roots": 3}),
        ("plant", {}),
        ("shrub", {"density": 6}),
    ],
)
def test_second_coordinates_do_not_overlap(kind: str, values: dict) -> None:  # type: ignore[type-arg]
    mesh = make(kind, values, 3).mesh
    uv = second_uv(mesh).astype(float)
    assert uv.min() >= 0.0
    assert uv.max() <= 1.0
    a, b, c = (uv[mesh.indices[:, k]] for k in range(3))
    area = 0.5 * np.abs(
        (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (b[:, 1] - a[:, 1])
    )
    assert area.sum() > 0.1, "the sheet is used"
    # each sample lies within at most one triangle: paint triangle by triangle, and nothing is painted twice
    n = 700
    hits = np.zeros((n, n), np.int32)
    for p, q, r in zip(a[area > 0] * n, b[area > 0] * n, c[area > 0] * n, strict=True):
        x0, y0 = np.maximum(np.floor(np.minimum(np.minimum(p, q), r)).astype(int), 0)
        x1, y1 = np.minimum(np.ceil(np.maximum(np.maximum(p, q), r)).astype(int) + 1, n)
        x, y = np.meshgrid(np.arange(x0, x1) + 0.5, np.arange(y0, y1) + 0.5)
        whole = (q[0] - p[0]) * (r[1] - p[1]) - (r[0] - p[0]) * (q[1] - p[1])
        u = ((q[0] - x) * (r[1] - y) - (r[0] - x) * (q[1] - y)) / whole
        v = ((r[0] - x) * (p[1] - y) - (p[0] - x) * (r[1] - y)) / whole
        hits[y0:y1, x0:x1] += (u > 1e-6) & (v > 1e-6) & (1 - u - v > 1e-6)
    assert (hits > 1).sum() <= 0.002 * (hits > 0).sum()


def test_eight_views_are_eight_pictures_of_the_same_tree() -> None:
    product = make("tree", {"texture_size": "128", "lean": 20}, 7, 0)
    albedo = {k: m.maps.draw().albedo for k, m in product.materials.items() if m.maps is not None}
    mesh, materials = make_impostor(
        product.mesh, product.materials, albedo, "key", size=128, form="eight"
    )
    assert problems(mesh) == []
    assert mesh.triangles == 16
    image = materials["card"].maps.draw()  # type: ignore[union-attr]
    assert image.albedo.shape == (256, 512, 4)
    cells = [
        image.albedo[128 * r : 128 * r + 128, 128 * c : 128 * c + 128, 3] > 127
        for r in (0, 1)
        for c in range(4)
    ]
    for k in range(4):
        mirrored = cells[k + 4][:, ::-1]
        assert (cells[k] != mirrored).mean() < 0.03, "from behind, the silhouette is mirrored"
        assert (cells[k] != cells[(k + 1) % 4]).mean() > 0.01
    assert image.depth is not None
    near = image.depth[:128, :128][cells[0]]
    assert near.max() - near.min() > 60, "depth tells near from far"


def test_a_silhouette_differs_from_itself_by_nothing_and_from_half_of_it_by_half() -> None:
    mesh = straight()
    albedo = {"bark": np.full((1, 1, 4), 255, np.uint8)}
    materials = {"bark": Material("bark")}
    whole = silhouettes(mesh, materials, albedo, mesh)
    assert difference(whole, whole) == 0
    lower = replace(mesh, positions=mesh.positions * np.array([1, 0.5, 1], np.float32))
    assert difference(whole, silhouettes(lower, materials, albedo, mesh)) == pytest.approx(
        0.5 * whole.mean(), rel=0.08
    )
