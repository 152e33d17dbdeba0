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


class ByTile:
    """What stands already of one layer, found by tile."""

    def __init__(self, layer: Sequence[PlacedTile], reach: float) -> None:
        self.rings = math.ceil(reach / SIZE) if reach > 0 else 0  #: tiles away that matter
        codes = code_of(np.array([(t.x, t.z) for t in layer], np.int64).reshape(-1, 2)).tolist()
        self.tiles = dict(zip(codes, layer, strict=True)) if reach > 0 else {}

    def about(self, tiles: TileList) -> list[PlacedTile]:
        """What stands in `tiles`, or as near to them as matters."""
        if not self.tiles:
            return []
        wanted = code_of(around_each(tiles, self.rings))
        return [t for code in wanted.tolist() if (t := self.tiles.get(code)) is not None]

    def seen(self, tiles: TileList, of: Callable[[PlacedTile], tuple[int, int]]) -> UInt64:
        """(t, 2) what `of` tells of all that stands about each tile."""
        codes = np.array(sorted(self.tiles), np.int64)
        told = [of(self.tiles[code]) for code in codes.tolist()]
        return around(tiles, codes, np.array(told, np.uint64).reshape(-1, 2), self.rings)


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
    """What stands already of one layer, as far about each tile as matters."""

    def __init__(self, stand: Stand, reach: float) -> None:
        self._stand = stand
        self._placed = ByTile(stand.tiles, reach)

    def about(self, tiles: TileList, of_stem: float) -> tuple[Float32, Float32]:
        """What stands in `tiles` or near them: (n, 2) where, and (n,) metres that each takes up; `of_stem` where stems count."""
        near = self._placed.about(tiles)
        points = standing_of(near)
        if self._stand.radius is None:
            return points, np.full(len(points), of_stem, np.float32)
        radii = [self._stand.radii(tile) for tile in near]
        return points, np.concatenate([np.empty(0, np.float32), *radii])

    def seen(self, tiles: TileList) -> UInt64:
        """(t, 2) what stands in and about each tile: of stems where they are, of others all."""
        if self._stand.radius is None:
            return self._placed.seen(tiles, lambda tile: tile.standing)
        salt = self._stand.radius.tolist()

        def told(tile: PlacedTile) -> tuple[int, int]:
            a, b = hash_of([tile.key, salt]).tolist()
            return a, b

        return self._placed.seen(tiles, told)


def _seen(layers: Sequence[_Near], tiles: TileList) -> UInt64:
    """(t, 2) what stands in and about each tile, of all layers; their order does not matter, nor one that is far away."""
    out = np.zeros((len(tiles), 2), np.uint64)
    for near in layers:
        out += near.seen(tiles)
    return out


class Taken:
    """The room that what stands already keeps free: so many metres about each, from its stem or from the rim of what it takes up."""

    def __init__(self, stands: Sequence[Stand], apart: float) -> None:
        self._apart = apart
        # each layer by itself: one wide crown must not make every stem of a lawn worth a look
        self._layers = [_Near(s, apart + s.widest) for s in stands]

    def at(self, x: Float64, z: Float64, tiles: TileList) -> Bool:
        """(n,) whether each place (x, z), all of them in `tiles`, is taken."""
        out = np.zeros(len(x), bool)
        for near in self._layers:
            points, radius = near.about(tiles, 0.0)
            free = np.nonzero(~out)[0]
            out[free] = any_near(x[free], z[free], points, radius + np.float32(self._apart))
        return out

    def seen(self, tiles: TileList) -> UInt64:
        """(t, 2) a hash of all that keeps room in each tile."""
        return _seen(self._layers, tiles)


@dataclass(frozen=True, eq=False)
class FromStanding:
    """Metres to the nearest stem of what stands; or of crowns, per cent of their radius. Infinite beyond what matters."""

    stands: tuple[Stand, ...]
    most: float  #: metres, or times the radius

    @cached_property
    def _layers(self) -> list[_Near]:
        return [_Near(s, self.most * (1.0 if s.radius is None else s.widest)) for s in self.stands]

    def values(self, at: Samples) -> Float64:
        """(n,) metres, or per cent."""
        x, z = (np.ascontiguousarray(at.position[:, k]) for k in (0, 2))
        tiles = np.unique(tile_of(x, z), axis=0)
        out = np.full(len(x), np.inf)
        for near in self._layers:
            out = np.minimum(out, least_share(x, z, *near.about(tiles, 1.0), self.most))
        return out if all(s.radius is None for s in self.stands) else 100.0 * out

    def seen(self, tiles: TileList) -> UInt64:
        """(t, 2) what stands in and about each tile."""
        return _seen(self._layers, tiles)
