"""A scene in many files: a square of the ground with all that stands on it in each, meshes beside them, once for all."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.bake.ground_file import class_facts, dressed
from plough.core.bake.instances import Counts, InstanceWriter, Shape, collider_bodies
from plough.core.bake.lattice import Lattice, Square
from plough.core.bake.names import Names
from plough.core.cache import Cache
from plough.core.formats.glb import GlbBuilder, Images
from plough.core.formats.packed import GROUND
from plough.core.ground.mesh import Network, network_tiles
from plough.core.layers.bake import BakeParameters
from plough.core.library.library import SCREEN_COVERAGE, Library, switch_distances
from plough.core.library.variants import Variant
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh, chosen, join, run_of
from plough.core.place.placements import Placements
from plough.core.scene.evaluation import Evaluation, LayerResult
from plough.core.scene.facets import Solid

GROUND_LEVELS = (4.0, 16.0)  #: times as far as the nearest that the farther levels of ground miss
_FINE = 64  # a square is shown farther off as its side is longer: what is smaller than this share of it is left out
_SEEN = 58.0  # times its error in metres, from which a square is shown: 16 pixels of 1080 in a view of 60 degrees


class Shapes:
    """The meshes of variants, as files which squares draw from; what is equal is one, whatever it is called."""

    def __init__(
        self,
        library: Library,
        parameters: BakeParameters,
        names: Names,
        images: Images,
        check: Callable[[], None],
    ) -> None:
        self.names = names
        self._library = library
        self._p = parameters
        self.images = images
        self._check = check
        self._made = Cache(2**62)
        self._first: dict[str, Variant] = {}

    def name(self, variants: Iterable[Variant]) -> list[Variant]:
        """Give the variants their files; those that need one of their own."""
        return [v for v in variants if self._first.setdefault(v.key, v).label == v.label]

    def level(self, variant: Variant, detail: int) -> Shape:
        """The mesh of a level."""
        variant = self._first[variant.key]  # whichever of equal ones is asked for first
        label = self.names.of(variant, detail)

        def make() -> Shape:
            builder = GlbBuilder(self.images, self._p.packing == "meshopt")
            product = self._library.level(variant, detail, self._check)
            mesh = self._library.exported(variant, detail)
            builder.add_mesh(mesh, product.materials, label, f"{variant.asset} ")
            return Shape(f"shapes/{label}.bin", builder.outside(), 1)

        return self._made.get((variant.key, detail), make, lambda s: 1)

    def bodies(self, variant: Variant) -> Shape | None:
        """The colliders; None where it has none."""
        label = self._first[variant.key].label

        def make() -> Shape | None:
            product = self._library.level(variant, 0, self._check)
            bodies = collider_bodies(product, self._p)
            if not bodies:
                return None
            builder = GlbBuilder(packs=self._p.packing == "meshopt")
            for k, body in enumerate(bodies):
                builder.add_mesh(body, {}, f"collider-{label}-{k}")
            return Shape(f"shapes/colliders/{label}.bin", builder.outside(), len(bodies))

        return self._made.get((variant.key, "bodies"), make, lambda s: 1)

    def files(self, variant: Variant, levels: int, bodies: bool) -> dict[str, bytes]:
        """The files of a variant."""
        made = [self.level(variant, d) for d in range(levels)]
        body = self.bodies(variant) if bodies else None
        return {s.path: s.outside.data for s in (*made, body) if s is not None}


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
    """Writes the squares of a scene.

    Args:
        nested: whether squares of all levels are written, the larger ones as what is seen of them from afar, as 3D Tiles ask for;
            otherwise only the smallest, with levels of detail by MSFT_lod and colliders.
        seated: gives placements on the ground that is written.
    """

    def __init__(
        self,
        evaluation: Evaluation,
        library: Library,
        parameters: BakeParameters,
        lattice: Lattice,
        network: Callable[[], Network | None],
        shapes: Shapes,
        seated: Callable[[Placements], Placements],
        notes: dict[str, dict[str, str]],
    ) -> None:
        self.nested = parameters.layout == "tileset"
        self.lattice = lattice
        self.shapes = shapes
        self.counts: dict[Square, Counts] = {}  #: of the squares that were written
        self._evaluation = evaluation
        self._library = library
        self._p = parameters
        self._network = network
        self._seated = seated
        self._notes = notes
        self._kept = Cache(400_000_000)

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

    def file(self, square: Square) -> bytes:
        """A square; its nodes lie under one at its middle, on the height 0."""
        packs = self._p.packing == "meshopt"
        builder = GlbBuilder(self.shapes.images, packs)
        writer = InstanceWriter(builder, self._library, self._p, self.shapes.names, self.shapes)
        x, z = self.lattice.middle(square)
        middle = np.array([x, 0.0, z])
        roots = self._ground_node(builder, writer, square, middle)
        for result in self._evaluation.layers:
            roots += self._solid_nodes(builder, writer, result, square, middle)
        for standing in self.standing:
            roots += self._placed_nodes(builder, writer, standing, square, middle)
        writer.animate()
        root = builder.add_node(
            "tile " + " ".join(map(str, square)), children=roots, translation=middle.tolist()
        )
        data = builder.finish([root])
        self.counts[square] = writer.counts
        return data

    # -- the ground ----------------------------------------------------------------------

    def _ground_node(
        self, builder: GlbBuilder, writer: InstanceWriter, square: Square, middle: Float64
    ) -> list[int]:
        coarser = [1.0 if not self.nested else 2.0 ** (self.lattice.depth - square[0])]
        if not self.nested and self._p.levels and self._network() is not None:
            coarser += GROUND_LEVELS
        meshes = [m for c in coarser if (m := self._ground(square, c)) is not None]
        if not meshes:
            return []
        nodes: list[int] = []
        for k, mesh in enumerate(meshes):
            ground = dressed(self._evaluation.ground, mesh)
            name = "ground" if not k else f"ground level {k}"
            shape = builder.add_mesh(
                _about(ground.mesh, middle),
                ground.materials,
                name,
                shares=ground.shares,
                off=GROUND,
            )
            nodes.append(shape)
        writer.counts.triangles += meshes[0].triangles
        facts = class_facts(self._evaluation.ground)
        lower = [builder.add_node(f"ground level {k}", m) for k, m in enumerate(nodes[1:], 1)]
        extras = {"classes": facts} if facts else None
        return [
            builder.add_node(
                "ground", nodes[0], levels=lower, coverage=_coverage(lower), extras=extras
            )
        ]

    def _ground(self, square: Square, coarser: float) -> Mesh | None:
        """The ground of a square."""
        level, column, row = square
        surface, network = self._evaluation.ground.surface, self._network()
        if network is None:
            assert surface.own is not None
            return self._piece("ground", surface.own.mesh, square)
        side = (network.heights.shape[0] - 1) >> level

        def make() -> dict[tuple[int, int], Mesh]:
            return network_tiles(network, surface, side, coarser)

        size = lambda made: sum(m.nbytes for m in made.values())  # noqa: E731
        squares: dict[tuple[int, int], Mesh] = self._kept.get(
            ("ground", level, coarser), make, size
        )
        return squares.get((column, row))

    # -- solids --------------------------------------------------------------------------

    def _solid_nodes(
        self,
        builder: GlbBuilder,
        writer: InstanceWriter,
        result: LayerResult,
        square: Square,
        middle: Float64,
    ) -> list[int]:
        """The solids of a layer in a square, those of the same level as one mesh with a part for each material."""
        near, most = self._pieces(result, square, self._detail_of_solid(square)), 0
        if not near:
            return []
        if not self.nested and self._p.levels:
            most = max((len(s.coarser) for s in result.output.solids), default=0)
        rows = [near, *(self._pieces(result, square, _always(d)) for d in range(1, most + 1))]
        layer, shapes = result.layer, []
        for d, pieces in enumerate(rows):
            mesh, materials = merged(pieces)
            if not d:
                writer.counts.triangles += mesh.triangles
            name = f"{layer.id} solids" + (f" level {d}" if d else "")
            shapes.append(builder.add_mesh(_about(mesh, middle), materials, name))
        lower = [
            builder.add_node(f"{layer.id} solids level {d}", m) for d, m in enumerate(shapes[1:], 1)
        ]
        extras = {"name": layer.name, "layer": layer.id, **layer_facts(layer)}
        return [
            builder.add_node(
                f"{layer.id} solids",
                shapes[0],
                levels=lower,
                coverage=_coverage(lower),
                extras=extras,
            )
        ]

    def _detail_of_solid(self, square: Square) -> Callable[[Solid], int]:
        """Which level of a solid is drawn in a square."""
        if not self.nested or square[0] == self.lattice.depth:
            return _always(0)
        seen = _SEEN * self.error(square[0])
        return lambda s: int(np.searchsorted(s.switch_distances, seen, "right"))

    def _pieces(
        self, result: LayerResult, square: Square, detail: Callable[[Solid], int]
    ) -> list[tuple[Mesh, dict[str, Material]]]:
        """What of a layer's solids lies in a square, with their materials."""
        least = self.error(square[0]) if self._far(square) else 0.0
        out = []
        for k, solid in enumerate(result.output.solids):
            low, high = solid.mesh.bounds()
            if float(np.max(high - low)) < least:
                continue
            d = min(detail(solid), len(solid.coarser))
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

    def _placed_nodes(
        self,
        builder: GlbBuilder,
        writer: InstanceWriter,
        standing: _Standing,
        square: Square,
        middle: Float64,
    ) -> list[int]:
        own, result = standing.within(self.lattice, square), standing.result
        placed = result.output.placements
        assert placed is not None
        if not own.count:
            return []
        children: list[int] = []
        for row, variant in enumerate(placed.variants):
            rows = np.nonzero(own.variant == row)[0]
            detail = None
            if self.nested:
                size = max(self._library.size(variant))
                error = self.error(square[0])
                if self._far(square):
                    rows = rows[size * own.scale[rows].max(axis=1) >= error]
                detail = self._detail(variant, square)
            if not len(rows):
                continue
            here = own.taken(rows)
            at = (here.position.astype(np.float64) - middle).astype(np.float32)
            noted = self._notes.get(variant.asset)
            children += writer.add(
                result.layer.id,
                variant,
                replace(here, position=at),
                {"notes": noted} if noted else {},
                result.layer.game,
                placed.spin,
                detail,
            )
        if not children:
            return []
        extras = {"name": result.layer.name, "layer": result.layer.id, **layer_facts(result.layer)}
        return [builder.add_node(result.layer.id, children=children, extras=extras)]

    def _detail(self, variant: Variant, square: Square) -> int:
        """The level of a variant that is drawn in a square."""
        if not self._far(square) or not self._p.levels:
            return 0
        levels = self._library.levels_of(variant)
        limits = switch_distances(self._library.size(variant), levels)
        return int(np.searchsorted(limits, _SEEN * self.error(square[0]), "right"))


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


def _about(mesh: Mesh, middle: Float64) -> Mesh:
    """A mesh as seen from `middle`."""
    return replace(mesh, positions=(mesh.positions.astype(np.float64) - middle).astype(np.float32))


def _coverage(lower: list[int]) -> list[float]:
    return [*SCREEN_COVERAGE[: len(lower)], 0.0] if lower else []


def layer_facts(layer: Any) -> dict[str, Any]:
    """What is noted on a layer, and what it is in the game where that is not as usual."""
    notes = {"notes": layer.notes} if layer.notes else {}
    shadow = {} if layer.shadow == "casts" else {"shadow": layer.shadow}
    game = layer.game.model_dump(exclude_defaults=True)
    return notes | shadow | ({"game": game} if game else {})


def merged(pieces: list[tuple[Mesh, dict[str, Material]]]) -> tuple[Mesh, dict[str, Material]]:
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
