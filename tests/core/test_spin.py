"""What spins along a path: told to the view, animated in the bake, and otherwise as it was."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation, Slerp

from plough.core.bake.bundle import Baker, bake
from plough.core.errors import ParameterError, TooLargeError
from plough.core.formats.glb_read import read_json
from plough.core.library import Library
from plough.core.scene import Evaluator, read_document
from tests.core.test_along import scene
from tests.core.test_bake import validate

EVALUATOR = Evaluator()


def evaluated(instancing: bool = False, **values: Any) -> Any:
    document = scene(**values)
    document["layers"] = [
        x for x in document["layers"] if x["id"] in ("ground", "dyke", "posts", "bake")
    ]
    document["layers"][-1]["parameters"] = {"instancing": instancing, "levels": True}
    return EVALUATOR.evaluate(read_document(document))


def floats(data: bytes, gltf: Any, accessor: int) -> Any:
    told = gltf["accessors"][accessor]
    view = gltf["bufferViews"][told["bufferView"]]
    start = 12 + 8 + int.from_bytes(data[12:16], "little") + 8 + view["byteOffset"]
    wide = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}[told["type"]]
    return np.frombuffer(data, "<f4", told["count"] * wide, start).reshape(-1, wide)


def test_a_spin_leaves_all_where_it_is_and_is_another_result() -> None:
    still, turning = evaluated(), evaluated(spin=40, spin_front=-10)
    a, b = (e.layer("posts").output.placements for e in (still, turning))
    assert a.whole().to_bytes() == b.whole().to_bytes()
    assert (a.spin, b.spin) == ((0, 0, 0), (0, 40, -10))
    assert a.key != b.key
    with pytest.raises(ParameterError, match=r"spin_sides.*1440"):
        evaluated(spin_sides=2000)


@pytest.mark.parametrize("spin", [(0, 90, 0), (0, -36, 0), (30, 20, -60)])
def test_plain_nodes_are_animated_by_whole_turns_about_their_own_axes(
    spin: tuple[int, int, int], tmp_path: Path
) -> None:
    named = dict(zip(("spin_sides", "spin", "spin_front"), spin, strict=True))
    evaluation = evaluated(**named)
    placed = evaluation.layer("posts").output.placements.whole()
    data = bake(evaluation, Library()).files["scene.glb"]
    path = tmp_path / "scene.glb"
    path.write_bytes(data)
    assert [i for i in validate(path)["messages"] if i["severity"] < 2] == []
    gltf = read_json(data)
    (animation,) = gltf["animations"]
    (sampler,) = animation["samplers"]
    times = floats(data, gltf, sampler["input"])[:, 0].astype(float)
    turns = Rotation.from_quat(floats(data, gltf, sampler["output"]))
    speed = np.radians(spin)
    assert times[0] == 0 and times[-1] == pytest.approx(2 * np.pi / np.linalg.norm(speed))
    # between the keys, as players interpolate, it is turned as far as time has passed
    between = np.linspace(0, times[-1], 37)
    expected = Rotation.from_rotvec(between[:, None] * speed)
    assert (Slerp(times, turns)(between).inv() * expected).magnitude().max() < 1e-3
    # each turning node is under one that stands as the placement does
    targets = [c["target"]["node"] for c in animation["channels"]]
    assert len(targets) == len(set(targets)) == placed.count
    assert {c["target"]["path"] for c in animation["channels"]} == {"rotation"}
    parents = {n: k for k, node in enumerate(gltf["nodes"]) for n in node.get("children", ())}
    places = np.array([gltf["nodes"][parents[t]]["translation"] for t in targets])
    assert np.abs(places[:, [0, 2]] - placed.position[:, [0, 2]]).max() < 1e-4
    for target in targets:
        drawn = [gltf["nodes"][k] for k in gltf["nodes"][target]["children"]]
        assert any("mesh" in node for node in drawn)
        assert not any("translation" in node or "rotation" in node for node in drawn)
        assert drawn[0]["extras"]["spin"] == list(spin)


def test_instances_have_it_in_their_extras_and_what_does_not_spin_has_none() -> None:
    gltf = read_json(bake(evaluated(True, spin=45), Library()).files["scene.glb"])
    assert "animations" not in gltf
    spun = [n["extras"]["spin"] for n in gltf["nodes"] if "spin" in n.get("extras", {})]
    assert spun == [[0, 45, 0]]
    plain = read_json(bake(evaluated(), Library()).files["scene.glb"])
    assert "animations" not in plain and not any("spin" in n["name"] for n in plain["nodes"])


def test_nodes_that_turn_are_counted_before_the_work() -> None:
    many = {"spacing": 0.1, "cluster": 4, "radius": 0.1}
    next(Baker(evaluated(**many), Library()).run())  # 40,000 nodes may be
    with pytest.raises(TooLargeError, match=r"59,808 plain nodes"):
        next(Baker(evaluated(**many, spin=5), Library()).run())
