"""Brick runs: blocks of one size laid along a line in a bond.

Courses lie at whole multiples of a block's height with its joint above the map's zero, so that runs of one block meet course by course. Along a span
a grid of cells goes from knot to knot, and what is left over is shared out among its joints; where the line bends, cells are as much longer as
blocks need to keep clear of each other on the inner side. At a corner one of the two spans passes in even courses, the other in odd ones.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, fields
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.lay.bonds import CELLS, KINDS, Bond
from plough.core.lay.brick_grid import DEEPEST, SHALLOW, Courses, Grid, courses_over, level_of
from plough.core.lay.brick_rule import BrickRule
from plough.core.lay.clear import clear_of
from plough.core.lay.line import Line
from plough.core.lay.rule import Opening
from plough.core.lay.run import Span
from plough.core.rng import stream

STRETCHER, HEADER, LINTEL, CAP = range(4)  #: what a block is
ROLES = ("stretcher", "header", "lintel", "cap")
_LEAST = 3  # cells of a cut block
_NOTHING = KINDS.index("none")
_SHORTEST = 0.008  # metres of one


@dataclass(frozen=True, eq=False)
class Bricks:
    """Blocks, in the scene's coordinates."""

    middle: Float64  #: (n, 3) metres
    turn: Float64  #: (n,) radians, clockwise seen from above, of its length from east
    size: Float64  #: (n, 3) metres long, high, wide
    course: Int64  #: (n,)
    role: Int64  #: (n,)
    span: Int64  #: (n,)
    at: Float64  #: (n,) metres along its span
    id: UInt64  #: (n,) the same as long as it is the same block

    def __len__(self) -> int:
        return len(self.turn)

    def taken(self, rows: Int64 | Bool) -> Bricks:
        """Some of them."""
        return Bricks(*(getattr(self, f.name)[rows] for f in fields(self)))


class Void(NamedTuple):
    """An opening, as courses of a span."""

    start: float  #: cells
    end: float
    low: int
    high: int
    lintel: tuple[float, float] | None  #: cells from and to of the one over it
    top: int  #: the first course above its lintel
    id: str


def _void(o: Opening, grid: Grid, over: Sequence[Courses], rule: BrickRule) -> Void:
    v = rule.pitch
    a, b = grid.cells(o.start), grid.cells(o.end)
    low = math.floor(o.base / v + 0.3)
    high = math.ceil((o.base + o.height) / v - 0.05)
    more = max(1, round(max(0.14, 0.1 * (o.end - o.start)) / v))
    bearing = 0.5 * (rule.block[0] + rule.gap)
    tops = [c.high for c in over if c.start < b and c.end > a]
    if o.head == "open" or high + more > min(tops, default=0):
        return Void(a, b, low, 2**30, None, 2**30, o.id)
    lintel = grid.cells(o.start - bearing), grid.cells(o.end + bearing)
    return Void(a, b, low, high, lintel, high + more, o.id)


Stretch = tuple[float, float]


def _without(runs: list[Stretch], a: float, b: float) -> list[Stretch]:
    out = []
    for c, d in runs:
        if b <= c or a >= d:
            out.append((c, d))
            continue
        if a > c:
            out.append((c, a))
        if b < d:
            out.append((b, d))
    return out


def stretches(
    course: int, grid: Grid, over: Sequence[Courses], voids: Sequence[Void]
) -> list[Stretch]:
    """Where blocks of a course stand over a span, as cells from and to."""
    own = [c for c in over if c.low <= course < c.high]
    odd = course % 2
    return _between(course, own, grid.low[odd], grid.high[odd], voids)


def caps(
    course: int,
    grid: Grid,
    over: Sequence[Courses],
    voids: Sequence[Void],
    beside: tuple[int, int],
) -> list[Stretch]:
    """Where the course below is the last, as cells from and to.

    Args:
        beside: the last courses of the spans before and behind; at a corner the higher one passes.
    """
    own = [c for c in over if c.high == course]
    before, behind = beside
    low = grid.low[course % 2 if before == course else int(course > before)]
    high = grid.high[course % 2 if behind == course else int(course < behind)]
    return _between(course, own, low, high, voids)


def _between(
    course: int, over: Sequence[Courses], low: float, high: float, voids: Sequence[Void]
) -> list[Stretch]:
    runs: list[Stretch] = []
    for c in over:
        a, b = max(c.start, low), min(c.end, high)
        if runs and runs[-1][1] == a:
            runs[-1] = (runs[-1][0], b)
        elif b > a:
            runs.append((a, b))
    for o in voids:
        if o.low <= course < o.high:
            runs = _without(runs, o.start, o.end)
        elif o.lintel and o.high <= course < o.top:
            runs = _without(runs, *o.lintel)
    return [(a, b) for a, b in runs if b - a > _LEAST - 1e-6]


