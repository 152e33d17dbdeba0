"""Whether anything stands near: a hashed grid of cells."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, Int64
from plough.core.kernels import kernel
from plough.core.rng import mix


@kernel
def slot_of(i: int, k: int, mask: np.uint64) -> int:
    """The slot of a cell; several cells may share one. `mask` is the number of slots, a power of two, less one."""
    return int(mix((np.uint64(i) << np.uint64(32)) ^ (np.uint64(k) & np.uint64(0xFFFFFFFF))) & mask)


@kernel
def _buckets(points: Float32, cell: float, slots: int) -> tuple[Int64, Int64]:
    """Starts of each slot, and the rows of `points` sorted by slot."""
    mask = np.uint64(slots - 1)
    n = points.shape[0]
    starts, slot = np.zeros(slots + 1, np.int64), np.empty(n, np.int64)
    for i in range(n):
        slot[i] = slot_of(
            int(math.floor(points[i, 0] / cell)), int(math.floor(points[i, 1] / cell)), mask
        )
        starts[slot[i] + 1] += 1
    for s in range(slots):
        starts[s + 1] += starts[s]
    rows, at = np.empty(n, np.int64), starts[:-1].copy()
    for i in range(n):
        rows[at[slot[i]]] = i
        at[slot[i]] += 1
    return starts, rows


@kernel
def _any_near(
    x: Float64, z: Float64, points: Float32, reach: Float32, cell: float, slots: int
) -> Bool:
    starts, rows = _buckets(points, cell, slots)
    mask = np.uint64(slots - 1)
    out = np.zeros(x.shape[0], np.bool_)
    for i in range(x.shape[0]):
        ci, ck = int(math.floor(x[i] / cell)), int(math.floor(z[i] / cell))
        for dk in range(-1, 2):
            for di in range(-1, 2):
                s = slot_of(ci + di, ck + dk, mask)
                for e in range(starts[s], starts[s + 1]):
                    dx, dz = points[rows[e], 0] - x[i], points[rows[e], 1] - z[i]
                    far = reach[rows[e]]
                    if dx * dx + dz * dz < far * far:
                        out[i] = True
                        break
                if out[i]:
                    break
            if out[i]:
                break
    return out


def any_near(x: Float64, z: Float64, points: Float32, reach: Float32) -> Bool:
    """(n,) whether one of `points` (m, 2) lies nearer than its `reach` (m,) in metres to each place (x, z) of the map."""
    cell = float(reach.max(initial=0.0))
    if cell <= 0:
        return np.zeros(len(x), bool)
    slots = 1 << max(4, math.ceil(math.log2(2 * len(points))))
    return _any_near(x, z, np.ascontiguousarray(points, np.float32), reach, cell, slots)


@kernel
def _least_share(
    x: Float64, z: Float64, points: Float32, radius: Float32, cell: float, most: float, slots: int
) -> Float64:
    starts, rows = _buckets(points, cell, slots)
    mask = np.uint64(slots - 1)
    out = np.full(x.shape[0], np.inf)
    for i in range(x.shape[0]):
        ci, ck = int(math.floor(x[i] / cell)), int(math.floor(z[i] / cell))
        best = most * most
        for dk in range(-1, 2):
            for di in range(-1, 2):
                s = slot_of(ci + di, ck + dk, mask)
                for e in range(starts[s], starts[s + 1]):
                    dx, dz = points[rows[e], 0] - x[i], points[rows[e], 1] - z[i]
                    wide = radius[rows[e]]
                    share = (dx * dx + dz * dz) / (wide * wide)
                    if share < best:
                        best = share
                        out[i] = math.sqrt(share)
    return out


def least_share(x: Float64, z: Float64, points: Float32, radius: Float32, most: float) -> Float64:
    """(n,) the least distance on the map from each place (x, z) to one of `points` (m, 2), as a share of its `radius` (m,); infinite from `most` on."""
    if not len(points) or most <= 0:
        return np.full(len(x), np.inf)
    slots = 1 << max(4, math.ceil(math.log2(2 * len(points))))
    cell = most * float(radius.max())
    return _least_share(x, z, np.ascontiguousarray(points, np.float32), radius, cell, most, slots)
