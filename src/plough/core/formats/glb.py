"""glTF 2.0 in its binary form.

Channels written: POSITION, NORMAL, TANGENT, TEXCOORD_0 and, on demand, TEXCOORD_1 as float; COLOR_0 (linear tint) and _WIND (sway, branch phase, flutter, occlusion) as
normalised bytes; indices as 16 or 32 bits. Instances by EXT_mesh_gpu_instancing, levels of detail by MSFT_lod, lamps by KHR_lights_punctual; compressed by EXT_meshopt_compression and
KHR_mesh_quantization (see `plough.core.formats.packed`), images as WebP by EXT_texture_webp.
"""

from __future__ import annotations

import math
import struct
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from functools import cached_property
from typing import Any

import numpy as np
import orjson

from plough.core.arrays import UInt8
from plough.core.errors import TooLargeError
from plough.core.formats.glb_read import JSON_PART, MAGIC
from plough.core.formats.packed import (
    GROUND,
    PLACE,
    Channel,
    Packed,
    packed,
    packed_indices,
    reordered,
)
from plough.core.lamp import Lamp
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh, Named, run_of

_BIN = 0x004E4942
MOST_BYTES = 0xFF000000  #: of the binary part; lengths are 32 bits, and the JSON needs room, too
_COMPONENT = {
    np.dtype(np.float32): 5126,
    np.dtype(np.uint32): 5125,
    np.dtype(np.uint16): 5123,
    np.dtype(np.uint8): 5121,
}
_TYPE = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}

Images = Callable[[Material], dict[str, bytes | str]]
"""Gives the maps of a material, each as PNG or WebP bytes (embedded) or as an address."""
_MESHOPT, _WEBP, _SMALLER = "EXT_meshopt_compression", "EXT_texture_webp", "KHR_mesh_quantization"


def no_images(material: Material) -> dict[str, bytes | str]:
    """Leaves all maps out."""
    return {}


@dataclass(frozen=True, slots=True)
class Instances:
    """Accessors of one set of instances, shared by all nodes that draw it."""

    attributes: dict[str, int]
    count: int


@dataclass(frozen=True)
class Outside:
    """What a reader must know of meshes whose bytes lie elsewhere."""

    size: int  #: bytes
    told: dict[str, list[Any]]  #: the lists of the JSON
    used: frozenset[str]  #: extensions
    unpacked: int  #: bytes of what is compressed, as a reader comes to hold them

    @cached_property
    def looks(self) -> tuple[str, ...]:
        """Of each material, what tells it from any other: itself, with its images in the place of their numbers; empty where images lie among the bytes."""
        images = self.told.get("images", ())
        if any("uri" not in image for image in images):
            return ("",) * len(self.told.get("materials", ()))
        uris = [image["uri"] for image in images]
        return tuple(
            orjson.dumps(_with_textures(m, uris)).decode() for m in self.told.get("materials", ())
        )


_OWN, _FALLBACK = 0, 1  # buffers: of the file itself, and that of what is compressed


