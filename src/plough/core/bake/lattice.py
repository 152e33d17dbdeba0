"""The squares that a large scene is written in: a square of the ground, halved both ways again and again."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.ground.surface import Surface

MOST_DEEP = 12  #: how often a ground of triangles is halved at most
Square = tuple[int, int, int]
"""How often the whole was halved, and the column (from the west) and row (from the north) of what came of it."""


@dataclass(frozen=True, slots=True)
class Lattice:
    """A quadtree over a square of the ground."""

    x0: float  #: metres, of the north-west corner
    z0: float
    side: float  #: metres, of the whole
    depth: int  #: how often it is halved for its smallest squares

    def across(self, level: int) -> float:
        """Metres a side of the squares of a level."""
        return self.side / float(2**level)

    def middle(self, square: Square) -> tuple[float, float]:
        """East and south of the middle of a square, in metres."""
        level, column, row = square
        side = self.across(level)
        return self.x0 + (column + 0.5) * side, self.z0 + (row + 0.5) * side

    def codes(self, x: Float64, z: Float64) -> Int64:
        """(n,) Morton codes of the smallest squares that points lie in; points outside count to the nearest."""
        n, side = 2**self.depth, self.across(self.depth)
        column = np.clip(np.floor((np.asarray(x, np.float64) - self.x0) / side), 0, n - 1)
        row = np.clip(np.floor((np.asarray(z, np.float64) - self.z0) / side), 0, n - 1)
        return morton(column.astype(np.int64), row.astype(np.int64))

    def span(self, square: Square) -> tuple[int, int]:
        """The first Morton code of the smallest squares within a square, and the first after them."""
        level, column, row = square
        shift = 2 * (self.depth - level)
        code = int(morton(np.array([column]), np.array([row]))[0])
        return code << shift, (code + 1) << shift

    def squares(self, codes: Int64, level: int) -> list[Square]:
        """The squares of a level that hold any of the smallest squares with the Morton `codes`, in the order of theirs."""
        found = np.unique(np.asarray(codes, np.int64) >> (2 * (self.depth - level)))
        columns, rows = _apart(found), _apart(found >> 1)
        pairs = zip(columns.tolist(), rows.tolist(), strict=True)
        return [(level, column, row) for column, row in pairs]


def morton(column: Int64, row: Int64) -> Int64:
    """(n,) codes that sort squares so that those of any larger square stand together (Morton 1966): bits of column and row in turn, up to 2^16 each."""
    code: Int64 = _spread(column) | (_spread(row) << 1)
    return code


def _spread(values: Int64) -> Int64:
    out = np.asarray(values, np.int64)
    for shift, mask in ((8, 0x00FF00FF), (4, 0x0F0F0F0F), (2, 0x33333333), (1, 0x55555555)):
        out = (out | (out << shift)) & mask
    return out


def _apart(codes: Int64) -> Int64:
    out = np.asarray(codes, np.int64) & 0x55555555
    for shift, mask in ((1, 0x33333333), (2, 0x0F0F0F0F), (4, 0x00FF00FF), (8, 0x0000FFFF)):
        out = (out | (out >> shift)) & mask
    return out


def lattice_of(surface: Surface, asked: float) -> Lattice:
    """The lattice over a ground whose smallest squares come nearest to `asked` metres a side; its sides lie along those of the cells of a network over the ground."""
    x0, z0, x1, z1 = surface.bounds
    side = max(x1 - x0, z1 - z0)
    samples = math.isqrt(max(surface.triangles // 2, 4))
    most = MOST_DEEP if surface.own is not None else math.ceil(math.log2(samples)) - 1
    depth = min(most, max(0, round(math.log2(max(side / asked, 1.0)))))
    return Lattice(x0, z0, side, depth)
