"""Rules that turn candidates into placements on a surface, tile by tile."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, Int64, UInt32, UInt64
from plough.core.cache import Cache
from plough.core.ground.areas import Region
from plough.core.ground.conditions import Weighting, sifted, weights
from plough.core.ground.conditions import seen as seen_by
from plough.core.ground.paths import Strip, strip_distance
from plough.core.ground.surface import Samples, Surface
from plough.core.place.brush import Brushwork
from plough.core.place.candidates import Candidates, Scattered, Source
from plough.core.place.footing import gaps
from plough.core.place.placements import PlacedTile, Placements, by_tile
from plough.core.place.pose import Pose, set_up
from plough.core.place.rows import OnContours, Rows
from plough.core.place.standing import Stand, Taken
from plough.core.place.variants import NONE, Choices
from plough.core.rng import stream, uniform_array
from plough.core.tiles import TileList, around, code_of, combine, grouped, hash_of, tile_of

_CONDITION, _OWN_SIZE = stream("place.condition"), stream("place.own size")
_CLEARED = hash_of("cleared") | np.uint64(1)  # odd: no bit is lost
FINER = 0.5  #: so much closer lie candidates for contour lines: two may come to lie on one place
VERSION = 2  #: raised when the same rule places otherwise


class Pattern(NamedTuple):
    """How candidates lie to each other."""

    lie: Literal["anyhow", "rows", "contours"] = "anyhow"
    rows: float = 1.0  #: metres between rows; of height between contour lines
    turn: float = 0.0  #: radians that rows are turned by about the vertical, from east
    staggered: bool = False  #: every other row half a spacing on
    jitter: float = 0.0  #: of spacing and rows, 0 to 1


@dataclass(frozen=True, slots=True)
class ScatterRule:
    """What a scatter asks of a place and does with a placement."""

    seed: int  #: of the layer, 64 bits
    spacing: float  #: metres between any two
    fill: float  #: share of what fits, 0 to 1
    pattern: Pattern = field(default_factory=Pattern)
    choices: Choices = field(default_factory=lambda: Choices.of([("one", 1.0, (1,))]))
    regions: tuple[Region, ...] = ()  #: none: the whole surface
    conditions: tuple[Weighting, ...] = ()  #: what a place must be like
    cleared: tuple[Strip | Region, ...] = ()  #: where nothing may stand
    apart: float = 0.0  #: metres from what stands already, or from its rim
    shares: tuple[
        tuple[Weighting, ...], ...
    ] = ()  #: of each asset: by what its weight is multiplied
    sizes: tuple[tuple[float, float], ...] = ()  #: of each asset: a size of its own, besides
    pose: Pose = field(default_factory=Pose)
    feet: Float64 = field(
        default_factory=lambda: np.empty(0)
    )  #: (variants,) metres of what each rests on; where it is given, no gap is left under it
    brush: Brushwork | None = None  #: what is painted over the rule

    def head(self) -> UInt64:
        """(2,) a hash of all that acts on every tile alike."""
        values = [self.spacing, self.fill, self.apart]
        mix = self.choices.told()
        limits = [str(v) for v in (*values, *self.pattern, *self.pose)]
        own = [list(s) for s in self.sizes]
        feet = self.feet.tolist()
        brush = None if self.brush is None else [self.brush.alone, self.brush.fill]
        return hash_of([VERSION, self.seed, limits, mix, bool(self.regions), own, feet, brush])


def _domain(
    rule: ScatterRule, surface: Surface, check: Callable[[], None]
) -> tuple[TileList, UInt64]:
    """The tiles that may hold placements, and what each sees of the rule's regions and of what is painted."""
    tiles = surface.tiles()
    painted = np.zeros((len(tiles), 2), np.uint64)
    if rule.brush is not None:
        painted = rule.brush.seen(tiles, check)
        if rule.brush.alone:
            touched = painted.any(axis=1)
            tiles, painted = tiles[touched], painted[touched]
    if not rule.regions:
        return tiles, painted
    seen = np.zeros((len(tiles), 2), np.uint64)
    meets = np.zeros(len(tiles), bool)
    for region in rule.regions:
        hashes, touched = region.seen(tiles)
        seen += hashes
        meets |= touched
    return tiles[meets], combine(seen[meets], painted[meets])


