"""Ground classes: shares that add up, in their order, under what is painted and the surfaces of paths; made by squares."""

from __future__ import annotations

import copy
import io
from pathlib import Path
from typing import Any

import numpy as np
import orjson
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from plough.core.bake.bundle import bake
from plough.core.cache import Cache
from plough.core.errors import ParameterError
from plough.core.formats.glb_read import read_json
from plough.core.ground import HeightField, TerrainParameters, TriangleSurface, make_terrain
from plough.core.ground.classes import CLASSES, GroundClass, Laid, Painted, as_shares
from plough.core.ground.paths import Strip, path_curve
from plough.core.ground.splat import (
    TEXELS,
    shares_at,
    shares_of_mesh,
    splat_maps,
    splat_squares,
    square_side,
)
from plough.core.layers.ground import GroundParameters
from plough.core.library.library import Library
from plough.core.mesh.value import Mesh, Part
from plough.core.parameters import build
from plough.core.scene import Evaluator, read_document
from plough.core.scene.facets import Ground
from plough.core.scene.senses import covered
from plough.core.tiles import combine
from tests.conftest import SMALL
from tests.core.test_bake import validate
from tests.depth import examples

FIELD = make_terrain(TerrainParameters(size=256, resolution=2, relief=40, feature=40, seed=3))
X, Z = np.random.default_rng(4).uniform(-127, 127, (2, 8_000))
AT = FIELD.sample(X, Z)
ROAD = path_curve([(-100.0, 10.0), (0.0, 30.0), (100.0, -20.0)], 6.0)


def stroke(paint: str, **values: Any) -> Painted:
    line = ((-40.0, -20.0), (10.0, 5.0))
    return Painted(**{"id": "s", "paint": paint, "radius": 15, "points": line, **values})


def cover(
    classes: Any = CLASSES, painted: Any = (), laid: Any = (), field: HeightField = FIELD
) -> Any:
    ground = Ground(surface=field, water=0.0, laid=laid, traced={"road": ROAD})
    return covered(ground, classes, painted, Library()).cover


strokes = st.builds(
    stroke,
    st.sampled_from([c.key for c in CLASSES] + ["", "gone"]),
    radius=st.floats(0.5, 90),
    strength=st.floats(0.01, 1),
    falloff=st.floats(0, 1),
    points=st.lists(st.tuples(*[st.floats(-150, 150)] * 2), min_size=1, max_size=4).map(tuple),
)


@settings(max_examples=examples(30), deadline=None)
@given(st.lists(strokes, max_size=5), st.booleans())
def test_shares_add_up_to_one_whatever_is_painted(painted: Any, paths: bool) -> None:
    found = cover(painted=painted, laid=(Laid(Strip.even(ROAD.line, 3.0), "stone"),)).weights(
        AT, paths
    )
    assert found.min() >= 0
    assert found.sum(axis=1) == pytest.approx(1, abs=1e-5)
    shares = as_shares(found)
    assert (shares.sum(axis=1) == 255).all()
    assert np.abs(shares / 255 - found).max() < 2.5 / 255


def test_each_class_lies_over_those_before_it() -> None:
    where = {"id": "c", "of": "noise", "between": (50, 100), "fade": 0, "width": 10}
    a = build(GroundClass, {"key": "a", "name": "A"})
    b = build(GroundClass, {"key": "b", "name": "B", "conditions": [where]})
    c = build(GroundClass, {"key": "c", "name": "C", "conditions": [where]})
    first = cover([a, b, c]).weights(AT)
    second = cover([a, c, b]).weights(AT)
    assert first[:, 1].max() == 0 and 0.3 < first[:, 2].mean() < 0.7
    assert (second == first).all()
    # by brush only, it lies nowhere yet
    brushed = c.model_copy(update={"lies": "by-brush"})
    assert cover([a, b, brushed]).weights(AT)[:, 2].max() == 0
    # the first lies everywhere else, whatever its conditions
    assert cover([b]).weights(AT).min() == 1


def test_paint_covers_the_rules_and_wiping_brings_them_back() -> None:
    ruled, sand = cover().weights(AT), cover().row("sand")
    painted = cover(painted=[stroke("sand")]).weights(AT)
    away = np.full(len(X), np.inf)
    for t in np.linspace(0, 1, 400):
        away = np.minimum(away, np.hypot(X + 40 - 50 * t, Z + 20 - 25 * t))
    assert (painted[away > 15.1] == ruled[away > 15.1]).all()
    assert painted[away < 5, sand].min() > 0.99
    wiped = cover(painted=[stroke("sand"), stroke("", falloff=0, radius=40)]).weights(AT)
    assert wiped == pytest.approx(ruled, abs=1e-6)
    over = cover(painted=[stroke("sand"), stroke("mud")]).weights(AT)
    assert over[away < 5, cover().row("mud")].min() > 0.99
    # a class that is gone leaves no trace
    assert (cover(painted=[stroke("gone")]).weights(AT) == ruled).all()


