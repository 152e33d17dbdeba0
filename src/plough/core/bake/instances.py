"""Placements in a glTF scene: instances or plain nodes, with levels of detail and colliders."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any, Protocol

import numpy as np

from plough.core.bake.colliders import box_meshes, collider_meshes
from plough.core.bake.names import Names
from plough.core.errors import TooLargeError
from plough.core.formats.glb import GlbBuilder, Outside
from plough.core.kinds import Product
from plough.core.lamp import Lamp, placed_at
from plough.core.layers.bake import BakeParameters
from plough.core.library.library import SCREEN_COVERAGE, Library
from plough.core.library.variants import Variant
from plough.core.mesh.value import Mesh
from plough.core.place.placements import Placements
from plough.core.scene.document import LayerGame
from plough.core.scene.facets import STILL, Spin

_AS_ASSET = LayerGame()
MOST_NODES = 50_000  #: plain nodes, without instancing


@dataclass(frozen=True, slots=True)
class Meshes:
    """What a variant is drawn with: indices in the file."""

    levels: list[int]
    colliders: list[int]
    near: Product
    says: dict[str, Any] = field(default_factory=dict)  #: what an engine is told of each collider


@dataclass(slots=True)
class Counts:
    """What a scene file holds."""

    instances: int = 0
    triangles: int = 0
    colliders: int = 0
    lamps: int = 0
    meshes: int = 0


@dataclass(frozen=True, slots=True)
class Shape:
    """Meshes that lie in a file of their own."""

    path: str  #: in a folder beside that of the files which draw from it
    outside: Outside
    meshes: int


class Shapes(Protocol):
    """Gives the meshes of variants as files of their own."""

    def level(self, variant: Variant, detail: int) -> Shape:
        """The mesh of a level."""

    def bodies(self, variant: Variant) -> Shape | None:
        """The colliders; None where it has none."""


def collider_bodies(product: Product, parameters: BakeParameters) -> list[Mesh]:
    """The meshes of a product's colliders, as the bake asks for them."""
    if parameters.colliders == "none":
        return []
    make = collider_meshes if parameters.colliders == "asset" else box_meshes
    return list(make(product.collider))


