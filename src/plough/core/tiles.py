"""Tiles: the squares of the ground by which placements and solids are computed, kept, sent and baked.

Tile (i, k) covers east `SIZE` * i to `SIZE` * (i + 1) and south `SIZE` * k to `SIZE` * (k + 1).
Hashes of what a tile can see are 128 bits, held as two uint64; they are added up where order
does not matter.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.hashing import key_of
from plough.core.kernels import kernel
from plough.core.rng import mix

SIZE = 64.0  #: metres a side
GROUP = 512.0  #: metres a side of what is worked on at once

TileList = NDArray[np.int64]  #: (t, 2) tile coordinates, east and south
Bounds = tuple[
    float, float, float, float
]  #: least east, least south, greatest east, greatest south

_RUN = 32  # segments whose tiles are looked for at once
_SECOND = np.uint64(0xD6E8FEB86659FD93)
_STEP = np.uint64(0x9E3779B97F4A7C15)


def tiles_in(bounds: Bounds, size: float = SIZE) -> TileList:
    """All tiles that meet the rectangle `bounds`, row by row."""
    x0, z0, x1, z1 = bounds
    if not (x1 > x0 and z1 > z0):
        return np.empty((0, 2), np.int64)
    i = np.arange(math.floor(x0 / size), math.ceil(x1 / size))
    k = np.arange(math.floor(z0 / size), math.ceil(z1 / size))
    return np.stack(np.broadcast_arrays(i[None, :], k[:, None]), axis=-1).reshape(-1, 2)


def tile_of(x: Float64, z: Float64, size: float = SIZE) -> TileList:
    """(n, 2) the tile that each point lies in."""
    return np.floor(np.stack([x, z], axis=-1) / size).astype(np.int64)


def code_of(tiles: TileList) -> Int64:
    """(t,) one number for each tile; sorting by it sorts row by row."""
    code: Int64 = ((tiles[..., 1] + 2**30) << 32) | (tiles[..., 0] + 2**30)
    return code


def unique_tiles(tiles: TileList) -> TileList:
    """Each tile once, row by row."""
    code = np.unique(code_of(tiles))
    return np.stack([(code & 0xFFFFFFFF) - 2**30, (code >> 32) - 2**30], axis=-1)


def around_each(tiles: TileList, rings: int) -> TileList:
    """`tiles` and all up to `rings` away from one of them, each once, row by row."""
    step = np.arange(-rings, rings + 1)
    ring = np.stack(np.meshgrid(step, step), axis=-1).reshape(-1, 2)
    return unique_tiles((tiles[:, None, :] + ring[None]).reshape(-1, 2))


def grouped(tiles: TileList, rows: Int64) -> list[Int64]:
    """`rows` of `tiles`, by the square of `GROUP` metres that they lie in."""
    codes = code_of(np.floor(tiles[rows] * (SIZE / GROUP)).astype(np.int64))
    order = np.argsort(codes, kind="stable")
    cuts = np.nonzero(np.diff(codes[order]))[0] + 1
    return [rows[part] for part in np.split(order, cuts) if len(part)]


def hash_of(value: object) -> UInt64:
    """(2,) a hash of plain values."""
    text = key_of(value)
    return np.array([int(text[:16], 16), int(text[16:32], 16)], np.uint64)


@kernel
def fold(state: UInt64, value: np.uint64) -> None:
    """Mix `value` into the 128 bits of `state` (2,), in order."""
    state[0] = mix((state[0] ^ value) + _STEP)
    state[1] = mix((state[1] ^ (value * _SECOND)) + _STEP)


@kernel
def _meeting(
    points: Float64, tiles: Int64, among: Int64, size: float, reach: float, out: Int64
) -> int:
    """Write into `out` the rows `among` of those tiles that come within `reach` of the rectangle about `points`; how many."""
    x0, x1 = points[:, 0].min() - reach, points[:, 0].max() + reach
    z0, z1 = points[:, 1].min() - reach, points[:, 1].max() + reach
    count = 0
    for t in among:
        east, south = tiles[t, 0] * size, tiles[t, 1] * size
        if x1 >= east and x0 <= east + size and z1 >= south and z0 <= south + size:
            out[count] = t
            count += 1
    return count


@kernel
def line_hashes(points: Float64, tiles: Int64, size: float, reach: float) -> UInt64:
    """(t, 2) for each tile, the sum of the hashes of those segments of a polyline (n, 2 or more) that come within `reach` of it.

    Columns after the first two are values that belong to its points. The sum does not hang on the order of segments, nor on where the line begins.
    """
    out = np.zeros((tiles.shape[0], 2), np.uint64)
    bits = points.view(np.uint64)
    state = np.empty(2, np.uint64)
    every, near = np.arange(tiles.shape[0]), np.empty(tiles.shape[0], np.int64)
    met = np.empty_like(near)
    for first in range(0, points.shape[0] - 1, _RUN):
        last = min(first + _RUN, points.shape[0] - 1)
        # the tiles that a run of segments comes near, then those that each of them does
        count = _meeting(points[first : last + 1], tiles, every, size, reach, near)
        for s in range(first, last if count else first):
            state[0], state[1] = np.uint64(1), np.uint64(2)
            for end in (s, s + 1):
                for k in range(bits.shape[1]):
                    fold(state, bits[end, k])
            many = _meeting(points[s : s + 2], tiles, near[:count], size, reach, met)
            for t in met[:many]:
                out[t, 0] += state[0]
                out[t, 1] += state[1]
    return out


@kernel
def stroke_hashes(
    points: Float64, starts: Int64, reach: Float64, said: UInt64, tiles: Int64, size: float
) -> UInt64:
    """(t, 2) for each tile, a hash of what lines do in it, one after the other; 0 where none does anything.

    Args:
        points: (n, 2) of all lines, of which line s has the rows from `starts[s]` to `starts[s + 1]`, two at least.
        reach: (s,) metres to either side that each acts in.
        said: (s, 2) hashes of what each does.
    """
    out = np.zeros((tiles.shape[0], 2), np.uint64)
    every, near = np.arange(tiles.shape[0]), np.empty(tiles.shape[0], np.int64)
    for s in range(reach.shape[0]):
        line = points[starts[s] : starts[s + 1]]
        count = _meeting(line, tiles, every, size, reach[s], near)
        found = line_hashes(line, tiles[near[:count]], size, reach[s])
        for k in range(count):
            if found[k, 0] == 0 and found[k, 1] == 0:
                continue  # it is as if the line were not
            for axis in range(2):
                fold(out[near[k]], said[s, axis])
                fold(out[near[k]], found[k, axis])
    return out


@kernel
def region_hashes(ring: Float64, tiles: Int64, size: float) -> tuple[UInt64, Bool]:
    """What each tile sees of a polygon (n, 2): a hash (t, 2) of the edges that touch it and of its middle, and whether they meet.

    Tiles that the polygon covers wholly, or not at all, have the same hash whatever the outline does elsewhere.
    """
    count, n = tiles.shape[0], ring.shape[0]
    out, meets = np.zeros((count, 2), np.uint64), np.zeros(count, np.bool_)
    bits = ring.view(np.uint64)
    state = np.empty(2, np.uint64)
    for t in range(count):
        x0, z0 = tiles[t, 0] * size, tiles[t, 1] * size
        x1, z1 = x0 + size, z0 + size
        cx, cz = x0 + 0.5 * size, z0 + 0.5 * size
        within = False
        k = n - 1
        for j in range(n):
            ax, az, bx, bz = ring[k, 0], ring[k, 1], ring[j, 0], ring[j, 1]
            if (az > cz) != (bz > cz) and cx < bx + (cz - bz) * (ax - bx) / (az - bz):
                within = not within
            if max(ax, bx) >= x0 and min(ax, bx) <= x1 and max(az, bz) >= z0 and min(az, bz) <= z1:
                state[0], state[1] = np.uint64(3), np.uint64(4)
                for value in (bits[k, 0], bits[k, 1], bits[j, 0], bits[j, 1]):
                    fold(state, value)
                out[t, 0] += state[0]
                out[t, 1] += state[1]
                meets[t] = True
            k = j
        if within:
            meets[t] = True
            out[t, 0] += np.uint64(5)
            out[t, 1] += np.uint64(7)
    return out, meets


@kernel
def grid_hashes(heights: NDArray[np.float32], size: float, tiles: Int64, tile: float) -> UInt64:
    """(t, 2) a hash of the samples of a square height field, centred on the origin, that each tile can read."""
    count, n = tiles.shape[0], heights.shape[0]
    out = np.zeros((count, 2), np.uint64)
    spacing = size / (n - 1)
    half = 0.5 * size
    bits = heights.view(np.uint32)
    place = np.empty(5, np.float64)
    state = np.empty(2, np.uint64)
    for t in range(count):
        x0, z0 = tiles[t, 0] * tile, tiles[t, 1] * tile
        c0 = min(max(int(math.floor((x0 + half) / spacing)), 0), n - 1)
        c1 = min(max(int(math.ceil((x0 + tile + half) / spacing)), 0), n - 1)
        r0 = min(max(int(math.floor((z0 + half) / spacing)), 0), n - 1)
        r1 = min(max(int(math.ceil((z0 + tile + half) / spacing)), 0), n - 1)
        state[0], state[1] = np.uint64(11), np.uint64(13)
        place[0], place[1], place[2] = c0 * spacing - half, r0 * spacing - half, spacing
        # where the field ends is seen, too
        place[3] = min(x0 + tile, half) - max(x0, -half)
        place[4] = min(z0 + tile, half) - max(z0, -half)
        for k in range(5):
            fold(state, place.view(np.uint64)[k])
        for r in range(r0, r1 + 1):
            for c in range(c0, c1 + 1):
                fold(state, np.uint64(bits[r, c]))
        out[t, 0], out[t, 1] = state[0], state[1]
    return out


@kernel
def around(own: Int64, codes: Int64, hashes: UInt64, rings: int) -> UInt64:
    """(t, 2) for each tile of `own` (t, 2), the sum of the hashes of the tiles up to `rings` away from it.

    Args:
        codes: sorted codes of the tiles that hold something.
        hashes: their hashes; each is mixed with its place, so that two that change places are noticed.
    """
    out = np.zeros((own.shape[0], 2), np.uint64)
    for t in range(own.shape[0]):
        for dz in range(-rings, rings + 1):
            for dx in range(-rings, rings + 1):
                code = ((own[t, 1] + dz + 1073741824) << 32) | (own[t, 0] + dx + 1073741824)
                at = np.searchsorted(codes, code)
                if at < codes.shape[0] and codes[at] == code:
                    salt = mix(np.uint64(code))
                    out[t, 0] += mix(hashes[at, 0] ^ salt)
                    out[t, 1] += mix(hashes[at, 1] ^ (salt * _SECOND))
    return out


def combine(*parts: UInt64) -> UInt64:
    """(t, 2) the hashes of `parts`, each (t, 2) or (2,), taken together in order."""
    arrays = np.broadcast_arrays(*parts)
    return _combine(np.ascontiguousarray(np.stack(arrays)))


@kernel
def _combine(parts: UInt64) -> UInt64:
    out = np.zeros((parts.shape[1], 2), np.uint64)
    for t in range(parts.shape[1]):
        for k in range(parts.shape[0]):
            fold(out[t], parts[k, t, 0])
            fold(out[t], parts[k, t, 1])
    return out
