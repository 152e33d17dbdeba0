"""Candidates in rows: over a grid that may be turned, staggered and jittered, or along the contour lines of the ground."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float64, Int64, UInt64
from plough.core.ground.surface import Surface
from plough.core.kernels import kernel
from plough.core.place.candidates import Candidates, Scattered, no_candidates, too_many
from plough.core.place.sampling import MOST_CELLS
from plough.core.rng import bits, stream, symmetric, uniform
from plough.core.tiles import SIZE, TileList, around_each, code_of, tile_of

_CELL, _ALONG, _ACROSS = stream("rows.cell"), stream("rows.along"), stream("rows.across")
_PLACE = stream("rows.place")
_S32 = np.uint64(32)
MOST_MOVED = 24.0  #: metres that a candidate goes to its contour line
_ROUNDS = 6  # of Newton's method
_NEAR = 0.02  # metres of height from a contour line, at most
_FLAT = 0.01  # gradient below which there is no contour line to speak of


@dataclass(frozen=True, slots=True)
class Rows:
    """Candidates in straight rows through the origin."""

    seed: int  #: of the layer
    spacing: float  #: metres along a row
    rows: float  #: metres between rows
    turn: float  #: radians that the rows are turned by about the vertical, from east
    staggered: bool  #: every other row half a spacing on
    jitter: float  #: of the spacing and of the rows, 0 to 1: 1 moves to the middle of the next
    fill: float  #: share of the whole, 0 to 1
    rings: int = 0

    def check_amount(self, tiles: TileList) -> None:
        """Raises `TooLargeError` where `tiles` would hold more than may be."""
        area = len(tiles) * SIZE * SIZE
        if 3.0 * area / (self.spacing * self.rows) > MOST_CELLS:
            raise too_many(self.spacing, 3.0 * area / (MOST_CELLS * self.rows))

    def of_tiles(self, tiles: TileList) -> Candidates:
        """The candidates of `tiles`, sorted by tile; within a tile row by row."""
        if not len(tiles):
            return no_candidates()
        ordered = tiles[np.argsort(code_of(tiles), kind="stable")]
        moved = 0.5 * self.jitter
        args = (self.spacing, self.rows, self.turn, 0.5 * self.staggered, moved, self.fill)
        room = _per_tile(self.spacing, self.rows, moved)
        return Candidates(*_in_rows(np.uint64(self.seed), ordered, room, *args))

    def share(self, place: Float64) -> Float64:
        """(n,) how much of all that fit comes before each `place` (n,) in the fill, 0 to 1."""
        return place


def _per_tile(spacing: float, rows: float, moved: float) -> int:
    """The most candidates that one tile may hold."""
    side = SIZE * math.sqrt(2.0)
    return math.ceil(side / spacing + 2 * moved + 3) * math.ceil(side / rows + 2 * moved + 3)


@kernel
def _in_rows(
    seed: np.uint64,
    tiles: Int64,
    room: int,
    spacing: float,
    rows: float,
    turn: float,
    shift: float,
    moved: float,
    fill: float,
) -> tuple[Float64, Float64, UInt64, Float64]:
    """Places x and z, ids and places in the fill of the candidates in each tile (t, 2), one tile after the other."""
    c, s = math.cos(turn), math.sin(turn)
    x, z = np.empty(room * tiles.shape[0]), np.empty(room * tiles.shape[0])
    ids, place = np.empty(x.size, np.uint64), np.empty(x.size)
    n = 0
    for t in range(tiles.shape[0]):
        x0, z0 = tiles[t, 0] * SIZE, tiles[t, 1] * SIZE
        # the tile's middle and half extent in rows and along them
        u, v = c * (x0 + SIZE / 2) + s * (z0 + SIZE / 2), c * (z0 + SIZE / 2) - s * (x0 + SIZE / 2)
        half = SIZE / 2 * (abs(c) + abs(s))
        for k in range(
            math.ceil((v - half) / rows - moved), math.floor((v + half) / rows + moved) + 1
        ):
            on = shift * (k % 2)
            first = math.ceil((u - half) / spacing - moved - on)
            for i in range(first, math.floor((u + half) / spacing + moved - on) + 1):
                cell = (np.uint64(i) << _S32) ^ (np.uint64(k) & np.uint64(0xFFFFFFFF))
                own = bits(seed, _CELL, cell)
                order = uniform(seed, _PLACE, own)
                if order >= fill:
                    continue
                along = (i + on + moved * symmetric(seed, _ALONG, own)) * spacing
                across = (k + moved * symmetric(seed, _ACROSS, own)) * rows
                px, pz = c * along - s * across, s * along + c * across
                if x0 <= px < x0 + SIZE and z0 <= pz < z0 + SIZE:
                    x[n], z[n], ids[n], place[n] = px, pz, own, order
                    n += 1
    return x[:n].copy(), z[:n].copy(), ids[:n].copy(), place[:n].copy()


@dataclass(frozen=True, slots=True)
class OnContours:
    """Candidates of another source, moved to the nearest contour line; those too far from one, and on level ground, fall away."""

    of: Scattered
    surface: Surface
    step: float  #: metres of height between contour lines
    spacing: float  #: metres between any two that stay
    rings: int = math.ceil(MOST_MOVED / SIZE)

    def check_amount(self, tiles: TileList) -> None:
        """Raises `TooLargeError` where `tiles` would hold more than may be."""
        finer = self.spacing / self.of.spacing
        if self.of.spacing < (least := self.of.least(tiles)):
            raise too_many(self.spacing, finer * least)

    def of_tiles(self, tiles: TileList) -> Candidates:
        """The candidates of `tiles`, sorted by tile."""
        found = self.of.of_tiles(around_each(tiles, self.rings))
        x, z, there = self._moved(found.x, found.z)
        there &= np.isin(code_of(tile_of(x, z)), code_of(tiles))
        rows = np.nonzero(there)[0]
        codes = code_of(tile_of(x[rows], z[rows]))
        # within a tile by id: in which tile they were at first does not matter
        rows = rows[np.lexsort((found.ids[rows], codes))]
        return Candidates(x[rows], z[rows], found.ids[rows], found.place[rows])

    def share(self, place: Float64) -> Float64:
        """(n,) how much of all that fit comes before each `place` (n,) in the fill, 0 to 1."""
        return self.of.share(place)

    def _moved(self, x: Float64, z: Float64) -> tuple[Float64, Float64, np.ndarray]:
        """Where each candidate comes to lie on its line, and whether it does (Newton's method along the gradient)."""
        px, pz = x.copy(), z.copy()
        level, off = np.zeros(len(x)), np.full(len(x), np.inf)
        fair = np.ones(len(x), bool)
        for k in range(_ROUNDS):
            at = self.surface.sample(px, pz)
            height, up = at.position[:, 1], np.maximum(at.normal[:, 1], 1e-9)
            gx, gz = -at.normal[:, 0] / up, -at.normal[:, 2] / up
            steep = gx * gx + gz * gz
            if k == 0:
                level = np.round(height / self.step) * self.step
            off = np.where(at.hit, height - level, np.inf)
            fair &= at.hit & (steep > _FLAT * _FLAT)
            go = np.where(fair & (np.abs(off) > 0.2 * _NEAR), off / np.maximum(steep, 1e-12), 0.0)
            px, pz = px - go * gx, pz - go * gz
            fair &= np.hypot(px - x, pz - z) <= MOST_MOVED
            px, pz = np.where(fair, px, x), np.where(fair, pz, z)
        at = self.surface.sample(px, pz)
        return px, pz, fair & at.hit & (np.abs(at.position[:, 1] - level) <= _NEAR)
