"""A scene as an OpenUSD stage: assets with their seeds and levels, tiles that place them, and what holds the tiles."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from plough.core.bake.frame import Frame
from plough.core.bake.pieces import Stored
from plough.core.bake.shop import Form, Shop
from plough.core.bake.tiled import Placed, TileRecipe, about, merged
from plough.core.formats.glb import Images
from plough.core.formats.obj import mesh_obj
from plough.core.formats.usd import Instanced, levels_usd, tile_usd
from plough.core.hashing import key_of
from plough.core.kernels import core_key
from plough.core.lamp import Lamp, placed_at
from plough.core.library.variants import Variant
from plough.core.mesh.material import Material


def _one_up(images: Images) -> Images:
    """Addresses of images, as seen from a folder in one that lies beside theirs."""

    def of(material: Material) -> dict[str, bytes | str]:
        return {k: f"../{v}" if isinstance(v, str) else v for k, v in images(material).items()}

    return of


@dataclass(frozen=True, slots=True)
class AssetStageRecipe:
    """Makes an asset: all its variants that are placed, with `levels` levels each."""

    asset: str
    variants: tuple[Variant, ...]
    levels: tuple[int, ...]
    form: Form

    @property
    def key(self) -> str:
        """Of all that it is made from."""
        seeds = [(v.key, v.called) for v in self.variants]
        form = asdict(self.form)
        return key_of(core_key(), "asset stage", self.asset, seeds, self.levels, form)

    def make(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        """The file, and the images that it draws from."""
        images, used = shop.images(self.form)
        seeds = []
        for v, many in zip(self.variants, self.levels, strict=True):
            products = [shop.library.written(v, d, shop.check) for d in range(many)]
            seeds.append((v.called, [(p.mesh, p.materials) for p in products]))
        data = levels_usd(self.asset, seeds, _one_up(images))
        return {f"usd/assets/{self.asset}.usdc": data, **used}, {}


@dataclass(frozen=True, slots=True)
class TileStageRecipe:
    """Makes a tile of what is gathered for the file of a tile."""

    tile: TileRecipe

    def make(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        """The file, and the images that it draws from."""
        images, used = shop.images(self.tile.form)
        middle = self.tile.middle
        meshes = [("ground", g.mesh, g.materials) for g in self.tile.ground[:1]]
        for solids in self.tile.solids:
            meshes.append((f"{solids.layer} solids", *merged(solids.levels[0])))
        near = [(name, about(mesh, middle), materials) for name, mesh, materials in meshes]
        layers = [_instanced(placed, shop) for placed in self.tile.placed]
        lamps = [x for placed in self.tile.placed for x in _lamps(placed, shop)]
        data = tile_usd(self.tile.name, near, layers, lamps, middle, _one_up(images))
        return {self.tile.path: data, **used}, {}


@dataclass(frozen=True, slots=True)
class ObjRecipe:
    """Makes the levels of a variant as Wavefront OBJ."""

    variant: Variant
    names: tuple[str, ...]
    form: Form
    frame: Frame

    @property
    def key(self) -> str:
        """Of all that it is made from."""
        form, frame = asdict(self.form), asdict(self.frame)
        return key_of(core_key(), "obj", self.variant.key, self.names, form, frame)

    def make(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        """A file and its materials for each level, and the images that they draw from."""
        images, used = shop.images(self.form)
        files: dict[str, bytes | Stored] = {}
        for d, name in enumerate(self.names):
            product = shop.library.written(self.variant, d, shop.check)
            made = mesh_obj(self.frame.mesh(product.mesh), product.materials, name, images)
            files |= {f"obj/{path}": data for path, data in made.items()}
        return files | used, {}


def _instanced(placed: Placed, shop: Shop) -> Instanced:
    """The placements of a layer, as an instancer holds them."""
    p = placed.placements
    which = np.zeros(p.count, np.int32)
    size = np.zeros(p.count)
    prototypes = []
    for k, g in enumerate(placed.groups):
        which[g.first : g.last] = k
        size[g.first : g.last] = sum(shop.made(g.drawn.piece).piece.says["size"])
        called = g.drawn.label.removeprefix(f"{g.drawn.asset}-")
        prototypes.append((f"../assets/{g.drawn.asset}.usdc", g.drawn.asset, called))
    reach = size * p.scale.max(axis=1)
    return Instanced(
        placed.layer, prototypes, which, p.ids, p.position, p.rotation, p.scale, reach, placed.spin
    )


def _lamps(placed: Placed, shop: Shop) -> Sequence[tuple[str, Lamp]]:
    """The lamps of all placements of a layer, where they hang."""
    out = []
    p = placed.placements
    for g in placed.groups:
        own = slice(g.first, g.last)
        for k, lamp in enumerate(shop.made(g.drawn.piece).lamps):
            places = placed_at(lamp, p.position[own], p.rotation[own], p.scale[own])
            for code, at in zip(p.ids[own].tolist(), places.tolist(), strict=True):
                name = f"lamp_{placed.layer}_{code:016x}_{k}"
                out.append((name, Lamp(tuple(at), lamp.color, lamp.lumens, lamp.radius)))
    return out
