"""Levels: which courses a wall has over a span, whether it follows the ground by its slope or in steps."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float64
from plough.core.hashing import digest, key_of
from plough.core.lay.courses import Stretch, level_lines
from plough.core.lay.run import Span
from plough.core.rng import stream, symmetric_array

_BURIED = 0.12  #: metres that the foot of a wall lies in the lowest ground beneath it, at least
_LINE = stream("wall.level line")


@dataclass(frozen=True, slots=True)
class Levels:
    """The courses of a span, before openings."""

    rows: list[int]  #: the number of each course
    lines: Float64  #: (rows + 1,) metres between them
    whole: list[list[Stretch]]  #: of each course; its ends tell where it stops
    tops: list[tuple[Stretch, float]]  #: stretches with the same top, and the metres of it
    bases: list[
        tuple[float, float, float]
    ]  #: from where to where along the span the ground is taken to be how high

    @property
    def key(self) -> str:
        """Tells them from any other."""
        told = repr((self.rows, self.whole, self.tops, self.bases))
        return key_of(digest(self.lines.tobytes()), told)

    def base(self, s: float) -> float:
        """Metres of the level above which a wall is so high there."""
        return next((y for _, b, y in self.bases if s < b), self.bases[-1][2])


@dataclass(frozen=True, slots=True)
class Heights:
    """How high a wall is; metres."""

    height: float
    footing: float
    sizes: tuple[float, float]  #: of courses at the top, and at the foot
    steps: float  #: 0: it follows the slope
    seed: int

    @property
    def pitch(self) -> float:
        """Of courses that are level."""
        return 0.5 * sum(self.sizes)


def levels_of(span: Span, before: Span | None, after: Span | None, h: Heights) -> Levels:
    """The courses of a span.

    Args:
        before, after: its neighbours.
    """
    if h.steps:
        return _stepped(span, before, after, h)
    lines = level_lines(h.height, h.footing, h.sizes[1], h.sizes[0], h.seed)
    whole = Stretch(0.0, span.length, (span.begins, span.ends))
    # more of them below where the ground falls away across it
    deep = float((span.ground - span.lowest).max()) + _BURIED + float(lines[0])
    more = max(0, math.ceil(deep / h.sizes[1]))
    rows = list(range(-more, len(lines) - 1))
    lines = np.concatenate([lines[0] - h.sizes[1] * np.arange(more, 0, -1), lines])
    return Levels(
        rows, lines, [[whole] for _ in rows], [(whole, float(lines[-1]))], [(0.0, math.inf, 0.0)]
    )


def _bases(span: Span, h: Heights) -> tuple[Float64, list[int], list[int]]:
    """Where the steps of a span begin and end, the number of the course above the ground of each, and that of its lowest one."""
    count = max(1, round(span.length / h.steps))
    edges = np.linspace(0.0, span.length, count + 1)
    base, lowest = [], []
    for a, b in zip(edges[:-1], edges[1:], strict=True):
        at = np.linspace(a, b, 5)
        base.append(math.floor(float(np.interp(at, span.at, span.ground).mean()) / h.pitch + 0.3))
        low = float(np.interp(at, span.at, np.minimum(span.lowest, span.ground)).min())
        deep = min(low - _BURIED, h.pitch * base[-1] - h.footing)
        lowest.append(math.floor(deep / h.pitch) - 1)
    return edges, base, lowest


def _stepped(span: Span, before: Span | None, after: Span | None, h: Heights) -> Levels:
    edges, base, lowest = _bases(span, h)
    high = max(1, round(h.height / h.pitch))
    rows = list(range(min(lowest), max(base) + high))
    numbers = np.array([*rows, rows[-1] + 1])
    off = symmetric_array(h.seed, _LINE, (numbers + 2**32).astype(np.uint64))
    lines = h.pitch * (numbers + 0.22 * off)
    beside = [
        None if other is None else tuple(x[end] for x in _bases(other, h)[1:])
        for other, end in ((before, -1), (after, 0))
    ]
    whole: list[list[Stretch]] = []
    for r in rows:
        there = [low <= r < b + high for b, low in zip(base, lowest, strict=True)]
        own: list[Stretch] = []
        k = 0
        while k < len(there):
            if not there[k]:
                k += 1
                continue
            first = k
            while k < len(there) and there[k]:
                k += 1
            ends = [True, True]
            for end, (at, edge) in enumerate(((first, 0), (k, len(there)))):
                other = beside[end]
                if at == edge and other is not None and other[1] <= r < other[0] + high:
                    ends[end] = False
            own.append(Stretch(float(edges[first]), float(edges[k]), (ends[0], ends[1])))
        whole.append(own)
    tops, k = [], 0
    while k < len(base):
        first = k
        while k < len(base) and base[k] == base[first]:
            k += 1
        level = lines[base[first] + high - rows[0]]
        one, other = beside
        same = (
            first == 0 and one is not None and one[0] == base[first],
            k == len(base) and other is not None and other[0] == base[first],
        )
        stretch = Stretch(float(edges[first]), float(edges[k]), (not same[0], not same[1]))
        tops.append((stretch, float(level)))
    places = [
        (float(a), float(b), h.pitch * n)
        for a, b, n in zip(edges[:-1], edges[1:], base, strict=True)
    ]
    return Levels(rows, lines, whole, tops, places)
