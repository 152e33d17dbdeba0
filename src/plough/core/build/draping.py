"""Draping: a sheet that hangs from where it is fixed, settles over what is beneath it and lies in the wind.

Position-based dynamics (Müller, Heidelberger, Hennix and Ratcliff 2007) on a grid: points are moved by gravity and wind, then threads, diagonals and
folds are brought back to their lengths, in a fixed order. It is settled on a coarse grid first and on finer ones from there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, Int64
from plough.core.hashing import digest, key_of
from plough.core.kernels import kernel
from plough.core.mesh.voxels import distances, grid_about

_GRAVITY = 9.81  # m/s²
_AIR = 1.2  # kg/m³
_STEP = 1.0 / 60.0  # seconds
_DAMPED = 0.96  # of its speed that a point keeps
_FASTEST = 0.12  # metres that a point moves in a step, at most
_PASSES = 12  # over all lengths in a step
_OFF = 0.006  # metres that cloth keeps from what it lies on, at least
_UNEVEN = 0.0004  # metres more, up to six times, so that no three points of it lie in a line
_GRIP = 0.35  # of its way over what it lies on that a point keeps
_HOLD = 0.75  # the same, over things
_RIPPLES = 4  # waves of gusts over a sheet
_LOOKED = 0.03  # metres along a thread from one look to the next
_FINEST = 0.012  # metres between the points at which a body is known, at least
_MOST_POINTS = 1_200_000  # of them
_ABOUT = 0.8  # of the way between them, that a body is thicker there: so sheets are found


class Shape(NamedTuple):
    """What a sheet may lie on; metres. It stands on the ground about the origin."""

    what: int  #: 0 nothing, 1 a block, 2 a round post, 3 a level pole along x, 4 a body
    long: float  #: along x
    high: float
    wide: float  #: along z; of what is round: its diameter


class Body(NamedTuple):
    """Any solid things that a sheet may lie on: how far they are, on a grid."""

    origin: Float64  #: (3,) metres of its first point
    cell: float  #: metres between points
    away: Float32  #: (x, y, z) metres, below 0 within


NO_BODY = Body(np.zeros(3), 1.0, np.zeros((0, 0, 0), np.float32))


def body_of(triangles: Float64, spans: float) -> Body:
    """The body of triangles (t, 3, 3), without hollows and gaps that are narrower than `spans` metres."""
    from scipy.ndimage import distance_transform_edt

    low, high = triangles.reshape(-1, 3).min(axis=0), triangles.reshape(-1, 3).max(axis=0)
    room = high - low + spans + 8.0 * _FINEST  # that the grid takes, with what is about them
    cell = max(_FINEST, float(np.prod(room) / _MOST_POINTS) ** (1 / 3))
    grid = grid_about(low, high, cell, 0.5 * spans + 4.0 * cell)
    away = distances(triangles, grid, _ABOUT * cell)
    if spans > 0:
        # closed: grown by half of it, and drawn back as far
        back = 0.5 * spans - distance_transform_edt(away < 0.5 * spans, cell)
        away = np.where(away < 0.5 * spans, np.minimum(away, back), away).astype(np.float32)
    return Body(grid.origin, cell, away)


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
    body: Body = NO_BODY

    @property
    def key(self) -> str:
        """Tells it from any that settles otherwise."""
        arrays = (self.at, self.fixed, self.body.origin, self.body.away)
        plain = (self.wide, self.long, self.heavy, self.tight, self.stiff, self.shape, self.air)
        told = [a.shape for a in arrays], plain, self.body.cell
        return key_of(repr(told), digest(*(np.ascontiguousarray(a).tobytes() for a in arrays)))


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
def _off_body(b: Body, x: float, y: float, z: float, way: Float64) -> float:
    """Metres from a body, and in `way` (3,) the direction away from it; where it is not known, far."""
    u, v, w = (x - b.origin[0]) / b.cell, (y - b.origin[1]) / b.cell, (z - b.origin[2]) / b.cell
    i, j, k = int(math.floor(u)), int(math.floor(v)), int(math.floor(w))
    n, m, o = b.away.shape
    if i < 0 or j < 0 or k < 0 or i + 1 >= n or j + 1 >= m or k + 1 >= o:
        return 1e9
    u, v, w = u - i, v - j, w - k
    total = 0.0
    way[:] = 0.0
    for a in range(2):
        for c in range(2):
            for d in range(2):
                fa = u if a else 1.0 - u
                fc = v if c else 1.0 - v
                fd = w if d else 1.0 - w
                own = b.away[i + a, j + c, k + d]
                total += fa * fc * fd * own
                way[0] += (fc * fd * own) if a else -(fc * fd * own)
                way[1] += (fa * fd * own) if c else -(fa * fd * own)
                way[2] += (fa * fc * own) if d else -(fa * fc * own)
    long = math.sqrt(way[0] ** 2 + way[1] ** 2 + way[2] ** 2)
    if long < 1e-12:
        way[0], way[1], way[2] = 0.0, 1.0, 0.0
    else:
        way /= long
    return total


@kernel
def _out(p: Float64, q: Float64, s: Shape, b: Body, off: float, grips: bool) -> None:
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
    elif s.what == 4:
        way = np.empty(3)
        out = off - _off_body(b, x, y, z, way)
        if out > 0.0:
            pushed = True
            x, y, z = x + out * way[0], y + out * way[1], z + out * way[2]
    if pushed:
        grip = (_HOLD if s.what == 4 else _GRIP) if grips else 0.0
        p[0] = x + grip * (q[0] - x)
        p[1] = y
        p[2] = z + grip * (q[2] - z)


@kernel
def _clear(
    p: Float64, before: Float64, fixed: Bool, b: Body, du: float, dv: float, back: bool, grips: bool
) -> None:
    """Bring threads out of a body, as seen at places between their ends; it holds their ends, which were at `before`, a little."""
    n, m = fixed.shape
    way = np.empty(3)
    for step in range(n * m):
        at = n * m - 1 - step if back else step
        i, j = at // m, at % m
        near = _off_body(b, p[i, j, 0], p[i, j, 1], p[i, j, 2], way)
        for way_on in range(3):  # along its row, down its column, and between, as it is drawn
            k, q = i + int(way_on > 0), j + int(way_on != 1)
            long = du if way_on == 0 else (dv if way_on == 1 else math.hypot(du, dv))
            if k >= n or q >= m or near > long:
                continue
            touched = 0.0
            many = min(max(int(long / _LOOKED), 1), 6)
            for s in range(1, many + 1):
                share = s / (many + 1.0)
                rest = 1.0 - share
                x = rest * p[i, j, 0] + share * p[k, q, 0]
                y = rest * p[i, j, 1] + share * p[k, q, 1]
                z = rest * p[i, j, 2] + share * p[k, q, 2]
                out = _OFF - _off_body(b, x, y, z, way)
                if out <= 0.0:
                    continue
                touched = _HOLD
                out /= rest * rest + share * share
                for c in range(3):
                    if not fixed[i, j]:
                        p[i, j, c] += rest * out * way[c]
                    if not fixed[k, q]:
                        p[k, q, c] += share * out * way[c]
            if grips and touched > 0.0:
                for c in (0, 2):
                    if not fixed[i, j]:
                        p[i, j, c] += touched * (before[i, j, c] - p[i, j, c])
                    if not fixed[k, q]:
                        p[k, q, c] += touched * (before[k, q, c] - p[k, q, c])


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
    body: Body,
    held: Float64,
    nearest: Int64,
    reach: Float64,
    steps: int,
) -> None:
    n, m = fixed.shape
    before = p.copy()
    aside = np.empty(3)
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
                # no farther than it is from the body, so that it does not pass through what is thin
                most = _FASTEST
                if shape.what == 4:
                    off = abs(_off_body(body, p[i, j, 0], p[i, j, 1], p[i, j, 2], aside))
                    most = min(most, 0.6 * max(off, body.cell))
                for c in range(3):
                    pull = push * (nx if c == 0 else (ny if c == 1 else nz))
                    if c == 1:
                        pull -= _GRAVITY
                    way = _DAMPED * (p[i, j, c] - before[i, j, c]) + pull * _STEP * _STEP
                    before[i, j, c] = p[i, j, c]
                    p[i, j, c] += min(most, max(-most, way))
        for k in range(_PASSES):
            _lengths(p, fixed, du, dv, stiff, k % 2 == 1)
            for i in range(n):
                for j in range(m):
                    if fixed[i, j]:
                        continue
                    if held.shape[0]:
                        _held(p[i, j], held[nearest[i, j]], reach[i, j])
                    off = _OFF + _UNEVEN * ((3 * i + 5 * j) % 7)
                    _out(p[i, j], before[i, j], shape, body, off, k == _PASSES - 1)
            if shape.what == 4 and k % 4 == 3:
                _clear(p, before, fixed, body, du, dv, k % 8 == 7, k == _PASSES - 1)


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
        args = (sheet.heavy, sheet.tight, 0.5 * sheet.stiff, sheet.shape, sheet.air, sheet.body)
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
