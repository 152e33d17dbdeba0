"""The levels, the colliders and the measures of one variant, as a piece of a bake."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from plough.core.arrays import Float64
from plough.core.bake.colliders import box_meshes, collider_meshes
from plough.core.bake.fit import fit_of
from plough.core.bake.pieces import Stored
from plough.core.bake.shop import Form, Shop, told_of
from plough.core.formats.glb import GlbBuilder, mesh_glb
from plough.core.formats.images import png
from plough.core.hashing import key_of
from plough.core.kernels import core_key
from plough.core.kinds import Product, get_kind
from plough.core.library.library import Library
from plough.core.library.variants import Variant
from plough.core.mesh.mass import mass_of
from plough.core.mesh.material import halved_to
from plough.core.mesh.value import Mesh

WITHIN = "."  #: what the paths of files begin with that are for other pieces alone


def collider_bodies(product: Product, colliders: str) -> list[Mesh]:
    """The meshes of a product's colliders, as the bake asks for them."""
    if colliders == "none":
        return []
    make = collider_meshes if colliders == "asset" else box_meshes
    return list(make(product.collider))


@dataclass(frozen=True, slots=True)
class VariantRecipe:
    """Makes a variant.

    Args:
        names: of the levels that are written.
        apart: whether each level is a file of its own, rather than meshes that tiles draw from.
        bodies: whether colliders are written.
    """

    variant: Variant
    names: tuple[str, ...]
    form: Form
    apart: bool
    bodies: bool

    @property
    def key(self) -> str:
        """Of all that it is made from."""
        v = self.variant
        return key_of(
            core_key(),
            "variant",
            v.key,
            v.label,
            self.names,
            asdict(self.form),
            self.apart,
            self.bodies,
        )

    def make(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        """The files, and the measures of all levels."""
        v, library = self.variant, shop.library
        files: dict[str, bytes | Stored] = {}
        images, used = shop.images(self.form)
        levels, measured = [], {}
        for d, name in enumerate(self.names):
            product = library.written(v, d, shop.check)
            mesh: Mesh = product.mesh
            light: dict[str, Any] = {}
            if get_kind(v.kind).hard and d < get_kind(v.kind).levels:
                mesh, light = self.form.lit(mesh)
            if d == 0:
                measured = light
            builder = GlbBuilder(images, self.form.packs)
            shape = builder.add_mesh(mesh, product.materials, name, f"{v.asset} ")
            path = f"levels/{name}.glb" if self.form.levels else f"{WITHIN}/{name}.glb"
            if not self.apart:
                path = f"shapes/{name}.bin"
            levels.append(told_of(path, builder.outside()))
            if not self.apart:
                files[path] = builder.body
                continue
            lights = [
                builder.add_node(
                    f"{name}-lamp-{k}", light=builder.add_light(x, name), translation=x.position
                )
                for k, x in enumerate(product.lamps)
            ]
            files[path] = builder.finish([builder.add_node(name, shape, children=lights)])
        near = library.level(v, 0, shop.check)
        bodies = self._bodies(near, files)
        height, canopy = library.size(v)
        kinds = range(library.levels_of(v))
        says = {
            "levels": levels,
            "bodies": bodies,
            "lamps": [asdict(x) for x in near.lamps],
            "collides": near.collider.extras(),
            "triangles": [library.facts(v, d, shop.check).triangles for d in kinds],
            "size": [height, canopy],
            "measured": {**measured, **_body(near), **_collider(near), **self._sheet(shop, files)},
        }
        return files | used, says

    def _sheet(self, shop: Shop, files: dict[str, bytes | Stored]) -> dict[str, Any]:
        """How near the nearest level with maps of its own comes, and where its marks are, which are written among `files`."""
        levels = range(len(self.names))
        found = (shop.library.sheet(self.variant, d, shop.check) for d in levels)
        sheet = next((s for s in found if s is not None), None)
        if sheet is None:
            return {}
        path = f"marks/{self.variant.label}.png"
        if self.form.textures:
            files[path] = png(halved_to(sheet.marks, self.form.texture))
        look = {name: float(f"{v:.4g}") for name, v in asdict(sheet.look).items()}
        return {"sheet": look | ({"marks": path} if self.form.textures else {})}

    def _bodies(self, near: Product, files: dict[str, bytes | Stored]) -> dict[str, Any] | None:
        """What is told of the colliders' meshes, which are written among `files`."""
        bodies = collider_bodies(near, self.form.colliders) if self.bodies else []
        if not bodies:
            return None
        label = self.variant.label
        builder = GlbBuilder(packs=self.form.packs)
        for k, body in enumerate(bodies):
            builder.add_mesh(body, {}, f"collider-{label}-{k}")
        path = f"{WITHIN}/colliders.bin" if self.apart else f"shapes/colliders/{label}.bin"
        files[path] = builder.body
        return told_of(path, builder.outside())


@dataclass(frozen=True, slots=True)
class DomeRecipe:
    """Makes a variant as a card that faces the eye."""

    variant: Variant
    form: Form

    @property
    def key(self) -> str:
        """Of all that it is made from."""
        return key_of(core_key(), "dome", self.variant.key, self.variant.label, asdict(self.form))

    def make(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        """The file."""
        v = self.variant
        product = shop.library.dome(v, shop.check)
        images, used = shop.images(self.form)
        data = mesh_glb(
            product.mesh, product.materials, f"{v.label}-dome", images, packs=self.form.packs
        )
        return {f"domes/{v.label}.glb": data, **used}, {}


def domed(library: Library, variant: Variant) -> bool:
    """Whether a card that faces the eye can be made of it."""
    return get_kind(variant.kind).impostor and not library.shelled(variant)


def _body(near: Product) -> dict[str, Any]:
    """What a physics engine begins with, of what says how much it weighs and has a convex collider."""
    density = getattr(near.game, "density", None)
    if density is None or not near.collider.pieces:
        return {}
    found = mass_of(near.collider.pieces, density)
    told = {
        "mass": float(f"{found.mass:.6g}"),
        "centre": _plain(found.centre),
        "inertia": _plain(found.inertia),
    }
    return {"body": told}


def _collider(near: Product) -> dict[str, Any]:
    """How well its colliders stand for it."""
    found = fit_of(near)
    return {} if found is None else {"collider": asdict(found)}


def _plain(values: Float64) -> list[Any]:
    """Numbers of six digits."""
    rounded: list[Any] = (
        np.array([float(f"{v:.6g}") for v in values.flat]).reshape(values.shape).tolist()
    )
    return rounded
