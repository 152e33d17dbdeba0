"""Sheets of maps: meshes that stand for finer ones, against what is known of the finer, and against another library's tangents."""

from __future__ import annotations

import json
import subprocess
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from plough.core.library import Library
from plough.core.library.variants import Variant, variant_of
from plough.core.mesh.baked import BakeRule, bake_maps
from plough.core.mesh.charts import MOST_AT_ONCE, unwrapped
from plough.core.mesh.material import Maps, Material
from plough.core.mesh.sheet import SLOT, SheetRule, cut_for, make_sheet, reduced
from plough.core.mesh.tangents import mikk_tangents
from plough.core.mesh.value import Mesh, Part, mesh_key
from plough.core.vectors import unit
from tests.flat import areas, painted_twice

WEB = Path(__file__).parents[2] / "web"
LIBRARY = Library()


def smooth(body: trimesh.Trimesh) -> Mesh:
    """A mesh of another library's body, its normals smooth."""
    return Mesh(
        np.asarray(body.vertices, np.float32),
        np.asarray(body.vertex_normals, np.float32),
        np.zeros((len(body.vertices), 2), np.float32),
        np.asarray(body.faces, np.uint32),
        (Part("skin", 0, len(body.faces)),),
    )


def ball(times: int) -> Mesh:
    return smooth(trimesh.creation.icosphere(times))


def plain(color: tuple[int, int, int] = (255, 255, 255)) -> Maps:
    """Images of one colour without relief."""
    return Maps(
        np.full((1, 1, 4), (*color, 255), np.uint8),
        np.full((1, 1, 3), (128, 128, 255), np.uint8),
        np.full((1, 1, 3), (255, 255, 0), np.uint8),
    )


SKIN, IMAGES = {"skin": Material("skin")}, {"skin": plain()}


def asked(kind: str, parameters: dict[str, object], **sheet: object) -> Variant:
    game = {"sheet": {"size": "512", "rays": 0, **sheet}}
    return variant_of("a", "A", kind, {**parameters, "game": game}, 3, {})


KINDS = {
    "rock": {"triangles": 6000, "cracks": 2},
    "vessel": {},
    "building": {},
}


@pytest.mark.parametrize("triangles", [800, 3000])
def test_charts_have_a_place_for_every_triangle(triangles: int) -> None:
    mesh = replace(LIBRARY.level(asked("rock", {"triangles": triangles}), 0).mesh, tangents=None)
    made = unwrapped(mesh, 512)
    assert made.triangles == mesh.triangles
    assert (made.uv0 >= 0).all() and (made.uv0 <= 1).all()
    assert painted_twice(made.uv0, made.indices, 512) == 0
    # the same corners, in the same order
    assert np.array_equal(made.positions[made.indices], mesh.positions[mesh.indices])
    assert mesh_key(made) == mesh_key(unwrapped(mesh, 512))
    # all parts get about as many texels a metre
    p = made.positions[made.indices].astype(float)
    real = 0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    ratio = np.abs(areas(made.uv0[made.indices].astype(float)))[real > 1e-6] / real[real > 1e-6]
    assert np.quantile(ratio, 0.95) < 2.5 * np.quantile(ratio, 0.05)


def test_more_triangles_than_are_cut_at_once_still_have_places_of_their_own() -> None:
    mesh = smooth(trimesh.creation.icosphere(5))  # 20,480 of them
    assert mesh.triangles > MOST_AT_ONCE
    made = unwrapped(mesh, 1024)
    assert made.triangles == mesh.triangles and painted_twice(made.uv0, made.indices, 1024) == 0
    assert (made.uv0 >= 0).all() and (made.uv0 <= 1).all()


