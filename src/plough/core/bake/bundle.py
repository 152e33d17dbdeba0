"""One scene as files for a game: a GLB or tiles, its levels, a table of placements, a manifest."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from dataclasses import asdict, dataclass, field, fields, replace
from functools import cached_property
from itertools import islice
from threading import Lock
from typing import Any

import numpy as np
import orjson

from plough.core.arrays import Float64
from plough.core.bake.frame import Frame
from plough.core.bake.ground_file import class_facts, ground_mesh, height_files, splat_files
from plough.core.bake.instances import Counts, Drawn, InstanceWriter, check_nodes, drawn_of, rows_of
from plough.core.bake.lattice import Lattice, Square, lattice_of
from plough.core.bake.manifest import ground_facts, manifest_of, tile_facts
from plough.core.bake.names import Names
from plough.core.bake.pieces import Held, Pieces, Stored
from plough.core.bake.shop import Form, Made, Shop
from plough.core.bake.stage import AssetStageRecipe, ObjRecipe, TileStageRecipe
from plough.core.bake.table import Rows, table_of
from plough.core.bake.tiled import GROUND_LEVELS, Tiles, layer_facts
from plough.core.bake.tileset import tileset_files
from plough.core.bake.variants import WITHIN, DomeRecipe, VariantRecipe, domed
from plough.core.bake.workers import Done, Here, Task, Threads, Workers
from plough.core.cache import Cache
from plough.core.errors import ParameterError
from plough.core.formats.glb import GlbBuilder, Images, Outside
from plough.core.formats.glb_read import binary_part
from plough.core.formats.images import encode
from plough.core.formats.packed import GROUND
from plough.core.formats.usd import scene_usd
from plough.core.ground.mesh import Network, fit_network, in_squares
from plough.core.hashing import digest, key_of
from plough.core.kernels import core_key
from plough.core.layers.bake import BakeParameters
from plough.core.library.library import SCREEN_COVERAGE, Library
from plough.core.library.variants import Variant
from plough.core.mesh.material import Material
from plough.core.parameters import build
from plough.core.place.placements import Placements
from plough.core.scene.document import Settings
from plough.core.scene.evaluation import Evaluation, LayerResult
from plough.core.scene.weight import profile_of

_AT_ONCE = 64  # pieces that are asked for together


@dataclass(frozen=True, slots=True)
class BakeResult:
    """Files by path, in the order of the parts that they are of."""

    files: dict[str, bytes]
    manifest: dict[str, Any] = field(default_factory=dict)


class Baker:
    """Bakes one evaluation in parts, so that it can report and be stopped.

    Each part is a piece, found by the key of all that it hangs on: what is there already is not made.
    """

    def __init__(
        self,
        evaluation: Evaluation,
        library: Library,
        only: Collection[str] = (),
        pieces: Pieces | None = None,
        workers: Workers | None = None,
        check: Callable[[], None] = lambda: None,
    ) -> None:
        """Bakes all layers, or the ground and those in `only`.

        Args:
            pieces: where pieces are kept; by default in memory.
            workers: who makes them; by default threads of this process.
            check: called now and then; may raise to stop.

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
        self.pieces = pieces or Held()
        self._workers = workers or Threads()
        self._shop = Shop(self.pieces, library, check)
        last = evaluation.document.layers[-1]
        self.profile = profile_of(evaluation.document.settings)
        self.parameters = for_profile(
            build(BakeParameters, last.parameters, "parameters"), evaluation.document.settings
        )
        self.files: dict[str, Stored] = {}  #: by path, in the order of the parts, once all are made
        self.done: dict[str, Done] = {}  #: by the name of the part
        self.variants: dict[str, Variant] = {}
        self._numbers: dict[str, int] = {}
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

    def _levels(self, variant: Variant) -> int:
        """How many levels of a variant are written."""
        return self.library.levels_of(variant) if self.parameters.levels else 1

    def level_names(self) -> Iterator[str]:
        """The names of all levels that are written, in order. Raises `ParameterError` where two are the same."""
        return self.names.all(self.variants.values(), self._levels)

    def parts(self) -> list[str]:
        """Names of the parts, in order; each is one step of `run`."""
        tiles = [self.tiles.path(square) for square in self.tiles.squares] if self.tiled else []
        if self.parameters.stage:
            tiles += [self._staged(square) for square in self.stage.squares]
        first, last = ([task.name for task in tasks] for tasks in (self._first(), self._last()))
        return [*first, *tiles, *last, "manifest.json"]

    @property
    def tiled(self) -> bool:
        """Whether the scene is written in squares."""
        return self.parameters.layout != "whole"

    @property
    def _squared(self) -> bool:
        """Whether the ground is cut in squares, in whatever is written."""
        return self.tiled or self.parameters.stage

    # -- what is asked for ---------------------------------------------------------------

    @cached_property
    def _form(self) -> Form:
        return Form.of(self.parameters, self.profile.texture)

    def _named(self, variant: Variant) -> tuple[str, ...]:
        """The names of the levels of a variant that are written."""
        return tuple(self.names.of(variant, d) for d in range(self._levels(variant)))

    def _assets(self) -> list[AssetStageRecipe]:
        """What makes the assets of a stage."""
        of: dict[str, list[Variant]] = {}
        for v in self.variants.values():
            of.setdefault(v.asset, []).append(v)
        return [
            AssetStageRecipe(asset, tuple(vs), tuple(map(self._levels, vs)), self._apart)
            for asset, vs in of.items()
        ]

    def _staged(self, square: Square) -> str:
        """Where a tile of the stage is written."""
        return f"usd/{self.stage.path(square).removesuffix('.glb')}.usdc"

    @cached_property
    def _recipes(self) -> dict[str, VariantRecipe]:
        """What makes the variants, by their labels; in tiles, equal ones are one, whatever they are called."""
        out: dict[str, VariantRecipe] = {}
        first: dict[str, VariantRecipe] = {}
        bodies = self.parameters.layout != "tileset"
        for label, v in self.variants.items():
            own = VariantRecipe(v, self._named(v), self._form, not self.tiled, bodies)
            out[label] = first.setdefault(v.key, own) if self.tiled else own
        return out

    @cached_property
    def _drawn(self) -> dict[str, str]:
        """The key of the piece that a variant is drawn from, by the variant's; equal variants share their meshes."""
        out: dict[str, str] = {}
        for label, recipe in self._recipes.items():
            out.setdefault(self.variants[label].key, recipe.key)
        return out

    def drawn(self, variant: Variant) -> Drawn:
        """A variant as nodes draw it."""
        return drawn_of(variant, self._drawn[variant.key])

    def _first(self) -> Iterator[Task]:
        """What hangs on no other part."""
        yield Task("ground", self._key("ground"), lambda: Here(self._ground), here=True)
        what = "shapes" if self.tiled else "levels" if self.parameters.levels else "meshes"
        for label, recipe in self._recipes.items():
            if recipe.variant.label == label:
                yield _asked(f"{what} of {label}", recipe, recipe.variant.asset)
        for v in self.variants.values():
            if self.parameters.domes and domed(self.library, v):
                yield _asked(f"card of {v.label}", DomeRecipe(v, self._form), v.asset)
            if self.parameters.obj:
                obj = ObjRecipe(
                    v, self._named(v), self._apart, replace(self.frame, origin=Frame().origin)
                )
                yield _asked(f"obj of {v.label}", obj, v.asset)
        for asset in self._assets() if self.parameters.stage else ():
            yield _asked(f"usd of {asset.asset}", asset, asset.asset)
        if self.parameters.splat != "none":
            ground = self.evaluation.ground
            key = key_of(
                core_key(), "splat", ground.key, class_facts(ground), self.parameters.splat
            )
            yield Task("splat maps", key, lambda: Here(self._splat), here=True)
        if self.parameters.heights:
            key = self._key("heights")
            yield Task("height field", key, lambda: Here(self._heights), here=True)
        table = f"placements.{self.parameters.table}"
        key = self._key("table", self.parameters.table)
        yield Task(table, key, lambda: Here(self._table), here=True)

    def _last(self) -> Iterator[Task]:
        """What hangs on others."""
        if self.parameters.stage:
            name = "usd/scene.usdc"
            key = self._key("stage", self.evaluation.document.name, self._views())
            yield Task(name, key, lambda: Here(self._stage), here=True)
        if self.parameters.layout == "tileset":
            name = "tileset.json"
            yield Task(name, self._key("tileset"), lambda: Here(self._tileset), here=True)
        if not self.tiled:
            keys = tuple(recipe.key for recipe in self._recipes.values())
            scene = lambda: Here(self._scene)  # noqa: E731
            yield Task("scene.glb", self._key("scene", keys), scene, keys, here=True)

    def _key(self, *of: Any) -> str:
        """A key of what hangs on the whole scene."""
        return key_of(core_key(), self._scene_key, *of)

    @cached_property
    def _scene_key(self) -> str:
        layers = [
            (r.layer.id, r.layer.name, r.key, layer_facts(r.layer), self._called(r))
            for r in self.evaluation.layers
        ]
        return key_of(
            self.evaluation.ground.key,
            class_facts(self.evaluation.ground),
            layers,
            self.notes,
            self.parameters.model_dump(mode="json"),
            self.profile.texture,
        )

    @staticmethod
    def _called(result: LayerResult) -> list[tuple[str, str]]:
        placed = result.output.placements
        return [] if placed is None else [(v.label, v.key) for v in placed.variants]

    @cached_property
    def tiles(self) -> Tiles:
        """The squares of one that is written in squares."""
        return self._tiles(self.parameters.layout == "tileset", self._form)

    @cached_property
    def stage(self) -> Tiles:
        """The squares of a stage; no reader of one knows WebP."""
        return self._tiles(False, self._apart)

    @cached_property
    def _apart(self) -> Form:
        """How images are written beside stages and OBJ."""
        return replace(self._form, beside=True, webp=False)

    def _tiles(self, nested: bool, form: Form) -> Tiles:
        return Tiles(
            self.evaluation,
            self.library,
            self.parameters,
            self.lattice,
            lambda: self.network,
            self._seated,
            self.drawn,
            self.notes,
            nested,
            form,
        )

    @cached_property
    def frame(self) -> Frame:
        """How the table is written, and OBJ."""
        return Frame.of(self.parameters, self.evaluation.surface.bounds)

    @cached_property
    def lattice(self) -> Lattice:
        """The squares that the scene is written in."""
        return lattice_of(self.evaluation.surface, float(self.parameters.tile_side))

    # -- making it -----------------------------------------------------------------------

    def run(self) -> Iterator[tuple[str, dict[str, Stored]]]:
        """Makes part after part; gives each part's name and its files, but for those that another part has as well and that were given.

        Raises:
            TooLargeError: more plain nodes than the limit, or a file beyond what its format holds.
            ParameterError: two levels would have the same name.
        """
        for _ in self.level_names():
            pass
        self._check_nodes()
        given: set[str] = set()
        for done in self._made():
            new = {p: s for p, s in written(done) if p not in given}
            given |= set(new)
            self.done[done.name] = done
            yield done.name, new
        for name in self.parts()[:-1]:
            self.files |= dict(written(self.done[name]))
        data = self._manifest()
        piece = self.pieces.keep(self._key("manifest", digest(data)), {"manifest.json": data})
        self.files |= piece.files
        yield "manifest.json", piece.files

    def _check_nodes(self) -> None:
        placed = (r.output.placements for r in self.evaluation.layers)
        numbers = [(v, self._numbers[k]) for k, v in self.variants.items()]
        spinning = sum(p.count for p in placed if p and any(p.spin))
        check_nodes(self.library, self.parameters, numbers, spinning)

    def _made(self) -> Iterator[Done]:
        """All parts but the manifest, as they are there."""
        there: deque[Done] = deque()

        def tiles() -> Iterator[Task]:
            if self.tiled:
                yield from map(self.tiles.task, self.tiles.squares)
            if self.parameters.stage:
                yield from (
                    self.stage.task(q, self._staged(q), TileStageRecipe) for q in self.stage.squares
                )

        def wanted() -> Iterator[Task]:
            # what needs no ground is begun before anybody waits for it
            for tasks in (self._first(), tiles(), self._last()):
                while some := list(islice(tasks, _AT_ONCE)):
                    found = self.pieces.known([t.key for t in some])
                    there.extend(Done(t.name, found[t.key]) for t in some if t.key in found)
                    yield from (t for t in some if t.key not in found)

        for done in self._workers.run(wanted(), self._shop):
            while there:
                yield there.popleft()
            yield done
        yield from there

    def read(self, path: str) -> bytes:
        """A file that was made."""
        return self.pieces.read(self.files[path])

    @property
    def contents(self) -> dict[str, bytes]:
        """All files that were made."""
        return {path: self.read(path) for path in self.files}

    def made(self, variant: Variant) -> Made:
        """A variant as it was made."""
        return self._shop.made(self._recipes[variant.label].key)

    def _counts(self) -> Counts:
        """What the scene file holds, or the smallest squares together; meshes are those of the shapes then."""
        if not self.tiled:
            return Counts(**self.done["scene.glb"].piece.says["counts"])
        tiles = self.tiles
        smallest = [
            Counts(**self.done[tiles.path(q)].piece.says["counts"])
            for q in tiles.squares
            if q[0] == tiles.lattice.depth
        ]
        names = [f.name for f in fields(Counts)]
        total = Counts(*(sum(getattr(c, n) for c in smallest) for n in names))
        total.meshes = sum(p.startswith("shapes/") for p in self.files)
        return total

    def _manifest(self) -> bytes:
        tiles = None
        if self.tiled:
            counts = {
                q: self.done[self.tiles.path(q)].piece.says["counts"] for q in self.tiles.squares
            }
            tiles = tile_facts(self.tiles, counts)
        made = {label: self.made(v) for label, v in self.variants.items()}
        told = manifest_of(
            self.evaluation,
            self.library,
            self.variants,
            made,
            self.files,
            self._counts(),
            self.done["ground"].piece.says,
            tiles,
            self.notes,
        )
        told |= self.frame.facts()
        return orjson.dumps(told, option=orjson.OPT_INDENT_2)

    # -- parts ---------------------------------------------------------------------------

    def _ground(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        """How true the written ground is; nothing is written of it alone."""
        return {}, ground_facts(self.evaluation, self.network)

    def _splat(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        made = splat_files(self.evaluation.ground, int(self.parameters.splat), shop.check)
        return {f"splat/{k}": v for k, v in made.items()}, {}

    def _heights(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        made = height_files(self.evaluation.surface, self.network)
        return {f"ground/{name}": data for name, data in made.items()}, {}

    def _stage(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        """What holds the tiles of a stage together."""
        document = self.evaluation.document
        tiles = [
            ("tile " + " ".join(map(str, q)), f"./{self._staged(q).removeprefix('usd/')}")
            for q in self.stage.squares
        ]
        return {"usd/scene.usdc": scene_usd(document.name, tiles, self._views())}, {}

    def _views(self) -> list[tuple[str, Sequence[float], Sequence[float]]]:
        """The viewpoints by name, eye and target."""
        return [(v.name, v.eye, v.target) for v in self.evaluation.document.settings.viewpoints]

    def _tileset(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        tiles = self.tiles
        low, high = tiles.heights
        return dict(tileset_files(tiles.lattice, tiles.squares, low, high, tiles.error(0))), {}

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
        if self._squared:
            depth = self.lattice.depth if p.layout == "tileset" else 0
            coarsest = max(*GROUND_LEVELS, 2.0**depth)
        fitted = fit_network(
            surface, samples, p.ground_error / 100, near, p.ground_error_near / 100, coarsest
        )
        if not self._squared:
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

    def _table(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
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
                seated = self.frame.placed(self._seated(tile.placements))
                rows.append(
                    Rows(result.layer.id, placed.variants, seated, notes if noted else None)
                )
        form = self.parameters.table
        return {f"placements.{form}": table_of(rows, form, noted)}, {}

    def _scene(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        """The scene as one file; its images lie in it, wherever those of levels lie."""
        inside = replace(self._form, beside=False)
        images, _ = shop.images(inside)
        builder = GlbBuilder(images, self._form.packs)

        def take(made: Made, path: str, outside: Outside) -> int:
            data = shop.pieces.read(made.piece.files[path])
            read = lambda uri: shop.pieces.read(made.piece.files[uri.removeprefix("../")])  # noqa: E731
            return builder.take_in(
                outside, binary_part(data) if path.endswith(".glb") else data, read
            )

        writer = InstanceWriter(
            builder,
            shop.made,
            take,
            self.parameters.instancing,
            self.parameters.colliders == "box",
        )
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
            shop.check()
            if result.output.solids:
                roots.append(self._solids_node(builder, writer, result))
            if result.output.placements is not None and result.output.placements.count:
                roots.append(self._placements_node(builder, writer, result))
        writer.animate()
        return {"scene.glb": builder.finish(roots)}, {"counts": asdict(writer.counts)}

    def _solids_node(self, builder: GlbBuilder, writer: InstanceWriter, result: LayerResult) -> int:
        layer, children = result.layer, []
        for solid in result.output.solids:
            writer.counts.triangles += solid.mesh.triangles
            name = f"{layer.id} {solid.name}"
            lower = []
            for d in range(1, 1 + len(solid.coarser)):
                mesh, _ = self._form.lit(solid.level(d, self.library.cache))
                own = f"{name} {d}"
                lower.append(builder.add_node(own, builder.add_mesh(mesh, solid.materials, own)))
            nearest, light = self._form.lit(solid.mesh)
            near = builder.add_mesh(nearest, solid.materials, name)
            coverage = [*SCREEN_COVERAGE[: len(lower)], 0.0] if lower else []
            children.append(
                builder.add_node(name, near, levels=lower, coverage=coverage, extras=light or None)
            )
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
                noted = self.notes.get(variant.asset)
                children += writer.add(
                    result.layer.id,
                    self.drawn(variant),
                    own,
                    {"notes": noted} if noted else {},
                    result.layer.game,
                    placed.spin,
                )
        layer = result.layer
        extras = {"name": layer.name, "placements": placed.count, **layer_facts(layer)}
        return builder.add_node(result.layer.id, children=children, extras=extras)


def for_profile(p: BakeParameters, settings: Settings) -> BakeParameters:
    """What is written, as a profile of one's own asks for it."""
    own = settings.own_profile
    if own is None:
        return p
    asked: dict[str, Any] = {
        n: v for n in ("packing", "images") if (v := getattr(own, n)) != "sheet"
    }
    if own.levels != "sheet":
        asked["levels"] = own.levels == "all"
    return p.model_copy(update=asked)


def _asked(
    name: str, recipe: VariantRecipe | DomeRecipe | ObjRecipe | AssetStageRecipe, asset: str
) -> Task:
    """A task of a recipe that hangs on one asset alone."""
    return Task(name, recipe.key, lambda: recipe, together=asset)


def written(done: Done) -> Iterable[tuple[str, Stored]]:
    """The files of a part that are written."""
    return ((p, s) for p, s in done.piece.files.items() if not p.startswith(WITHIN))


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
    files = baker.contents
    return BakeResult(files, orjson.loads(files["manifest.json"]))
