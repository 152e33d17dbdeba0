"""Tangents from texture coordinates (Lengyel 2001), and those by which tools and engines agree on normal maps (Mikkelsen 2008)."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from plough.core.arrays import Float32, Int64, UInt32
from plough.core.kernels import kernel
from plough.core.mesh.topology import edges_of
from plough.core.mesh.value import Mesh


@kernel
def _tangents(positions: Float32, normals: Float32, uv: Float32, indices: UInt32) -> Float32:
    n = positions.shape[0]
    along = np.zeros((n, 3), np.float64)
    across = np.zeros((n, 3), np.float64)
    for t in range(indices.shape[0]):
        i, j, k = indices[t, 0], indices[t, 1], indices[t, 2]
        u1, v1 = uv[j, 0] - uv[i, 0], uv[j, 1] - uv[i, 1]
        u2, v2 = uv[k, 0] - uv[i, 0], uv[k, 1] - uv[i, 1]
        det = u1 * v2 - u2 * v1
        if abs(det) < 1e-14:
            continue
        for c in range(3):
            e1 = positions[j, c] - positions[i, c]
            e2 = positions[k, c] - positions[i, c]
            s = (v2 * e1 - v1 * e2) / det
            b = (u1 * e2 - u2 * e1) / det
            along[i, c] += s
            along[j, c] += s
            along[k, c] += s
            across[i, c] += b
            across[j, c] += b
            across[k, c] += b
    out = np.empty((n, 4), np.float32)
    for i in range(n):
        nx, ny, nz = normals[i, 0], normals[i, 1], normals[i, 2]
        d = along[i, 0] * nx + along[i, 1] * ny + along[i, 2] * nz
        tx, ty, tz = along[i, 0] - d * nx, along[i, 1] - d * ny, along[i, 2] - d * nz
        length = math.sqrt(tx * tx + ty * ty + tz * tz)
        if length < 1e-12:
            if abs(ny) < 0.9:
                tx, ty, tz = -nz, 0.0, nx
            else:
                tx, ty, tz = 0.0, nz, -ny
            length = math.sqrt(tx * tx + ty * ty + tz * tz)
        tx, ty, tz = tx / length, ty / length, tz / length
        cx, cy, cz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
        hand = cx * across[i, 0] + cy * across[i, 1] + cz * across[i, 2]
        out[i, 0], out[i, 1], out[i, 2] = tx, ty, tz
        out[i, 3] = 1.0 if hand <= 0.0 else -1.0
    return out


def with_tangents(mesh: Mesh) -> Mesh:
    """`mesh` with tangents along growing u; w is the sign glTF wants (bitangent = w · normal × tangent, v upwards)."""
    return replace(mesh, tangents=_tangents(mesh.positions, mesh.normals, mesh.uv0, mesh.indices))


@kernel
def _mikkelsen(
    positions: Float32, normals: Float32, uv: Float32, indices: UInt32, out: Float32
) -> None:
    """At each corner the triangle's way along u, laid across the corner's normal, weighs by the corner's angle there."""
    n = positions.shape[0]
    sums, turned = np.zeros((n, 3)), np.zeros(n)
    way, one, other = np.empty(3), np.empty(3), np.empty(3)
    for t in range(indices.shape[0]):
        i, j, k = indices[t, 0], indices[t, 1], indices[t, 2]
        u1, v1 = float(uv[j, 0]) - uv[i, 0], float(uv[j, 1]) - uv[i, 1]
        u2, v2 = float(uv[k, 0]) - uv[i, 0], float(uv[k, 1]) - uv[i, 1]
        area = u1 * v2 - u2 * v1
        if area == 0.0:
            continue
        hand = 1.0 if area > 0.0 else -1.0
        for c in range(3):
            e1 = float(positions[j, c]) - positions[i, c]
            e2 = float(positions[k, c]) - positions[i, c]
            way[c] = hand * (v2 * e1 - v1 * e2)
        for m in range(3):
            a, b, c_ = indices[t, m], indices[t, (m + 1) % 3], indices[t, (m + 2) % 3]
            along, first, second = 0.0, 0.0, 0.0
            for c in range(3):
                normal = float(normals[a, c])
                one[c] = float(positions[b, c]) - positions[a, c]
                other[c] = float(positions[c_, c]) - positions[a, c]
                along += normal * way[c]
                first += normal * one[c]
                second += normal * other[c]
            long, d, e, dot = 0.0, 0.0, 0.0, 0.0
            for c in range(3):
                normal = float(normals[a, c])
                one[c] -= first * normal
                other[c] -= second * normal
                long += (way[c] - along * normal) ** 2
                d += one[c] * one[c]
                e += other[c] * other[c]
                dot += one[c] * other[c]
            if long < 1e-30 or d < 1e-30 or e < 1e-30:
                continue
            angle = math.acos(max(-1.0, min(1.0, dot / math.sqrt(d * e))))
            for c in range(3):
                sums[a, c] += angle * (way[c] - along * normals[a, c]) / math.sqrt(long)
            turned[a] += hand
    for i in range(n):
        long = math.sqrt(sums[i, 0] ** 2 + sums[i, 1] ** 2 + sums[i, 2] ** 2)
        if long < 1e-12:
            x, y, z = normals[i, 0], normals[i, 1], normals[i, 2]
            if abs(y) < 0.9:
                sums[i, 0], sums[i, 1], sums[i, 2] = -z, 0.0, x
            else:
                sums[i, 0], sums[i, 1], sums[i, 2] = 0.0, z, -y
            long = math.sqrt(sums[i, 0] ** 2 + sums[i, 1] ** 2 + sums[i, 2] ** 2)
        for c in range(3):
            out[i, c] = sums[i, c] / long
        # v runs downwards
        out[i, 3] = -1.0 if turned[i] >= 0.0 else 1.0


