"""OpenUSD: assets whose seeds and levels are variants, tiles that place them by point instancers, and the stage of a scene."""

from __future__ import annotations

import math
import re
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from threading import Lock
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

    with _stage(name) as (stage, root, path):
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


Levels = Sequence[tuple[Mesh, dict[str, Material]]]
"""The levels of a variant with their materials, nearest first."""


def levels_usd(name: str, seeds: Sequence[tuple[str, Levels]], images: Images) -> bytes:
    """An asset with the variant sets ``seed`` and, in each seed, ``level``; `images` gives addresses as seen from its file."""
    from pxr import Kind, Usd

    with _stage(name) as (stage, root, path):
        Usd.ModelAPI(root).SetKind(Kind.Tokens.component)
        slots: dict[str, Any] = {}
        for material in (m for _, levels in seeds for _, ms in levels for m in ms.values()):
            _looked(root, material, images, slots)  # outside of all variants, which share them
        variants = root.GetPrim().GetVariantSets().AddVariantSet("seed")
        for seed, levels in seeds:
            variants.AddVariant(_name(f"seed_{seed}"))
            variants.SetVariantSelection(_name(f"seed_{seed}"))
            with variants.GetVariantEditContext():
                nested = root.GetPrim().GetVariantSets().AddVariantSet("level")
                for k, (mesh, materials) in enumerate(levels):
                    bound = {s: _looked(root, m, images, slots) for s, m in materials.items()}
                    nested.AddVariant(f"level_{k}")
                    nested.SetVariantSelection(f"level_{k}")
                    with nested.GetVariantEditContext():
                        _mesh(stage, f"{root.GetPath()}/mesh", mesh, materials, bound)
                nested.SetVariantSelection("level_0")
        variants.SetVariantSelection(_name(f"seed_{seeds[0][0]}"))
        stage.GetRootLayer().Save()
        return path.read_bytes()


@dataclass(frozen=True, slots=True)
class Instanced:
    """Placements of one layer: prototypes, and arrays of n rows."""

    name: str
    prototypes: Sequence[
        tuple[str, str, str]
    ]  #: address of the asset, its prim, the seed's variant
    which: Any  #: (n,) row of `prototypes`
    ids: Any  #: (n,) uint64
    position: Any  #: (n, 3) metres
    rotation: Any  #: (n, 4) xyzw
    scale: Any  #: (n, 3)
    reach: Any  #: (n,) metres about the position that one fills, for the extent
    spin: tuple[float, float, float] = (0.0, 0.0, 0.0)  #: degrees a second


def tile_usd(
    name: str,
    meshes: Sequence[tuple[str, Mesh, dict[str, Material]]],
    layers: Sequence[Instanced],
    lamps: Sequence[tuple[str, Lamp]],
    middle: tuple[float, float, float],
    images: Images,
) -> bytes:
    """A tile: its meshes about `middle`, a point instancer for each layer, its lamps."""
    from pxr import Gf, UsdGeom

    with _stage(name) as (stage, root, path):
        UsdGeom.XformCommonAPI(root.GetPrim()).SetTranslate(Gf.Vec3d(*middle))
        slots: dict[str, Any] = {}
        for called, mesh, materials in meshes:
            bound = {s: _looked(root, m, images, slots) for s, m in materials.items()}
            _mesh(stage, f"{root.GetPath()}/{_name(called)}", mesh, materials, bound)
        for layer in layers:
            _instancer(stage, f"{root.GetPath()}/{_name(layer.name)}", layer)
        for called, lamp in lamps:
            _lamp(root, lamp, _name(called))
        stage.GetRootLayer().Save()
        return path.read_bytes()


def scene_usd(
    name: str,
    tiles: Sequence[tuple[str, str]],
    viewpoints: Sequence[tuple[str, Sequence[float], Sequence[float]]] = (),
) -> bytes:
    """The stage of a scene: tiles by name and address, each a payload; viewpoints as cameras by name, eye and target."""
    from pxr import Gf, Kind, Usd, UsdGeom

    with _stage(name) as (stage, root, path):
        Usd.ModelAPI(root).SetKind(Kind.Tokens.assembly)
        folder = UsdGeom.Scope.Define(stage, root.GetPath().AppendChild("tiles"))
        for called, address in tiles:
            prim = stage.DefinePrim(folder.GetPath().AppendChild(_name(called)), "Xform")
            prim.GetPayloads().AddPayload(address)
        for called, eye, target in viewpoints:
            camera = UsdGeom.Camera.Define(
                stage, root.GetPath().AppendPath(f"viewpoints/{_name(called)}")
            )
            look = Gf.Matrix4d().SetLookAt(Gf.Vec3d(*eye), Gf.Vec3d(*target), Gf.Vec3d(0, 1, 0))
            camera.AddTransformOp().Set(look.GetInverse())
        if viewpoints:
            UsdGeom.Scope.Define(stage, root.GetPath().AppendChild("viewpoints"))
        stage.GetRootLayer().Save()
        return path.read_bytes()


