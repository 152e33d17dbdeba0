"""Vertex and index data as EXT_meshopt_compression stores them, with the filters that suit each channel.

Positions, texture coordinates and what instances are placed by stay floats whose mantissas are cut to what is asked for (filter EXPONENTIAL), so
that no node needs to undo a scale. Normals and tangents become octahedral bytes, turns of instances quaternions of 16 bits (KHR_mesh_quantization).
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any, Literal, NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64, Int64
from plough.core.mesh.value import Mesh

PLACE = 2e-4  #: metres, that corners of meshes are off at most
GROUND = 1e-3  #: metres, that those of the ground and places of instances are off at most
UV = 2e-4  #: of a repeat, that texture coordinates are off at most
FACING = 1.25  #: degrees, that normals and tangents are off at most
TURN = 0.02  #: degrees, that instances are turned otherwise at most
SIZE = 2e-4  #: of their size, that instances are larger or smaller at most
Channel = Literal["place", "uv", "facing", "tangent", "turn", "size", "bytes"]


class Packed(NamedTuple):
    """A buffer view: its bytes, and what reads them."""

    data: bytes
    rows: int
    stride: int
    mode: Literal["ATTRIBUTES", "TRIANGLES"]
    filter: str  #: NONE where there is none
    component: int  #: the accessor's component type
    normalized: bool
    values: Float64  #: (n, k) as they come back


def _bits(most: float, off: float) -> int:
    """Bits of a mantissa, its sign included, in which values up to `most` are off by no more than that."""
    return min(24, max(8, math.ceil(math.log2(max(most, 1e-9) / max(off, 1e-9))) + 1))


def _floats(values: Float32, off: float) -> Packed:
    import meshopt

    plain = np.ascontiguousarray(values, np.float32)
    bits = _bits(float(np.abs(plain).max(initial=0.0)), off)
    rows: Any = meshopt.encode_filter_exp(plain, bits, "SharedComponent")
    told = np.ascontiguousarray(rows).view(np.int32).reshape(plain.shape)
    exponent = told >> 24
    mantissa = (told << 8) >> 8
    back = np.ldexp(mantissa.astype(np.float64), exponent)
    return Packed(
        meshopt.encode_gltf_buffer(rows, "ATTRIBUTES"),
        len(plain),
        4 * plain.shape[1],
        "ATTRIBUTES",
        "EXPONENTIAL",
        5126,
        False,
        back,
    )


def _through(rows: Any, count: int, stride: int, name: str, kind: type) -> tuple[bytes, Any]:
    """A filtered buffer, and its numbers as they come back."""
    import meshopt

    data = meshopt.encode_gltf_buffer(rows, "ATTRIBUTES")
    back = meshopt.decode_gltf_buffer(data, count, stride, "ATTRIBUTES", name)
    return data, np.ascontiguousarray(back).view(kind).reshape(count, -1)


def _facing(values: Float32) -> Packed:
    import meshopt

    n = len(values)
    four = np.zeros((n, 4), np.float32)
    four[:, : values.shape[1]] = values
    rows = meshopt.encode_filter_oct(four, 4, 8)
    data, back = _through(rows, n, 4, "OCTAHEDRAL", np.int8)
    return Packed(data, n, 4, "ATTRIBUTES", "OCTAHEDRAL", 5120, True, back / 127.0)


def _turns(values: Float32) -> Packed:
    import meshopt

    n = len(values)
    rows = meshopt.encode_filter_quat(np.ascontiguousarray(values, np.float32), 8, 16)
    data, back = _through(rows, n, 8, "QUATERNION", np.int16)
    return Packed(data, n, 8, "ATTRIBUTES", "QUATERNION", 5122, True, back / 32767.0)


def _bytes(values: Any) -> Packed:
    import meshopt

    rows = np.ascontiguousarray(values)
    data = meshopt.encode_gltf_buffer(rows, "ATTRIBUTES")
    return Packed(
        data, len(rows), rows.shape[1], "ATTRIBUTES", "NONE", 5121, True, rows.astype(float)
    )


def packed(values: Any, channel: Channel, off: float = PLACE) -> Packed:
    """Rows of a channel.

    Args:
        values: (n, k) float32; of `bytes` (n, 4) uint8.
        off: metres that places are off at most.
    """
    if channel == "place":
        return _floats(values, off)
    if channel == "uv":
        return _floats(values, UV)
    if channel == "size":
        return _floats(values, SIZE * float(np.abs(values).min(initial=1.0)))
    if channel in ("facing", "tangent"):
        return _facing(values)
    return _turns(values) if channel == "turn" else _bytes(values)


def packed_indices(indices: Any) -> Packed:
    """Corners of triangles, (3 m,) 16 or 32 bits."""
    import meshopt

    data = meshopt.encode_gltf_buffer(np.ascontiguousarray(indices), "TRIANGLES")
    component = 5123 if indices.dtype == np.uint16 else 5125
    size = indices.dtype.itemsize
    return Packed(data, len(indices), size, "TRIANGLES", "NONE", component, False, np.empty((0, 0)))


def reordered(mesh: Mesh) -> tuple[Mesh, Int64]:
    """The same triangles, each part's in an order in which corners are met again soon, and vertices in the order in which they are met; and of each vertex the row that it was."""
    import meshopt

    indices = mesh.indices.astype(np.uint32)
    for part in mesh.parts:
        rows = indices[part.first : part.first + part.count].reshape(-1)
        told, place, used = meshopt.reorder_mesh(rows, True, False)
        was = np.zeros(max(used, 1), np.uint32)
        here = np.unique(rows)
        was[np.asarray(place)[here]] = here
        indices[part.first : part.first + part.count] = was[np.asarray(told)].reshape(-1, 3)
    flat = indices.reshape(-1)
    met, first = np.unique(flat, return_index=True)
    order: Int64 = met[np.argsort(first, kind="stable")].astype(np.int64)
    place_of = np.zeros(mesh.vertices, np.uint32)
    place_of[order] = np.arange(len(order), dtype=np.uint32)
    channels = ("positions", "normals", "uv0", "tangents", "colors", "wind", "uv1", "masks")
    own = {c: getattr(mesh, c) for c in channels}
    told = {c: v[order] for c, v in own.items() if v is not None}
    return replace(mesh, indices=place_of[indices], **told), order
