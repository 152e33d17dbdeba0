"""Profiles given by knots, and curves through points."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from plough.core.arrays import Float32, Float64, Int64
from plough.core.kernels import kernel


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
    return _sampled(padded, spacing)


@kernel
def _sampled(padded: Float64, spacing: float) -> tuple[Float64, Int64]:
    """The points of all spans and the end of the last, and the span of each; every span has a knot before and one behind it."""
    count = padded.shape[0] - 3
    pieces = [_span(padded[k : k + 4], spacing) for k in range(count)]
    total = 1
    for piece in pieces:
        total += piece.shape[0]
    line, spans = np.empty((total, 2)), np.empty(total, np.int64)
    at = 0
    for k in range(count):
        many = pieces[k].shape[0]
        line[at : at + many], spans[at : at + many] = pieces[k], k
        at += many
    line[at], spans[at] = padded[count + 1], count - 1
    return line, spans


@kernel
def _between(a: Float64, b: Float64, ta: float, tb: float, t: float) -> tuple[float, float]:
    """The point of the line from `a` at `ta` to `b` at `tb` that is there at `t`."""
    u = (t - ta) / (tb - ta)
    return a[0] + u * (b[0] - a[0]), a[1] + u * (b[1] - a[1])


@kernel
def _span(p: Float64, spacing: float) -> Float64:
    """(k, 2) points in equal steps of arc length from p[1] up to, but without, p[2]."""
    t = np.zeros(4)
    for k in range(3):
        t[k + 1] = t[k] + math.sqrt(math.hypot(p[k + 1, 0] - p[k, 0], p[k + 1, 1] - p[k, 1]))
    chord = math.hypot(p[2, 0] - p[1, 0], p[2, 1] - p[1, 1])
    fine = max(9, min(513, math.ceil(chord / spacing) * 4 + 1))
    curve, length = np.empty((fine, 2)), np.zeros(fine)
    low, high = np.empty(2), np.empty(2)
    first, second, third = np.empty(2), np.empty(2), np.empty(2)
    for i in range(fine):
        s = t[1] + (t[2] - t[1]) * i / (fine - 1)
        first[0], first[1] = _between(p[0], p[1], t[0], t[1], s)
        second[0], second[1] = _between(p[1], p[2], t[1], t[2], s)
        third[0], third[1] = _between(p[2], p[3], t[2], t[3], s)
        low[0], low[1] = _between(first, second, t[0], t[2], s)
        high[0], high[1] = _between(second, third, t[1], t[3], s)
        curve[i, 0], curve[i, 1] = _between(low, high, t[1], t[2], s)
        if i > 0:
            step = math.hypot(curve[i, 0] - curve[i - 1, 0], curve[i, 1] - curve[i - 1, 1])
            length[i] = length[i - 1] + step
    count = max(1, math.ceil(length[-1] / spacing))
    wanted = np.arange(count) * (length[-1] / count)
    out = np.empty((count, 2))
    for k in range(2):
        out[:, k] = np.interp(wanted, length, curve[:, k])
    out[0] = p[1]
    return out
