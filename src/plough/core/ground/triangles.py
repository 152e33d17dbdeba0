"""A surface made of triangles: overhangs, arches and all; it is read by rays."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, Int64, UInt64
from plough.core.ground.surface import Hits, Own, Samples
from plough.core.hashing import digest, key_of
from plough.core.kernels import kernel
from plough.core.mesh.material import Material
from plough.core.mesh.rays import shares_at, tree_of
from plough.core.mesh.value import Mesh
from plough.core.tiles import SIZE, Bounds, TileList, code_of, fold, tiles_in
from plough.core.vectors import unit


@dataclass(frozen=True, eq=False)
class TriangleSurface:
    """Triangles to stand on, seen from above where they lie over each other. A `Surface`."""

    mesh: Mesh  #: its normals are those of the surface
    materials: dict[str, Material] = field(default_factory=dict)

    @property
    def own(self) -> Own:
        """What it is made of."""
        return Own(self.mesh, self.materials)

    @cached_property
    def bounds(self) -> Bounds:
        """The rectangle of the map that it lies in, in metres."""
        low, high = self.mesh.bounds()
        return float(low[0]), float(low[2]), float(high[0]), float(high[2])

    @property
    def triangles(self) -> int:
        """Number of triangles."""
        return self.mesh.triangles

    @property
    def nbytes(self) -> int:
        """Bytes of the mesh, and about those of its tree."""
        return self.mesh.nbytes + 120 * self.triangles

    @cached_property
    def key(self) -> str:
        """Tells the triangles and their normals from any others."""
        held = (self.mesh.positions, self.mesh.indices, self.mesh.normals)
        return key_of("triangles", *(digest(a.tobytes()) for a in held))

    @cached_property
    def _tree(self) -> Any:
        return tree_of(self.mesh.positions, self.mesh.indices)

    def _met(self, origin: Float64, direction: Float64) -> Int64:
        """(n,) the triangle that each ray meets first, or -1; rays are cast in the order of their places, which is faster."""
        order = np.argsort(
            code_of(np.floor(origin[:, [0, 2]] / 4.0).astype(np.int64)), kind="stable"
        )
        start: Float32 = np.ascontiguousarray(origin[order], np.float32)
        along = np.ascontiguousarray(direction[order], np.float32)
        out = np.empty(len(origin), np.int64)
        if len(origin):
            out[order] = self._tree.run(start, along)
        return out

    def _at(self, met: Int64, origin: Float64, direction: Float64) -> Hits:
        """Where rays meet the planes of the triangles `met`."""
        hit = met >= 0
        corners = self.mesh.indices[np.maximum(met, 0)]
        a, b, c = (self.mesh.positions[corners[:, k]].astype(np.float64) for k in range(3))
        normal = np.cross(b - a, c - a)
        along = np.einsum("ij,ij->i", normal, direction)
        reach = np.einsum("ij,ij->i", normal, a - origin) / np.where(along == 0, 1.0, along)
        position = origin + np.where(hit, reach, 0.0)[:, None] * direction
        share = shares_at(a, b, c, normal, position)
        smooth = np.einsum("ij,ijk->ik", share, self.mesh.normals[corners].astype(np.float64))
        length = np.linalg.norm(smooth, axis=1, keepdims=True)
        flat = unit(normal)
        out = np.where(length > 1e-6, smooth / np.maximum(length, 1e-12), flat)
        return Hits(np.where(hit, reach, np.inf), position, out)

    def sample(self, x: Float64, z: Float64) -> Samples:
        """The uppermost triangle at each of the places (x, z)."""
        top = float(self.mesh.positions[:, 1].max()) + 1.0
        origin = np.stack([x, np.full(len(x), top), z], axis=1).astype(np.float64)
        down = np.tile(np.array([0.0, -1.0, 0.0]), (len(x), 1))
        met = self._met(origin, down)
        found = self._at(met, origin, down)
        return Samples(found.position, found.normal, met >= 0)

    def cast(self, origin: Float64, direction: Float64) -> Hits:
        """Where rays first meet a triangle, from either side."""
        return self._at(self._met(origin, direction), origin, direction)

    def tiles(self) -> TileList:
        """All tiles of the rectangle that it lies in."""
        x0, z0, x1, z1 = self.bounds
        return tiles_in((x0, z0, max(x1, x0 + 1e-3), max(z1, z0 + 1e-3)))  # a wall has no width

    @cached_property
    def _hashes(self) -> tuple[Int64, UInt64]:
        tiles = self.tiles()
        low, high = tiles.min(axis=0), tiles.max(axis=0)
        sums = _triangle_hashes(
            self.mesh.positions, self.mesh.normals, self.mesh.indices, low, high - low + 1, SIZE
        )
        return code_of(tiles), sums

    def tile_hashes(self, tiles: TileList) -> UInt64:
        """(t, 2) the sum of the hashes of the triangles that each tile can read; it does not hang on their order."""
        codes, hashes = self._hashes
        wanted = code_of(tiles)
        at = np.minimum(np.searchsorted(codes, wanted), len(codes) - 1)
        there: Bool = codes[at] == wanted
        return np.where(there[:, None], hashes[at], np.uint64(0))


@kernel
def _triangle_hashes(
    positions: Any, normals: Any, indices: Any, low: Int64, many: Int64, size: float
) -> UInt64:
    """(t, 2) by tile, row by row: the sum of the hashes of the triangles whose box it meets."""
    out = np.zeros((many[0] * many[1], 2), np.uint64)
    state = np.empty(2, np.uint64)
    place, lit = positions.view(np.uint32), normals.view(np.uint32)
    for t in range(indices.shape[0]):
        state[0], state[1] = np.uint64(17), np.uint64(19)
        x0 = z0 = np.inf
        x1 = z1 = -np.inf
        # the corners from the least on, so that it does not matter with which a triangle begins
        first = 0
        for k in range(1, 3):
            for c in range(3):
                p, q = positions[indices[t, k], c], positions[indices[t, first], c]
                if p != q:
                    if p < q:
                        first = k
                    break
        for k in range(3):
            v = indices[t, (first + k) % 3]
            for c in range(3):
                fold(state, np.uint64(place[v, c]))
                fold(state, np.uint64(lit[v, c]))
            x0, x1 = min(x0, positions[v, 0]), max(x1, positions[v, 0])
            z0, z1 = min(z0, positions[v, 2]), max(z1, positions[v, 2])
        i0 = min(max(int(np.floor((x0 - 1e-3) / size)) - low[0], 0), many[0] - 1)
        i1 = min(max(int(np.floor((x1 + 1e-3) / size)) - low[0], 0), many[0] - 1)
        k0 = min(max(int(np.floor((z0 - 1e-3) / size)) - low[1], 0), many[1] - 1)
        k1 = min(max(int(np.floor((z1 + 1e-3) / size)) - low[1], 0), many[1] - 1)
        for k in range(k0, k1 + 1):
            for i in range(i0, i1 + 1):
                out[k * many[0] + i, 0] += state[0]
                out[k * many[0] + i, 1] += state[1]
    return out
