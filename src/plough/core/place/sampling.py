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
from pathlib import Path
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64, Int8, Int64, UInt64
from plough.core.errors import ParameterError, TooLargeError
from plough.core.kernels import kernel
from plough.core.rng import bits, bits_array, mix, stream
from plough.core.tiles import Bounds, tiles_in

LEVELS = 12
MOST_CELLS = 16_000_000  #: of one call; about a third of them hold a point
_LEVEL, _RANK = stream("sample.level"), stream("sample.rank")
_U, _V, _COPY = stream("sample.u"), stream("sample.v"), stream("sample.copy")
_UNIT = 1.0 / 9007199254740992.0  # 2^-53
_MARGIN = 8  #: cells, to begin with
_S11, _S32 = np.uint64(11), np.uint64(32)

# The place (level + rank, lower is earlier) below which each share of a full sampling lies:
# quantiles of 444,000 points, as rows of share, place.
_FILL_TABLE: Float64 = np.loadtxt(Path(__file__).parents[1] / "data" / "fill.csv", delimiter=",")


@dataclass(frozen=True, slots=True)
class Points:
    """Sampled points, in an order that depends on the place only (Morton order of their cells)."""

    x: Float64  #: (n,) metres
    z: Float64  #: (n,) metres
    ids: UInt64  #: (n,) stable
    place: Float64  #: (n,) place in the fill, lower is earlier


class Window(NamedTuple):
    """A rectangle of level-0 cells; `x0` and `z0` are its first cells."""

    x0: int
    z0: int
    width: int
    depth: int
    spacing: float  #: metres; a cell is spacing / sqrt(2) a side
    period: int = 0  #: cells after which the plane repeats itself; 0: never


class Accepted(NamedTuple):
    """The accepted point of each level-0 cell, and what is not known of the cells."""

    x: Float64
    z: Float64
    ids: UInt64
    place: Float64  #: below 0 where there is none
    unknown: Bool  #: what lies beyond the window decides what stands here
    near_unknown: Bool


class Proposed(NamedTuple):
    """Candidates of one level."""

    x: Float64
    z: Float64
    key: UInt64
    rank: UInt64
    cell: Int64  #: the level-0 cell that each lies in
    state: Int8  #: 0 undecided, 1 accepted, 2 rejected
    following: Int64  #: the next undecided one in the same cell, or -1


@kernel
def _covered(a: Accepted, w: Window, q: int, x: float, z: float, reach: float) -> bool:
    """Whether an accepted point covers the square of half a side `reach` about (x, z) in the cell `q`."""
    i, j = q % w.width, q // w.width
    for dj in range(max(0, j - 2), min(w.depth, j + 3)):
        for di in range(max(0, i - 2), min(w.width, i + 3)):
            p = dj * w.width + di
            if a.place[p] >= 0.0:
                dx, dz = abs(a.x[p] - x) + reach, abs(a.z[p] - z) + reach
                if dx * dx + dz * dz < w.spacing * w.spacing:
                    return True
    return False


@kernel
def _propose(
    seed: np.uint64, level: int, w: Window, a: Accepted, cells: Int64, head: Int64
) -> tuple[Proposed, Int64]:
    """The candidate of each of `cells` (n, 2) of this level, and which of them no accepted disc covers."""
    n = cells.shape[0]
    s = w.spacing / math.sqrt(2.0) / (1 << level)
    out = Proposed(
        np.empty(n),
        np.empty(n),
        np.empty(n, np.uint64),
        np.empty(n, np.uint64),
        np.empty(n, np.int64),
        np.zeros(n, np.int8),
        np.empty(n, np.int64),
    )
    level_seed = bits(seed, _LEVEL, np.uint64(level))
    head[:] = -1
    todo, m = np.empty(n, np.int64), 0
    for c in range(n):
        gx, gz = cells[c, 0], cells[c, 1]
        hx, hz = gx, gz
        if w.period > 0:
            hx, hz = gx % (w.period << level), gz % (w.period << level)
        k = (np.uint64(hx) << _S32) ^ (np.uint64(hz) & np.uint64(0xFFFFFFFF))
        out.key[c] = bits(level_seed, _RANK, k)
        out.rank[c] = mix(out.key[c])
        out.x[c] = (gx + float(bits(level_seed, _U, k) >> _S11) * _UNIT) * s
        out.z[c] = (gz + float(bits(level_seed, _V, k) >> _S11) * _UNIT) * s
        q = ((gz >> level) - w.z0) * w.width + (gx >> level) - w.x0
        out.cell[c] = q
        if _covered(a, w, q, out.x[c], out.z[c], 0.0):
            out.state[c] = 2
            continue
        out.following[c] = head[q]
        head[q] = c
        todo[m] = c
        m += 1
    return out, todo[:m].copy()


