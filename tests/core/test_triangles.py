"""Ground made of triangles: overhangs and arches, the same rules as on heights, tiles that see what they touch."""

from __future__ import annotations

import copy
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from plough.core.bake.bundle import bake
from plough.core.bake.ground_file import ground_file, heights_of
from plough.core.formats.glb_read import read_glb, read_json
from plough.core.formats.model import PLAIN, Model, Piece, pack
from plough.core.ground import HeightField, TerrainParameters, TriangleSurface, make_terrain
from plough.core.ground.surface import Surface
from plough.core.hashing import digest
from plough.core.layers.ground import GroundParameters
from plough.core.library import Library
from plough.core.mesh.value import Mesh, Part
from plough.core.place.placements import Placements
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.picture import draw_scene
from tests.conftest import SMALL
from tests.core.test_bake import validate
from tests.depth import examples


def surface_of(body: trimesh.Trimesh) -> TriangleSurface:
    n, m = len(body.vertices), len(body.faces)
    return TriangleSurface(
        Mesh(
            body.vertices.astype(np.float32),
            body.vertex_normals.astype(np.float32),
            np.zeros((n, 2), np.float32),
            body.faces.astype(np.uint32),
            (Part("rock", 0, m),),
        )
    )


def sheet(field: HeightField, spacing: float) -> trimesh.Trimesh:
    """The bilinear surface of a height field, in triangles so small that they lie on it."""
    n = round(field.size / spacing) + 1
    g = np.linspace(-field.size / 2, field.size / 2, n)
    x, z = (v.ravel() for v in np.meshgrid(g, g))
    at = np.arange(n * n).reshape(n, n)
    quads = np.stack([at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]], -1).reshape(-1, 4)
    faces = quads[:, [[0, 1, 2], [0, 2, 3]]].reshape(-1, 3)
    return trimesh.Trimesh(np.stack([x, field.height(x, z), z], 1), faces, process=False)


def packed(body: trimesh.Trimesh) -> bytes:
    points, faces = body.vertices.astype(np.float32), body.faces.astype(np.uint32)
    return pack(Model("glb", (Piece("land", 0, points, faces),), (PLAIN,)))


def placed(evaluation: Evaluation, layer: str) -> Placements:
    found = evaluation.layer(layer).output.placements
    assert found is not None
    return found.whole()


RING = trimesh.creation.torus(20.0, 4.0, major_sections=48, minor_sections=20)  # about z
ARCH = trimesh.Trimesh(RING.vertices[:, [1, 2, 0]], RING.faces, process=False)  # lying, about y
HILLS = make_terrain(TerrainParameters(size=128, resolution=4, relief=8, feature=60))


def test_places_and_slopes_are_those_of_the_heights_that_it_shows() -> None:
    rng = np.random.default_rng(3)
    x, z = rng.uniform(-63.9, 63.9, (2, 4000))
    there, own = HILLS.sample(x, z), surface_of(sheet(HILLS, 0.5)).sample(x, z)
    assert own.hit.all()
    assert np.abs(own.position - there.position).max() < 1e-3
    assert (own.normal * there.normal).sum(axis=1).min() > 0.999
    beyond = surface_of(sheet(HILLS, 4.0)).sample(np.array([70.0, 0.0]), np.array([0.0, -64.2]))
    assert not beyond.hit.any()


@settings(max_examples=examples(30), deadline=None)
@given(st.integers(0, 2**31))
def test_no_ray_slips_between_two_triangles(seed: int) -> None:
    body = sheet(HILLS, 4.0)
    surface = surface_of(body)
    rng = np.random.default_rng(seed)
    inner = np.abs(body.vertices[:, [0, 2]]).max(axis=1) < 63
    corners = body.vertices[inner][rng.integers(0, inner.sum(), 200)]
    a, b = (body.vertices[body.edges_unique[:, k]] for k in (0, 1))
    t = rng.random((len(a), 1))
    on_edges = (a + t * (b - a))[np.abs(a).max(axis=1) < 60][:400]
    for points in (corners, on_edges):
        found = surface.sample(points[:, 0], points[:, 2])
        assert found.hit.all()
        assert np.abs(found.position[:, 1] - points[:, 1]).max() < 1e-3


