"""Profiles given by knots, and splines through points."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from plough.core.arrays import Float32, Float64


def profile_table(knots: Sequence[tuple[float, float]], samples: int = 65) -> Float32:
    """`samples` values of a monotone cubic (Fritsch and Carlson 1980) through `knots` over [0, 1], flat beyond the outer knots."""
    from scipy.interpolate import PchipInterpolator  # takes most of a second; only those wait who need it

    xs, ys = np.array(knots, np.float64).T
    grid = np.clip(np.linspace(0.0, 1.0, samples), xs[0], xs[-1])
    return np.asarray(np.clip(PchipInterpolator(xs, ys)(grid), 0.0, 1.0), np.float32)


def spline(points: Sequence[tuple[float, float]], spacing: float) -> Float64:
    """(n, 2) points about `spacing` metres apart on a smooth curve through `points` (at least two, none repeated in a row)."""
    from scipy.interpolate import CubicSpline

    p = np.array(points, np.float64)
    chord = np.sqrt(np.hypot(*np.diff(p, axis=0).T))  # centripetal parameter, free of loops between knots (Yuksel et al. 2011)
    t = np.concatenate([[0.0], np.cumsum(chord)])
    curve = CubicSpline(t, p, bc_type="natural") if len(p) > 2 else (lambda x: p[0] + (x / t[-1])[:, None] * (p[1] - p[0]))
    fine = curve(np.linspace(0.0, t[-1], 32 * len(p)))
    length = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(fine, axis=0).T))])
    wanted = np.linspace(0.0, length[-1], max(2, int(np.ceil(length[-1] / spacing)) + 1))
    return np.stack([np.interp(wanted, length, fine[:, k]) for k in range(2)], axis=1)