@kernel
def _hangs_on_unknown(a: Accepted, w: Window, q: int, x: float, z: float) -> bool:
    """Whether a point in an unknown cell could conflict with (x, z) in the cell `q`."""
    side = w.spacing / math.sqrt(2.0)
    i, j = q % w.width, q // w.width
    for dj in range(max(0, j - 2), min(w.depth, j + 3)):
        for di in range(max(0, i - 2), min(w.width, i + 3)):
            if a.unknown[dj * w.width + di]:
                left, low = (w.x0 + di) * side, (w.z0 + dj) * side
                dx = max(left - x, 0.0, x - left - side)
                dz = max(low - z, 0.0, z - low - side)
                if dx * dx + dz * dz < w.spacing * w.spacing:
                    return True
    return False


@kernel
def _blocked(w: Window, a: Accepted, p: Proposed, todo: Int64) -> Bool:
    """Which candidates the outside, or an unknown cell, might decide."""
    side, r = w.spacing / math.sqrt(2.0), w.spacing
    x1, z1 = (w.x0 + w.width) * side, (w.z0 + w.depth) * side
    out = np.zeros(p.x.shape[0], np.bool_)
    for c in todo:
        x, z, q = p.x[c], p.z[c], p.cell[c]
        out[c] = x - w.x0 * side < r or x1 - x < r or z - w.z0 * side < r or z1 - z < r
        if not out[c] and a.near_unknown[q]:
            out[c] = _hangs_on_unknown(a, w, q, x, z)
    return out


@kernel
def _standing_of(p: Proposed, w: Window, head: Int64, c: int) -> int:
    """1 where candidate `c` beats all undecided ones that it conflicts with, 2 where an accepted one beats it, else 0."""
    i, j = p.cell[c] % w.width, p.cell[c] // w.width
    best = True
    for dj in range(max(0, j - 2), min(w.depth, j + 3)):
        for di in range(max(0, i - 2), min(w.width, i + 3)):
            o = head[dj * w.width + di]
            while o >= 0:
                if o != c and p.state[o] != 2:
                    dx, dz = p.x[o] - p.x[c], p.z[o] - p.z[c]
                    if dx * dx + dz * dz < w.spacing * w.spacing:
                        if p.state[o] == 1:
                            return 2
                        if p.rank[o] < p.rank[c]:
                            best = False
                o = p.following[o]
    return 1 if best else 0


@kernel
def _settle(p: Proposed, w: Window, head: Int64, blocked: Bool, todo: Int64) -> Int64:
    """Decide candidates by repeated local maxima; those that stay undecided."""
    m = todo.shape[0]
    changed = True
    while changed and m > 0:
        changed, left = False, 0
        for e in range(m):
            c = todo[e]
            standing = _standing_of(p, w, head, c)
            if standing == 2 or (standing == 1 and not blocked[c]):
                p.state[c] = standing
                changed = True
            else:
                todo[left] = c
                left += 1
        m = left
    return todo[:m]


@kernel
def _mark_unknown(a: Accepted, w: Window, p: Proposed, undecided: Int64, margin: int) -> bool:
    """Mark the cells of what stays undecided; whether none of them lies within the margin."""
    certain = True
    for c in undecided:
        q = p.cell[c]
        if a.unknown[q]:
            continue
        a.unknown[q] = True
        i, j = q % w.width, q // w.width
        if margin <= i < w.width - margin and margin <= j < w.depth - margin:
            certain = False
        for dj in range(max(0, j - 2), min(w.depth, j + 3)):
            for di in range(max(0, i - 2), min(w.width, i + 3)):
                a.near_unknown[dj * w.width + di] = True
    return certain


