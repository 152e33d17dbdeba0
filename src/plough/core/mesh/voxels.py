"""Distances to a surface on a grid: which points lie inside it, and which triangle is the nearest."""

from __future__ import annotations

import math
from functools import partial
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64, Int32, Int64, UInt8
from plough.core.kernels import kernel, together

INSIDE = 4  #: votes that make a point lie inside
_SCANS = 6  # both ways along three axes
_ASIDE_U, _ASIDE_V = (
    1.37e-4,
    2.11e-4,
)  # of a cell that scanned lines lie beside the points, so that they miss edges and corners
_LEAST = 0.03  # of a cell that the surface is away from every point, at least


class Grid(NamedTuple):
    """Points on the corners of equal cubes."""

    origin: Float64  #: (3,) metres of the first
    cell: float  #: metres
    shape: tuple[int, int, int]

    @property
    def points(self) -> int:
        """Number of points."""
        return math.prod(self.shape)


class Band(NamedTuple):
    """What is known about the points of a grid near a surface."""

    away: Float32  #: (x, y, z) squared metres to the nearest triangle; `reach` squared where none is nearer
    nearest: Int32  #: (x, y, z) its row; -1 where none is in reach


def grid_about(low: Float64, high: Float64, cell: float, margin: float) -> Grid:
    """A grid with `margin` metres to spare about a box."""
    origin = low - margin - 0.5 * cell
    shape = [math.ceil(float(s) / cell) + 1 for s in high + margin - origin]
    return Grid(origin, cell, (shape[0] + 1, shape[1] + 1, shape[2] + 1))


@kernel
def closest(t: Float64, x: float, y: float, z: float, out: Float64) -> float:
    """Squared metres from a place to a triangle (3, 3), whose nearest point is put in `out` (Ericson 2005)."""
    abx, aby, abz = t[1, 0] - t[0, 0], t[1, 1] - t[0, 1], t[1, 2] - t[0, 2]
    acx, acy, acz = t[2, 0] - t[0, 0], t[2, 1] - t[0, 1], t[2, 2] - t[0, 2]
    px, py, pz = x - t[0, 0], y - t[0, 1], z - t[0, 2]
    d1 = abx * px + aby * py + abz * pz
    d2 = acx * px + acy * py + acz * pz
    bx, by, bz = x - t[1, 0], y - t[1, 1], z - t[1, 2]
    d3 = abx * bx + aby * by + abz * bz
    d4 = acx * bx + acy * by + acz * bz
    cx, cy, cz = x - t[2, 0], y - t[2, 1], z - t[2, 2]
    d5 = abx * cx + aby * cy + abz * cz
    d6 = acx * cx + acy * cy + acz * cz
    vc, vb, va = d1 * d4 - d3 * d2, d5 * d2 - d1 * d6, d3 * d6 - d5 * d4
    v, w = 0.0, 0.0
    if d1 <= 0.0 and d2 <= 0.0:
        pass
    elif d3 >= 0.0 and d4 <= d3:
        v = 1.0
    elif d6 >= 0.0 and d5 <= d6:
        w = 1.0
    elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        v = d1 / (d1 - d3) if d1 != d3 else 0.0
    elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        w = d2 / (d2 - d6) if d2 != d6 else 0.0
    elif va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        long = (d4 - d3) + (d5 - d6)
        w = (d4 - d3) / long if long != 0.0 else 0.0
        v = 1.0 - w
    else:
        whole = va + vb + vc
        if whole != 0.0:
            v, w = vb / whole, vc / whole
    out[0] = t[0, 0] + v * abx + w * acx
    out[1] = t[0, 1] + v * aby + w * acy
    out[2] = t[0, 2] + v * abz + w * acz
    return float((x - out[0]) ** 2 + (y - out[1]) ** 2 + (z - out[2]) ** 2)


