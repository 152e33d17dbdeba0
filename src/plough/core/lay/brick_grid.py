"""The cells of a brick run's spans, how they turn at corners, and which courses stand over them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64
from plough.core.kernels import kernel
from plough.core.lay.bonds import CELLS
from plough.core.lay.brick_rule import BrickRule
from plough.core.lay.line import Line
from plough.core.lay.rule import Opening
from plough.core.lay.run import Corner, Span

DEEPEST = 6.0  #: metres below the ground at its foot that a run goes down to lower ground, at most
SHALLOW = 1.0  #: and where that would be too many blocks
_STEEP = math.pi / 2  # turns beyond which corners are built as if they were square


class Courses(NamedTuple):
    """Which courses there are over a part of a span; cells, and numbers of courses."""

    start: float
    end: float
    low: int
    high: int  #: the first above
    hangs: (
        float  #: metres between the lowest and the lowest ground, where it does not go down so far
    )


@dataclass(frozen=True, eq=False)
class Grid:
    """The cells of a span."""

    span: Span
    count: int  #: 0: it has no room
    s: Float64  #: (n,) metres along it, ascending
    cell: Float64  #: (n,) the cell there
    low: tuple[float, float]  #: the first cell of even and of odd courses
    high: tuple[float, float]  #: where the last ends
    tightest: float  #: metres by which joints are wider where it bends most
    bend_at: float  #: metres along it where that is

    def cells(self, s: float) -> float:
        """The cell at metres along the span."""
        return float(_beyond(np.array([s]), self.s, self.cell)[0])

    def metres(self, cell: float) -> float:
        """And back."""
        return float(self.all_metres(np.array([cell]))[0])

    def all_metres(self, cells: Float64) -> Float64:
        """(n,) metres of cells (n,)."""
        return _beyond(cells, self.cell, self.s)


@kernel
def _beyond(x: Float64, xs: Float64, ys: Float64) -> Float64:
    """Interpolated, and straight on beyond both ends."""
    out = np.empty(len(x))
    last = len(xs) - 2
    for n in range(len(x)):
        k = min(max(np.searchsorted(xs, x[n]) - 1, 0), last)
        out[n] = ys[k] + (x[n] - xs[k]) * (ys[k + 1] - ys[k]) / (xs[k + 1] - xs[k])
    return out


def _passing(corner: Corner, thick: float) -> float:
    """Metres beyond a corner that the span that passes it goes."""
    return 0.5 * thick * math.tan(0.5 * min(abs(corner.turn), _STEEP))


def _butting(corner: Corner, thick: float, gap: float) -> float:
    """Metres before a corner at which the span that does not pass it ends."""
    turn = abs(corner.turn)
    half, sine, cosine = 0.5 * thick, math.sin(turn), math.cos(turn)
    side = (half + gap + half * abs(cosine)) / sine
    if cosine <= 0.05:
        return side
    return min(side, (_passing(corner, thick) + gap + half * sine) / cosine)


def _apart(turn: float, thick: float, gap: float) -> float:
    """Metres that blocks keep from a knot at which a run turns too little for a corner."""
    return max(0.0, 0.5 * thick * math.tan(0.5 * abs(turn)) - 0.25 * gap)


def grid_of(span: Span, rule: BrickRule, line: Line) -> Grid:
    """The cells of a span."""
    thick, gap = rule.thickness, rule.gap
    if span.first is not None:
        start = _butting(span.first, thick, gap) - 0.5 * gap
    else:
        start = -0.5 * gap if span.begins else _apart(line.turns[0], thick, gap)
    if span.last is not None:
        end = span.length + _passing(span.last, thick) + 0.5 * gap
    else:
        end = span.length + (0.5 * gap if span.ends else -_apart(line.turns[1], thick, gap))
    inside = span.at[(span.at > start + 1e-6) & (span.at < end - 1e-6)]
    s = np.concatenate([[start], inside, [max(end, start + 1e-3)]])
    k = np.clip(np.searchsorted(span.at, 0.5 * (s[1:] + s[:-1]), "right") - 1, 0, None)
    bend = line.bend[np.minimum(k, len(line.bend) - 1)]
    pitch = rule.pitch_at(bend)
    measure = np.concatenate([[0.0], np.cumsum(CELLS * np.diff(s) / pitch)])
    total = float(measure[-1])
    whole = rule.bonded.whole
    count = whole * int((total + 1e-6) / whole) or 3 * int((total + 1e-6) / 3)
    cell = measure * (count / total)
    worst = int(pitch.argmax())
    grid = Grid(
        span,
        count,
        s,
        cell,
        (0.0, 0.0),
        (count, count),
        float(pitch[worst] - rule.pitch_at(np.zeros(1))[0]),
        float(0.5 * (s[worst] + s[worst + 1])),
    )
    if count == 0:
        return grid
    low = 0.0
    if span.first is not None:
        low = grid.cells(-_passing(span.first, thick) - 0.5 * gap)
    high = float(count)
    if span.last is not None:
        high = grid.cells(span.length - _butting(span.last, thick, gap) + 0.5 * gap)
    return Grid(span, count, s, cell, (0.0, low), (count, high), grid.tightest, grid.bend_at)


def courses_over(
    grid: Grid, rule: BrickRule, level: int, deepest: float = DEEPEST
) -> list[Courses]:
    """Which courses stand over the parts of a span.

    Args:
        level: number of the course on the ground, where its top is level.
        deepest: metres below that to which it goes down to lower ground, at most.
    """
    span, v = grid.span, rule.pitch
    count = max(1, round(span.length / rule.step))
    edges = np.linspace(0.0, span.length, count + 1)
    out: list[Courses] = []
    snap = rule.bonded.snap
    for k, (a, b) in enumerate(zip(edges[:-1], edges[1:], strict=True)):
        at = np.linspace(a, b, 5)
        mean = float(np.interp(at, span.at, span.ground).mean())
        base = level if rule.level else math.floor(mean / v + 0.5)
        ground = float(np.interp(at, span.at, np.minimum(span.lowest, span.ground)).min())
        low = max(math.floor((ground - rule.footing) / v), base - math.ceil(deepest / v))
        hangs = max(0.0, low * v - ground)
        start = -math.inf if k == 0 else snap * round(grid.cells(float(a)) / snap)
        end = math.inf if k == count - 1 else snap * round(grid.cells(float(b)) / snap)
        high = base + rule.courses
        if out and out[-1].low == low and out[-1].high == high:
            out[-1] = out[-1]._replace(end=end, hangs=max(out[-1].hangs, hangs))
        elif end > start:
            out.append(Courses(start, end, low, high, hangs))
    return out


def level_of(rule: BrickRule, ground: float) -> int:
    """Number of the course that lies on the ground at a height."""
    return math.floor(ground / rule.pitch + 0.5)


def snapped(o: Opening, grid: Grid, rule: BrickRule) -> Opening:
    """An opening, as much wider as makes its sides lie where blocks begin or end."""
    if grid.count == 0:
        return o
    snap = rule.bonded.snap
    a = grid.metres(snap * math.floor(grid.cells(o.start) / snap + 0.02))
    b = grid.metres(snap * math.ceil(grid.cells(o.end) / snap - 0.02))
    return o._replace(start=a, end=b, base=grid.span.height(0.5 * (o.start + o.end)))
