"""Rules that turn candidates into placements on a surface, tile by tile."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt32, UInt64
from plough.core.cache import Cache
from plough.core.ground.areas import Region
from plough.core.ground.conditions import Weighting, sifted, weights
from plough.core.ground.conditions import seen as seen_by
from plough.core.ground.paths import Strip, strip_distance
from plough.core.ground.surface import Samples, Surface
from plough.core.place.candidates import (
    GROUP,
    Candidates,
    Source,
    block_size,
    check_amount,
)
from plough.core.place.near import any_near
from plough.core.place.placements import PlacedTile, Placements, by_tile, standing_of
from plough.core.place.pose import Pose, set_up
from plough.core.place.standing import ByTile
from plough.core.place.variants import NONE, Choices
from plough.core.rng import stream, uniform_array
from plough.core.tiles import (
    SIZE,
    TileList,
    code_of,
    combine,
    hash_of,
    region_hashes,
    tile_of,
    unique_tiles,
)

_CONDITION, _OWN_SIZE = stream("place.condition"), stream("place.own size")
_CLEARED = hash_of("cleared") | np.uint64(1)  # odd: no bit is lost
VERSION = 1  #: raised when the same rule places otherwise


@dataclass(frozen=True, slots=True)
class ScatterRule:
    """What a scatter asks of a place and does with a placement."""

    seed: int  #: of the layer, 64 bits
    spacing: float  #: metres between any two
    fill: float  #: share of what fits, 0 to 1
    choices: Choices = field(default_factory=lambda: Choices.of([("one", 1.0, (1,))]))
    regions: tuple[Region, ...] = ()  #: none: the whole surface
    conditions: tuple[Weighting, ...] = ()  #: what a place must be like
    cleared: tuple[Strip | Region, ...] = ()  #: where nothing may stand
    apart: float = 0.0  #: metres from what stands already
    shares: tuple[
        tuple[Weighting, ...], ...
    ] = ()  #: of each asset: by what its weight is multiplied
    sizes: tuple[tuple[float, float], ...] = ()  #: of each asset: a size of its own, besides
    pose: Pose = field(default_factory=Pose)

    def head(self) -> UInt64:
        """(2,) a hash of all that acts on every tile alike."""
        values = [self.spacing, self.fill, self.apart]
        mix = [getattr(self.choices, n).tolist() for n in Choices.__slots__]
        limits = [str(v) for v in (*values, *self.pose)]
        own = [list(s) for s in self.sizes]
        return hash_of([VERSION, self.seed, limits, mix, bool(self.regions), own])


def _domain(rule: ScatterRule, surface: Surface) -> tuple[TileList, UInt64]:
    """The tiles that may hold placements, and what each sees of the rule's regions."""
    tiles = surface.tiles()
    seen = np.zeros((len(tiles), 2), np.uint64)
    if not rule.regions:
        return tiles, seen
    meets = np.zeros(len(tiles), bool)
    for region in rule.regions:
        hashes, touched = region.seen(tiles)
        seen += hashes
        meets |= touched
    return tiles[meets], seen[meets]


def _keys(
    rule: ScatterRule, surface: Surface, tiles: TileList, seen: UInt64, standing: ByTile
) -> UInt64:
    """(t, 2) a hash of everything that decides what stands in each tile."""
    lines = np.zeros((len(tiles), 2), np.uint64)
    for clear in rule.cleared:
        hashes = clear.seen(tiles)[0] if isinstance(clear, Region) else clear.seen(tiles)
        lines += hashes * _CLEARED
    place = np.repeat(code_of(tiles).astype(np.uint64)[:, None], 2, axis=1)
    near = standing.seen(tiles, lambda _, tile: tile.standing)
    told = seen_by(rule.conditions, tiles)
    for conditions in rule.shares:
        told = combine(told, seen_by(conditions, tiles))
    return combine(rule.head(), place, surface.tile_hashes(tiles), seen, lines, near, told)


def scatter(
    rule: ScatterRule,
    surface: Surface,
    standing: Sequence[Sequence[PlacedTile]] = (),
    cache: Cache | None = None,
    check: Callable[[], None] = lambda: None,
) -> list[PlacedTile]:
    """Placements of `rule` on `surface`, by tile; tiles that hold none are left out.

    Conditions sift the candidates of the infinite plane, so changing a condition, a region or the
    ground moves none that stays. A tile is computed again only when something changed that it can see.

    Args:
        standing: what earlier layers placed; it keeps its room.
        cache: holds tiles and candidates from one call to the next.
        check: called now and then; may raise to stop.

    Raises:
        TooLargeError: more would be sampled than the limit; nothing has been sampled then.
    """
    cache = cache or Cache()
    taken = ByTile(standing, rule.apart)
    tiles, seen = _domain(rule, surface)
    if rule.fill <= 0 or not len(tiles):
        return []
    check_amount(len(_blocks(rule, surface, tiles)), rule.spacing)
    keys = _keys(rule, surface, tiles, seen, taken)
    names = [("placed", a, b) for a, b in keys.tolist()]
    found: list[PlacedTile | None] = cache.look_up(names)
    missing = np.array([k for k, tile in enumerate(found) if tile is None], np.int64)
    source = Source(rule.seed, rule.spacing, rule.fill, cache, check)

    def work(rows: Int64) -> list[PlacedTile]:
        check()
        return _place(rule, surface, taken, source, tiles[rows])

    groups = _grouped(tiles, missing)
    with ThreadPoolExecutor(2) as pool:
        results = list(pool.map(work, groups)) if len(groups) > 1 else [work(g) for g in groups]
    for rows, made in zip(groups, results, strict=True):
        cache.keep((names[r], tile, tile.nbytes) for r, tile in zip(rows, made, strict=True))
        for r, tile in zip(rows.tolist(), made, strict=True):
            found[r] = tile
    return [tile for tile in found if tile is not None and tile.placements.count]