@kernel
def _near(
    triangles: Float64,
    origin: Float64,
    cell: float,
    reach: float,
    first: int,
    last: int,
    away: Float32,
    nearest: Int32,
) -> None:
    """Fill the points of a grid from `first` to before `last` along x."""
    low, high = np.empty(3, np.int64), np.empty(3, np.int64)
    place, n = np.empty(3), np.empty(3)
    for t in range(triangles.shape[0]):
        own = triangles[t]
        for c in range(3):
            least = min(own[0, c], own[1, c], own[2, c])
            most = max(own[0, c], own[1, c], own[2, c])
            low[c] = max(0, math.ceil((least - reach - origin[c]) / cell))
            high[c] = min(away.shape[c] - 1, math.floor((most + reach - origin[c]) / cell))
        low[0], high[0] = max(low[0], first), min(high[0], last - 1)
        for c in range(3):
            d, e = (c + 1) % 3, (c + 2) % 3
            n[c] = (own[1, d] - own[0, d]) * (own[2, e] - own[0, e]) - (own[1, e] - own[0, e]) * (
                own[2, d] - own[0, d]
            )
        size = math.sqrt(n[0] ** 2 + n[1] ** 2 + n[2] ** 2)
        if size > 0.0:
            n /= size
        for i in range(low[0], high[0] + 1):
            x = origin[0] + i * cell
            for j in range(low[1], high[1] + 1):
                y = origin[1] + j * cell
                for k in range(low[2], high[2] + 1):
                    z = origin[2] + k * cell
                    best = away[i, j, k]
                    off = n[0] * (x - own[0, 0]) + n[1] * (y - own[0, 1]) + n[2] * (z - own[0, 2])
                    if off * off >= best:
                        continue
                    d2 = closest(own, x, y, z, place)
                    if d2 < best:
                        away[i, j, k] = d2
                        nearest[i, j, k] = t


def band(triangles: Float64, grid: Grid, reach: float) -> Band:
    """The nearest triangle of every point of a grid that has one within `reach` metres.

    Args:
        triangles: (t, 3, 3) metres.
        grid: of at least one cell about them.
        reach: metres.
    """
    away = np.full(grid.shape, reach * reach, np.float32)
    nearest = np.full(grid.shape, -1, np.int32)
    middle = grid.shape[0] // 2
    together(
        *(
            partial(_near, triangles, grid.origin, grid.cell, reach, first, last, away, nearest)
            for first, last in ((0, middle), (middle, grid.shape[0]))
        )
    )
    return Band(away, nearest)


@kernel
def _scan(
    triangles: Float64,
    origin: Float64,
    cell: float,
    axis: int,
    first: int,
    last: int,
    votes: UInt8,
) -> None:
    """Scan the lines of a grid along an axis, those from `first` to before `last`, both ways: a vote for each point that is entered more often than left."""
    b, c = (axis + 1) % 3, (axis + 2) % 3
    n, m = votes.shape[axis], votes.shape[c]
    crossed = np.zeros((n + 1, last - first, m), np.int16)
    for t in range(triangles.shape[0]):
        own = triangles[t]
        u0, v0 = own[0, b], own[0, c]
        u1, v1 = own[1, b] - u0, own[1, c] - v0
        u2, v2 = own[2, b] - u0, own[2, c] - v0
        whole = u1 * v2 - u2 * v1
        if whole == 0.0:
            continue
        low_u, high_u = min(0.0, u1, u2) + u0, max(0.0, u1, u2) + u0
        low_v, high_v = min(0.0, v1, v2) + v0, max(0.0, v1, v2) + v0
        ou, ov = origin[b] + _ASIDE_U * cell, origin[c] + _ASIDE_V * cell
        j0 = max(first, math.ceil((low_u - ou) / cell))
        j1 = min(last - 1, math.floor((high_u - ou) / cell))
        k0 = max(0, math.ceil((low_v - ov) / cell))
        k1 = min(m - 1, math.floor((high_v - ov) / cell))
        enters = (
            -1 if whole > 0.0 else 1
        )  # the normal's part along the axis has the sign of `whole`
        for j in range(j0, j1 + 1):
            u = ou + j * cell - u0
            for k in range(k0, k1 + 1):
                v = ov + k * cell - v0
                s, w = (u * v2 - v * u2) / whole, (v * u1 - u * v1) / whole
                if s < 0.0 or w < 0.0 or s + w > 1.0:
                    continue
                at = own[0, axis] + s * (own[1, axis] - own[0, axis])
                at += w * (own[2, axis] - own[0, axis])
                i = min(n, max(0, math.ceil((at - origin[axis]) / cell)))
                crossed[i, j - first, k] += enters
    for j in range(first, last):
        for k in range(m):
            total = 0
            for i in range(n + 1):
                total += crossed[i, j - first, k]
            inside = 0
            for i in range(n):
                inside += crossed[i, j - first, k]
                vote = (1 if inside > 0 else 0) + (1 if inside - total > 0 else 0)
                if vote:
                    if axis == 0:
                        votes[i, j, k] += vote
                    elif axis == 1:
                        votes[k, i, j] += vote
                    else:
                        votes[j, k, i] += vote