def test_a_path_lays_its_surface_over_all_and_is_a_class_where_none_looks_like_it() -> None:
    made = cover(painted=[stroke("sand")], laid=(Laid(Strip.even(ROAD.line, 3.0), "stone"),))
    assert made.classes[-1].look == "stone"
    on = FIELD.sample(*ROAD.line[5:-5].T)
    assert made.weights(on)[:, -1].min() > 0.999
    assert made.weights(on, paths=False)[:, -1].max() == 0
    gravel = cover(laid=(Laid(Strip.even(ROAD.line, 3.0), "gravel"),))
    assert len(gravel.classes) == len(CLASSES)
    assert gravel.weights(on)[:, gravel.row("gravel")].min() > 0.999


CHANGES = {
    "a stroke": {"painted": [stroke("sand", points=((80.0, 80.0),))]},
    "a stroke elsewhere": {"painted": [stroke("sand", points=((-90.0, 40.0),))]},
    "another class": {"painted": [stroke("mud", points=((80.0, 80.0),))]},
    "a path": {"laid": (Laid(Strip.even(ROAD.line, 3.0), "gravel"),)},
    "another surface": {"laid": (Laid(Strip.even(ROAD.line, 3.0), "soil"),)},
    "wider": {"laid": (Laid(Strip.even(ROAD.line, 6.0), "gravel"),)},
    "other rules": {"classes": CLASSES[:3]},
    "another order": {"classes": (CLASSES[0], CLASSES[2], CLASSES[1], *CLASSES[3:])},
}


