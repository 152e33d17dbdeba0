"""One scene as files for a game: a GLB, its levels as GLBs of their own, a table of placements, a manifest."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import orjson

import plough
from plough.core.bake.colliders import box_meshes, collider_meshes
from plough.core.cache import Cache
from plough.core.errors import TooLargeError
from plough.core.formats.glb import GlbBuilder, Images, mesh_glb, no_images
from plough.core.formats.images import encode
from plough.core.ground import HeightField, terrain_mesh
from plough.core.hashing import digest
from plough.core.kinds import LEVELS, Product
from plough.core.mesh.material import Material
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.scene.evaluation import COVERAGE, Evaluation, Evaluator, LayerResult, Scattered, Variant, switch_distances
from plough.core.scene.layers import BakeParameters

MOST_NODES = 50_000  #: plain nodes, without instancing
BAKED_LEVELS = LEVELS + 1  #: levels of detail written, the card included
_SURFACE_COLORS = {"earth": (0.20, 0.145, 0.09), "gravel": (0.30, 0.28, 0.24), "stone": (0.28, 0.28, 0.27), "grass": (0.13, 0.19, 0.06)}
_GROUND = Material("ground", color=(0.12, 0.16, 0.055), roughness=0.97)
_WATER = Material("water", color=(0.02, 0.035, 0.035), roughness=0.12)


@dataclass(frozen=True, slots=True)
class BakeResult:
    """Files by path, in the order in which they were made."""

    files: dict[str, bytes]
    manifest: dict[str, Any] = field(default_factory=dict)


class Baker:
    """Bakes one evaluation in parts, so that it can report and be stopped."""

    def __init__(self, evaluation: Evaluation, evaluator: Evaluator) -> None:
        self.evaluation = evaluation
        self.evaluator = evaluator
        parameters = evaluation.document.layers[-1].parameters
        assert isinstance(parameters, BakeParameters)
        self.parameters = parameters
        self.scattered = [r for r in evaluation.layers if r.scattered is not None and r.scattered.placements.count]
        self.variants: dict[str, Variant] = {}
        for result in self.scattered:
            assert result.scattered is not None
            counts = result.scattered.per_variant()
            self.variants |= {v.key: v for v, n in zip(result.scattered.variants, counts, strict=True) if n}
        self.files: dict[str, bytes] = {}

    def parts(self) -> list[str]:
        """Names of the parts, in order; each is one step of `run`."""
        levels = [f"levels of {v.label}" for v in self.variants.values()] if self.parameters.levels else []
        return [*levels, "placements.csv", "scene.glb", "manifest.json"]

    def run(self) -> Iterator[tuple[str, dict[str, bytes]]]:
        """Makes part after part; gives each part's name and the files it made."""
        if not self.parameters.instancing:
            nodes = sum(r.scattered.placements.count for r in self.scattered if r.scattered is not None)
            if nodes > MOST_NODES:
                raise TooLargeError(
                    f"instancing: plain nodes for {nodes:,} placements exceed the limit of {MOST_NODES:,}; switch instances on or lower the fill"
                )
        if self.parameters.levels:
            for variant in self.variants.values():
                made = {f"levels/{variant.label}-{d}.glb": self._level_file(variant, d) for d in range(BAKED_LEVELS)}
                yield self._done(f"levels of {variant.label}", made)
        yield self._done("placements.csv", {"placements.csv": self._table()})
        scene, counts = self._scene()
        yield self._done("scene.glb", {"scene.glb": scene})
        yield self._done("manifest.json", {"manifest.json": self._manifest(counts)})

    def _done(self, name: str, made: dict[str, bytes]) -> tuple[str, dict[str, bytes]]:
        self.files |= made
        return name, made

    @property
    def _images(self) -> Images:
        return embedded_images(self.evaluator.cache) if self.parameters.textures else no_images

    def _level_file(self, variant: Variant, detail: int) -> bytes:
        product = self.evaluator.level(variant, detail)
        mesh = self.evaluator.exported(variant, detail)
        return mesh_glb(mesh, product.materials, f"{variant.label}-{detail}", self._images)

    def _table(self) -> bytes:
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow(["id", "layer", "asset", "variant", "px", "py", "pz", "rx", "ry", "rz", "rw", "sx", "sy", "sz"])
        for result in self.scattered:
            assert result.scattered is not None
            p = result.scattered.placements
            numbers = np.concatenate([p.position, p.rotation, p.scale], axis=1)
            for i, row in enumerate(numbers.tolist()):
                variant = result.scattered.variants[p.variant[i]]
                writer.writerow([f"{int(p.ids[i]):016x}", result.layer.id, variant.asset, variant.seed, *(f"{v:.6g}" for v in row)])
        return out.getvalue().encode()

    def _scene(self) -> tuple[bytes, dict[str, int]]:
        builder = GlbBuilder(self._images)
        roots = [self._ground(builder)]
        counts = {"instances": 0, "triangles": self.evaluation.ground.heights.size * 2, "colliders": 0}
        ground_parameters: Any = self.evaluation.document.layers[0].parameters
        if ground_parameters.water:
            water = water_mesh(self.evaluation.ground, ground_parameters.water_level)
            roots.append(builder.add_node("water", builder.add_mesh(water, {"water": _WATER}, "water")))
        for result in self.evaluation.layers:
            if result.path is not None and not result.layer.hidden:
                surface: str = result.layer.parameters.surface  # type: ignore[union-attr]
                material = {"path": Material(f"path {surface}", color=_SURFACE_COLORS[surface], roughness=0.95)}
                mesh = builder.add_mesh(result.path.mesh, material, result.layer.id)
                roots.append(builder.add_node(result.layer.id, mesh, extras={"name": result.layer.name}))
        meshes: dict[str, tuple[list[int], list[Product], list[int]]] = {}
        for variant in self.variants.values():
            products = [self.evaluator.level(variant, d) for d in range(BAKED_LEVELS if self.parameters.levels else 1)]
            indices = [
                builder.add_mesh(self.evaluator.exported(variant, d), p.materials, f"{variant.label}-{d}", f"{variant.asset} ")
                for d, p in enumerate(products)
            ]
            meshes[variant.key] = (indices, products, self._collider_meshes(builder, variant, products[0]))
        for result in self.scattered:
            assert result.scattered is not None
            roots.append(self._layer_node(builder, result, result.scattered, meshes, counts))
        counts["meshes"] = sum(len(m[0]) for m in meshes.values())
        return builder.finish(roots), counts

    def _ground(self, builder: GlbBuilder) -> int:
        mesh = terrain_mesh(self.evaluation.ground, int(self.parameters.ground_step))
        return builder.add_node("ground", builder.add_mesh(mesh, {"ground": _GROUND}, "ground"))

    def _collider_meshes(self, builder: GlbBuilder, variant: Variant, product: Product) -> list[int]:
        if self.parameters.colliders == "none":
            return []
        make = collider_meshes if self.parameters.colliders == "asset" else box_meshes
        return [builder.add_mesh(body, {}, f"collider-{variant.label}-{k}") for k, body in enumerate(make(product.collider))]

    def _layer_node(
        self, builder: GlbBuilder, result: LayerResult, scattered: Scattered,
        meshes: dict[str, tuple[list[int], list[Product], list[int]]], counts: dict[str, int],
    ) -> int:  # fmt: skip
        p, children = scattered.placements, []
        for row, variant in enumerate(scattered.variants):
            rows = np.nonzero(p.variant == row)[0]
            if not rows.size:
                continue
            indices, products, colliders = meshes[variant.key]
            counts["instances"] += int(rows.size)
            counts["triangles"] += int(rows.size) * products[0].mesh.triangles
            counts["colliders"] += int(rows.size) * len(colliders)
            coverage = [*COVERAGE, 0.0] if len(indices) > 1 else []
            name = f"{result.layer.id}-{variant.label}"
            says = products[0].collider.extras() | ({"collider": "box"} if self.parameters.colliders == "box" else {})
            if self.parameters.instancing:
                shared = builder.add_instances(p.position[rows], p.rotation[rows], p.scale[rows])
                lower = [builder.add_node(f"{name}-level-{d + 1}", m, instances=shared) for d, m in enumerate(indices[1:])]
                extras = {"asset": variant.asset, "variant": variant.seed, "layer": result.layer.id}
                children.append(builder.add_node(name, indices[0], instances=shared, levels=lower, coverage=coverage, extras=extras))
                for k, mesh in enumerate(colliders):
                    children.append(builder.add_node(f"collider-{name}-{k}", mesh, instances=shared, extras=says))
                continue
            for i in rows:
                place: dict[str, Any] = {"translation": p.position[i], "rotation": p.rotation[i], "scale": p.scale[i]}
                each = f"{name}-{int(p.ids[i]):016x}"
                lower = [builder.add_node(f"{each}-level-{d + 1}", m, **place) for d, m in enumerate(indices[1:])]
                children.append(builder.add_node(each, indices[0], levels=lower, coverage=coverage, **place))
                for k, mesh in enumerate(colliders):
                    children.append(builder.add_node(f"collider-{each}-{k}", mesh, extras=says, **place))
        return builder.add_node(result.layer.id, children=children, extras={"name": result.layer.name, "placements": p.count})

    def _manifest(self, counts: dict[str, int]) -> bytes:
        document = self.evaluation.document
        layers = [
            {
                "id": r.layer.id,
                "name": r.layer.name,
                "kind": r.layer.kind,
                "key": r.key,
                "placements": r.scattered.placements.count if r.scattered else 0,
            }
            for r in self.evaluation.layers
        ]
        assets = []
        for v in self.variants.values():
            levels = self.evaluator.levels(v)
            assets.append(
                {
                    "asset": v.asset, "name": v.name, "kind": v.kind, "seed": v.seed, "key": v.key, "height": round(levels[0].height, 3),
                    "canopy_radius": round(levels[0].canopy_radius, 3), "triangles": [p.mesh.triangles for p in levels],
                    "switch_distances": [round(d, 2) for d in switch_distances(levels[0].height)],
                }
            )  # fmt: skip
        self_files = [{"path": path, "bytes": len(data), "blake2b": digest(data)} for path, data in self.files.items()]
        manifest = {
            "plough": plough.__version__, "scene": document.name, "document_version": document.version,
            "units": "metres, right-handed, Y up", "counts": counts, "layers": layers, "assets": assets, "files": self_files,
        }  # fmt: skip
        return orjson.dumps(manifest, option=orjson.OPT_INDENT_2)


