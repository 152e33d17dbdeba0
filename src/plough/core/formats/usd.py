"""OpenUSD: an asset whose seeds are the variants of a variant set."""

from __future__ import annotations

import math
import re
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from plough.core.formats.glb import Images
from plough.core.lamp import Lamp
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh


def _name(text: str) -> str:
    """`text` as a prim's name."""
    name = re.sub(r"\W+", "_", text).strip("_") or "asset"
    return name if not name[0].isdigit() else f"_{name}"


def asset_usd(
    seeds: Sequence[tuple[int, Mesh, dict[str, Material]]],
    name: str,
    images: Images,
    lamps: Sequence[Lamp] = (),
) -> dict[str, bytes]:
    """Files by name: ``name.usdc`` and its textures.

    The root prim has the variant set ``seed``; each variant holds the mesh, with a subset of faces
    for each material slot. Metres, Y up; the wind channel is the primvar ``wind``. Lamps are the same for all.
    """
    from pxr import Kind, Usd, UsdGeom

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"{name}.usdc"
        stage = Usd.Stage.CreateNew(str(path))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        root = UsdGeom.Xform.Define(stage, f"/{_name(name)}")
        stage.SetDefaultPrim(root.GetPrim())
        Usd.ModelAPI(root).SetKind(Kind.Tokens.component)
        files: dict[str, bytes] = {}
        slots: dict[str, Any] = {}
        for _, _, materials in seeds:
            for slot, material in materials.items():
                if slot not in slots:
                    shader, textures = _material(root, material, images(material), f"{name}-{slot}")
                    slots[slot] = shader
                    files |= textures
        for k, lamp in enumerate(lamps):
            _lamp(root, lamp, f"lamp_{k}")
        variants = root.GetPrim().GetVariantSets().AddVariantSet("seed")
        for seed, mesh, materials in seeds:
            variants.AddVariant(f"seed_{seed}")
            variants.SetVariantSelection(f"seed_{seed}")
            with variants.GetVariantEditContext():
                prim = UsdGeom.Mesh.Define(stage, root.GetPath().AppendChild("mesh"))
                prim.CreateDoubleSidedAttr(any(m.cutout for m in materials.values()))
                _shape(prim, mesh)
                _bind(prim, mesh, slots)
        variants.SetVariantSelection(f"seed_{seeds[0][0]}")
        stage.GetRootLayer().Save()
        return {f"{name}.usdc": path.read_bytes(), **files}


def _lamp(root: Any, lamp: Lamp, name: str) -> None:
    """A ball that sends `lamp`'s light; its intensity is the luminance of its surface."""
    from pxr import Gf, UsdGeom, UsdLux

    light = UsdLux.SphereLight.Define(root.GetPrim().GetStage(), root.GetPath().AppendChild(name))
    radius = max(lamp.radius, 0.01)
    light.CreateRadiusAttr(radius)
    light.CreateColorAttr(Gf.Vec3f(*lamp.color))
    light.CreateIntensityAttr(lamp.candela / (math.pi * radius**2))
    UsdGeom.XformCommonAPI(light.GetPrim()).SetTranslate(Gf.Vec3d(*lamp.position))


_INPUTS = {
    "albedo": ("diffuseColor", "Color3f", "rgb"),
    "normal": ("normal", "Normal3f", "rgb"),
    "surface": ("roughness", "Float", "g"),
}


def _material(
    root: Any, material: Material, images: dict[str, Any], prefix: str
) -> tuple[Any, dict[str, bytes]]:
    """The material's prim below `root`, and its textures by file, each begun with `prefix`."""
    from pxr import Gf, Sdf, UsdShade

    types = Sdf.ValueTypeNames
    stage = root.GetPrim().GetStage()
    shade = UsdShade.Material.Define(
        stage, root.GetPath().AppendPath(f"materials/{_name(material.name)}")
    )
    surface = UsdShade.Shader.Define(stage, shade.GetPath().AppendChild("surface"))
    surface.CreateIdAttr("UsdPreviewSurface")
    surface.CreateInput("roughness", types.Float).Set(material.roughness)
    surface.CreateInput("metallic", types.Float).Set(0.0)
    surface.CreateInput("diffuseColor", types.Color3f).Set(Gf.Vec3f(*material.color))
    files: dict[str, bytes] = {}
    maps = {k: images[k] for k in _INPUTS if isinstance(images.get(k), bytes)}
    if maps:
        reader = UsdShade.Shader.Define(stage, shade.GetPath().AppendChild("uv"))
        reader.CreateIdAttr("UsdPrimvarReader_float2")
        reader.CreateInput("varname", types.String).Set("st")
        where = reader.CreateOutput("result", types.Float2)
    for kind, data in maps.items():
        target, value, output = _INPUTS[kind]
        file = f"textures/{_name(prefix)}-{kind}.png"
        files[file] = data
        texture = _texture(shade, kind, file)
        texture.CreateInput("st", types.Float2).ConnectToSource(where)
        out = texture.CreateOutput(output, types.Float3 if output == "rgb" else types.Float)
        surface.CreateInput(target, getattr(types, value)).ConnectToSource(out)
        if kind == "albedo" and material.cutout:
            alpha = texture.CreateOutput("a", types.Float)
            surface.CreateInput("opacity", types.Float).ConnectToSource(alpha)
            surface.CreateInput("opacityThreshold", types.Float).Set(0.5)
    shade.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
    return shade, files