def test_fewer_triangles_keep_the_body() -> None:
    fine = ball(5)
    few = reduced(fine, 500)
    assert 400 <= few.triangles <= 520
    body = trimesh.Trimesh(few.positions, few.indices)
    body.merge_vertices()
    assert body.is_watertight and body.volume > 0.96 * 4 / 3 * np.pi
    assert np.abs(np.linalg.norm(few.normals, axis=1) - 1).max() < 1e-5
    assert reduced(few, 10_000).triangles == few.triangles


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("levels", ["all", "last"])
def test_what_is_written_is_lighter_and_looks_like_it(kind: str, levels: str) -> None:
    bare = variant_of("a", "A", kind, KINDS[kind], 3, {})
    variant = asked(kind, KINDS[kind], levels=levels, triangles=600)
    written = [LIBRARY.written(variant, d) for d in range(3)]
    sheet = LIBRARY.sheet(variant, 0 if levels == "all" else 2)
    assert sheet is not None and LIBRARY.sheet(bare, 2) is None
    assert sheet.look.missed < 2e-3
    for d, product in enumerate(written):
        as_grown = LIBRARY.level(bare, d)
        if levels == "last" and d < 2:
            assert mesh_key(product.mesh) == mesh_key(as_grown.mesh)
            continue
        on = [p for p in product.mesh.parts if p.material == SLOT]
        assert sum(p.count for p in on) <= 640
        assert LIBRARY.facts(variant, d).triangles == product.mesh.triangles
        assert set(product.materials) == {p.material for p in product.mesh.parts}
        low, high = as_grown.mesh.bounds()
        own_low, own_high = product.mesh.bounds()
        # the chimney of a house may go
        size = float((high - low).max()) * (2 if kind == "building" else 1)
        assert (
            np.abs(own_low - low).max() < 0.08 * size
            and np.abs(own_high - high).max() < 0.08 * size
        )
    if levels == "all":
        counts = [p.mesh.triangles for p in written]
        assert counts[0] > counts[1] >= counts[2]
        sides = [len(p.materials[SLOT].maps.draw().albedo) for p in written]  # type: ignore[union-attr]
        assert sides == [512, 256, 128]
    if kind == "rock":
        assert sheet.look.turned < 0.75 * sheet.look.plain


def test_its_normals_come_nearer_to_a_ball_than_its_faces_do() -> None:
    fine = ball(5)
    rule = SheetRule(512, 120, 0)
    cut = cut_for(fine, SKIN, None, rule)
    assert cut is not None
    # flat faces: what a map must make up for most
    faces = cut.levels[0]
    corners = faces.positions[faces.indices].astype(float)
    flat = unit(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]))
    hard = replace(
        cut.levels[0],
        positions=np.ascontiguousarray(corners.reshape(-1, 3), np.float32),
        normals=np.repeat(flat, 3, axis=0).astype(np.float32),
        uv0=np.ascontiguousarray(faces.uv0[faces.indices].reshape(-1, 2)),
        indices=np.arange(3 * faces.triangles, dtype=np.uint32).reshape(-1, 3),
        tangents=None,
    )
    made = make_sheet(replace(cut, levels=(mikk_tangents(hard),)), SKIN, IMAGES, rule, 0, "ball")
    assert made.look.plain > 5
    assert made.look.turned < 0.4 * made.look.plain
    assert made.look.missed < 1e-4


def test_shade_lies_in_a_cleft_and_wear_on_an_edge() -> None:
    """A block with a deep groove: its floor sees little sky, its outer edges are worn, its flat sides are neither."""
    block = trimesh.creation.box([2, 1, 2])
    groove = trimesh.creation.box([0.3, 1.2, 3])
    groove.apply_translation([0, 0.3, 0])
    body = trimesh.boolean.difference([block, groove], engine="manifold")
    for _ in range(4):
        body = body.subdivide()
    flat = Mesh(
        np.asarray(body.vertices[body.faces].reshape(-1, 3), np.float32),
        np.repeat(body.face_normals, 3, axis=0).astype(np.float32),
        np.zeros((3 * len(body.faces), 2), np.float32),
        np.arange(3 * len(body.faces), dtype=np.uint32).reshape(-1, 3),
        (Part("skin", 0, len(body.faces)),),
    )
    target = mikk_tangents(unwrapped(flat, 256))
    rule = BakeRule(256, 0.01, 0.01, whole=True, rays=32)
    baked = bake_maps(target, flat, SKIN, IMAGES, rule)
    assert baked.marks is not None
    corners = target.positions[target.indices].astype(float)
    middle = corners.mean(axis=1)
    uv = target.uv0[target.indices].mean(axis=1)
    row, column = (np.floor(uv[:, k] * 256).astype(int) for k in (1, 0))
    sky = baked.maps.surface[row, column, 0] / 255.0
    worn, bend, high = (baked.marks[row, column, k] / 255.0 for k in range(3))
    floor = (np.abs(middle[:, 0]) < 0.12) & (np.abs(middle[:, 1] + 0.3) < 0.01)
    top = (
        (middle[:, 1] > 0.49)
        & (np.abs(np.abs(middle[:, 0]) - 0.57) < 0.15)
        & (np.abs(middle[:, 2]) < 0.6)
    )
    assert floor.sum() > 20 and top.sum() > 20
    # a groove of 0.3 by 0.8: from the middle of its floor a slit is seen, sine of atan(0.15/0.8)
    assert np.median(sky[floor]) == pytest.approx(np.sin(np.arctan(0.15 / 0.8)), abs=0.12)
    assert sky[top].min() > 0.9
    edge = (np.abs(np.abs(middle[:, 0]) - 1) < 0.03) & (middle[:, 1] > 0.47)
    assert np.median(worn[edge]) > 0.3 and np.median(worn[top]) < 0.05
    assert np.abs(bend[top] - 0.5).max() < 0.05 < (bend[edge] - 0.5).max()
    assert np.abs(high - 0.5).max() < 0.05, "it lies on itself"


