"""Measures from what stands already: how far its stems are, and how far beneath its crowns a place lies."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from plough.core.arrays import Float32, Float64, UInt64
from plough.core.ground.surface import Samples
from plough.core.place.near import least_share
from plough.core.place.placements import PlacedTile, standing_of
from plough.core.tiles import SIZE, TileList, around, around_each, code_of, hash_of, tile_of

_WHOLE = 0xFFFFFFFFFFFFFFFF


class ByTile:
    """What stands already, layer by layer, found by tile."""

    def __init__(self, layers: Sequence[Sequence[PlacedTile]], reach: float) -> None:
        self.rings = math.ceil(reach / SIZE) if reach > 0 else 0  #: tiles away that matter
        self.tiles: dict[int, list[tuple[int, PlacedTile]]] = {}  #: with the row of its layer
        for row, layer in enumerate(layers if reach > 0 else ()):
            for tile in layer:
                code = int(code_of(np.array([tile.x, tile.z])))
                self.tiles.setdefault(code, []).append((row, tile))

    def about(self, tiles: TileList) -> list[tuple[int, PlacedTile]]:
        """What stands in `tiles`, or as near to them as matters."""
        if not self.tiles:
            return []
        wanted = code_of(around_each(tiles, self.rings))
        return [t for code in wanted.tolist() for t in self.tiles.get(code, ())]

    def seen(self, tiles: TileList, of: Callable[[int, PlacedTile], tuple[int, int]]) -> UInt64:
        """(t, 2) what `of` tells of all that stands about each tile; within a tile its order does not matter."""
        codes = np.array(sorted(self.tiles), np.int64)
        sums = [
            [sum(told) & _WHOLE for told in zip(*(of(*t) for t in self.tiles[code]), strict=True)]
            for code in codes.tolist()
        ]
        hashes = np.array(sums, np.uint64).reshape(-1, 2)
        return around(tiles, codes, hashes, self.rings)


@dataclass(frozen=True, eq=False)
class Stand:
    """What one layer placed, as others measure from it."""

    tiles: tuple[PlacedTile, ...]
    radius: Float32 | None = None  #: (variants,) metres of each variant's crown; None: stems count


@dataclass(frozen=True, eq=False)
class FromStanding:
    """Metres to the nearest stem of what stands; or of crowns, per cent of their radius. Infinite beyond what matters."""

    stands: tuple[Stand, ...]
    most: float  #: metres, or times the radius

    @cached_property
    def _placed(self) -> ByTile:
        reach = self.most * max((_widest(s) for s in self.stands), default=0.0)
        return ByTile([s.tiles for s in self.stands], reach)

    def values(self, at: Samples) -> Float64:
        """(n,) metres, or per cent."""
        x, z = (np.ascontiguousarray(at.position[:, k]) for k in (0, 2))
        near = self._placed.about(np.unique(tile_of(x, z), axis=0))
        points = standing_of(t for _, t in near)
        radii = [np.empty(0, np.float32)]
        for row, tile in near:
            radius, placed = self.stands[row].radius, tile.placements
            crowns = np.ones(placed.count, np.float32)
            radii.append(crowns if radius is None else radius[placed.variant] * placed.scale[:, 0])
        share = least_share(x, z, points, np.concatenate(radii), self.most)
        return share if self._of_stems else 100.0 * share

    @property
    def _of_stems(self) -> bool:
        return all(s.radius is None for s in self.stands)

    def seen(self, tiles: TileList) -> UInt64:
        """What stands in and about each tile: of stems where they are, of crowns all."""
        salts = [None if s.radius is None else s.radius.tolist() for s in self.stands]

        def told(row: int, tile: PlacedTile) -> tuple[int, int]:
            if salts[row] is None:
                return tile.standing
            a, b = hash_of([tile.key, salts[row]]).tolist()
            return a, b

        return self._placed.seen(tiles, told)


def _widest(stand: Stand) -> float:
    """Metres of its widest crown; 1 where stems count."""
    if stand.radius is None:
        return 1.0
    sizes = (float(t.placements.scale[:, 0].max(initial=0)) for t in stand.tiles)
    return float(stand.radius.max(initial=0)) * max(sizes, default=0.0)
