"""A group stands where its members stood, of the same meshes; it is nested, edited, lacks what is not there, and never loops."""

from __future__ import annotations

import copy
from itertools import count
from typing import Any

import numpy as np
import pytest
import trimesh
from scipy.spatial import cKDTree

from plough.core.demo import demo_file
from plough.core.errors import ParameterError
from plough.core.library import Library, resolve, variant_of
from plough.core.library.references import MOST_LENT
from plough.core.place.placements import Placements
from plough.core.scene import Evaluator, read_document
from plough.core.scene.document import Asset
from plough.core.scene.gather import gather
from plough.core.scene.parcel import pack_layers, unpack
from plough.core.scene.trouble import trouble
from plough.service.fields import flatten, nested
from tests.core.test_touches import scene as ruled_by
from tests.core.test_trouble import scene, thing

EVALUATOR = Evaluator(Library(load=demo_file))
MEMBERS = [
    thing("a", at=[40, 40], turn=10),
    thing("b", at=[43, 41], lift=0.6, size=1.3, tall=1.2, turn=250, up=[0.2, -0.15]),
    thing("c", "willow", at=[38, 43], turn=200),
    thing("d", "sedge", at=[41, 38], size=0.8),
]


def run(document: Any) -> Any:
    return EVALUATOR.evaluate(read_document(document))


def corners(document: Any, layer: str = "set") -> Any:
    """(n, 3) every corner of every mesh of a layer, in the scene."""
    placed = run(document).layer(layer).output.placements
    out = [np.empty((0, 3))]
    for k in range(placed.whole().count if placed else 0):
        p: Placements = placed.whole().taken(np.array([k]))
        mesh = EVALUATOR.library.level(placed.variants[p.variant[0]], 0).mesh
        x, y, z, w = p.rotation[0].astype(float)
        axis, at = np.array([x, y, z]), mesh.positions.astype(float) * p.scale[0]
        turned = at + 2 * np.cross(axis, np.cross(axis, at) + w * at)
        out.append(turned + p.position[0])
    return np.concatenate(out)


def apart(a: Any, b: Any) -> float:
    """Metres that a point of either is from the nearest of the other, at most."""
    return float(max(cKDTree(a).query(b)[0].max(), cKDTree(b).query(a)[0].max()))


def ids_of(document: Any, layer: str = "set") -> list[str]:
    return [str(i) for i in run(document).layer(layer).output.placements.whole().ids.tolist()]


def gathered(document: Any, things: list[str], name: str = "stack", layer: str = "set") -> Any:
    """The document with some things of it made a group that stands in their place, as the interface does it."""
    made = gather(EVALUATOR, read_document(document), layer, things)
    out = copy.deepcopy(document)
    out["assets"].append(
        {"id": name, "name": name.title(), "kind": made.kind, "parameters": made.parameters}
    )
    own = next(x for x in out["layers"] if x["id"] == "set")
    own["parameters"]["mix"] = [*own["parameters"]["mix"], {"asset": name}]
    one = {f"placed#{name}": {"asset": name, **made.placed}}
    taken = next(x for x in out["layers"] if x["id"] == layer)
    taken["parameters"] = nested(flatten(taken["parameters"], "p") | flatten(made.layer, "p"), "p")
    own["parameters"] = nested(flatten(own["parameters"], "p") | flatten(one, "p"), "p")
    return out


def test_a_group_stands_where_its_members_stood() -> None:
    document = scene(*MEMBERS)
    before = corners(document)
    group = gathered(document, ids_of(document))
    assert len(ids_of(group)) == 1
    after = corners(group)
    assert len(after) == len(before)
    assert apart(after, before) < 2e-3
    assert trouble(run(group), EVALUATOR.library).findings == ()


def test_only_the_chosen_are_gathered_and_groups_are_nested() -> None:
    document = scene(*MEMBERS)
    before = corners(document)
    inner = gathered(document, ids_of(document)[:2], "inner")
    assert len(ids_of(inner)) == 3
    outer = gathered(inner, ids_of(inner), "outer")
    assert len(ids_of(outer)) == 1
    assert apart(corners(outer), before) < 4e-3


def test_what_a_rule_placed_is_gathered_and_taken_out_of_it() -> None:
    document = ruled_by("scatter")
    by_hand = {"id": "set", "kind": "by_hand", "name": "Set", "parameters": {"mix": []}}
    document["layers"].insert(-1, by_hand)
    ids = ids_of(document, "ruled")[:3]
    before = len(corners(document, "ruled"))
    group = gathered(document, ids, layer="ruled")
    assert set(ids_of(document, "ruled")) - set(ids_of(group, "ruled")) == set(ids)
    assert len(corners(group, "set")) + len(corners(group, "ruled")) == before


def test_a_group_follows_its_assets_and_its_own_numbers() -> None:
    group = gathered(scene(*MEMBERS), ids_of(scene(*MEMBERS)))
    key = lambda: run(group).layer("set").output.placements.variants[-1].key  # noqa: E731
    first, before = key(), corners(group)
    stone = next(a for a in group["assets"] if a["id"] == "stone")
    stone["parameters"] = {**stone["parameters"], "size": 1.5}
    assert key() != first  # an asset of it has been changed on the bench
    assert apart(corners(group), before) > 0.05
    parts = group["assets"][-1]["parameters"]["parts"]
    parts[0]["at"][1] += 1.0
    parts.pop()
    assert key() != first
    assert len(corners(group)) < len(before)


