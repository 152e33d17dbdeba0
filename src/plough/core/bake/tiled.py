"""A scene in many files: a square of the ground with all that stands on it in each, meshes beside them, once for all."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import asdict, dataclass, replace
from functools import cached_property
from itertools import pairwise, takewhile
from typing import Any, NamedTuple

import numpy as np

from plough.core.arrays import Float64, Int64, UInt8
from plough.core.bake.ground_file import GroundMesh, class_facts, dressed
from plough.core.bake.instances import Drawn, InstanceWriter
from plough.core.bake.lattice import Lattice, Square
from plough.core.bake.pieces import Stored
from plough.core.bake.shop import Form, Recipe, Shop
from plough.core.bake.workers import Task
from plough.core.cache import Cache
from plough.core.formats.glb import GlbBuilder
from plough.core.formats.packed import GROUND
from plough.core.ground.mesh import Network, NetworkTiles
from plough.core.hashing import digest, key_of
from plough.core.kernels import core_key
from plough.core.layers.bake import BakeParameters
from plough.core.library.library import SCREEN_COVERAGE, Library, switch_distances
from plough.core.library.variants import Variant
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh, chosen, join, mesh_key, run_of
from plough.core.place.placements import Placements
from plough.core.scene.document import LayerGame
from plough.core.scene.evaluation import Evaluation, LayerResult
from plough.core.scene.facets import Solid, Spin

GROUND_LEVELS = (4.0, 16.0)  #: times as far as the nearest that the farther levels of ground miss
_FINE = 64  # a square is shown farther off as its side is longer: what is smaller than this share of it is left out
_SEEN = 58.0  # times its error in metres, from which a square is shown: 16 pixels of 1080 in a view of 60 degrees

Pieces = list[tuple[Mesh, dict[str, Material]]]
"""Of solids, with their materials."""


class Group(NamedTuple):
    """Placements of one variant in a square: a run of those of the layer."""

    drawn: Drawn
    first: int
    last: int  #: the one after it
    noted: dict[str, Any]
    detail: int | None  #: the one level that is drawn; None for all


@dataclass(frozen=True, slots=True)
class Placed:
    """What of a layer stands in a square."""

    layer: str
    extras: dict[str, Any]
    game: LayerGame
    spin: Spin
    placements: Placements  #: about the middle of the square, variant after variant
    groups: tuple[Group, ...]

    @property
    def key(self) -> tuple[Any, ...]:
        """Tells it from any other, in plain values."""
        groups = [(tuple(g.drawn), g.first, g.last, g.noted, g.detail) for g in self.groups]
        game = self.game.model_dump()
        return self.layer, self.extras, game, self.spin, digest(*self.placements.buffers()), groups


@dataclass(frozen=True, slots=True)
class Solids:
    """What of a layer's solids lies in a square."""

    layer: str
    extras: dict[str, Any]
    levels: tuple[Pieces, ...]  #: nearest first


