"""Colliders measured against what they stand for."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
import trimesh

from plough.core.bake.fit import fit_of, surface_points
from plough.core.collider import Capsule, Collider
from plough.core.kinds import Product, all_kinds
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh, Part
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