class GlbBuilder:
    """Collects meshes, materials and nodes, then gives the bytes.

    Args:
        packs: whether meshes and instances are compressed.
    """

    def __init__(self, images: Images = no_images, packs: bool = False) -> None:
        self._images = images
        self._packs = packs
        self._unpacked = 0  # bytes of what is compressed, as a reader comes to hold them
        self._chunks: list[bytes] = []
        self._length = 0
        self._json: dict[str, Any] = {"asset": {"version": "2.0", "generator": "Plough"}}
        self._materials: dict[str, int] = {}
        self._image_index: dict[bytes | str, int] = {}
        self._used: set[str] = set()
        self._beside: list[dict[str, Any]] = []  # buffers in files of their own

    def _list(self, name: str) -> list[Any]:
        return self._json.setdefault(name, [])  # type: ignore[no-any-return]

    def _view(self, data: bytes, target: int | None = None) -> int:
        at = self._stored(data)
        view: dict[str, Any] = {"buffer": _OWN, "byteOffset": at, "byteLength": len(data)}
        if target:
            view["target"] = target
        self._list("bufferViews").append(view)
        return len(self._json["bufferViews"]) - 1

    def _stored(self, data: bytes) -> int:
        """Where bytes begin in the binary part."""
        at = self._length
        padded = data + b"\0" * (-len(data) % 4)
        if self._length + len(padded) > MOST_BYTES:
            raise TooLargeError(
                "levels",
                f"the file would have more than {MOST_BYTES / 2**30:.1f} GiB, the most that GLB holds;"
                " switch levels of detail or textures off, or lower the fill",
            )
        self._chunks.append(padded)
        self._length += len(padded)
        return at

    def _packed(self, made: Packed, target: int | None, bounds: bool = False) -> int:
        """The accessor of compressed rows."""
        size = made.rows * made.stride
        view: dict[str, Any] = {
            "buffer": _FALLBACK,
            "byteOffset": self._unpacked,
            "byteLength": size,
            "extensions": {
                _MESHOPT: {
                    "buffer": _OWN,
                    "byteOffset": self._stored(made.data),
                    "byteLength": len(made.data),
                    "byteStride": made.stride,
                    "count": made.rows,
                    "mode": made.mode,
                    **({"filter": made.filter} if made.filter != "NONE" else {}),
                }
            },
        }
        if target:
            view["target"] = target
        width = 1 if made.mode == "TRIANGLES" else made.values.shape[1]
        if target == 34962:
            view["byteStride"] = made.stride
        self._unpacked += size + (-size % 4)
        self._used |= {_MESHOPT} | ({_SMALLER} if made.normalized else set())
        self._list("bufferViews").append(view)
        accessor: dict[str, Any] = {
            "bufferView": len(self._json["bufferViews"]) - 1,
            "componentType": made.component,
            "count": made.rows,
            "type": _TYPE[width],
        }
        if made.normalized:
            accessor["normalized"] = True
        if bounds:
            accessor["min"] = made.values.min(axis=0).tolist()
            accessor["max"] = made.values.max(axis=0).tolist()
        self._list("accessors").append(accessor)
        return len(self._json["accessors"]) - 1

    def _channel(
        self, values: np.ndarray[Any, Any], channel: Channel, off: float, bounds: bool = False
    ) -> int:
        """The accessor of a channel of vertices."""
        if self._packs:
            made = packed(values, channel, off)
            if channel == "facing":  # octahedral rows hold a fourth number
                made = made._replace(values=made.values[:, :3])
            return self._packed(made, 34962, bounds)
        return self._accessor(values, 34962, normalized=channel == "bytes", bounds=bounds)

    def _accessor(
        self,
        array: np.ndarray[Any, Any],
        target: int | None,
        normalized: bool = False,
        bounds: bool = False,
    ) -> int:
        array = np.ascontiguousarray(array)
        width = 1 if array.ndim == 1 else array.shape[1]
        accessor: dict[str, Any] = {
            "bufferView": self._view(array.tobytes(), target),
            "componentType": _COMPONENT[array.dtype],
            "count": int(array.shape[0]),
            "type": _TYPE[width],
        }
        if normalized:
            accessor["normalized"] = True
        if bounds:
            accessor["min"], accessor["max"] = (
                array.min(axis=0).tolist(),
                array.max(axis=0).tolist(),
            )
        self._list("accessors").append(accessor)
        return len(self._json["accessors"]) - 1

    def _texture(self, image: bytes | str, name: str) -> int:
        if image not in self._image_index:
            entry: dict[str, Any] = {"name": name}
            webp = image.endswith(".webp") if isinstance(image, str) else image[8:12] == b"WEBP"
            if isinstance(image, str):
                entry["uri"] = image
            else:
                entry["bufferView"] = self._view(image)
            if webp or "bufferView" in entry:
                entry["mimeType"] = "image/webp" if webp else "image/png"
            self._list("images").append(entry)
            if "samplers" not in self._json:
                self._json["samplers"] = [
                    {"magFilter": 9729, "minFilter": 9987, "wrapS": 10497, "wrapT": 10497}
                ]
            texture: dict[str, Any] = {"sampler": 0}
            source = {"source": len(self._json["images"]) - 1}
            if webp:
                texture["extensions"] = {_WEBP: source}
                self._used.add(_WEBP)
            else:
                texture |= source
            self._list("textures").append(texture)
            self._image_index[image] = len(self._json["textures"]) - 1
        return self._image_index[image]

    def add_material(self, material: Material, name: str = "") -> int:
        """The index of `material`, written once under `name` (by default its own)."""
        name = name or material.name
        key = f"{name} {material!r}"
        if key not in self._materials:
            maps = self._images(material)
            pbr: dict[str, Any] = {
                "baseColorFactor": [*material.color, 1.0],
                "metallicFactor": material.metallic,
                "roughnessFactor": material.roughness,
            }
            entry: dict[str, Any] = {"name": name, "pbrMetallicRoughness": pbr}
            if "albedo" in maps:
                pbr["baseColorTexture"] = {"index": self._texture(maps["albedo"], f"{name} albedo")}
            if "surface" in maps:
                surface = self._texture(maps["surface"], f"{name} occlusion-roughness-metallic")
                pbr["metallicRoughnessTexture"] = {"index": surface}
                entry["occlusionTexture"] = {"index": surface}
            if "normal" in maps and material.dome is None:
                entry["normalTexture"] = {"index": self._texture(maps["normal"], f"{name} normal")}
            if material.glow is not None:
                entry["emissiveFactor"] = list(material.glow)
            if material.cutout:
                entry |= {
                    "alphaMode": "MASK",
                    "alphaCutoff": 0.5,
                    "doubleSided": not material.one_sided,
                }
            extras = dict(material.extras)
            if material.translucency:
                extras["translucency"] = material.translucency
            if material.dome is not None:
                extras["dome"] = asdict(material.dome)
            # normals of a dome are in the asset's axes, which the format has no place for
            for extra in ("translucency", "depth", *(["normal"] if material.dome else [])):
                if extra in maps:
                    extras[f"{extra}Texture"] = {
                        "index": self._texture(maps[extra], f"{name} {extra}")
                    }
            if extras:
                entry["extras"] = extras
            self._list("materials").append(entry)
            self._materials[key] = len(self._json["materials"]) - 1
        return self._materials[key]

    def add_mesh(
        self,
        mesh: Mesh,
        materials: dict[str, Material],
        name: str,
        prefix: str = "",
        shapes: Sequence[Mesh] = (),
        shares: UInt8 | None = None,
        off: float = PLACE,
    ) -> int:
        """The index of `mesh`, one primitive a part; parts draw the materials of their slots.

        Args:
            off: metres that its corners may be off where it is compressed.
            shapes: other shapes of the same topology, written as morph targets.
            shares: (vertices, 4 k) of ground classes, four in each of the channels _CLASS_0, _CLASS_1, …
        """
        packs = self._packs
        self._packs = packs and not shapes  # what is blended stays as it is
        if self._packs:
            mesh, rows = reordered(mesh)
            shares = None if shares is None else shares[rows]
        attributes = {
            "POSITION": self._channel(mesh.positions, "place", off, bounds=True),
            "NORMAL": self._channel(mesh.normals, "facing", off),
        }
        mapped = self._images is not no_images and any(
            m.maps is not None for m in materials.values()
        )
        if materials:
            attributes["TEXCOORD_0"] = self._channel(mesh.uv0, "uv", off)
        if mapped and mesh.tangents is not None:
            attributes["TANGENT"] = self._channel(mesh.tangents, "tangent", off)
        if mesh.uv1 is not None:
            attributes["TEXCOORD_1"] = self._channel(mesh.uv1, "uv", off)
        four_each = {"COLOR_0": mesh.colors, "_WIND": mesh.wind, "_MASKS": mesh.masks}
        for called, values in four_each.items():
            if values is not None:
                attributes[called] = self._channel(values, "bytes", off)
        for k in range(0, 0 if shares is None else shares.shape[1], 4):
            assert shares is not None
            four = np.ascontiguousarray(shares[:, k : k + 4])
            attributes[f"_CLASS_{k // 4}"] = self._channel(four, "bytes", off)
        targets = [
            {
                "POSITION": self._accessor(shape.positions - mesh.positions, 34962, bounds=True),
                "NORMAL": self._accessor(shape.normals - mesh.normals, 34962),
            }
            for shape in shapes
        ]
        small = np.uint16 if mesh.vertices < 65_535 else np.uint32
        primitives = []
        for part in mesh.parts:
            corners = mesh.indices[part.first : part.first + part.count].reshape(-1).astype(small)
            told = (
                self._packed(packed_indices(corners), 34963)
                if self._packs
                else self._accessor(corners, 34963)
            )
            primitive: dict[str, Any] = {"attributes": attributes, "indices": told}
            if part.material in materials:
                primitive["material"] = self.add_material(
                    materials[part.material], self._called(part.material, materials, prefix)
                )
            if targets:
                primitive["targets"] = targets
            primitives.append(primitive)
        self._packs = packs
        entry: dict[str, Any] = {"name": name, "primitives": primitives}
        if targets:
            entry["weights"] = [0.0] * len(targets)
        self._list("meshes").append(entry)
        return len(self._json["meshes"]) - 1

    def add_named(
        self, mesh: Mesh, materials: dict[str, Material], nodes: Sequence[Named]
    ) -> list[int]:
        """A node for each of `nodes`: its name, its triangles of `mesh`, what was noted on it."""
        return [
            self.add_node(
                node.name,
                self.add_mesh(run_of(mesh, node.first, node.count), materials, node.name),
                extras=node.extras,
            )
            for node in nodes
        ]

    @staticmethod
    def _called(slot: str, materials: dict[str, Material], prefix: str) -> str:
        """The name of a slot's material: the one that was given to it, or the slot's own behind `prefix`."""
        name = materials[slot].name
        return f"{prefix}{slot}" if name == slot else name

    def add_instances(self, position: Any, rotation: Any, scale: Any) -> Instances:
        """Accessors for n instances: (n, 3), (n, 4) xyzw and (n, 3) arrays."""
        names: dict[str, tuple[Any, Channel]] = {
            "TRANSLATION": (position, "place"),
            "ROTATION": (rotation, "turn"),
            "SCALE": (scale, "size"),
        }
        attributes = {}
        for name, (values, channel) in names.items():
            rows = np.asarray(values, np.float32)
            attributes[name] = (
                self._packed(packed(rows, channel, GROUND), None)
                if self._packs
                else self._accessor(rows, None)
            )
        return Instances(attributes, len(position))

    def add_light(self, lamp: Lamp, name: str) -> int:
        """The index of a light to all sides (KHR_lights_punctual), written once under each name."""
        lights = self._json.setdefault("extensions", {}).setdefault(
            "KHR_lights_punctual", {"lights": []}
        )["lights"]
        light = {
            "name": name,
            "type": "point",
            "color": list(lamp.color),
            "intensity": lamp.candela,
            "range": lamp.reach,
        }
        if light not in lights:
            lights.append(light)
        return lights.index(light)  # type: ignore[no-any-return]

    def add_node(
        self,
        name: str,
        mesh: int | None = None,
        *,
        light: int | None = None,
        instances: Instances | None = None,
        levels: Sequence[int] = (),
        coverage: Sequence[float] = (),
        children: Sequence[int] = (),
        extras: dict[str, Any] | None = None,
        translation: Sequence[float] | None = None,
        rotation: Sequence[float] | None = None,
        scale: Sequence[float] | None = None,
    ) -> int:
        """The index of a new node.

        Args:
            levels: nodes that stand for this one farther away, nearest first (MSFT_lod).
            coverage: the least share of the screen's height at which each level, this one first, is shown.
        """
        node: dict[str, Any] = {"name": name}
        extras = dict(extras or {})
        for key, value in (
            ("mesh", mesh),
            ("translation", translation),
            ("rotation", rotation),
            ("scale", scale),
        ):
            if value is not None:
                node[key] = (
                    [float(v) for v in value] if isinstance(value, Sequence | np.ndarray) else value
                )
        if children:
            node["children"] = list(children)
        extensions: dict[str, Any] = {}
        if instances is not None:
            extensions["EXT_mesh_gpu_instancing"] = {"attributes": instances.attributes}
        if light is not None:
            extensions["KHR_lights_punctual"] = {"light": light}
        if levels:
            extensions["MSFT_lod"] = {"ids": list(levels)}
            extras["MSFT_screencoverage"] = list(coverage)
        if extensions:
            node["extensions"] = extensions
            self._used.update(extensions)
        if extras:
            node["extras"] = extras
        self._list("nodes").append(node)
        return len(self._json["nodes"]) - 1

    def add_animation(self, name: str, node: int, times: Any, weights: Any) -> None:
        """Weights (keys, targets) of the morph targets of a node's mesh at `times` (keys,) in seconds, linear between them."""
        keys = np.asarray(times, np.float32)
        source = self._accessor(keys, None)
        accessor = self._json["accessors"][source]
        accessor["min"], accessor["max"] = [float(keys[0])], [float(keys[-1])]
        values = self._accessor(np.asarray(weights, np.float32).reshape(-1), None)
        sampler = {"input": source, "output": values, "interpolation": "LINEAR"}
        channel = {"sampler": 0, "target": {"node": node, "path": "weights"}}
        self._list("animations").append(
            {"name": name, "samplers": [sampler], "channels": [channel]}
        )

    def add_spin(self, name: str, nodes: Sequence[int], spin: Sequence[float]) -> None:
        """An animation of one whole turn of each of `nodes`, over and over.

        Args:
            spin: (3,) radians a second about the nodes' own axes; not all 0.
        """
        speed = float(np.linalg.norm(spin))
        half = np.arange(5) * math.pi / 4  # a quarter of a turn from one to the next
        axis = np.asarray(spin, np.float64) / speed
        turns = np.concatenate([np.sin(half)[:, None] * axis, np.cos(half)[:, None]], axis=1)
        keys = (np.arange(5) * (math.pi / 2 / speed)).astype(np.float32)
        source = self._accessor(keys, None)
        accessor = self._json["accessors"][source]
        accessor["min"], accessor["max"] = [float(keys[0])], [float(keys[-1])]
        sampler = {"input": source, "output": self._accessor(turns.astype(np.float32), None)}
        channels = [{"sampler": 0, "target": {"node": node, "path": "rotation"}} for node in nodes]
        animation = {"name": name, "samplers": [sampler], "channels": channels}
        self._list("animations").append(animation)

    @property
    def body(self) -> bytes:
        """The binary part."""
        return b"".join(self._chunks)

    def outside(self) -> Outside:
        """All meshes added so far, for `take` of other builders; they are in the order in which they were added, and their bytes in `body`."""
        names = (
            "bufferViews",
            "accessors",
            "images",
            "samplers",
            "textures",
            "materials",
            "meshes",
        )
        told = {name: self._json[name] for name in names if name in self._json}
        return Outside(self._length, told, frozenset(self._used), self._unpacked)

    def take(self, other: Outside, uri: str) -> int:
        """The index of the first mesh of `other`, whose bytes lie at `uri`."""
        buffer = (2 if self._packs else 1) + len(self._beside)
        self._beside.append({"uri": uri, "byteLength": other.size})
        told = other.told.get("bufferViews", ())
        first = len(self._list("bufferViews"))
        views = range(first, first + len(told))
        if other.unpacked:
            self._json["bufferViews"] += [self._moved(view, buffer) for view in told]
        else:
            own = {"buffer": buffer}
            self._json["bufferViews"] += [view | own for view in told]
        if "samplers" in other.told:
            self._json.setdefault("samplers", other.told["samplers"])
        textures = [
            self._taken_texture(texture, other.told["images"][k], uri, first)
            for k, texture in enumerate(other.told.get("textures", ()))
        ]
        return self._taken(other, views, textures)

    def take_in(self, other: Outside, body: bytes, read: Callable[[str], bytes]) -> int:
        """The index of the first mesh of `other`, whose bytes are taken into the file.

        Args:
            body: the bytes of `other`.
            read: gives the images at addresses.
        """
        images = other.told.get("images", ())
        drawn = {image["bufferView"] for image in images if "bufferView" in image}
        views = []
        for k, view in enumerate(other.told.get("bufferViews", ())):
            views.append(len(self._list("bufferViews")))
            if k in drawn:  # images that are the same are written once
                continue
            packed = view.get("extensions", {}).get(_MESHOPT, view)
            at = packed.get("byteOffset", 0)
            own = {"byteOffset": self._stored(body[at : at + packed["byteLength"]])}
            if packed is view:
                moved = view | own
            else:
                offset = {"byteOffset": self._unpacked + view["byteOffset"]}
                moved = view | offset | {"extensions": {_MESHOPT: packed | own}}
            self._list("bufferViews").append(moved)

        def bytes_of(image: dict[str, Any]) -> bytes:
            if "uri" in image:
                return read(image["uri"])
            view = other.told["bufferViews"][image["bufferView"]]
            return body[view["byteOffset"] : view["byteOffset"] + view["byteLength"]]

        textures = [self._texture(bytes_of(image), image["name"]) for image in images]
        return self._taken(other, views, textures)

    def _taken(self, other: Outside, views: Sequence[int], textures: Sequence[int]) -> int:
        """The index of the first mesh of `other`, whose views and textures have been taken."""
        self._unpacked += other.unpacked
        self._used |= other.used
        accessors, meshes = (len(self._list(name)) for name in ("accessors", "meshes"))
        materials = [
            self._taken_material(material, look, textures)
            for material, look in zip(other.told.get("materials", ()), other.looks, strict=True)
        ]
        self._json["accessors"] += [
            accessor | {"bufferView": views[accessor["bufferView"]]}
            for accessor in other.told.get("accessors", ())
        ]
        for mesh in other.told.get("meshes", ()):
            primitives = [_shifted(p, accessors, materials) for p in mesh["primitives"]]
            self._json["meshes"].append({"name": mesh["name"], "primitives": primitives})
        return meshes

    def _moved(self, view: dict[str, Any], buffer: int) -> dict[str, Any]:
        """A view of what may be compressed, and lies in another buffer."""
        if "extensions" not in view:
            return view | {"buffer": buffer}
        packed = view["extensions"][_MESHOPT] | {"buffer": buffer}
        at = self._unpacked + view["byteOffset"]
        return view | {"byteOffset": at, "extensions": {_MESHOPT: packed}}

    def _taken_texture(
        self, texture: dict[str, Any], image: dict[str, Any], uri: str, views: int
    ) -> int:
        """The index of a texture of another builder; images of the same address are one."""
        inside = "bufferView" in image
        key = f"{uri} {image['bufferView']}" if inside else image["uri"]
        if key not in self._image_index:
            if inside:
                image = image | {"bufferView": image["bufferView"] + views}
            self._list("images").append(image)
            source = {"source": len(self._json["images"]) - 1}
            drawn = {"extensions": {_WEBP: source}} if "extensions" in texture else source
            self._list("textures").append(texture | drawn)
            self._image_index[key] = len(self._json["textures"]) - 1
        return self._image_index[key]

    def _taken_material(self, material: dict[str, Any], look: str, textures: Sequence[int]) -> int:
        """The index of a material of another builder; equal ones are one."""
        key = look or orjson.dumps(_with_textures(material, textures)).decode()
        if key not in self._materials:
            self._list("materials").append(_with_textures(material, textures))
            self._materials[key] = len(self._json["materials"]) - 1
        return self._materials[key]

    def finish(self, roots: Sequence[int], extras: dict[str, Any] | None = None) -> bytes:
        """The file, with `roots` as the nodes of its scene."""
        doc = self._json
        doc["scene"] = 0
        doc["scenes"] = [{"nodes": list(roots)}]
        if extras:
            doc["scenes"][0]["extras"] = extras
        if self._used:
            doc["extensionsUsed"] = sorted(self._used)
            required = {"EXT_mesh_gpu_instancing", _MESHOPT, _SMALLER, _WEBP} & self._used
            if required:
                doc["extensionsRequired"] = sorted(required)
        if self._length:
            doc["buffers"] = [{"byteLength": self._length}]
        if self._unpacked:
            fallback = {"byteLength": self._unpacked, "extensions": {_MESHOPT: {"fallback": True}}}
            doc["buffers"].append(fallback)
        if self._beside:
            assert self._length, "the first buffer is the file's own"
            doc["buffers"] += self._beside
        text = orjson.dumps(doc)
        text += b" " * (-len(text) % 4)
        body = self.body
        total = 12 + 8 + len(text) + (8 + len(body) if body else 0)
        out = [struct.pack("<III", MAGIC, 2, total), struct.pack("<II", len(text), JSON_PART), text]
        if body:
            out += [struct.pack("<II", len(body), _BIN), body]
        return b"".join(out)