def inside_votes(triangles: Float64, grid: Grid) -> UInt8:
    """(x, y, z) by how many of six scans, both ways along each axis, a point lies inside; parts that overlap count as one.

    A point of which four say so lies inside what is closed, or all but closed.
    """
    votes = np.zeros(grid.shape, np.uint8)
    for axis in range(3):
        lines = grid.shape[(axis + 1) % 3]
        halves = ((0, lines // 2), (lines // 2, lines))
        together(
            *(
                partial(_scan, triangles, grid.origin, grid.cell, axis, first, last, votes)
                for first, last in halves
            )
        )
    return votes


def settled_votes(votes: UInt8, found: Band) -> UInt8:
    """Votes of which all that hang together without a triangle between them are agreed, by the majority."""
    from scipy.ndimage import label

    far = found.nearest < 0
    doubted = far & (votes > 0) & (votes < _SCANS)
    if not doubted.any():
        return votes
    part, count = label(far)
    flat = part.reshape(-1)
    many = np.bincount(flat, minlength=count + 1)
    mean = np.bincount(flat, votes.reshape(-1), count + 1) / np.maximum(many, 1)
    agreed = np.where(mean >= INSIDE, _SCANS, 0).astype(np.uint8)
    return np.where(far, agreed[part], votes)


@kernel
def _signed(away: Float32, votes: UInt8, level: float, least: float, out: Float32) -> None:
    n, m, o = away.shape
    for i in range(n):
        for j in range(m):
            for k in range(o):
                d = math.sqrt(away[i, j, k])
                d = (-d if votes[i, j, k] >= INSIDE else d) - level
                out[i, j, k] = max(d, least) if d >= 0.0 else min(d, -least)


def signed(found: Band, votes: UInt8, grid: Grid, level: float) -> Float32:
    """(x, y, z) metres to the surface at `level` metres outside of it, below 0 within; never all but 0."""
    out = np.empty(grid.shape, np.float32)
    _signed(found.away, votes, level, _LEAST * grid.cell, out)
    return out


def distances(triangles: Float64, grid: Grid, level: float) -> Float32:
    """(x, y, z) metres to the surface at `level` metres outside of triangles, below 0 within: to the triangle where one is near, by the grid's points elsewhere."""
    from scipy.ndimage import distance_transform_edt

    found = band(triangles, grid, level + 2.5 * grid.cell)
    near = signed(found, settled_votes(inside_votes(triangles, grid), found), grid, level)
    out, within = (distance_transform_edt(there, grid.cell) for there in (near >= 0, near < 0))
    return np.where(found.nearest >= 0, near, out - within).astype(np.float32)


@kernel
def _nearest_of(
    points: Float64,
    triangles: Float64,
    origin: Float64,
    cell: float,
    nearest: Int32,
    place: Float64,
    of: Int64,
    away: Float64,
) -> None:
    spot = np.empty(3)
    tried = np.empty(27, np.int64)
    shape = nearest.shape
    for p in range(points.shape[0]):
        x, y, z = points[p, 0], points[p, 1], points[p, 2]
        i = math.floor((x - origin[0]) / cell)
        j = math.floor((y - origin[1]) / cell)
        k = math.floor((z - origin[2]) / cell)
        best, count = math.inf, 0
        for step in range(2):
            # the corners of its cell; where none knows a triangle, those about them
            low, high = (0, 2) if step == 0 else (-1, 3)
            for a in range(low, high):
                for b in range(low, high):
                    for c in range(low, high):
                        u, v, w = i + a, j + b, k + c
                        if not (0 <= u < shape[0] and 0 <= v < shape[1] and 0 <= w < shape[2]):
                            continue
                        t = nearest[u, v, w]
                        known = t < 0
                        for q in range(count):
                            known = known or tried[q] == t
                        if known:
                            continue
                        if count < 27:
                            tried[count] = t
                            count += 1
                        d2 = closest(triangles[t], x, y, z, spot)
                        if d2 < best:
                            best = d2
                            of[p] = t
                            for e in range(3):
                                place[p, e] = spot[e]
            if count:
                break
        away[p] = math.sqrt(best)


class Nearest(NamedTuple):
    """The places of a surface that are nearest to points."""

    place: Float64  #: (n, 3) metres
    of: Int64  #: (n,) triangles; -1 where none is known
    away: Float64  #: (n,) metres; infinite where none is known


def nearest_of(points: Float64, triangles: Float64, grid: Grid, found: Band) -> Nearest:
    """The nearest place of the triangles that the points of the grid about it know."""
    n = len(points)
    place, of, away = points.copy(), np.full(n, -1, np.int64), np.empty(n)
    args = (triangles, grid.origin, grid.cell, found.nearest)
    together(
        *(
            partial(_nearest_of, points[r], *args, place[r], of[r], away[r])
            for r in (slice(0, n // 2), slice(n // 2, n))
        )
    )
    return Nearest(place, of, away)