def test_the_uppermost_is_stood_on_and_rays_meet_what_is_under_it() -> None:
    surface = surface_of(trimesh.util.concatenate([sheet(HILLS, 4.0), ARCH]))
    top = surface.sample(np.array([0.0]), np.array([0.0]))
    ground = float(HILLS.height(np.array([0.0]), np.array([0.0]))[0])
    assert top.position[0, 1] == pytest.approx(ground, abs=0.2)  # through the ring, lying flat
    ring = surface.sample(np.array([20.0]), np.array([0.0]))
    assert ring.position[0, 1] == pytest.approx(4.0, abs=0.05)
    assert ring.normal[0, 1] > 0.99
    up = surface.cast(np.array([[20.0, -40.0, 0.0]]), np.array([[0.0, 1.0, 0.0]]))
    assert up.position[0, 1] < 3.0
    side = surface.cast(np.array([[60.0, 0.5, 0.0]]), np.array([[-1.0, 0.0, 0.0]]))
    assert side.distance[0] == pytest.approx(36.0, abs=0.1)
    assert side.normal[0, 0] > 0.98
    none = surface.cast(np.array([[0.0, 90.0, 0.0]]), np.array([[0.0, 1.0, 0.0]]))
    assert np.isinf(none.distance[0])


def test_rays_meet_what_is_nearest_of_all_triangles() -> None:
    surface = surface_of(ARCH)
    rng = np.random.default_rng(7)
    origin = rng.normal(size=(300, 3))
    origin *= 60 / np.linalg.norm(origin, axis=1, keepdims=True)
    way = rng.uniform(-22, 22, (300, 3)) * (1, 0.2, 1) - origin
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    found = surface.cast(origin, way)
    a, b, c = (ARCH.vertices[ARCH.faces[:, k]] for k in range(3))
    right = np.full(300, np.inf)
    for k in range(300):  # as volumes of tetrahedra: on one side of all three edges
        ends = origin[k], origin[k] + 200 * way[k]
        signs = np.stack(
            [
                np.einsum(
                    "ij,ij->i", np.cross(p - ends[0], q - ends[0]), np.tile(way[k], (len(a), 1))
                )
                for p, q in ((a, b), (b, c), (c, a))
            ]
        )
        within = (signs > 0).all(axis=0) | (signs < 0).all(axis=0)
        normal = np.cross(b - a, c - a)
        reach = np.einsum("ij,ij->i", normal, a - ends[0]) / (normal @ way[k])
        reach = reach[within & (reach > 0)]
        right[k] = reach.min(initial=np.inf)
    met = np.isfinite(right)
    assert 60 < met.sum() < 290
    assert np.array_equal(met, np.isfinite(found.distance))
    assert np.abs(found.distance[met] - right[met]).max() < 1e-4


def test_tiles_see_the_triangles_that_they_touch_and_no_others() -> None:
    body = sheet(make_terrain(TerrainParameters(size=512, resolution=8)), 8.0)
    surface = surface_of(body)
    tiles = surface.tiles()
    before = surface.tile_hashes(tiles)
    order = np.random.default_rng(1).permutation(len(body.faces))
    rolled = np.roll(body.faces[order], 1, axis=1)
    other = copy.copy(surface.mesh)
    other = Mesh(other.positions, other.normals, other.uv0, rolled.astype(np.uint32), other.parts)
    assert np.array_equal(TriangleSurface(other).tile_hashes(tiles), before)
    flipped = Mesh(
        other.positions, other.normals, other.uv0, rolled[:, ::-1].astype(np.uint32), other.parts
    )
    assert (TriangleSurface(flipped).tile_hashes(tiles) != before).any(axis=1).all()
    moved = body.copy()
    near = np.argmin(np.linalg.norm(moved.vertices[:, [0, 2]] - (40.0, 40.0), axis=1))
    moved.vertices[near, 1] += 0.001
    positions = moved.vertices.astype(np.float32)
    lifted = Mesh(positions, surface.mesh.normals, other.uv0, surface.mesh.indices, other.parts)
    changed = (TriangleSurface(lifted).tile_hashes(tiles) != before).any(axis=1)
    assert [tuple(t) for t in tiles[changed]] == [(0, 0)]
    far = np.array([[900, 900], [-50, 3]])
    assert not surface.tile_hashes(far).any()


def scene(ground: dict[str, Any], body: trimesh.Trimesh) -> Evaluation:
    document = copy.deepcopy(SMALL)
    data = packed(body)
    if ground.get("made_from") == "mesh":
        ground = {"mesh": digest(data), "dressed": "classes", **ground}
    document["layers"][0]["parameters"] = ground
    return Evaluator(Library(load=lambda _: data)).evaluate(read_document(document))