def _with_textures(told: dict[str, Any], textures: Sequence[Any]) -> dict[str, Any]:
    """What a material tells, with the indices of its textures as `textures` says."""

    def of(name: str, value: Any) -> Any:
        if not isinstance(value, dict):
            return value
        if name.endswith("Texture"):
            return value | {"index": textures[value["index"]]}
        return _with_textures(value, textures)

    return {name: of(name, value) for name, value in told.items()}


def _shifted(primitive: dict[str, Any], accessors: int, materials: Sequence[int]) -> dict[str, Any]:
    """A primitive whose accessors begin later, and whose materials are those of `materials`."""
    attributes = {name: k + accessors for name, k in primitive["attributes"].items()}
    out = {"attributes": attributes, "indices": primitive["indices"] + accessors}
    if "material" in primitive:
        out["material"] = materials[primitive["material"]]
    return out


def mesh_glb(
    mesh: Mesh,
    materials: dict[str, Material],
    name: str,
    images: Images = no_images,
    extras: dict[str, Any] | None = None,
    lamps: Sequence[Lamp] = (),
    shares: UInt8 | None = None,
    packs: bool = False,
) -> bytes:
    """One mesh as a GLB, with its lamps; `extras` go to the scene, `shares` (vertices, 4 k) to channels of ground classes."""
    builder = GlbBuilder(images, packs)
    lights = [
        builder.add_node(
            f"{name}-lamp-{k}", light=builder.add_light(x, name), translation=x.position
        )
        for k, x in enumerate(lamps)
    ]
    shape = builder.add_mesh(mesh, materials, name, shares=shares)
    root = builder.add_node(name, shape, children=lights)
    return builder.finish([root], extras)