@kernel
def _split(a: Accepted, w: Window, p: Proposed, cells: Int64, level: int) -> Int64:
    """The quarters of `cells` that no accepted disc covers."""
    half = 0.5 * w.spacing / math.sqrt(2.0) / (1 << level)
    out, n = np.empty((cells.shape[0] * 4, 2), np.int64), 0
    for c in range(cells.shape[0]):
        q = p.cell[c]
        if a.place[q] >= 0.0 or a.unknown[q]:
            continue
        for part in range(4):
            sx, sz = cells[c, 0] * 2 + (part & 1), cells[c, 1] * 2 + (part >> 1)
            if not _covered(a, w, q, (sx + 0.5) * half, (sz + 0.5) * half, 0.5 * half):
                out[n, 0], out[n, 1] = sx, sz
                n += 1
    return out[:n].copy()


@kernel
def _sample_window(seed: np.uint64, w: Window, levels: int, margin: int) -> tuple[Accepted, bool]:
    """Points of the cells of `w`; False when one within the margin hangs on what lies beyond it."""
    n = w.width * w.depth
    a = Accepted(
        np.empty(n),
        np.empty(n),
        np.zeros(n, np.uint64),
        np.full(n, -1.0),
        np.zeros(n, np.bool_),
        np.zeros(n, np.bool_),
    )
    cells = np.empty((n, 2), np.int64)
    for q in range(n):
        cells[q, 0], cells[q, 1] = w.x0 + q % w.width, w.z0 + q // w.width
    head = np.empty(n, np.int64)
    for level in range(levels):
        if cells.shape[0] == 0:
            break
        p, todo = _propose(seed, level, w, a, cells, head)
        undecided = _settle(p, w, head, _blocked(w, a, p, todo), todo)
        if not _mark_unknown(a, w, p, undecided, margin):
            return a, False
        for c in range(cells.shape[0]):
            if p.state[c] == 1:
                q = p.cell[c]
                a.x[q], a.z[q], a.ids[q] = p.x[c], p.z[c], p.key[c]
                a.place[q] = level + float(p.rank[c] >> _S11) * _UNIT
        if level + 1 < levels:
            cells = _split(a, w, p, cells, level)
    return a, True


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


DENSITY = 0.695
"""Points of a full sampling in a square whose side is the spacing: 0.546 of the plane under discs of that diameter."""


def place_of_fill(fill: float) -> float:
    """The place in the fill below which the share `fill` of a full sampling lies."""
    return float(np.interp(fill, *_FILL_TABLE.T)) if fill > 0 else -1.0


def fill_of_place(place: Float64) -> Float64:
    """(n,) the share of a full sampling that lies before each `place` (n,) in the fill."""
    return np.asarray(np.interp(place, *_FILL_TABLE.T[::-1]))


def levels_of_fill(fill: float) -> int:
    """How many levels of subdivision hold all points of the share `fill`."""
    return min(LEVELS, max(1, math.ceil(place_of_fill(fill))))


def sample_block(seed: int, spacing: float, bounds: Bounds, levels: int, period: int = 0) -> Points:
    """All points of the first `levels` levels in a rectangle that is not too large to be worked on at once.

    Args:
        period: cells after which the plane repeats itself; 0: never.
    """
    x0, z0, x1, z1 = bounds
    side = spacing / math.sqrt(2.0)
    c0, c1 = math.floor(x0 / side), math.floor(x1 / side) + 1
    d0, d1 = math.floor(z0 / side), math.floor(z1 / side) + 1
    key = np.uint64(seed & 0xFFFFFFFFFFFFFFFF)
    margin = _MARGIN
    while True:
        window = Window(
            c0 - margin, d0 - margin, c1 - c0 + 2 * margin, d1 - d0 + 2 * margin, spacing, period
        )
        a, certain = _sample_window(key, window, levels, margin)
        if certain:
            break
        margin *= 2
    keep = (a.place >= 0) & (a.x >= x0) & (a.x < x1) & (a.z >= z0) & (a.z < z1)
    x, z, ids, place = a.x[keep], a.z[keep], a.ids[keep], a.place[keep]
    order = np.argsort(_morton(x, z, side), kind="stable")
    return Points(x[order], z[order], ids[order], place[order])


