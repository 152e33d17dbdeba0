"""Vectors as rows of arrays: unit length, right angles."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float32, Float64, Int64
from plough.core.kernels import kernel


def unit(v: Float64) -> Float64:
    """`v` (..., 3) scaled to length 1; where it has none, zero."""
    return np.asarray(v / np.maximum(np.linalg.norm(v, axis=-1, keepdims=True), 1e-12))


@kernel
def normals_of(points: Float64, faces: Int64) -> Float64:
    """(m, 3) the normals of triangles (m, 3) of points (p, 3), as long as twice their areas."""
    out = np.empty((faces.shape[0], 3))
    for t in range(faces.shape[0]):
        i, j, k = faces[t, 0], faces[t, 1], faces[t, 2]
        ax, ay, az = (
            points[j, 0] - points[i, 0],
            points[j, 1] - points[i, 1],
            points[j, 2] - points[i, 2],
        )
        bx, by, bz = (
            points[k, 0] - points[i, 0],
            points[k, 1] - points[i, 1],
            points[k, 2] - points[i, 2],
        )
        out[t, 0], out[t, 1], out[t, 2] = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    return out


@kernel
def lengths(v: Float64) -> Float64:
    """(n,) of vectors (n, 3)."""
    out = np.empty(v.shape[0])
    for k in range(v.shape[0]):
        out[k] = math.sqrt(v[k, 0] * v[k, 0] + v[k, 1] * v[k, 1] + v[k, 2] * v[k, 2])
    return out


def across(v: Float64) -> tuple[Float64, Float64]:
    """Two unit vectors at right angles to the unit vectors `v` (..., 3) and to each other, turning right-handed about them.

    Method: Duff et al. 2017, without branches; it has one seam, where `v` points straight down.
    """
    x, y, z = v[..., 0], v[..., 2], v[..., 1]
    sign = np.where(z < 0, -1.0, 1.0)
    a = -1.0 / (sign + z)
    b = x * y * a
    one = np.stack([1.0 + sign * x * x * a, -sign * x, sign * b], axis=-1)
    other = np.stack([b, -y, sign + y * y * a], axis=-1)
    return one, -other


def along_rows(points: Float32, row: Int64, at: Float64) -> tuple[Float64, Float64]:
    """Places and unit directions (n, 3) on polylines.

    Args:
        points: (r, m, 3), a polyline a row.
        row: (n,) which of them.
        at: (n,) how far along it, 0 to 1 by points.
    """
    x = np.clip(at, 0, 1) * (points.shape[1] - 1)
    k = np.minimum(x.astype(np.int64), points.shape[1] - 2)
    a, b = points[row, k].astype(np.float64), points[row, k + 1].astype(np.float64)
    way = b - a
    length = np.linalg.norm(way, axis=1, keepdims=True)
    return a + (x - k)[:, None] * way, way / np.maximum(length, 1e-9)


def squared(along: Float64, up: Float64) -> Float64:
    """`up` made square to `along`, both (n, 3); where they are the same, some square direction."""
    side = up - along * (up * along).sum(axis=1, keepdims=True)
    size = np.linalg.norm(side, axis=1, keepdims=True)
    return unit(np.where(size < 1e-3, across(along)[0], side))


def rotations(turn: Float64, up: Float64) -> Float32:
    """(n, 4) unit quaternions, xyzw: turned about the vertical, then tilted so that up is `up`.

    Args:
        turn: (n,) radians clockwise from north.
        up: (n, 2) which way is up, as `tilted` writes it.
    """
    yaw = 0.5 * (math.pi - turn)
    s, c = np.sin(yaw), np.cos(yaw)
    half = 0.5 * tilt_of(up)
    share = np.sin(half) / np.maximum(np.hypot(up[:, 0], up[:, 1]), 1e-12)
    ax, az, w = up[:, 1] * share, -up[:, 0] * share, np.cos(half)
    out = np.stack([ax * c - az * s, w * s, az * c + ax * s, w * c], axis=1)
    return out.astype(np.float32)


def tilted(way: Float64, angle: Float64) -> Float64:
    """(n, 2) a direction that is up, where the vertical is tilted by `angle` (n,) radians, 0 to pi, towards `way` (n, 2), unit vectors east and south.

    Up to level these are its east and south parts; beyond, they go on as long again: 1 long is level, 2 is upside down.
    """
    level = np.sin(angle)
    return np.asarray(way * np.where(angle > 0.5 * math.pi, 2.0 - level, level)[:, None])


def tilt_of(up: Float64) -> Float64:
    """(n,) radians by which `up` (n, 2), as `tilted` writes it, is out of the vertical."""
    long = np.hypot(up[:, 0], up[:, 1])
    beyond = np.arcsin(np.clip(2.0 - long, 0.0, 1.0))
    return np.where(long > 1.0, math.pi - beyond, np.arcsin(np.minimum(long, 1.0)))
