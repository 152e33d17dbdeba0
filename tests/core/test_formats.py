"""What is written for other programs, read back by other libraries; the walk about a recipe."""

import io
import json
import shutil
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

from plough.core.bake.bundle import embedded_images
from plough.core.bake.film import film_glb, shapes
from plough.core.cache import Cache
from plough.core.errors import PloughError, TooLargeError
from plough.core.formats.glb import mesh_glb, no_images
from plough.core.formats.glb_read import read_json
from plough.core.formats.obj import mesh_obj
from plough.core.formats.solids import measured
from plough.core.formats.usd import asset_usd
from plough.core.grow.habit import TreeParameters
from plough.core.kinds import all_kinds, get_kind
from plough.core.library import Library, variant_of
from plough.core.mesh.checks import triangle_areas
from plough.core.parameters import build
from plough.core.presets import all_presets
from plough.core.vary import cousins, vary
from tests.depth import examples
from tests.models import make

SMALL: dict[str, Any] = {
    "height": 3,
    "second": {"count": 2},
    "third": {"count": 0},
    "texture_size": "128",
    "leaf": {"texture_size": "128"},
}
WEB = Path(__file__).parents[2] / "web"


def test_obj_is_read_back_with_the_same_triangles(tmp_path: Path) -> None:
    product = make("tree", SMALL, 3)
    files = mesh_obj(product.mesh, product.materials, "tree", embedded_images(Cache()))
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    scene = trimesh.load(tmp_path / "tree.obj", force="scene")
    assert sum(len(g.faces) for g in scene.geometry.values()) == product.mesh.triangles
    area = sum(float(g.area) for g in scene.geometry.values())
    assert area == pytest.approx(float(triangle_areas(product.mesh).sum()), rel=1e-3)
    library = files["tree.mtl"].decode()
    assert library.count("newmtl") == len(product.materials)
    for line in library.splitlines():
        if line.startswith(("map_", "norm")):
            assert line.split()[-1] in files, "every map that is named is there"


def test_usd_holds_each_seed_as_a_variant(tmp_path: Path) -> None:
    from pxr import Usd, UsdGeom, UsdShade

    products = [(seed, make("tree", SMALL, seed)) for seed in (1, 2, 5)]
    files = asset_usd(
        [(s, p.mesh, p.materials) for s, p in products], "small tree", embedded_images(Cache())
    )
    for name, data in files.items():
        path = tmp_path / name
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(data)
    stage = Usd.Stage.Open(str(tmp_path / "small tree.usdc"))
    root = stage.GetDefaultPrim()
    chosen = root.GetVariantSet("seed")
    assert chosen.GetVariantNames() == ["seed_1", "seed_2", "seed_5"]
    assert UsdGeom.GetStageUpAxis(stage) == "Y"
    for seed, product in products:
        chosen.SetVariantSelection(f"seed_{seed}")
        mesh = UsdGeom.Mesh(stage.GetPrimAtPath(root.GetPath().AppendChild("mesh")))
        assert np.array_equal(
            np.array(mesh.GetFaceVertexIndicesAttr().Get()).reshape(-1, 3), product.mesh.indices
        )
        assert np.allclose(np.array(mesh.GetPointsAttr().Get()), product.mesh.positions)
        subsets = UsdGeom.Subset.GetAllGeomSubsets(mesh)
        assert sum(len(s.GetIndicesAttr().Get()) for s in subsets) == product.mesh.triangles
        for subset in subsets:
            bound, _ = UsdShade.MaterialBindingAPI(subset.GetPrim()).ComputeBoundMaterial()
            shader = bound.ComputeSurfaceSource()[0]
            assert shader.GetIdAttr().Get() == "UsdPreviewSurface"
    for prim in stage.Traverse():
        file = prim.GetAttribute("inputs:file")
        if file:
            assert (tmp_path / file.Get().path).exists()


@pytest.mark.parametrize("kind", sorted(all_kinds()))
def test_usd_is_without_fault_for_the_formats_own_validators(kind: str, tmp_path: Path) -> None:
    from pxr import Usd, UsdValidation

    products = [(seed, make(kind, SMALL if kind == "tree" else {}, seed)) for seed in (1, 2)]
    told = [(s, p.mesh, p.materials) for s, p in products]
    files = asset_usd(told, kind, embedded_images(Cache()), products[0][1].lamps)
    for name, data in files.items():
        path = tmp_path / name
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(data)
    stage = Usd.Stage.Open(str(tmp_path / f"{kind}.usdc"))
    validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    assert len(validators) > 10
    chosen = stage.GetDefaultPrim().GetVariantSet("seed")
    for name in chosen.GetVariantNames():
        chosen.SetVariantSelection(name)
        found = UsdValidation.ValidationContext(validators).Validate(stage)
        assert not found, [e.GetMessage() for e in found]


