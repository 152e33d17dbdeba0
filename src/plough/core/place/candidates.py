"""Candidates of a layer: sampled block by block, kept, and given out by tile.

A block is a square of a power of two metres, about 180 cells of the sampling a side; blocks and
tiles nest in each other, so every tile's candidates come from whole blocks, whatever is asked for;
no block is larger than what is worked on at once.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Protocol

import numpy as np

from plough.core.arrays import Float64, Int64, UInt64
from plough.core.cache import Cache
from plough.core.errors import TooLargeError
from plough.core.ground.areas import Region
from plough.core.place.sampling import (
    MOST_CELLS,
    Points,
    fill_of_place,
    levels_of_fill,
    place_of_fill,
    repeat_of,
    repeated,
    sample_block,
)
from plough.core.tiles import SIZE, Bounds, TileList, code_of, region_hashes, tile_of, unique_tiles

_CELLS = 180.0  #: a side of a block, about
REPEATED = 2.0  #: metres: what stands so close is laid out by a pattern that begins anew every 181 spacings


@dataclass(frozen=True, slots=True)
class Candidates:
    """Points with stable ids, sorted by tile."""

    x: Float64  #: (n,) metres
    z: Float64  #: (n,) metres
    ids: UInt64  #: (n,)
    place: Float64  #: (n,) in the fill, lower is earlier

    def taken(self, rows: Int64) -> Candidates:
        """Those in `rows`."""
        return Candidates(self.x[rows], self.z[rows], self.ids[rows], self.place[rows])


def by_tiles(points: Candidates) -> Candidates:
    """`points` sorted by tile; within a tile they stay in order."""
    return points.taken(np.argsort(code_of(tile_of(points.x, points.z)), kind="stable"))


class Source(Protocol):
    """Where a layer's candidates come from."""

    @property
    def rings(self) -> int:
        """Tiles away whose ground decides where candidates of a tile lie; 0: none does."""
        ...

    def check_amount(self, tiles: TileList) -> None:
        """Raises `TooLargeError` where `tiles` would hold more than may be."""
        ...

    def of_tiles(self, tiles: TileList) -> Candidates:
        """The candidates of `tiles`, sorted by tile; within a tile in an order that hangs on nothing else."""
        ...

    def share(self, place: Float64) -> Float64:
        """(n,) how much of all that fit comes before each `place` (n,) in the fill, 0 to 1."""
        ...


def block_size(spacing: float) -> float:
    """Metres a side of the blocks for a least distance of `spacing` metres."""
    side = _CELLS * spacing / math.sqrt(2.0)
    return float(2.0 ** min(9, max(2, round(math.log2(side)))))


@dataclass(frozen=True, slots=True)
class Scattered:
    """Candidates at a least distance, anyhow."""

    seed: int  #: of the layer
    spacing: float  #: metres
    fill: float  #: share of what fits, 0 to 1
    cache: Cache
    check: Callable[[], None]
    bounds: Bounds  #: beyond these there is no ground
    regions: Sequence[Region] = ()  #: none: the whole ground
    rings: int = 0

    def check_amount(self, tiles: TileList) -> None:
        """Raises `TooLargeError` where `tiles` would hold more than may be."""
        least = self.least(tiles)
        if self.spacing < least:
            raise too_many(self.spacing, least)

    def least(self, tiles: TileList) -> float:
        """Metres between candidates below which `tiles` would hold more than may be."""
        area = len(self._blocks(tiles)) * block_size(self.spacing) ** 2
        return math.sqrt(2.0 * area / MOST_CELLS)

    def of_tiles(self, tiles: TileList) -> Candidates:
        """The candidates of `tiles`, sorted by tile."""
        points = self.of_blocks(self._blocks(tiles))
        codes = code_of(tile_of(points.x, points.z))
        return points.taken(np.nonzero(np.isin(codes, code_of(tiles)))[0])

    def share(self, place: Float64) -> Float64:
        """(n,) how much of all that fit comes before each `place` (n,) in the fill, 0 to 1."""
        return fill_of_place(place)

    def of_blocks(self, blocks: TileList) -> Candidates:
        """The candidates of `blocks`, sorted by tile."""
        size, last = block_size(self.spacing), place_of_fill(self.fill)
        levels = levels_of_fill(self.fill)
        parts: list[tuple[Float64, Float64, UInt64, Float64]] = []
        for i, k in blocks.tolist():
            self.check()
            box = (i * size, k * size, (i + 1) * size, (k + 1) * size)
            points = self.cache.get(
                ("candidates", self.seed, self.spacing, levels, i, k),
                lambda box=box: self._sampled(box, levels),  # type: ignore[misc]
                lambda p: 32 * p.x.size + 200,
            )
            keep = points.place <= last
            arrays = (points.x, points.z, points.ids, points.place)
            parts.append(tuple(a[keep] for a in arrays))  # type: ignore[arg-type]
        if not parts:
            return no_candidates()
        found = Candidates(*(np.concatenate(a) for a in zip(*parts, strict=True)))
        return by_tiles(found) if size > SIZE or len(parts) > 1 else found

    def _sampled(self, box: Bounds, levels: int) -> Points:
        if self.spacing > REPEATED:
            return sample_block(self.seed, self.spacing, box, levels)
        key, make = ("repeat", self.seed, levels), partial(repeat_of, self.seed, levels)
        return repeated(self.cache.get(key, make, lambda r: r.nbytes), self.spacing, box)

    def _blocks(self, tiles: TileList) -> TileList:
        """The blocks that `tiles` need."""
        size = block_size(self.spacing)
        if size >= SIZE:
            return unique_tiles(np.floor(tiles * (SIZE / size)).astype(np.int64))
        per = round(SIZE / size)
        inner = np.stack(np.meshgrid(np.arange(per), np.arange(per)), axis=-1).reshape(-1, 2)
        blocks = unique_tiles((tiles[:, None, :] * per + inner[None]).reshape(-1, 2))
        x0, z0, x1, z1 = self.bounds
        keep = ((blocks + 1) * size > [x0, z0]).all(axis=1)
        keep &= (blocks * size < [x1, z1]).all(axis=1)
        if self.regions:
            rings = (np.ascontiguousarray(r.ring) for r in self.regions)
            keep &= np.logical_or.reduce([region_hashes(r, blocks, size)[1] for r in rings])
        return blocks[keep]


def too_many(spacing: float, least: float) -> TooLargeError:
    """That at `spacing` metres there would be too many; from `least` on there are not."""
    return TooLargeError(
        "spacing",
        f"{spacing:g} m over this ground would take more than {MOST_CELLS // 3:,} placements;"
        f" raise it to {least:.2f} m or choose a smaller area",
    )


def no_candidates() -> Candidates:
    """None at all."""
    none = np.empty(0)
    return Candidates(none, none, np.empty(0, np.uint64), none)