@pytest.mark.parametrize("one", sorted(CHANGES))
@pytest.mark.parametrize("other", sorted(CHANGES))
def test_no_share_changes_in_a_tile_whose_hash_does_not(one: str, other: str) -> None:
    tiles = FIELD.tiles()
    a, b = cover(**CHANGES[one]), cover(**CHANGES[other])
    same = (a.seen(tiles) == b.seen(tiles)).all(axis=1)
    if [c.key for c in a.classes] != [c.key for c in b.classes]:
        assert a.key != b.key
        return
    row = {tuple(t): k for k, t in enumerate(tiles.tolist())}
    own = np.array([row[int(x // 64), int(z // 64)] for x, z in zip(X, Z, strict=True)])
    changed = np.unique(own[(a.weights(AT) != b.weights(AT)).any(axis=1)])
    assert not same[changed].any()
    if one.startswith("a stroke") and other.startswith("a stroke"):
        assert same.sum() >= 8  # the tiles far from both


def test_squares_hold_what_lies_at_their_texels_and_only_those_that_see_a_change_are_made_anew() -> (
    None
):
    cache = Cache()
    before = cover(painted=[stroke("sand")])
    squares = splat_squares(before, FIELD, cache)
    side = square_side(FIELD)
    assert len(squares) == (FIELD.size / side) ** 2
    for s in squares[::5]:
        at = (np.arange(TEXELS) + 0.5) * side / TEXELS
        x, z = (a.ravel() for a in np.meshgrid(s.x * side + at, s.z * side + at))
        assert (s.data == shares_at(before, FIELD, x, z, False).reshape(s.data.shape)).all()
    made = cache.misses
    again = splat_squares(cover(painted=[stroke("sand")]), FIELD, cache)
    assert cache.misses == made and [s.hash for s in again] == [s.hash for s in squares]
    dab = stroke("mud", id="t", radius=5, points=((100.0, 100.0),))
    after = cover(painted=[stroke("sand"), dab])
    changed = splat_squares(after, FIELD, cache)
    assert cache.misses == made + 1
    fresh = splat_squares(after, FIELD, Cache())
    assert [s.hash for s in fresh] == [s.hash for s in changed]
    assert sum(a.hash != b.hash for a, b in zip(squares, changed, strict=True)) == 1


def test_splat_maps_lie_north_up_over_the_whole_ground_with_paths_in_them() -> None:
    made = cover(laid=(Laid(Strip.even(ROAD.line, 3.0), "gravel"),))
    maps = splat_maps(made, FIELD, 128)
    assert maps.shape == (2, 128, 128, 4)
    assert (maps.sum(axis=(0, 3), dtype=int) == 255).all()
    at = (np.arange(128) + 0.5) * 2 - 128
    x, z = (a.ravel() for a in np.meshgrid(at, at))
    wanted = as_shares(made.weights(FIELD.sample(x, z))).reshape(128, 128, -1)
    row = made.row("gravel")
    assert (maps[row // 4, ..., row % 4] == wanted[..., row]).all()
    r, c = (np.array([30.0, 0.0]) + 128).astype(int) // 2  # south and east of a knot of the road
    assert maps[row // 4, r, c, row % 4] > 200


def test_a_scene_knows_the_classes_of_its_ground_and_what_changes_them() -> None:
    document = copy.deepcopy(SMALL)
    evaluator = Evaluator()
    plain = evaluator.evaluate(read_document(document)).ground
    assert [c.key for c in plain.cover.classes][: len(CLASSES)] == [c.key for c in CLASSES]
    document["layers"][0]["parameters"]["painted"] = [
        stroke("sand", points=((50.0, 50.0),), radius=5).model_dump()
    ]
    painted = evaluator.evaluate(read_document(document)).ground
    assert painted.key != plain.key and painted.surface.key == plain.surface.key
    tiles = plain.surface.tiles()
    same = combine(plain.cover.seen(tiles)) == combine(painted.cover.seen(tiles))
    assert same.any() and not same.all()


def test_a_class_that_is_told_by_a_path_that_is_missing_says_so_on_the_ground() -> None:
    document = copy.deepcopy(SMALL)
    by_path = {"id": "c", "of": "path", "between": [0, 4], "ids": ["drove"]}
    document["layers"][0]["parameters"]["classes"] = [
        {"key": "soil", "name": "Soil"},
        {"key": "mud", "name": "Mud", "look": "mud", "conditions": [by_path]},
    ]
    evaluator = Evaluator()
    found = evaluator.evaluate(read_document(document)).layers[0].output.findings
    assert [f.code for f in found] == ["missing-path"] and "Mud" in found[0].text
    drove = {"id": "drove", "kind": "path", "name": "Drove", "hidden": True}
    document["layers"].insert(1, {**drove, "parameters": {"points": [[-9, 0], [9, 0]]}})
    assert not evaluator.evaluate(read_document(document)).layers[0].output.findings


def test_classes_that_cannot_be_are_refused() -> None:
    def refused(classes: Any) -> str:
        with pytest.raises(ParameterError) as error:
            build(GroundParameters, {"classes": classes})
        return f"{error.value.field} {error.value.message}"

    assert "classes" in refused([])
    twice = [{"key": "a", "name": "A"}, {"key": "a", "name": "B"}]
    assert "more than once" in refused(twice)
    assert "classes" in refused([{"key": f"k{i}", "name": "A"} for i in range(13)])
    assert "name" in refused([{"key": "a", "name": ""}])
    assert "look" in refused([{"key": "a", "name": "A", "look": "lava"}])


def test_splat_maps_and_vertex_colours_are_written_with_the_ground(tmp_path: Path) -> None:
    document = copy.deepcopy(SMALL)
    document["layers"][0]["parameters"]["painted"] = [
        stroke("sand", points=((40.0, 40.0),), radius=12).model_dump()
    ]
    document["layers"][-1]["parameters"] = {"splat": "512"}
    evaluator = Evaluator()
    evaluation = evaluator.evaluate(read_document(document))
    made = bake(evaluation, evaluator.library)
    told = orjson.loads(made.files["splat/classes.json"])
    assert [c["key"] for c in told["classes"]][: len(CLASSES)] == [c.key for c in CLASSES]
    sand = next(c for c in told["classes"] if c["key"] == "sand")
    image = np.asarray(Image.open(io.BytesIO(made.files[f"splat/{sand['image']}"])))
    assert image.shape == (512, 512, 4)
    per = told["metres"] / 512
    r, c = (int((40 - told[side]) / per) for side in ("north", "west"))
    assert image[r, c, "RGBA".index(sand["channel"])] > 250
    assert {"splat/splat-0.png", "splat/splat-1.png"} <= {f["path"] for f in made.manifest["files"]}
    path = tmp_path / "scene.glb"
    path.write_bytes(made.files["scene.glb"])
    issues = validate(path)
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues["messages"][:3]
    json = read_json(made.files["scene.glb"])
    ground = next(n for n in json["nodes"] if n["name"] == "ground")
    assert [x["key"] for x in ground["extras"]["classes"]] == [x["key"] for x in told["classes"]]
    attributes = json["meshes"][ground["mesh"]]["primitives"][0]["attributes"]
    assert {"COLOR_0", "_CLASS_0", "_CLASS_1"} <= set(attributes)
    # without them, none are written, and the rest is as it was
    document["layers"][-1]["parameters"] = {"splat": "none"}
    less = bake(evaluator.evaluate(read_document(document)), evaluator.library)
    assert not any(p.startswith("splat") for p in less.files)
    assert less.files["scene.glb"] == made.files["scene.glb"]


def test_a_mesh_that_is_the_ground_is_dressed_as_its_faces_lie() -> None:
    cliff = np.array([[0, 0, -8], [0, 0, 8], [0, 16, -8], [0, 16, 8]], np.float32)
    flat = np.array([[-8, 0, -8], [-8, 0, 8], [8, 0, -8], [8, 0, 8]], np.float32)
    faces = np.array([[0, 1, 2], [2, 1, 3]], np.uint32)
    normals = np.repeat(np.array([[1, 0, 0], [0, 1, 0]], np.float32), 4, axis=0)
    mesh = Mesh(
        np.concatenate([cliff, flat]),
        normals,
        np.zeros((8, 2), np.float32),
        np.concatenate([faces, faces + 4]),
        (Part("ground", 0, 4),),
    )
    made = covered(Ground(TriangleSurface(mesh)), CLASSES, (), Library()).cover
    shares = shares_of_mesh(made, mesh, paths=True)
    assert (shares.sum(axis=1, dtype=int) == 255).all() and shares.shape == (8, 8)
    assert (shares[:4, made.row("rock")] == 255).all()
    assert (shares[4:, made.row("grass")] == 255).all()
