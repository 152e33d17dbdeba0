"""Levels of what is laid along lines: far fewer triangles that look alike from where they serve."""

from __future__ import annotations

import copy
import json
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from plough.core.bake.bundle import bake
from plough.core.cache import Cache
from plough.core.formats.glb_read import read_json
from plough.core.library import Library
from plough.core.library.library import SCREEN_COVERAGE
from plough.core.mesh.picture import draw_picture, frame_of
from plough.core.mesh.silhouette import difference, silhouettes
from plough.core.mesh.value import Mesh
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.facets import Solid
from plough.core.scene.weight import weigh_layer
from tests.conftest import SMALL

LAYERS: dict[str, dict[str, Any]] = {
    "courses": {"kind": "wall"},
    "rubble": {"kind": "wall", "bond": "rubble", "coping": "none", "batter": 6},
    "ruin": {"kind": "wall", "ruin": 50, "coping": "none"},
    "corners": {"kind": "wall", "bends": "sharp"},
    "bricks": {"kind": "bricks", "joints": "mortar"},
    "fence": {"kind": "fence"},
}
LIBRARY = Library()
SHARES = (1.0, 0.36, 0.2)  # of the triangles that a level may have


def scene(kind: str, **own: Any) -> Any:
    """Hills with something along a line that a path crosses."""
    document = copy.deepcopy(SMALL)
    document["layers"] = [x for x in document["layers"] if x["kind"] in ("ground", "bake")]
    way = {"points": [[4, -20], [4, 20]], "width": 1.6}
    line = {"points": [[-9, 0], [1, 2], [9, -1]], **own}
    document["layers"][1:1] = [
        {"id": "way", "kind": "path", "name": "Way", "parameters": way},
        {"id": "laid", "kind": kind, "name": "Laid", "parameters": line},
    ]
    return document


def run(name: str) -> Evaluation:
    return Evaluator().evaluate(read_document(scene(**LAYERS[name])))


def solids(found: Evaluation) -> list[Solid]:
    return [s for s in found.layer("laid").output.solids if s.coarser]


def areas(mesh: Mesh) -> Any:
    corners = mesh.positions[mesh.indices].astype(float)
    return 0.5 * np.linalg.norm(
        np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
    )


@pytest.mark.parametrize("name", LAYERS)
def test_each_level_is_lighter_and_lies_within_the_nearest(name: str) -> None:
    found = solids(run(name))
    assert found
    cache = Cache()
    for solid in found:
        near = solid.mesh
        low, high = near.bounds()
        for d in range(1, 1 + len(solid.coarser)):
            mesh = solid.level(d, cache)
            assert mesh.triangles <= SHARES[d] * near.triangles
            assert (mesh.positions >= low - 0.03).all() and (mesh.positions <= high + 0.03).all()
            assert np.isfinite(mesh.normals).all() and np.isfinite(mesh.uv0).all()
            assert np.allclose(np.linalg.norm(mesh.normals, axis=1), 1, atol=1e-4)
            assert {p.material for p in mesh.parts} <= set(solid.materials)
            # what is seen looks out: faces are turned as their normals are
            corners = mesh.positions[mesh.indices].astype(float)
            flat = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
            large = areas(mesh) > 1e-5
            assert (np.einsum("ij,ij->i", flat, mesh.normals[mesh.indices[:, 0]])[large] > 0).all()


def toned(mesh: Mesh, solid: Solid, albedo: dict[str, Any], frame: Any) -> Any:
    """The mean colour of what is seen of it in a lit picture."""
    drawn = draw_picture(mesh, solid.materials, albedo, frame, (320, 200)).astype(float)
    rest = drawn[0, 0]
    seen = np.abs(drawn - rest).max(axis=2) > 24
    return drawn[seen].mean(axis=0)


@pytest.mark.parametrize("name", LAYERS)
def test_each_level_looks_as_the_nearest_does_from_where_it_serves(name: str) -> None:
    cache = Cache()
    for solid in solids(run(name)):
        low, high = solid.mesh.bounds()
        foot = np.float32([0.5 * (low[0] + high[0]), low[1], 0.5 * (low[2] + high[2])])

        def stood(mesh: Mesh, foot: Any = foot) -> Mesh:
            return replace(mesh, positions=mesh.positions - foot)

        albedo = {slot: LIBRARY.small_albedo(m) for slot, m in solid.materials.items()}
        near = stood(solid.mesh)
        frame = frame_of([near], 1.6)
        seen = silhouettes(near, solid.materials, albedo, near)
        for d in range(1, 1 + len(solid.coarser)):
            mesh = stood(solid.level(d, cache))
            assert difference(silhouettes(mesh, solid.materials, albedo, near), seen) < 0.03
            told = [toned(m, solid, albedo, frame) for m in (near, mesh)]
            assert np.abs(told[1] / told[0] - 1).max() < 0.1


def test_levels_are_made_when_they_are_asked_for_and_once() -> None:
    made: list[int] = []
    solid = solids(run("courses"))[0]

    def counted(d: int, make: Any) -> Any:
        def own() -> Mesh:
            made.append(d)
            mesh: Mesh = make()
            return mesh

        return own

    solid = replace(solid, coarser=tuple(counted(d, m) for d, m in enumerate(solid.coarser, 1)))
    cache = Cache()
    assert not made
    assert solid.level(0, cache) is solid.mesh and not made
    first, again = (solid.level(2, cache) for _ in range(2))
    assert first is again and made == [2]
    other = next(s for s in solids(run("courses")) if s.name == solid.name).level(2, Cache())
    assert other.positions.tobytes() == first.positions.tobytes()


def test_what_is_farther_away_weighs_less() -> None:
    output, library = run("courses").layer("laid").output, Library()
    weights = [weigh_layer(output, library, (0.0, 2.0, away)) for away in (4.0, 25.0, 90.0)]
    triangles = [w.triangles for w in weights]
    assert triangles == sorted(triangles, reverse=True) and triangles[2] < 0.25 * triangles[0]
    assert len({w.triangles_near for w in weights}) == 1
    assert weights[0].triangles_near == sum(s.mesh.triangles for s in output.solids)
    solid = max(output.solids, key=lambda s: len(s.coarser))
    assert list(solid.switch_distances) == sorted(solid.switch_distances)
    assert len(solid.switch_distances) == len(solid.coarser)


def test_a_bake_holds_every_level() -> None:
    evaluation = run("courses")
    files = bake(evaluation, Library()).files
    document = read_json(files["scene.glb"])
    nodes = document["nodes"]
    count = {m["name"]: m for m in document["meshes"]}
    found = 0
    for solid in evaluation.layer("laid").output.solids:
        node = next(n for n in nodes if n["name"] == f"laid {solid.name}")
        if not solid.coarser:
            assert "MSFT_lod" not in node.get("extensions", {})
            continue
        lower = [nodes[k] for k in node["extensions"]["MSFT_lod"]["ids"]]
        assert node["extras"]["MSFT_screencoverage"] == [*SCREEN_COVERAGE[: len(lower)], 0.0]
        sizes = []
        for n in (node, *lower):
            mesh = document["meshes"][n["mesh"]]
            assert count[mesh["name"]] is mesh
            sizes.append(
                sum(document["accessors"][p["indices"]]["count"] for p in mesh["primitives"]) // 3
            )
        cache = Cache()
        assert sizes == [solid.level(d, cache).triangles for d in range(len(sizes))]
        found += 1
    assert found >= 2
    told = json.loads(files["manifest.json"])["counts"]["triangles"]
    assert told >= sum(s.mesh.triangles for s in evaluation.layer("laid").output.solids)
