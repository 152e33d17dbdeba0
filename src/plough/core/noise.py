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
def _fade(t: float) -> float:
    return t * t * t * (t * (t * 6.0 - 15.0) + 10.0)


@kernel
def _add_octave(
    out: Float32, seed: np.uint64, repeat: tuple[int, int], offset: tuple[float, float], gain: float
) -> None:
    """Add `gain` times a lattice of noise with `repeat` cells along x and y, moved by `offset` cells."""
    rows, columns = out.shape
    px, py = repeat
    east, south = np.empty((py, px), np.float32), np.empty((py, px), np.float32)
    for j in range(py):
        for i in range(px):
            place = (np.uint64(i) << _S32) | (np.uint64(j) & _LOW)
            k = mix((place * _ODD) ^ seed) >> _S56
            east[j, i], south[j, i] = _COS[k], _SIN[k]
    left, right = np.empty(columns, np.int64), np.empty(columns, np.int64)
    along, across = np.empty(columns, np.float32), np.empty(columns, np.float32)
    for c in range(columns):
        x = c / columns * px + offset[0]
        i = int(math.floor(x))
        left[c], right[c] = i % px, (i + 1) % px
        along[c], across[c] = x - i, _fade(x - i)
    # runs of columns within one cell: along them nothing is looked up
    runs, n = np.empty(columns + 1, np.int64), 0
    for c in range(columns):
        if c == 0 or left[c] != left[c - 1]:
            runs[n] = c
            n += 1
    runs[n] = columns
    one, much = np.float32(1.0), np.float32(1.41 * gain)
    for r in range(rows):
        y = r / rows * py + offset[1]
        j = int(math.floor(y))
        dy, fall = np.float32(y - j), np.float32(_fade(y - j))
        low = dy - one
        a, b = j % py, (j + 1) % py
        for run in range(n):
            p, q = left[runs[run]], right[runs[run]]
            east_ap, east_aq, east_bp, east_bq = east[a, p], east[a, q], east[b, p], east[b, q]
            down_ap, down_aq = south[a, p] * dy, south[a, q] * dy
            down_bp, down_bq = south[b, p] * low, south[b, q] * low
            for c in range(runs[run], runs[run + 1]):
                near, t = along[c], across[c]
                far = near - one
                top = east_ap * near + down_ap
                top += t * (east_aq * far + down_aq - top)
                bottom = east_bp * near + down_bp
                bottom += t * (east_bq * far + down_bq - bottom)
                out[r, c] += much * (top + fall * (bottom - top))


@kernel
def tile(
    seed: np.uint64, size: tuple[int, int], repeat: tuple[int, int], octaves: int, gain: float
) -> Float32:
    """An image of `size` rows and columns of layered noise that repeats seamlessly on both axes.

    Args:
        repeat: cells of the first octave along x and y. Octaves are offset, but not turned.
    """
    out = np.zeros(size, np.float32)
    o = octaves_of(seed, octaves)
    strength, norm = 1.0, 0.0
    for k in range(octaves):
        _add_octave(out, o.seed[k], (repeat[0] << k, repeat[1] << k), (o.x[k], o.y[k]), strength)
        norm += strength
        strength *= gain
    return out / np.float32(norm)


@kernel
def _cell_points(
    seed: np.uint64, repeat: tuple[int, int], jitter: float
) -> tuple[Float32, Float32]:
    """Places of the cells' points, in cells, and their values, with two more cells beyond every border."""
    own_seed = bits(seed, _CELLS, np.uint64(0))
    px, py = repeat
    at = np.empty((py + 4, px + 4, 2), np.float32)
    own = np.empty((py + 4, px + 4), np.float32)
    for j in range(-2, py + 2):
        for i in range(-2, px + 2):
            place = np.uint64(i % px) << _S32 | np.uint64(j % py)
            h = mix((place * _ODD) ^ own_seed)
            at[j + 2, i + 2, 0] = i + 0.5 + jitter * (float(h & _LOW) / 4294967296.0 - 0.5)
            at[j + 2, i + 2, 1] = j + 0.5 + jitter * (float(h >> _S32) / 4294967296.0 - 0.5)
            own[j + 2, i + 2] = float(mix(h) >> _S32) / 4294967296.0
    return at, own


@kernel
def cells(
    seed: np.uint64, size: tuple[int, int], repeat: tuple[int, int], jitter: float
) -> tuple[Float32, Float32]:
    """Cellular noise (Worley 1996) that repeats on both axes: distances to the nearest cell's edge, and a value per cell.

    Both are images of `size` rows and columns. Distances are in cells; values lie in [0, 1).

    Args:
        repeat: cells along x and y.
    """
    at, own = _cell_points(seed, repeat, jitter)
    edge, value = np.empty(size, np.float32), np.empty(size, np.float32)
    for r in range(size[0]):
        y = np.float32((r + 0.5) / size[0] * repeat[1])
        iy = int(y)
        for c in range(size[1]):
            x = np.float32((c + 0.5) / size[1] * repeat[0])
            ix = int(x)
            first, second, chosen = np.float32(99.0), np.float32(99.0), np.float32(0.0)
            # from the middle outwards: a ring is left out where nothing in it can be near enough
            for reach in range(3):
                out = reach - 1 + min(x - ix, ix + 1 - x, y - iy, iy + 1 - y)
                if reach and out > 0.0 and out * out >= second:
                    break
                for j in range(iy + 2 - reach, iy + 3 + reach):
                    step = 1 if abs(j - iy - 2) == reach or reach == 0 else 2 * reach
                    for i in range(ix + 2 - reach, ix + 3 + reach, step):
                        dx, dy = at[j, i, 0] - x, at[j, i, 1] - y
                        d = dx * dx + dy * dy
                        if d < first:
                            first, second, chosen = d, first, own[j, i]
                        elif d < second:
                            second = d
            edge[r, c] = 0.5 * (math.sqrt(second) - math.sqrt(first))
            value[r, c] = chosen
    return edge, value
