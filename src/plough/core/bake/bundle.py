"""One scene as files for a game: a GLB, its levels as GLBs of their own, a table of placements, a manifest."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Collection, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import asdict, dataclass, field, fields, replace
from functools import cached_property, partial
from itertools import islice
from threading import Lock
from typing import Any

import numpy as np
import orjson

import plough
from plough.core.arrays import Float64
from plough.core.bake.fit import fit_of
from plough.core.bake.ground_file import class_facts, ground_mesh, splat_files
from plough.core.bake.instances import Counts, InstanceWriter, rows_of
from plough.core.bake.lattice import Lattice, Square, lattice_of
from plough.core.bake.names import Names
from plough.core.bake.table import Rows, table_of
from plough.core.bake.tiled import GROUND_LEVELS, Shapes, Tiles, bounds_of, layer_facts
from plough.core.bake.tileset import tileset_files
from plough.core.cache import Cache
from plough.core.errors import ParameterError, Superseded
from plough.core.formats.glb import GlbBuilder, Images, mesh_glb, no_images
from plough.core.formats.glb_read import read_json
from plough.core.formats.images import encode
from plough.core.formats.packed import GROUND
from plough.core.ground.mesh import Network, fit_network, in_squares
from plough.core.hashing import digest
from plough.core.kinds import get_kind
from plough.core.layers.bake import BakeParameters
from plough.core.library.library import SCREEN_COVERAGE, Library, switch_distances
from plough.core.library.variants import Variant
from plough.core.mesh.mass import mass_of
from plough.core.mesh.material import Material
from plough.core.parameters import build
from plough.core.place.placements import Placements
from plough.core.scene.document import files_of
from plough.core.scene.evaluation import Evaluation, LayerResult
from plough.core.tiles import SIZE, tile_of


@dataclass(frozen=True, slots=True)
class BakeResult:
    """Files by path, in the order in which they were made."""

    files: dict[str, bytes]
    manifest: dict[str, Any] = field(default_factory=dict)


Part = tuple[str, Callable[[], dict[str, bytes]]]
"""The name of a part of a bake, and what makes its files."""


class Baker:
    """Bakes one evaluation in parts, so that it can report and be stopped."""

    def __init__(
        self, evaluation: Evaluation, library: Library, only: Collection[str] = ()
    ) -> None:
        """Bakes all layers, or the ground and those in `only`.

        Raises:
            ParameterError: `only` names what is no layer.
        """
        known = [r.layer.id for r in evaluation.layers]
        for name in only:
            if name not in known:
                raise ParameterError(
                    "only", f"there is no layer {name!r}; layers are {', '.join(known)}", value=name
                )
        if only:
            kept = tuple(r for r in evaluation.layers if r.layer.id in only)
            evaluation = replace(evaluation, layers=kept)
        self.evaluation = evaluation
        self.library = library
        last = evaluation.document.layers[-1]
        self.parameters = build(BakeParameters, last.parameters, "parameters")
        self.files: dict[str, bytes] = {}
        self.variants: dict[str, Variant] = {}
        self._numbers: dict[str, int] = {}
        self.tiles: Tiles  # of one that is written in squares, once its parts are known
        self._left = False
        self._lock = Lock()
        for result in evaluation.layers:
            placed = result.output.placements
            if placed is None:
                continue
            for v, n in zip(placed.variants, placed.per_variant.tolist(), strict=True):
                if n:
                    self.variants[v.label] = v
                    self._numbers[v.label] = self._numbers.get(v.label, 0) + n

    @cached_property
    def names(self) -> Names:
        """The names of levels."""
        return Names(self.parameters.names, self.evaluation.document.name)

    def level_names(self) -> Iterator[str]:
        """The names of all levels that are written, in order. Raises `ParameterError` where two are the same."""
        levels = self.library.levels_of if self.parameters.levels else lambda _: 1
        return self.names.all(self.variants.values(), levels)

    def parts(self) -> list[str]:
        """Names of the parts, in order; each is one step of `run`."""
        last = ["manifest.json"] if self.tiled else ["scene.glb", "manifest.json"]
        return [*(name for name, _ in self._parts(no_images)), *last]

    @property
    def tiled(self) -> bool:
        """Whether the scene is written in squares."""
        return self.parameters.layout != "whole"

    def _parts(self, images: Images) -> list[Part]:
        """Those that need no other, each with what makes its files."""
        # tiles have the meshes beside them
        apart = self.parameters.levels and not self.tiled
        variants = self.variants.values() if apart else ()
        levels = [(f"levels of {v.label}", partial(self._level_files, v, images)) for v in variants]
        domes = [(f"card of {v.label}", partial(self._dome_file, v, images)) for v in self._domed()]
        ground: list[Part] = [("ground", self._network), ("splat maps", self._splat)]
        if self.parameters.splat == "none":
            del ground[1]
        table = f"placements.{self.parameters.table}"
        return [
            *levels,
            *domes,
            *ground,
            (table, lambda: {table: self._table()}),
            *(self._tile_parts(images) if self.tiled else ()),
        ]

    def _tile_parts(self, images: Images) -> list[Part]:
        """The shapes that tiles draw from, and the tiles."""
        shapes = Shapes(self.library, self.parameters, self.names, images, self._check)
        tiles = Tiles(
            self.evaluation,
            self.library,
            self.parameters,
            self.lattice,
            lambda: self.network,
            shapes,
            self._seated,
            self.notes,
        )
        self.tiles = tiles
        levels = self.library.levels_of if self.parameters.levels else lambda _: 1

        def tile(square: Square) -> dict[str, bytes]:
            self._check()
            return {tiles.path(square): tiles.file(square)}

        parts: list[Part] = [
            (f"shapes of {v.label}", partial(shapes.files, v, levels(v), not tiles.nested))
            for v in shapes.name(self.variants.values())
        ]
        parts += [(tiles.path(square), partial(tile, square)) for square in tiles.squares]
        if tiles.nested:
            parts.append(("tileset.json", lambda: self._tileset(tiles)))
        return parts

    def _tileset(self, tiles: Tiles) -> dict[str, bytes]:
        low, high = tiles.heights
        return tileset_files(tiles.lattice, tiles.squares, low, high, tiles.error(0))

    @cached_property
    def lattice(self) -> Lattice:
        """The squares that the scene is written in."""
        return lattice_of(self.evaluation.surface, float(self.parameters.tile_side))

    def _domed(self) -> list[Variant]:
        """The variants of which a card that faces the eye is written."""
        if not self.parameters.domes:
            return []
        all_ = self.variants.values()
        return [v for v in all_ if get_kind(v.kind).impostor and not self.library.shelled(v)]

    def run(self) -> Iterator[tuple[str, dict[str, bytes]]]:
        """Makes part after part; gives each part's name and the files it made.

        Raises:
            TooLargeError: more plain nodes than the limit, or a file beyond what its format holds.
            ParameterError: two levels would have the same name.
        """
        for _ in self.level_names():
            pass
        p = self.parameters
        images = (
            embedded_images(self.library.cache, p.images == "webp") if p.textures else no_images
        )
        writer = InstanceWriter(GlbBuilder(images), self.library, self.parameters, self.names)
        numbers = {k: (v, self._numbers[k]) for k, v in self.variants.items()}
        placed = (r.output.placements for r in self.evaluation.layers)
        writer.check_nodes(numbers, sum(p.count for p in placed if p and any(p.spin)))
        beside = Beside(images) if p.textures and p.images_lie == "beside" else None
        for name, made in self._made(self._parts(beside or images)):
            yield self._done(name, made | (beside.new(made) if beside else {}))
        if self.tiled:
            counts = self._tiles_counts()
        else:
            builder = GlbBuilder(images, self._packs)
            writer = InstanceWriter(builder, self.library, self.parameters, self.names)
            yield self._done("scene.glb", {"scene.glb": self._scene(builder, writer)})
            counts = writer.counts
        yield self._done("manifest.json", {"manifest.json": self._manifest(counts)})

    def _tiles_counts(self) -> Counts:
        """What the smallest squares hold together; meshes are those of the shapes."""
        tiles = self.tiles
        smallest = [c for q, c in tiles.counts.items() if q[0] == tiles.lattice.depth]
        names = [f.name for f in fields(Counts)]
        total = Counts(*(sum(getattr(c, n) for c in smallest) for n in names))
        total.meshes = sum(p.startswith("shapes/") for p in self.files)
        return total

    def _done(self, name: str, made: dict[str, bytes]) -> tuple[str, dict[str, bytes]]:
        self.files |= made
        return name, made

    def _made(self, parts: list[Part]) -> Iterator[tuple[str, dict[str, bytes]]]:
        """What parts come to, in their order; several are made at the same time."""
        workers = os.cpu_count() or 1
        waiting: deque[tuple[str, Future[dict[str, bytes]]]] = deque()
        left = iter(parts)
        with ThreadPoolExecutor(workers) as pool:
            try:
                pool.submit(lambda: self.network)  # it takes long, and much waits for it
                for name, make in islice(left, 2 * workers):
                    waiting.append((name, pool.submit(make)))
                while waiting:
                    name, future = waiting.popleft()
                    yield name, future.result()
                    waiting += [(n, pool.submit(make)) for n, make in islice(left, 1)]
            finally:
                self._left = True
                pool.shutdown(cancel_futures=True)

    def _check(self) -> None:
        """Raises what stops the work where nobody waits for it any more."""
        if self._left:
            raise Superseded("the bake was left")

    def _level_files(self, variant: Variant, images: Images) -> dict[str, bytes]:
        return {
            f"levels/{self.names.of(variant, d)}.glb": self._level_file(variant, d, images)
            for d in range(self.library.levels_of(variant))
        }

    def _level_file(self, variant: Variant, detail: int, images: Images) -> bytes:
        product = self.library.level(variant, detail, self._check)
        mesh = self.library.exported(variant, detail)
        name, lamps = self.names.of(variant, detail), product.lamps
        return mesh_glb(mesh, product.materials, name, images, lamps=lamps, packs=self._packs)

    def _dome_file(self, variant: Variant, images: Images) -> dict[str, bytes]:
        product = self.library.dome(variant, self._check)
        name = f"{variant.label}-dome"
        data = mesh_glb(product.mesh, product.materials, name, images, packs=self._packs)
        return {f"domes/{variant.label}.glb": data}

    @property
    def _packs(self) -> bool:
        return self.parameters.packing == "meshopt"

    def _network(self) -> dict[str, bytes]:
        _ = self.network
        return {}

    def _splat(self) -> dict[str, bytes]:
        made = splat_files(self.evaluation.ground, int(self.parameters.splat))
        return {f"splat/{k}": v for k, v in made.items()}

    @property
    def network(self) -> Network | None:
        """The ground as it is written, where it is not written as it is."""
        with self._lock:
            return self._fitted

    @cached_property
    def _fitted(self) -> Network | None:
        surface = self.evaluation.surface
        if surface.own is not None:
            return None
        samples = round((surface.triangles / 2) ** 0.5) + 1
        places = [
            tile.placements.position[:, [0, 2]]
            for r in self.evaluation.layers
            if r.output.placements is not None
            for tile in r.output.placements.tiles
        ]
        near: Float64 = np.concatenate([np.empty((0, 2)), *places]).astype(np.float64)
        p = self.parameters
        coarsest = 1.0
        if self.tiled:
            coarsest = max(GROUND_LEVELS) if p.layout == "tiles" else 2.0**self.lattice.depth
        fitted = fit_network(
            surface, samples, p.ground_error / 100, near, p.ground_error_near / 100, coarsest
        )
        if not self.tiled:
            return fitted
        side = (fitted.heights.shape[0] - 1) >> self.lattice.depth
        return replace(fitted, need=in_squares(fitted.need, side, 1.0))

    def _seated(self, placed: Placements) -> Placements:
        """`placed`, raised or lowered by as much as the ground that is written differs from the one evaluated."""
        if self.network is None:
            return placed
        x, z = placed.position[:, 0].astype(np.float64), placed.position[:, 2].astype(np.float64)
        change = self.network.height(x, z) - self.evaluation.surface.sample(x, z).position[:, 1]
        position = placed.position.copy()
        position[:, 1] = position[:, 1] + change
        return Placements(placed.ids, placed.variant, position, placed.rotation, placed.scale)

    @cached_property
    def notes(self) -> dict[str, dict[str, str]]:
        """What is noted on each asset, by its id; those without notes are left out."""
        return {a.id: a.notes for a in self.evaluation.document.assets if a.notes}

    def _table(self) -> bytes:
        document = self.evaluation.document
        noted = bool(self.notes) or any(x.notes for x in document.layers)
        rows = []
        for result in self.evaluation.layers:
            placed = result.output.placements
            for tile in placed.tiles if placed is not None else ():
                assert placed is not None
                notes = [
                    {**result.layer.notes, **self.notes.get(v.asset, {})} for v in placed.variants
                ]
                seated = self._seated(tile.placements)
                rows.append(
                    Rows(result.layer.id, placed.variants, seated, notes if noted else None)
                )
        return table_of(rows, self.parameters.table, noted)

    def _scene(self, builder: GlbBuilder, writer: InstanceWriter) -> bytes:
        ground = ground_mesh(self.evaluation.ground, self.network)
        shape = builder.add_mesh(
            ground.mesh, ground.materials, "ground", shares=ground.shares, off=GROUND
        )
        extras = (
            {"classes": class_facts(self.evaluation.ground)} if ground.shares is not None else None
        )
        roots = [builder.add_node("ground", shape, extras=extras)]
        writer.counts.triangles += ground.mesh.triangles
        for result in self.evaluation.layers:
            if result.output.solids:
                roots.append(self._solids_node(builder, writer, result))
            if result.output.placements is not None and result.output.placements.count:
                roots.append(self._placements_node(builder, writer, result))
        writer.animate()
        return builder.finish(roots)

    def _solids_node(self, builder: GlbBuilder, writer: InstanceWriter, result: LayerResult) -> int:
        layer, children = result.layer, []
        for solid in result.output.solids:
            writer.counts.triangles += solid.mesh.triangles
            name = f"{layer.id} {solid.name}"
            lower = []
            for d in range(1, 1 + len(solid.coarser)):
                mesh = solid.level(d, self.library.cache)
                own = f"{name} {d}"
                lower.append(builder.add_node(own, builder.add_mesh(mesh, solid.materials, own)))
            near = builder.add_mesh(solid.mesh, solid.materials, name)
            coverage = [*SCREEN_COVERAGE[: len(lower)], 0.0] if lower else []
            children.append(builder.add_node(name, near, levels=lower, coverage=coverage))
        extras = {"name": layer.name, "solids": len(children), **layer_facts(layer)}
        return builder.add_node(f"{layer.id} solids", children=children, extras=extras)

    def _placements_node(
        self, builder: GlbBuilder, writer: InstanceWriter, result: LayerResult
    ) -> int:
        placed = result.output.placements
        assert placed is not None
        whole, children = self._seated(placed.whole()), []
        for row, variant in enumerate(placed.variants):
            own = rows_of(whole, row)
            if own.count:
                noted = _notes(self.notes.get(variant.asset, {}))
                children += writer.add(
                    result.layer.id, variant, own, noted, result.layer.game, placed.spin
                )
        layer = result.layer
        extras = {"name": layer.name, "placements": placed.count, **layer_facts(layer)}
        return builder.add_node(result.layer.id, children=children, extras=extras)

    def _manifest(self, counts: Counts) -> bytes:
        document = self.evaluation.document
        layers = [
            {
                "id": r.layer.id,
                "name": r.layer.name,
                "kind": r.layer.kind,
                "key": r.key,
                "placements": r.output.placements.count if r.output.placements else 0,
                "findings": [f.text for f in r.output.findings],
                **layer_facts(r.layer),
            }
            for r in self.evaluation.layers
        ]
        files = [
            {"path": path, "is": _what(path), "bytes": len(data), "blake2b": digest(data)}
            for path, data in self.files.items()
        ]
        manifest = {
            "plough": plough.__version__,
            "scene": document.name,
            "document_version": document.version,
            "units": "metres, right-handed, Y up",
            "counts": asdict(counts),
            "weight": self._weight(),
            "ground": self._ground_facts(),
            "viewpoints": [
                v.model_dump(mode="json", include={"name", "eye", "target"})
                for v in document.settings.viewpoints
            ],
            "layers": layers,
            "assets": [self._asset_facts(v) for v in self.variants.values()],
            "origins": self._origins(),
            **({"tiles": self._tile_facts()} if self.tiled else {}),
            "files": files,
        }
        return orjson.dumps(manifest, option=orjson.OPT_INDENT_2)

    def _tile_facts(self) -> dict[str, Any]:
        """The squares: where they lie, and what each holds."""
        tiles = self.tiles
        return {
            "side": tiles.lattice.across(tiles.lattice.depth),
            "levels": tiles.lattice.depth + 1 if tiles.nested else 1,
            "list": [
                {
                    "path": tiles.path(square),
                    "level": square[0],
                    "bounds": [round(v, 3) for v in bounds_of(tiles.lattice, square)],
                    "instances": tiles.counts[square].instances,
                    "triangles": tiles.counts[square].triangles,
                }
                for square in tiles.squares
            ],
        }

    def _origins(self) -> list[dict[str, Any]]:
        """From which asset library what is written came, and on what terms."""
        document = self.evaluation.document
        placed = {v.asset for v in self.variants.values()}
        used = files_of([[a.parameters, a.images] for a in document.assets if a.id in placed])
        used |= files_of([layer.parameters for layer in document.layers])
        return [o.model_dump() for o in document.origins if o.file in used]

    def _ground_facts(self) -> dict[str, Any]:
        """How well the written ground follows the one evaluated, measured at every placement and at a grid of other places."""
        surface, network = self.evaluation.surface, self.network
        if network is None:
            return {"error_under_placements": 0.0, "error": 0.0}
        x0, z0, x1, z1 = surface.bounds
        x, z = np.meshgrid(np.linspace(x0, x1, 701), np.linspace(z0, z1, 701))
        elsewhere = _miss(network, self.evaluation, x.ravel(), z.ravel())
        placed = [r.output.placements for r in self.evaluation.layers if r.output.placements]
        under = 0.0
        for tile in (t for p in placed for t in p.tiles):
            at = tile.placements.position.astype(np.float64)
            under = max(under, _miss(network, self.evaluation, at[:, 0], at[:, 2]))
        return {"error_under_placements": round(under, 4), "error": round(elsewhere, 4)}

    def _body(self, v: Variant) -> dict[str, Any]:
        """What a physics engine begins with, of what says how much it weighs and has a convex collider."""
        product = self.library.level(v, 0)
        density = getattr(product.game, "density", None)
        if density is None or not product.collider.pieces:
            return {}
        found = mass_of(product.collider.pieces, density)
        told = {
            "mass": float(f"{found.mass:.6g}"),
            "centre": _plain(found.centre),
            "inertia": _plain(found.inertia),
        }
        return {"body": told}

    def _collider(self, v: Variant) -> dict[str, Any]:
        """How well its colliders stand for it."""
        found = self.library.cache.get(
            ("collider fit", v.key), lambda: fit_of(self.library.level(v, 0)), lambda _: 200
        )
        return {} if found is None else {"collider": asdict(found)}

    def _weight(self) -> dict[str, Any]:
        """What the scene weighs from close by, layer by layer, and over the ground."""
        layers: dict[str, Any] = {}
        squares: dict[tuple[int, int], list[int]] = {}
        for result in self.evaluation.layers:
            placed = result.output.placements
            own = [0, 0]
            for solid in result.output.solids:
                low, high = solid.mesh.bounds()
                middle = 0.5 * (low + high).astype(np.float64)
                tile = tile_of(middle[[0]], middle[[2]])[0]
                _add(squares, (int(tile[0]), int(tile[1])), own, 0, solid.mesh.triangles)
            if placed is not None:
                each = np.array(
                    [self.library.facts(v, 0).triangles for v in placed.variants] or [0]
                )
                for t in placed.tiles:
                    triangles = int(each[t.placements.variant].sum())
                    _add(squares, (t.x, t.z), own, t.placements.count, triangles)
            if any(own):
                layers[result.layer.id] = {"instances": own[0], "triangles": own[1]}
        rows = [[x, z, *squares[x, z]] for x, z in sorted(squares)]
        return {"layers": layers, "side": SIZE, "tiles": rows}

    def _asset_facts(self, v: Variant) -> dict[str, Any]:
        height, canopy = self.library.size(v)
        levels = range(self.library.levels_of(v))
        return {
            "asset": v.asset,
            "name": v.name,
            "kind": v.kind,
            "seed": v.seed,
            **({"mirrored": True} if v.mirror_of else {}),
            "key": v.key,
            **_notes(self.notes.get(v.asset, {})),
            "height": round(height, 3),
            "canopy_radius": round(canopy, 3),
            **self._body(v),
            **self._collider(v),
            "triangles": [self.library.facts(v, d).triangles for d in levels],
            "switch_distances": [
                round(d, 2) for d in switch_distances((height, canopy), len(levels))
            ],
        }


def _add(
    squares: dict[tuple[int, int], list[int]],
    tile: tuple[int, int],
    own: list[int],
    instances: int,
    triangles: int,
) -> None:
    """Add to what a layer weighs, and to the tile that it lies in."""
    for total in (own, squares.setdefault(tile, [0, 0])):
        total[0] += instances
        total[1] += triangles


_WHAT = {
    "levels": "one level of one variant",
    "images": "an image that other files draw from",
    "domes": "a variant as a card that faces the eye",
    "splat": "ground classes",
    "shapes": "meshes that tiles draw from",
    "tiles": "a tile of the scene",
    "subtrees": "which tiles there are",
    "scene.glb": "the scene",
    "tileset.json": "the tileset",
    "placements": "the table of placements",
}


def _what(path: str) -> str:
    """What a file of a bake is, in words."""
    return _WHAT[
        path.split("/", maxsplit=1)[0]
        if "/" in path or path in _WHAT
        else path.split(".", maxsplit=1)[0]
    ]


def _plain(values: Float64) -> list[Any]:
    """Numbers of six digits."""
    rounded: list[Any] = (
        np.array([float(f"{v:.6g}") for v in values.flat]).reshape(values.shape).tolist()
    )
    return rounded


def _notes(notes: dict[str, str]) -> dict[str, Any]:
    return {"notes": notes} if notes else {}


def _miss(network: Network, evaluation: Evaluation, x: Float64, z: Float64) -> float:
    """The greatest vertical distance in metres between the written ground and the one evaluated, at (x, z)."""
    there = evaluation.surface.sample(x, z)
    miss = np.abs(network.height(x, z) - there.position[:, 1])[there.hit]
    return float(miss.max()) if miss.size else 0.0


class Beside:
    """Images in files of their own, which all files that draw them name."""

    def __init__(self, images: Images) -> None:
        self._images = images
        self._paths: dict[bytes, str] = {}
        self._given: set[str] = set()

    def __call__(self, material: Material) -> dict[str, bytes | str]:
        """The maps of a material by their addresses, as seen from a folder beside that of the images."""
        return {name: self._address(data) for name, data in self._images(material).items()}

    def _address(self, data: bytes | str) -> str:
        if isinstance(data, str):
            return data
        path = self._paths.get(data)
        if path is None:
            ending = "webp" if data[8:12] == b"WEBP" else "png"
            path = self._paths[data] = f"images/{digest(data)[:20]}.{ending}"
        return f"../{path}"

    def new(self, files: Mapping[str, bytes]) -> dict[str, bytes]:
        """The images that some files name, and none before them did."""
        by_path = {path: data for data, path in list(self._paths.items())}
        glbs = (data for path, data in files.items() if path.endswith(".glb"))
        named = {uri[3:] for data in glbs for uri in _addresses(data)}
        out = {path: by_path[path] for path in sorted(named - self._given)}
        self._given |= named
        return out


def _addresses(glb: bytes) -> list[str]:
    return [i["uri"] for i in read_json(glb).get("images", ()) if "uri" in i]


def embedded_images(cache: Cache, as_webp: bool = False) -> Images:
    """Draws and encodes maps as PNG or WebP, each recipe once."""

    def images(material: Material) -> dict[str, bytes | str]:
        recipe = material.maps
        if recipe is None:
            return {}
        encoded = cache.get(
            ("maps webp" if as_webp else "maps", repr(recipe)),
            lambda: encode(recipe.draw(), as_webp),
            lambda e: sum(map(len, e.values())),
        )
        return dict(encoded)

    return images


def bake(
    evaluation: Evaluation,
    library: Library,
    progress: Callable[[int, int, str], None] | None = None,
) -> BakeResult:
    """All files of a bake.

    Args:
        progress: called with parts done, parts known and the part's name; may raise to stop.
    """
    baker = Baker(evaluation, library)
    known = len(baker.parts())
    for done, (name, _) in enumerate(baker.run(), start=1):
        if progress is not None:
            progress(done, known, name)
    return BakeResult(baker.files, orjson.loads(baker.files["manifest.json"]))