def test_rules_on_the_height_fields_own_mesh_place_the_same() -> None:
    noise = {"size": 128, "resolution": 4, "relief": 8, "feature": 60}
    heights = scene(noise, ARCH)
    field = heights.surface
    assert isinstance(field, HeightField)
    triangles = scene({"made_from": "mesh"}, sheet(field, 0.5))
    for layer in ("willows", "sedges"):
        a, b = placed(heights, layer), placed(triangles, layer)
        both = np.intersect1d(a.ids, b.ids)
        assert len(both) >= 0.995 * max(a.count, b.count) and a.count > 20
        rows = [np.searchsorted(x.ids, both, sorter=np.argsort(x.ids)) for x in (a, b)]
        at = [x.position[np.argsort(x.ids)][r] for x, r in zip((a, b), rows, strict=True)]
        assert np.abs(at[0] - at[1]).max() < 1e-3


def test_a_scene_on_a_mesh_is_baked_drawn_and_written(tmp_path: Path) -> None:
    body = trimesh.util.concatenate([sheet(HILLS, 4.0), ARCH])
    evaluation = scene({"made_from": "mesh", "water": True, "water_level": -2}, body)
    assert not [f for layer in evaluation.layers for f in layer.output.findings]
    surface: Surface = evaluation.surface
    library = Library(load=lambda _: packed(body))
    made = bake(evaluation, library)
    path = tmp_path / "scene.glb"
    path.write_bytes(made.files["scene.glb"])
    issues = validate(path)
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"][:3]
    told = read_json(made.files["scene.glb"])
    ground = next(n for n in told["nodes"] if n["name"] == "ground")
    faces = told["meshes"][ground["mesh"]]["primitives"][0]["indices"]
    assert told["accessors"][faces]["count"] == 3 * surface.triangles
    for layer in ("willows", "sedges"):
        at = placed(evaluation, layer).position.astype(np.float64)
        miss = surface.sample(at[:, 0], at[:, 2]).position[:, 1] - at[:, 1]
        assert miss.min() > -1e-3 and miss.max() < 0.5, (
            "it stands on the mesh, sunk as the rule says"
        )
    whole = read_glb(ground_file(evaluation.ground, "glb")[0], 100_000)
    assert whole.triangles == surface.triangles
    heights, spacing = heights_of(surface)
    assert spacing * (len(heights) - 1) == pytest.approx(128)
    x = np.linspace(-64, 64, len(heights))
    assert heights[len(heights) // 2, np.argmin(np.abs(x - 20))] == pytest.approx(4.0, abs=0.3)
    picture = draw_scene(evaluation, library, (120, 90))
    assert len(np.unique(picture.reshape(-1, 3), axis=0)) > 200


def test_a_wall_and_a_speck_can_be_ground_too() -> None:
    wall = trimesh.Trimesh(
        [[0, 0, 0], [9, 0, 0], [9, 8, 0], [0, 8, 0]], [[0, 1, 2], [0, 2, 3]], process=False
    )
    for body in (wall, trimesh.creation.box((1e-3, 1e-3, 1e-3))):
        evaluation = scene({"made_from": "mesh"}, body)
        heights, spacing = heights_of(evaluation.surface)
        assert np.isfinite(heights).all() and spacing > 0
        assert ground_file(evaluation.ground, "png")[0].startswith(b"\x89PNG")
        tiles = np.array([[0, 0], [3, 3]])
        assert evaluation.surface.tile_hashes(tiles).shape == (2, 2)
        picture = draw_scene(evaluation, Library(load=lambda _, b=body: packed(b)), (60, 50))
        assert picture.shape == (50, 60, 3)


def test_unit_axis_and_middle_are_put_right() -> None:
    body = RING.copy()
    body.apply_translation([300, 500, 70])
    surface = scene({"made_from": "mesh", "unit": "cm", "times": 200, "up": "z"}, body).surface
    low, high = surface.own.mesh.bounds()  # type: ignore[union-attr]
    assert np.allclose(high - low, np.array([48, 8, 48]) * 2, atol=0.6)
    assert np.allclose((low + high)[[0, 2]], 0, atol=1e-3)
    apart = scene({"made_from": "mesh", "centred": False, "size": 64}, body).surface
    low, high = apart.own.mesh.bounds()  # type: ignore[union-attr]
    assert np.allclose((low + high) / 2, [300, 500, 70], atol=0.5)
    assert GroundParameters(made_from="mesh").mesh == ""
    assert not apart.own.materials  # type: ignore[union-attr]
    worn = scene({"made_from": "mesh", "dressed": "own"}, body).surface
    assert [m.name for m in worn.own.materials.values()] == ["plain"]  # type: ignore[union-attr]
    lost = scene({"made_from": "mesh", "mesh": ""}, body)
    assert lost.layers[0].output.findings[0].code == "missing-file"
    assert isinstance(lost.surface, HeightField)
