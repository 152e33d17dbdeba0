"""Foundations: closed, down into the lowest ground under every plan, and only where a footing does not reach it."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest
import trimesh
from scipy.spatial.transform import Rotation
from shapely import Polygon

from plough.core.library import Library
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.facets import Solid
from tests.conftest import SMALL

LIBRARY = Library()
EVALUATOR = Evaluator(LIBRARY)
PLANS: dict[str, dict[str, Any]] = {
    "long": {"deep": 0.3},
    "ell": {"body": "ell", "deep": 0.1, "kit": "flint"},
    "court": {"body": "court", "long": 18, "wide": 16, "wing": 4.5, "deep": 0.4},
}
HOUSES = [(-40, -30, 15), (-20, 25, 100), (5, -10, 205), (30, 30, 290), (45, -35, 0)]


def document(plan: str, relief: float = 30, **first: Any) -> Any:
    """Steep hills and houses set down on them."""
    found = copy.deepcopy(SMALL)
    ground = next(x for x in found["layers"] if x["kind"] == "ground")
    ground["parameters"] |= {"relief": relief, "feature": 50}
    found["assets"] = [
        {"id": "h", "name": "H", "kind": "building", "parameters": PLANS[plan], "seeds": [1]}
    ]
    placed = [
        {"id": f"p{k}", "asset": "h", "seed": 1, "at": [x, z], "turn": turn, "size": 1 + 0.1 * k}
        for k, (x, z, turn) in enumerate(HOUSES)
    ]
    placed[0] |= first
    hand = {"mix": [{"asset": "h"}], "placed": placed}
    layer = {"id": "houses", "kind": "by_hand", "name": "Houses", "parameters": hand}
    found["layers"] = [ground, layer, found["layers"][-1]]
    return found


def run(plan: str, **own: Any) -> Evaluation:
    return EVALUATOR.evaluate(read_document(document(plan, **own)))


def bodies(solids: tuple[Solid, ...]) -> list[trimesh.Trimesh]:
    found = []
    for s in solids:
        whole = trimesh.Trimesh(s.mesh.positions, s.mesh.indices.astype(int), process=False)
        whole.merge_vertices(merge_tex=True, merge_norm=True)
        found += list(whole.split(only_watertight=False))
    return found


@pytest.mark.parametrize("plan", PLANS)
def test_they_are_closed_and_reach_the_lowest_ground_under_every_plan(plan: str) -> None:
    found = run(plan)
    output = found.layer("houses").output
    made = bodies(output.solids)
    assert len(made) == len(HOUSES)
    assert output.placements is not None
    whole = output.placements.whole()
    for body in made:
        assert body.is_watertight and body.volume > 0
        # into the lowest ground beneath its border, and no farther than a little
        share = np.linspace(0, 1, 40)[:, None, None]
        ends = body.vertices[body.edges_unique]
        x, y, z = (ends[:, 0] + share * (ends[:, 1] - ends[:, 0])).reshape(-1, 3).T
        ground = found.surface.sample(x.copy(), z.copy()).position[:, 1]
        assert ground.min() - 0.4 < y.min() < ground.min()
        # it goes on where a footing ends: right below the walls of its house
        middle = body.bounds.mean(axis=0)[[0, 2]]
        k = int(np.argmin(np.hypot(*(whole.position[:, [0, 2]] - middle).T)))
        base = LIBRARY.level(output.placements.variants[0], 0).base
        assert base is not None
        top = whole.position[k, 1] - base.deep * whole.scale[k, 1]
        assert y.max() == pytest.approx(top, abs=1e-3)
    # all about each house no air is under it, footing or foundation: between its plan and the ground
    triangles = np.concatenate([b.triangles for b in made])
    base = LIBRARY.level(output.placements.variants[0], 0).base
    assert base is not None
    inside = Polygon(base.outline).buffer(-0.05)
    for k in range(whole.count):
        turn = Rotation.from_quat(whole.rotation[k])
        ring = np.array(inside.exterior.segmentize(0.4).coords) * float(whole.scale[k, 0])
        at = turn.apply(np.column_stack([ring[:, 0], 0 * ring[:, 0], -ring[:, 1]]))
        at += whole.position[k]
        ground = found.surface.sample(at[:, 0].copy(), at[:, 2].copy()).position[:, 1]
        low = at[:, 1] - base.deep * float(whole.scale[k, 1])
        for (x, _, z), g, own in zip(at, ground, low, strict=True):
            if (
                g < own - 1e-3
            ):  # the footing ends in the air: something is under it, down to the ground
                under = triangles[contains_all(triangles, x, z)]
                assert len(under) and under[:, :, 1].min() < g


def contains_all(triangles: Any, x: float, z: float) -> Any:
    """Rows of triangles that lie over or under a place."""
    flat = triangles[:, :, [0, 2]]
    sides = []
    for e in range(3):
        a, b = flat[:, e], flat[:, (e + 1) % 3]
        sides.append((b[:, 0] - a[:, 0]) * (z - a[:, 1]) - (b[:, 1] - a[:, 1]) * (x - a[:, 0]))
    s = np.array(sides)
    return ((s > 1e-9).all(axis=0) | (s < -1e-9).all(axis=0)).nonzero()[0]


def test_there_is_none_on_level_ground_nor_under_what_leans() -> None:
    assert not run("long", relief=0).layer("houses").output.solids
    leaning = run("long", up=[0.3, 0.1]).layer("houses").output
    assert len(bodies(leaning.solids)) == len(HOUSES) - 1
    lifted = (
        run("long", lift=40).layer("houses").output
    )  # on purpose: nothing reaches down from there
    assert len(bodies(lifted.solids)) == len(HOUSES) - 1


def test_only_the_house_that_moves_gets_another() -> None:
    def told(**own: Any) -> set[bytes]:
        made = bodies(run("ell", **own).layer("houses").output.solids)
        return {np.round(np.asarray(b.vertices), 5).tobytes() for b in made}

    before, after = told(), told(at=[-44, -26])
    assert len(before - after) == 1 and len(after - before) == 1


def test_a_mirrored_house_has_its_own_outline_over() -> None:
    found = document("ell")
    found["layers"][1]["parameters"]["placed"][2]["mirrored"] = True
    output = EVALUATOR.evaluate(read_document(found)).layer("houses").output
    made = bodies(output.solids)
    assert len(made) == len(HOUSES)
    assert all(b.is_watertight and b.volume > 0 for b in made)
    plain = bodies(run("ell").layer("houses").output.solids)
    assert {round(b.volume, 2) for b in made} != {round(b.volume, 2) for b in plain}
