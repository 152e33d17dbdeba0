"""How far the samples of a height field lie from a line, and where along it they are nearest."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float64
from plough.core.ground.heightfield import HeightField
from plough.core.ground.paths import from_segment
from plough.core.kernels import kernel

_BLOCK = 24  # samples a side of the squares that share candidates


@dataclass(frozen=True, slots=True)
class NearLine:
    """The part of a height field that a line can reach."""

    rows: slice
    columns: slice
    x0: float  #: metres east, of its first sample
    z0: float  #: metres south
    away: Float64  #: (rows, columns) metres from the line; infinite beyond its reach
    place: Float64  #: (rows, columns) where along it: the number of a segment, and the share of it


def near_samples(field: HeightField, line: Float64, reach: float) -> NearLine | None:
    """The samples of `field` within `reach` metres of the polyline `line` (n, 2), of two points or more; None where there are none."""
    n, spacing, half = len(field.heights), field.spacing, field.size / 2
    low = np.floor((line.min(axis=0) - reach + half) / spacing).astype(int).clip(0, n)
    high = np.ceil((line.max(axis=0) + reach + half) / spacing).astype(int) + 1
    high = high.clip(0, n)
    if (high <= low).any():
        return None
    x0, z0 = (float(v) for v in low * spacing - half)
    away = np.full((high[1] - low[1], high[0] - low[0]), np.inf)
    place = np.zeros_like(away)
    _nearest(np.ascontiguousarray(line, np.float64), reach, x0, z0, spacing, away, place)
    return NearLine(slice(low[1], high[1]), slice(low[0], high[0]), x0, z0, away, place)


@kernel
def _nearest(
    line: Float64, reach: float, x0: float, z0: float, spacing: float, away: Float64, place: Float64
) -> None:
    rows, columns = away.shape
    segments = line.shape[0] - 1
    candidates, near = np.empty(segments, np.int64), np.empty(segments)
    for r0 in range(0, rows, _BLOCK):
        for c0 in range(0, columns, _BLOCK):
            r1, c1 = min(rows, r0 + _BLOCK), min(columns, c0 + _BLOCK)
            x, z = x0 + 0.5 * (c0 + c1 - 1) * spacing, z0 + 0.5 * (r0 + r1 - 1) * spacing
            radius = 0.5 * spacing * math.sqrt((c1 - c0 - 1.0) ** 2 + (r1 - r0 - 1.0) ** 2) + 1e-9
            least = np.inf
            for k in range(segments):
                near[k] = math.sqrt(from_segment(line, k, x, z)[0])
                least = min(least, near[k])
            if least > reach + radius:
                continue
            # no sample of the block is nearer to any other
            count = 0
            for k in range(segments):
                if near[k] <= min(least + radius, reach) + radius:
                    candidates[count] = k
                    count += 1
            for r in range(r0, r1):
                for c in range(c0, c1):
                    best, where = np.inf, 0.0
                    for i in range(count):
                        k = candidates[i]
                        d, t = from_segment(line, k, x0 + c * spacing, z0 + r * spacing)
                        if d < best:
                            best, where = d, k + t
                    if best <= reach * reach:
                        away[r, c], place[r, c] = math.sqrt(best), where
