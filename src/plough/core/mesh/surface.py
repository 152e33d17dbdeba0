"""Normals and texture coordinates for meshes that have none."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float32, Float64, Int64
from plough.core.kernels import kernel
from plough.core.mesh.topology import about_points, numbered
from plough.core.vectors import lengths, normals_of

_ODD = np.uint64(0x9E3779B97F4A7C15)


@kernel
def _corner_normals(
    normal: Float64, area: Float64, start: Int64, around: Int64, corner: Int64, least: float
) -> Float64:
    out = np.zeros((corner.shape[0], 3))
    for c in range(corner.shape[0]):
        t, p = c // 3, corner[c]
        for n in range(start[p], start[p + 1]):
            o = around[n] // 3
            dot = (
                normal[t, 0] * normal[o, 0]
                + normal[t, 1] * normal[o, 1]
                + normal[t, 2] * normal[o, 2]
            )
            if o == t or dot >= least:
                for k in range(3):
                    out[c, k] += area[o] * normal[o, k]
    return out


def crease_normals(positions: Float64, faces: Int64, crease: float) -> Float32:
    """(3 m, 3) a normal for each corner: the mean, by area, over the triangles about its point that bend by less than `crease` degrees."""
    cross = normals_of(positions, faces)
    area = lengths(cross)
    normal = cross / np.maximum(area, 1e-30)[:, None]
    least = math.cos(math.radians(crease)) - 1e-9
    start, around = about_points(faces, len(positions))
    summed = _corner_normals(normal, area, start, around, faces.reshape(-1), least)
    length = lengths(summed)[:, None]
    up = np.array([0.0, 1.0, 0.0])
    out: Float32 = np.where(length > 1e-30, summed / np.maximum(length, 1e-30), up).astype(
        np.float32
    )
    return out


def split_corners(corner: Int64, *told: Float32) -> tuple[Int64, Int64]:
    """One vertex for all corners of a point that are alike to a thousandth: the (n,) corner that each vertex is taken from, and the (m, 3) vertices of triangles.

    Args:
        corner: (3 m,) the points of all triangles.
        told: (3 m, w) what may differ between the corners of a point.
    """
    key = corner.astype(np.uint64) * _ODD
    for column in np.concatenate(told, axis=1).T:
        key = (key ^ (key >> np.uint64(29))) * _ODD + np.rint(column * 1000.0).astype(
            np.int64
        ).astype(np.uint64)
    first, vertex = numbered(key)
    return first, vertex.reshape(-1, 3)


def boxed_coordinates(corners: Float64, normals: Float64, repeat: float) -> Float32:
    """(3 m, 2) texture coordinates laid on from six sides, a repeat every `repeat` metres; upright on what stands.

    Args:
        corners: (3 m, 3) metres, three of each triangle.
        normals: (m, 3) of the triangles.
    """
    axis = np.abs(normals).argmax(axis=1)
    side = np.repeat(axis, 3)
    front = np.repeat(np.sign(normals[np.arange(len(normals)), axis]), 3)
    x, y, z = corners.T
    u = np.choose(side, [-z * front, x, x * front])
    v = np.choose(side, [-y, z * front, -y])
    out: Float32 = (np.stack([u, v], axis=1) / repeat).astype(np.float32)
    return out