Pieces = tuple[Float64, Float64, Int64]
"""Cells from and to, and what each is, as rows of `KINDS`."""


@lru_cache(1 << 14)
def pieces_of(course: int, a: float, b: float, bond: Bond) -> Pieces:
    """The pieces of a stretch; none is shorter than the shortest that is cut where that can be.

    Args:
        course: of those of its bond.
    """
    begun, kinds = bond.begun(course, a, b)
    edges = np.concatenate([[a], begun[1:], [b]])
    for end in (0, -1):
        inner, next_ = (1, 2) if end == 0 else (-2, -3)
        while len(kinds) > 1 and abs(edges[inner] - edges[end]) < _LEAST - 1e-6:
            longer = abs(edges[next_] - edges[end])
            kind = kinds[inner]
            most = CELLS if kind == STRETCHER else CELLS // 2
            if longer <= most + 1e-6 or kind == _NOTHING:
                edges, kinds = np.delete(edges, inner), np.delete(kinds, end)
            else:
                edges[inner] = 0.5 * (edges[end] + edges[next_])
                kinds[end] = kind
    return edges[:-1], edges[1:], kinds


@dataclass(frozen=True, eq=False)
class Laid:
    """A run as it is laid."""

    bricks: Bricks
    lost: Bricks  #: blocks for which there was no room beside others
    grids: list[Grid]
    cores: list[list[tuple[float, float, float, float]]]
    #: of each span what is between its faces: metres along from and to, up from and to
    hanging: list[tuple[int, float, float]]
    #: where it does not reach the ground: span, metres along it, metres up


def laid_bricks(
    spans: Sequence[Span],
    rule: BrickRule,
    openings: Sequence[Sequence[Opening]],
    grids: Sequence[Grid],
    sharp: bool,
    most: float,
) -> Laid:
    """The blocks of a run.

    Args:
        openings: of each span, in its own coordinates, `snapped`.
        grids: of the spans.
        sharp: whether it turns at its points.
        most: blocks; it does not go down to low ground where that takes more.
    """
    n = len(spans)
    level = level_of(rule, spans[0].height(0.0))

    def courses(deepest: float) -> list[list[Courses]]:
        return [courses_over(g, rule, level, deepest) if g.count else [] for g in grids]

    over = courses(DEEPEST)
    if _many(grids, over, rule) > most:
        over = courses(SHALLOW)
    voids = [
        [_void(o, g, c, rule) for o in own] if g.count else []
        for own, g, c in zip(openings, grids, over, strict=True)
    ]
    lowest = min((c.low for own in over for c in own), default=0)
    highest = max((c.high for own in over for c in own), default=0)
    drafts: list[_Draft] = []
    pieces: list[list[tuple[int, Pieces, float]]] = [[] for _ in spans]
    cores: list[list[tuple[float, float, float, float]]] = [[] for _ in spans]
    bond = rule.bonded
    for course in range(lowest, highest + 1):
        runs = [stretches(course, g, c, v) for g, c, v in zip(grids, over, voids, strict=True)]
        joined = [_joined(course, k, spans, grids, runs, bond) for k in range(n)]
        for k, span in enumerate(spans):
            grid, ahead = grids[k], joined[k]
            before = None if span.begins or span.first else joined[k - 1]
            for a, b in runs[k]:
                cores[k].append(_core(course, a, b, grid, rule))
                begin = before if before is not None and a == 0.0 else a
                if b - begin > 1e-6:
                    more = ahead if ahead is not None and b == grid.count else 0.0
                    pieces[k].append(
                        (course, pieces_of(course % len(bond.courses), begin, b, bond), more)
                    )
            if rule.cap:
                one, other = over[k - 1], over[(k + 1) % n]
                beside = (one[-1].high if one else course, other[0].high if other else course)
                for a, b in caps(course, grid, over[k], voids[k], beside):
                    drafts.append(_capped(course, k, grid.metres(a), grid.metres(b), rule))
            for o in voids[k]:
                middle = 0.5 * (grid.metres(o.start) + grid.metres(o.end))
                if o.lintel and o.high == course and 0 <= middle < span.length:
                    ends = (grid.metres(o.lintel[0]), grid.metres(o.lintel[1]))
                    drafts.append(_lintel(course, k, ends, o, rule))
    for k, own in enumerate(pieces):
        if own:
            drafts.append(_in_bond(k, own, grids[k], grids[(k + 1) % n], rule))
    bricks = _placed(drafts, spans, rule, sharp)
    clear = clear_of(bricks.middle, bricks.turn, bricks.size)
    return Laid(
        bricks.taken(clear),
        bricks.taken(~clear),
        list(grids),
        [_stacked(c, rule.bed + 0.004) for c in cores],
        [
            (k, grids[k].metres(min(max(c.start, 0.0), grids[k].count)), c.hangs)
            for k, own in enumerate(over)
            for c in own
            if c.hangs > 0
        ],
    )


