"""Facets: what layers come to. Whoever uses results knows facets, never kinds of layer."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.cache import Cache
from plough.core.collider import Collider
from plough.core.ground.areas import Region
from plough.core.ground.classes import GroundClass, GroundCover, Laid, Painted
from plough.core.ground.paths import Curve, Strip
from plough.core.ground.surface import Samples, Surface
from plough.core.hashing import digest, key_of
from plough.core.lay.block_list import Blocks
from plough.core.lay.elevation import Elevation
from plough.core.library.library import switch_distances
from plough.core.library.variants import Variant
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh
from plough.core.place.placements import PlacedTile, Placements, joined

FacetName = Literal["surface", "curve", "region", "placements", "solids", "blocks", "elevation"]


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that is wrong, for the person."""

    code: str  #: such as missing-asset
    text: str  #: a sentence, with the measure
    severity: Literal["note", "warning", "error"] = "warning"
    layer: str = ""
    place: tuple[float, float, float] | None = None  #: metres
    thing: str = ""  #: the id of the placement that it is about
    other: str = ""  #: of what else: a placement, a layer, an asset
    measure: float = 0.0  #: how much is amiss, in the unit that the text names

    @property
    def id(self) -> str:
        """The same as long as the same is amiss with the same."""
        told = "" if self.thing or self.other else self.text
        return key_of(self.code, self.layer, self.thing, self.other, told)[:16]


_PIECES = 1.5  # times as far as an asset of that size: it is made of much smaller things


@dataclass(frozen=True, slots=True)
class Solid:
    """A mesh with a place of its own."""

    name: str  #: unique in its layer
    mesh: Mesh  #: in the scene's own coordinates
    materials: dict[str, Material]  #: by slot
    key: str  #: of mesh and materials
    finish: str = ""  #: what the view dresses it as, where it knows more than a material
    tile: tuple[int, int] | None = None  #: of those that are made by tile
    collider: Collider = field(default_factory=Collider)
    coarser: tuple[Callable[[], Mesh], ...] = field(default=(), compare=False)
    """What makes its levels for farther away, each with fewer triangles than the one before; made when they are asked for."""

    def level(self, detail: int, cache: Cache) -> Mesh:
        """A level of detail, 0 the nearest."""
        if not detail:
            return self.mesh
        key = ("solid level", self.key, detail)
        return cache.get(key, self.coarser[detail - 1], lambda m: m.nbytes)

    @property
    def switch_distances(self) -> tuple[float, ...]:
        """Metres from its bounds at which each level but the last gives way to the next."""
        low, high = self.mesh.bounds()
        across = 0.5 * math.hypot(float(high[0] - low[0]), float(high[2] - low[2]))
        size = (_PIECES * float(high[1] - low[1]), _PIECES * across)
        return switch_distances(size, 1 + len(self.coarser))


def solid(
    name: str,
    mesh: Mesh,
    materials: dict[str, Material],
    finish: str = "",
    tile: tuple[int, int] | None = None,
    collider: Collider | None = None,
) -> Solid:
    """A solid with the key of what it is made of."""
    arrays = (mesh.positions, mesh.normals, mesh.uv0, mesh.indices, mesh.colors)
    parts = [digest(a.tobytes()) for a in arrays if a is not None]
    key = key_of(parts, repr(materials), finish)
    return Solid(name, mesh, materials, key, finish, tile, collider or Collider())


Spin = tuple[float, float, float]
STILL: Spin = (0.0, 0.0, 0.0)