def _texture(shade: Any, kind: str, file: str) -> Any:
    """A repeating texture of `file` below the material `shade`."""
    from pxr import Gf, Sdf, UsdShade

    types = Sdf.ValueTypeNames
    stage = shade.GetPrim().GetStage()
    texture = UsdShade.Shader.Define(stage, shade.GetPath().AppendChild(f"{kind}_map"))
    texture.CreateIdAttr("UsdUVTexture")
    texture.CreateInput("file", types.Asset).Set(f"./{file}")
    texture.CreateInput("sourceColorSpace", types.Token).Set("sRGB" if kind == "albedo" else "raw")
    for wrap in ("wrapS", "wrapT"):
        texture.CreateInput(wrap, types.Token).Set("repeat")
    if kind == "normal":
        texture.CreateInput("scale", types.Float4).Set(Gf.Vec4f(2, 2, 2, 1))
        texture.CreateInput("bias", types.Float4).Set(Gf.Vec4f(-1, -1, -1, 0))
    return texture


def _shape(prim: Any, mesh: Mesh) -> None:
    """Write the vertices and faces of `mesh` on `prim`."""
    from pxr import Sdf, UsdGeom, Vt

    tokens, types = UsdGeom.Tokens, Sdf.ValueTypeNames
    prim.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.positions)))
    prim.CreateFaceVertexIndicesAttr(
        Vt.IntArray.FromNumpy(mesh.indices.reshape(-1).astype(np.int32))
    )
    prim.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(mesh.triangles, 3, np.int32)))
    prim.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.normals)))
    prim.SetNormalsInterpolation(tokens.vertex)
    prim.CreateSubdivisionSchemeAttr(tokens.none)
    low, high = mesh.bounds()
    prim.CreateExtentAttr([tuple(map(float, low)), tuple(map(float, high))])
    api = UsdGeom.PrimvarsAPI(prim)
    for name, uv in (("st", mesh.uv0), ("st1", mesh.uv1)):
        if uv is not None:
            upwards = np.stack([uv[:, 0], 1.0 - uv[:, 1]], axis=1).astype(np.float32)
            api.CreatePrimvar(name, types.TexCoord2fArray, tokens.vertex).Set(
                Vt.Vec2fArray.FromNumpy(upwards)
            )
    if mesh.colors is not None:
        tint = np.ascontiguousarray(mesh.colors[:, :3] / 255.0, np.float32)
        prim.CreateDisplayColorPrimvar(tokens.vertex).Set(Vt.Vec3fArray.FromNumpy(tint))
    for name, four in (("wind", mesh.wind), ("masks", mesh.masks)):
        if four is not None:
            shares = np.ascontiguousarray(four / 255.0, np.float32)
            api.CreatePrimvar(name, types.Float4Array, tokens.vertex).Set(
                Vt.Vec4fArray.FromNumpy(shares)
            )


def _bind(prim: Any, mesh: Mesh, slots: dict[str, Any]) -> None:
    """Bind each part of `mesh` to the material of its slot."""
    from pxr import UsdGeom, UsdShade, Vt

    UsdShade.MaterialBindingAPI.Apply(prim.GetPrim())
    for part in mesh.parts:
        rows = Vt.IntArray.FromNumpy(np.arange(part.first, part.first + part.count, dtype=np.int32))
        subset = UsdGeom.Subset.CreateGeomSubset(
            prim, _name(part.material), UsdGeom.Tokens.face, rows, "materialBind"
        )
        UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(slots[part.material])
    # each face is of one part
    UsdGeom.Subset.SetFamilyType(prim, "materialBind", UsdGeom.Tokens.partition)
