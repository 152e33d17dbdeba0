"""The picture on a scene's card: what stands in the scene, where it stands."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plough.core.arrays import UInt8
from plough.core.library import Library
from plough.core.mesh.material import Material
from plough.core.mesh.picture import Frame, draw_picture
from plough.core.mesh.tone import print_light
from plough.core.mesh.value import Mesh, Part
from plough.core.place.placements import Placements
from plough.core.scene import Evaluator, picture, read_document
from plough.core.scene.picture import _instances, _turned, draw_scene
from tests.conftest import SMALL
from tests.depth import examples

SIZE = (200, 112)


@pytest.fixture(scope="module")
def library() -> Library:
    return Library()


def drawn(library: Library, **changes: Any) -> UInt8:
    """A small scene, with parameters of layers changed; None hides one."""
    values = json.loads(json.dumps(SMALL))
    for layer in values["layers"]:
        change = changes.get(layer["id"], {})
        if change is None:
            layer["hidden"] = True
        else:
            layer["parameters"] |= change
    return draw_scene(Evaluator(library).evaluate(read_document(values)), library, SIZE)


def differing(a: UInt8, b: UInt8) -> float:
    return float((np.abs(a.astype(int) - b).max(axis=2) > 24).mean())


def test_what_stands_in_a_scene_is_seen_and_what_is_hidden_is_not(library: Library) -> None:
    whole = drawn(library)
    assert whole.shape == (SIZE[1], SIZE[0], 3)
    bare = drawn(library, willows=None, sedges=None)
    few = drawn(library, willows={"fill": 10})
    assert differing(whole, bare) > differing(whole, few) > 0.002
    assert differing(bare, drawn(library, willows=None, sedges=None)) == 0, "the same picture twice"
    # trees are darker than the meadow they stand on
    assert whole.mean() < bare.mean()


def test_water_is_blue_and_paths_are_seen(library: Library) -> None:
    def blue(image: UInt8) -> float:
        return float((image[..., 2].astype(int) > image[..., 0].astype(int) + 12).mean())

    dry, wet = drawn(library), drawn(library, ground={"water": True, "water_level": 1.0})
    assert blue(dry) < 0.002
    assert blue(wet) > 0.02
    assert differing(dry, drawn(library, dyke=None)) > 0.001


@settings(max_examples=examples(25), deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(1, 7))
def test_instances_stand_turned_and_sized_where_they_are_placed(seed: int, n: int) -> None:
    draw = np.random.default_rng(seed)
    mesh = Mesh(
        draw.normal(size=(6, 3)).astype(np.float32),
        np.tile(np.float32([0, 1, 0]), (6, 1)),
        np.zeros((6, 2), np.float32),
        np.array([[0, 1, 2], [3, 4, 5]], np.uint32),
        (Part("a", 0, 1), Part("b", 1, 1)),
    )
    turns = Rotation.random(n, random_state=seed % 2**31)
    placed = Placements(
        ids=np.arange(n, dtype=np.uint64),
        variant=np.zeros(n, np.uint32),
        position=draw.normal(size=(n, 3)).astype(np.float32) * 50,
        rotation=turns.as_quat().astype(np.float32),
        scale=draw.uniform(0.5, 2, size=(n, 3)).astype(np.float32),
    )
    rows = np.nonzero(draw.random(n) < 0.7)[0]
    made = _instances(mesh, placed, rows)
    expected = [turns[k].apply(mesh.positions * placed.scale[k]) + placed.position[k] for k in rows]
    assert made.triangles == 2 * len(rows)
    if not len(rows):
        return
    assert np.allclose(made.positions, np.concatenate(expected), atol=1e-3)
    assert [(p.material, p.count) for p in made.parts] == [("a", len(rows)), ("b", len(rows))]
    # each part's triangles are those of its own, of one instance after the other
    for part, first in zip(made.parts, (0, 3), strict=True):
        corners = made.indices[part.first : part.first + part.count]
        assert (corners == 6 * np.arange(len(rows))[:, None] + [first, first + 1, first + 2]).all()


def test_a_crowd_is_drawn_in_part(library: Library, monkeypatch: pytest.MonkeyPatch) -> None:
    """However much stands in a scene, its picture takes so many triangles and no more."""
    seen: list[int] = []
    real = picture.draw_picture

    def counted(mesh: Mesh, *rest: Any) -> UInt8:
        seen.append(mesh.triangles)
        return real(mesh, *rest)

    monkeypatch.setattr(picture, "draw_picture", counted)
    whole = drawn(library)
    monkeypatch.setattr(picture, "_MOST", 400)
    part = drawn(library)
    ground = 2 * 256 * 256
    assert seen[1] < seen[0]
    assert seen[1] <= ground + 2 * 400 + 2000, "two layers that bear, and a path"
    assert differing(whole, part) > 0.001


def test_a_turn_keeps_lengths_and_handedness() -> None:
    turn = Rotation.from_euler("y", 90, degrees=True).as_quat()[None].astype(np.float32)
    vectors = np.eye(3, dtype=np.float32)[None]
    found = _turned(turn, vectors)[0]
    assert np.allclose(found, [[0, 0, -1], [0, 1, 0], [1, 0, 0]], atol=1e-6)


def test_the_floor_lies_where_the_frame_says() -> None:
    """A floor above what is drawn hides it; one below catches its shadow."""
    side = np.float32([[-1, 0, -1], [1, 0, -1], [1, 0, 1], [-1, 0, 1]])
    mesh = Mesh(
        side,
        np.tile(np.float32([0, 1, 0]), (4, 1)),
        np.zeros((4, 2), np.float32),
        np.array([[0, 2, 1], [0, 3, 2]], np.uint32),
        (Part("x", 0, 2),),
    )
    materials, albedo = {"x": Material("x")}, {"x": np.array([[[230, 0, 0, 255]]], np.uint8)}

    def red(floor: float) -> float:
        frame = Frame(0.0, 0.0, 3.0, pitch=0.8, floor=floor)
        image = draw_picture(mesh, materials, albedo, frame, (64, 64)).astype(int)
        return float((image[..., 0] > image[..., 1] + 40).mean())

    assert red(-0.5) > 0.05
    assert red(0.5) == 0


@given(st.floats(0, 60))
def test_grey_stays_grey_and_more_light_is_lighter(value: float) -> None:
    toned = np.array(print_light(value, value, value))
    assert np.ptp(toned) < 0.004
    assert (np.array(print_light(*[value * 1.2 + 0.01] * 3)) >= toned - 1e-6).all()
    assert toned.min() >= 0 and toned.max() <= 1


def test_strong_colours_bleach_and_darkness_is_dark() -> None:
    """A film's curve: what is much too bright turns towards white, without a change of hue before."""
    dim, bright = print_light(0.3, 0.02, 0.02), print_light(60.0, 4.0, 4.0)
    assert dim[0] - dim[1] > 0.3
    assert bright[1] > 0.6
    assert max(print_light(0.0, 0.0, 0.0)) < 0.01


