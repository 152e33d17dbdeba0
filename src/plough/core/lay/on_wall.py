"""From the coordinates of a wall to the scene's: along a span, above its ground, and out of a face."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.kernels import kernel
from plough.core.lay.dressing import Blocks
from plough.core.lay.run import Span

LONGEST = 1.5  #: metres of a box to collide with


class Frame(NamedTuple):
    """Where a wall stands over one span."""

    at: Float64  #: (n,) metres along it
    line: Float64  #: (n, 2)
    right: Float64  #: (n, 2)
    left: Float64  #: (n, 2)
    ground: Float64  #: (n,)
    half: float  #: metres from its middle to a face, at the height of the ground
    batter: float  #: metres that a face leans back for each metre up
    foot: Float64  #: (n,) metres of its own heights where it begins to lean


def frame_of(span: Span, half: float, batter: float, level: bool) -> Frame:
    """The frame of a span; with `level` heights are those of the scene."""
    none = np.zeros_like(span.ground)
    ground, foot = (none, span.ground) if level else (span.ground, none)
    return Frame(span.at, span.line, span.right, span.left, ground, half, batter, foot)


@kernel
def _row(at: Float64, s: float) -> tuple[int, float]:
    low, high = 0, at.shape[0] - 1
    while high - low > 1:
        m = (low + high) // 2
        if at[m] <= s:
            low = m
        else:
            high = m
    return low, (s - at[low]) / (at[high] - at[low])


@kernel
def place(f: Frame, s: float, y: float, side: int, out: float) -> tuple[float, float, float]:
    """Where `s` metres along, `y` up and `out` metres before a face lie."""
    k, t = _row(f.at, s)
    return _placed(f, k, t, y, side, out)


@kernel
def _placed(
    f: Frame, k: int, t: float, y: float, side: int, out: float
) -> tuple[float, float, float]:
    """As `place`, `t` of the way from the frame's row `k` to the next."""
    across = f.right if side > 0 else f.left
    foot = f.foot[k] + t * (f.foot[k + 1] - f.foot[k])
    far = f.half - f.batter * (y - foot) + out
    x = f.line[k, 0] + t * (f.line[k + 1, 0] - f.line[k, 0])
    z = f.line[k, 1] + t * (f.line[k + 1, 1] - f.line[k, 1])
    x += far * (across[k, 0] + t * (across[k + 1, 0] - across[k, 0]))
    z += far * (across[k, 1] + t * (across[k + 1, 1] - across[k, 1]))
    return x, y + f.ground[k] + t * (f.ground[k + 1] - f.ground[k]), z


@kernel
def placed(b: Blocks, f: Frame) -> tuple[Float64, Float64, Float64]:
    """(v, 3) positions, (v, 3) normals and (v, 4) tangents in the scene."""
    n = b.points.shape[0]
    position, normal, tangent = np.empty((n, 3)), np.empty((n, 3)), np.empty((n, 4))
    k = 0
    for v in range(n):
        s, y, side = b.points[v, 0], b.points[v, 1], b.side[v]
        if not f.at[k] <= s < f.at[k + 1]:  # most lie where the one before them does
            k, _ = _row(f.at, s)
        t = (s - f.at[k]) / (f.at[k + 1] - f.at[k])
        position[v, 0], position[v, 1], position[v, 2] = _placed(f, k, t, y, side, b.out[v])
        dx, dz = f.line[k + 1, 0] - f.line[k, 0], f.line[k + 1, 1] - f.line[k, 1]
        long = math.sqrt(dx * dx + dz * dz)
        dx, dz = dx / long, dz / long
        rise = (f.ground[k + 1] - f.ground[k]) / (f.at[k + 1] - f.at[k])
        nu, nv, nw = b.normal[v, 0], b.normal[v, 1], b.normal[v, 2]
        nu -= rise * nv  # what is laid level is sheared with the ground
        nv += f.batter * nw
        ox, oz = -side * dz, side * dx
        x, z = nu * dx + nw * ox, nu * dz + nw * oz
        size = math.sqrt(x * x + nv * nv + z * z)
        x, h, z = x / size, nv / size, z / size
        normal[v, 0], normal[v, 1], normal[v, 2] = x, h, z
        # along the wall, square to the normal
        tx, tz = side * dx, side * dz
        dot = x * tx + z * tz
        tx, th, tz = tx - dot * x, -dot * h, tz - dot * z
        size = math.sqrt(tx * tx + th * th + tz * tz)
        if size < 1e-6:
            tx, th, tz, size = 0.0, 1.0, 0.0, 1.0
            dot = h
            tx, th, tz = -dot * x, 1.0 - dot * h, -dot * z
            size = math.sqrt(tx * tx + th * th + tz * tz)
        tangent[v, 0], tangent[v, 1], tangent[v, 2] = tx / size, th / size, tz / size
        tangent[v, 3] = 1.0
    return position, normal, tangent


@kernel
def _boxes(f: Frame, along: Float64, up: Float64, out: float) -> Float32:
    """(n, 8, 3) corners of bodies between places along a wall (n, 2) and heights (n, 2), so far before both faces."""
    corners = np.empty((along.shape[0], 8, 3), np.float32)
    for n in range(along.shape[0]):
        for c in range(8):
            side = 1 if c % 2 == 0 else -1
            x, y, z = place(f, along[n, c // 4], up[n, c // 2 % 2], side, out)
            corners[n, c, 0], corners[n, c, 1], corners[n, c, 2] = x, y, z
    return corners


def box(frame: Frame, along: Sequence[float], up: Sequence[float], out: float) -> Float32:
    """(8, 3) corners of a body between two places along a wall and two heights, so far before both faces."""
    corners: Float32 = _boxes(frame, np.array([along], float), np.array([up], float), out)[0]
    return corners


def boxed(frame: Frame, rectangles: Sequence[tuple[float, float, float, float]]) -> list[Float32]:
    """Boxes over rectangles on a wall (metres along from and to, up from and to), one for each stretch that is nearly straight."""
    along, up = [], []
    for a, b, low, high in rectangles:
        n = max(1, math.ceil((b - a) / LONGEST))
        along += [(a + (b - a) * k / n, a + (b - a) * (k + 1) / n) for k in range(n)]
        up += n * [(low, high)]
    if not along:
        return []
    return list(_boxes(frame, np.array(along, float), np.array(up, float), 0.0))
