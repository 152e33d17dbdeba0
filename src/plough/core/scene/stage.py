"""A scene as it is judged: what its layers placed, in one order of precedence, the bodies of all of it, and what is kept clear."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, partial

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.ground.areas import Region
from plough.core.ground.paths import Curve, Strip, strip_distance
from plough.core.ground.surface import Surface
from plough.core.ground.triangles import TriangleSurface
from plough.core.library.library import Library
from plough.core.library.variants import Variant
from plough.core.place.amiss import Crowd, Outlines
from plough.core.place.bodies import Body, Shapes
from plough.core.place.placements import PlacedTile, Placements, joined
from plough.core.scene.document import Layer, LayerGame
from plough.core.scene.evaluation import Evaluation, LayerResult
from plough.core.scene.registry import get_layer_kind
from plough.core.tiles import TileList, around, around_each, code_of, combine, hash_of

_VERSION = 1  #: raised when the same scene is judged otherwise


@dataclass(frozen=True, eq=False)
class Kept:
    """A place where nothing is planted, or where people walk."""

    layer: str
    name: str
    where: Strip | Region
    clear: bool  #: nothing at all may stand there
    walked: bool  #: nothing may stand there that stops who walks

    def depth(self, x: Float64, z: Float64) -> Float64:
        """(n,) metres from each place to its border; 0 outside."""
        if isinstance(self.where, Strip):
            rel = strip_distance(x, z, self.where)
            return np.maximum(0.0, (1.0 - np.minimum(rel, 1.0)) * self.where.reach)
        within = self.where.holds(x, z)
        out = np.zeros(len(x))
        if within.any():
            from shapely import Polygon, distance, points

            border = Polygon(self.where.ring, self.where.holes).boundary
            out[within] = distance(border, points(x[within], z[within]))
        return out

    def seen(self, tiles: TileList) -> UInt64:
        """(t, 2) a hash of what each tile sees of it."""
        found = self.where.seen(tiles)
        return found[0] if isinstance(found, tuple) else found


class Stage:
    """A scene as it is judged: what its layers placed, in one order, and the bodies of all of it."""

    def __init__(
        self,
        evaluation: Evaluation,
        library: Library,
        check: Callable[[], None] = lambda: None,
        also: str = "",
    ) -> None:
        """`also` names a layer that is looked at even where it only throws shade."""
        self.evaluation, self.library, self.check = evaluation, library, check
        self.ground = evaluation.ground
        self.layers: list[LayerResult] = []
        self.first: list[int] = []  # row of the first variant of each layer
        self.variants: list[Variant] = []
        heads: list[object] = []
        bodies: list[tuple[Body, ...]] = []
        outlines: list[Float64] = []
        for result in evaluation.layers:
            placed = result.output.placements
            if (
                placed is None
                or not placed.count
                or (_shade(result.layer) and result.layer.id != also)
            ):
                continue
            self.first.append(len(self.variants))
            self.layers.append(result)
            passable = _passable(result.layer.game)
            for variant, count in zip(placed.variants, placed.per_variant.tolist(), strict=True):
                check()
                found = library.bodies(variant, check) if count else ()
                bodies.append(tuple(b._replace(blocks=b.blocks and not passable) for b in found))
                outlines.append(library.outline(variant, check) if count else np.zeros((1, 3)))
                self.variants.append(variant)
            stands = get_layer_kind(result.layer.kind).stands
            heads.append(
                [
                    [v.key for v in placed.variants],
                    passable,
                    stands,
                    any(placed.spin),
                    placed.together,
                ]
            )
        self.shapes = Shapes.of(bodies)
        self.outlines = (
            Outlines.of(outlines) if outlines else Outlines(np.empty((0, 3)), np.zeros(1, np.int64))
        )
        self.head = hash_of([_VERSION, heads, self.ground.water, self.follows()])
        #: of each layer, whether its things grow into each other
        self.together = np.array([r.output.placements.together for r in self.layers], np.bool_)  # type: ignore[union-attr]
        self.free = [
            get_layer_kind(r.layer.kind).stands != "on something" or any(r.output.placements.spin)  # type: ignore[union-attr]
            for r in self.layers
        ]

    def follows(self) -> list[list[str]]:
        """Of each layer, the paths that it runs along."""
        return [sorted(r.output.follows) for r in self.layers]

    @property
    def surface(self) -> Surface:
        """What things stand on."""
        return self.ground.surface

    @cached_property
    def by_tile(self) -> dict[int, list[tuple[int, PlacedTile]]]:
        """What stands in each tile by its code, with the row of its layer; in the order of layers."""
        out: dict[int, list[tuple[int, PlacedTile]]] = {}
        for row, result in enumerate(self.layers):
            placed = result.output.placements
            assert placed is not None
            tiles = np.array([(t.x, t.z) for t in placed.tiles], np.int64).reshape(-1, 2)
            for code, tile in zip(code_of(tiles).tolist(), placed.tiles, strict=True):
                out.setdefault(code, []).append((row, tile))
        return dict(sorted(out.items()))

    @cached_property
    def kept(self) -> list[Kept]:
        """Where nothing is planted, and where people walk."""
        clear = {c.key for c in self.ground.clear}
        out = []
        for result in self.evaluation.layers:
            own, walked = result.layer, {w.key: w for w in result.output.walked}
            traced = self.ground.traced.get(own.id)
            where = traced.strip if isinstance(traced, Curve) else traced
            if where is not None and (where.key in clear or where.key in walked):
                out.append(Kept(own.id, own.name, where, where.key in clear, where.key in walked))
        return out

    def crowd(self, codes: Int64, own: Int64) -> tuple[Crowd, Int64]:
        """All that stands in the tiles `codes`, those of `own` to be judged; and the row of the layer of each."""
        parts: list[Placements] = []
        rows: list[int] = []
        judged: list[bool] = []
        mine = set(own.tolist())
        found = [
            (row, tile, code in mine)
            for code in codes.tolist()
            for row, tile in self.by_tile.get(code, ())
        ]
        for row, tile, is_own in sorted(found, key=lambda f: f[0]):
            shift = np.uint32(self.first[row])
            parts.append(replace(tile.placements, variant=tile.placements.variant + shift))
            rows.append(row)
            judged.append(is_own)
        counts = [p.count for p in parts]
        layer = np.repeat(np.array(rows, np.int64), counts)
        free = np.array(self.free, bool)[layer] if parts else np.empty(0, bool)
        flags = np.repeat(np.array(judged, bool), counts)
        return Crowd(joined(parts), flags, free, self.outlines, self.shapes), layer

    def under(self, points: Float64) -> Float64:
        """(n,) metres of the highest solid at or below each point (n, 3), -inf where there is none."""
        out = np.full(len(points), -np.inf)
        cache = self.library.cache
        for result in self.evaluation.layers:
            for solid in result.output.solids:
                low, high = solid.mesh.bounds()
                x, z = points[:, 0], points[:, 2]
                near = (x >= low[0]) & (x <= high[0]) & (z >= low[2]) & (z <= high[2])
                if not near.any():
                    continue
                name = ("solid surface", solid.key)
                made = cache.get(name, partial(TriangleSurface, solid.mesh), lambda s: s.nbytes)
                start = points[near] + [0.0, 0.02, 0.0]
                down = np.tile([0.0, -1.0, 0.0], (len(start), 1))
                out[near] = np.maximum(out[near], start[:, 1] - made.cast(start, down).distance)
        return out

    def keys(self, tiles: TileList) -> UInt64:
        """(t, 2) a hash of all that decides what is amiss in each tile."""
        codes = np.array(list(self.by_tile), np.int64)
        own = [
            hash_of([(row, t.key) for row, t in there]).tolist() for there in self.by_tile.values()
        ]
        told = around(tiles, codes, np.array(own, np.uint64).reshape(-1, 2), 1)
        ring = around_each(tiles, 1)
        ground = around(tiles, code_of(ring), self.surface.tile_hashes(ring), 1)
        solids = hash_of([s.key for r in self.evaluation.layers for s in r.output.solids])
        out = combine(self.head, solids, told, ground)
        for kept in self.kept:
            out = combine(out, hash_of([kept.layer, kept.clear, kept.walked]), kept.seen(tiles))
        return out

    def stops(self) -> Bool:
        """(variants,) whether each is in the way of those who walk."""
        out = np.zeros(len(self.variants), bool)
        body = np.repeat(np.arange(len(self.variants)), np.diff(self.shapes.first))
        out[body[self.shapes.blocks]] = True
        return out


def _shade(layer: Layer) -> bool:
    """Whether what a layer places only throws shade: it is nowhere itself."""
    return layer.shadow == "only"


def _passable(game: LayerGame) -> bool:
    """Whether a layer says that its things are in nobody's way."""
    return game.colliders == "none" or game.movement == "no"