def _many(grids: Sequence[Grid], over: Sequence[Sequence[Courses]], rule: BrickRule) -> float:
    """About how many blocks a run is of."""
    long = [
        (grid.metres(min(c.end, grid.count)) - grid.metres(max(c.start, 0.0))) * (c.high - c.low)
        for grid, own in zip(grids, over, strict=True)
        for c in own
    ]
    return rule.dense * sum(long)


def _joined(
    course: int,
    k: int,
    spans: Sequence[Span],
    grids: Sequence[Grid],
    runs: Sequence[list[Stretch]],
    bond: Bond,
) -> float | None:
    """Cells of the next span that the last block of a span takes, where one lies over the knot between them; None where none does."""
    n = len(spans)
    j = (k + 1) % n
    if spans[k].ends or spans[k].last is not None or not grids[k].count or not grids[j].count:
        return None
    if not runs[k] or runs[k][-1][1] != grids[k].count or not runs[j] or runs[j][0][0] != 0.0:
        return None
    own = bond.courses[course % len(bond.courses)]
    ahead = min((start for start, _ in own), default=0)
    if ahead == 0 or grids[k].count % bond.period:
        return None
    return float(ahead) if runs[j][0][1] >= ahead else None


class _Draft(NamedTuple):
    """Blocks along a span."""

    course: Int64  #: (n,)
    span: Int64
    at: Float64  #: metres along it of their middles
    off: Float64  #: metres to the right
    up: Float64
    size: Float64  #: (n, 3) metres long, high, wide
    turn: Float64  #: radians
    role: Int64
    number: Int64  #: tells it from others of its course


def _in_bond(
    k: int, own: list[tuple[int, Pieces, float]], grid: Grid, next_: Grid, rule: BrickRule
) -> _Draft:
    """The blocks of a span's pieces, each stretch with its course and the cells of the next span that its last takes."""
    long, wide, high = rule.block
    each = long + rule.gap
    first, last, kind = (np.concatenate([p[c] for _, p, _ in own]) for c in range(3))
    many = [len(p[2]) for _, p, _ in own]
    course = np.repeat(np.array([c for c, *_ in own], np.int64), many)
    start, end = grid.all_metres(first), grid.all_metres(last)
    cells = last - first
    ahead = np.array([more for *_, more in own])
    over = (np.cumsum(many) - 1)[ahead > 0]
    end[over] = grid.span.length + next_.all_metres(ahead[ahead > 0])
    cells[over] += ahead[ahead > 0]
    room = np.full(len(first), np.inf) if rule.turned else end - start - rule.gap
    header = kind == HEADER
    most = np.where(header, min(wide, 0.5 * (long - rule.gap)), long)
    size = np.minimum(np.minimum(most, cells / CELLS * each - rule.gap), room)
    rows = np.nonzero((kind != _NOTHING) & (size >= _SHORTEST))[0]
    across = rule.across
    times = np.where(header[rows], 1, len(across))
    r = np.repeat(rows, times)
    row = np.arange(len(r)) - np.repeat(np.cumsum(times) - times, times)
    lying = header[r]
    turn = np.array(rule.turns)[course[r] % 2] if rule.turned else np.zeros(len(r))
    return _Draft(
        course[r],
        np.full(len(r), k),
        0.5 * (start + end)[r],
        np.where(lying, 0.0, np.array(across)[row]),
        np.asarray(course[r] * rule.pitch + 0.5 * high, np.float64),
        np.stack([size[r], np.full(len(r), high), np.where(lying, long, rule.wide)], axis=1),
        turn,
        kind[r],
        4 * np.rint(8.0 * start[r] / each).astype(np.int64) + row,
    )


def _plain(
    course: int, k: int, at: Float64, up: float, size: tuple[float, ...], role: int, number: Int64
) -> _Draft:
    """Blocks of one size that lie along a span."""
    none, one = np.zeros(len(at)), np.ones(len(at), np.int64)
    return _Draft(
        course * one,
        k * one,
        at,
        none,
        none + up,
        np.tile(size, (len(at), 1)),
        none,
        role * one,
        number,
    )


