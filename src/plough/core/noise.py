"""Gradient noise in the plane (Perlin 1985, with the fade curve of Perlin 2002), callable from other kernels."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64, UInt64
from plough.core.kernels import kernel
from plough.core.rng import bits, mix, stream, uniform

_OCTAVE, _TURN = stream("noise.octave"), stream("noise.turn")
_OFFSET, _CELLS = stream("noise.offset"), stream("noise.cells")
_DIRECTIONS = 256
_COS = np.cos(np.arange(_DIRECTIONS) * (2.0 * math.pi / _DIRECTIONS))
_SIN = np.sin(np.arange(_DIRECTIONS) * (2.0 * math.pi / _DIRECTIONS))
_S56, _S32 = np.uint64(56), np.uint64(32)
_LOW = np.uint64(0xFFFFFFFF)
_ODD = np.uint64(0x9E3779B97F4A7C15)


@kernel
def _corner(seed: np.uint64, ix: int, iy: int, px: int, py: int, dx: float, dy: float) -> float:
    if px > 0:
        ix = ix % px
    if py > 0:
        iy = iy % py
    place = (np.uint64(ix) << _S32) | (np.uint64(iy) & _LOW)
    k = mix((place * _ODD) ^ seed) >> _S56
    return float(_COS[k] * dx + _SIN[k] * dy)


@kernel
def gradient(seed: np.uint64, x: float, y: float, px: int, py: int) -> float:
    """Noise in about [-1, 1] at (x, y); repeats every `px`, `py` cells where those are positive."""
    fx, fy = math.floor(x), math.floor(y)
    ix, iy = int(fx), int(fy)
    dx, dy = x - fx, y - fy
    u = dx * dx * dx * (dx * (dx * 6.0 - 15.0) + 10.0)
    v = dy * dy * dy * (dy * (dy * 6.0 - 15.0) + 10.0)
    a = _corner(seed, ix, iy, px, py, dx, dy)
    b = _corner(seed, ix + 1, iy, px, py, dx - 1.0, dy)
    c = _corner(seed, ix, iy + 1, px, py, dx, dy - 1.0)
    d = _corner(seed, ix + 1, iy + 1, px, py, dx - 1.0, dy - 1.0)
    low, high = a + u * (b - a), c + u * (d - c)
    return 1.41 * (low + v * (high - low))


class Octaves(NamedTuple):
    """The octaves of layered noise: a lattice, a turn and an offset for each."""

    seed: UInt64  #: (n,)
    sine: Float64  #: (n,)
    cosine: Float64  #: (n,)
    x: Float64  #: (n,) cells
    y: Float64  #: (n,) cells


@kernel
def octaves_of(seed: np.uint64, count: int) -> Octaves:
    """`count` octaves drawn from the seed: no two seeds share one, and there is no place where all of them vanish."""
    out = Octaves(
        np.empty(count, np.uint64),
        np.empty(count),
        np.empty(count),
        np.empty(count),
        np.empty(count),
    )
    for k in range(count):
        own = bits(seed, _OCTAVE, np.uint64(k))
        angle = 2.0 * math.pi * uniform(own, _TURN, np.uint64(0))
        out.seed[k], out.sine[k], out.cosine[k] = own, math.sin(angle), math.cos(angle)
        out.x[k] = 256.0 * uniform(own, _OFFSET, np.uint64(0))
        out.y[k] = 256.0 * uniform(own, _OFFSET, np.uint64(1))
    return out


@kernel
def layered(o: Octaves, x: float, y: float, gain: float, ridged: float) -> float:
    """Octaves of noise, each of twice the frequency and `gain` times the strength, scaled to about [-1, 1].

    `ridged` in [0, 1] mixes in folded octaves (sharp crests).
    """
    total, strength, norm = 0.0, 1.0, 0.0
    for k in range(o.seed.shape[0]):
        u = o.cosine[k] * x - o.sine[k] * y + o.x[k]
        v = o.sine[k] * x + o.cosine[k] * y + o.y[k]
        value = gradient(o.seed[k], u, v, 0, 0)
        if ridged > 0.0:
            crest = 1.0 - 2.0 * abs(value)
            value = value + ridged * (crest - value)
        total += strength * value
        norm += strength
        strength *= gain
        x, y = x * 2.0, y * 2.0
    return total / norm


@kernel
def tile(
    seed: np.uint64, rows: int, columns: int, cells_x: int, cells_y: int, octaves: int, gain: float
) -> Float32:
    """A (rows, columns) image of layered noise that repeats seamlessly on both axes; octaves are offset, but not turned."""
    out = np.zeros((rows, columns), np.float32)
    o = octaves_of(seed, octaves)
    strength, norm = 1.0, 0.0
    for k in range(octaves):
        px, py = cells_x << k, cells_y << k
        for r in range(rows):
            y = r / rows * py + o.y[k]
            for c in range(columns):
                out[r, c] += strength * gradient(o.seed[k], c / columns * px + o.x[k], y, px, py)
        norm += strength
        strength *= gain
    return out / np.float32(norm)


@kernel
def cells(
    seed: np.uint64, rows: int, columns: int, cells_x: int, cells_y: int, jitter: float
) -> tuple[Float32, Float32]:
    """Cellular noise (Worley 1996) that repeats on both axes: (rows, columns) distances to the nearest cell's edge, and a value per cell.

    Distances are in cells; values lie in [0, 1).
    """
    own_seed = bits(seed, _CELLS, np.uint64(0))
    at, own = np.empty((cells_y, cells_x, 2)), np.empty((cells_y, cells_x), np.float32)
    for j in range(cells_y):
        for i in range(cells_x):
            h = mix(((np.uint64(i) << _S32 | np.uint64(j)) * _ODD) ^ own_seed)
            at[j, i, 0] = 0.5 + jitter * (float(h & _LOW) / 4294967296.0 - 0.5)
            at[j, i, 1] = 0.5 + jitter * (float(h >> _S32) / 4294967296.0 - 0.5)
            own[j, i] = float(mix(h) >> _S32) / 4294967296.0
    edge, value = np.empty((rows, columns), np.float32), np.empty((rows, columns), np.float32)
    for r in range(rows):
        y = (r + 0.5) / rows * cells_y
        iy = int(y)
        for c in range(columns):
            x = (c + 0.5) / columns * cells_x
            ix = int(x)
            first, second, owner_j, owner_i = 99.0, 99.0, 0, 0
            for j in range(iy - 2, iy + 3):
                wrapped = (j + 2 * cells_y) % cells_y
                for i in range(ix - 2, ix + 3):
                    column = (i + 2 * cells_x) % cells_x
                    d = (i + at[wrapped, column, 0] - x) ** 2 + (
                        j + at[wrapped, column, 1] - y
                    ) ** 2
                    if d < first:
                        first, second, owner_j, owner_i = d, first, wrapped, column
                    elif d < second:
                        second = d
            edge[r, c] = 0.5 * (math.sqrt(second) - math.sqrt(first))
            value[r, c] = own[owner_j, owner_i]
    return edge, value
