"""A scene as an OpenUSD stage, and levels as OBJ: without fault for other readers, nothing twice, nothing lost."""

from __future__ import annotations

import csv
import io
import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

from plough.core.bake.bundle import Baker
from plough.core.library import Library
from plough.core.scene import Evaluator
from tests.core.test_lamps import hung
from tests.core.test_scene import small

ASKED = {"stage": True, "obj": True, "tile_side": "32", "splat": "none", "images": "webp"}


def baked(tmp_path: Path, **asked: Any) -> Baker:
    library = Library()
    baker = Baker(Evaluator(library).evaluate(small(bake={**ASKED, **asked})), library)
    assert [name for name, _ in baker.run()] == baker.parts()
    for path, data in baker.contents.items():
        target = tmp_path / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
    return baker


def opened(path: Path) -> Any:
    from pxr import Usd

    return Usd.Stage.Open(str(path))


def faults(stage: Any) -> list[str]:
    from pxr import UsdValidation

    validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    assert len(validators) > 10
    return [e.GetMessage() for e in UsdValidation.ValidationContext(validators).Validate(stage)]


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Baker]:
    path = tmp_path_factory.mktemp("stage")
    return path, baked(path)


def test_the_stage_is_without_fault_for_the_formats_own_validators(
    folder: tuple[Path, Baker],
) -> None:
    stage = opened(folder[0] / "usd/scene.usdc")
    assert faults(stage) == []
    for path in (folder[0] / "usd/assets").iterdir():
        asset = opened(path)
        root = asset.GetDefaultPrim()
        seeds = root.GetVariantSet("seed")
        for seed in seeds.GetVariantNames():
            seeds.SetVariantSelection(seed)
            levels = root.GetVariantSet("level")
            for level in levels.GetVariantNames():
                levels.SetVariantSelection(level)
                assert faults(asset) == []


def test_all_that_stands_stands_in_the_stage_once(folder: tuple[Path, Baker]) -> None:
    from pxr import Usd, UsdGeom

    path, _ = folder
    stage = opened(path / "usd/scene.usdc")
    assert UsdGeom.GetStageUpAxis(stage) == "Y" and UsdGeom.GetStageMetersPerUnit(stage) == 1.0
    rows = list(csv.DictReader(io.StringIO((path / "placements.csv").read_text())))
    found: dict[int, Any] = {}
    for prim in stage.Traverse():
        if not prim.IsA(UsdGeom.PointInstancer):
            continue
        instancer = UsdGeom.PointInstancer(prim)
        ids = np.array(instancer.GetIdsAttr().Get()).astype(np.uint64)
        where = instancer.ComputeInstanceTransformsAtTime(
            Usd.TimeCode.Default(), Usd.TimeCode.Default(), UsdGeom.PointInstancer.ExcludeProtoXform
        )
        world = UsdGeom.Xformable(prim).ComputeLocalToWorldTransform(Usd.TimeCode.Default())
        targets = instancer.GetPrototypesRel().GetTargets()
        seeds = [
            stage.GetPrimAtPath(t).GetVariantSet("seed").GetVariantSelection() for t in targets
        ]
        of = np.array(instancer.GetProtoIndicesAttr().Get())
        low, high = (np.array(v) for v in instancer.GetExtentAttr().Get())
        for k, (code, m) in enumerate(zip(ids.tolist(), where, strict=True)):
            assert code not in found
            at = m * world
            found[code] = (np.array(at), seeds[of[k]])
            local = np.array(m.ExtractTranslation())
            assert (local >= low - 1e-4).all() and (local <= high + 1e-4).all()
    assert len(found) == len(rows)
    for row in rows:
        at, seed = found[int(row["id"], 16)]
        told = [float(row[c]) for c in ("px", "py", "pz")]
        np.testing.assert_allclose(at[3, :3], told, atol=2e-4)
        assert seed == f"seed_{row['variant']}"
        x, y, z, w = (float(row[f"r{c}"]) for c in "xyzw")
        turned = np.array([1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w)])
        np.testing.assert_allclose(at[0, :3], turned * float(row["sx"]), atol=2e-3)


