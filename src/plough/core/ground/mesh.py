"""A surface as triangles within a bound: a right-triangulated irregular network (Evans, Kirkpatrick and Townsend 2001).

Triangles of a binary tree over a square grid are halved until no point of the surface lies farther
from its triangle than the tolerance there allows. Points are looked at between the grid's samples,
too, so that the bound holds for the surface and not for its samples alone.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import partial

import numpy as np

from plough.core.arrays import Float32, Float64, Int32, Int64
from plough.core.ground.surface import Surface
from plough.core.kernels import kernel, together
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part

MOST_CELLS = 2048  #: a side of the grid


@dataclass(frozen=True, slots=True)
class Network:
    """Triangles over a square, and by how much they miss the surface."""

    heights: Float64  #: (n + 1, n + 1) metres, of the grid; rows along z
    need: Float32  #: (n + 1, n + 1) a triangle is halved where this exceeds 1 at the middle of its long side
    x0: float  #: metres, of the least corner
    z0: float
    cell: float  #: metres

    def height(self, x: Float64, z: Float64) -> Float64:
        """(n,) heights in metres of the triangles at the places (x, z)."""
        u, v = (np.asarray(x) - self.x0) / self.cell, (np.asarray(z) - self.z0) / self.cell
        limit = float(self.heights.shape[0] - 1)
        return _heights_at(self.heights, self.need, np.clip(u, 0.0, limit), np.clip(v, 0.0, limit))


@kernel
def _worst(
    fine: Float64,
    tolerance: Float32,
    a: tuple[int, int],
    b: tuple[int, int],
    c: tuple[int, int],
    enough: float,
) -> float:
    """The greatest distance of the surface from a triangle, as a share of what is tolerated; corners in steps of `fine`.

    What exceeds `enough` is not looked at any further.
    """
    (ax, ay), (bx, by), (cx, cy) = a, b, c
    det = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
    za = fine[ay, ax]
    zb, zc = fine[by, bx] - za, fine[cy, cx] - za
    px = (zb * (cy - ay) - zc * (by - ay)) / det
    py = (zc * (bx - ax) - zb * (cx - ax)) / det
    worst = 0.0
    sign = 1 if det > 0 else -1
    for y in range(min(ay, by, cy), max(ay, by, cy) + 1):
        first, last = min(ax, bx, cx), max(ax, bx, cx)
        for sx, sy, ex, ey in ((ax, ay, bx, by), (bx, by, cx, cy), (cx, cy, ax, ay)):
            rise, off = sign * (sy - ey), sign * (ex - sx) * (y - sy)
            if rise > 0:
                first = max(first, sx - off // rise)
            elif rise < 0:
                last = min(last, sx + off // -rise)
            elif off < 0:
                last = first - 1
        start = za + py * (y - ay)
        for x in range(first, last + 1):
            worst = max(worst, abs(start + px * (x - ax) - fine[y, x]) / tolerance[y, x])
        if worst > enough:
            break
    return worst


@kernel
def _around(x: int, y: int, step: int, across: bool) -> tuple[int, int, int, int]:
    """From a point where triangles are halved: to an end of their long side, and to the corner of one of the two; the others lie opposite.

    Args:
        step: half the side of the squares, in cells, that they lie in.
        across: the long side is a diagonal of a square; otherwise a side of one.
    """
    if across:
        # from the middle of the square that is four times as large to its corner
        turn = 1 if (x // (2 * step) + y // (2 * step)) % 2 == 0 else -1
        return -step, -turn * step, step, -turn * step
    if y // step % 2 == 0:
        return -step, 0, 0, step
    return 0, -step, step, 0


@kernel
def _below(out: Float32, x: int, y: int, step: int, across: bool) -> float:
    """The greatest of `out` where the halves of the triangles at a point are halved."""
    n = out.shape[0] - 1
    ax, ay, cx, cy = _around(x, y, step, across)
    worst = 0.0
    for side in (1, -1):
        ox, oy = x + side * cx, y + side * cy
        if (across or step > 1) and 0 <= ox <= n and 0 <= oy <= n:
            worst = max(worst, out[(y + ay + oy) >> 1, (x + ax + ox) >> 1])
            worst = max(worst, out[(y - ay + oy) >> 1, (x - ax + ox) >> 1])
    return worst


@kernel
def _missed(
    out: Float32,
    fine: Float64,
    tolerance: Float32,
    step: int,
    across: bool,
    first: int,
    last: int,
    enough: float,
) -> None:
    """Fill in `out` for the triangles of one size that are halved in the rows from `first` to before `last`."""
    n = out.shape[0] - 1
    for row in range(first, last, 2 if across else 1):
        y = row * step
        for x in range(step if across or row % 2 == 0 else 0, n + 1, 2 * step):
            worst = _below(out, x, y, step, across)
            ax, ay, cx, cy = _around(x, y, step, across)
            for side in (1, -1):
                ox, oy = x + side * cx, y + side * cy
                if worst <= enough and 0 <= ox <= n and 0 <= oy <= n:
                    a, b = (2 * (x + ax), 2 * (y + ay)), (2 * (x - ax), 2 * (y - ay))
                    worst = max(worst, _worst(fine, tolerance, a, b, (2 * ox, 2 * oy), enough))
            out[y, x] = worst


def _needs(fine: Float64, tolerance: Float32, n: int, enough: float) -> Float32:
    """(n + 1, n + 1) the greatest miss of the triangles halved at each grid point, and of all below them; some miss beyond `enough` where it is greater.

    The two triangles that are halved at a point are looked at together, so rows do not hang on each other.
    """
    out = np.zeros((n + 1, n + 1), np.float32)
    step = 1
    while step < n:
        for across in (False, True):
            rows, middle = n // step + 1, n // (2 * step) | 1
            bands = ((1, middle), (middle, rows)) if across else ((0, middle), (middle, rows))
            together(
                *(partial(_missed, out, fine, tolerance, step, across, *b, enough) for b in bands)
            )
        step *= 2
    return out


@kernel
def _triangles(need: Float32) -> Int32:
    """(m, 6) corners a, b, c as column and row, of the leaves of the tree."""
    n = need.shape[0] - 1
    out, count = np.empty((2 * n * n, 6), np.int32), 0
    stack = np.empty((64, 6), np.int64)
    stack[0] = np.array([0, 0, n, n, n, 0])
    stack[1] = np.array([n, n, 0, 0, 0, n])
    top = 2
    while top > 0:
        top -= 1
        ax, ay, bx, by, cx, cy = stack[top]
        mx, my = (ax + bx) >> 1, (ay + by) >> 1
        if abs(ax - cx) + abs(ay - cy) > 1 and need[my, mx] > 1.0:
            stack[top] = np.array([cx, cy, ax, ay, mx, my])
            stack[top + 1] = np.array([bx, by, cx, cy, mx, my])
            top += 2
        else:
            out[count] = np.array([ax, ay, bx, by, cx, cy])
            count += 1
    return out[:count].copy()


@kernel
def _heights_at(heights: Float64, need: Float32, u: Float64, v: Float64) -> Float64:
    n = heights.shape[0] - 1
    out = np.empty(u.shape[0])
    for i in range(u.shape[0]):
        x, y = u[i], v[i]
        if x >= y:
            ax, ay, bx, by, cx, cy = 0, 0, n, n, n, 0
        else:
            ax, ay, bx, by, cx, cy = n, n, 0, 0, 0, n
        while True:
            mx, my = (ax + bx) >> 1, (ay + by) >> 1
            if abs(ax - cx) + abs(ay - cy) <= 1 or need[my, mx] <= 1.0:
                break
            # which side of the line from c to the middle
            side = (mx - cx) * (y - cy) - (my - cy) * (x - cx)
            own = (mx - cx) * (ay - cy) - (my - cy) * (ax - cx)
            if side * own >= 0:
                ax, ay, bx, by, cx, cy = cx, cy, ax, ay, mx, my
            else:
                ax, ay, bx, by, cx, cy = bx, by, cx, cy, mx, my
        det = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        za = heights[ay, ax]
        zb, zc = heights[by, bx] - za, heights[cy, cx] - za
        px = (zb * (cy - ay) - zc * (by - ay)) / det
        py = (zc * (bx - ax) - zb * (cx - ax)) / det
        out[i] = za + px * (x - ax) + py * (y - ay)
    return out


@kernel
def _mark(tolerance: Float32, near: Float64, radius: float, value: float) -> None:
    """Lower the tolerance to `value` within `radius` of the points `near` (m, 2), all in steps of its grid."""
    n = tolerance.shape[0] - 1
    for i in range(near.shape[0]):
        for y in range(
            max(0, int(near[i, 1] - radius)), min(n, int(math.ceil(near[i, 1] + radius))) + 1
        ):
            for x in range(
                max(0, int(near[i, 0] - radius)), min(n, int(math.ceil(near[i, 0] + radius))) + 1
            ):
                tolerance[y, x] = min(tolerance[y, x], value)


def fit_network(
    surface: Surface,
    samples: int,
    tolerance: float,
    near: Float64,
    tolerance_near: float,
    coarsest: float = 1.0,
) -> Network:
    """The coarsest network over a square surface that stays within the tolerances.

    Args:
        samples: a side of what the surface is made of; the grid has at least as many.
        tolerance: metres.
        near: (m, 2) places where `tolerance_near` metres hold.
        coarsest: times the tolerance up to which coarser networks are taken from it.
    """
    x0, z0, x1, z1 = surface.bounds
    n = min(MOST_CELLS, 1 << max(1, math.ceil(math.log2(max(2, samples - 1)))))
    while True:
        cell = max(x1 - x0, z1 - z0) / n
        at = np.arange(2 * n + 1) * (0.5 * cell)
        x, z = np.meshgrid(np.clip(x0 + at, x0, x1), np.clip(z0 + at, z0, z1))
        fine = surface.sample(x.ravel(), z.ravel()).position[:, 1].reshape(x.shape)
        allowed = np.full(fine.shape, tolerance, np.float32)
        _mark(allowed, (near - [x0, z0]) / (0.5 * cell), 2.0, tolerance_near)
        if n >= MOST_CELLS or _twist(fine, allowed) <= 1.0:
            break
        n *= 2
    need = _needs(fine, allowed, n, coarsest)
    return Network(np.ascontiguousarray(fine[::2, ::2]), need, x0, z0, cell)


def _twist(fine: Float64, allowed: Float32) -> float:
    """By how much the middles of cells miss their diagonals at most, as a share of what is tolerated: what no halving mends."""
    middle = fine[1::2, 1::2]
    corners = fine[::2, ::2]
    falling, rising = corners[:-1, :-1] + corners[1:, 1:], corners[1:, :-1] + corners[:-1, 1:]
    miss = np.maximum(np.abs(middle - 0.5 * falling), np.abs(middle - 0.5 * rising))
    return float((miss / allowed[1::2, 1::2]).max())


def network_mesh(network: Network, surface: Surface, tile: float = 4.0) -> Mesh:
    """The network as a mesh with the surface's own normals, part `ground`."""
    return _meshed(network, _triangles(network.need).astype(np.int64), surface, tile)