@dataclass(frozen=True, slots=True)
class TileRecipe:
    """All that is written of a square; its nodes lie under one at its middle, on the height 0."""

    path: str
    name: str
    middle: tuple[float, float, float]  #: metres
    form: Form
    instancing: bool
    ground: tuple[GroundMesh, ...]  #: nearest first
    classes: list[dict[str, str]]
    solids: tuple[Solids, ...]
    placed: tuple[Placed, ...]

    def make(self, shop: Shop) -> tuple[dict[str, bytes | Stored], dict[str, Any]]:
        """The file, and what it holds."""
        images, used = shop.images(self.form)
        builder = GlbBuilder(images, self.form.packs)
        writer = InstanceWriter(
            builder,
            shop.made,
            lambda _, path, outside: builder.take(outside, f"../{path}"),
            self.instancing,
            self.form.colliders == "box",
        )
        roots = self._ground_node(builder, writer)
        for solids in self.solids:
            roots.append(self._solids_node(builder, writer, solids))
        for placed in self.placed:
            children: list[int] = []
            for g in placed.groups:
                children += writer.add(
                    placed.layer,
                    g.drawn,
                    placed.placements.taken(slice(g.first, g.last)),
                    g.noted,
                    placed.game,
                    placed.spin,
                    g.detail,
                )
            roots.append(builder.add_node(placed.layer, children=children, extras=placed.extras))
        writer.animate()
        root = builder.add_node(self.name, children=roots, translation=self.middle)
        data = builder.finish([root])
        return {self.path: data, **used}, {"counts": asdict(writer.counts)}

    def _ground_node(self, builder: GlbBuilder, writer: InstanceWriter) -> list[int]:
        if not self.ground:
            return []
        names = ["ground", *(f"ground level {k}" for k in range(1, len(self.ground)))]
        shapes = [
            builder.add_mesh(
                about(ground.mesh, self.middle),
                ground.materials,
                name,
                shares=ground.shares,
                off=GROUND,
            )
            for name, ground in zip(names, self.ground, strict=True)
        ]
        writer.counts.triangles += self.ground[0].mesh.triangles
        return [
            _levelled(builder, names, shapes, {"classes": self.classes} if self.classes else None)
        ]

    def _solids_node(self, builder: GlbBuilder, writer: InstanceWriter, solids: Solids) -> int:
        """The solids of a layer, those of the same level as one mesh with a part for each material."""
        name = f"{solids.layer} solids"
        names = [name, *(f"{name} level {d}" for d in range(1, len(solids.levels)))]
        shapes, told = [], solids.extras
        for called, pieces in zip(names, solids.levels, strict=True):
            mesh, materials = merged(pieces)
            mesh, light = self.form.lit(about(mesh, self.middle))
            shapes.append(builder.add_mesh(mesh, materials, called))
            if len(shapes) == 1:
                writer.counts.triangles += mesh.triangles
                told = solids.extras | light
        return _levelled(builder, names, shapes, told)


@dataclass(frozen=True, slots=True)
class _Standing:
    """What a layer placed, in the order of the smallest squares."""

    result: LayerResult
    placed: Placements
    codes: Int64

    def within(self, lattice: Lattice, square: Square) -> Placements:
        first, last = np.searchsorted(self.codes, lattice.span(square))
        return self.placed.taken(slice(int(first), int(last)))


