"""The body that a shrub fills: ball, box, tube, a hedge along a line, or one measured from a mesh."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.curves import monotone, profile_table
from plough.core.grow.crown import radius_at
from plough.core.grow.shrub_habit import ShrubParameters
from plough.core.grow.skeleton import R2_FIRST, R2_SECOND
from plough.core.noise import gradient
from plough.core.parameters import form_of
from plough.core.rng import uniform_array


class Body:
    """A surface over a grid, about a middle line.

    Args:
        grid: (rows, columns, 3) metres; seen from outside, columns run to the right where rows run upwards.
    """

    def __init__(self, grid: Float64, spine: Float64) -> None:
        self.grid, self.spine = grid, spine
        cross = np.cross(grid[1:, 1:] - grid[:-1, :-1], grid[1:, :-1] - grid[:-1, 1:])
        size = np.linalg.norm(cross, axis=2)
        self.normal = cross / np.maximum(size, 1e-12)[..., None]
        self._columns = np.cumsum(size, axis=1)
        self._rows = np.cumsum(self._columns[:, -1])
        self.area = 0.5 * float(self._rows[-1])

    def scatter(self, seed: int, purpose: np.uint64, n: int) -> tuple[Float64, Float64]:
        """Places and normals (n, 3), evenly spread by area: more of them keep the earlier ones."""
        k = np.arange(n)
        start = uniform_array(seed, purpose, np.arange(2, dtype=np.uint64))
        u, v = (start[0] + (k + 1) * R2_FIRST) % 1.0, (start[1] + (k + 1) * R2_SECOND) % 1.0
        row = np.minimum(np.searchsorted(self._rows, u * self._rows[-1]), self._rows.size - 1)
        strip = self._columns[row, -1]
        up = 1.0 - np.clip((self._rows[row] - u * self._rows[-1]) / np.maximum(strip, 1e-12), 0, 1)
        along = v * strip
        column = np.minimum(
            (self._columns[row] < along[:, None]).sum(axis=1), self._columns.shape[1] - 1
        )
        before = np.where(column > 0, self._columns[row, np.maximum(column - 1, 0)], 0.0)
        right = np.clip(
            (along - before) / np.maximum(self._columns[row, column] - before, 1e-12), 0, 1
        )
        a, b = self.grid[row, column], self.grid[row, column + 1]
        c, d = self.grid[row + 1, column], self.grid[row + 1, column + 1]
        r, t = right[:, None], up[:, None]
        return (a * (1 - r) + b * r) * (1 - t) + (c * (1 - r) + d * r) * t, self.normal[row, column]


def body_of(p: ShrubParameters, seed: int) -> Body:
    """The body's surface, without its underside."""
    low, high = min(p.foot, 0.8 * p.height), p.height
    if p.body == "hedge":
        grid, spine = _swept(p, low)
    else:
        t = np.linspace(0.0, 1.0, 18)
        a = np.linspace(0.0, 2.0 * math.pi, 33)
        form = form_of(p.form) if p.body == "own" else None
        if form is not None:
            t = np.linspace(0.0, 1.0, form.shape[0] * 2)
            ring, up = np.ones(t.size), t
        elif p.body == "ball":
            angle = 0.12 * math.pi + 0.88 * math.pi * t  # from just above its lowest point
            ring, up = np.sin(angle), 0.5 - 0.5 * np.cos(angle)
        else:
            # up the side, then over the edge to the middle of the top
            r = 0.02 + 0.9 * p.rounded
            ring = np.where(
                t < 0.6,
                1.0,
                np.maximum(0.0, 1.0 - ((t - 0.6) / 0.4)) ** (0.15 + 0.45 * r)
                if p.rounded
                else (1.0 - (t - 0.6) / 0.4),
            )
            up = np.where(
                t < 0.6,
                (t / 0.6) * (1.0 - 0.35 * r),
                (1.0 - 0.35 * r)
                + 0.35 * r * np.sin(0.5 * math.pi * np.clip((t - 0.6) / 0.4, 0, 1)),
            )
        side = np.stack([np.cos(-a), np.sin(-a)], axis=1)
        if p.body == "box":
            # a circle drawn out to a square, softer the rounder the edges
            power = 2.0 + 10.0 * (1.0 - p.rounded) ** 2
            side = side / ((np.abs(side) ** power).sum(axis=1) ** (1.0 / power))[:, None]
        x = 0.5 * p.width * ring[:, None] * side[None, :, 0]
        z = 0.5 * p.depth * ring[:, None] * side[None, :, 1]
        if form is not None:
            around = radius_at(form, np.repeat(t, a.size), np.tile(-a, t.size)).reshape(
                t.size, a.size
            )
            x, z = (
                0.5 * p.width * around * side[None, :, 0],
                0.5 * p.depth * around * side[None, :, 1],
            )
        y = np.broadcast_to((low + (high - low) * up)[:, None], x.shape)
        grid = np.stack([x, y, z], axis=-1)
        if form is not None:  # close the top
            grid = np.concatenate([grid, np.broadcast_to(grid[-1].mean(axis=0), grid[-1:].shape)])
        spine = np.array([[0.0, y_, 0.0] for y_ in np.linspace(low, low + 0.8 * (high - low), 5)])
    if p.uneven > 0:
        grid = _bulged(grid, spine, p.uneven * 0.16 * min(p.width, p.height), seed)
    return Body(grid, spine)


