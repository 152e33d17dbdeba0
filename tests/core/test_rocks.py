"""Rocks: closed, turned outwards, crossing themselves nowhere; what is asked of them shows, and nothing else changes."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull

from plough.core.build.rock import RockParameters, look_of
from plough.core.build.rock_body import Look, body_of
from plough.core.kinds import LEVELS, Product, make
from plough.core.mesh.mask_map import mask_map
from plough.core.mesh.silhouette import silhouettes
from plough.core.mesh.topology import welded_points
from plough.core.mesh.unwrap import second_uv
from plough.core.parameters import build, describe
from plough.core.presets import all_presets
from tests.core.test_grow import strategy
from tests.depth import examples

PRESETS = [p for p in all_presets() if p.kind == "rock"]
VALUES = {
    r.path: s
    for r in describe(RockParameters)
    if "." not in r.path and (s := strategy(r)) is not None
}
WHITE = {"stone": np.full((4, 4, 4), 255, np.uint8)}


def solid(product: Product) -> Any:
    """Its points and triangles, vertices in one place being one, in another library."""
    mesh = product.mesh
    point, count = welded_points(mesh.positions.astype(np.float64), 1e-3)
    places = np.zeros((count, 3))
    places[point] = mesh.positions
    return trimesh.Trimesh(places, point[mesh.indices.astype(np.int64)], process=False)


def look(**own: Any) -> Look:
    return look_of(build(RockParameters, own))


@settings(max_examples=examples(40), deadline=None)
@given(st.data(), st.integers(0, 2**32 - 1), st.integers(0, LEVELS - 1))
def test_whatever_is_asked_for_it_is_closed_and_crosses_itself_nowhere(
    data: st.DataObject, seed: int, detail: int
) -> None:
    p = build(RockParameters, data.draw(st.fixed_dictionaries({}, optional=VALUES)))
    body = body_of(look_of(p), seed, seed ^ 1, 20 * (1 + detail) ** 4)
    assert np.isfinite(body.positions).all()
    found = trimesh.Trimesh(body.positions, body.faces, process=False)
    assert found.is_watertight and found.is_winding_consistent
    a, b, c = (found.triangles[:, k] for k in range(3))
    volumes = np.einsum("ij,ij->i", np.cross(a, b), c)
    assert (volumes > 0).all(), "each triangle is seen from the middle, from its back"
    for marks in (body.edge, body.worn, body.deep):
        assert marks.min() >= 0 and marks.max() <= 1


@pytest.mark.parametrize("preset", PRESETS, ids=lambda p: p.name)
def test_levels_are_closed_and_keep_the_outline(preset: Any) -> None:
    for seed in (preset.seed, 40, 41):
        levels = [make("rock", preset.parameters, seed, k) for k in range(LEVELS)]
        near = levels[0].mesh
        seen = [silhouettes(x.mesh, x.materials, WHITE, near) for x in levels]
        for product, outline, share in zip(levels, seen, (0.0, 0.06, 0.12), strict=True):
            found = solid(product)
            assert found.is_watertight and found.volume > 0
            off = (outline != seen[0]).sum() / seen[0].sum()
            assert off <= share, f"{off:.3f} of the outline differs"
        counts = [x.mesh.triangles for x in levels]
        assert counts[0] >= 1.5 * counts[1] and counts[1] >= counts[2]


def test_seeds_make_varieties_and_one_seed_is_one_rock() -> None:
    again = [make("rock", {}, seed).mesh.positions.tobytes() for seed in (1, 2, 3, 1)]
    assert len(set(again)) == 3 and again[0] == again[3]


@pytest.mark.parametrize("angularity", [0.0, 0.5, 1.0])
def test_it_is_as_large_as_it_says(angularity: float) -> None:
    for seed in range(6):
        own = {"wide": 2.0, "high": 0.8, "long": 1.2, "angularity": angularity}
        size = np.ptp(body_of(look(**own), seed, 1, 2000).positions, axis=0)
        assert (size > 0.62 * np.array([2.0, 0.8, 1.2])).all()
        assert (size < 1.2 * np.array([2.0, 0.8, 1.2])).all()


def flatness(angularity: float, seed: int) -> float:
    """Share of the surface whose neighbours look the same way, to within 4 degrees."""
    own = look(angularity=angularity, rough=0, wear=0)
    body = body_of(own, seed, 1, 4000)
    found = trimesh.Trimesh(body.positions, body.faces, process=False)
    bends = np.degrees(found.face_adjacency_angles)
    area = found.area_faces[found.face_adjacency].sum(axis=1)
    return float(area[bends < 4].sum() / area.sum())


def test_the_more_angular_the_more_of_it_lies_in_planes_between_sharp_edges() -> None:
    for seed in range(4):
        water, between, split = (flatness(a, seed) for a in (0.1, 0.6, 1.0))
        assert split > between > water
        assert split > 0.55
        sharp = look(angularity=1, wear=0, rough=0)
        body = body_of(sharp, seed, 1, 4000)
        bends = trimesh.Trimesh(body.positions, body.faces, process=False).face_adjacency_angles
        assert np.degrees(bends).max() > 35


def test_few_triangles_show_ridges_where_many_do() -> None:
    """Directions are moved onto ridges: a light rock is as large as a heavy one to within little."""
    own = look(angularity=1, wear=0, rough=0)
    for seed in range(6):
        heavy, light = (body_of(own, seed, 1, n) for n in (30_000, 500))
        a, b = (trimesh.Trimesh(x.positions, x.faces, process=False).volume for x in (heavy, light))
        assert b == pytest.approx(a, rel=0.025)


def test_wear_takes_from_edges_and_has_a_seed_of_its_own() -> None:
    fresh = body_of(look(wear=0, angularity=0.9, rough=0), 3, 1, 4000)
    worn = body_of(look(wear=1, angularity=0.9, rough=0), 3, 1, 4000)
    other = body_of(look(wear=1, angularity=0.9, rough=0), 3, 2, 4000)
    moved = np.linalg.norm(worn.positions - fresh.positions, axis=1)
    beside = fresh.edge == 0
    assert moved[fresh.edge > 0.8].mean() > 2 * moved[beside].mean()
    inward = np.linalg.norm(fresh.positions, axis=1) - np.linalg.norm(worn.positions, axis=1)
    assert inward.min() > -1e-9, "nothing is put on"
    assert np.abs(worn.positions - other.positions).max() > 0.005
    assert worn.worn[fresh.edge > 0.8].mean() > 0.2 and fresh.worn.max() == 0


@pytest.mark.parametrize("count", [0, 1, 3])
def test_one_more_crack_leaves_all_that_lies_beside_it(count: int) -> None:
    own = {"crack_width": 3.0, "crack_depth": 10.0}
    few, more = (body_of(look(cracks=k, **own), 5, 1, 8000) for k in (count, count + 1))
    moved = np.linalg.norm(few.positions - more.positions, axis=1) > 0
    assert 0.002 < moved.mean() < 0.3
    deeper = np.linalg.norm(few.positions, axis=1) - np.linalg.norm(more.positions, axis=1)
    assert deeper.min() > -0.03 and deeper.max() > 0.04
    assert (more.deep[moved] > 0).mean() > 0.5 and more.deep.max() > 0.8


def test_beds_and_cavities_carve() -> None:
    plain = body_of(look(angularity=0.8), 2, 1, 12_000)
    for own in ({"strata": 1, "bed": 0.15, "dip": 0}, {"cavities": 1, "cavity_size": 0.15}):
        body = body_of(look(angularity=0.8, **own), 2, 1, 12_000)
        moved = np.linalg.norm(body.positions, axis=1) - np.linalg.norm(plain.positions, axis=1)
        assert np.abs(moved).max() > 0.01 and body.deep.max() > 0.5
        assert moved[body.deep > 0.5].mean() < moved[body.deep < 0.1].mean()


def test_moss_lies_on_what_looks_up_and_masks_tell_it() -> None:
    bare, mossy = (make("rock", {"moss": m, "moss_slope": 40}, 3).mesh for m in (0, 1))
    assert bare.colors is not None and mossy.colors is not None and bare.masks is not None
    assert bare.positions.tobytes() == mossy.positions.tobytes()
    assert mossy.masks is not None and mossy.masks.tobytes() == bare.masks.tobytes()
    green = (bare.colors != mossy.colors).any(axis=1)
    up = bare.masks[:, 1] / 255.0 * 2 - 1
    assert green.mean() > 0.05
    assert up[green].min() > 0.0 and up[green].mean() > 0.6
    solid_ = make("rock", {"wear": 0.8}, 3).mesh
    assert solid_.masks is not None and np.ptp(solid_.masks, axis=0).min() > 60


def test_texture_coordinates_are_even() -> None:
    mesh = make("rock", {"repeat": 1.0, "wide": 2, "high": 1.5, "long": 1.7}, 2).mesh
    a, b, c = (mesh.positions[mesh.indices[:, k]].astype(np.float64) for k in range(3))
    real = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)
    u, v, w = (mesh.uv0[mesh.indices[:, k]].astype(np.float64) for k in range(3))
    drawn = 0.5 * np.abs(
        (v[:, 0] - u[:, 0]) * (w[:, 1] - u[:, 1]) - (w[:, 0] - u[:, 0]) * (v[:, 1] - u[:, 1])
    )
    share = drawn / real
    assert share.min() > 0.55 and share.max() < 1.01


@pytest.mark.parametrize("preset", PRESETS, ids=lambda p: p.name)
def test_the_collider_is_convex_and_holds_it(preset: Any) -> None:
    product = make("rock", preset.parameters, preset.seed)
    room, off = 0.0, np.full(product.mesh.vertices, np.inf)
    for piece in product.collider.pieces:
        hull = ConvexHull(piece.astype(np.float64))
        assert len(hull.vertices) == len(piece), "each of its corners is one of the hull"
        out = product.mesh.positions @ hull.equations[:, :3].T + hull.equations[:, 3]
        off = np.minimum(off, out.max(axis=1))
        room += hull.volume
    assert off.max() < 1e-4 * np.ptp(product.mesh.positions)
    assert room < 1.2 * solid(product).volume
    without = {**preset.parameters, "game": {"collider": "none"}}
    assert not make("rock", without, preset.seed).collider.count


def test_it_stands_as_deep_as_it_says() -> None:
    for buried in (0.0, 0.25, 0.8):
        y = make("rock", {"buried": buried}, 4).mesh.positions[:, 1]
        assert -y.min() == pytest.approx(buried * np.ptp(y), abs=1e-5)


def test_the_masks_are_an_image_over_the_second_coordinates() -> None:
    mesh = make("rock", {"wear": 0.8, "triangles": 600}, 3).mesh
    image = mask_map(mesh, 256)
    assert image is not None and mesh.masks is not None
    uv, three = second_uv(mesh), mesh.indices
    rng = np.random.default_rng(1)
    share = rng.dirichlet([3, 3, 3], len(three))
    at = np.einsum("mk,mkc->mc", share, uv[three])
    told = np.einsum("mk,mkc->mc", share, mesh.masks[three][..., :3].astype(float))
    x, y = (at * 256).astype(int).clip(0, 255).T
    off = np.abs(image[y, x] - told)
    assert np.median(off) < 6 and (off < 40).mean() > 0.95
    assert mask_map(make("tuft", {}, 1).mesh) is None
