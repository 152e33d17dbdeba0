"""OpenUSD: an asset whose seeds are the variants of a variant set."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from plough.core.formats.glb import Images
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh


def _name(text: str) -> str:
    """`text` as a prim's name."""
    name = re.sub(r"\W+", "_", text).strip("_") or "asset"
    return name if not name[0].isdigit() else f"_{name}"


def asset_usd(
    seeds: Sequence[tuple[int, Mesh, dict[str, Material]]], name: str, images: Images
) -> dict[str, bytes]:
    """Files by name: ``name.usdc`` and its textures.

    The root prim has the variant set ``seed``; each variant holds the mesh, with a subset of faces for each material slot. Metres, Y up;
    the wind channel is the primvar ``wind``.
    """
    from pxr import Gf, Kind, Sdf, Usd, UsdGeom, UsdShade, Vt

    files: dict[str, bytes] = {}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"{name}.usdc"
        stage = Usd.Stage.CreateNew(str(path))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        root = UsdGeom.Xform.Define(stage, f"/{_name(name)}")
        stage.SetDefaultPrim(root.GetPrim())
        Usd.ModelAPI(root).SetKind(Kind.Tokens.component)
        made: dict[str, Any] = {}

        def material(slot: str, m: Material) -> Any:
            if slot in made:
                return made[slot]
            shade = UsdShade.Material.Define(
                stage, root.GetPath().AppendPath(f"materials/{_name(m.name)}")
            )
            surface = UsdShade.Shader.Define(stage, shade.GetPath().AppendChild("surface"))
            surface.CreateIdAttr("UsdPreviewSurface")
            surface.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(m.roughness)
            surface.CreateInput("metallic", Sdf.ValueTypeNames.Float).Set(0.0)
            surface.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(*m.color))
            maps = {k: v for k, v in images(m).items() if isinstance(v, bytes)}
            if maps:
                reader = UsdShade.Shader.Define(stage, shade.GetPath().AppendChild("uv"))
                reader.CreateIdAttr("UsdPrimvarReader_float2")
                reader.CreateInput("varname", Sdf.ValueTypeNames.String).Set("st")
                where = reader.CreateOutput("result", Sdf.ValueTypeNames.Float2)
                for slot_name, (target, kind, output) in _INPUTS.items():
                    if slot_name not in maps:
                        continue
                    file = f"textures/{name}-{_name(slot)}-{slot_name}.png"
                    files[file] = maps[slot_name]
                    texture = UsdShade.Shader.Define(
                        stage, shade.GetPath().AppendChild(f"{slot_name}_map")
                    )
                    texture.CreateIdAttr("UsdUVTexture")
                    texture.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(f"./{file}")
                    texture.CreateInput("st", Sdf.ValueTypeNames.Float2).ConnectToSource(where)
                    texture.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set(
                        "sRGB" if slot_name == "albedo" else "raw"
                    )
                    for wrap in ("wrapS", "wrapT"):
                        texture.CreateInput(wrap, Sdf.ValueTypeNames.Token).Set("repeat")
                    if slot_name == "normal":
                        texture.CreateInput("scale", Sdf.ValueTypeNames.Float4).Set(
                            Gf.Vec4f(2, 2, 2, 1)
                        )
                        texture.CreateInput("bias", Sdf.ValueTypeNames.Float4).Set(
                            Gf.Vec4f(-1, -1, -1, 0)
                        )
                    value = getattr(Sdf.ValueTypeNames, kind)
                    out = texture.CreateOutput(
                        output,
                        Sdf.ValueTypeNames.Float3 if output == "rgb" else Sdf.ValueTypeNames.Float,
                    )
                    surface.CreateInput(target, value).ConnectToSource(out)
                    if slot_name == "albedo" and m.cutout:
                        alpha = texture.CreateOutput("a", Sdf.ValueTypeNames.Float)
                        surface.CreateInput("opacity", Sdf.ValueTypeNames.Float).ConnectToSource(
                            alpha
                        )
                        surface.CreateInput("opacityThreshold", Sdf.ValueTypeNames.Float).Set(0.5)
            shade.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
            made[slot] = shade
            return shade

        slots = {
            slot: material(slot, m) for _, _, materials in seeds for slot, m in materials.items()
        }
        variants = root.GetPrim().GetVariantSets().AddVariantSet("seed")
        for seed, mesh, materials in seeds:
            variants.AddVariant(f"seed_{seed}")
            variants.SetVariantSelection(f"seed_{seed}")
            with variants.GetVariantEditContext():
                _mesh(
                    stage,
                    root.GetPath().AppendChild("mesh"),
                    mesh,
                    materials,
                    slots,
                    UsdGeom,
                    UsdShade,
                    Sdf,
                    Vt,
                )
        variants.SetVariantSelection(f"seed_{seeds[0][0]}")
        stage.GetRootLayer().Save()
        files = {f"{name}.usdc": path.read_bytes(), **files}
    return files