def _swept(p: ShrubParameters, low: float) -> tuple[Float64, Float64]:
    knots = np.array(p.line, np.float64)
    far = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(knots, axis=0).T))])
    n = int(min(400, max(4, round(far[-1] / 0.35))))
    at = np.linspace(0.0, far[-1], n)
    line = np.stack([monotone(far, knots[:, i], at) for i in (0, 1)], axis=1)
    ahead = np.gradient(line, axis=0)
    ahead /= np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-9)
    across = np.stack([-ahead[:, 1], ahead[:, 0]], axis=1)
    table = profile_table(p.profile)
    # one half of the profile up to the top, then down the other
    u = np.concatenate([np.linspace(0, 1, 12), np.linspace(1, 0, 12)[1:]])
    half = (
        np.interp(u, np.linspace(0, 1, table.size), table)
        * 0.5
        * p.width
        * np.where(np.arange(u.size) < 12, 1.0, -1.0)
    )
    half[11] = 0.0
    # the ends close in rounding
    ends = np.sqrt(np.clip(np.minimum(at, far[-1] - at) / (0.35 * p.width), 0.0, 1.0)) * 0.98 + 0.02
    reach = half[None, :] * ends[:, None]
    rise = low + (p.height - low) * u[None, :] * (0.72 + 0.28 * ends[:, None])
    grid = np.stack(
        [
            line[:, None, 0] + across[:, None, 0] * reach,
            rise,
            line[:, None, 1] + across[:, None, 1] * reach,
        ],
        axis=-1,
    )
    return grid.transpose(1, 0, 2), np.stack(
        [line[:, 0], np.full(n, 0.5 * (low + p.height)), line[:, 1]], axis=1
    )


def nearest(points: Float64, wanted: Float64) -> Int64:
    """(n,) the row of `points` (m, k) that lies nearest to each of `wanted` (n, k)."""
    from scipy.spatial import cKDTree

    return np.asarray(cKDTree(points).query(wanted)[1], np.int64)


def _bulged(grid: Float64, spine: Float64, much: float, seed: int) -> Float64:
    corners = grid.reshape(-1, 3)
    out = corners - spine[nearest(spine, corners)]
    length = np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-6)
    scale = 1.6 / max(0.4, float(length.max()))
    wave = np.array(
        [
            gradient(np.uint64(seed), x * scale + 7, z * scale + 1.7 * y * scale, 0, 0)
            for x, y, z in corners
        ]
    )
    moved = corners + out / length * (much * wave)[:, None]
    moved[:, 1] = np.maximum(moved[:, 1], 0.02)
    return np.asarray(moved.reshape(grid.shape))
