"""Candidates of a layer: sampled block by block, kept, and given out by tile.

A block is a square of a power of two metres, about 180 cells of the sampling a side; blocks and
tiles nest in each other, so every tile's candidates come from whole blocks, whatever is asked for.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float64, Int64, UInt64
from plough.core.cache import Cache
from plough.core.errors import TooLargeError
from plough.core.place.sampling import MOST_CELLS, levels_of_fill, place_of_fill, sample_block
from plough.core.tiles import SIZE, TileList, code_of, tile_of

_CELLS = 180.0  #: a side of a block, about
GROUP = 512.0  #: metres a side of what is worked on at once; every block lies in one


@dataclass(frozen=True, slots=True)
class Candidates:
    """Points with stable ids, sorted by tile."""

    x: Float64  #: (n,) metres
    z: Float64  #: (n,) metres
    ids: UInt64  #: (n,)

    def taken(self, rows: Int64) -> Candidates:
        """Those in `rows`."""
        return Candidates(self.x[rows], self.z[rows], self.ids[rows])


def block_size(spacing: float) -> float:
    """Metres a side of the blocks for a least distance of `spacing` metres."""
    side = _CELLS * spacing / math.sqrt(2.0)
    return float(2.0 ** min(9, max(2, round(math.log2(side)))))


def check_amount(blocks: int, spacing: float) -> None:
    """Raises `TooLargeError` when so many blocks would hold more cells than may be sampled."""
    area = blocks * block_size(spacing) ** 2
    if 2.0 * area / spacing**2 > MOST_CELLS:
        least = math.sqrt(2.0 * area / MOST_CELLS)
        raise TooLargeError(
            "spacing",
            f"{spacing:g} m over this ground would take more than {MOST_CELLS // 3:,} placements;"
            f" raise it to {least:.2f} m or choose a smaller area",
        )


@dataclass(frozen=True, slots=True)
class Source:
    """Where a layer's candidates come from."""

    seed: int  #: of the layer
    spacing: float  #: metres
    fill: float  #: share of what fits, 0 to 1
    cache: Cache
    check: Callable[[], None]

    def of_blocks(self, blocks: TileList) -> Candidates:
        """The candidates of `blocks`, sorted by tile; within a tile in an order that hangs on nothing else."""
        size, last = block_size(self.spacing), place_of_fill(self.fill)
        levels = levels_of_fill(self.fill)
        parts: list[tuple[Float64, Float64, UInt64]] = []
        for i, k in blocks.tolist():
            self.check()
            box = (i * size, k * size, (i + 1) * size, (k + 1) * size)
            points = self.cache.get(
                ("candidates", self.seed, self.spacing, levels, i, k),
                lambda box=box: sample_block(self.seed, self.spacing, box, levels),  # type: ignore[misc]
                lambda p: 32 * p.x.size + 200,
            )
            keep = points.place <= last
            parts.append((points.x[keep], points.z[keep], points.ids[keep]))
        if not parts:
            return Candidates(np.empty(0), np.empty(0), np.empty(0, np.uint64))
        x, z, ids = (np.concatenate(a) for a in zip(*parts, strict=True))
        if size > SIZE or len(parts) > 1:
            order = np.argsort(code_of(tile_of(x, z)), kind="stable")
            x, z, ids = x[order], z[order], ids[order]
        return Candidates(x, z, ids)
