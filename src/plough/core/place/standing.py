"""Measures from what stands already: how far its stems are, and how far beneath its crowns a place lies."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32, Float64, UInt64
from plough.core.ground.surface import Samples
from plough.core.place.near import least_share
from plough.core.place.placements import PlacedTile
from plough.core.tiles import SIZE, TileList, around, code_of, hash_of, tile_of

_LARGEST = 10.0  # times their own size that things may be placed at


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

    @property
    def _reach(self) -> float:
        """Metres within which something may matter."""
        largest = _LARGEST if self.percent else 1.0
        radius = max((float(s.radius.max(initial=0)) for s in self.stands), default=0.0)
        return self.most * radius * largest

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