def _capped(course: int, k: int, start: float, end: float, rule: BrickRule) -> _Draft:
    """Blocks on edge over a stretch."""
    long, wide, high = rule.block
    across, up = (long, wide) if rule.thickness > 0.75 * long else (wide, 0.5 * (long - rule.gap))
    if rule.thickness > 1.1 * long:
        across = rule.thickness
    count = int((end - start + 1e-6) / (high + rule.gap))
    at = start + (np.arange(count) + 0.5) * (end - start) / max(1, count)
    number = np.rint(8.0 * at / (high + rule.gap)).astype(np.int64)
    y = course * rule.pitch + 0.5 * up
    return _plain(course, k, at, y, (high, max(up, _SHORTEST), across), CAP, number)


def _lintel(course: int, k: int, ends: Stretch, o: Void, rule: BrickRule) -> _Draft:
    a, b = ends
    high = (o.top - o.high) * rule.pitch - rule.bed
    number = np.array([int(stream(f"lintel {o.id}") >> np.uint64(40))])
    size = (b - a - rule.gap, high, rule.thickness)
    y = course * rule.pitch + 0.5 * high
    return _plain(course, k, np.array([0.5 * (a + b)]), y, size, LINTEL, number)


def _core(
    course: int, a: float, b: float, grid: Grid, rule: BrickRule
) -> tuple[float, float, float, float]:
    """What is between the faces over a stretch: up to the knot where another span goes on."""
    span, odd = grid.span, course % 2
    inside = 0.5 * rule.gap + 0.004
    over = 0.25 * rule.thickness
    start = grid.metres(a) + inside
    end = grid.metres(b) - inside
    if a == grid.low[odd] and not span.begins:
        start = -over if span.first else -0.01
    if b == grid.high[odd] and not span.ends:
        end = span.length + (over if span.last else 0.01)
    low = course * rule.pitch
    return start, max(end, start), low, low + rule.pitch


def _stacked(
    core: list[tuple[float, float, float, float]], below: float
) -> list[tuple[float, float, float, float]]:
    """Rectangles of the courses, those that lie over each other and are alike as one; what nothing lies on ends so far below."""
    open_: dict[tuple[float, float], tuple[float, float]] = {}
    out: list[tuple[float, float, float, float]] = []
    for a, b, low, high in core:
        key = (round(a, 3), round(b, 3))
        known = open_.get(key)
        if known and abs(known[1] - low) < 1e-6:
            open_[key] = (known[0], high)
            continue
        if known:
            out.append((*key, *known))
        open_[key] = (low, high)
    out += [(*key, *levels) for key, levels in open_.items()]
    return [
        (
            a,
            b,
            low,
            high
            if any(abs(o[2] - high) < 1e-6 and o[0] < b and o[1] > a for o in out)
            else high - below,
        )
        for a, b, low, high in out
    ]


def _placed(drafts: list[_Draft], spans: Sequence[Span], rule: BrickRule, sharp: bool) -> Bricks:
    if not drafts:
        none, whole = np.empty(0), np.empty(0, np.int64)
        empty = np.empty((0, 3))
        return Bricks(empty, none, empty, whole, whole, whole, none, np.empty(0, np.uint64))
    d = _Draft(*(np.concatenate(column) for column in zip(*drafts, strict=True)))
    middle, turn = np.empty((len(d.at), 3)), d.turn.copy()
    for k, span in enumerate(spans):
        here = np.nonzero(d.span == k)[0]
        if not len(here):
            continue
        line, at = Line(span, sharp), d.at[here]
        place, way = line.pose(at)
        if line.turns[1]:  # a block over a knot lies between both directions
            way[np.abs(at - span.length) < 0.5 * d.size[here, 0]] += 0.5 * line.turns[1]
        off = d.off[here]
        middle[here, 0] = place[:, 0] - off * np.sin(way)
        middle[here, 2] = place[:, 1] + off * np.cos(way)
        turn[here] += way
    middle[:, 1] = d.up
    ids = (
        (d.span.astype(np.uint64) << np.uint64(48))
        ^ ((d.course + 2**14).astype(np.uint64) << np.uint64(32))
        ^ ((d.number + 2**24).astype(np.uint64) << np.uint64(3))
        ^ d.role.astype(np.uint64)
    )
    return Bricks(middle, turn, d.size, d.course, d.role, d.span, d.at, ids)