def test_a_film_has_one_topology_and_ends_as_the_tree(tmp_path: Path) -> None:
    p = build(TreeParameters, SMALL)
    data = film_glb(p, 3, 6, 4.0, no_images)
    document = read_json(data)
    (mesh,) = document["meshes"]
    counts = {
        document["accessors"][t["POSITION"]]["count"]
        for primitive in mesh["primitives"]
        for t in primitive["targets"]
    }
    assert counts == {
        document["accessors"][mesh["primitives"][0]["attributes"]["POSITION"]]["count"]
    }
    assert all(len(primitive["targets"]) == 6 for primitive in mesh["primitives"])
    (animation,) = document["animations"]
    assert document["accessors"][animation["samplers"][0]["input"]]["max"] == [4.0]
    assert document["accessors"][animation["samplers"][0]["output"]]["count"] == 7 * 6
    told = shapes(p, 3, np.linspace(0.05, 1.0, 5))
    assert all(np.array_equal(told[0].indices, m.indices) for m in told)
    heights = [float(m.positions[:, 1].max()) for m in told]
    assert heights == sorted(heights)
    assert heights[0] < 0.25 * heights[-1]
    with pytest.raises(TooLargeError, match="limit"):
        shapes(build(TreeParameters, {}), 3, np.linspace(0.05, 1.0, 400))
    if shutil.which("node") and (WEB / "node_modules").exists():
        validate([data], tmp_path)


def validate(files: list[bytes], folder: Path) -> None:
    """Fails on any error that the format's own validator finds."""
    for k, data in enumerate(files):
        (folder / f"{k}.glb").write_bytes(data)
    script = """
const { validateBytes } = require('gltf-validator');
const fs = require('fs');
(async () => {
  const bad = [];
  for (const file of fs.readdirSync(process.argv[1]).filter((f) => f.endsWith('.glb'))) {
    const report = await validateBytes(new Uint8Array(fs.readFileSync(process.argv[1] + '/' + file)), { maxIssues: 5 });
    if (report.issues.numErrors) bad.push([file, report.issues.messages.map((m) => m.message)]);
  }
  console.log(JSON.stringify(bad));
})();
"""
    done = subprocess.run(
        ["node", "-e", script, str(folder)], cwd=WEB, capture_output=True, text=True, check=True
    )
    assert json.loads(done.stdout) == []


EACH = examples(90)
EACH_SLOW = examples(12)  # of kinds that take seconds each


@pytest.mark.skipif(
    not (WEB / "node_modules").exists(), reason="the validator comes with the front end's packages"
)
@pytest.mark.parametrize("kind", sorted(all_kinds()))
def test_random_recipes_pass_the_formats_validator(kind: str, tmp_path: Path) -> None:
    """Recipes about the presets and the defaults, as far from them as the walk goes: over a thousand of all kinds together."""
    starts = [{}, *(p.parameters for p in all_presets() if p.kind == kind)]
    files, wanted = [], EACH_SLOW if get_kind(kind).slow else EACH
    for seed in range(5000):
        recipe = vary(get_kind(kind), starts[seed % len(starts)], 2.5, (), seed)
        try:
            product = make(kind, recipe, seed, 2 if seed % 5 else 1)
        except TooLargeError as error:
            assert "limit" in str(error)
            continue
        files.append(mesh_glb(product.mesh, product.materials, f"{kind} {seed}"))
        if len(files) == wanted:
            break
    assert len(files) == wanted
    validate(files, tmp_path)


def test_cousins_differ_keep_what_is_locked_and_hang_on_their_seed() -> None:
    kind = get_kind("tree")
    near = cousins(kind, SMALL, 0.15, ["height", "first.count"], 4)
    far = cousins(kind, SMALL, 0.9, ["height", "first.count"], 4)
    whole = build(TreeParameters, SMALL)
    for each in near + far:
        assert each["height"] == 3
        assert each["first"]["count"] == whole.first.count
        assert each["third"]["count"] == 0, "what is not there stays away"
    assert len({json.dumps(c) for c in near + far}) == 16
    move = [np.mean([abs(c["girth"] - whole.girth) for c in group]) for group in (near, far)]
    assert move[0] < move[1]
    assert cousins(kind, SMALL, 0.15, ["height", "first.count"], 4) == near
    assert vary(kind, SMALL, 0.0, (), 9) == whole.model_dump(mode="json")