def test_its_bodies_lamps_and_levels_are_those_of_its_parts() -> None:
    document = scene(*MEMBERS)
    stone = next(a for a in document["assets"] if a["id"] == "stone")
    stone["parameters"]["game"] = {"lamp": {"lumens": 400, "height": 0.5}}
    group = gathered(document, ids_of(document))
    placed = run(group).layer("set").output.placements
    product = EVALUATOR.library.level(placed.variants[-1], 0)
    assert len(product.lamps) == 2 and len(product.collider.pieces) == 2
    assert len(product.collider.capsules) > 0
    levels = [EVALUATOR.library.level(placed.variants[-1], d).mesh.triangles for d in range(3)]
    assert levels == sorted(levels, reverse=True) and levels[0] > 2 * levels[2]
    # one of two stones lends its materials to both
    slots = [p.material for p in product.mesh.parts]
    assert len(slots) == len(set(slots)) == len(product.materials)
    for piece in product.collider.pieces:
        assert (piece.min(axis=0) >= product.mesh.positions.min(axis=0) - 0.2).all()
    normals = np.linalg.norm(product.mesh.normals, axis=1)
    assert np.abs(normals - 1).max() < 1e-3


def asset(id: str, *parts: str) -> Asset:
    made = [{"id": f"p{k}", "asset": name} for k, name in enumerate(parts)]
    return Asset(id=id, name=id, kind="group", parameters={"parts": made})


def test_a_group_that_is_a_part_of_itself_is_told_and_ends() -> None:
    assets = {a.id: a for a in (asset("a", "b"), asset("b", "a", "b"), asset("lone", "nobody"))}
    found = resolve(assets["a"], assets, "a")
    assert any("part of itself" in text for text in found.missing)
    assert resolve(assets["lone"], assets, "lone").missing == ("the part 'nobody' is missing",)
    for name, one in assets.items():
        parameters = resolve(one, assets, name).parameters
        product = EVALUATOR.library.level(variant_of(name, name, "group", parameters, 1, {}), 0)
        assert product.mesh.triangles == 1  # nothing is left of it, and nothing breaks


def test_very_many_are_not_made() -> None:
    names = [f"g{k}" for k in range(5)]
    assets = {n: asset(n, *([names[k + 1]] * 20 if k < 4 else ())) for k, n in enumerate(names)}
    found = resolve(assets["g0"], assets, "g0")  # 160,000, if they were
    assert any(f"{MOST_LENT} things at most" in text for text in found.missing)
    assert len(found.lent) <= MOST_LENT


def test_a_part_that_is_not_there_is_told_by_the_layer() -> None:
    group = gathered(scene(*MEMBERS), ids_of(scene(*MEMBERS)))
    whole = len(corners(group))
    group["assets"] = [a for a in group["assets"] if a["id"] != "willow"]
    told = [
        f.text for f in trouble(run(group), EVALUATOR.library).findings if f.code == "missing-asset"
    ]
    assert any("the part 'willow' is missing" in text for text in told)
    assert 0 < len(corners(group)) < whole
    # nor does a file that is missing stop the others
    stone = next(a for a in group["assets"] if a["id"] == "stone")
    stone["parameters"]["source"] = "0" * 40
    assert 0 < len(corners(group)) < whole


def test_it_is_copied_with_its_assets_and_names_them_as_they_come_to_be_called() -> None:
    group = gathered(scene(*MEMBERS), ids_of(scene(*MEMBERS)))
    document = read_document(group)
    parcel = pack_layers(document, ["set"])
    assert {a.id for a in parcel.assets} >= {"stone", "willow", "sedge", "stack"}
    other = read_document({**scene(), "assets": [{"id": "stone", "name": "Other", "kind": "tuft"}]})
    names = (f"new{k}" for k in count())
    put = unpack(other, parcel, lambda: next(names))
    stack = next(a for a in put.assets if a.kind == "group")
    named = {p["asset"] for p in stack.parameters["parts"]}
    assert named <= {a.id for a in put.assets} | {a.id for a in other.assets}
    assert "stone" not in named  # that is the other's


def test_too_many_and_too_far_are_refused() -> None:
    many = scene(*(thing(f"t{k}", "sedge", [k % 10, 20 + k // 10]) for k in range(65)))
    with pytest.raises(ParameterError, match="64 parts at most; 65 are chosen"):
        gather(EVALUATOR, read_document(many), "set", ids_of(many))
    far = scene(thing("a", at=[-60, 30], lift=150), thing("b", at=[60, 30]))
    with pytest.raises(ParameterError, match="100 m about its middle"):
        gather(EVALUATOR, read_document(far), "set", ids_of(far))
    with pytest.raises(ParameterError, match="not there any more"):
        gather(EVALUATOR, read_document(far), "set", ["7"])


def test_what_is_drawn_out_in_a_group_is_lit_as_its_faces_lie() -> None:
    """Normals of a stone three times as tall, against those that another library makes of the triangles."""
    document = scene(thing("a", at=[40, 40], turn=10), thing("b", at=[44, 40], tall=3.0))
    group = gathered(document, ids_of(document))
    placed = run(group).layer("set").output.placements
    mesh = EVALUATOR.library.level(placed.variants[-1], 0).mesh
    whole = trimesh.Trimesh(mesh.positions, mesh.indices, process=False)
    agree = np.einsum("ij,ij->i", whole.vertex_normals, mesh.normals)
    assert np.median(agree) > 0.999 and agree.mean() > 0.985