def test_seeds_levels_and_images_are_those_of_the_bake(folder: tuple[Path, Baker]) -> None:
    from pxr import UsdGeom

    path, baker = folder
    textures = 0
    for asset in {v.asset for v in baker.variants.values()}:
        stage = opened(path / f"usd/assets/{asset}.usdc")
        root = stage.GetDefaultPrim()
        own = [v for v in baker.variants.values() if v.asset == asset]
        seeds = root.GetVariantSet("seed")
        assert set(seeds.GetVariantNames()) == {f"seed_{v.called}" for v in own}
        for v in own:
            seeds.SetVariantSelection(f"seed_{v.called}")
            levels = root.GetVariantSet("level")
            counts = []
            for name in sorted(levels.GetVariantNames()):
                levels.SetVariantSelection(name)
                mesh = UsdGeom.Mesh(root.GetChild("mesh"))
                counts.append(len(mesh.GetFaceVertexCountsAttr().Get()))
                subsets = UsdGeom.Subset.GetAllGeomSubsets(mesh)
                assert sum(len(s.GetIndicesAttr().Get()) for s in subsets) == counts[-1]
            assert counts == [
                baker.library.facts(v, d).triangles for d in range(baker.library.levels_of(v))
            ]
        for prim in stage.Traverse():
            file = prim.GetAttribute("inputs:file")
            if file:
                textures += 1
                assert file.Get().path.endswith(".png"), "no reader of a stage knows WebP"
                assert (path / "usd/assets" / file.Get().path).resolve().exists()
    assert textures > 3


def test_tiles_are_payloads_that_one_can_leave_out(folder: tuple[Path, Baker]) -> None:
    from pxr import Usd, UsdGeom

    path, baker = folder
    bare = Usd.Stage.Open(str(path / "usd/scene.usdc"), Usd.Stage.LoadNone)
    tiles = bare.GetDefaultPrim().GetChild("tiles").GetAllChildren()
    assert len(tiles) == len(baker.stage.squares) == 16
    assert not any(p.IsA(UsdGeom.Mesh) for p in bare.Traverse())
    bare.Load(tiles[0].GetPath())
    meshes = [p for p in bare.Traverse() if p.IsA(UsdGeom.Mesh)]
    assert len(meshes) >= 1 and "ground" in {p.GetName() for p in meshes}


def test_lamps_hang_where_they_do_in_the_scene_file(tmp_path: Path) -> None:
    from pxr import UsdGeom, UsdLux

    evaluation = hung(True)
    *layers, last = evaluation.document.layers
    last = last.model_copy(update={"parameters": {**last.parameters, "stage": True}})
    document = evaluation.document.model_copy(update={"layers": (*layers, last)})
    library = Library()
    baker = Baker(Evaluator(library).evaluate(document), library)
    for _ in baker.run():
        pass
    for path, data in baker.contents.items():
        (tmp_path / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / path).write_bytes(data)
    stage = opened(tmp_path / "usd/scene.usdc")
    lights = [p for p in stage.Traverse() if p.IsA(UsdLux.SphereLight)]
    counts = json.loads(baker.read("manifest.json"))["counts"]
    assert len(lights) == counts["lamps"] > 0
    world = sorted(
        tuple(
            np.round(UsdGeom.Xformable(p).ComputeLocalToWorldTransform(0).ExtractTranslation(), 3)
        )
        for p in lights
    )
    from plough.core.formats.glb_read import read_json

    nodes = read_json(baker.read("scene.glb"))["nodes"]
    told = sorted(
        tuple(np.round(n["translation"], 3)) for n in nodes if n["name"].startswith("lamp-")
    )
    np.testing.assert_allclose(world, told, atol=2e-3)


def test_levels_as_obj_are_read_by_another_library(folder: tuple[Path, Baker]) -> None:
    path, baker = folder
    for v in baker.variants.values():
        for d in range(baker.library.levels_of(v)):
            name = baker.names.of(v, d)
            scene = trimesh.load(path / f"obj/{name}.obj", process=False, force="scene")
            triangles = sum(len(g.faces) for g in scene.geometry.values())
            assert triangles == baker.library.facts(v, d).triangles
            material = (path / f"obj/{name}.mtl").read_text()
            for line in material.splitlines():
                if line.startswith("map_Kd"):
                    assert (path / "obj" / line.split()[-1]).resolve().exists()


def test_two_stages_are_the_same_to_the_last_byte(
    folder: tuple[Path, Baker], tmp_path: Path
) -> None:
    again = baked(tmp_path)
    assert {p: s.hash for p, s in again.files.items()} == {
        p: s.hash for p, s in folder[1].files.items()
    }


_AT_ONCE = """
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier
from plough.core.formats.usd import scene_usd
both = Barrier(4)
def make(k):
    both.wait()
    return len(scene_usd(f"fen {k}", [], []))
with ThreadPoolExecutor(4) as pool:
    assert all(pool.map(make, range(4)))
"""


@pytest.mark.parametrize("run", range(6))
def test_the_first_stages_of_a_process_can_be_made_at_once(run: int) -> None:
    """Once in a while two threads waited for each other for ever."""
    done = subprocess.run(
        [sys.executable, "-c", _AT_ONCE], check=False, timeout=120, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr
