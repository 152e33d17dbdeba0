"""How much sky is seen from within a cloud of leaves.

The leaves are smeared over a coarse grid as area per volume; light is dimmed along a few rays to the sky (Beer's law), so the cost follows
the points asked for, not the leaves.
"""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.kernels import kernel

_CELLS = 22  #: along the longest side of the grid
_RAYS = np.array(
    [(0.0, 1.0, 0.0)]
    + [(0.72 * math.cos(a), 0.69, 0.72 * math.sin(a)) for a in np.arange(4) * math.pi / 2 + 0.4]
    + [(0.97 * math.cos(a), 0.24, 0.97 * math.sin(a)) for a in np.arange(5) * math.pi * 0.4 + 0.1]
)
_WEIGHTS = np.array([1.0] + [0.8] * 4 + [0.45] * 5)


@kernel
def _smear(
    centres: Float32, areas: Float32, low: Float64, cell: float, nx: int, ny: int, nz: int
) -> Float32:
    grid = np.zeros((nx, ny, nz), np.float32)
    volume = cell * cell * cell
    for i in range(centres.shape[0]):
        x, y, z = (
            (centres[i, 0] - low[0]) / cell - 0.5,
            (centres[i, 1] - low[1]) / cell - 0.5,
            (centres[i, 2] - low[2]) / cell - 0.5,
        )
        ix, iy, iz = int(math.floor(x)), int(math.floor(y)), int(math.floor(z))
        fx, fy, fz = x - ix, y - iy, z - iz
        for a in range(2):
            for b in range(2):
                for c in range(2):
                    p, q, r = ix + a, iy + b, iz + c
                    if 0 <= p < nx and 0 <= q < ny and 0 <= r < nz:
                        w = (fx if a else 1 - fx) * (fy if b else 1 - fy) * (fz if c else 1 - fz)
                        grid[p, q, r] += w * areas[i] / volume
    return grid


@kernel
def _openness(grid: Float32, rays: Float64, weights: Float64, density: float) -> Float32:
    """Shares of the sky seen from the corners of the grid's cells; `density` is the light that a cell's area per volume takes."""
    nx, ny, nz = grid.shape
    out = np.empty((nx + 1, ny + 1, nz + 1), np.float32)
    whole = weights.sum()
    for i in range(nx + 1):
        for j in range(ny + 1):
            for k in range(nz + 1):
                total = 0.0
                for r in range(rays.shape[0]):
                    depth = 0.0
                    x, y, z = float(i), float(j), float(k)
                    for _ in range(2 * _CELLS):
                        x, y, z = x + rays[r, 0], y + rays[r, 1], z + rays[r, 2]
                        if x < 0 or y < 0 or z < 0 or x >= nx or y >= ny or z >= nz:
                            break
                        depth += grid[int(x), int(y), int(z)]
                    total += weights[r] * math.exp(-density * depth)
                out[i, j, k] = total / whole
    return out


@kernel
def _between(points: Float32, corners: Float32, low: Float64, cell: float) -> Float32:
    """(n,) values of the grid's corners, linear between them; 1 outside."""
    out = np.ones(points.shape[0], np.float32)
    nx, ny, nz = corners.shape
    for p in range(points.shape[0]):
        x = (points[p, 0] - low[0]) / cell
        y = (points[p, 1] - low[1]) / cell
        z = (points[p, 2] - low[2]) / cell
        i, j, k = int(math.floor(x)), int(math.floor(y)), int(math.floor(z))
        if i < 0 or j < 0 or k < 0 or i >= nx - 1 or j >= ny - 1 or k >= nz - 1:
            continue
        f, g, h = x - i, y - j, z - k
        value = 0.0
        for a in range(2):
            for b in range(2):
                for c in range(2):
                    w = (f if a else 1 - f) * (g if b else 1 - g) * (h if c else 1 - h)
                    value += w * corners[i + a, j + b, k + c]
        out[p] = value
    return out


class LeafCloud:
    """Leaves as area per volume."""

    def __init__(self, centres: Float32, areas: Float32) -> None:
        """`centres` (n, 3) metres, `areas` (n,) square metres; n at least 1."""
        low, high = centres.min(axis=0).astype(np.float64), centres.max(axis=0).astype(np.float64)
        self.cell = max(0.02, float((high - low).max()) / (_CELLS - 2))
        self.low = low - self.cell
        n = np.ceil((high - self.low) / self.cell).astype(int) + 1
        self.grid = _smear(
            centres.astype(np.float32), areas.astype(np.float32), self.low, self.cell, *map(int, n)
        )

    def openness(self, points: Float32, density: float = 0.5) -> Float32:
        """(n,) shares of the sky that are seen from `points` (n, 3), 0 to 1; `density` is the light that a square metre takes."""
        corners = _openness(self.grid, _RAYS, _WEIGHTS, density * self.cell)
        return _between(points.astype(np.float32), corners, self.low, self.cell)