def _fans(mesh: Mesh) -> Mesh:
    """The same triangles, with one vertex for those that are alike and hang together over edges, and for no others."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    told = np.concatenate([mesh.positions, mesh.normals, mesh.uv0], axis=1)
    rows = np.ascontiguousarray(told + np.float32(0.0)).view(np.uint32)  # no zero is negative
    alike = np.unique(rows, axis=0, return_inverse=True)[1].reshape(-1)
    faces = alike[mesh.indices.astype(np.int64)]
    edges = edges_of(faces)
    order = np.argsort(edges.of, kind="stable")
    same = edges.of[order][1:] == edges.of[order][:-1]
    one, other = order[:-1][same], order[1:][same]

    def after(side: Int64) -> Int64:
        return side // 3 * 3 + (side + 1) % 3

    turned = edges.forward[one] == edges.forward[other]
    a = np.concatenate([one, after(one)])
    b = np.concatenate(
        [np.where(turned, other, after(other)), np.where(turned, after(other), other)]
    )
    n = faces.size
    _, of = connected_components(coo_matrix((np.ones(len(a), np.int8), (a, b)), shape=(n, n)))
    _, first, vertex = np.unique(of, return_index=True, return_inverse=True)
    kept = mesh.indices.reshape(-1)[first]
    return replace(
        mesh,
        positions=mesh.positions[kept],
        normals=mesh.normals[kept],
        uv0=mesh.uv0[kept],
        indices=vertex.reshape(-1, 3).astype(np.uint32),
    )


def mikk_tangents(mesh: Mesh) -> Mesh:
    """`mesh`, of places, normals and texture coordinates alone, with tangents of Mikkelsen's method; vertices are split where the method does."""
    mesh = _fans(mesh)
    out = np.empty((mesh.vertices, 4), np.float32)
    _mikkelsen(mesh.positions, mesh.normals, mesh.uv0, mesh.indices, out)
    return replace(mesh, tangents=out)
