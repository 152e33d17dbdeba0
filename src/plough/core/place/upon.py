"""Rules upon things: placements on the faces of what other layers placed, by the tile in which these stand."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from plough.core.arrays import Bool, Float32, Int64, UInt32, UInt64
from plough.core.cache import Cache
from plough.core.errors import TooLargeError
from plough.core.ground.conditions import Weighting, sifted
from plough.core.ground.conditions import seen as seen_by
from plough.core.ground.surface import Samples, Surface
from plough.core.place.brush import Brushwork
from plough.core.place.candidates import Candidates
from plough.core.place.faces import Faces, OnFaces, candidates
from plough.core.place.placements import PlacedTile, Placements, cut
from plough.core.place.pose import Pose, depths, set_up
from plough.core.place.room import LINKS, settled
from plough.core.place.rules import own_sizes, shares_at
from plough.core.place.variants import NONE, Choices
from plough.core.rng import stream, uniform_array
from plough.core.tiles import (
    SIZE,
    TileList,
    around,
    around_each,
    code_of,
    combine,
    grouped,
    hash_of,
)

MOST = 200_000  #: placements of one layer, about
MOST_FACES = 100_000_000  #: triangles of all bearers together: each is looked at
CLOSE = 5.0  #: candidates for each square of the spacing: one in eight finds room
_STAND = 0.62  # of such squares that hold one, in the end
_CONDITION, _KEPT = stream("upon.condition"), stream("upon.kept")
VERSION = 1  #: raised when the same rule places otherwise


@dataclass(frozen=True, eq=False)
class Bearers:
    """Things that one layer placed, and the faces of each of their variants."""

    faces: tuple[Faces, ...]  #: of each variant
    tiles: tuple[PlacedTile, ...]

    def area(self) -> float:
        """Square metres of all their faces."""
        total, areas = 0.0, np.array([f.area for f in self.faces])
        for tile in self.tiles:
            size = tile.placements.scale.astype(np.float64).max(axis=1)
            total += float((areas[tile.placements.variant] * size**2).sum())
        return total

    def triangles(self) -> int:
        """Number of triangles of all their faces."""
        counts = np.array([len(f.names) for f in self.faces])
        return sum(int(counts[t.placements.variant].sum()) for t in self.tiles)

    def reach(self) -> float:
        """Metres from the foot of any to its farthest corner."""
        radii = np.array([f.radius for f in self.faces])
        found = (
            (radii[t.placements.variant] * t.placements.scale.max(axis=1)).max(initial=0.0)
            for t in self.tiles
        )
        return float(max(found, default=0.0))


@dataclass(frozen=True, slots=True)
class UponRule:
    """What is asked of faces, and how things stand on them."""

    seed: int  #: of the layer, 64 bits
    spacing: float  #: metres between any two
    stems: Float32  #: (variants,) metres that each keeps about itself
    fill: float = 1.0  #: share of what finds room, 0 to 1
    facing: tuple[float, float] = (0.0, 180.0)  #: degrees between a face's normal and the vertical
    choices: Choices = field(default_factory=lambda: Choices.of([("one", 1.0, (1,))]))
    conditions: tuple[Weighting, ...] = ()
    shares: tuple[tuple[Weighting, ...], ...] = ()  #: of each asset: what multiplies its weight
    sizes: tuple[tuple[float, float], ...] = ()  #: of each asset: a size of its own, besides
    pose: Pose = field(default_factory=Pose)
    brush: Brushwork | None = None  #: what is painted over the rule, seen from above

    def offer_head(self) -> UInt64:
        """(2,) a hash of all that decides everywhere what is offered."""
        mix = self.choices.told()
        return hash_of([VERSION, self.seed, self.spacing, *self.facing, len(self.shares), mix])

    def room_head(self) -> UInt64:
        """(2,) a hash of all that decides everywhere what of it finds room."""
        return hash_of(self.stems.tolist())


@dataclass(frozen=True, slots=True)
class _Offer:
    """What might stand on the things of one tile."""

    at: OnFaces
    variant: UInt32

    def taken(self, rows: Int64) -> _Offer:
        """Those in `rows`."""
        return _Offer(self.at.taken(rows), self.variant[rows])

    @property
    def nbytes(self) -> int:
        return 68 * len(self.variant) + 200


def upon(
    rule: UponRule,
    bearers: Sequence[Bearers],
    surface: Surface,
    cache: Cache | None = None,
    check: Callable[[], None] = lambda: None,
) -> list[PlacedTile]:
    """Placements of `rule` on the faces of `bearers`, by the tile that each stands in.

    They are taken by rank; one that conflicts with an earlier one gives way. Two conflict that are
    nearer than they may be and face the same way: both sides of a thin wall bear their own. What
    lies below `surface` bears nothing.

    Raises:
        TooLargeError: there would be more than may be; nothing has been sampled then.
    """
    cache = cache or Cache()
    things = _by_tile(bearers)
    if not things or rule.fill <= 0:
        return []
    _check_amount(rule, bearers)
    tiles = np.array(list(things), np.int64)
    far = max(b.reach() for b in bearers)
    keys = _offer_keys(rule, bearers, things, tiles, surface, math.ceil(far / SIZE))
    rings = math.ceil((LINKS * 2.0 * float(rule.stems.max()) + 2.0 * far) / SIZE)
    codes = code_of(tiles)
    seen = combine(rule.room_head(), keys, around(tiles, codes, keys, rings))
    names = [("room upon", a, b) for a, b in seen.tolist()]
    found: list[_Offer | None] = cache.look_up(names)
    missing = np.array([k for k, tile in enumerate(found) if tile is None], np.int64)
    for rows in grouped(tiles, missing):
        near = np.nonzero(np.isin(codes, code_of(around_each(tiles[rows], rings))))[0].tolist()
        offers = {
            k: cache.get(
                ("offer", *keys[k].tolist()),
                lambda k=k: _offer(rule, bearers, things[tuple(tiles[k].tolist())], surface, check),  # type: ignore[misc]
                lambda o: o.nbytes,
            )
            for k in near
        }
        stands = dict(zip(near, _standing(list(offers.values()), rule), strict=True))
        for row in rows.tolist():
            made = offers[row].taken(np.nonzero(stands[row])[0])
            cache.keep([(names[row], made, made.nbytes)])
            found[row] = made
    painted = [_painted(rule, offer, check) for offer in found if offer is not None]
    return _set_up(rule, painted)


def _by_tile(bearers: Sequence[Bearers]) -> dict[tuple[int, int], list[tuple[int, PlacedTile]]]:
    """What stands in each tile, with the row of its layer; sorted by the code of the tile."""
    found: dict[tuple[int, int], list[tuple[int, PlacedTile]]] = {}
    for row, layer in enumerate(bearers):
        for tile in layer.tiles:
            found.setdefault((tile.x, tile.z), []).append((row, tile))
    return dict(sorted(found.items(), key=lambda e: int(code_of(np.array(e[0])))))


def _check_amount(rule: UponRule, bearers: Sequence[Bearers]) -> None:
    triangles = sum(b.triangles() for b in bearers)
    if triangles > MOST_FACES:
        text = f"these stand on {triangles:,} triangles; the limit is {MOST_FACES:,}: choose fewer layers, or thin them"
        raise TooLargeError("on", text)
    area = sum(b.area() for b in bearers)
    about = _STAND * area / rule.spacing**2
    if about > MOST:
        least = math.sqrt(_STAND * area / MOST)
        text = (
            f"{rule.spacing:g} m over {area:,.0f} m² of faces would take more than {MOST:,};"
            f" raise it to {least:.2f} m or choose fewer layers to stand on"
        )
        raise TooLargeError("spacing", text)


def _offer_keys(
    rule: UponRule,
    bearers: Sequence[Bearers],
    things: dict[tuple[int, int], list[tuple[int, PlacedTile]]],
    tiles: TileList,
    surface: Surface,
    rings: int,
) -> UInt64:
    """(t, 2) a hash of all that decides what is offered on the things of each tile."""
    faces = [[f.key for f in b.faces] for b in bearers]
    own = np.array(
        [hash_of([(faces[row], t.key) for row, t in told]).tolist() for told in things.values()],
        np.uint64,
    )
    every = around_each(tiles, rings)
    every = every[np.argsort(code_of(every), kind="stable")]
    told = combine(surface.tile_hashes(every), seen_by(rule.conditions, every))
    for conditions in rule.shares:
        told = combine(told, seen_by(conditions, every))
    return combine(rule.offer_head(), own, around(tiles, code_of(every), told, rings))


def _offer(
    rule: UponRule,
    bearers: Sequence[Bearers],
    things: Sequence[tuple[int, PlacedTile]],
    surface: Surface,
    check: Callable[[], None],
) -> _Offer:
    """What the rule lets stand on `things`, whatever else stands there."""
    parts: list[OnFaces] = []
    for row, tile in things:
        variants = tile.placements.variant
        for v in np.unique(variants).tolist():
            check()
            own = tile.placements.taken(variants == v)
            closeness = CLOSE / rule.spacing**2
            at = candidates(rule.seed, bearers[row].faces[v], own, closeness)
            parts.append(at.taken(_facing(rule, at)))
    at = OnFaces(*(np.concatenate([getattr(p, name) for p in parts]) for name in OnFaces.__slots__))
    at = at.taken(_above(surface, at))
    there = Samples(at.position, at.normal, np.ones(len(at.ids), bool))
    rows = sifted(rule.conditions, there, uniform_array(rule.seed, _CONDITION, at.ids))
    at = at.taken(rows)
    variant = rule.choices.choose(at.ids, shares_at(rule.shares, there.taken(rows)))
    some = np.nonzero(variant != NONE)[0]
    return _Offer(at.taken(some), variant[some])


def _facing(rule: UponRule, at: OnFaces) -> Int64:
    """The rows of those whose face looks the way that is asked for."""
    low, high = rule.facing
    turned = np.degrees(np.arccos(np.clip(at.normal[:, 1], -1.0, 1.0)))
    return np.nonzero((turned >= low) & (turned <= high))[0]


def _above(surface: Surface, at: OnFaces) -> Int64:
    """The rows of those that are not in the ground."""
    x, y, z = (np.ascontiguousarray(c) for c in at.position.T)
    ground = surface.sample(x, z)
    return np.nonzero(~ground.hit | (y > ground.position[:, 1]))[0]


def _standing(offers: Sequence[_Offer], rule: UponRule) -> list[Bool]:
    """Which of each offer find room among all of `offers`."""
    ends = np.cumsum([len(o.variant) for o in offers])[:-1]
    position = np.concatenate([o.at.position for o in offers])
    normal = np.concatenate([o.at.normal for o in offers])
    variant = np.concatenate([o.variant for o in offers])
    ids = np.concatenate([o.at.ids for o in offers])
    order = np.lexsort((ids, np.concatenate([o.at.rank for o in offers])))
    reach = rule.stems[variant].astype(np.float64)
    cell = 2.0 * float(rule.stems.max())
    return np.split(settled(position, normal, reach, order, cell), ends)


def _painted(rule: UponRule, offer: _Offer, check: Callable[[], None]) -> _Offer:
    """Those of `offer` that the brush lets stand, and of which asset."""
    if rule.brush is None or not len(offer.variant):
        return offer
    at = offer.at
    x, _, z = at.position.T
    share = uniform_array(rule.seed, _KEPT, at.ids)
    likes = shares_at(rule.shares, Samples(at.position, at.normal, np.ones(len(x), bool)))
    variant = rule.brush.standing(
        Candidates(x, z, at.ids, share), share, rule.choices, likes, check
    )
    some = np.nonzero(variant != NONE)[0]
    return _Offer(at.taken(some), variant[some])


def _set_up(rule: UponRule, offers: Sequence[_Offer]) -> list[PlacedTile]:
    """The share that is asked for of all that stand, as they stand."""
    variant = np.concatenate([o.variant for o in offers])
    at = _joined([o.at for o in offers])
    draw = uniform_array(rule.seed, _KEPT, at.ids)
    rows = np.nonzero(draw < rule.fill)[0]
    if not len(rows):
        return []
    at, variant, place = at.taken(rows), variant[rows], draw[rows].astype(np.float32)
    flat = rule.pose._replace(sink_low=0.0, sink_high=0.0)
    seed = np.uint64(rule.seed)
    position, rotation, scale = set_up(seed, at.ids, at.position, at.normal, flat, np.zeros(1))
    position -= (at.normal * depths(rule.seed, at.ids, rule.pose)[:, None]).astype(np.float32)
    scale = scale * own_sizes(rule.seed, rule.choices, rule.sizes, at.ids, variant)
    return cut(Placements(at.ids, variant, position, rotation, scale), place)


def _joined(parts: Sequence[OnFaces]) -> OnFaces:
    return OnFaces(
        *(np.concatenate([getattr(p, name) for p in parts]) for name in OnFaces.__slots__)
    )
