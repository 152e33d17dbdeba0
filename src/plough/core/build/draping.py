"""Draping: a sheet that hangs from where it is fixed, settles over what is beneath it and lies in the wind.

Position-based dynamics (Müller, Heidelberger, Hennix and Ratcliff 2007) on a grid: points are moved by gravity and wind, then threads, diagonals and
folds are brought back to their lengths, in a fixed order. It is settled on a coarse grid first and on finer ones from there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float64, Int64
from plough.core.kernels import kernel

_GRAVITY = 9.81  # m/s²
_AIR = 1.2  # kg/m³
_STEP = 1.0 / 60.0  # seconds
_DAMPED = 0.96  # of its speed that a point keeps
_FASTEST = 0.12  # metres that a point moves in a step, at most
_PASSES = 12  # over all lengths in a step
_OFF = 0.006  # metres that cloth keeps from what it lies on, at least
_UNEVEN = 0.0004  # metres more, up to six times, so that no three points of it lie in a line
_GRIP = 0.35  # of its way over what it lies on that a point keeps
_RIPPLES = 4  # waves of gusts over a sheet


class Shape(NamedTuple):
    """What a sheet may lie on; metres. It stands on the ground about the origin."""

    what: int  #: 0 nothing, 1 a block, 2 a round post, 3 a level pole along x
    long: float  #: along x
    high: float
    wide: float  #: along z; of what is round: its diameter


class Air(NamedTuple):
    """Wind on a sheet."""

    x: float  #: m/s
    z: float
    gusts: float  #: how uneven, 0 to 1
    phase: float  #: radians


@dataclass(frozen=True, eq=False)
class Sheet:
    """A sheet as it is cut and fixed."""

    wide: float  #: metres along its rows
    long: float  #: metres down its columns
    at: Float64  #: (n, m, 3) metres, where it begins
    fixed: Bool  #: (n, m) which points stay there
    heavy: float  #: kg/m²
    tight: float  #: how much it lets wind through: 1 none
    stiff: float  #: against folding, 0 to 1
    shape: Shape
    air: Air


@kernel
def _length(p: Float64, fixed: Bool, a: int, b: int, c: int, d: int, rest: float, k: float) -> None:
    """Bring two points of a grid to a distance, by a share of what is amiss."""
    u, v = (0.0 if fixed[a, b] else 1.0), (0.0 if fixed[c, d] else 1.0)
    if u + v == 0.0:
        return
    x, y, z = p[c, d, 0] - p[a, b, 0], p[c, d, 1] - p[a, b, 1], p[c, d, 2] - p[a, b, 2]
    long = math.sqrt(x * x + y * y + z * z)
    if long < 1e-12:
        return
    by = k * (long - rest) / (long * (u + v))
    p[a, b, 0] += u * by * x
    p[a, b, 1] += u * by * y
    p[a, b, 2] += u * by * z
    p[c, d, 0] -= v * by * x
    p[c, d, 1] -= v * by * y
    p[c, d, 2] -= v * by * z


@kernel
def _lengths(p: Float64, fixed: Bool, du: float, dv: float, stiff: float, back: bool) -> None:
    n, m = fixed.shape
    diagonal = math.sqrt(du * du + dv * dv)
    for step in range(n * m):
        k = n * m - 1 - step if back else step
        i, j = k // m, k % m
        if j + 1 < m:
            _length(p, fixed, i, j, i, j + 1, du, 1.0)
        if i + 1 < n:
            _length(p, fixed, i, j, i + 1, j, dv, 1.0)
            if j + 1 < m:
                _length(p, fixed, i, j, i + 1, j + 1, diagonal, 0.35)
                _length(p, fixed, i, j + 1, i + 1, j, diagonal, 0.35)
        if j + 2 < m:
            _length(p, fixed, i, j, i, j + 2, 2.0 * du, stiff)
        if i + 2 < n:
            _length(p, fixed, i, j, i + 2, j, 2.0 * dv, stiff)


@kernel
def _out(p: Float64, q: Float64, s: Shape, off: float, grips: bool) -> None:
    """Bring a point (3,) that was at `q` so far out of the ground and of what the sheet lies on, which holds it a little."""
    x, y, z = p[0], p[1], p[2]
    pushed = False
    if y < off:
        y, pushed = off, True
    if s.what == 1:
        ax, ay, az = (
            0.5 * s.long + off - abs(x),
            s.high + off - y,
            0.5 * s.wide + off - abs(z),
        )
        if ax > 0.0 and ay > 0.0 and az > 0.0:
            pushed = True
            if ay <= ax and ay <= az:
                y += ay
            elif ax <= az:
                x += ax if x >= 0 else -ax
            else:
                z += az if z >= 0 else -az
    elif s.what == 2:
        r = math.sqrt(x * x + z * z)
        out, up = 0.5 * s.wide + off - r, s.high + off - y
        if out > 0.0 and up > 0.0:
            pushed = True
            if up <= out or r < 1e-9:
                y += up
            else:
                x, z = x * (r + out) / r, z * (r + out) / r
    elif s.what == 3 and abs(x) <= 0.5 * s.long:
        dy = y - s.high
        r = math.sqrt(dy * dy + z * z)
        out = 0.5 * s.wide + off - r
        if out > 0.0:
            pushed = True
            if r < 1e-9:
                y += out
            else:
                y, z = s.high + dy * (r + out) / r, z * (r + out) / r
    if pushed:
        grip = _GRIP if grips else 0.0
        p[0] = x + grip * (q[0] - x)
        p[1] = y
        p[2] = z + grip * (q[2] - z)


@kernel
def _held(p: Float64, by: Float64, reach: float) -> None:
    """Bring a point (3,) no farther from where the sheet is fixed than it is on the sheet (Kim, Chentanez and Müller-Fischer 2012)."""
    x, y, z = p[0] - by[0], p[1] - by[1], p[2] - by[2]
    long = math.sqrt(x * x + y * y + z * z)
    if long > reach:
        share = reach / long
        p[0], p[1], p[2] = by[0] + share * x, by[1] + share * y, by[2] + share * z


@kernel
def _settle(
    p: Float64,
    fixed: Bool,
    du: float,
    dv: float,
    heavy: float,
    tight: float,
    stiff: float,
    shape: Shape,
    air: Air,
    held: Float64,
    nearest: Int64,
    reach: Float64,
    steps: int,
) -> None:
    n, m = fixed.shape
    before = p.copy()
    lift = 0.5 * _AIR * tight / heavy
    for _ in range(steps):
        for i in range(n):
            for j in range(m):
                if fixed[i, j]:
                    continue
                # the normal of the sheet about the point
                i0, i1, j0, j1 = max(i - 1, 0), min(i + 1, n - 1), max(j - 1, 0), min(j + 1, m - 1)
                ax, bx = p[i, j1, 0] - p[i, j0, 0], p[i1, j, 0] - p[i0, j, 0]
                ay, by = p[i, j1, 1] - p[i, j0, 1], p[i1, j, 1] - p[i0, j, 1]
                az, bz = p[i, j1, 2] - p[i, j0, 2], p[i1, j, 2] - p[i0, j, 2]
                nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
                size = math.sqrt(nx * nx + ny * ny + nz * nz)
                push = 0.0
                if size > 1e-12:
                    nx, ny, nz = nx / size, ny / size, nz / size
                    gust = 1.0 + air.gusts * math.sin(
                        air.phase + _RIPPLES * (2.1 * i / n + 1.3 * j / m)
                    ) * math.cos(1.7 * air.phase + _RIPPLES * (1.1 * i / n - 1.9 * j / m))
                    through = (nx * air.x + nz * air.z) * gust
                    push = lift * through * abs(through)
                for c in range(3):
                    pull = push * (nx if c == 0 else (ny if c == 1 else nz))
                    if c == 1:
                        pull -= _GRAVITY
                    way = _DAMPED * (p[i, j, c] - before[i, j, c]) + pull * _STEP * _STEP
                    before[i, j, c] = p[i, j, c]
                    p[i, j, c] += min(_FASTEST, max(-_FASTEST, way))
        for k in range(_PASSES):
            _lengths(p, fixed, du, dv, stiff, k % 2 == 1)
            for i in range(n):
                for j in range(m):
                    if fixed[i, j]:
                        continue
                    if held.shape[0]:
                        _held(p[i, j], held[nearest[i, j]], reach[i, j])
                    off = _OFF + _UNEVEN * ((3 * i + 5 * j) % 7)
                    _out(p[i, j], before[i, j], shape, off, k == _PASSES - 1)


def settled(sheet: Sheet, steps: tuple[int, ...] = (240, 90, 24)) -> Float64:
    """(n, m, 3) where the points of a sheet come to rest; n - 1 and m - 1 are multiples of 2 for each of `steps` but the first."""
    n, m = sheet.fixed.shape
    deep = len(steps) - 1
    p = sheet.at[:: 2**deep, :: 2**deep].copy()
    for level, count in enumerate(steps):
        every = 2 ** (deep - level)
        fixed = np.ascontiguousarray(sheet.fixed[::every, ::every])
        if level:
            p = _finer(p)
        p[fixed] = sheet.at[::every, ::every][fixed]
        rows, columns = fixed.shape
        du, dv = sheet.wide / (columns - 1), sheet.long / (rows - 1)
        args = (sheet.heavy, sheet.tight, 0.5 * sheet.stiff, sheet.shape, sheet.air)
        _settle(p, fixed, du, dv, *args, *_nearest(p, fixed, du, dv), count)
    assert p.shape == (n, m, 3)
    return p


def _nearest(p: Float64, fixed: Bool, du: float, dv: float) -> tuple[Float64, Int64, Float64]:
    """(k, 3) places where a sheet is fixed; of each point (n, m) the nearest on the sheet, and the metres to it."""
    row, column = np.argwhere(fixed).T
    if not len(row):
        return np.empty((0, 3)), np.zeros(fixed.shape, np.int64), np.zeros(fixed.shape)
    at = np.indices(fixed.shape)[..., None]
    away = np.hypot(dv * (at[0] - row), du * (at[1] - column))
    return p[row, column], np.argmin(away, axis=2).astype(np.int64), away.min(axis=2)


def _finer(p: Float64) -> Float64:
    """Points between those of a grid."""
    n, m, _ = p.shape
    out = np.empty((2 * n - 1, 2 * m - 1, 3))
    out[::2, ::2] = p
    out[1::2, ::2] = 0.5 * (p[1:] + p[:-1])
    out[:, 1::2] = 0.5 * (out[:, 2::2] + out[:, :-2:2])
    return out
