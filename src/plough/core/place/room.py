"""Room: of what a rule offers, those stand that keep clear of each other, however large each of them is.

They are taken in the order of the fill: one that conflicts with an earlier one that stands gives way.
Whether it stands may hang on the next, that on another, and so on; a chain of more than `LINKS` is
not followed, and what it leaves open does not stand. So a tile sees so many distances far and no
further, tiles of any size agree, and one that comes later in the fill changes nothing for those
before it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, Int64, UInt64
from plough.core.cache import Cache
from plough.core.kernels import kernel
from plough.core.place.near import slot_of
from plough.core.place.placements import PlacedTile, joined
from plough.core.place.standing import ByTile
from plough.core.rng import stream, uniform_array
from plough.core.tiles import SIZE, combine, grouped, hash_of

LINKS = 10  #: of a chain that is followed, at most
_LEAST_CELL = 0.5  # metres
_KEPT = stream("place.kept")
_UNDECIDED, _STANDS, _GIVES_WAY = 0, 1, 2
_FAR = 1 << 30
_ON_MAP = np.array([1.0, 0.0, 1.0])


@dataclass(frozen=True, eq=False)
class Room:
    """How far from each other things of a rule stand."""

    stems: Float32  #: (variants,) metres about each, whatever its size
    crowns: Float32  #: (variants,) metres about each, times its size
    widest: float  #: metres about any, at most
    share: float = 1.0  #: of those that find room
    seed: int = 0  #: by which that share is drawn

    def about(self, tile: PlacedTile) -> Float32:
        """(n,) metres that each keeps about itself; half of what lies between two of a kind."""
        placed = tile.placements
        crowns: Float32 = self.crowns[placed.variant] * placed.scale[:, 0]
        return np.maximum(self.stems[placed.variant], crowns)

    def head(self) -> UInt64:
        """(2,) a hash of all that acts on every tile alike."""
        arrays = [self.stems.tolist(), self.crowns.tolist()]
        return hash_of(["room", *arrays, self.widest, self.share, self.seed])


def with_room(
    offered: Sequence[PlacedTile],
    room: Room,
    cache: Cache,
    check: Callable[[], None] = lambda: None,
) -> list[PlacedTile]:
    """Those of `offered` that find room, by tile; tiles that hold none are left out."""
    tiles = np.array([[t.x, t.z] for t in offered], np.int64).reshape(-1, 2)
    if not len(tiles):
        return []
    extent = SIZE * float(np.ptp(tiles, axis=0).max() + 1)  # beyond it nothing is offered
    reach = max(_LEAST_CELL, LINKS * 2.0 * room.widest)
    found = ByTile(offered, min(reach, extent))
    near = found.seen(tiles, _told)
    own = np.array([_told(tile) for tile in offered], np.uint64).reshape(-1, 2)
    names = [("room", a, b) for a, b in combine(room.head(), own, near).tolist()]
    out: list[PlacedTile | None] = cache.look_up(names)
    missing = np.array([k for k, tile in enumerate(out) if tile is None], np.int64)
    for rows in grouped(tiles, missing):
        check()
        about = found.about(tiles[rows])
        stands = dict(zip(((t.x, t.z) for t in about), _standing(about, room), strict=True))
        for r in rows.tolist():
            keep = stands[offered[r].x, offered[r].z]
            made = (
                offered[r] if keep.all() and room.share == 1 else _thinned(offered[r], keep, room)
            )
            cache.keep([(names[r], made, made.nbytes)])
            out[r] = made
    return [tile for tile in out if tile is not None and tile.placements.count]


def first_of(tiles: Sequence[PlacedTile], count: int) -> list[PlacedTile]:
    """The first `count` of all in the order of the fill; a higher count keeps all of a lower one."""
    if sum(t.placements.count for t in tiles) <= count:
        return list(tiles)
    ids = np.concatenate([t.placements.ids for t in tiles])
    place = np.concatenate([t.place for t in tiles])
    stands = np.zeros(len(ids), bool)
    stands[np.lexsort((ids, place))[:count]] = True
    out, at = [], 0
    for tile in tiles:
        keep = stands[at : at + tile.placements.count]
        at += tile.placements.count
        if keep.any():
            out.append(tile if keep.all() else tile.taken(keep))
    return out


def _told(tile: PlacedTile) -> tuple[int, int]:
    """What others see of a tile: its digest tells all that stands in it."""
    return int(tile.key[:16], 16), int(tile.key[16:32], 16)


def _standing(tiles: Sequence[PlacedTile], room: Room) -> list[Bool]:
    """For each of `tiles`, which of its placements find room among all of `tiles`."""
    placed = joined([t.placements for t in tiles])
    reach = np.concatenate([room.about(t) for t in tiles])
    order = np.lexsort((placed.ids, np.concatenate([t.place for t in tiles])))
    at = placed.position.astype(np.float64) * _ON_MAP
    cell = max(_LEAST_CELL, 2.0 * room.widest)
    stands = settled(at, np.zeros_like(at), reach.astype(np.float64), order, cell)
    return np.split(stands, np.cumsum([t.placements.count for t in tiles])[:-1])


def _thinned(tile: PlacedTile, keep: Bool, room: Room) -> PlacedTile:
    """Those that find room; of these, the share that is asked for."""
    if room.share >= 1.0:
        return tile.taken(keep)
    draw = uniform_array(room.seed, _KEPT, tile.placements.ids)
    thin = tile.taken(keep & (draw < room.share))
    place = uniform_array(room.seed, _KEPT, thin.placements.ids).astype(np.float32)
    return PlacedTile(thin.x, thin.z, thin.placements, thin.key, thin.standing, place)


@kernel
def _conflict(at: Float64, normal: Float64, reach: Float64, p: int, q: int) -> bool:
    dx, dy, dz = at[q, 0] - at[p, 0], at[q, 1] - at[p, 1], at[q, 2] - at[p, 2]
    least = reach[q] + reach[p]
    if dx * dx + dy * dy + dz * dz >= least * least:
        return False
    along = normal[p, 0] * normal[q, 0] + normal[p, 1] * normal[q, 1] + normal[p, 2] * normal[q, 2]
    return bool(along >= 0.0)


@kernel
def settled(at: Float64, normal: Float64, reach: Float64, order: Int64, size: float) -> Bool:
    """(n,) which of the places `at` (n, 3) stand when they are taken in `order`; two further apart than `size` metres never conflict.

    Two conflict that are nearer than `reach` (n,) of both, unless their `normal` (n, 3) look away from each other.
    """
    n = at.shape[0]
    x, z = at[:, 0], at[:, 2]
    stands = np.zeros(n, np.bool_)
    if n == 0:
        return stands
    slots = 16
    while slots < 2 * n:
        slots *= 2
    mask = np.uint64(slots - 1)
    # chains of what stands, and of the rest, in each slot; only what comes earlier is in them
    standing, rest = np.full(slots, -1), np.full(slots, -1)
    following = np.full(n, -1)
    link, state = np.zeros(n, np.int64), np.zeros(n, np.int8)
    for e in range(n):
        p = order[e]
        ci, ck = int(np.floor(x[p] / size)), int(np.floor(z[p] / size))
        near, last, unsure = _FAR, 0, False
        for chains in range(2):
            for dk in range(-1, 2):
                for di in range(-1, 2):
                    slot = slot_of(ci + di, ck + dk, mask)
                    q = standing[slot] if chains == 0 else rest[slot]
                    while q >= 0:
                        if _conflict(at, normal, reach, p, q):
                            if chains == 0:
                                near = min(near, link[q] + 1)
                            elif state[q] == _UNDECIDED:
                                unsure = True
                            else:
                                last = max(last, link[q])
                        q = following[q]
            if near < _FAR:
                break
        if near <= LINKS:
            state[p], link[p] = _GIVES_WAY, near
        elif near == _FAR and not unsure and last < LINKS:
            state[p], link[p] = _STANDS, last + 1
        c = slot_of(ci, ck, mask)
        if state[p] == _STANDS:
            stands[p] = True
            following[p], standing[c] = standing[c], p
        else:
            following[p], rest[c] = rest[c], p
    return stands