def _grouped(tiles: TileList, rows: Int64) -> list[Int64]:
    """`rows` of tiles, by the group of blocks that they lie in."""
    if not len(rows):
        return []
    codes = code_of(np.floor(tiles[rows] * (SIZE / GROUP)).astype(np.int64))
    order = np.argsort(codes, kind="stable")
    cuts = np.nonzero(np.diff(codes[order]))[0] + 1
    return [rows[part] for part in np.split(order, cuts)]


def _blocks(rule: ScatterRule, surface: Surface, tiles: TileList) -> TileList:
    """The blocks of candidates that `tiles` need."""
    size = block_size(rule.spacing)
    if size >= SIZE:
        return unique_tiles(np.floor(tiles * (SIZE / size)).astype(np.int64))
    per = round(SIZE / size)
    inner = np.stack(np.meshgrid(np.arange(per), np.arange(per)), axis=-1).reshape(-1, 2)
    blocks = unique_tiles((tiles[:, None, :] * per + inner[None]).reshape(-1, 2))
    x0, z0, x1, z1 = surface.bounds
    keep = ((blocks + 1) * size > [x0, z0]).all(axis=1) & (blocks * size < [x1, z1]).all(axis=1)
    if rule.regions:
        meets = [region_hashes(np.ascontiguousarray(r.ring), blocks, size)[1] for r in rule.regions]
        keep &= np.logical_or.reduce(meets)
    return blocks[keep]


def _place(
    rule: ScatterRule, surface: Surface, taken: ByTile, source: Source, tiles: TileList
) -> list[PlacedTile]:
    """What stands in each of `tiles`."""
    points = source.of_blocks(_blocks(rule, surface, tiles))
    codes, wanted = code_of(tile_of(points.x, points.z)), code_of(tiles)
    points = points.taken(np.nonzero(np.isin(codes, wanted))[0])
    ground = surface.sample(points.x, points.z)
    rows = _allowed(rule, points, ground)
    if rule.apart > 0:
        stems = standing_of(tile for _, tile in taken.about(tiles))
        near = any_near(points.x[rows], points.z[rows], stems, rule.apart)
        rows = rows[~near]
    points, there = points.taken(rows), ground.taken(rows)
    variant = rule.choices.choose(points.ids, _shares(rule, there))
    stand = np.nonzero(variant != NONE)[0]
    if len(stand) < len(variant):
        points, there, variant = points.taken(stand), there.taken(stand), variant[stand]
    seed = np.uint64(rule.seed)
    position, rotation, scale = set_up(seed, points.ids, there.position, there.normal, rule.pose)
    placed = Placements(
        points.ids, variant, position, rotation, scale * _sizes(rule, points.ids, variant)
    )
    codes = code_of(tile_of(points.x, points.z))
    order = np.argsort(wanted, kind="stable")
    first = np.searchsorted(codes, wanted[order])
    starts = np.append(first, len(codes)).astype(np.int64)
    made = by_tile(placed, tiles[order], starts)
    out: list[PlacedTile] = [made[0]] * len(made)
    for k, row in enumerate(order.tolist()):
        out[row] = made[k]
    return out


def _shares(rule: ScatterRule, there: Samples) -> Float64 | None:
    """(n, assets) by what the weight of each asset is multiplied; None where all are alike."""
    if not any(rule.shares):
        return None
    return np.stack([weights(conditions, there) for conditions in rule.shares], axis=1)


def _sizes(rule: ScatterRule, ids: UInt64, variant: UInt32) -> Float32:
    """(n, 1) the size that each has as one of its asset."""
    if all(size == (1.0, 1.0) for size in rule.sizes):
        return np.ones((1, 1), np.float32)
    low, high = np.array(rule.sizes, np.float64)[rule.choices.asset_of(variant)].T
    draw = uniform_array(rule.seed, _OWN_SIZE, ids)
    return np.asarray(low + (high - low) * draw, np.float32)[:, None]


def _allowed(rule: ScatterRule, points: Candidates, ground: Samples) -> Int64:
    """(k,) the candidates that meet the rule's conditions, each as likely as its place weighs."""
    keep = ground.hit.copy()
    if rule.regions:
        rows = np.nonzero(keep)[0]
        x, z = points.x[rows], points.z[rows]
        keep[rows] = np.logical_or.reduce([region.holds(x, z) for region in rule.regions])
    for clear in rule.cleared:
        rows = np.nonzero(keep)[0]
        x, z = points.x[rows], points.z[rows]
        within = clear.holds(x, z) if isinstance(clear, Region) else strip_distance(x, z, clear) < 1
        keep[rows[within]] = False
    if not rule.conditions:
        return np.nonzero(keep)[0]
    there = Samples(ground.position, ground.normal, keep)
    return sifted(rule.conditions, there, uniform_array(rule.seed, _CONDITION, points.ids))