def _keys(
    rule: ScatterRule,
    surface: Surface,
    tiles: TileList,
    seen: UInt64,
    taken: Taken,
    rings: int,
) -> UInt64:
    """(t, 2) a hash of everything that decides what stands in each tile."""
    lines = np.zeros((len(tiles), 2), np.uint64)
    for clear in rule.cleared:
        hashes = clear.seen(tiles)[0] if isinstance(clear, Region) else clear.seen(tiles)
        lines += hashes * _CLEARED
    place = np.repeat(code_of(tiles).astype(np.uint64)[:, None], 2, axis=1)
    near = taken.seen(tiles)
    told = seen_by(rule.conditions, tiles)
    for conditions in rule.shares:
        told = combine(told, seen_by(conditions, tiles))
    ground = surface.tile_hashes(tiles)
    if rings:
        every = surface.tiles()
        ground = around(tiles, code_of(every), surface.tile_hashes(every), rings)
    return combine(rule.head(), place, ground, seen, lines, near, told)


def scatter(
    rule: ScatterRule,
    surface: Surface,
    standing: Sequence[Stand] = (),
    cache: Cache | None = None,
    check: Callable[[], None] = lambda: None,
) -> list[PlacedTile]:
    """Placements of `rule` on `surface`, by tile; tiles that hold none are left out.

    Conditions sift the candidates of the infinite plane, so changing a condition, a region or the
    ground moves none that stays. A tile is computed again only when something changed that it can see.

    Args:
        standing: what earlier layers placed; it keeps its room, `rule.apart` about each.
        cache: holds tiles and candidates from one call to the next.
        check: called now and then; may raise to stop.

    Raises:
        TooLargeError: more would be sampled than the limit; nothing has been sampled then.
    """
    cache = cache or Cache()
    taken = Taken(standing, rule.apart)
    tiles, seen = _domain(rule, surface, check)
    if rule.fill <= 0 or not len(tiles):
        return []
    source = _source(rule, surface, cache, check)
    source.check_amount(tiles)
    keys = _keys(rule, surface, tiles, seen, taken, max(source.rings, len(rule.feet) > 0))
    names = [("placed", a, b) for a, b in keys.tolist()]
    found: list[PlacedTile | None] = cache.look_up(names)
    missing = np.array([k for k, tile in enumerate(found) if tile is None], np.int64)

    def work(rows: Int64) -> list[PlacedTile]:
        check()
        return _place(rule, surface, taken, source, tiles[rows], check)

    groups = grouped(tiles, missing)
    with ThreadPoolExecutor(2) as pool:
        results = list(pool.map(work, groups)) if len(groups) > 1 else [work(g) for g in groups]
    for rows, made in zip(groups, results, strict=True):
        cache.keep((names[r], tile, tile.nbytes) for r, tile in zip(rows, made, strict=True))
        for r, tile in zip(rows.tolist(), made, strict=True):
            found[r] = tile
    return [tile for tile in found if tile is not None and tile.placements.count]


def _source(rule: ScatterRule, surface: Surface, cache: Cache, check: Callable[[], None]) -> Source:
    seed, spacing, (lie, rows, turn, staggered, jitter) = rule.seed, rule.spacing, rule.pattern
    if lie == "rows":
        return Rows(seed, spacing, rows, turn, staggered, jitter, rule.fill)
    if lie == "contours":
        of = Scattered(seed, spacing * FINER, rule.fill, cache, check, surface.bounds)
        return OnContours(of, surface, rows, spacing)
    return Scattered(seed, spacing, rule.fill, cache, check, surface.bounds, rule.regions)


