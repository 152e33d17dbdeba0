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
def _directions(seed: np.uint64, repeat: tuple[int, int]) -> tuple[Float32, Float32]:
    """The lattice's unit vectors, as rows of their parts along x and along y."""
    px, py = repeat
    east, south = np.empty((py, px), np.float32), np.empty((py, px), np.float32)
    for j in range(py):
        for i in range(px):
            place = (np.uint64(i) << _S32) | (np.uint64(j) & _LOW)
            k = mix((place * _ODD) ^ seed) >> _S56
            east[j, i], south[j, i] = _COS[k], _SIN[k]
    return east, south


@kernel
def _add_octave(
    out: Float32, seed: np.uint64, repeat: tuple[int, int], offset: tuple[float, float], gain: float
) -> None:
    """Add `gain` times a lattice of noise with `repeat` cells along x and y, moved by `offset` cells."""
    rows, columns = out.shape
    px, py = repeat
    east, south = _directions(seed, repeat)
    left, right = np.empty(columns, np.int64), np.empty(columns, np.int64)
    along, across = np.empty(columns, np.float32), np.empty(columns, np.float32)
    for c in range(columns):
        x = c / columns * px + offset[0]
        i = int(math.floor(x))
        left[c], right[c] = i % px, (i + 1) % px
        along[c], across[c] = x - i, _fade(x - i)
    # the corners of two rows of the lattice, laid out by pixel: the loop over pixels looks nothing up
    upper, lower = np.empty((4, columns), np.float32), np.empty((4, columns), np.float32)
    one, much, at = np.float32(1.0), np.float32(1.41 * gain), -1
    for r in range(rows):
        y = r / rows * py + offset[1]
        j = int(math.floor(y))
        if r == 0 or j != at:
            at = j
            for corners, row in ((upper, j % py), (lower, (j + 1) % py)):
                for c in range(columns):
                    corners[0, c], corners[1, c] = east[row, left[c]], south[row, left[c]]
                    corners[2, c], corners[3, c] = east[row, right[c]], south[row, right[c]]
        dy, fall = np.float32(y - j), np.float32(_fade(y - j))
        low = dy - one
        line = out[r]
        for c in range(columns):
            near, t = along[c], across[c]
            far = near - one
            top = upper[0, c] * near + upper[1, c] * dy
            top += t * (upper[2, c] * far + upper[3, c] * dy - top)
            bottom = lower[0, c] * near + lower[1, c] * low
            bottom += t * (lower[2, c] * far + lower[3, c] * low - bottom)
            line[c] += much * (top + fall * (bottom - top))


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


_RINGS = np.array(
    sorted(np.ndindex(5, 5), key=lambda at: max(abs(at[0] - 2), abs(at[1] - 2))), np.int64
)
"""Cells about one, from the nearest outwards: the first nine can hold the nearest point, the others seldom do."""


@kernel
def _nearer(
    x: Float32,
    point: tuple[np.float32, np.float32, np.float32],
    first: Float32,
    second: Float32,
    chosen: Float32,
) -> None:
    """Take a point (its x, the square of how far it is down, its value) into the squared distances (n,) of pixels at `x`."""
    px, down, mine = point
    for c in range(x.shape[0]):
        dx = px - x[c]
        d = dx * dx + down
        f, s = first[c], second[c]
        later = f if f > d else d
        second[c] = s if s < later else later
        chosen[c] = mine if d < f else chosen[c]
        first[c] = d if d < f else f


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
    rows, columns = size
    edge, value = np.empty(size, np.float32), np.empty(size, np.float32)
    x = np.empty(columns, np.float32)
    # where each column of cells begins
    starts, cell = np.empty(repeat[0] + 1, np.int64), -1
    for c in range(columns):
        x[c] = np.float32((c + 0.5) / columns * repeat[0])
        while cell < int(x[c]):
            cell += 1
            starts[cell] = c
    starts[cell + 1 :] = columns
    first, second = np.empty(columns, np.float32), np.empty(columns, np.float32)
    for r in range(rows):
        y = np.float32((r + 0.5) / rows * repeat[1])
        iy = int(y)
        chosen = value[r]
        first[:], second[:] = np.float32(99.0), np.float32(99.0)
        for ix in range(repeat[0]):
            a, b = starts[ix], starts[ix + 1]
            worst = np.float32(99.0)
            for k in range(25):
                if k == 9:
                    worst = second[a:b].max() if b > a else np.float32(0.0)
                j, i = iy + _RINGS[k, 0], ix + _RINGS[k, 1]
                px, down, mine = at[j, i, 0], at[j, i, 1] - y, own[j, i]
                down *= down
                beside = max(np.float32(0.0), px - x[b - 1], x[a] - px)
                if beside * beside + down < worst:
                    _nearer(x[a:b], (px, down, mine), first[a:b], second[a:b], chosen[a:b])
        for c in range(columns):
            edge[r, c] = 0.5 * (math.sqrt(second[c]) - math.sqrt(first[c]))
    return edge, value
