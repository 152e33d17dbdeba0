"""The picture on a scene's card: what stands in the scene, where it stands."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plough.core.arrays import UInt8
from plough.core.library import Library
from plough.core.mesh.picture import Frame, draw_picture
from plough.core.mesh.value import Mesh, Part
from plough.core.place.placements import Placements
from plough.core.scene import Evaluator, picture, read_document
from plough.core.scene.picture import _instances, _turned, draw_scene
from tests.conftest import SMALL

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


@settings(max_examples=25, deadline=None)
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
    from plough.core.mesh.material import Material

    materials, albedo = (
        {"x": Material("x", color=(0.8, 0, 0))},
        {"x": np.full((1, 1, 4), 255, "u1")},
    )

    def red(floor: float) -> float:
        frame = Frame(0.0, 0.0, 3.0, pitch=0.8, floor=floor)
        image = draw_picture(mesh, materials, albedo, frame, (64, 64)).astype(int)
        return float((image[..., 0] > image[..., 1] + 40).mean())

    assert red(-0.5) > 0.05
    assert red(0.5) == 0