class Tiles:
    """Gathers what is written of the squares of a scene.

    Args:
        nested: whether squares of all levels are written, the larger ones as what is seen of them from afar, as 3D Tiles ask for;
            otherwise only the smallest, with levels of detail by MSFT_lod and colliders.
        seated: gives placements on the ground that is written.
        drawn: gives a variant as it is drawn.
        form: how meshes and images are written.
    """

    def __init__(
        self,
        evaluation: Evaluation,
        library: Library,
        parameters: BakeParameters,
        lattice: Lattice,
        network: Callable[[], Network | None],
        seated: Callable[[Placements], Placements],
        drawn: Callable[[Variant], Drawn],
        notes: dict[str, dict[str, str]],
        nested: bool,
        form: Form,
    ) -> None:
        self.nested = nested
        self.lattice = lattice
        self._evaluation = evaluation
        self._library = library
        self._p = parameters
        self._form = form
        self._network = network
        self._seated = seated
        self._drawn = drawn
        self._notes = notes
        self._kept = Cache(2**62)  # all of it is asked for again and again
        self._classes = class_facts(evaluation.ground)

    @property
    def standing(self) -> list[_Standing]:
        """All that is placed, on the ground that is written."""

        def make() -> list[_Standing]:
            out = []
            for result in self._evaluation.layers:
                placed = result.output.placements
                if placed is not None and placed.count:
                    whole = self._seated(placed.whole())
                    codes = self.lattice.codes(*_on_map(whole.position))
                    order = np.argsort(codes, kind="stable")
                    out.append(_Standing(result, whole.taken(order), codes[order]))
            return out

        size = lambda made: sum(s.placed.nbytes for s in made)  # noqa: E731
        return self._kept.get("standing", make, size)

    @cached_property
    def squares(self) -> list[Square]:
        """Those that hold anything, the largest first."""
        own = self._evaluation.ground.surface.own
        codes = [np.arange(4**self.lattice.depth)] if own is None else []
        meshes = [] if own is None else [own.mesh]
        for result in self._evaluation.layers:
            meshes += [s.mesh for s in result.output.solids]
            for tile in result.output.placements.tiles if result.output.placements else ():
                codes.append(self.lattice.codes(*_on_map(tile.placements.position)))
        codes += [_codes_of(self.lattice, m) for m in meshes]
        found: Int64 = np.unique(np.concatenate(codes))
        levels = range(0 if self.nested else self.lattice.depth, self.lattice.depth + 1)
        return [q for level in levels for q in self.lattice.squares(found, level)]

    @property
    def heights(self) -> tuple[float, float]:
        """Metres, of the lowest and the highest that is drawn."""
        own, network = self._evaluation.ground.surface.own, self._network()
        ground = own.mesh.positions[:, 1] if own is not None else network.heights  # type: ignore[union-attr]
        low, high = [float(ground.min())], [float(ground.max())]
        for result in self._evaluation.layers:
            for solid in result.output.solids:
                a, b = solid.mesh.bounds()
                low.append(float(a[1]))
                high.append(float(b[1]))
        for s in self.standing:
            assert s.result.output.placements is not None
            variants = s.result.output.placements.variants
            tall = np.array([max(self._library.size(v)) for v in variants])
            reach = tall[s.placed.variant] * s.placed.scale.max(axis=1)
            low.append(float((s.placed.position[:, 1] - reach).min()))
            high.append(float((s.placed.position[:, 1] + reach).max()))
        return min(low), max(high)

    def path(self, square: Square) -> str:
        """Where a square is written."""
        level, column, row = square
        if self.nested:  # there rows count from the south
            return f"tiles/{level}-{column}-{2**level - 1 - row}.glb"
        return f"tiles/{column}-{row}.glb"

    def error(self, level: int) -> float:
        """Metres that what is written of a square may differ from the scene: the smallest of what is left out of it."""
        return self.lattice.across(level) / _FINE

    def task(
        self,
        square: Square,
        path: str = "",
        of: Callable[[TileRecipe], Recipe] = lambda recipe: recipe,
    ) -> Task:
        """What makes the file of a square.

        Args:
            path: where it is written, if elsewhere than `path` says.
            of: what makes it of all that is gathered.
        """
        x, z = self.lattice.middle(square)
        middle = (x, 0.0, z)
        ground = self._grounds(square)
        placed = tuple(
            here
            for s in self.standing
            if (here := self._placed(s, square, np.array(middle))) is not None
        )
        solids = [(r, k) for r in self._evaluation.layers if (k := self._solid_keys(r, square))]
        form, path, p = self._form, path or self.path(square), self._p
        name = "tile " + " ".join(map(str, square))
        key = key_of(
            core_key(),
            "tile",
            (path, name, middle, asdict(form), p.instancing, self._classes),
            [(mesh_key(g.mesh), repr(g.materials), _digest(g.shares)) for g in ground],
            [(r.layer.id, _extras(r.layer), k) for r, k in solids],
            [q.key for q in placed],
        )

        def build() -> Recipe:
            lying = tuple(self._solids(r, square) for r, _ in solids)
            return of(
                TileRecipe(
                    path, name, middle, form, p.instancing, ground, self._classes, lying, placed
                )
            )

        needs = tuple({g.drawn.piece: None for q in placed for g in q.groups})
        return Task(path, key, build, needs, "tiles")

    # -- the ground ----------------------------------------------------------------------

    def _grounds(self, square: Square) -> tuple[GroundMesh, ...]:
        """The ground of a square, as its levels."""
        coarser = [1.0 if not self.nested else 2.0 ** (self.lattice.depth - square[0])]
        if not self.nested and self._p.levels and self._network() is not None:
            coarser += GROUND_LEVELS
        meshes = [m for c in coarser if (m := self._ground(square, c)) is not None]
        return tuple(dressed(self._evaluation.ground, mesh) for mesh in meshes)

    def _ground(self, square: Square, coarser: float) -> Mesh | None:
        """The ground of a square."""
        level, column, row = square
        surface, network = self._evaluation.ground.surface, self._network()
        if network is None:
            assert surface.own is not None
            return self._piece("ground", surface.own.mesh, square)
        side = (network.heights.shape[0] - 1) >> level

        def make() -> NetworkTiles:
            return NetworkTiles(network, surface, side, coarser)

        cut = self._kept.get(("ground", level, coarser), make, lambda made: made.nbytes)
        return cut.mesh(column, row)

    # -- solids --------------------------------------------------------------------------

    def _solids(self, result: LayerResult, square: Square) -> Solids:
        """The solids of a layer in a square."""
        near, most = self._pieces(result, square, self._detail_of_solid(square)), 0
        if not self.nested and self._p.levels:
            most = max((len(s.coarser) for s in result.output.solids), default=0)
        lower = (self._pieces(result, square, _always(d)) for d in range(1, most + 1))
        # where a level has nothing in a square, the one before it stands to the last
        levels = (near, *takewhile(bool, lower))
        return Solids(result.layer.id, _extras(result.layer), levels)

    def _solid_keys(self, result: LayerResult, square: Square) -> list[tuple[str, int]]:
        """The keys of the solids that are drawn in a square, and their nearest level there."""
        detail = self._detail_of_solid(square)
        return [
            (solid.key, d)
            for k, solid, d in self._seen(result, square, detail)
            if self._piece(
                f"{result.layer.id} {k} {d}", solid.level(d, self._library.cache), square
            )
        ]

    def _detail_of_solid(self, square: Square) -> Callable[[Solid], int]:
        """Which level of a solid is drawn in a square."""
        if not self.nested or square[0] == self.lattice.depth:
            return _always(0)
        seen = _SEEN * self.error(square[0])
        return lambda s: int(np.searchsorted(s.switch_distances, seen, "right"))

    def _seen(
        self, result: LayerResult, square: Square, detail: Callable[[Solid], int]
    ) -> Iterator[tuple[int, Solid, int]]:
        """The solids of a layer that are large enough for a square: their numbers, and the level of each."""
        least = self.error(square[0]) if self._far(square) else 0.0
        for k, solid in enumerate(result.output.solids):
            low, high = solid.mesh.bounds()
            if float(np.max(high - low)) >= least:
                yield k, solid, min(detail(solid), len(solid.coarser))

    def _pieces(
        self, result: LayerResult, square: Square, detail: Callable[[Solid], int]
    ) -> Pieces:
        """What of a layer's solids lies in a square, with their materials."""
        out = []
        for k, solid, d in self._seen(result, square, detail):
            mesh = solid.level(d, self._library.cache)
            piece = self._piece(f"{result.layer.id} {k} {d}", mesh, square)
            if piece is not None:
                out.append((piece, solid.materials))
        return out

    def _piece(self, name: str, mesh: Mesh, square: Square) -> Mesh | None:
        """The triangles of a mesh whose middles lie in a square."""

        def make() -> tuple[Int64, Int64]:
            codes = _codes_of(self.lattice, mesh)
            order = np.argsort(codes, kind="stable")
            return order, codes[order]

        order, codes = self._kept.get(("piece", name), make, lambda m: m[0].nbytes + m[1].nbytes)
        first, last = (int(k) for k in np.searchsorted(codes, self.lattice.span(square)))
        if first == last:
            return None
        if last - first == len(codes):
            return mesh
        rows = np.sort(order[first:last])
        owner = np.repeat(np.arange(len(mesh.parts)), [p.count for p in mesh.parts])
        return chosen(mesh, mesh.indices[rows], owner[rows])

    # -- placements ----------------------------------------------------------------------

    def _far(self, square: Square) -> bool:
        """Whether a square shows only what is large."""
        return self.nested and square[0] < self.lattice.depth

    def _placed(self, standing: _Standing, square: Square, middle: Float64) -> Placed | None:
        """What of a layer stands in a square."""
        own, result = standing.within(self.lattice, square), standing.result
        placed = result.output.placements
        assert placed is not None
        if self._far(square):
            own = own.taken(
                self._large(placed.variants)[own.variant] * own.scale.max(axis=1)
                >= self.error(square[0])
            )
        if not own.count:
            return None
        own = own.taken(np.argsort(own.variant, kind="stable"))
        at = (own.position.astype(np.float64) - middle).astype(np.float32)
        ends = np.flatnonzero(np.diff(own.variant)) + 1
        groups = []
        for first, last in pairwise((0, *ends.tolist(), own.count)):
            variant = placed.variants[int(own.variant[first])]
            noted = self._notes.get(variant.asset)
            detail = self._detail(variant, square) if self.nested else None
            told = {"notes": noted} if noted else {}
            groups.append(Group(self._drawn(variant), first, last, told, detail))
        layer = result.layer
        here = replace(own, position=at)
        return Placed(layer.id, _extras(layer), layer.game, placed.spin, here, tuple(groups))

    def _large(self, variants: Sequence[Variant]) -> Float64:
        """(n,) how large variants are, metres."""
        return np.array([max(self._library.size(v)) for v in variants])

    def _detail(self, variant: Variant, square: Square) -> int:
        """The level of a variant that is drawn in a square."""
        if not self._far(square) or not self._p.levels:
            return 0
        levels = self._library.levels_of(variant)
        limits = switch_distances(self._library.size(variant), levels)
        return int(np.searchsorted(limits, _SEEN * self.error(square[0]), "right"))


