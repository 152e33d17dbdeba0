"""Lamps of assets: the globe, where they stand, and how they are written."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

from plough.core.bake import bundle, instances
from plough.core.bake.bundle import bake
from plough.core.errors import ParameterError, TooLargeError
from plough.core.formats.glb import mesh_glb, no_images
from plough.core.formats.glb_read import read_json
from plough.core.formats.usd import asset_usd
from plough.core.kinds import Product, all_kinds
from plough.core.lamp import SLOT, Lamp, placed_at
from plough.core.library import Library
from plough.core.parameters import linear
from plough.core.scene import Evaluator, read_document
from tests.conftest import SMALL
from tests.core.test_bake import sound
from tests.models import make

LAMP = {
    "lumens": 420,
    "color": "#ffb060",
    "height": 1.4,
    "right": 0.8,
    "front": -0.3,
    "radius": 0.1,
}
CARRIERS = [k for k in all_kinds() if "game" in all_kinds()[k].parameters.model_fields]


def lit(kind: str, detail: int = 0, **lamp: Any) -> Product:
    return make(kind, {"game": {"lamp": {**LAMP, **lamp}}}, 3, detail)


def globe_of(product: Product) -> trimesh.Trimesh:
    part = next(p for p in product.mesh.parts if p.material == SLOT)
    faces = product.mesh.indices[part.first : part.first + part.count]
    return trimesh.Trimesh(product.mesh.positions, faces, process=False)


@pytest.mark.parametrize("kind", CARRIERS)
@pytest.mark.parametrize("detail", [0, 1, 2])
def test_a_lamp_leaves_its_carrier_as_it_was_and_hangs_where_it_is_told(
    kind: str, detail: int
) -> None:
    dark, light = make(kind, {}, 3, detail), lit(kind, detail)
    n, m = dark.mesh.vertices, dark.mesh.triangles
    assert np.array_equal(light.mesh.positions[:n], dark.mesh.positions)
    assert np.array_equal(light.mesh.indices[:m], dark.mesh.indices)
    assert dark.lamps == () and SLOT not in dark.materials
    globe = globe_of(light)
    assert light.ranges["lamp"] == (m, len(globe.faces))
    used = np.unique(globe.faces)
    away = globe.vertices[used] - np.array([0.8, 1.4, -0.3])
    assert np.allclose(np.linalg.norm(away, axis=1), 0.1, atol=1e-6)
    assert np.allclose(light.mesh.normals[used], away / 0.1, atol=1e-4)
    assert globe.submesh([np.arange(len(globe.faces))], append=True).is_watertight
    assert globe.volume > 0.6 * 4 / 3 * math.pi * 0.1**3, "turned inside out, or empty"
    for channel in ("tangents", "colors", "wind"):
        of = [getattr(p.mesh, channel) for p in (dark, light)]
        assert (of[0] is None) == (of[1] is None)
        if of[0] is not None:
            assert np.array_equal(of[1][:n], of[0])


def test_what_a_lamp_sends_is_in_candela_and_its_colour_in_light() -> None:
    (lamp,) = lit("tree").lamps
    assert lamp.position == (0.8, 1.4, -0.3)
    assert lamp.candela * 4 * math.pi == pytest.approx(420)
    tone = np.array(linear("#ffb060"))
    assert np.allclose(lamp.color, tone / tone.max())
    assert lamp.candela / lamp.reach**2 == pytest.approx(0.1), "lux at the end of its reach"
    assert lit("tree", radius=0).lamps[0].radius == 0
    for thin in (0, 1e-45, 0.0099):
        assert SLOT not in lit("tree", radius=thin).materials
    assert lit("tree", lumens=0).lamps == ()


@pytest.mark.parametrize(
    ("field", "value"),
    [("lumens", -1), ("lumens", 2e6), ("height", 200), ("radius", 5), ("color", "warm")],
)
def test_a_lamp_out_of_bounds_is_refused_by_name(field: str, value: object) -> None:
    with pytest.raises(ParameterError, match=field) as refused:
        lit("tree", **{field: value})
    assert refused.value.field.endswith(f"game.lamp.{field}")


def test_a_lamp_that_stands_high_or_wide_counts_for_the_size() -> None:
    product = lit("tuft", height=9.0, right=6.0)
    assert product.height == pytest.approx(9.1)
    assert product.canopy_radius == pytest.approx(math.hypot(6.0, 0.3) + 0.1)


def test_lamps_stand_where_their_instances_take_them() -> None:
    rng = np.random.default_rng(5)
    q = rng.normal(size=(40, 4)).astype(np.float32)
    q /= np.linalg.norm(q, axis=1, keepdims=True)
    at = rng.uniform(-50, 50, (40, 3)).astype(np.float32)
    size = rng.uniform(0.5, 2, (40, 3)).astype(np.float32)
    lamp = Lamp((0.7, 2.1, -0.4), (1, 1, 1), 100, 0.1)
    found = placed_at(lamp, at, q, size)
    for k in range(40):
        matrix = trimesh.transformations.quaternion_matrix([q[k, 3], *q[k, :3]])[:3, :3]
        assert np.allclose(found[k], at[k] + matrix @ (size[k] * lamp.position), atol=1e-4)


def hung(instancing: bool) -> Any:
    """The small scene, its willows with a lamp each."""
    document = {**SMALL, "assets": [dict(a) for a in SMALL["assets"]]}
    for asset in document["assets"]:
        if asset["kind"] == "tree":
            asset["parameters"] = {**asset.get("parameters", {}), "game": {"lamp": LAMP}}
    *layers, last = (dict(x) for x in SMALL["layers"])
    last["parameters"] = {**last.get("parameters", {}), "instancing": instancing}
    return Evaluator(Library()).evaluate(read_document({**document, "layers": [*layers, last]}))


@pytest.mark.parametrize("instancing", [True, False])
def test_the_bake_holds_a_light_for_each_lamp_at_its_place(
    instancing: bool, tmp_path: Path
) -> None:
    evaluation = hung(instancing)
    result = bake(evaluation, Library())
    data = result.files["scene.glb"]
    document = read_json(data)
    lights = document["extensions"]["KHR_lights_punctual"]["lights"]
    assert "KHR_lights_punctual" in document["extensionsUsed"]
    for light in lights:
        assert light["type"] == "point" and light["intensity"] == pytest.approx(420 / 4 / math.pi)
    wanted = []
    for layer in evaluation.layers:
        placed = layer.output.placements
        for row, v in enumerate(placed.variants if placed else ()):
            whole = instances.rows_of(placed.whole(), row)  # type: ignore[union-attr]
            for lamp in Library().lamps(v):
                wanted.append(placed_at(lamp, whole.position, whole.rotation, whole.scale))
    places = np.concatenate(wanted)
    nodes = [n for n in document["nodes"] if "KHR_lights_punctual" in n.get("extensions", {})]
    assert len(nodes) == len(places) == result.manifest["counts"]["lamps"] > 5
    found = np.array([n["translation"] for n in nodes])
    # what is baked is seated on the ground that is written, so heights may differ a little
    order = [np.lexsort(a[:, [0, 2]].round(2).T) for a in (found, places)]
    assert np.allclose(found[order[0]][:, [0, 2]], places[order[1]][:, [0, 2]], atol=1e-3)
    assert np.abs(found[order[0]][:, 1] - places[order[1]][:, 1]).max() < 0.3
    roots = set(document["scenes"][0]["nodes"])
    held = {c for n in document["nodes"] for c in n.get("children", ())}
    assert all(k in roots | held for k, n in enumerate(document["nodes"]) if n in nodes)
    globes = [m for m in document["materials"] if "emissiveFactor" in m]
    assert globes, "the globes do not glow"
    levels = [d for name, d in result.files.items() if name.startswith("levels/")]
    assert any("KHR_lights_punctual" in d.decode("latin1") for d in levels)
    sound(result.files, tmp_path)


def test_more_lamps_than_a_file_may_have_are_refused_before_the_work(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(instances, "MOST_NODES", 5)
    steps = bundle.Baker(hung(True), Library()).run()
    with pytest.raises(TooLargeError, match=r"game.lamp.lumens: .* lamps; the limit is 5"):
        next(steps)


def test_a_single_asset_takes_its_lamp_along(tmp_path: Path) -> None:
    from pxr import Usd, UsdLux

    product = lit("tree")
    document = read_json(mesh_glb(product.mesh, product.materials, "x", lamps=product.lamps))
    (child,) = document["nodes"][document["scenes"][0]["nodes"][0]]["children"]
    assert np.allclose(document["nodes"][child]["translation"], product.lamps[0].position)
    files = asset_usd([(3, product.mesh, product.materials)], "post", no_images, product.lamps)
    path = tmp_path / "post.usdc"
    path.write_bytes(files["post.usdc"])
    opened = Usd.Stage.Open(str(path))
    (light,) = [UsdLux.SphereLight(p) for p in opened.Traverse() if p.IsA(UsdLux.SphereLight)]
    radius, luminance = light.GetRadiusAttr().Get(), light.GetIntensityAttr().Get()
    # a ball sends pi times its luminance from each part of its surface
    assert luminance * math.pi * 4 * math.pi * radius**2 == pytest.approx(420, rel=1e-4)