def test_a_recipe_is_read_back_from_json() -> None:
    from plough.core.recipe import read_recipe, write_recipe

    data = write_recipe("tree", "Small", SMALL, [3, 4])
    recipe = read_recipe(data)
    assert (recipe.kind, recipe.name, recipe.seeds) == ("tree", "Small", (3, 4))
    assert build(TreeParameters, recipe.parameters) == build(TreeParameters, SMALL)
    for bad, word in (
        (b"{", "JSON"),
        (b"[]", "recipe"),
        (b'{"kind": "yak", "parameters": {}}', "yak"),
        (b'{"kind": "tree", "parameters": {"height": 900}}', "height"),
        (b'{"kind": "tree", "parameters": {"heigth": 9}}', "heigth"),
    ):
        with pytest.raises(PloughError, match=word):
            read_recipe(bad)


def test_glb_carries_the_second_coordinates_when_they_are_asked_for() -> None:
    variant = variant_of("t", "t", "tree", {**SMALL, "game": {"second_uv": True}}, 3, {})
    mesh = Library().written(variant, 0).mesh
    document = read_json(mesh_glb(mesh, make("tree", SMALL, 3).materials, "t"))
    assert "TEXCOORD_1" in document["meshes"][0]["primitives"][0]["attributes"]
    loaded = trimesh.load(io.BytesIO(mesh_glb(mesh, {}, "t")), file_type="glb")
    assert len(loaded.geometry) > 0


def exported(mesh: Any, form: str = "obj") -> bytes:
    data = mesh.export(file_type=form)
    return data.encode() if isinstance(data, str) else bytes(data)


@pytest.mark.parametrize("form", ["obj", "glb", "stl", "ply"])
def test_a_cylinder_measures_alike_all_round(form: str) -> None:
    mesh = trimesh.creation.cylinder(radius=2.0, height=6.0, sections=64)
    mesh.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, [1, 0, 0]))
    mesh.apply_translation([5, 3, -7])
    radii, height, width = measured(exported(mesh, form), form)
    assert height == pytest.approx(6, rel=0.01)
    assert width == pytest.approx(4, rel=0.01)
    assert radii[2:-2].min() > 0.93
    assert radii.max() == 1.0


def test_a_long_box_is_longer_one_way() -> None:
    radii, _, _ = measured(exported(trimesh.creation.box(extents=[4, 3, 1])), "obj")
    middle = radii[8:16].mean(axis=0)
    assert middle[0] > 3 * middle[4], "east is longer than south"
    assert middle[0] == pytest.approx(middle[8], rel=0.1)


@pytest.mark.parametrize(
    ("data", "kind", "word"),
    [
        (b"", "obj", "triangles"),
        (b"x", "glb", "read"),
        (b"v 0 0 0", "dwg", "dwg"),
        (b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3", "obj", "flat"),
    ],
)
def test_what_is_no_body_is_refused(data: bytes, kind: str, word: str) -> None:
    with pytest.raises(PloughError, match=word):
        measured(data, kind)


def test_crowns_and_shrubs_fill_a_measured_body() -> None:
    form = measured(exported(trimesh.creation.box(extents=[4, 3, 1])), "obj")[0].tolist()
    for kind, values in (
        (
            "tree",
            {
                "growth": "crown",
                "crown_form": form,
                "crown_width": 0.9,
                "height": 5,
                "crown_points": 500,
                "leaves": False,
            },
        ),
        (
            "shrub",
            {
                "body": "own",
                "form": form,
                "width": 3,
                "depth": 3,
                "height": 2,
                "uneven": 0,
                "growth": "clipped",
                "leaves": False,
            },
        ),
    ):
        points = make(kind, values, 3).mesh.positions
        upper = points[points[:, 1] > 0.5 * points[:, 1].max()]
        east, south = np.ptp(upper[:, 0]), np.ptp(upper[:, 2])
        assert east > 2 * south, f"the {kind} is long to the east as the box is"
    with pytest.raises(PloughError, match="16"):
        make("shrub", {"body": "own", "form": [[1, 2], [1, 2]]}, 1)
