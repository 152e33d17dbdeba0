"""Strips in their own coordinates, as leaves, petals and cards are made of, and setting them down at many places."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32, Float64, UInt32
from plough.core.kernels import kernel


@dataclass(frozen=True, slots=True)
class Shape:
    """A small mesh to be set down many times: y runs along it, z is its upper side, its length is 1."""

    positions: Float32  #: (v, 3)
    normals: Float32  #: (v, 3) unit
    uv: Float32  #: (v, 2)
    indices: UInt32  #: (t, 3)
    tip: Float32  #: (v,) 0 where it is held, 1 at its free end


def strip(
    line: Float64, across: Float64, up: Float64, half: Float64, fold: float, v: Float64
) -> Shape:
    """A folded strip of three columns along `line` (n, 3)."""
    n = line.shape[0]
    c, s = math.cos(fold), math.sin(fold)
    left = line - across * (half * c)[:, None] + up * (half * s)[:, None]
    right = line + across * (half * c)[:, None] + up * (half * s)[:, None]
    positions = np.stack([left, line, right], axis=1).reshape(-1, 3)
    normals = np.stack([up * c + across * s, up, up * c - across * s], axis=1).reshape(-1, 3)
    uv = np.stack([np.tile([0.0, 0.5, 1.0], n), np.repeat(v, 3)], axis=1)
    k = np.arange(n - 1)[:, None] * 3 + np.arange(2)[None]
    a = k.reshape(-1)
    indices = np.concatenate([np.stack([a, a + 1, a + 3], 1), np.stack([a + 1, a + 4, a + 3], 1)])
    return Shape(
        positions.astype(np.float32),
        (normals / np.linalg.norm(normals, axis=1, keepdims=True)).astype(np.float32),
        uv.astype(np.float32),
        indices.astype(np.uint32),
        np.repeat(np.linspace(0, 1, n), 3).astype(np.float32),
    )


def course(n: int, bend: float, curl: float, twist: float) -> tuple[Float64, Float64, Float64]:
    """Midrib, across and up (each (n, 3)) of a blade of length 1; angles in radians."""
    t = np.linspace(0.0, 1.0, n)
    pitch = -bend * t - curl * np.clip((t - 0.6) / 0.4, 0, 1) ** 2
    middle = 0.5 * (pitch[1:] + pitch[:-1])
    step = np.stack([np.zeros(n - 1), np.cos(middle), np.sin(middle)], axis=1) / (n - 1)
    line = np.concatenate([np.zeros((1, 3)), np.cumsum(step, axis=0)])
    along = np.stack([np.zeros(n), np.cos(pitch), np.sin(pitch)], axis=1)
    flat_up = np.stack([np.zeros(n), -np.sin(pitch), np.cos(pitch)], axis=1)
    flat_across = np.cross(along, flat_up)
    c, s = np.cos(twist * t)[:, None], np.sin(twist * t)[:, None]
    return line, flat_across * c + flat_up * s, flat_up * c - flat_across * s


@kernel
def _set_down(
    positions: Float32,
    normals: Float32,
    uv: Float32,
    indices: UInt32,
    tip: Float32,
    base: Float32,
    along: Float32,
    up: Float32,
    size: Float32,
) -> tuple[Float32, Float32, Float32, UInt32, Float32]:
    n, v, t = base.shape[0], positions.shape[0], indices.shape[0]
    pos, nor = np.empty((n * v, 3), np.float32), np.empty((n * v, 3), np.float32)
    uvs, ind, free = (
        np.empty((n * v, 2), np.float32),
        np.empty((n * t, 3), np.uint32),
        np.empty(n * v, np.float32),
    )
    for i in range(n):
        ax, ay, az = along[i, 0], along[i, 1], along[i, 2]
        ux, uy, uz = up[i, 0], up[i, 1], up[i, 2]
        sx, sy, sz = ay * uz - az * uy, az * ux - ax * uz, ax * uy - ay * ux
        for k in range(v):
            x, y, z = (
                positions[k, 0] * size[i],
                positions[k, 1] * size[i],
                positions[k, 2] * size[i],
            )
            m = i * v + k
            pos[m, 0] = base[i, 0] + x * sx + y * ax + z * ux
            pos[m, 1] = base[i, 1] + x * sy + y * ay + z * uy
            pos[m, 2] = base[i, 2] + x * sz + y * az + z * uz
            x, y, z = normals[k, 0], normals[k, 1], normals[k, 2]
            nor[m, 0], nor[m, 1], nor[m, 2] = (
                x * sx + y * ax + z * ux,
                x * sy + y * ay + z * uy,
                x * sz + y * az + z * uz,
            )
            uvs[m, 0], uvs[m, 1], free[m] = uv[k, 0], uv[k, 1], tip[k]
        for k in range(t):
            for a in range(3):
                ind[i * t + k, a] = indices[k, a] + i * v
    return pos, nor, uvs, ind, free


def set_down(
    shape: Shape,
    base: Float32 | Float64,
    along: Float32 | Float64,
    up: Float32 | Float64,
    size: Float32 | Float64,
) -> Shape:
    """`shape` at n places: `base` (n, 3) metres, `along` and `up` (n, 3) unit and at right angles, `size` (n,) metres."""
    arrays = (np.ascontiguousarray(a, np.float32) for a in (base, along, up, size))
    return Shape(
        *_set_down(shape.positions, shape.normals, shape.uv, shape.indices, shape.tip, *arrays)
    )


def merged(shapes: list[Shape]) -> Shape:
    """All shapes in one."""
    first, indices = 0, []
    for shape in shapes:
        indices.append(shape.indices + np.uint32(first))
        first += shape.positions.shape[0]
    return Shape(
        np.concatenate([s.positions for s in shapes]),
        np.concatenate([s.normals for s in shapes]),
        np.concatenate([s.uv for s in shapes]),
        np.concatenate(indices),
        np.concatenate([s.tip for s in shapes]),
    )
