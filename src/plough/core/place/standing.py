"""What stands already: the room that it keeps, how far its stems are, and how far beneath its crowns a place lies."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, UInt64
from plough.core.ground.surface import Samples
from plough.core.place.near import any_near, least_share
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

    tiles: Sequence[PlacedTile]
    radius: Float32 | Float64 | None = (
        None  #: (variants,) metres of what each takes up; None: stems count
    )

    def radii(self, tile: PlacedTile) -> Float32:
        """(n,) metres that each of `tile` takes up."""
        assert self.radius is not None
        wide = self.radius[tile.placements.variant] * tile.placements.scale[:, 0]
        return np.asarray(wide, np.float32)

    @cached_property
    def widest(self) -> float:
        """Metres that the widest may take up; 0 where stems count."""
        if self.radius is None:
            return 0.0
        sizes = (float(t.placements.scale[:, 0].max(initial=0)) for t in self.tiles)
        return float(self.radius.max(initial=0)) * max(sizes, default=0.0)


class _Near:
    """What stands already, as far about each tile as matters."""

    def __init__(self, stands: Sequence[Stand], reach: float) -> None:
        self._stands = stands
        self._placed = ByTile([s.tiles for s in stands], reach)
        self._salts = [None if s.radius is None else s.radius.tolist() for s in stands]

    def about(self, tiles: TileList, of_stem: float) -> tuple[Float32, Float32]:
        """What stands in `tiles` or near them: (n, 2) where, and (n,) metres that each takes up; `of_stem` where stems count."""
        near = self._placed.about(tiles)
        points = standing_of(t for _, t in near)
        radii = np.full(len(points), of_stem, np.float32)
        at = 0
        for row, tile in near if any(self._salts) else ():
            end = at + tile.placements.count
            if self._salts[row] is not None:
                radii[at:end] = self._stands[row].radii(tile)
            at = end
        return points, radii

    def seen(self, tiles: TileList) -> UInt64:
        """What stands in and about each tile: of stems where they are, of others all."""

        def told(row: int, tile: PlacedTile) -> tuple[int, int]:
            if self._salts[row] is None:
                return tile.standing
            a, b = hash_of([tile.key, self._salts[row]]).tolist()
            return a, b

        return self._placed.seen(tiles, told)


class Taken:
    """The room that what stands already keeps free: so many metres about each, from its stem or from the rim of what it takes up."""

    def __init__(self, stands: Sequence[Stand], apart: float) -> None:
        self._apart = apart
        self._near = _Near(stands, apart + max((s.widest for s in stands), default=0.0))

    def at(self, x: Float64, z: Float64, tiles: TileList) -> Bool:
        """(n,) whether each place (x, z), all of them in `tiles`, is taken."""
        points, radius = self._near.about(tiles, 0.0)
        return any_near(x, z, points, radius + np.float32(self._apart))

    def seen(self, tiles: TileList) -> UInt64:
        """(t, 2) a hash of all that keeps room in each tile."""
        return self._near.seen(tiles)


@dataclass(frozen=True, eq=False)
class FromStanding:
    """Metres to the nearest stem of what stands; or of crowns, per cent of their radius. Infinite beyond what matters."""

    stands: tuple[Stand, ...]
    most: float  #: metres, or times the radius

    @cached_property
    def _near(self) -> _Near:
        widest = max((1.0 if s.radius is None else s.widest for s in self.stands), default=0.0)
        return _Near(self.stands, self.most * widest)

    def values(self, at: Samples) -> Float64:
        """(n,) metres, or per cent."""
        x, z = (np.ascontiguousarray(at.position[:, k]) for k in (0, 2))
        points, radius = self._near.about(np.unique(tile_of(x, z), axis=0), 1.0)
        share = least_share(x, z, points, radius, self.most)
        return share if all(s.radius is None for s in self.stands) else 100.0 * share

    def seen(self, tiles: TileList) -> UInt64:
        """(t, 2) what stands in and about each tile."""
        return self._near.seen(tiles)
