"""Second texture coordinates for light maps: nothing overlaps, everything has the same density, and all that is solid has them."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
import trimesh

from plough.core.bake.bundle import Baker
from plough.core.formats.glb_read import read_json
from plough.core.library import Library
from plough.core.mesh.lightmap import MOST_SIDE, with_light
from plough.core.mesh.value import Mesh, Part
from plough.core.scene.document import read_document
from plough.core.scene.evaluation import Evaluator
from tests.conftest import SMALL
from tests.core.test_formats import validate
from tests.flat import areas, painted_twice
from tests.models import make


def solid(body: trimesh.Trimesh) -> Mesh:
    n = len(body.vertices)
    return Mesh(
        np.asarray(body.vertices, np.float32),
        np.asarray(body.vertex_normals, np.float32),
        np.zeros((n, 2), np.float32),
        np.asarray(body.faces, np.uint32),
        (Part("stone", 0, len(body.faces)),),
        colors=np.arange(4 * n, dtype=np.uint8).reshape(n, 4),
    )


BODIES = {
    "ball": lambda: solid(trimesh.creation.icosphere(3, 2.0)),
    "box": lambda: solid(trimesh.creation.box((4, 1, 2))),
    "ring": lambda: solid(trimesh.creation.torus(3, 0.7)),
    "boxes": lambda: solid(
        trimesh.util.concatenate([trimesh.creation.box((1, 1, 1)), trimesh.creation.box((2, 2, 2))])
    ),
    "rock": lambda: make("rock", {"cracks": 3}, 2).mesh,
    "building": lambda: make("building", {}, 2).mesh,
    "vessel": lambda: make("vessel", {}, 2).mesh,
}


@pytest.mark.parametrize("name", BODIES)
def test_each_triangle_has_a_place_of_its_own_at_one_density(name: str) -> None:
    mesh = BODIES[name]()
    made, side = with_light(mesh, 20.0)
    assert made.uv1 is not None and 0 < side <= MOST_SIDE
    assert (made.uv1 >= 0).all() and (made.uv1 <= 1).all()
    assert painted_twice(made.uv1, made.indices, side) == 0
    # the same triangles in the same order, with all that they had
    for channel in ("positions", "normals", "uv0", "colors"):
        was, now = getattr(mesh, channel), getattr(made, channel)
        assert (was is None) == (now is None)
        assert was is None or np.array_equal(was[mesh.indices], now[made.indices])
    p = mesh.positions[mesh.indices].astype(float)
    real = 0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    flat = np.abs(areas(made.uv1[made.indices].astype(float))) * side**2
    assert flat.sum() == pytest.approx(real.sum() * 20.0**2, rel=0.02)
    large = real > 0.02 * real.max()
    density = np.sqrt(flat[large] / real[large])
    assert density.min() > 20 / 1.75 and density.max() < 20 * 1.75


def test_a_denser_map_is_larger_and_none_is_larger_than_the_most() -> None:
    mesh = BODIES["rock"]()
    sides = [with_light(mesh, t)[1] for t in (10.0, 40.0, 200.0)]
    assert sides == sorted(sides) and sides[2] > 8 * sides[0]
    huge = replace(mesh, positions=1000 * mesh.positions)
    made, side = with_light(huge, 200.0)
    assert 0.9 * MOST_SIDE < side <= MOST_SIDE
    assert made.uv1 is not None and made.uv1.max() <= 1
    empty = replace(mesh, indices=np.zeros((0, 3), np.uint32), parts=())
    assert with_light(empty, 8.0) == (empty, 0)


SCENE: dict[str, Any] = {
    **SMALL,
    "assets": [
        *SMALL["assets"],
        {"id": "stone", "name": "Stone", "kind": "rock", "seeds": [1]},
    ],
    "layers": [
        *SMALL["layers"][:-1],
        {
            "id": "stones",
            "kind": "scatter",
            "name": "Stones",
            "parameters": {"mix": [{"asset": "stone"}], "spacing": 20, "seed": 4},
        },
        {
            "id": "yard",
            "kind": "bricks",
            "name": "Yard",
            "parameters": {"points": [[-4, 0], [4, 0]], "courses": 5},
        },
    ],
}


@pytest.mark.parametrize("layout", ["whole", "tiles"])
def test_all_that_is_solid_has_them_and_says_how_large_its_map_is(
    layout: str, tmp_path: Any
) -> None:
    library = Library()

    def baked(light: str) -> dict[str, bytes]:
        own = {"layout": layout, "light": light, "textures": False, "splat": "none"}
        bake = {"id": "bake", "kind": "bake", "name": "Bake", "parameters": own}
        document = read_document({**SCENE, "layers": [*SCENE["layers"], bake]})
        baker = Baker(Evaluator(library).evaluate(document), library)
        for _ in baker.run():
            pass
        return baker.contents

    plain, lit = baked("asset"), baked("solid")
    told = 0
    for path in (p for p in lit if p.endswith(".glb")):
        scene = read_json(lit[path])
        assert "lightMap" not in json.dumps(read_json(plain[path]))
        for node in scene["nodes"]:
            if "lightMap" in node.get("extras", {}):
                told += 1
                assert 0 < node["extras"]["lightMap"]["side"] <= MOST_SIDE
                for primitive in scene["meshes"][node["mesh"]]["primitives"]:
                    assert "TEXCOORD_1" in primitive["attributes"]
    assert told
    manifest = json.loads(lit["manifest.json"])
    sides = {a["asset"]: a.get("lightMap") for a in manifest["assets"]}
    assert sides["stone"]["side"] > 0 and sides["willow"] is None
    validate([data for path, data in lit.items() if path == "scene.glb"], tmp_path)
