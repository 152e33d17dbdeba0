"""Tables and OBJ in other units, axes and origins: the same scene, told otherwise."""

from __future__ import annotations

import io
import json
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from plough.core.bake.bundle import Baker
from plough.core.bake.compare import Table, read_table
from plough.core.bake.frame import Frame
from plough.core.library import Library
from plough.core.scene.document import read_document
from plough.core.scene.evaluation import Evaluator
from tests.conftest import SMALL
from tests.depth import examples

LIBRARY = Library()
Z_UP = np.array([[1, 0, 0], [0, 0, -1], [0, 1, 0]], float)


def baked(**asked: Any) -> dict[str, bytes]:
    values = {**SMALL, "layers": [dict(x) for x in SMALL["layers"]]}
    plain = {"textures": False, "splat": "none", "levels": False, "obj": True}
    values["layers"][-1]["parameters"] = {**plain, **asked}
    baker = Baker(Evaluator(LIBRARY).evaluate(read_document(values)), LIBRARY)
    for _ in baker.run():
        pass
    return baker.contents


def table(files: dict[str, bytes], frame: bool) -> Table:
    (path,) = (p for p in files if p.startswith("placements."))
    told = json.loads(files["manifest.json"])
    return read_table(files[path], path, Frame.told(told) if frame else Frame())


PLAIN = baked()


@pytest.mark.parametrize("form", ["csv", "jsonl", "parquet"])
@pytest.mark.parametrize(
    ("asked", "many", "corner"),
    [
        ({"unit": "cm", "up": "z", "origin": "north-west"}, 100.0, (-64, -64)),
        ({"unit": "mm", "up": "y", "origin": "south-west"}, 1000.0, (-64, 64)),
        ({"unit": "m", "up": "z", "origin": "middle"}, 1.0, (0, 0)),
    ],
)
def test_what_is_written_is_the_scene_in_the_axes_that_are_asked_for(
    asked: dict[str, str], many: float, corner: tuple[float, float], form: str
) -> None:
    files = baked(**asked, table=form)
    own, there = table(PLAIN, frame=False), table(files, frame=False)
    axes = Z_UP if asked["up"] == "z" else np.eye(3)
    at = (own.numbers[:, :3] - np.array([corner[0], 0, corner[1]])) @ axes.T * many
    np.testing.assert_allclose(there.numbers[:, :3], at, atol=2e-5 * many * 64)
    # a rotation turns the same way, seen along the other axes
    one, other = (Rotation.from_quat(t.numbers[:, 3:7]).as_matrix() for t in (own, there))
    np.testing.assert_allclose(other, axes @ one @ axes.T, atol=1e-5)
    np.testing.assert_allclose(there.numbers[:, 7:], own.numbers[:, 7:] @ np.abs(axes).T, atol=1e-6)
    # read with what the manifest tells, it is the scene again
    again = table(files, frame=True)
    assert np.array_equal(again.ids, own.ids)
    np.testing.assert_allclose(again.numbers, own.numbers, atol=2e-4)


def test_a_mesh_as_obj_is_turned_and_sized_and_stays_right_handed() -> None:
    files = baked(unit="cm", up="z", origin="north-west")
    path = next(p for p in files if p.endswith(".obj"))
    plain, turned = (
        trimesh.load(io.BytesIO(f[path]), file_type="obj", force="mesh", process=False)
        for f in (PLAIN, files)
    )
    np.testing.assert_allclose(turned.vertices, 100 * plain.vertices @ Z_UP.T, atol=1e-2)
    np.testing.assert_allclose(turned.face_normals, plain.face_normals @ Z_UP.T, atol=1e-2)


def test_what_says_its_own_axes_keeps_them() -> None:
    files = baked(unit="cm", up="z", origin="north-west")
    assert files["scene.glb"] == PLAIN["scene.glb"]
    assert "frame" not in json.loads(PLAIN["manifest.json"])
    told = json.loads(files["manifest.json"])["frame"]
    assert told == {"unit": "cm", "up": "z", "origin": [-64.0, 0.0, -64.0]}


@given(
    st.sampled_from(["m", "dm", "cm", "mm"]),
    st.sampled_from(["y", "z"]),
    st.tuples(*[st.floats(-4000, 4000)] * 3),
    st.integers(0, 2**32 - 1),
)
@settings(max_examples=examples(100), deadline=None)
def test_the_way_back_is_the_way_there(
    unit: str, up: str, origin: tuple[float, float, float], seed: int
) -> None:
    frame = Frame(unit, up, origin)
    rng = np.random.default_rng(seed)
    at = rng.uniform(-4000, 4000, (20, 3)).astype(np.float32)
    turn = Rotation.random(20, random_state=seed % 2**31).as_quat().astype(np.float32)
    size = rng.uniform(0.1, 4, (20, 3)).astype(np.float32)
    there = np.concatenate([frame.places(at), frame.turns(turn), frame.scales(size)], axis=1)
    back = frame.rows(there)
    np.testing.assert_allclose(back[:, :3], at, atol=2e-3)
    np.testing.assert_allclose(back[:, 3:7], turn, atol=1e-6)
    np.testing.assert_allclose(back[:, 7:], size, atol=1e-6)
