"""Gradient noise in space (Perlin 1985, with the fade curve and the directions of Perlin 2002), and cells in space (Worley 1996), callable from other kernels."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float64
from plough.core.kernels import kernel
from plough.core.rng import bits, mix, stream

_OCTAVE, _CELLS = stream("solid noise.octave"), stream("solid noise.cells")
_ODD, _EVEN, _THIRD = (
    np.uint64(0x9E3779B97F4A7C15),
    np.uint64(0xC2B2AE3D27D4EB4F),
    np.uint64(0x165667B19E3779F9),
)
_DIRECTIONS = np.array(
    [[x, y, 0] for x in (-1, 1) for y in (-1, 1)]
    + [[x, 0, z] for x in (-1, 1) for z in (-1, 1)]
    + [[0, y, z] for y in (-1, 1) for z in (-1, 1)]
    + [[1, 1, 0], [-1, 1, 0], [0, -1, 1], [0, -1, -1]],
    np.float64,
)


@kernel
def _told(seed: np.uint64, i: int, j: int, k: int) -> np.uint64:
    return mix(np.uint64(i) * _ODD + np.uint64(j) * _EVEN + np.uint64(k) * _THIRD ^ seed)


@kernel
def _faded(t: float) -> float:
    return t * t * t * (t * (t * 6.0 - 15.0) + 10.0)


@kernel
def gradient_in_space(seed: np.uint64, x: float, y: float, z: float) -> float:
    """Noise in about [-1, 1] at (x, y, z), in cells."""
    fx, fy, fz = math.floor(x), math.floor(y), math.floor(z)
    ix, iy, iz = int(fx), int(fy), int(fz)
    dx, dy, dz = x - fx, y - fy, z - fz
    u, v, w = _faded(dx), _faded(dy), _faded(dz)
    total = 0.0
    for a in range(2):
        for b in range(2):
            for c in range(2):
                way = _DIRECTIONS[_told(seed, ix + a, iy + b, iz + c) >> np.uint64(60)]
                share = (u if a else 1.0 - u) * (v if b else 1.0 - v) * (w if c else 1.0 - w)
                total += share * (way[0] * (dx - a) + way[1] * (dy - b) + way[2] * (dz - c))
    return total


@kernel
def layered_in_space(
    seed: np.uint64, x: float, y: float, z: float, octaves: int, gain: float
) -> float:
    """Octaves of noise, each of twice the frequency and `gain` times the strength, scaled to about [-1, 1]."""
    total, strength, norm = 0.0, 1.0, 0.0
    for k in range(octaves):
        total += strength * gradient_in_space(bits(seed, _OCTAVE, np.uint64(k)), x, y, z)
        norm += strength
        strength *= gain
        x, y, z = 2.0 * x + 17.3, 2.0 * y - 9.1, 2.0 * z + 5.7
    return total / norm


@kernel
def layered_at(
    seed: np.uint64, points: Float64, scale: float, octaves: int, gain: float
) -> Float64:
    """(n,) what `layered_in_space` gives at `points` (n, 3) times `scale`; those that follow each other in one cell share its directions."""
    n = points.shape[0]
    total, norm, strength = np.zeros(n), 0.0, 1.0
    ways, cell = np.empty((2, 2, 2, 3)), np.empty(3, np.int64)
    for k in range(octaves):
        own = bits(seed, _OCTAVE, np.uint64(k))
        for p in range(n):
            x, y, z = scale * points[p, 0], scale * points[p, 1], scale * points[p, 2]
            for _ in range(k):
                x, y, z = 2.0 * x + 17.3, 2.0 * y - 9.1, 2.0 * z + 5.7
            fx, fy, fz = math.floor(x), math.floor(y), math.floor(z)
            ix, iy, iz = int(fx), int(fy), int(fz)
            if p == 0 or ix != cell[0] or iy != cell[1] or iz != cell[2]:
                cell[0], cell[1], cell[2] = ix, iy, iz
                for a in range(2):
                    for b in range(2):
                        for c in range(2):
                            row = _told(own, ix + a, iy + b, iz + c) >> np.uint64(60)
                            ways[a, b, c] = _DIRECTIONS[row]
            dx, dy, dz = x - fx, y - fy, z - fz
            u, v, w = _faded(dx), _faded(dy), _faded(dz)
            here = 0.0
            for a in range(2):
                for b in range(2):
                    for c in range(2):
                        way = ways[a, b, c]
                        share = (u if a else 1.0 - u) * (v if b else 1.0 - v)
                        share *= w if c else 1.0 - w
                        here += share * (way[0] * (dx - a) + way[1] * (dy - b) + way[2] * (dz - c))
            total[p] += strength * here
        norm += strength
        strength *= gain
    return total / norm


@kernel
def to_cell(seed: np.uint64, x: float, y: float, z: float) -> float:
    """Cells from (x, y, z) to the nearest point of a lattice in which each cell has one, anywhere within it."""
    own = bits(seed, _CELLS, np.uint64(0))
    ix, iy, iz = int(math.floor(x)), int(math.floor(y)), int(math.floor(z))
    best = 9.0
    for a in range(-1, 2):
        for b in range(-1, 2):
            for c in range(-1, 2):
                h = _told(own, ix + a, iy + b, iz + c)
                dx = ix + a + float(h & np.uint64(0x1FFFFF)) / 2097152.0 - x
                dy = iy + b + float(h >> np.uint64(21) & np.uint64(0x1FFFFF)) / 2097152.0 - y
                dz = iz + c + float(h >> np.uint64(42) & np.uint64(0x1FFFFF)) / 2097152.0 - z
                best = min(best, dx * dx + dy * dy + dz * dz)
    return math.sqrt(best)
