"""Mass: as another library has it, for bodies of all shapes; and told with what a bake writes."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.bake.bundle import bake
from plough.core.kinds import make
from plough.core.library.library import Library
from plough.core.mesh.mass import mass_of
from plough.core.presets import all_presets
from plough.core.scene import Evaluator, read_document
from tests.conftest import SMALL
from tests.depth import examples

SOLID = [p for p in all_presets() if p.kind in ("rock", "vessel")]


def other(points: Any, density: float) -> Any:
    hull = trimesh.convex.convex_hull(np.asarray(points, float))
    hull.density = density
    return hull


def test_a_block_weighs_what_it_should() -> None:
    block = np.array([[x, y, z] for x in (0, 2) for y in (0, 1) for z in (0, 0.5)])
    found = mass_of([block], 1000)
    assert found.mass == pytest.approx(1000)
    assert found.centre == pytest.approx([1, 0.5, 0.25])
    want = 1000 / 12 * np.diag([1 + 0.25, 4 + 0.25, 4 + 1])
    assert np.abs(found.inertia - want).max() < 1e-6


@settings(max_examples=examples(60), deadline=None, derandomize=True)
@given(st.lists(st.tuples(*[st.integers(-40, 40)] * 3), min_size=8, max_size=30, unique=True))
def test_any_body_is_as_another_library_has_it(corners: list[Any]) -> None:
    points = np.array(corners, float) / 10
    if np.linalg.matrix_rank(points - points[0]) < 3:
        return
    found, want = mass_of([points], 700), other(points, 700)
    assert found.mass == pytest.approx(want.mass, rel=1e-6)
    assert np.abs(found.centre - want.center_mass).max() < 1e-6
    scale = np.abs(want.moment_inertia).max()
    assert np.abs(found.inertia - want.moment_inertia).max() < 1e-6 * scale


def test_pieces_add_up() -> None:
    left = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], float)
    both = mass_of([left, left + np.array([1.0, 0.0, 0.0])], 500)
    whole = mass_of([np.array([[x, y, z] for x in (0, 2) for y in (0, 1) for z in (0, 1)])], 500)
    assert both.mass == pytest.approx(whole.mass)
    assert np.abs(both.inertia - whole.inertia).max() < 1e-9


def test_what_has_no_volume_has_no_mass() -> None:
    with pytest.raises(ValueError, match="no volume"):
        mass_of([], 1000)


@pytest.mark.parametrize("preset", SOLID, ids=lambda p: p.name)
def test_every_solid_preset_tells_a_body_that_can_be(preset: Any) -> None:
    product = make(preset.kind, preset.parameters, preset.seed, 0)
    found = mass_of(product.collider.pieces, product.game.density)
    each = [other(piece, product.game.density) for piece in product.collider.pieces]
    assert found.mass == pytest.approx(sum(m.mass for m in each), rel=1e-4)
    turns = np.linalg.eigvalsh(found.inertia)
    assert turns.min() > 0 and turns[2] <= turns[0] + turns[1] + 1e-9, "as of a real body"
    low, high = product.mesh.positions.min(axis=0), product.mesh.positions.max(axis=0)
    assert (low < found.centre).all() and (found.centre < high).all()


def test_a_bake_tells_the_bodies_of_what_is_solid_and_of_nothing_else() -> None:
    document = copy.deepcopy(SMALL)
    document["assets"].append(
        {"id": "stone", "name": "Stone", "kind": "rock", "seeds": [3], "parameters": {}}
    )
    placed = [{"id": "a", "asset": "stone", "seed": 3, "at": [0, 0]}]
    parameters = {"mix": [{"asset": "stone"}], "placed": placed}
    layer = {"id": "hand", "kind": "by_hand", "name": "Hand", "parameters": parameters}
    document["layers"].insert(-1, layer)
    library = Library()
    told = bake(Evaluator(library).evaluate(read_document(document)), library).manifest["assets"]
    with_body = {a["asset"]: a["body"] for a in told if "body" in a}
    assert set(with_body) == {"stone"} and len(told) > 1
    product = make("rock", {}, 3, 0)
    want = mass_of(product.collider.pieces, product.game.density)
    assert with_body["stone"]["mass"] == pytest.approx(want.mass, rel=1e-4)
    assert np.array(with_body["stone"]["inertia"]).shape == (3, 3)
    assert with_body["stone"]["centre"] == pytest.approx(want.centre.tolist(), rel=1e-3, abs=1e-5)
