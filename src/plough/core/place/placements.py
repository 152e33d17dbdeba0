"""Placements: instances as arrays, and the tiles that they are kept in."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Bool, Float32, Int64, UInt32, UInt64
from plough.core.hashing import digest
from plough.core.kernels import kernel
from plough.core.rng import stream, uniform_array
from plough.core.tiles import code_of, fold, tile_of

_ROUNDED = stream("place.rounded")


@dataclass(frozen=True, slots=True)
class Placements:
    """Instances of one layer, as arrays of n rows."""

    ids: UInt64  #: (n,) stable, unique in a scene
    variant: UInt32  #: (n,) row in the layer's list of variants
    position: Float32  #: (n, 3) metres
    rotation: Float32  #: (n, 4) unit quaternion, xyzw
    scale: Float32  #: (n, 3)

    @property
    def count(self) -> int:
        """Number of placements."""
        return int(self.ids.shape[0])

    @property
    def nbytes(self) -> int:
        """Bytes of all arrays."""
        return 52 * self.count

    def taken(self, rows: Bool | Int64 | slice) -> Placements:
        """Those in `rows`."""
        return Placements(*(getattr(self, name)[rows] for name in Placements.__slots__))

    def to_bytes(self) -> bytes:
        """Little-endian, one array after the other: position 12 n bytes, rotation 16 n, scale 12 n, variant 4 n, id 8 n."""
        return b"".join(self.buffers())

    def buffers(self) -> list[memoryview]:
        """What `to_bytes` puts one after the other; machines are little-endian."""
        arrays = (self.position, self.rotation, self.scale, self.variant, self.ids)
        return [np.ascontiguousarray(a).data for a in arrays]


def no_placements() -> Placements:
    """None at all."""
    return Placements(
        np.empty(0, np.uint64),
        np.empty(0, np.uint32),
        np.empty((0, 3), np.float32),
        np.empty((0, 4), np.float32),
        np.empty((0, 3), np.float32),
    )


def joined(parts: Sequence[Placements]) -> Placements:
    """All of `parts`, in order."""
    if not parts:
        return no_placements()
    return Placements(
        *(np.concatenate([getattr(p, name) for p in parts]) for name in Placements.__slots__)
    )


@dataclass(frozen=True, slots=True)
class PlacedTile:
    """What stands in one tile."""

    x: int
    z: int
    placements: Placements
    key: str  #: digest of the placements' bytes
    standing: tuple[int, int]  #: hash of where they stand: all that gives way to them can see
    place: (
        Float32  #: (n,) of each in the fill, lower is earlier: the last to come are the first to go
    )

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return self.placements.nbytes + self.place.nbytes + 400

    def taken(self, rows: Bool | Int64) -> PlacedTile:
        """With those in `rows` alone."""
        own, place = self.placements.taken(rows), self.place[rows]
        return by_tile(own, place, np.array([[self.x, self.z]]), np.array([0, own.count]))[0]


@kernel
def _standing_hashes(position: Float32, starts: Int64) -> UInt64:
    out = np.zeros((starts.shape[0] - 1, 2), np.uint64)
    bits = position.view(np.uint32)
    for t in range(starts.shape[0] - 1):
        for i in range(starts[t], starts[t + 1]):
            for axis in (0, 2):
                fold(out[t], np.uint64(bits[i, axis]))
    return out


def by_tile(
    placements: Placements, place: Float32, tiles: Int64, starts: Int64
) -> list[PlacedTile]:
    """`placements` cut in tiles (t, 2): tile k holds the rows from `starts[k]` to `starts[k + 1]`."""
    hashes = _standing_hashes(np.ascontiguousarray(placements.position), starts)
    out = []
    for k, (x, z) in enumerate(tiles.tolist()):
        rows = slice(starts[k], starts[k + 1])
        own = placements.taken(rows)
        standing = (int(hashes[k, 0]), int(hashes[k, 1]))
        out.append(PlacedTile(x, z, own, digest(*own.buffers()), standing, place[rows]))
    return out


def cut(placements: Placements, place: Float32 | None = None) -> list[PlacedTile]:
    """`placements` in any order, cut in the tiles that they stand in; `place` (n,) of each in the fill."""
    tiles = tile_of(*placements.position[:, [0, 2]].astype(np.float64).T)
    codes = code_of(tiles)
    order = np.argsort(codes, kind="stable")
    _, first = np.unique(codes[order], return_index=True)
    starts = np.append(first, len(order))
    whole = np.zeros(len(order), np.float32) if place is None else place
    return by_tile(placements.taken(order), whole[order], tiles[order][first], starts)


def first_share(tile: PlacedTile, share: float) -> PlacedTile:
    """The first `share`, 0 to 1, of a tile in the order of the fill; a higher share keeps all of a lower one.

    Tiles are rounded up and down by turns of chance, so that the whole keeps its share.
    """
    own, place = tile.placements, tile.place
    draw = uniform_array(0, _ROUNDED, code_of(np.array([[tile.x, tile.z]])).astype(np.uint64))
    count = int(share * own.count + draw[0])
    if count >= own.count:
        return tile
    rows = np.sort(np.lexsort((own.ids, place))[:count])
    return tile.taken(rows)


def standing_of(tiles: Iterable[PlacedTile]) -> Float32:
    """(n, 2) east and south of all that stands in `tiles`."""
    found = [t.placements.position[:, [0, 2]] for t in tiles]
    return np.concatenate(found) if found else np.empty((0, 2), np.float32)