class NetworkTiles:
    """A network cut in squares; neighbours meet without cracks, whatever `coarser` either was made with.

    Args:
        side: cells a side of a square, a power of two.
        coarser: how many times farther the surface may be missed; not on the sides of squares, which are as in the network itself.
    """

    def __init__(
        self, network: Network, surface: Surface, side: int, coarser: float = 1.0, tile: float = 4.0
    ) -> None:
        corners = _triangles(in_squares(network.need, side, coarser))
        self._network, self._surface, self._tile = network, surface, tile
        self._squares = -(-(network.heights.shape[0] - 1) // side)
        column = corners[:, ::2].sum(axis=1, dtype=np.int64) // (3 * side)
        row = corners[:, 1::2].sum(axis=1, dtype=np.int64) // (3 * side)
        code = row * self._squares + column
        order = np.argsort(code, kind="stable")
        self._corners = corners[order]
        self._ends = np.searchsorted(code[order], np.arange(self._squares**2 + 1))

    @property
    def squares(self) -> list[tuple[int, int]]:
        """Column and row of those that hold anything."""
        found = np.flatnonzero(np.diff(self._ends)).tolist()
        return [(k % self._squares, k // self._squares) for k in found]

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return self._corners.nbytes + self._ends.nbytes

    def mesh(self, column: int, row: int) -> Mesh | None:
        """The triangles of a square, part `ground`; None where it holds none."""
        k = row * self._squares + column
        own = self._corners[self._ends[k] : self._ends[k + 1]].astype(np.int64)
        return _meshed(self._network, own, self._surface, self._tile) if len(own) else None


@kernel
def in_squares(need: Float32, side: int, coarser: float) -> Float32:
    """`need` of a network that misses `coarser` times more, no triangle of which reaches from one square of `side` cells into another."""
    n = need.shape[0] - 1
    out = np.zeros(need.shape, np.float32)
    step = 1
    while step < n:
        for across in (False, True):
            for row in range(1 if across else 0, n // step + 1, 2 if across else 1):
                y = row * step
                for x in range(step if across or row % 2 == 0 else 0, n + 1, 2 * step):
                    on_side = x % side == 0 or y % side == 0
                    worst = need[y, x] if on_side else need[y, x] / coarser
                    if 2 * step > side:
                        worst = max(worst, np.float32(2.0))
                    out[y, x] = max(worst, _below(out, x, y, step, across))
        step *= 2
    return out


def _meshed(network: Network, corners: Int64, surface: Surface, tile: float) -> Mesh:
    """Triangles of a network, (m, 6) columns and rows of their corners, as a mesh."""
    rows, columns = corners[:, 1::2].ravel(), corners[:, ::2].ravel()
    code = rows * network.heights.shape[1] + columns
    used, indices = np.unique(code, return_inverse=True)
    r, c = np.divmod(used, network.heights.shape[1])
    x, z = network.x0 + c * network.cell, network.z0 + r * network.cell
    positions = np.stack([x, network.heights[r, c], z], axis=1).astype(np.float32)
    normals = surface.sample(x, z).normal.astype(np.float32)
    faces = indices.reshape(-1, 3).astype(np.uint32)
    a, b, c3 = (positions[faces[:, k]] for k in range(3))
    down = np.cross(b - a, c3 - a)[:, 1] < 0
    faces[down] = faces[down][:, ::-1]
    uv = (positions[:, [0, 2]] / tile).astype(np.float32)
    part = Part("ground", 0, len(faces))
    return with_tangents(Mesh(positions, normals, uv, np.ascontiguousarray(faces), (part,)))