_INPUTS = {
    "albedo": ("diffuseColor", "Color3f", "rgb"),
    "normal": ("normal", "Normal3f", "rgb"),
    "surface": ("roughness", "Float", "g"),
}


def _mesh(
    stage: Any,
    path: Any,
    mesh: Mesh,
    materials: dict[str, Material],
    slots: dict[str, Any],
    geom: Any,
    shade: Any,
    sdf: Any,
    vt: Any,
) -> None:
    prim = geom.Mesh.Define(stage, path)
    prim.CreatePointsAttr(vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.positions)))
    prim.CreateFaceVertexIndicesAttr(
        vt.IntArray.FromNumpy(mesh.indices.reshape(-1).astype(np.int32))
    )
    prim.CreateFaceVertexCountsAttr(vt.IntArray.FromNumpy(np.full(mesh.triangles, 3, np.int32)))
    prim.CreateNormalsAttr(vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.normals)))
    prim.SetNormalsInterpolation(geom.Tokens.vertex)
    prim.CreateSubdivisionSchemeAttr(geom.Tokens.none)
    prim.CreateDoubleSidedAttr(any(m.cutout for m in materials.values()))
    low, high = mesh.bounds()
    prim.CreateExtentAttr([tuple(map(float, low)), tuple(map(float, high))])
    api = geom.PrimvarsAPI(prim)
    uv = np.stack([mesh.uv0[:, 0], 1.0 - mesh.uv0[:, 1]], axis=1).astype(np.float32)
    api.CreatePrimvar("st", sdf.ValueTypeNames.TexCoord2fArray, geom.Tokens.vertex).Set(
        vt.Vec2fArray.FromNumpy(uv)
    )
    if mesh.uv1 is not None:
        uv = np.stack([mesh.uv1[:, 0], 1.0 - mesh.uv1[:, 1]], axis=1).astype(np.float32)
        api.CreatePrimvar("st1", sdf.ValueTypeNames.TexCoord2fArray, geom.Tokens.vertex).Set(
            vt.Vec2fArray.FromNumpy(uv)
        )
    if mesh.colors is not None:
        tint = np.ascontiguousarray(mesh.colors[:, :3] / 255.0, np.float32)
        prim.CreateDisplayColorPrimvar(geom.Tokens.vertex).Set(vt.Vec3fArray.FromNumpy(tint))
    if mesh.wind is not None:
        wind = np.ascontiguousarray(mesh.wind / 255.0, np.float32)
        api.CreatePrimvar("wind", sdf.ValueTypeNames.Float4Array, geom.Tokens.vertex).Set(
            vt.Vec4fArray.FromNumpy(wind)
        )
    shade.MaterialBindingAPI.Apply(prim.GetPrim())
    for part in mesh.parts:
        rows = vt.IntArray.FromNumpy(np.arange(part.first, part.first + part.count, dtype=np.int32))
        subset = geom.Subset.CreateGeomSubset(
            prim, _name(part.material), geom.Tokens.face, rows, "materialBind"
        )
        shade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(slots[part.material])
