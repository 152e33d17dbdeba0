"""The mesh value."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, fields, replace
from typing import Any

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt8, UInt32
from plough.core.hashing import digest, key_of


@dataclass(frozen=True, slots=True)
class Part:
    """A run of triangles with one material slot."""

    material: str  #: name of the slot
    first: int  #: first row of `indices`
    count: int  #: rows


@dataclass(frozen=True, slots=True)
class Named:
    """A run of triangles that had a name of its own in the file that they are from."""

    name: str
    first: int  #: triangle
    count: int
    extras: dict[str, Any] = field(default_factory=dict)  #: what was noted on it


@dataclass(frozen=True, slots=True)
class Mesh:
    """Triangles as arrays, counter-clockwise seen from outside."""

    positions: Float32  #: (n, 3) metres
    normals: Float32  #: (n, 3) unit
    uv0: Float32  #: (n, 2) v runs down, as glTF
    indices: UInt32  #: (m, 3)
    parts: tuple[Part, ...]  #: cover `indices` in order
    tangents: Float32 | None = None  #: (n, 4) unit, w = handedness
    colors: UInt8 | None = None  #: (n, 4) linear tint over the albedo
    wind: UInt8 | None = None  #: (n, 4) sway, branch phase, flutter, occlusion
    uv1: Float32 | None = None  #: (n, 2) without overlap
    masks: UInt8 | None = (
        None  #: (n, 4) of stone: worn edges, what looks up, hollows, patches; of turned pieces: wear, glaze, dirt, patches; of skins: how far from what was fused, what looks up
    )

    @property
    def triangles(self) -> int:
        """Number of triangles."""
        return int(self.indices.shape[0])

    @property
    def vertices(self) -> int:
        """Number of vertices."""
        return int(self.positions.shape[0])

    @property
    def tint(self) -> UInt8:
        """(n, 4) `colors`; white where there are none."""
        return (
            self.colors if self.colors is not None else np.full((self.vertices, 4), 255, np.uint8)
        )

    @property
    def nbytes(self) -> int:
        """Bytes of all arrays."""
        arrays = (
            self.positions,
            self.normals,
            self.uv0,
            self.indices,
            self.tangents,
            self.colors,
            self.wind,
            self.uv1,
            self.masks,
        )
        return sum(a.nbytes for a in arrays if a is not None)

    def bounds(self) -> tuple[Float32, Float32]:
        """Least and greatest corner, each (3,) metres; zeros for an empty mesh."""
        if not self.vertices:
            return np.zeros(3, np.float32), np.zeros(3, np.float32)
        return self.positions.min(axis=0), self.positions.max(axis=0)


def mesh_key(mesh: Mesh) -> str:
    """Tells a mesh from any other."""
    told: list[Any] = []
    for f in fields(mesh):
        value = getattr(mesh, f.name)
        if isinstance(value, np.ndarray):
            told.append([f.name, digest(np.ascontiguousarray(value).data)])
        elif f.name == "parts":
            told.append([[p.material, p.first, p.count] for p in value])
    return key_of(told)


def join(meshes: Sequence[Mesh]) -> Mesh:
    """One mesh of several; parts with the same material that meet are merged.

    Optional channels are kept when every mesh has them. Raises `ValueError` on an empty sequence.
    """
    if not meshes:
        raise ValueError("join needs at least one mesh")
    vertex_offset, row, indices = 0, 0, []
    parts: list[Part] = []
    for mesh in meshes:
        indices.append(mesh.indices + np.uint32(vertex_offset))
        for part in mesh.parts:
            if not part.count:
                continue
            if parts and parts[-1].material == part.material:
                parts[-1] = replace(parts[-1], count=parts[-1].count + part.count)
            else:
                parts.append(Part(part.material, row + part.first, part.count))
        vertex_offset += mesh.vertices
        row += mesh.triangles

    def optional(name: str) -> Any:
        arrays = [getattr(m, name) for m in meshes]
        return None if any(a is None for a in arrays) else np.concatenate(arrays)

    return Mesh(
        positions=np.concatenate([m.positions for m in meshes]),
        normals=np.concatenate([m.normals for m in meshes]),
        uv0=np.concatenate([m.uv0 for m in meshes]),
        indices=np.concatenate(indices),
        parts=tuple(parts),
        tangents=optional("tangents"),
        colors=optional("colors"),
        wind=optional("wind"),
        masks=optional("masks"),
    )


def chosen(mesh: Mesh, triangles: UInt32 | Int64, owner: Int64) -> Mesh:
    """Some triangles of `mesh`: (m, 3) vertices, in the order of its parts, and the (m,) part of each; vertices that none uses are left out."""
    kept, indices = np.unique(triangles.reshape(-1), return_inverse=True)
    counts = np.bincount(owner, minlength=len(mesh.parts))
    first = np.cumsum(counts) - counts
    parts = tuple(
        Part(p.material, int(f), int(c))
        for p, f, c in zip(mesh.parts, first, counts, strict=True)
        if c
    )
    taken: dict[str, Any] = {
        name: None if (array := getattr(mesh, name)) is None else np.ascontiguousarray(array[kept])
        for name in ("positions", "normals", "uv0", "tangents", "colors", "wind", "uv1", "masks")
    }
    faces: UInt32 = indices.reshape(-1, 3).astype(np.uint32)
    return replace(mesh, indices=faces, parts=parts, **taken)


def run_of(mesh: Mesh, first: int, count: int) -> Mesh:
    """The triangles `first` to `first + count` of `mesh` alone."""
    owner = np.repeat(np.arange(len(mesh.parts)), [p.count for p in mesh.parts])
    return chosen(mesh, mesh.indices[first : first + count], owner[first : first + count])


def transformed(mesh: Mesh, matrix: Float64) -> Mesh:
    """`mesh` under a (4, 4) matrix without mirroring; normals follow the inverse transpose."""
    linear = np.asarray(matrix[:3, :3], np.float64)
    normals = mesh.normals @ np.linalg.inv(linear).astype(np.float32)
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-20)
    tangents = mesh.tangents
    if tangents is not None:
        direction = tangents[:, :3] @ linear.T.astype(np.float32)
        direction /= np.maximum(np.linalg.norm(direction, axis=1, keepdims=True), 1e-20)
        tangents = np.concatenate([direction, tangents[:, 3:]], axis=1)
    positions = (mesh.positions @ linear.T + matrix[:3, 3]).astype(np.float32)
    return replace(mesh, positions=positions, normals=normals.astype(np.float32), tangents=tangents)
