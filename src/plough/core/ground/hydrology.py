"""Where water runs together and stands: hollows filled, flow routed downhill, and how wet the ground is for it.

Looked at over a grid of at most `MOST_SAMPLES` a side: wetness is a matter of whole slopes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, Int64, UInt8, UInt32, UInt64
from plough.core.ground.surface import Surface
from plough.core.kernels import kernel
from plough.core.tiles import SIZE, Bounds, TileList, fold

MOST_SAMPLES = 513  #: a side of the grid
STEPS = 128  #: of wetness: a far bump that changes the flow by little changes none
_DRY, _WET = 2.0, 12.0  # topographic wetness index at which ground is dry and wet
_LEAST_SLOPE = 1e-3
_SPREAD = 1.1  # exponent of the slope by which flow is shared out (Freeman 1991)
_RISES = 1.5  # metres above standing water up to which it keeps the ground wet
_POND = 0.3  # metres of water that a hollow could hold, from which on it is as wet as can be
_NESTED = 3  # hollows within hollows that are looked at
_SINK = (
    0.5  # a hollow deeper than so many metres loses its water into the ground, at its lowest place
)


@dataclass(frozen=True, slots=True)
class Hydrology:
    """A square grid over a surface, its middle in that of the surface."""

    bounds: Bounds  #: the square, in metres
    wetness: UInt8  #: (n, n) 0 dry to `STEPS` standing in water, row = z, column = x
    shore: Float32  #: (n, n) metres to the edge of standing water, below 0 within; infinite where there is none

    @property
    def nbytes(self) -> int:
        """Bytes of its arrays."""
        return self.wetness.nbytes + self.shore.nbytes

    @property
    def spacing(self) -> float:
        """Metres between samples."""
        return (self.bounds[2] - self.bounds[0]) / (len(self.wetness) - 1)

    def wetness_at(self, x: Float64, z: Float64) -> Float64:
        """(n,) 0 dry to 1 standing in water, bilinear."""
        return _bilinear(self.wetness, self.bounds[0], self.bounds[1], self.spacing, x, z) / STEPS

    def shore_at(self, x: Float64, z: Float64) -> Float64:
        """(n,) metres to the edge of standing water, below 0 within it."""
        return _bilinear(self.shore, self.bounds[0], self.bounds[1], self.spacing, x, z)

    def wetness_hashes(self, tiles: TileList) -> UInt64:
        """(t, 2) a hash of the samples of wetness that each tile can read."""
        return self._hashes(self.wetness.astype(np.uint32), tiles)

    def shore_hashes(self, tiles: TileList) -> UInt64:
        """(t, 2) a hash of the distances that each tile can read."""
        return self._hashes(np.ascontiguousarray(self.shore).view(np.uint32), tiles)

    def _hashes(self, grid: UInt32, tiles: TileList) -> UInt64:
        return _grid_hashes(grid, self.bounds[0], self.bounds[1], self.spacing, tiles, SIZE)


@kernel
def _bilinear(
    grid: Float32 | UInt8, x0: float, z0: float, spacing: float, x: Float64, z: Float64
) -> Float64:
    n = grid.shape[0]
    out = np.empty(x.shape[0])
    for i in range(x.shape[0]):
        u = min(max((x[i] - x0) / spacing, 0.0), n - 1.0)
        v = min(max((z[i] - z0) / spacing, 0.0), n - 1.0)
        c, r = min(int(u), n - 2), min(int(v), n - 2)
        f, g = u - c, v - r
        low = (1.0 - f) * grid[r, c] + f * grid[r, c + 1]
        high = (1.0 - f) * grid[r + 1, c] + f * grid[r + 1, c + 1]
        # so that 0 times infinity is no matter
        out[i] = low if low == high else (1.0 - g) * low + g * high
    return out


@kernel
def _grid_hashes(
    grid: UInt32, x0: float, z0: float, spacing: float, tiles: Int64, size: float
) -> UInt64:
    n = grid.shape[0]
    out = np.zeros((tiles.shape[0], 2), np.uint64)
    for t in range(tiles.shape[0]):
        c0 = min(max(int(math.floor((tiles[t, 0] * size - x0) / spacing)), 0), n - 1)
        r0 = min(max(int(math.floor((tiles[t, 1] * size - z0) / spacing)), 0), n - 1)
        c1 = min(max(int(math.ceil(((tiles[t, 0] + 1) * size - x0) / spacing)), 0), n - 1)
        r1 = min(max(int(math.ceil(((tiles[t, 1] + 1) * size - z0) / spacing)), 0), n - 1)
        for r in range(r0, r1 + 1):
            for c in range(c0, c1 + 1):
                fold(out[t], np.uint64(grid[r, c]))
    return out


@kernel
def _push(heap: Int64, height: Float32, count: int, item: int) -> int:
    """Put `item` into a heap whose least is the lowest sample, the first of those equally low; gives its new size."""
    at = count
    while at > 0:
        above = (at - 1) // 2
        other = heap[above]
        if height[other] < height[item] or (height[other] == height[item] and other < item):
            break
        heap[at] = other
        at = above
    heap[at] = item
    return count + 1


@kernel
def _pop(heap: Int64, height: Float32, count: int) -> int:
    """Take out the least; the heap is one shorter after it."""
    out, item, last = heap[0], heap[count - 1], count - 1
    at = 0
    while True:
        below = 2 * at + 1
        if below >= last:
            break
        if below + 1 < last:
            a, b = heap[below], heap[below + 1]
            if height[b] < height[a] or (height[b] == height[a] and b < a):
                below += 1
        other = heap[below]
        if height[item] < height[other] or (height[item] == height[other] and item < other):
            break
        heap[at] = other
        at = below
    heap[at] = item
    return int(out)


@kernel
def filled(heights: Float32, ends: Bool) -> tuple[Float32, Int64]:
    """Heights (n * m,) with all hollows filled so that every sample drains, and the samples from the lowest end upwards.

    Priority-Flood (Barnes, Lehman and Mulla 2014): from the `ends` (n, m), where water leaves, the lowest
    first.
    """
    n, m = heights.shape
    level = heights.copy().reshape(n * m)
    seen = np.zeros(n * m, np.bool_)
    heap, order = np.empty(n * m, np.int64), np.empty(n * m, np.int64)
    count = done = 0
    for r in range(n):
        for c in range(m):
            if ends[r, c]:
                seen[r * m + c] = True
                count = _push(heap, level, count, r * m + c)
    while count > 0:
        item = _pop(heap, level, count)
        count -= 1
        order[done] = item
        done += 1
        r, c = item // m, item % m
        for i in range(max(0, r - 1), min(n, r + 2)):
            for j in range(max(0, c - 1), min(m, c + 2)):
                k = i * m + j
                if not seen[k]:
                    seen[k] = True
                    level[k] = max(level[k], level[item])
                    count = _push(heap, level, count, k)
    return level, order


@kernel
def flow(level: Float32, order: Int64, ends: Bool) -> Float64:
    """(n * m,) how many samples drain through each, itself included; `level` and `order` as from `filled` to the `ends` (n, m).

    Shared among all lower neighbours by their slopes (Freeman 1991); on level ground, among those
    that drained before, so that lakes run out.
    """
    n, m = ends.shape
    area = np.ones(n * m)
    turn = np.empty(n * m, np.int64)
    for k in range(n * m):
        turn[order[k]] = k
    share = np.empty(9)
    for k in range(n * m - 1, -1, -1):
        item = order[k]
        r, c = item // m, item % m
        if ends[r, c]:
            continue
        total, at, even = 0.0, 0, False
        for attempt in range(2):
            even = attempt == 1
            total, at = 0.0, 0
            for i in range(max(0, r - 1), min(n, r + 2)):
                for j in range(max(0, c - 1), min(m, c + 2)):
                    other = i * m + j
                    share[at] = 0.0
                    if turn[other] < k:
                        far = 1.4142135623730951 if i != r and j != c else 1.0
                        fall = (level[item] - level[other]) / far
                        if fall > 0.0:
                            share[at] = fall**_SPREAD
                        elif even:
                            share[at] = 1.0 / far
                    total += share[at]
                    at += 1
            if total > 0.0:
                break
        at = 0
        for i in range(max(0, r - 1), min(n, r + 2)):
            for j in range(max(0, c - 1), min(m, c + 2)):
                if share[at] > 0.0:
                    area[i * m + j] += area[item] * share[at] / total
                at += 1
    return area


def drained(heights: Float32, out_of: Bool) -> tuple[Float32, Int64, Bool]:
    """`filled` from the border and what is `out_of` (n, m) the surface, and where water leaves: at the lowest place of deep hollows as well, which are no lakes."""
    from scipy.ndimage import label, minimum_position

    ends = out_of.copy()
    ends[[0, -1]] = ends[:, [0, -1]] = True
    level, order = filled(heights, ends)
    for _ in range(_NESTED):
        lakes, many = label(level.reshape(heights.shape) - heights > _SINK, np.ones((3, 3)))
        if not many:
            break
        lowest = np.array(minimum_position(heights, lakes, np.arange(1, many + 1)))
        ends[lowest[:, 0], lowest[:, 1]] = True
        level, order = filled(heights, ends)
    return level, order, ends


def hydrology_of(surface: Surface, water: float | None) -> Hydrology:
    """Where water runs and stands on `surface`, with standing water at the height `water`, if there is any.

    Wetness is the topographic wetness index (Beven and Kirkby 1979) from dry to wet, what standing water
    keeps wet about it, and what shallow hollows hold, whichever is most.
    """
    from scipy.ndimage import distance_transform_edt

    x0, z0, x1, z1 = surface.bounds
    side = max(x1 - x0, z1 - z0, 1e-3)
    n = min(MOST_SAMPLES, max(17, math.isqrt(max(surface.triangles // 2, 1)) + 1))
    spacing = side / (n - 1)
    at = np.arange(n) * spacing
    x, z = np.meshgrid(x0 + at, z0 + at)
    found = surface.sample(x.ravel(), z.ravel())
    hit = found.hit.reshape(n, n)
    lowest = found.position[found.hit, 1].min() if found.hit.any() else 0.0
    heights: Float32 = np.where(hit, found.position[:, 1].reshape(n, n), lowest).astype(np.float32)
    level, order, ends = drained(heights, ~hit)
    area = flow(level, order, ends).reshape(n, n) * spacing  # of a metre of width
    steep = np.hypot(*np.gradient(heights, spacing)).clip(_LEAST_SLOPE)
    wet = (np.log(area / steep) - _DRY) / (_WET - _DRY)
    wet = np.maximum(wet, (level.reshape(n, n) - heights) / _POND)
    shore = np.full((n, n), np.inf, np.float32)
    if water is not None:
        under = (heights <= water) & hit
        wet = np.maximum(wet, 1.0 - (heights - water) / _RISES)
        if under.any():
            away = distance_transform_edt(~under) - distance_transform_edt(under)
            shore = (spacing * np.where(away > 0, away - 0.5, away + 0.5)).astype(np.float32)
    quantised = np.round(STEPS * wet.clip(0.0, 1.0)).astype(np.uint8)
    return Hydrology((x0, z0, x0 + side, z0 + side), quantised, shore)