def _extras(layer: Any) -> dict[str, Any]:
    return {"name": layer.name, "layer": layer.id, **layer_facts(layer)}


def _digest(array: UInt8 | None) -> str:
    return "" if array is None else digest(np.ascontiguousarray(array).data)


def _levelled(
    builder: GlbBuilder, names: list[str], shapes: list[int], extras: dict[str, Any] | None
) -> int:
    """A node of the nearest mesh, over nodes of its levels."""
    lower = [builder.add_node(n, m) for n, m in zip(names[1:], shapes[1:], strict=True)]
    coverage = [*SCREEN_COVERAGE[: len(lower)], 0.0] if lower else []
    return builder.add_node(names[0], shapes[0], levels=lower, coverage=coverage, extras=extras)


def _always(detail: int) -> Callable[[Solid], int]:
    return lambda _: detail


def _on_map(points: Any) -> tuple[Float64, Float64]:
    at = np.asarray(points, np.float64)
    return at[:, 0], at[:, 2]


def _codes_of(lattice: Lattice, mesh: Mesh) -> Int64:
    """(m,) Morton codes of the smallest squares in which the middles of triangles lie."""
    at = mesh.positions.astype(np.float64)[:, [0, 2]]
    middle = at[mesh.indices].mean(axis=1)
    return lattice.codes(middle[:, 0], middle[:, 1])


