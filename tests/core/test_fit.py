"""Colliders measured against what they stand for."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.bake.fit import fit_of, surface_points
from plough.core.build.hulled import POOR
from plough.core.collider import Capsule, Collider
from plough.core.kinds import Product, all_kinds
from plough.core.mesh.convex import MOST_CORNERS, beyond, hull_of
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh, Part
from plough.core.presets import all_presets, preset
from tests.depth import examples
from tests.models import NEEDS, make


def product(body: trimesh.Trimesh, collider: Collider, **more: Any) -> Product:
    mesh = Mesh(
        body.vertices.astype(np.float32),
        body.vertex_normals.astype(np.float32),
        np.zeros((len(body.vertices), 2), np.float32),
        body.faces.astype(np.uint32),
        (Part("stone", 0, len(body.faces)),),
    )
    made = make("rock", {}, 1)
    return replace(
        made, mesh=mesh, materials={"stone": Material("stone", **more)}, collider=collider
    )


BOX = trimesh.creation.box((2.0, 1.0, 3.0))
CORNERS = BOX.vertices.astype(np.float32)


def test_a_body_that_is_the_mesh_holds_all_of_it_and_no_more() -> None:
    found = fit_of(product(BOX, Collider(pieces=(CORNERS,))))
    assert found is not None
    assert (found.bodies, found.cover) == (1, 1.0)
    assert found.volume == pytest.approx(1.0, abs=1e-3)


@pytest.mark.parametrize("grown", [1.1, 1.5, 2.0])
def test_a_body_that_is_too_large_is_told_by_its_volume(grown: float) -> None:
    found = fit_of(product(BOX, Collider(pieces=(CORNERS * np.float32(grown),))))
    assert found is not None
    assert found.volume == pytest.approx(grown**3, rel=1e-3)
    assert found.cover == 1.0


def test_a_body_that_is_too_small_is_told_by_its_cover() -> None:
    # the half of the box to one side: a half of what lies along it, and one of its ends
    half = CORNERS.copy()
    half[:, 2] = np.maximum(half[:, 2], 0.0)
    found = fit_of(product(BOX, Collider(pieces=(half,))))
    assert found is not None
    assert found.cover == pytest.approx(0.5, abs=0.03)
    rod = Collider(capsules=(Capsule((0, -0.5, 0), (0, 0.5, 0), 0.05),))
    thin = fit_of(product(BOX, rod))
    assert thin is not None
    assert thin.cover < 0.05
    assert thin.volume is not None
    assert thin.volume < 0.02


def test_what_is_cut_out_or_open_is_not_measured() -> None:
    leafy = fit_of(product(BOX, Collider(pieces=(CORNERS,)), cutout=True))
    assert leafy is not None
    assert (leafy.cover, leafy.volume) == (0.0, None)
    open_ = BOX.copy()
    open_.update_faces(np.arange(len(open_.faces) - 1))
    found = fit_of(product(open_, Collider(pieces=(CORNERS,))))
    assert found is not None
    assert found.volume is None
    assert fit_of(product(BOX, Collider())) is None


def test_points_are_spread_by_area() -> None:
    corners = np.array(
        [[[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[5, 0, 0], [8, 0, 0], [5, 3, 0]]], np.float64
    )
    points = surface_points(corners, 4000)
    far = points[:, 0] > 4
    assert far.mean() == pytest.approx(0.9, abs=1e-3)
    # within each triangle evenly: their mean is its middle
    np.testing.assert_allclose(points[far].mean(axis=0), [6, 1, 0], atol=0.02)
    assert (points[~far][:, :2].sum(axis=1) <= 1 + 1e-9).all()


@pytest.mark.parametrize("kind", sorted(all_kinds()))
def test_every_kind_is_measured(kind: str) -> None:
    made = make(kind, NEEDS.get(kind, {}), 1)
    found = fit_of(made)
    if found is None:
        assert not made.collider.count
        return
    assert found.bodies == made.collider.count
    assert 0.0 <= found.cover <= 1.0
    assert found.volume is None or 0.0 < found.volume < 200.0


@settings(max_examples=examples(60), deadline=None)
@given(seed=st.integers(0, 10**6), form=st.sampled_from(["ball", "box", "split", "long"]))
def test_a_hull_of_few_planes_holds_all_and_hardly_more(seed: int, form: str) -> None:
    rng = np.random.default_rng(seed)
    points = rng.normal(size=(600, 3))
    points /= np.linalg.norm(points, axis=1, keepdims=True)
    if form == "box":
        points = np.clip(1.4 * points, -0.8, 0.8)
    if form == "split":
        points[:, 0] = np.clip(points[:, 0], -1.0, 0.05 * rng.normal())
    if form == "long":
        points *= [4.0, 1.0, 0.3]
    whole = hull_of(points)[1]
    body, volume = hull_of(points, MOST_CORNERS)
    assert len(body) < 2 * MOST_CORNERS
    assert beyond(body, points).max() <= 1e-5 * float(np.ptp(points))
    assert whole <= volume * (1 + 1e-6)
    assert volume <= 1.1 * whole


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_the_hull_of_a_rock_is_hardly_more_than_the_rock(seed: int) -> None:
    for asked in ({}, {"triangles": 500}):
        fit = fit_of(make("rock", asked, seed))
        assert fit is not None and fit.volume is not None
        assert fit.cover == 1.0
        assert 1.0 <= fit.volume < 1.15


POOR_HULLS = {"mooring-bollard": 1.15, "stone-baluster": 1.15, "gritstone-tor": 1.2}


@pytest.mark.parametrize("name", POOR_HULLS)
def test_pieces_stand_in_where_a_hull_fills_much_more(name: str) -> None:
    p = preset(name)
    one = fit_of(make(p.kind, {**p.parameters, "game": {"collider": "convex"}}, p.seed))
    close = fit_of(make(p.kind, p.parameters, p.seed))
    assert one is not None and close is not None and one.volume and close.volume
    assert one.bodies == 1 and one.volume > POOR
    assert 2 <= close.bodies <= 6 and close.cover > 0.99
    assert close.volume < POOR_HULLS[name] and close.volume < 0.95 * one.volume


@pytest.mark.parametrize("name", ["field-boulder", "gate-post"])
def test_a_hull_that_fits_is_left_alone(name: str) -> None:
    p = preset(name)
    found = fit_of(make(p.kind, p.parameters, p.seed))
    assert found is not None and found.bodies == 1 and found.volume and found.volume < POOR


@pytest.mark.parametrize("name", [p.name for p in all_presets() if p.kind == "building"])
def test_a_house_is_held_from_its_walls_to_its_ridge(name: str) -> None:
    p = preset(name)
    found = fit_of(make(p.kind, p.parameters, p.seed))
    assert found is not None and found.cover > 0.85