def _place(
    rule: ScatterRule,
    surface: Surface,
    taken: Taken,
    source: Source,
    tiles: TileList,
    check: Callable[[], None],
) -> list[PlacedTile]:
    """What stands in each of `tiles`."""
    points, wanted = source.of_tiles(tiles), code_of(tiles)
    ground = surface.sample(points.x, points.z)
    rows = _allowed(rule, points, ground)
    rows = rows[~taken.at(points.x[rows], points.z[rows], tiles)]
    points, there = points.taken(rows), ground.taken(rows)
    shares = shares_at(rule.shares, there)
    if rule.brush is None:
        variant = rule.choices.choose(points.ids, shares)
    else:
        before = source.share(points.place)
        variant = rule.brush.standing(points, before, rule.choices, shares, check)
    stand = np.nonzero(variant != NONE)[0]
    if len(stand) < len(variant):
        points, there, variant = points.taken(stand), there.taken(stand), variant[stand]
    seed = np.uint64(rule.seed)
    position, rotation, scale = set_up(
        seed, points.ids, there.position, there.normal, rule.pose, np.zeros(1)
    )
    scale = scale * own_sizes(rule.seed, rule.choices, rule.sizes, points.ids, variant)
    if len(rule.feet):
        feet = rule.feet[variant] * scale[:, 0].astype(np.float64)
        position[:, 1] -= np.maximum(0.0, gaps(surface, position, rotation, feet))
    placed = Placements(points.ids, variant, position, rotation, scale)
    codes = code_of(tile_of(points.x, points.z))
    order = np.argsort(wanted, kind="stable")
    first = np.searchsorted(codes, wanted[order])
    starts = np.append(first, len(codes)).astype(np.int64)
    made = by_tile(placed, points.place.astype(np.float32), tiles[order], starts)
    out: list[PlacedTile] = [made[0]] * len(made)
    for k, row in enumerate(order.tolist()):
        out[row] = made[k]
    return out


def weight_of(rule: ScatterRule, at: Samples) -> Float64:
    """(n,) how likely a candidate at each place is to be taken, 0 to 1, whatever stands there already."""
    east, south = at.position[:, 0], at.position[:, 2]
    keep = _within(rule, east, south, at.hit)
    weight = weights(rule.conditions, Samples(at.position, at.normal, keep))
    return weight if rule.brush is None else weight * rule.brush.masks(east, south).max(axis=1)


def shares_at(shares: Sequence[tuple[Weighting, ...]], there: Samples) -> Float64 | None:
    """(n, assets) by what the weight of each asset is multiplied, by the conditions of each; None where all are alike."""
    if not any(shares):
        return None
    return np.stack([weights(conditions, there) for conditions in shares], axis=1)


def own_sizes(
    seed: int,
    choices: Choices,
    sizes: Sequence[tuple[float, float]],
    ids: UInt64,
    variant: UInt32,
) -> Float32:
    """(n, 1) the size that each has as one of its asset, within the `sizes` of that."""
    if all(size == (1.0, 1.0) for size in sizes):
        return np.ones((1, 1), np.float32)
    low, high = np.array(sizes, np.float64)[choices.asset_of(variant)].T
    draw = uniform_array(seed, _OWN_SIZE, ids)
    return np.asarray(low + (high - low) * draw, np.float32)[:, None]


def _within(rule: ScatterRule, east: Float64, south: Float64, hit: Bool) -> Bool:
    """(n,) which places lie on the surface, in one of the rule's regions and in nothing that is kept clear."""
    keep = hit.copy()
    if rule.regions:
        rows = np.nonzero(keep)[0]
        x, z = east[rows], south[rows]
        keep[rows] = np.logical_or.reduce([region.holds(x, z) for region in rule.regions])
    for clear in rule.cleared:
        rows = np.nonzero(keep)[0]
        x, z = east[rows], south[rows]
        within = clear.holds(x, z) if isinstance(clear, Region) else strip_distance(x, z, clear) < 1
        keep[rows[within]] = False
    return keep


def _allowed(rule: ScatterRule, points: Candidates, ground: Samples) -> Int64:
    """(k,) the candidates that meet the rule's conditions, each as likely as its place weighs."""
    keep = _within(rule, points.x, points.z, ground.hit)
    if not rule.conditions:
        return np.nonzero(keep)[0]
    there = Samples(ground.position, ground.normal, keep)
    return sifted(rule.conditions, there, uniform_array(rule.seed, _CONDITION, points.ids))
