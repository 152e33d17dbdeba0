"""Candidates on the faces of things that stand: a Poisson process over every triangle, whose arrivals are the ranks.

Where a candidate lies hangs on the layer's seed, the id of what bears it and the corners of its triangle
in that thing's own axes, and on nothing else: it goes along when the thing is moved or turned, and other
triangles, or a closer spacing, leave it where it is.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt64
from plough.core.hashing import digest
from plough.core.kernels import kernel
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh
from plough.core.place.placements import Placements
from plough.core.rng import bits, mix, stream, uniform

_FACE, _ARRIVES, _ID = stream("faces.face"), stream("faces.arrives"), stream("faces.id")
_U, _V = stream("faces.u"), stream("faces.v")
_GRAIN = 1e-3  # metres in which corners are told from each other
_LEAST = 1e-12  # square metres below which a triangle is none
_TURN = np.uint64(0x9E3779B97F4A7C15)


@dataclass(frozen=True, eq=False)
class Faces:
    """Triangles to stand on, in the axes of the thing that they are of."""

    corners: Float32  #: (f, 3, 3) metres
    normals: Float32  #: (f, 3, 3) unit, at the corners
    names: UInt64  #: (f,) hash of the corners and of which side is out
    area: float  #: square metres of all
    radius: float  #: metres from its origin to the farthest corner
    key: str

    @property
    def nbytes(self) -> int:
        """Bytes of its arrays."""
        return self.corners.nbytes + self.normals.nbytes + self.names.nbytes


@dataclass(frozen=True, slots=True)
class OnFaces:
    """Places on the faces of things that stand, in no particular order."""

    position: Float64  #: (n, 3) metres
    normal: Float64  #: (n, 3) unit, away from the thing
    ids: UInt64  #: (n,) stable
    rank: (
        Float64  #: (n,) in the fill, lower is earlier: candidates a square metre at which it comes
    )

    def taken(self, rows: Int64) -> OnFaces:
        """Those in `rows`."""
        return OnFaces(*(getattr(self, name)[rows] for name in OnFaces.__slots__))


def faces_of(mesh: Mesh, materials: Mapping[str, Material]) -> Faces:
    """The faces of a mesh; what is cut out by its texture, leaves above all, bears nothing."""
    kept = [
        mesh.indices[part.first : part.first + part.count]
        for part in mesh.parts
        if not (part.material in materials and materials[part.material].cutout)
    ]
    rows = np.concatenate(kept) if kept else np.empty((0, 3), np.uint32)
    corners, normals = mesh.positions[rows], mesh.normals[rows]
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    areas = 0.5 * np.linalg.norm(across.astype(np.float64), axis=1)
    there = areas > _LEAST
    corners = np.ascontiguousarray(corners[there], np.float32)
    normals = np.ascontiguousarray(normals[there], np.float32)
    radius = float(np.linalg.norm(corners, axis=2).max(initial=0.0))
    key = digest(corners.tobytes() + normals.tobytes())
    return Faces(corners, normals, _names(corners), float(areas[there].sum()), radius, key)


def candidates(seed: int, faces: Faces, things: Placements, closeness: float) -> OnFaces:
    """Candidates on all of `things`, each of which has `faces`: so many as `closeness` a square metre, on the mean."""
    arguments = (np.uint64(seed), things.ids, things.position, things.rotation, things.scale)
    corners, normals, names = faces.corners, faces.normals, faces.names
    count = _arrive(*arguments, corners, normals, names, closeness, *_room_for(0))
    room = _room_for(count)
    _arrive(*arguments, corners, normals, names, closeness, *room)
    return OnFaces(*room)


def _room_for(count: int) -> tuple[Float64, Float64, UInt64, Float64]:
    return (
        np.empty((count, 3)),
        np.empty((count, 3)),
        np.empty(count, np.uint64),
        np.empty(count),
    )


@kernel
def _names(corners: Float32) -> UInt64:
    """(f,) of each triangle: the same whichever corner comes first, another for its other side."""
    out = np.zeros(corners.shape[0], np.uint64)
    own = np.empty(3, np.uint64)
    for f in range(corners.shape[0]):
        for k in range(3):
            own[k] = np.uint64(1)
            for axis in range(3):
                grain = np.int64(round(float(corners[f, k, axis]) / _GRAIN))
                own[k] = mix(own[k] + np.uint64(grain) * _TURN)
        for k in range(3):
            out[f] += mix(own[k] ^ mix(own[(k + 1) % 3] + _TURN))
    return out


@kernel
def _turned(q: Float32, x: float, y: float, z: float) -> tuple[float, float, float]:
    """(x, y, z) turned by the quaternion `q` (4,)."""
    ax, ay, az, w = float(q[0]), float(q[1]), float(q[2]), float(q[3])
    tx, ty, tz = 2 * (ay * z - az * y), 2 * (az * x - ax * z), 2 * (ax * y - ay * x)
    return (
        x + w * tx + ay * tz - az * ty,
        y + w * ty + az * tx - ax * tz,
        z + w * tz + ax * ty - ay * tx,
    )


@kernel
def _area(corners: Float32, scale: Float32) -> float:
    """Square metres of a triangle (3, 3), scaled."""
    ux, vx = (
        scale[0] * (corners[1, 0] - corners[0, 0]),
        scale[0] * (corners[2, 0] - corners[0, 0]),
    )
    uy, vy = (
        scale[1] * (corners[1, 1] - corners[0, 1]),
        scale[1] * (corners[2, 1] - corners[0, 1]),
    )
    uz, vz = (
        scale[2] * (corners[1, 2] - corners[0, 2]),
        scale[2] * (corners[2, 2] - corners[0, 2]),
    )
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    return 0.5 * math.sqrt(nx * nx + ny * ny + nz * nz)


@kernel
def _arrive(
    seed: np.uint64,
    things: UInt64,
    position: Float32,
    rotation: Float32,
    scale: Float32,
    corners: Float32,
    normals: Float32,
    names: UInt64,
    closeness: float,
    out_position: Float64,
    out_normal: Float64,
    out_ids: UInt64,
    out_rank: Float64,
) -> int:
    """Write what arrives before `closeness`, as far as there is room; how many do."""
    count = 0
    for h in range(things.shape[0]):
        own = bits(seed, _FACE, things[h])
        for f in range(corners.shape[0]):
            area = _area(corners[f], scale[h])
            face = bits(own, _FACE, names[f])
            arrived, k = 0.0, np.uint64(0)
            while area > 0.0:
                arrived -= math.log1p(-uniform(face, _ARRIVES, k)) / area
                if arrived >= closeness:
                    break
                if count < out_ids.shape[0]:
                    u, v = math.sqrt(uniform(face, _U, k)), uniform(face, _V, k)
                    a, b, c = 1.0 - u, u * (1.0 - v), u * v
                    p, n = corners[f], normals[f]
                    x, y, z = (
                        a * p[0, 0] + b * p[1, 0] + c * p[2, 0],
                        a * p[0, 1] + b * p[1, 1] + c * p[2, 1],
                        a * p[0, 2] + b * p[1, 2] + c * p[2, 2],
                    )
                    x, y, z = _turned(
                        rotation[h], x * scale[h, 0], y * scale[h, 1], z * scale[h, 2]
                    )
                    out_position[count, 0] = position[h, 0] + x
                    out_position[count, 1] = position[h, 1] + y
                    out_position[count, 2] = position[h, 2] + z
                    x, y, z = (
                        (a * n[0, 0] + b * n[1, 0] + c * n[2, 0]) / scale[h, 0],
                        (a * n[0, 1] + b * n[1, 1] + c * n[2, 1]) / scale[h, 1],
                        (a * n[0, 2] + b * n[1, 2] + c * n[2, 2]) / scale[h, 2],
                    )
                    x, y, z = _turned(rotation[h], x, y, z)
                    length = max(1e-12, math.sqrt(x * x + y * y + z * z))
                    out_normal[count, 0] = x / length
                    out_normal[count, 1] = y / length
                    out_normal[count, 2] = z / length
                    out_ids[count] = bits(face, _ID, k)
                    out_rank[count] = arrived
                count += 1
                k += np.uint64(1)
    return count
