"""Points at a least distance from each other, by priority, over one infinite grid.

Maximal Poisson-disk sampling by subdivision (Ebeida et al. 2012), made local and free of order: level by level every cell not yet covered by
a disc proposes one candidate, placed and ranked by a hash of (seed, level, cell). A candidate is accepted when it conflicts with no accepted
one and beats every undecided one it conflicts with; this is repeated until all are decided. Hence a point's *place* (level and rank) is its
place in the fill: a lower fill is a subset of a higher one. A window is evaluated with a margin; cells whose candidates something beyond the
window might decide are marked unknown, and the margin grows until none lies in the window: every tile gives exactly the points of the whole.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float64, UInt64
from plough.core.errors import ParameterError, TooLargeError
from plough.core.kernels import kernel
from plough.core.rng import bits, mix, stream

LEVELS = 12
MOST_CELLS = 16_000_000  #: of one call; about a third of them hold a point
_RANK, _U, _V = stream("sample.rank"), stream("sample.u"), stream("sample.v")
_MARGIN = 8  #: cells, to begin with
_S11, _S32 = np.uint64(11), np.uint64(32)

# The place (level + rank, lower is earlier) below which each share of a full sampling lies: quantiles of 444,000 points.
# fmt: off
_FILL_GRID: Float64 = np.array([
    0, .05, .1, .15, .2, .25, .3, .35, .4, .45, .5, .55, .6, .65, .7, .75, .8, .85, .9, .92, .94, .95, .96, .97, .98, .99, .995, 1,
])
_PLACE_GRID: Float64 = np.array([
    0, .0182, .0381, .0606, .0857, .1137, .1458, .1823, .2253, .2767, .3383, .4156, .5148, .6475, .8316, 1.0614, 1.3142, 1.7868,
    2.3651, 2.7497, 3.1886, 3.4346, 3.8261, 4.2194, 4.8783, 5.8897, 6.9127, 12,
])
# fmt: on


@dataclass(frozen=True, slots=True)
class Points:
    """Sampled points, in an order that depends on the place only (Morton order of their cells)."""

    x: Float64  #: (n,) metres
    z: Float64  #: (n,) metres
    ids: UInt64  #: (n,) stable
    place: Float64  #: (n,) place in the fill, lower is earlier


@kernel
def _window(
    seed: np.uint64, r: float, cx0: int, cz0: int, width: int, depth: int, levels: int, margin: int
) -> tuple[Float64, Float64, UInt64, Float64, bool]:
    """Points of the level-0 cells [cx0, cx0 + width) x [cz0, cz0 + depth), less `margin` cells on every side.

    The last result is False when a candidate inside hangs on what lies beyond the window.
    """
    side = r / math.sqrt(2.0)
    rr = r * r
    cells = width * depth
    x0, z0 = cx0 * side, cz0 * side
    x1, z1 = (cx0 + width) * side, (cz0 + depth) * side
    ax = np.empty(cells)  # the accepted point of each level-0 cell
    az = np.empty(cells)
    aid = np.zeros(cells, np.uint64)
    aplace = np.full(cells, -1.0)
    unknown = np.zeros(cells, np.bool_)  # what lies beyond the window decides what stands in these
    near_unknown = np.zeros(cells, np.bool_)
    gx = np.empty(cells, np.int64)  # active cells of this level, by their place in this level's grid
    gz = np.empty(cells, np.int64)
    n = 0
    for j in range(depth):
        for i in range(width):
            gx[n], gz[n] = cx0 + i, cz0 + j
            n += 1
    head = np.empty(cells, np.int64)
    certain = True
    for level in range(levels):
        if n == 0:
            break
        s = side / (1 << level)
        px = np.empty(n)
        pz = np.empty(n)
        rank = np.empty(n, np.uint64)
        key = np.empty(n, np.uint64)
        cell = np.empty(n, np.int64)
        state = np.zeros(n, np.int8)  # 0 undecided, 1 accepted, 2 rejected
        nxt = np.empty(n, np.int64)
        head[:] = -1
        todo = np.empty(n, np.int64)
        m = 0
        level_seed = mix(seed + np.uint64(level + 1))
        for c in range(n):
            k = (np.uint64(gx[c]) << _S32) ^ (np.uint64(gz[c]) & np.uint64(0xFFFFFFFF))
            key[c] = bits(level_seed, _RANK, k)
            rank[c] = mix(key[c])
            px[c] = (gx[c] + float(bits(level_seed, _U, k) >> _S11) * 1.1102230246251565e-16) * s
            pz[c] = (gz[c] + float(bits(level_seed, _V, k) >> _S11) * 1.1102230246251565e-16) * s
            i, j = (gx[c] >> level) - cx0, (gz[c] >> level) - cz0
            cell[c] = j * width + i
            hit = False
            for dj in range(max(0, j - 2), min(depth, j + 3)):
                for di in range(max(0, i - 2), min(width, i + 3)):
                    q = dj * width + di
                    if aplace[q] >= 0.0:
                        dx, dz = ax[q] - px[c], az[q] - pz[c]
                        if dx * dx + dz * dz < rr:
                            hit = True
                            break
                if hit:
                    break
            if hit:
                state[c] = 2
                continue
            nxt[c] = head[cell[c]]
            head[cell[c]] = c
            todo[m] = c
            m += 1
        # candidates that the outside or an unknown cell might decide
        blocked = np.zeros(n, np.bool_)
        for e in range(m):
            c = todo[e]
            b = px[c] - x0 < r or x1 - px[c] < r or pz[c] - z0 < r or z1 - pz[c] < r
            if not b and near_unknown[cell[c]]:
                i, j = cell[c] % width, cell[c] // width
                for dj in range(max(0, j - 2), min(depth, j + 3)):
                    for di in range(max(0, i - 2), min(width, i + 3)):
                        if unknown[dj * width + di]:
                            left_x, low_z = (cx0 + di) * side, (cz0 + dj) * side
                            dx = max(left_x - px[c], 0.0, px[c] - left_x - side)
                            dz = max(low_z - pz[c], 0.0, pz[c] - low_z - side)
                            if dx * dx + dz * dz < rr:
                                b = True
            blocked[c] = b
        changed = True
        while changed and m > 0:
            changed = False
            left = 0
            for e in range(m):
                c = todo[e]
                i, j = cell[c] % width, cell[c] // width
                best, beaten = True, False
                for dj in range(max(0, j - 2), min(depth, j + 3)):
                    for di in range(max(0, i - 2), min(width, i + 3)):
                        o = head[dj * width + di]
                        while o >= 0:
                            if o != c and state[o] != 2:
                                dx, dz = px[o] - px[c], pz[o] - pz[c]
                                if dx * dx + dz * dz < rr:
                                    if state[o] == 1:
                                        beaten = True
                                    elif rank[o] < rank[c]:
                                        best = False
                            o = nxt[o]
                if beaten:
                    state[c] = 2
                    changed = True
                elif best and not blocked[c]:
                    state[c] = 1
                    changed = True
                else:
                    todo[left] = c
                    left += 1
            m = left
        for e in range(m):
            q = cell[todo[e]]
            if unknown[q]:
                continue
            unknown[q] = True
            i, j = q % width, q // width
            if margin <= i < width - margin and margin <= j < depth - margin:
                certain = False
            for dj in range(max(0, j - 2), min(depth, j + 3)):
                for di in range(max(0, i - 2), min(width, i + 3)):
                    near_unknown[dj * width + di] = True
        if not certain:
            break
        for c in range(n):
            if state[c] == 1:
                q = cell[c]
                ax[q], az[q], aid[q] = px[c], pz[c], key[c]
                aplace[q] = level + float(rank[c] >> _S11) * 1.1102230246251565e-16
        # what no accepted disc covers is split in four
        if level + 1 < levels:
            half = 0.5 * s
            hx = np.empty(n * 4, np.int64)
            hz = np.empty(n * 4, np.int64)
            h = 0
            for c in range(n):
                q = cell[c]
                if aplace[q] >= 0.0 or unknown[q]:
                    continue
                i, j = q % width, q // width
                for part in range(4):
                    sx, sz = gx[c] * 2 + (part & 1), gz[c] * 2 + (part >> 1)
                    mx, mz = (sx + 0.5) * half, (sz + 0.5) * half
                    covered = False
                    for dj in range(max(0, j - 2), min(depth, j + 3)):
                        for di in range(max(0, i - 2), min(width, i + 3)):
                            p = dj * width + di
                            if aplace[p] >= 0.0:
                                dx, dz = abs(ax[p] - mx) + 0.5 * half, abs(az[p] - mz) + 0.5 * half
                                if dx * dx + dz * dz < rr:
                                    covered = True
                                    break
                        if covered:
                            break
                    if not covered:
                        hx[h], hz[h] = sx, sz
                        h += 1
            gx, gz, n = hx[:h].copy(), hz[:h].copy(), h
    count = 0
    for j in range(margin, depth - margin):
        for i in range(margin, width - margin):
            if aplace[j * width + i] >= 0.0:
                count += 1
    ox, oz, oid, op = np.empty(count), np.empty(count), np.empty(count, np.uint64), np.empty(count)
    c = 0
    for j in range(margin, depth - margin):
        for i in range(margin, width - margin):
            q = j * width + i
            if aplace[q] >= 0.0:
                ox[c], oz[c], oid[c], op[c] = ax[q], az[q], aid[q], aplace[q]
                c += 1
    return ox, oz, oid, op, certain


@kernel
def _morton(x: Float64, z: Float64, side: float) -> UInt64:
    out = np.empty(x.shape[0], np.uint64)
    for i in range(x.shape[0]):
        a = np.uint64(int(math.floor(x[i] / side)) + 0x40000000)
        b = np.uint64(int(math.floor(z[i] / side)) + 0x40000000)
        code = np.uint64(0)
        for bit in range(31):
            k = np.uint64(bit)
            code |= ((a >> k) & np.uint64(1)) << np.uint64(2 * bit)
            code |= ((b >> k) & np.uint64(1)) << np.uint64(2 * bit + 1)
        out[i] = code
    return out


def place_of_fill(fill: float) -> float:
    """The place in the fill below which the share `fill` of a full sampling lies."""
    return float(np.interp(fill, _FILL_GRID, _PLACE_GRID))


def sample(
    seed: int,
    spacing: float,
    bounds: tuple[float, float, float, float],
    fill: float = 1.0,
    tile: int = 192,
    check: Callable[[], None] | None = None,
) -> Points:
    """Points at least `spacing` metres apart in the rectangle `bounds` (x0, z0, x1, z1).

    The points of a rectangle are those of the whole plane that lie in it, whatever the rectangle and the tile size.

    Args:
        fill: share of what fits, in [0, 1]; a higher fill keeps every point of a lower one.
        tile: cells a side that are worked on at once.
        check: called between tiles; may raise to stop.

    Raises:
        ParameterError: `spacing` is not positive.
        TooLargeError: the rectangle has more than `MOST_CELLS` cells.
    """
    if not spacing > 0:
        raise ParameterError("spacing", f"must be positive (got {spacing})")
    x0, z0, x1, z1 = bounds
    none = np.empty(0)
    if fill <= 0 or x1 <= x0 or z1 <= z0:
        return Points(none, none, np.empty(0, np.uint64), none)
    side = spacing / math.sqrt(2.0)
    c0, c1 = math.floor(x0 / side), math.floor(x1 / side) + 1
    d0, d1 = math.floor(z0 / side), math.floor(z1 / side) + 1
    if (c1 - c0) * (d1 - d0) > MOST_CELLS:
        least = math.sqrt((x1 - x0) * (z1 - z0) * 2.0 / MOST_CELLS)
        raise TooLargeError(
            f"spacing: {spacing:g} m over this ground would take more than {MOST_CELLS // 3:,} placements; raise it to {least:.2f} m or choose a smaller area"
        )
    last_place = place_of_fill(fill)
    levels = min(LEVELS, max(1, math.ceil(last_place)))
    key = np.uint64(seed & 0xFFFFFFFFFFFFFFFF)

    def work(corner: tuple[int, int]) -> tuple[Float64, Float64, UInt64, Float64]:
        if check is not None:
            check()
        margin = _MARGIN
        while True:
            width, depth = min(tile, c1 - corner[0]) + 2 * margin, min(tile, d1 - corner[1]) + 2 * margin
            x, z, ids, place, certain = _window(key, spacing, corner[0] - margin, corner[1] - margin, width, depth, levels, margin)
            if certain:
                return x, z, ids, place
            margin *= 2

    corners = [(c, d) for d in range(d0, d1, tile) for c in range(c0, c1, tile)]
    if len(corners) == 1:
        parts = [work(corners[0])]
    else:
        with ThreadPoolExecutor(2) as pool:
            parts = list(pool.map(work, corners))
    x, z, ids, place = (np.concatenate(a) for a in zip(*parts, strict=True))
    keep = (x >= x0) & (x < x1) & (z >= z0) & (z < z1) & (place <= last_place)
    x, z, ids, place = x[keep], z[keep], ids[keep], place[keep]
    order = np.argsort(_morton(x, z, side), kind="stable")
    return Points(x[order], z[order], ids[order], place[order])
