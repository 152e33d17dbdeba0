"""Tangents from texture coordinates (Lengyel 2001)."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from plough.core.arrays import Float32, UInt32
from plough.core.kernels import kernel
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