def about(mesh: Mesh, middle: tuple[float, float, float]) -> Mesh:
    """A mesh as seen from `middle`."""
    return replace(
        mesh, positions=(mesh.positions.astype(np.float64) - np.array(middle)).astype(np.float32)
    )


def layer_facts(layer: Any) -> dict[str, Any]:
    """What is noted on a layer, and what it is in the game where that is not as usual."""
    notes = {"notes": layer.notes} if layer.notes else {}
    shadow = {} if layer.shadow == "casts" else {"shadow": layer.shadow}
    game = layer.game.model_dump(exclude_defaults=True)
    return notes | shadow | ({"game": game} if game else {})


def merged(pieces: Pieces) -> tuple[Mesh, dict[str, Material]]:
    """Meshes as one, with one part for each material, whichever slots it was in."""
    runs: dict[str, list[Mesh]] = {}
    materials: dict[str, Material] = {}
    slots: dict[str, str] = {}
    for mesh, own in pieces:
        for part in mesh.parts:
            material = own.get(part.material)
            told = repr(material) if material is not None else part.material
            if told not in slots:
                taken = sum(s.split(" ")[0] == part.material for s in slots.values())
                slots[told] = f"{part.material} {taken + 1}" if taken else part.material
            slot = slots[told]
            if material is not None:
                materials[slot] = material
            run = run_of(mesh, part.first, part.count)
            only = replace(run.parts[0], material=slot)
            runs.setdefault(slot, []).append(replace(run, parts=(only,)))
    return join([m for found in runs.values() for m in found]), materials


def bounds_of(lattice: Lattice, square: Square) -> tuple[float, float, float, float]:
    """West, north, east and south of a square, in metres."""
    x, z = lattice.middle(square)
    half = 0.5 * lattice.across(square[0])
    return x - half, z - half, x + half, z + half
