"""Upright blocks that stand clear of each other."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Bool, Float64
from plough.core.kernels import kernel


@kernel
def clear_of(middle: Float64, turn: Float64, size: Float64) -> Bool:
    """(n,) which upright blocks stand in none before them that does so, too.

    Args:
        middle: (n, 3) metres.
        turn: (n,) radians about the vertical.
        size: (n, 3) metres long, high, wide.
    """
    n = turn.shape[0]
    clear = np.ones(n, np.bool_)
    if n == 0:
        return clear
    reach = np.empty(n)
    for k in range(n):
        reach[k] = 0.5 * math.hypot(size[k, 0], size[k, 2])
    # long ones (lintels) are few: they are asked one by one
    typical = 0.0
    median = np.sort(reach)[n // 2]
    for k in range(n):
        if reach[k] <= 2.5 * median:
            typical = max(typical, reach[k])
    edge = 2.0 * typical + 1e-6
    x0, z0 = middle[:, 0].min(), middle[:, 2].min()
    wide = int((middle[:, 0].max() - x0) / edge) + 1
    cell = np.empty(n, np.int64)
    for k in range(n):
        cell[k] = int((middle[k, 2] - z0) / edge) * wide + int((middle[k, 0] - x0) / edge)
    # in each cell by height, so that only those of nearly its height are asked
    order = np.argsort(middle[:, 1], kind="mergesort")
    order = order[np.argsort(cell[order], kind="mergesort")]
    first = np.zeros(int(cell.max()) + 2, np.int64)
    for k in range(n):
        first[cell[k] + 1] += 1
    first = np.cumsum(first)
    tall = size[:, 1].max()
    large = np.nonzero(reach > typical)[0]
    for k in range(n):
        y, high = middle[k, 1], 0.5 * (size[k, 1] + tall)
        for dz in range(-1, 2):
            for dx in range(-1, 2):
                near = cell[k] + dz * wide + dx
                if not 0 <= near < first.shape[0] - 1:
                    continue
                low, end = first[near], first[near + 1]
                while low < end and middle[order[low], 1] <= y - high:
                    low += 1
                while low < end and middle[order[low], 1] < y + high and clear[k]:
                    j = order[low]
                    low += 1
                    if j < k and clear[j] and _cut(middle, turn, size, int(j), k):
                        clear[k] = False
        for j in large:
            if j < k and clear[j] and clear[k] and _cut(middle, turn, size, int(j), k):
                clear[k] = False
        if reach[k] > typical:
            for j in range(k):
                if clear[j] and clear[k] and _cut(middle, turn, size, int(j), k):
                    clear[k] = False
    return clear


@kernel
def _cut(middle: Float64, turn: Float64, size: Float64, j: int, k: int) -> bool:
    """Whether two upright blocks stand in each other."""
    if abs(middle[j, 1] - middle[k, 1]) >= 0.5 * (size[j, 1] + size[k, 1]) - 1e-6:
        return False
    dx, dz = middle[k, 0] - middle[j, 0], middle[k, 2] - middle[j, 2]
    reach = math.hypot(size[j, 0], size[j, 2]) + math.hypot(size[k, 0], size[k, 2])
    if 4.0 * (dx * dx + dz * dz) >= reach * reach:
        return False
    for one in range(2):
        a, b = (j, k) if one == 0 else (k, j)
        c, s = math.cos(turn[a]), math.sin(turn[a])
        between = turn[b] - turn[a]
        p, q = abs(math.cos(between)), abs(math.sin(between))
        along = 0.5 * (size[a, 0] + size[b, 0] * p + size[b, 2] * q)
        across = 0.5 * (size[a, 2] + size[b, 0] * q + size[b, 2] * p)
        if abs(dx * c + dz * s) >= along - 1e-6 or abs(dz * c - dx * s) >= across - 1e-6:
            return False
    return True
