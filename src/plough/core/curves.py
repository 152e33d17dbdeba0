"""Profiles given by knots, and curves through points."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from plough.core.arrays import Float32, Float64, Int64


def profile_table(knots: Sequence[tuple[float, float]], samples: int = 65) -> Float32:
    """`samples` values of a monotone cubic through `knots` over [0, 1], flat beyond the outer knots.

    Method: Fritsch and Carlson 1980, with the weighted harmonic mean of Fritsch and Butland 1984.
    """
    xs, ys = np.array(knots, np.float64).T
    grid = np.clip(np.linspace(0.0, 1.0, samples), xs[0], xs[-1])
    return np.asarray(np.clip(monotone(xs, ys, grid), 0.0, 1.0), np.float32)


def monotone(xs: Float64, ys: Float64, at: Float64) -> Float64:
    """Values at `at` (n,) of a monotone cubic through the knots `xs`, `ys` (k,), ascending."""
    h, slope = np.diff(xs), np.diff(ys) / np.diff(xs)
    m = np.empty_like(xs)
    if len(xs) == 2:
        m[:] = slope[0]
    else:
        w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
        with np.errstate(divide="ignore", invalid="ignore"):
            mean = (w1 + w2) / (w1 / slope[:-1] + w2 / slope[1:])
        m[1:-1] = np.where(slope[:-1] * slope[1:] > 0, mean, 0.0)
        m[0] = _end_slope(h[0], h[1], slope[0], slope[1])
        m[-1] = _end_slope(h[-1], h[-2], slope[-1], slope[-2])
    k = np.clip(np.searchsorted(xs, at, side="right") - 1, 0, len(xs) - 2)
    t = (at - xs[k]) / h[k]
    a = (1 + 2 * t) * (1 - t) ** 2 * ys[k] + t * (1 - t) ** 2 * h[k] * m[k]
    b = t**2 * (3 - 2 * t) * ys[k + 1] + t**2 * (t - 1) * h[k] * m[k + 1]
    return np.asarray(a + b, np.float64)


def _end_slope(h0: float, h1: float, slope0: float, slope1: float) -> float:
    """Three-point slope at an end, kept within what stays monotone."""
    slope = ((2 * h0 + h1) * slope0 - h0 * slope1) / (h0 + h1)
    if slope * slope0 <= 0:
        return 0.0
    if slope0 * slope1 <= 0 and abs(slope) > abs(3 * slope0):
        return 3 * slope0
    return slope


def span_curve(
    points: Sequence[tuple[float, float]], spacing: float, closed: bool = False
) -> tuple[Float64, Int64]:
    """A smooth line through `points` (at least two, none repeated in a row), and the span of each of its points.

    Centripetal Catmull-Rom (Barry and Goldman 1988; Yuksel et al. 2011), each span sampled by
    itself in equal steps of arc length of at most `spacing` metres: a point that moves changes
    the two spans on each side of it, and no others.

    Args:
        closed: whether it goes on from the last point to the first, where it then ends.

    Returns:
        (n, 2) metres, and (n,) the span that begins at or holds each point.
    """
    p = np.array(points, np.float64)
    if closed:
        padded = np.concatenate([p[-1:], p, p[:2]])
    else:
        padded = np.concatenate([[2 * p[0] - p[1]], p, [2 * p[-1] - p[-2]]])
    pieces, spans = [], []
    for k in range(len(padded) - 3):
        piece = _span(padded[k : k + 4], spacing)
        pieces.append(piece)
        spans.append(np.full(len(piece), k))
    pieces.append(padded[-2:-1])
    spans.append(np.array([len(padded) - 4]))
    return np.concatenate(pieces), np.concatenate(spans)


def _span(p: Float64, spacing: float) -> Float64:
    """Points from p[1] up to, but without, p[2]."""
    gaps = np.sqrt(np.hypot(*np.diff(p, axis=0).T))
    t0, t1, t2, t3 = np.concatenate([[0.0], np.cumsum(gaps)])
    chord = math.hypot(*(p[2] - p[1]))
    fine = np.linspace(t1, t2, max(9, min(513, math.ceil(chord / spacing) * 4 + 1)))[:, None]
    a1 = (t1 - fine) / (t1 - t0) * p[0] + (fine - t0) / (t1 - t0) * p[1]
    a2 = (t2 - fine) / (t2 - t1) * p[1] + (fine - t1) / (t2 - t1) * p[2]
    a3 = (t3 - fine) / (t3 - t2) * p[2] + (fine - t2) / (t3 - t2) * p[3]
    b1 = (t2 - fine) / (t2 - t0) * a1 + (fine - t0) / (t2 - t0) * a2
    b2 = (t3 - fine) / (t3 - t1) * a2 + (fine - t1) / (t3 - t1) * a3
    curve = (t2 - fine) / (t2 - t1) * b1 + (fine - t1) / (t2 - t1) * b2
    length = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(curve, axis=0).T))])
    count = max(1, math.ceil(length[-1] / spacing))
    wanted = np.linspace(0.0, length[-1], count + 1)[:-1]
    out = np.stack([np.interp(wanted, length, curve[:, k]) for k in range(2)], axis=1)
    out[0] = p[1]
    return out