PERIOD = 256  #: cells after which what is repeated begins anew: 181 times the spacing
SIDE = PERIOD / math.sqrt(2.0)  #: of what is repeated, in spacings


@dataclass(frozen=True, slots=True)
class Repeat:
    """A square of `SIDE` spacings full of points, that continues itself on all sides."""

    x: Float64  #: (n,) spacings
    z: Float64  #: (n,) spacings
    ids: UInt64  #: (n,)
    places: Float64  #: (n,) in the fill, sorted
    turn: Int64  #: (n,) which of its level's places each point has, the earliest first
    first: Int64  #: (n,) where its level begins among the places
    count: Int64  #: (n,) how many its level has

    @property
    def nbytes(self) -> int:
        """Bytes of its arrays."""
        return 56 * len(self.x)


def repeat_of(seed: int, levels: int) -> Repeat:
    """What is repeated, of the first `levels` levels."""
    found = sample_block(seed, 1.0, (0.0, 0.0, SIDE, SIDE), levels, PERIOD)
    order = np.argsort(found.place, kind="stable")
    places = found.place[order]
    level = np.floor(places).astype(np.int64)
    first = np.searchsorted(level, level)
    count = np.searchsorted(level, level, side="right") - first
    turn = np.arange(len(order)) - first
    return Repeat(found.x[order], found.z[order], found.ids[order], places, turn, first, count)


def repeated(of: Repeat, spacing: float, bounds: Bounds) -> Points:
    """The points of a plane that is covered with copies of a square, in a rectangle; each has an id of its own.

    They are at least `spacing` metres apart. In every copy others are the first of the fill: level by
    level they take turns, so that a few of all do not stand in a lattice.
    """
    x0, z0, x1, z1 = bounds
    parts: list[tuple[Float64, Float64, UInt64, Float64]] = []
    for i, k in tiles_in(bounds, SIDE * spacing).tolist():
        x, z = spacing * (of.x + i * SIDE), spacing * (of.z + k * SIDE)
        rows = np.nonzero((x >= x0) & (x < x1) & (z >= z0) & (z < z1))[0]
        own = int(bits_array(i, _COPY, np.array([k & 0xFFFFFFFF], np.uint64))[0])
        turn = of.first[rows] + (of.turn[rows] + (own >> 11)) % of.count[rows]
        ids = bits_array(own, _COPY, of.ids[rows])
        parts.append((x[rows], z[rows], ids, of.places[turn]))
    if not parts:
        none = np.empty(0)
        return Points(none, none, np.empty(0, np.uint64), none)
    return Points(*(np.concatenate(a) for a in zip(*parts, strict=True)))


def sample(
    seed: int,
    spacing: float,
    bounds: Bounds,
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
    if (x1 - x0) * (z1 - z0) / side**2 > MOST_CELLS:
        least = math.sqrt((x1 - x0) * (z1 - z0) * 2.0 / MOST_CELLS)
        raise TooLargeError(
            "spacing",
            f"{spacing:g} m over this ground would take more than {MOST_CELLS // 3:,} placements;"
            f" raise it to {least:.2f} m or choose a smaller area",
        )

    def work(box: Bounds) -> Points:
        if check is not None:
            check()
        return sample_block(seed, spacing, box, levels_of_fill(fill))

    size = tile * side
    boxes = [
        (max(x0, i * size), max(z0, k * size), min(x1, (i + 1) * size), min(z1, (k + 1) * size))
        for i, k in tiles_in(bounds, size).tolist()
    ]
    with ThreadPoolExecutor(2) as pool:
        parts = list(pool.map(work, boxes))
    names = ("x", "z", "ids", "place")
    x, z, ids, place = (np.concatenate([getattr(p, n) for p in parts]) for n in names)
    keep = place <= place_of_fill(fill)
    x, z, ids, place = x[keep], z[keep], ids[keep], place[keep]
    order = np.argsort(_morton(x, z, side), kind="stable")
    return Points(x[order], z[order], ids[order], place[order])