def box(low: tuple[float, float, float], high: tuple[float, float, float]) -> Mesh:
    made = trimesh.creation.box(bounds=[low, high])
    made.unmerge_vertices()
    return Mesh(
        np.asarray(made.vertices, np.float32),
        np.asarray(made.vertex_normals, np.float32),
        np.zeros((len(made.vertices), 2), np.float32),
        np.asarray(made.faces, np.uint32),
        (Part("x", 0, len(made.faces)),),
    )


def test_light_comes_from_the_sun_and_from_all_the_sky() -> None:
    materials, albedo = {"x": Material("x")}, {"x": np.full((1, 1, 4), 200, np.uint8)}
    frame = Frame(0.0, 1.0, 3.0, pitch=0.3)
    size = (96, 72)

    def picture_of(mesh: Mesh) -> Any:
        return draw_picture(mesh, materials, albedo, frame, size).astype(int)

    roof = box((-1.5, 1.4, -1.5), (1.5, 1.5, 1.5))
    empty = picture_of(box((-0.1, 9.0, -0.1), (0.1, 9.1, 0.1)))[50:]
    under = np.quantile(picture_of(roof)[50:].mean(axis=2), 0.02)
    assert under < 0.75 * empty.mean(), "under a roof it is darker"
    assert under > 0.3 * empty.mean(), "but the sky comes in from the side"
    top = picture_of(roof)[26:30, 34:50]
    assert top.mean() > 1.4 * under, "what nothing stands over does not lie in its own shadow"
    # what the sun does not reach is lit by the blue of the sky
    cube = picture_of(box((-1, 0, -1), (1, 2, 1)))
    solid = np.abs(cube - cube[0, 0]).max(axis=2) > 12
    blue = cube[..., 2] - cube[..., 0]
    light = cube.mean(axis=2)
    dark_side = solid & (light < np.quantile(light[solid], 0.15))
    sunny = solid & (light > np.quantile(light[solid], 0.85))
    assert blue[dark_side].mean() > blue[sunny].mean() + 2
    assert light[dark_side].mean() > 25