_alone = Lock()
"""Over stages: two threads that make the first of a process wait for each other for ever, one for the interpreter's lock, one for the library's."""


@contextmanager
def _stage(name: str) -> Iterator[tuple[Any, Any, Path]]:
    """A stage in metres, Y up, with its root prim, in a file that goes again."""
    from pxr import Usd, UsdGeom

    with _alone, tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "stage.usdc"
        stage = Usd.Stage.CreateNew(str(path))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        root = UsdGeom.Xform.Define(stage, f"/{_name(name)}")
        stage.SetDefaultPrim(root.GetPrim())
        yield stage, root, path


def _mesh(
    stage: Any, path: str, mesh: Mesh, materials: dict[str, Material], bound: dict[str, Any]
) -> None:
    """A mesh with its parts bound to materials; without any, to none."""
    from pxr import UsdGeom

    prim = UsdGeom.Mesh.Define(stage, path)
    prim.CreateDoubleSidedAttr(any(m.cutout for m in materials.values()))
    _shape(prim, mesh)
    if bound:
        _bind(prim, mesh, bound)


def _looked(root: Any, material: Material, images: Images, known: dict[str, Any]) -> Any:
    """The prim of a material, written once for each look."""
    told = repr(material)
    if told not in known:
        called = f"{material.name}_{len(known)}"
        known[told] = _material(root, replace(material, name=called), images(material), called)[0]
    return known[told]


def _instancer(stage: Any, path: str, layer: Instanced) -> None:
    from pxr import Gf, UsdGeom, Vt

    prim = UsdGeom.PointInstancer.Define(stage, path)
    targets = []
    for k, (address, root, seed) in enumerate(layer.prototypes):
        own = stage.DefinePrim(f"{path}/prototypes/{_name(root)}_{k}", "Xform")
        own.GetReferences().AddReference(address)
        own.GetVariantSets().SetSelection("seed", _name(f"seed_{seed}"))
        targets.append(own.GetPath())
    stage.GetPrimAtPath(f"{path}/prototypes").SetTypeName("Scope")
    prim.CreatePrototypesRel().SetTargets(targets)
    rows = np.ascontiguousarray
    prim.CreateProtoIndicesAttr(Vt.IntArray.FromNumpy(rows(layer.which, np.int32)))
    prim.CreateIdsAttr(Vt.Int64Array.FromNumpy(rows(layer.ids, np.uint64).view(np.int64)))
    prim.CreatePositionsAttr(Vt.Vec3fArray.FromNumpy(rows(layer.position, np.float32)))
    prim.CreateScalesAttr(Vt.Vec3fArray.FromNumpy(rows(layer.scale, np.float32)))
    turns = rows(layer.rotation, np.float32)
    prim.CreateOrientationsfAttr(Vt.QuatfArray.FromNumpy(turns))
    prim.CreateOrientationsAttr(Vt.QuathArray.FromNumpy(turns.astype(np.float16)))
    if any(layer.spin):
        turning = np.tile(np.array(layer.spin, np.float32), (len(turns), 1))
        prim.CreateAngularVelocitiesAttr(Vt.Vec3fArray.FromNumpy(turning))
    reach = np.asarray(layer.reach, np.float64)[:, None]
    low = (layer.position - reach).min(axis=0)
    high = (layer.position + reach).max(axis=0)
    prim.CreateExtentAttr([Gf.Vec3f(*map(float, low)), Gf.Vec3f(*map(float, high))])


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
    maps = {k: images[k] for k in _INPUTS if k in images}
    if maps:
        reader = UsdShade.Shader.Define(stage, shade.GetPath().AppendChild("uv"))
        reader.CreateIdAttr("UsdPrimvarReader_float2")
        reader.CreateInput("varname", types.String).Set("st")
        where = reader.CreateOutput("result", types.Float2)
    for kind, data in maps.items():
        target, value, output = _INPUTS[kind]
        if isinstance(data, str):
            file = data
        else:
            file = f"./textures/{_name(prefix)}-{kind}.png"
            files[file.removeprefix("./")] = data
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
    texture.CreateInput("file", types.Asset).Set(file)
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
