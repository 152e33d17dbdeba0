"""Measures from what stands already: how far its stems are, and how far beneath its crowns a place lies."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from plough.core.arrays import Float32, Float64, UInt64
from plough.core.ground.surface import Samples
from plough.core.place.near import least_share
from plough.core.place.placements import PlacedTile
from plough.core.tiles import SIZE, TileList, around, code_of, hash_of, tile_of


@dataclass(frozen=True, eq=False)
class Stand:
    """What one layer placed, as others measure from it."""

    tiles: tuple[PlacedTile, ...]
    radius: (
        Float32  #: (variants,) metres of each variant's crown; 1 where the distance itself is meant
    )


@dataclass(frozen=True, eq=False)
class FromStanding:
    """The distance to the nearest of what stands, as a share of its radius; infinite from `most` on."""

    stands: tuple[Stand, ...]
    most: float
    percent: bool  #: whether shares are told in per cent

    @cached_property
    def _reach(self) -> float:
        """Metres within which something may matter."""
        largest = [float(s.radius.max(initial=0)) * self._largest(s) for s in self.stands]
        return self.most * max(largest, default=0.0)

    def _largest(self, stand: Stand) -> float:
        """The greatest size at which something is placed."""
        if not self.percent:
            return 1.0
        sizes = (float(t.placements.scale[:, 0].max(initial=0)) for t in stand.tiles)
        return max(sizes, default=0.0)

    def values(self, at: Samples) -> Float64:
        """(n,) metres, or per cent."""
        x, z = (np.ascontiguousarray(at.position[:, k]) for k in (0, 2))
        points, radius = self._near(x, z)
        return least_share(x, z, points, radius, self.most) * (100.0 if self.percent else 1.0)

    def _near(self, x: Float64, z: Float64) -> tuple[Float32, Float32]:
        """Places (n, 2) and radii (n,) of what stands in or about the tiles of the places."""
        rings = math.ceil(self._reach / SIZE)
        own = np.unique(tile_of(x, z), axis=0)
        step = np.arange(-rings, rings + 1)
        ring = np.stack(np.meshgrid(step, step), axis=-1).reshape(-1, 2)
        wanted = set(code_of((own[:, None] + ring[None]).reshape(-1, 2)).tolist())
        places, radii = [np.empty((0, 2), np.float32)], [np.empty(0, np.float32)]
        for stand in self.stands:
            for tile in stand.tiles:
                if int(code_of(np.array([tile.x, tile.z]))) in wanted:
                    placed = tile.placements
                    places.append(placed.position[:, [0, 2]])
                    size = placed.scale[:, 0] if self.percent else np.float32(1.0)
                    radii.append(stand.radius[placed.variant] * size)
        return np.concatenate(places), np.concatenate(radii)

    def seen(self, tiles: TileList) -> UInt64:
        """What stands in and about each tile."""
        summed: dict[int, UInt64] = {}
        for stand in self.stands:
            salt = hash_of(stand.radius.tolist())
            for tile in stand.tiles:
                code = int(code_of(np.array([tile.x, tile.z])))
                # of crowns, sizes and variants matter as well as places
                own = hash_of([tile.key if self.percent else tile.standing, salt.tolist()])
                summed[code] = summed.get(code, np.zeros(2, np.uint64)) + own
        codes = np.array(sorted(summed), np.int64)
        hashes = np.array([summed[c] for c in codes.tolist()], np.uint64).reshape(-1, 2)
        return around(tiles, codes, hashes, math.ceil(self._reach / SIZE))
