"""Evaluation: an incremental build of the layers, in order.

A layer's key is the hash of its kind, its parameters and the keys of what it reads. The same key gives the cached result, so changing a
layer recomputes it and what reads it, nothing else.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any, cast

import numpy as np

from plough.core.arrays import Float64, UInt8
from plough.core.cache import Cache
from plough.core.errors import FormatError
from plough.core.formats.images import Load, with_images
from plough.core.ground import HeightField, make_terrain
from plough.core.ground.areas import check_polygon
from plough.core.ground.paths import path_line, ribbon
from plough.core.hashing import key_of
from plough.core.kinds import LEVELS, Product, get_kind
from plough.core.mesh.cards import make_card
from plough.core.mesh.material import Material
from plough.core.mesh.picture import Frame, draw_picture, frame_of, small
from plough.core.mesh.silhouette import difference, silhouettes
from plough.core.mesh.unwrap import second_uv
from plough.core.mesh.value import Mesh
from plough.core.parameters import build
from plough.core.place.rules import Placements, ScatterRule, give_way, scatter
from plough.core.scene.document import Asset, SceneDocument, resolved
from plough.core.scene.layers import AreaParameters, Layer, PathParameters, ScatterParameters

_CODE = {"ground": 1, "path": 1, "area": 1, "scatter": 1, "bake": 1}  #: raised when a layer's code gives another result

#: a level is left for the next where the asset's height covers less than this share of the view's height
COVERAGE = (0.34, 0.14, 0.065)
_SMALL = 128  #: pixels a side of the textures that small pictures are drawn with
_VIEW_SLOPE = 2.0 * math.tan(math.radians(25.0))  #: height of a 50 degree view, by distance


@dataclass(frozen=True, slots=True)
class Variant:
    """One seed of one asset."""

    asset: str
    name: str
    kind: str
    parameters: dict[str, Any]
    seed: int
    key: str  #: of kind, version, parameters, images and seed
    images: tuple[tuple[str, str], ...] = ()  #: (slot.map, hash) of images of one's own

    @property
    def label(self) -> str:
        """A name for nodes and files."""
        return f"{self.asset}-{self.seed}"


@dataclass(frozen=True, slots=True)
class PathResult:
    """A path on the ground."""

    line: Float64  #: (n, 2) metres
    mesh: Mesh
    length: float  #: metres


@dataclass(frozen=True, slots=True)
class Scattered:
    """Placements and the variants that they refer to."""

    placements: Placements
    variants: tuple[Variant, ...]

    def per_variant(self) -> Any:
        """(variants,) number of placements of each."""
        return np.bincount(self.placements.variant, minlength=len(self.variants))


@dataclass(frozen=True, slots=True)
class LayerResult:
    """What a layer came to."""

    layer: Layer
    key: str
    ground: HeightField | None = None
    path: PathResult | None = None
    area: Float64 | None = None
    scattered: Scattered | None = None
    notes: tuple[str, ...] = ()  #: what is missing or refused, for the person


@dataclass(frozen=True, slots=True)
class Evaluation:
    """All layers of a scene."""

    document: SceneDocument
    layers: tuple[LayerResult, ...]

    @property
    def ground(self) -> HeightField:
        """The height field."""
        field = self.layers[0].ground
        assert field is not None
        return field

    def layer(self, layer_id: str) -> LayerResult:
        """The result of one layer."""
        return next(r for r in self.layers if r.layer.id == layer_id)


def switch_distances(height: float) -> tuple[float, ...]:
    """Metres at which each level of detail but the last gives way to the next, for an asset of `height` metres."""
    return tuple(height / (c * _VIEW_SLOPE) for c in COVERAGE)


def variant_of(asset: str, name: str, kind_name: str, parameters: dict[str, Any], seed: int, images: Mapping[str, str]) -> Variant:
    """A variant with the key of all that it is made from."""
    kind = get_kind(kind_name)
    own = tuple(sorted(images.items()))
    key = key_of(kind.name, kind.version, parameters, seed, *([own] if own else []))
    return Variant(asset, name, kind.name, parameters, seed, key, own)


def _no_images(name: str) -> bytes:
    raise FormatError(f"the image {name} is not here; give the images along with the document")


class Evaluator:
    """Evaluates scenes over one cache."""

    def __init__(self, cache: Cache | None = None, load: Load | None = None) -> None:
        self.cache = cache or Cache()
        self._load = load or _no_images

    def product(self, variant: Variant, detail: int) -> Product:
        """The asset `variant` at one level of detail."""

        def make() -> Product:
            kind = get_kind(variant.kind)
            product = kind.make(build(kind.parameters, variant.parameters), variant.seed, detail)
            return (
                replace(product, materials=with_images(product.materials, dict(variant.images), self._load)) if variant.images else product
            )

        return self.cache.get(f"product {variant.key} {detail}", make, lambda p: p.mesh.nbytes)

    def card(self, variant: Variant) -> Product:
        """The asset as two crossed cards, for the far distance."""

        def make() -> Product:
            product = self.product(variant, 0)
            albedo = {slot: self._albedo(material) for slot, material in product.materials.items()}
            mesh, materials = make_card(product.mesh, product.materials, albedo, variant.key, form=product.game.card)
            return replace(product, mesh=mesh, materials=materials)

        return self.cache.get(f"card {variant.key}", make, lambda p: p.mesh.nbytes + 500_000)

    def _albedo(self, material: Material) -> UInt8:
        recipe = material.maps
        if recipe is None:
            return np.full((1, 1, 4), 255, np.uint8)
        return self.cache.get(f"albedo {recipe!r}", lambda: recipe.draw().albedo, lambda a: a.nbytes)

    def exported(self, variant: Variant, detail: int) -> Mesh:
        """The mesh of a level as it is written to files: with second texture coordinates where the asset asks for them."""
        product = self.level(variant, detail)
        if not product.game.second_uv:
            return product.mesh

        def make() -> Mesh:
            return replace(product.mesh, uv1=second_uv(product.mesh))

        return self.cache.get(f"exported {variant.key} {detail}", make, lambda m: m.nbytes)

    def differences(self, variant: Variant) -> list[float]:
        """By how much the silhouette of each level, the card included, differs from the nearest: share of pixels over eight views."""

        def make() -> list[float]:
            levels = self.levels(variant)
            like = levels[0].mesh
            drawn = []
            for level in levels:
                albedo = {slot: self._small(m) for slot, m in level.materials.items()}
                drawn.append(silhouettes(level.mesh, level.materials, albedo, like))
            return [difference(drawn[0], other) for other in drawn]

        return self.cache.get(f"differences {variant.key}", make, lambda d: 64)

    def picture(self, variant: Variant, size: tuple[int, int], detail: int = 0, frame: Frame | None = None) -> UInt8:
        """(h, w, 3) a lit picture of the asset; `frame` is its own by default."""
        product = self.product(variant, detail)
        albedo = {slot: self._small(material) for slot, material in product.materials.items()}
        return draw_picture(product.mesh, product.materials, albedo, frame or frame_of([product.mesh], size[0] / size[1]), size)

    def _small(self, material: Material) -> UInt8:
        """The albedo at a size that serves small pictures; recipes that have a size are drawn at it."""
        recipe = material.maps
        if recipe is not None and hasattr(recipe, "size"):
            recipe = replace(recipe, size=min(_SMALL, recipe.size))  # type: ignore[type-var]
            material = replace(material, maps=recipe)
        return self.cache.get(f"small {recipe!r}", lambda: small(self._albedo(material), _SMALL), lambda a: a.nbytes)

    def level(self, variant: Variant, detail: int) -> Product:
        """One level of detail; the one after all that the kind makes is a card."""
        return self.card(variant) if detail == LEVELS else self.product(variant, detail)

    def levels(self, variant: Variant) -> list[Product]:
        """All levels of detail, nearest first; the last is a card."""
        return [self.level(variant, detail) for detail in range(LEVELS + 1)]

    def evaluate(self, document: SceneDocument, check: Callable[[], None] | None = None) -> Evaluation:
        """Evaluate all layers that are not hidden; hidden ones are left out, but for paths and areas that others read.

        Args:
            check: called between and within layers; may raise to stop.
        """
        done: list[LayerResult] = []
        by_id: dict[str, LayerResult] = {}
        assets = {a.id: a for a in document.assets}
        for layer in document.layers:
            if check is not None:
                check()
            result = self._layer(layer, document, done, by_id, assets, check)
            done.append(result)
            by_id[layer.id] = result
        return Evaluation(document, tuple(done))

    def _layer(
        self, layer: Layer, document: SceneDocument, done: list[LayerResult], by_id: dict[str, LayerResult], assets: dict[str, Asset],
        check: Callable[[], None] | None,
    ) -> LayerResult:  # fmt: skip
        values = layer.parameters.model_dump(mode="json")
        head = [layer.kind, _CODE[layer.kind], values]
        if layer.kind == "ground":
            key = key_of(*head)
            field = self.cache.get(key, lambda: make_terrain(layer.parameters), lambda f: f.heights.nbytes)
            return LayerResult(layer, key, ground=field)
        ground = done[0].ground
        assert ground is not None
        if layer.kind == "path":
            key = key_of(*head, done[0].key)
            path = self.cache.get(key, lambda: _make_path(layer.parameters, ground), lambda p: p.mesh.nbytes)
            return LayerResult(layer, key, path=path)
        if layer.kind == "area":
            return LayerResult(layer, key_of(*head), area=_make_area(layer.parameters))
        if layer.kind == "scatter":
            if layer.hidden:
                return LayerResult(layer, key_of(*head, "hidden"))
            return self._scatter(layer, layer.parameters, head, done, by_id, assets, check)
        return LayerResult(layer, key_of(*head, [r.key for r in done], document.settings.model_dump(mode="json")))

    def _scatter(
        self, layer: Layer, p: ScatterParameters, head: list[Any], done: list[LayerResult], by_id: dict[str, LayerResult],
        assets: dict[str, Asset], check: Callable[[], None] | None,
    ) -> LayerResult:  # fmt: skip
        notes: list[str] = []
        variants: list[Variant] = []
        weights: list[float] = []
        for entry in p.mix:
            asset = assets.get(entry.asset)
            if asset is None:
                notes.append(f"the asset {entry.asset!r} is missing")
                continue
            kind = get_kind(asset.kind)
            parameters, missing = resolved(asset, assets)
            notes += missing
            for seed in asset.seeds:
                variants.append(variant_of(asset.id, asset.name, kind.name, parameters, seed, asset.images))
                weights.append(entry.weight / len(asset.seeds))
        areas: list[Float64] = []
        paths: list[Float64] = []
        keys = [done[0].key]
        for reference, wanted, into in ((p.areas, "area", areas), (p.paths, "path", paths)):
            for other in reference:
                found = by_id.get(other)
                if found is None or found.layer.kind != wanted:
                    notes.append(f"the {wanted} {other!r} is missing, or stands further right than this layer")
                    continue
                into.append(cast("Float64", found.area if found.path is None else found.path.line))
                keys.append(found.key)
        if not p.mix:
            notes.append("nothing is chosen to scatter")
        alone = key_of(*head, keys, [v.key for v in variants], weights)
        earlier = [r for r in done if r.scattered is not None and r.scattered.placements.count] if p.apart > 0 else []
        key = key_of(alone, [r.key for r in earlier])
        if not variants or (p.areas and not areas):
            return LayerResult(layer, key, scattered=Scattered(_nothing(), tuple(variants)), notes=tuple(notes))
        ground = done[0].ground
        assert ground is not None

        def place() -> Placements:
            rule = ScatterRule(
                p.seed, p.spacing, p.fill / 100.0, tuple(areas), p.height, (math.radians(p.slope[0]), math.radians(p.slope[1])),
                tuple(paths), p.clearance, tuple(weights), p.lean / 100.0, p.turn / 360.0,
                (p.size[0] / 100.0, p.size[1] / 100.0), (p.sink[0] / 100.0, p.sink[1] / 100.0),
            )  # fmt: skip
            return scatter(rule, ground, check)

        def make() -> Placements:
            # what the rule gives by itself is kept, so that a change further left costs only the giving way
            placements = self.cache.get(alone, place, _placement_bytes)
            standing = [r.scattered.placements.position for r in earlier if r.scattered is not None]
            return give_way(placements, np.concatenate(standing), p.apart) if standing else placements

        placements = self.cache.get(f"sited {key}", make, _placement_bytes)
        return LayerResult(layer, key, scattered=Scattered(placements, tuple(variants)), notes=tuple(notes))


def _placement_bytes(placements: Placements) -> int:
    return placements.count * 52


def _nothing() -> Placements:
    return Placements(
        np.empty(0, np.uint64),
        np.empty(0, np.uint32),
        np.empty((0, 3), np.float32),
        np.empty((0, 4), np.float32),
        np.empty((0, 3), np.float32),
    )


def _make_path(p: PathParameters, ground: HeightField) -> PathResult:
    line = path_line(p.points)
    length = float(np.hypot(*np.diff(line, axis=0).T).sum())
    return PathResult(line, ribbon(line, p.width, ground), length)


def _make_area(p: AreaParameters) -> Float64:
    return check_polygon(p.corners)


def with_layer(document: SceneDocument, layer: Layer) -> SceneDocument:
    """`document` with one layer replaced by `layer` of the same id."""
    layers = tuple(layer if other.id == layer.id else other for other in document.layers)
    return document.model_copy(update={"layers": layers})
