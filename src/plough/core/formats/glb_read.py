"""Reads glTF 2.0 in its binary form: meshes at rest, with the names and extras of nodes and materials.

All counts are held against the file's length before anything is made of them.
"""

from __future__ import annotations

import base64
import binascii
import struct
from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np
import orjson

from plough.core.arrays import Float32, Float64, UInt8
from plough.core.errors import FormatError, TooLargeError
from plough.core.formats.model import MOST_PIECES, PLAIN, Covering, Model, Piece, used

MAGIC, JSON_PART = 0x46546C67, 0x4E4F534A
MOST_NODES = 20_000
_DTYPES = dict(
    zip((5120, 5121, 5122, 5123, 5125, 5126), ("i1", "u1", "<i2", "<u2", "<u4", "<f4"), strict=True)
)
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}
_KNOWN = {
    "KHR_lights_punctual",
    "KHR_materials_emissive_strength",
    "KHR_materials_ior",
    "KHR_materials_specular",
    "KHR_materials_unlit",
    "KHR_mesh_quantization",
    "MSFT_lod",
}  #: extensions without which a mesh is still what it is


def read_json(data: bytes) -> dict[str, Any]:
    """The JSON part of a GLB. Raises `FormatError` when `data` is none."""
    if len(data) < 20 or struct.unpack_from("<I", data)[0] != MAGIC:
        raise FormatError("this is not a GLB file: it does not begin with 'glTF'")
    length, kind = struct.unpack_from("<II", data, 12)
    if kind != JSON_PART or 20 + length > len(data):
        raise FormatError("the GLB file is damaged: its JSON part is missing or cut off")
    try:
        told = orjson.loads(data[20 : 20 + length])
    except orjson.JSONDecodeError:
        raise FormatError("the GLB file is damaged: its JSON part cannot be read") from None
    if not isinstance(told, dict):
        raise FormatError("the GLB file is damaged: its JSON part is no object")
    return told


def binary_part(data: bytes) -> bytes:
    """The binary part of a GLB that `read_json` has read, or whose maker is known."""
    length = struct.unpack_from("<I", data, 12)[0]
    return data[28 + length :]


class _File:
    def __init__(self, data: bytes) -> None:
        self.json: dict[str, Any] = read_json(data)
        (length,) = struct.unpack_from("<I", data, 12)
        start = 20 + length + 8
        self.body = memoryview(data)[start:]
        self._images: dict[int, bytes] = {}  # by place: many materials share one
        unknown = sorted(set(self.json.get("extensionsRequired", ())) - _KNOWN)
        if unknown:
            raise FormatError(
                f"the file needs {', '.join(unknown)}, which is not read; write it without"
            )

    def item(self, name: str, index: Any) -> dict[str, Any]:
        """One entry of a list of the file."""
        found = self.json.get(name, [])
        if not isinstance(index, int) or not 0 <= index < len(found):
            raise FormatError(f"the file is damaged: there is no entry {index} in {name}")
        entry: dict[str, Any] = found[index]
        return entry

    def view(self, index: Any) -> tuple[memoryview, int]:
        """The bytes of a buffer view, and its stride."""
        view = self.item("bufferViews", index)
        if view.get("buffer", 0) != 0 or "uri" in self.item("buffers", 0):
            raise FormatError("the file refers to other files; write it as one GLB")
        start, length = int(view.get("byteOffset", 0)), int(view["byteLength"])
        if start < 0 or length < 0 or start + length > len(self.body):
            raise FormatError("the file is damaged or cut off: a view lies beyond its end")
        return self.body[start : start + length], int(view.get("byteStride", 0))

    def accessor(self, index: Any) -> Any:
        """(n, width) values; those that are told as shares come as floats."""
        told = self.item("accessors", index)
        if "sparse" in told:
            raise FormatError("the file holds sparse accessors, which are not read")
        dtype: np.dtype[Any] = np.dtype(_DTYPES.get(told.get("componentType", 0), "V1"))
        width, count = _WIDTHS.get(told.get("type", ""), 0), int(told.get("count", 0))
        if dtype.kind == "V" or not width:
            raise FormatError(f"the file is damaged: accessor {index} is of no known type")
        if "bufferView" not in told:
            raise FormatError(f"accessor {index} holds no data")
        data, stride = self.view(told["bufferView"])
        start, size = int(told.get("byteOffset", 0)), dtype.itemsize * width
        stride = stride or size
        if (
            count < 1
            or start < 0
            or stride < size
            or start + stride * (count - 1) + size > len(data)
        ):
            raise FormatError(f"the file is damaged: accessor {index} lies beyond its view")
        values = np.ndarray((count, width), dtype, data, start, (stride, dtype.itemsize))
        if told.get("normalized") and dtype.kind in "iu":
            return np.maximum(values / np.float32(np.iinfo(dtype).max), -1.0).astype(np.float32)
        return values.astype(np.float32) if dtype.kind == "f" else values.copy()

    def image(self, texture: Mapping[str, Any] | None) -> bytes | None:
        """The bytes of a texture's image."""
        if texture is None:
            return None
        source = self.item("textures", texture.get("index")).get("source")
        if source is None:
            raise FormatError("a texture is in a format that is not read; PNG and JPEG are")
        if source not in self._images:
            self._images[source] = self._bytes_of(self.item("images", source))
        return self._images[source]

    def _bytes_of(self, image: Mapping[str, Any]) -> bytes:
        if "bufferView" in image:
            return bytes(self.view(image["bufferView"])[0])
        address = str(image.get("uri", ""))
        if not address.startswith("data:"):
            raise FormatError(f"the image {address[:60]!r} is not in the file; write it as one GLB")
        try:
            return base64.b64decode(address.partition(",")[2], validate=True)
        except binascii.Error:
            raise FormatError("an image in the file is damaged") from None


