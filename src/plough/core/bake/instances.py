"""Placements in a glTF scene: instances or plain nodes, with levels of detail and colliders."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from plough.core.bake.colliders import box_meshes, collider_meshes
from plough.core.errors import TooLargeError
from plough.core.formats.glb import GlbBuilder
from plough.core.kinds import Product
from plough.core.lamp import Lamp, placed_at
from plough.core.layers.bake import BakeParameters
from plough.core.library.library import SCREEN_COVERAGE, Library
from plough.core.library.variants import Variant
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


class InstanceWriter:
    """Writes the placements of layers, and each variant's meshes once."""

    def __init__(self, builder: GlbBuilder, library: Library, parameters: BakeParameters) -> None:
        self.counts = Counts()
        self._builder = builder
        self._library = library
        self._p = parameters
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
                n * (self.levels_of(v) + len(self._bodies(self._library.level(v, 0))))
                for v, n in counts.values()
            )
        )
        if nodes > MOST_NODES:
            raise TooLargeError(
                "instancing",
                f"the scene would have {nodes:,} plain nodes, levels, colliders and lamps included;"
                f" the limit is {MOST_NODES:,}: switch instances on, or lower the fill",
            )

    def _bodies(self, product: Product) -> list[Any]:
        if self._p.colliders == "none":
            return []
        make = collider_meshes if self._p.colliders == "asset" else box_meshes
        return list(make(product.collider))

    def _meshes_of(self, variant: Variant, game: LayerGame) -> Meshes:
        """Equal variants share their meshes, whatever they are called."""
        made = self._shared(variant)
        says = game.flags(made.near.collider.extras())
        if self._p.colliders == "box":
            says |= {"collider": "box"}
        return replace(
            made, says=says, colliders=[] if game.colliders == "none" else made.colliders
        )

    def _shared(self, variant: Variant) -> Meshes:
        if variant.key not in self._meshes:
            products = [self._library.level(variant, d) for d in range(self.levels_of(variant))]
            levels = [
                self._builder.add_mesh(
                    self._library.exported(variant, d),
                    p.materials,
                    f"{variant.label}-{d}",
                    f"{variant.asset} ",
                )
                for d, p in enumerate(products)
            ]
            bodies = [
                self._builder.add_mesh(body, {}, f"collider-{variant.label}-{k}")
                for k, body in enumerate(self._bodies(products[0]))
            ]
            self._meshes[variant.key] = Meshes(levels, bodies, products[0])
            self.counts.meshes += len(levels)
        return self._meshes[variant.key]

    def add(
        self,
        layer: str,
        variant: Variant,
        placed: Placements,
        noted: dict[str, Any] | None = None,
        game: LayerGame = _AS_ASSET,
        spin: Spin = STILL,
    ) -> list[int]:
        """Nodes of all placements of one variant in a layer.

        Args:
            noted: goes to their extras.
            game: what the layer says of colliders.
            spin: degrees a second about their own axes; plain nodes are animated, instances have it in their extras.
        """
        meshes = self._meshes_of(variant, game)
        self.counts.instances += placed.count
        self.counts.triangles += placed.count * meshes.near.mesh.triangles
        self.counts.colliders += placed.count * len(meshes.colliders)
        name = f"{layer}-{variant.label}"
        lights = self._lights(name, variant, meshes.near.lamps, placed)
        if self._p.instancing:
            shared = self._builder.add_instances(placed.position, placed.rotation, placed.scale)
            extras = {"asset": variant.asset, "variant": variant.seed, "layer": layer}
            if variant.mirror_of:
                extras["mirrored"] = True
            extras |= noted or {}
            if any(spin):
                extras["spin"] = list(spin)
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
                out.append(self._spinning(own, meshes, at, dict(noted or {}), spin))
            else:
                out += self._nodes(own, meshes, at, dict(noted or {}))
        return out

    def _spinning(
        self, name: str, meshes: Meshes, at: dict[str, Any], extras: dict[str, Any], spin: Spin
    ) -> int:
        """A node in its place, over one that turns, over all that is drawn and collided with."""
        drawn = self._nodes(name, meshes, {}, extras | {"spin": list(spin)})
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