@dataclass(frozen=True, eq=False)
class TiledPlacements:
    """Placements by tile, and the variants that they refer to."""

    variants: tuple[Variant, ...] = ()
    tiles: tuple[PlacedTile, ...] = ()  #: only those that hold any
    spin: Spin = (
        STILL  #: degrees a second about each one's own axes: through its sides, up, to its front
    )
    share: float = 1.0  #: of all that would stand; less while a layer is being tried out
    together: bool = False  #: whether they grow into each other, as in a hedge

    @cached_property
    def count(self) -> int:
        """Number of placements."""
        return sum(t.placements.count for t in self.tiles)

    @cached_property
    def key(self) -> str:
        """Of all that is placed."""
        tiles = [(t.x, t.z, t.key) for t in self.tiles]
        return key_of([v.key for v in self.variants], tiles, *(self.spin if any(self.spin) else ()))

    @cached_property
    def per_variant(self) -> Int64:
        """(variants,) number of placements of each."""
        total = np.zeros(len(self.variants), np.int64)
        for tile in self.tiles:
            total += np.bincount(tile.placements.variant, minlength=len(total))
        return total

    def whole(self) -> Placements:
        """All placements, tile after tile."""
        return joined([t.placements for t in self.tiles])

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return sum(t.nbytes for t in self.tiles)


@dataclass(frozen=True, eq=False)
class Output:
    """What a layer comes to."""

    surface: Surface | None = None
    curves: tuple[Curve, ...] = ()
    regions: tuple[Region, ...] = ()
    placements: TiledPlacements | None = None
    solids: tuple[Solid, ...] = ()
    blocks: Blocks | None = None  #: what the solids are laid of, where they are of blocks
    elevation: Callable[[], Elevation] | None = None  #: gives how it is seen from the side
    findings: tuple[Finding, ...] = ()
    water: float | None = None  #: metres, of the level of standing water on the surface
    classes: tuple[GroundClass, ...] = ()  #: what the surface is covered with
    painted: tuple[Painted, ...] = ()
    walked: tuple[Strip, ...] = ()  #: where people walk, and nothing may be in their way
    follows: tuple[str, ...] = ()  #: the layers whose paths it runs along
    weigh: Callable[[Samples], Float64] | None = None  #: how likely something is placed at a place

    @cached_property
    def key(self) -> str:
        """Tells this result from any other."""
        return key_of(
            self.surface.key if self.surface else "",
            [c.key for c in self.curves],
            [r.key for r in self.regions],
            [w.key for w in self.walked],
            self.placements.key if self.placements else "",
            [(s.name, s.key) for s in self.solids],
            [f.text for f in self.findings],
            self.water,
            [c.model_dump(mode="json") for c in self.classes],
            [s.model_dump(mode="json") for s in self.painted],
        )

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        arrays: Iterable[int] = (
            self.surface.nbytes if self.surface else 0,
            self.placements.nbytes if self.placements else 0,
            self.blocks.nbytes if self.blocks else 0,
            *(s.mesh.nbytes for s in self.solids),
            *(c.nbytes for c in self.curves),
            *(r.nbytes for r in self.regions),
        )
        return 2_000 + sum(arrays)

    def out_of_sight(self) -> Output:
        """What a hidden layer still gives to others: nothing that stands or is seen."""
        return replace(self, placements=None, solids=(), blocks=None, elevation=None, walked=())


Traced = dict[str, Curve | Region]
"""Lines and outlines on the map, by the layer that gives them."""


@dataclass(frozen=True, slots=True)
class Shaped:
    """What a layer makes of the ground, before anything stands on it."""

    surface: Surface
    clear: tuple[Strip | Region, ...] = ()  #: where nothing is planted
    laid: tuple[Laid, ...] = ()


@dataclass(frozen=True, eq=False)
class Ground:
    """What all layers stand on: the surface that the first gives, as all that shape it leave it."""

    surface: Surface
    clear: tuple[Strip | Region, ...] = ()
    laid: tuple[Laid, ...] = ()
    water: float | None = None
    traced: Traced = field(default_factory=dict)
    walked: tuple[str, ...] = ()  #: the layers along whose lines people walk
    cover: GroundCover = field(default_factory=lambda: GroundCover((), ()))

    @cached_property
    def key(self) -> str:
        """Tells it from any other."""
        clear = [c.key for c in self.clear]
        laid = [(x.strip.key, x.look) for x in self.laid]
        traced = [(name, t.key) for name, t in sorted(self.traced.items())]
        return key_of(
            self.surface.key, clear, laid, self.water, traced, self.walked, self.cover.key
        )