def _covering(file: _File, told: Mapping[str, Any], name: str) -> Covering:
    pbr = told.get("pbrMetallicRoughness", {})
    r, g, b, opacity = (float(v) for v in pbr.get("baseColorFactor", (1, 1, 1, 1)))
    found = {
        "albedo": file.image(pbr.get("baseColorTexture")),
        "normal": file.image(told.get("normalTexture")),
        "surface": file.image(pbr.get("metallicRoughnessTexture")),
        "occlusion": file.image(told.get("occlusionTexture")),
        "emission": file.image(told.get("emissiveTexture")),
    }
    alpha = {"MASK": "mask", "BLEND": "blend"}.get(told.get("alphaMode", ""), "opaque")
    strength = told.get("extensions", {}).get("KHR_materials_emissive_strength", {})
    power = float(strength.get("emissiveStrength", 1.0))
    er, eg, eb = (float(v) * power for v in told.get("emissiveFactor", (0, 0, 0)))
    return Covering(
        str(told.get("name", name)),
        (r, g, b),
        opacity,
        float(pbr.get("roughnessFactor", 1.0)),
        float(pbr.get("metallicFactor", 1.0)),
        (er, eg, eb),
        alpha,  # type: ignore[arg-type]
        bool(told.get("doubleSided", False)),
        {k: v for k, v in found.items() if v is not None},
        dict(told.get("extras") or {}),
    )


def _placed(file: _File) -> Iterator[tuple[int, Float64]]:
    """Every node with a mesh, and where it stands: a (4, 4) matrix."""
    scenes = file.json.get("scenes", [])
    roots = (
        file.item("scenes", file.json.get("scene", 0)).get("nodes", [])
        if scenes
        else range(len(file.json.get("nodes", [])))
    )
    waiting = [(int(n), np.eye(4)) for n in reversed(list(roots))]
    seen = 0
    lower = {
        int(i)
        for node in file.json.get("nodes", [])
        for i in node.get("extensions", {}).get("MSFT_lod", {}).get("ids", [])
    }
    while waiting:
        index, above = waiting.pop()
        seen += 1
        if seen > MOST_NODES:
            raise TooLargeError("mesh", f"the file has more than {MOST_NODES:,} nodes, or a ring")
        node = file.item("nodes", index)
        matrix = above @ _matrix(node)
        if "mesh" in node and index not in lower:
            yield index, matrix
        waiting += [(int(c), matrix) for c in reversed(node.get("children", []))]