def test_height_tells_how_far_the_source_lies_off() -> None:
    near = ball(4)
    far = replace(near, positions=1.1 * near.positions)
    target = mikk_tangents(unwrapped(near, 256))
    for source, high in ((far, 0.75), (near, 0.5)):
        baked = bake_maps(target, source, SKIN, IMAGES, BakeRule(256, 0.2, 0.2, whole=True))
        assert baked.marks is not None
        assert np.median(baked.marks[..., 2]) / 255 == pytest.approx(high, abs=0.02)


def test_what_is_cut_out_or_shines_keeps_its_own_material() -> None:
    body, leaf = ball(4), ball(2)
    both = Mesh(
        np.concatenate([body.positions, leaf.positions + np.float32([3, 0, 0])]),
        np.concatenate([body.normals, leaf.normals]),
        np.concatenate([body.uv0, leaf.uv0]),
        np.concatenate([body.indices, leaf.indices + np.uint32(body.vertices)]),
        (Part("skin", 0, body.triangles), Part("leaf", body.triangles, leaf.triangles)),
    )
    images = {**IMAGES, "leaf": plain((0, 255, 0))}
    for other, kept in ((Material("leaf"), False), (Material("leaf", cutout=True), True)):
        materials = {**SKIN, "leaf": other}
        rule = SheetRule(512, 300, 0)
        cut = cut_for(both, materials, None, rule)
        assert cut is not None
        made = make_sheet(cut, materials, images, rule, 0, "both")
        assert ("leaf" in made.materials) is kept
        of = {p.material: p.count for p in made.mesh.parts}
        assert of.get("leaf") == (leaf.triangles if kept else None)
        assert of[SLOT] <= 320
    assert cut_for(leaf, {"skin": Material("skin", cutout=True)}, None, rule) is None


class Stopped(Exception):
    """Somebody did not want it any more."""


def test_it_can_be_stopped() -> None:
    asked_for = 0

    def stop() -> None:
        nonlocal asked_for
        asked_for += 1
        if asked_for > 3:
            raise Stopped

    with pytest.raises(Stopped):
        Library().sheet(asked("rock", KINDS["rock"]), 0, stop)


def test_the_same_sheet_is_made_each_time() -> None:
    variant = asked("rock", {"triangles": 1500}, rays=8)
    one, two = (Library().sheet(variant, 0) for _ in range(2))
    assert one is not None and two is not None
    assert mesh_key(one.mesh) == mesh_key(two.mesh)
    assert np.array_equal(one.marks, two.marks)
    for name in ("albedo", "normal", "surface"):
        images = [getattr(s.materials[SLOT].maps.draw(), name) for s in (one, two)]  # type: ignore[union-attr]
        assert np.array_equal(*images)


_NODE = """
const mikk = require('mikktspace');
const told = JSON.parse(require('node:fs').readFileSync(0, 'utf8'));
const of = (n) => new Float32Array(told[n]);
const out = mikk.generateTangents(of('positions'), of('normals'), of('uv'));
console.log(JSON.stringify(Array.from(out)));
"""


@pytest.mark.parametrize("kind", ["rock", "building"])
def test_tangents_are_those_that_tools_agree_on(kind: str) -> None:
    cut = cut_for(*_made(kind), None, SheetRule(512, 800, 0))
    assert cut is not None
    mesh = cut.levels[0]
    corner = mesh.indices.reshape(-1)
    told = json.dumps(
        {
            "positions": mesh.positions[corner].ravel().tolist(),
            "normals": mesh.normals[corner].ravel().tolist(),
            "uv": mesh.uv0[corner].ravel().tolist(),
        }
    )
    done = subprocess.run(
        ["node", "-e", _NODE], check=False, input=told, capture_output=True, text=True, cwd=WEB
    )
    assert done.returncode == 0, done.stderr
    theirs = np.array(json.loads(done.stdout)).reshape(-1, 4)
    assert mesh.tangents is not None
    ours = mesh.tangents[corner].astype(float)
    off = np.degrees(np.arccos(np.einsum("ij,ij->i", ours[:, :3], theirs[:, :3]).clip(-1, 1)))
    # v runs down here, so that the sign is the other
    assert (ours[:, 3] == -theirs[:, 3]).all()
    assert np.quantile(off, 0.99) < 0.1 and off.mean() < 0.05


def _made(kind: str) -> tuple[Mesh, dict[str, Material]]:
    product = LIBRARY.level(variant_of("a", "A", kind, KINDS[kind], 3, {}), 0)
    return product.mesh, product.materials