class InstanceWriter:
    """Writes the placements of layers, and each variant's meshes once.

    Args:
        shapes: gives meshes that lie outside the file; without, they lie in it.
    """

    def __init__(
        self,
        builder: GlbBuilder,
        library: Library,
        parameters: BakeParameters,
        names: Names,
        shapes: Shapes | None = None,
    ) -> None:
        self.counts = Counts()
        self._builder = builder
        self._library = library
        self._p = parameters
        self._names = names
        self._shapes = shapes
        self._taken: dict[str, list[int]] = {}
        self._meshes: dict[str, Meshes] = {}
        self._turning: dict[Spin, list[int]] = {}

    def levels_of(self, variant: Variant) -> int:
        """How many levels of detail are written."""
        return self._library.levels_of(variant) if self._p.levels else 1

    def check_nodes(self, counts: dict[str, tuple[Variant, int]], spinning: int = 0) -> None:
        """Raises `TooLargeError` when plain nodes for `counts` (variant and number of each) would be too many; `spinning` of them turn."""
        lamps = sum(n * len(self._library.lamps(v)) for v, n in counts.values())
        if lamps > MOST_NODES:
            raise TooLargeError(
                "game.lamp.lumens",
                f"the scene would have {lamps:,} lamps; the limit is {MOST_NODES:,}:"
                " take the lamp from assets that stand often, or lower the fill",
            )
        if self._p.instancing:
            return
        nodes = (
            lamps
            + 2 * spinning
            + sum(
                n * (self.levels_of(v) + len(collider_bodies(self._library.level(v, 0), self._p)))
                for v, n in counts.values()
            )
        )
        if nodes > MOST_NODES:
            raise TooLargeError(
                "instancing",
                f"the scene would have {nodes:,} plain nodes, levels, colliders and lamps included;"
                f" the limit is {MOST_NODES:,}: switch instances on, or lower the fill",
            )

    def _meshes_of(self, variant: Variant, game: LayerGame, detail: int | None) -> Meshes:
        """Equal variants share their meshes, whatever they are called."""
        if detail is not None:
            near = self._library.level(variant, 0)
            return Meshes([self._level(variant, detail)], [], near)
        made = self._shared(variant)
        says = game.flags(made.near.collider.extras())
        if self._p.colliders == "box":
            says |= {"collider": "box"}
        return replace(
            made, says=says, colliders=[] if game.colliders == "none" else made.colliders
        )

    def _level(self, variant: Variant, detail: int) -> int:
        """The mesh of a level."""
        if self._shapes is not None:
            return self._take(self._shapes.level(variant, detail))[0]
        materials = self._library.level(variant, detail).materials
        mesh, name = self._library.exported(variant, detail), self._names.of(variant, detail)
        return self._builder.add_mesh(mesh, materials, name, f"{variant.asset} ")

    def _take(self, shape: Shape) -> list[int]:
        """Meshes that lie outside, each file taken once."""
        if shape.path not in self._taken:
            first = self._builder.take(shape.outside, f"../{shape.path}")
            self._taken[shape.path] = list(range(first, first + shape.meshes))
        return self._taken[shape.path]

    def _shared(self, variant: Variant) -> Meshes:
        if variant.key not in self._meshes:
            levels = [self._level(variant, d) for d in range(self.levels_of(variant))]
            near = self._library.level(variant, 0)
            self._meshes[variant.key] = Meshes(levels, self._bodies(variant, near), near)
            self.counts.meshes += len(levels)
        return self._meshes[variant.key]

    def _bodies(self, variant: Variant, near: Product) -> list[int]:
        """The meshes of colliders."""
        if self._shapes is not None:
            shape = self._shapes.bodies(variant)
            return [] if shape is None else self._take(shape)
        return [
            self._builder.add_mesh(body, {}, f"collider-{variant.label}-{k}")
            for k, body in enumerate(collider_bodies(near, self._p))
        ]

    def add(
        self,
        layer: str,
        variant: Variant,
        placed: Placements,
        noted: dict[str, Any] | None = None,
        game: LayerGame = _AS_ASSET,
        spin: Spin = STILL,
        detail: int | None = None,
    ) -> list[int]:
        """Nodes of all placements of one variant in a layer.

        Args:
            noted: goes to their extras.
            game: what the layer says of colliders.
            spin: degrees a second about their own axes; plain nodes are animated, instances have it in their extras.
            detail: the one level that is drawn, without colliders; by default all levels and colliders.
        """
        meshes = self._meshes_of(variant, game, detail)
        self.counts.instances += placed.count
        self.counts.triangles += placed.count * self._library.facts(variant, detail or 0).triangles
        self.counts.colliders += placed.count * len(meshes.colliders)
        name = f"{layer}-{variant.label}"
        lights = self._lights(name, variant, meshes.near.lamps, placed)
        extras: dict[str, Any] = {
            "asset": variant.asset,
            "variant": variant.seed,
            "layer": layer,
        }
        if variant.mirror_of:
            extras["mirrored"] = True
        extras |= noted or {}
        if any(spin):
            extras["spin"] = list(spin)
        if self._p.instancing:
            shared = self._builder.add_instances(placed.position, placed.rotation, placed.scale)
            return self._nodes(name, meshes, {"instances": shared}, extras) + lights
        out = lights
        for i in range(placed.count):
            at = {
                "translation": placed.position[i],
                "rotation": placed.rotation[i],
                "scale": placed.scale[i],
            }
            own = f"{name}-{int(placed.ids[i]):016x}"
            if any(spin):
                out.append(self._spinning(own, meshes, at, extras, spin))
            else:
                out += self._nodes(own, meshes, at, extras)
        return out

    def _spinning(
        self, name: str, meshes: Meshes, at: dict[str, Any], extras: dict[str, Any], spin: Spin
    ) -> int:
        """A node in its place, over one that turns, over all that is drawn and collided with."""
        drawn = self._nodes(name, meshes, {}, extras)
        turning = self._builder.add_node(f"{name} spin", children=drawn)
        self._turning.setdefault(spin, []).append(turning)
        return self._builder.add_node(f"{name} place", children=[turning], **at)

    def animate(self) -> None:
        """Write the animation of all that spins; each speed is one."""
        for spin, nodes in self._turning.items():
            words = ", ".join(f"{v:g}" for v in spin)
            self._builder.add_spin(f"spin {words}", nodes, np.radians(spin).tolist())

    def _lights(
        self, name: str, variant: Variant, lamps: tuple[Lamp, ...], placed: Placements
    ) -> list[int]:
        """A node for each lamp of each placement."""
        self.counts.lamps += placed.count * len(lamps)
        out = []
        for k, lamp in enumerate(lamps):
            light = self._builder.add_light(lamp, f"{variant.label}-{k}")
            places = placed_at(lamp, placed.position, placed.rotation, placed.scale)
            out += [
                self._builder.add_node(
                    f"lamp-{name}-{int(i):016x}-{k}", light=light, translation=at
                )
                for i, at in zip(placed.ids, places, strict=True)
            ]
        return out

    def _nodes(
        self, name: str, meshes: Meshes, at: dict[str, Any], extras: dict[str, Any]
    ) -> list[int]:
        lower = [
            self._builder.add_node(f"{name}-level-{d}", m, **at)
            for d, m in enumerate(meshes.levels[1:], start=1)
        ]
        coverage = [*SCREEN_COVERAGE[: len(lower)], 0.0] if lower else []
        nodes = [
            self._builder.add_node(
                name, meshes.levels[0], levels=lower, coverage=coverage, extras=extras, **at
            )
        ]
        for k, mesh in enumerate(meshes.colliders):
            nodes.append(
                self._builder.add_node(f"collider-{name}-{k}", mesh, extras=meshes.says, **at)
            )
        return nodes


def rows_of(placed: Placements, variant: int) -> Placements:
    """Those of one variant."""
    return placed.taken(np.nonzero(placed.variant == variant)[0])