def _matrix(node: Mapping[str, Any]) -> Float64:
    if "matrix" in node:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    x, y, z, w = (float(v) for v in node.get("rotation", (0, 0, 0, 1)))
    turn = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    out = np.eye(4)
    out[:3, :3] = turn * np.array(node.get("scale", (1, 1, 1)), np.float64)
    out[:3, 3] = node.get("translation", (0, 0, 0))
    return out


def read_glb(data: bytes, most_triangles: int) -> Model:
    """The model in a GLB, every node in its place.

    Raises:
        FormatError: it is damaged, refers to other files, or holds no triangles.
        TooLargeError: it has more than `most_triangles` triangles, over all nodes, or too many nodes.
    """
    try:
        file = _File(data)
        coverings = [
            _covering(file, m, f"material {k + 1}")
            for k, m in enumerate(file.json.get("materials", []))
        ]
        pieces: list[Piece] = []
        total = 0
        for index, matrix in _placed(file):
            for primitive in file.item("meshes", file.item("nodes", index)["mesh"])["primitives"]:
                if primitive.get("mode", 4) != 4:
                    continue
                if len(pieces) >= MOST_PIECES:
                    raise TooLargeError("mesh", f"has more than {MOST_PIECES:,} pieces")
                corners = primitive["attributes"]["POSITION"]
                counts = [
                    int(file.item("accessors", which)["count"])
                    for which in (corners, primitive.get("indices", corners))
                ]
                total += max(counts) // 3
                if total > most_triangles:
                    raise TooLargeError(
                        "mesh",
                        f"has more than {most_triangles:,} triangles, all nodes together",
                    )
                pieces.append(_piece(file, index, primitive, matrix, len(coverings)))
    except (KeyError, TypeError, ValueError, AttributeError, IndexError, OverflowError) as error:
        raise FormatError(f"the file is damaged ({type(error).__name__}: {error})") from None
    return used(pieces, [*coverings, PLAIN], "glb")


def _piece(
    file: _File, index: int, primitive: Mapping[str, Any], matrix: Float64, plain: int
) -> Piece:
    has = primitive["attributes"]
    node = file.item("nodes", index)
    mesh = file.item("meshes", node["mesh"])
    linear = matrix[:3, :3]
    positions = file.accessor(has["POSITION"]).astype(np.float64) @ linear.T + matrix[:3, 3]
    n = len(positions)

    def channel(name: str, *widths: int) -> Float32 | None:
        if name not in has:
            return None
        values = file.accessor(has[name])
        if len(values) != n or values.shape[1] not in widths:
            raise FormatError(f"the file is damaged: {name} does not fit its positions")
        out: Float32 = values.astype(np.float32)
        return out

    normals = channel("NORMAL", 3)
    if normals is not None:
        turned = normals.astype(np.float64) @ np.linalg.pinv(linear)
        length = np.linalg.norm(turned, axis=1, keepdims=True)
        normals = (turned / np.maximum(length, 1e-20)).astype(np.float32)
    if "indices" in primitive:
        flat = file.accessor(primitive["indices"]).reshape(-1)
        if flat.dtype.kind != "u":
            raise FormatError("the file is damaged: its indices are no whole numbers from 0")
        flat = flat.astype(np.int64)
    else:
        flat = np.arange(n)
    indices = flat[: len(flat) // 3 * 3].reshape(-1, 3)
    if np.linalg.det(linear) < 0:
        indices = indices[:, ::-1]
    extras = {**(mesh.get("extras") or {}), **(node.get("extras") or {})}
    extras |= primitive.get("extras") or {}
    material = primitive.get("material")
    if material is not None:
        file.item("materials", material)
    return Piece(
        str(node.get("name") or mesh.get("name") or f"node {index + 1}"),
        plain if material is None else material,
        positions.astype(np.float32),
        np.ascontiguousarray(indices, np.uint32),
        normals,
        channel("TEXCOORD_0", 2),
        channel("TEXCOORD_1", 2),
        _bytes(channel("COLOR_0", 3, 4)),
        _bytes(channel("_WIND", 4)),
        extras,
    )


def _bytes(values: Float32 | None) -> UInt8 | None:
    if values is None:
        return None
    if values.shape[1] == 3:
        values = np.concatenate([values, np.ones((len(values), 1), np.float32)], axis=1)
    out: UInt8 = np.rint(values.clip(0, 1) * 255).astype(np.uint8)
    return out
