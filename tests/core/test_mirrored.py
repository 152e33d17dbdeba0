"""Some of a layer mirrored, and some of an asset's seeds alone: nothing else of it changes."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest

from plough.core.bake.bundle import bake
from plough.core.demo import demo_file, demo_meshes
from plough.core.formats.glb_read import read_json
from plough.core.hashing import digest
from plough.core.kinds import Product, all_kinds, get_kind
from plough.core.library import Library
from plough.core.library.variants import variant_of
from plough.core.mesh.value import Mesh
from plough.core.mirror import mirrored, mirrored_mesh
from plough.core.place.placements import Placements
from plough.core.presets import all_presets
from plough.core.scene import Evaluator, read_document
from tests.conftest import SMALL
from tests.models import NEEDS

EVALUATOR = Evaluator()
LIBRARY = Library(load=demo_file)
OVER = np.array([-1.0, 1.0, 1.0])
FIRST = {p.kind: (p.parameters, p.seed) for p in reversed(all_presets())}
FIRST["mesh"] = ({"source": digest(demo_meshes()["drift-stone"])}, 1)
FIRST |= {kind: (NEEDS[kind], 1) for kind in ("fused", "group", "heap")}


def levels(kind: str) -> tuple[list[Product], list[Product]]:
    parameters, seed = FIRST[kind]
    if "game" in get_kind(kind).parameters.model_fields:
        parameters = {**parameters, "game": {"lamp": {"lumens": 300, "right": 0.4}}}
    own = variant_of("it", "It", kind, parameters, seed, {})
    return LIBRARY.levels(own), LIBRARY.levels(own.mirrored())


def faces(mesh: Mesh) -> np.ndarray:
    corners = mesh.positions[mesh.indices].astype(float)
    return np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])


def test_every_kind_is_tried() -> None:
    assert FIRST.keys() == all_kinds().keys()


@pytest.mark.parametrize("kind", sorted(FIRST))
def test_a_mirrored_variant_is_its_own_with_left_and_right_exchanged(kind: str) -> None:
    for own, other in zip(*levels(kind), strict=True):
        assert np.array_equal(other.mesh.positions, own.mesh.positions * np.float32([-1, 1, 1]))
        # it shows its outside where it did, and its normal maps light it as they did
        assert np.allclose(faces(other.mesh), faces(own.mesh) * OVER, atol=1e-6)
        assert np.array_equal(other.mesh.normals, own.mesh.normals * np.float32([-1, 1, 1]))
        if own.mesh.tangents is not None:
            assert other.mesh.tangents is not None

            def across(m: Mesh) -> np.ndarray:
                t: Any = m.tangents
                return np.cross(m.normals, t[:, :3]) * t[:, 3:]

            assert np.allclose(across(other.mesh), across(own.mesh) * OVER, atol=1e-6)
        assert other.materials == own.materials and other.mesh.parts == own.mesh.parts
        for body, was in zip(other.collider.capsules, own.collider.capsules, strict=True):
            assert body.start == (-was.start[0], *was.start[1:]) and body.radius == was.radius
            assert body.end == (-was.end[0], *was.end[1:])
        assert [x.position[0] for x in other.lamps] == [-x.position[0] for x in own.lamps]
        assert kind == "leaf" or own.lamps[0].position[0] == 0.4
        back = mirrored(other)
        assert np.array_equal(back.mesh.indices, own.mesh.indices)
        assert np.array_equal(back.mesh.positions, own.mesh.positions)
        assert back.lamps == own.lamps and back.collider.capsules == own.collider.capsules


def test_normals_of_a_mirrored_mesh_look_out() -> None:
    mesh = levels("tree")[0][0].mesh
    own, other = mesh, mirrored_mesh(mesh)

    def outward(m: Mesh) -> float:
        normal = m.normals[m.indices].mean(axis=1)
        return float(((faces(m) * normal).sum(axis=1) > 0).mean())

    assert outward(other) == pytest.approx(outward(own)) and outward(own) > 0.9


KINDS: dict[str, dict[str, Any]] = {
    "scatter": {"spacing": 3, "grounded": True},
    "along": {"paths": ["dyke"], "spacing": 1, "apart": "crowns", "grounded": True},
    "surfaces": {"on": ["willows"], "spacing": 1.5},
    "air": {
        "points": [[0, 0]],
        "count": 300,
        "dropped": True,
        "apart": 0.3,
        "wide": 40,
        "deep": 40,
    },
}


def run(kind: str, mix: Any = None, **values: Any) -> tuple[Placements, tuple[Any, ...], Any]:
    document = copy.deepcopy(SMALL)
    for asset in document["assets"]:
        asset["seeds"] = [3, 5, 8]
    mix = mix or [{"asset": "willow", "weight": 1, "spacing": 1}, {"asset": "sedge", "weight": 2}]
    parameters = {**KINDS[kind], "mix": mix, **values}
    layer = {"id": "it", "kind": kind, "name": "It", "parameters": parameters}
    document["layers"].insert(-1, layer)
    evaluation = EVALUATOR.evaluate(read_document(document))
    found = evaluation.layer("it").output.placements
    assert found is not None
    return found.whole(), found.variants, evaluation


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_a_share_is_mirrored_and_all_else_stays_bit_for_bit(kind: str) -> None:
    plain, variants, _ = run(kind)
    before = np.zeros(plain.count, bool)
    assert plain.count > 60 and len(variants) == 6
    for share in (10, 45, 100):
        some, doubled, _ = run(kind, mirrored=share)
        for name in ("ids", "position", "rotation", "scale"):
            assert getattr(some, name).tobytes() == getattr(plain, name).tobytes()
        over = some.variant >= 6
        assert np.array_equal(some.variant % 6, plain.variant)
        assert over[before].all(), "a higher share keeps what was mirrored"
        spread = 4 * np.sqrt(share / 100 * (1 - share / 100) / plain.count) + 1e-9
        assert abs(over.mean() - share / 100) < spread
        before = over
        assert all(a.mirrored() == b for a, b in zip(doubled[:6], doubled[6:], strict=True))


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_some_of_its_seeds_stand_and_those_that_had_them_keep_them(kind: str) -> None:
    plain, variants, _ = run(kind)
    mix = [
        {"asset": "willow", "weight": 1, "spacing": 1, "seeds": [8, 3]},
        {"asset": "sedge", "weight": 2},
    ]
    some, fewer, _ = run(kind, mix)
    assert [v.label for v in fewer] == [v.label for v in variants if v.label != "willow-5"]
    was = {int(i): variants[v].label for i, v in zip(plain.ids, plain.variant, strict=True)}
    now = {int(i): fewer[v].label for i, v in zip(some.ids, some.variant, strict=True)}
    assert "willow-5" in was.values() and "willow-5" not in now.values()
    both = was.keys() & now.keys()
    assert len(both) > 50 and all(now[i] == was[i] for i in both if was[i] != "willow-5")
    # crowns of other seeds are wider or narrower, else nobody moves
    assert kind in ("along", "surfaces") or was.keys() == now.keys()


def test_a_seed_that_the_asset_lost_is_told_and_another_never_stands_for_it() -> None:
    gone, variants, evaluation = run("air", [{"asset": "willow", "weight": 1, "seeds": [4]}])
    assert gone.count == 0 and not variants
    found = [f for f in evaluation.layer("it").output.findings if f.code == "missing-seed"]
    assert len(found) == 1 and "4" in found[0].text


def test_a_bake_tells_mirrored_ones_apart_everywhere() -> None:
    placed, _, evaluation = run("air", mirrored=50)
    result = bake(evaluation, Library())
    nodes = read_json(result.files["scene.glb"])["nodes"]
    own = [n for n in nodes if n["name"].startswith("it-willow-3")]
    assert {n["name"] for n in own} >= {"it-willow-3", "it-willow-3-mirrored"}
    extras = {n["name"]: n["extras"].get("mirrored") for n in own if "extras" in n}
    assert extras["it-willow-3"] is None and extras["it-willow-3-mirrored"] is True
    assert "levels/willow-3-mirrored-0.glb" in result.files
    table = result.files["placements.csv"].decode()
    lines = [line for line in table.splitlines() if ",it," in line]
    assert len(lines) == placed.count
    mirrored_lines = sum("-mirrored," in line for line in lines)
    assert mirrored_lines == int((placed.variant >= 6).sum()) > 0
    facts = [a for a in result.manifest["assets"] if a.get("mirrored")]
    assert {a["seed"] for a in facts} == {3, 5, 8}
