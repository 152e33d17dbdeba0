"""Rays against a height field: a walk over the grid (Amanatides and Woo 1987) and the bilinear patch of each square in turn."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.kernels import kernel

_NEVER = 1e300


@kernel
def _meets(a: float, b: float, c: float, low: float, high: float) -> float:
    """The least root of a t² + b t + c in [low, high]; -1 where there is none."""
    best = -1.0
    if abs(a) < 1e-14:
        if abs(b) > 1e-300:
            t = -c / b
            if low <= t <= high:
                best = t
        return best
    root = b * b - 4.0 * a * c
    if root < 0.0:
        return best
    # the form that does not cancel
    q = -0.5 * (b + math.copysign(math.sqrt(root), b))
    for t in (q / a, c / q if q != 0.0 else -1.0):
        if low <= t <= high and (best < 0.0 or t < best):
            best = t
    return best


@kernel
def _clip(o: float, d: float, half: float, low: float, high: float) -> tuple[float, float]:
    """The part of [low, high] in which o + t d lies in [-half, half]."""
    if abs(d) < 1e-300:
        return (low, high) if abs(o) <= half else (1.0, 0.0)
    a, b = (-half - o) / d, (half - o) / d
    return max(low, min(a, b)), min(high, max(a, b))


@kernel
def _step(place: float, speed: float, cell: int) -> float:
    """Distance to the next border of `cell`, in cells along one axis."""
    if speed > 0.0:
        return (cell + 1 - place) / speed
    if speed < 0.0:
        return (cell - place) / speed
    return _NEVER


@kernel
def cast_rays(heights: Float32, size: float, origin: Float64, direction: Float64) -> Float64:
    """(n,) distances to the first crossing; infinite where a ray meets nothing."""
    n = heights.shape[0]
    spacing, half = size / (n - 1), 0.5 * size
    out = np.full(origin.shape[0], np.inf)
    for i in range(origin.shape[0]):
        ox, oy, oz = origin[i, 0], origin[i, 1], origin[i, 2]
        dx, dy, dz = direction[i, 0], direction[i, 1], direction[i, 2]
        t, last = _clip(ox, dx, half, 0.0, _NEVER)
        t, last = _clip(oz, dz, half, t, last)
        if t > last:
            continue
        u, v = dx / spacing, dz / spacing
        column = min(max(int(math.floor((ox + t * dx + half) / spacing)), 0), n - 2)
        row = min(max(int(math.floor((oz + t * dz + half) / spacing)), 0), n - 2)
        while t <= last:
            ahead_u = _step((ox + half) / spacing, u, column)
            ahead_v = _step((oz + half) / spacing, v, row)
            until = min(ahead_u, ahead_v, last)
            # the patch is h = a + f (b - a) + g (c - a) + f g (a - b - c + d); f and g are linear in t
            f0, g0 = (ox + half) / spacing - column, (oz + half) / spacing - row
            a = float(heights[row, column])
            east = float(heights[row, column + 1]) - a
            south = float(heights[row + 1, column]) - a
            cross = float(heights[row + 1, column + 1]) - a - east - south
            found = _meets(
                cross * u * v,
                east * u + south * v + cross * (f0 * v + g0 * u) - dy,
                a + east * f0 + south * g0 + cross * f0 * g0 - oy,
                t - 1e-9,
                until + 1e-9,
            )
            if found >= 0.0:
                out[i] = found
                break
            if until >= last:
                break
            t = until
            if ahead_u <= ahead_v:
                column += 1 if u > 0.0 else -1
            else:
                row += 1 if v > 0.0 else -1
            if column < 0 or row < 0 or column > n - 2 or row > n - 2:
                break
    return out