def embedded_images(cache: Cache) -> Images:
    """Draws and encodes maps as PNG, each recipe once."""

    def images(material: Material) -> dict[str, bytes | str]:
        recipe = material.maps
        if recipe is None:
            return {}
        encoded = cache.get(f"maps {recipe!r}", lambda: encode(recipe.draw()), lambda e: sum(map(len, e.values())))
        return dict(encoded)

    return images


def water_mesh(ground: HeightField, level: float) -> Mesh:
    """A level square over the whole ground, part `water`."""
    h = ground.size / 2
    positions = np.array([[-h, level, -h], [-h, level, h], [h, level, -h], [h, level, h]], np.float32)
    normals = np.tile(np.array([0, 1, 0], np.float32), (4, 1))
    indices = np.array([[0, 1, 2], [2, 1, 3]], np.uint32)
    return with_tangents(Mesh(positions, normals, positions[:, [0, 2]] / 8.0, indices, (Part("water", 0, 2),)))


def bake(evaluation: Evaluation, evaluator: Evaluator, progress: Callable[[int, int, str], None] | None = None) -> BakeResult:
    """All files of a bake.

    Args:
        progress: called with parts done, parts known and the part's name; may raise to stop.
    """
    baker = Baker(evaluation, evaluator)
    known = len(baker.parts())
    for done, (name, _) in enumerate(baker.run(), start=1):
        if progress is not None:
            progress(done, known, name)
    return BakeResult(baker.files, orjson.loads(baker.files["manifest.json"]))
