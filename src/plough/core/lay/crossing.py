"""Where paths cross a run, and how wide they are there."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64
from plough.core.ground.paths import Curve
from plough.core.lay.run import Span

_WIDEST = 2.5  #: times its width that a path may take where it crosses aslant


class Crossing(NamedTuple):
    """A path across a run."""

    span: int
    at: float  #: metres along it
    width: float  #: metres of the run that the path takes
    path: str
    number: int  #: of those of the same path


def crossings(spans: Sequence[Span], paths: Sequence[tuple[str, Curve]]) -> list[Crossing]:
    """Where paths cross a run, span by span."""
    from shapely import LineString, get_coordinates

    out = []
    for k, span in enumerate(spans):
        own = span.line[(span.at >= 0.0) & (span.at <= span.length)]
        line = LineString(own)
        low, high = own.min(axis=0), own.max(axis=0)
        for name, path in paths:
            a, b = path.line.min(axis=0), path.line.max(axis=0)
            if (a > high).any() or (b < low).any():
                continue
            points = np.unique(
                get_coordinates(line.intersection(LineString(path.line))).round(9), axis=0
            )
            found = sorted(_crossing(own, path, p) for p in points)
            out += [Crossing(k, s, w, name, n) for n, (s, w) in enumerate(found)]
    return out


def _crossing(own: Float64, path: Curve, point: Float64) -> tuple[float, float]:
    """Metres along a span of a crossing, and the metres of it that the path takes."""
    s, way = _on(own, point)
    at, other = _on(path.line, point)
    chain = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(path.line, axis=0).T))])
    width = 2.0 * float(np.interp(at, chain, path.half))
    sine = abs(way[0] * other[1] - way[1] * other[0])
    return s, width / max(sine, 1.0 / _WIDEST)


def _on(line: Float64, point: Float64) -> tuple[float, Float64]:
    """Metres along a line of its place nearest to a point, and the unit direction of the line there."""
    step = np.diff(line, axis=0)
    long = np.hypot(*step.T)
    share = np.clip(((point - line[:-1]) * step).sum(axis=1) / long**2, 0.0, 1.0)
    away = np.hypot(*(line[:-1] + share[:, None] * step - point).T)
    k = int(away.argmin())
    return math.fsum(long[:k]) + float(share[k] * long[k]), step[k] / long[k]
