"""Placements in a glTF scene: instances or plain nodes, with levels of detail and colliders."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

import numpy as np

from plough.core.bake.shop import Made
from plough.core.bake.variants import collider_bodies
from plough.core.errors import TooLargeError
from plough.core.formats.glb import GlbBuilder, Outside
from plough.core.lamp import Lamp, placed_at
from plough.core.layers.bake import BakeParameters
from plough.core.library.library import SCREEN_COVERAGE, Library
from plough.core.library.variants import Variant
from plough.core.place.placements import Placements
from plough.core.scene.document import LayerGame
from plough.core.scene.facets import STILL, Spin

_AS_ASSET = LayerGame()
MOST_NODES = 50_000  #: plain nodes, without instancing


class Drawn(NamedTuple):
    """A variant, as the nodes that draw it name it, and the piece that it comes from."""

    asset: str
    seed: int
    label: str
    mirrored: bool
    piece: str  #: the key


def drawn_of(variant: Variant, piece: str) -> Drawn:
    """`variant`, which is drawn from a piece."""
    return Drawn(variant.asset, variant.seed, variant.label, variant.mirror_of is not None, piece)


@dataclass(frozen=True, slots=True)
class Meshes:
    """What a variant is drawn with: indices in the file."""

    levels: list[int]
    colliders: list[int]
    says: dict[str, Any] = field(default_factory=dict)  #: what an engine is told of each collider


@dataclass(slots=True)
class Counts:
    """What a scene file holds."""

    instances: int = 0
    triangles: int = 0
    colliders: int = 0
    lamps: int = 0
    meshes: int = 0


def check_nodes(
    library: Library,
    p: BakeParameters,
    counts: Iterable[tuple[Variant, int]],
    spinning: int = 0,
) -> None:
    """Raises `TooLargeError` when plain nodes for `counts` (variants and the number of each) would be too many; `spinning` of them turn."""
    counts = list(counts)
    lamps = sum(n * len(library.lamps(v)) for v, n in counts)
    if lamps > MOST_NODES:
        raise TooLargeError(
            "game.lamp.lumens",
            f"the scene would have {lamps:,} lamps; the limit is {MOST_NODES:,}:"
            " take the lamp from assets that stand often, or lower the fill",
        )
    if p.instancing:
        return
    nodes = lamps + 2 * spinning
    for v, n in counts:
        levels = library.levels_of(v) if p.levels else 1
        nodes += n * (levels + len(collider_bodies(library.level(v, 0), p.colliders)))
    if nodes > MOST_NODES:
        raise TooLargeError(
            "instancing",
            f"the scene would have {nodes:,} plain nodes, levels, colliders and lamps included;"
            f" the limit is {MOST_NODES:,}: switch instances on, or lower the fill",
        )


class InstanceWriter:
    """Writes the placements of layers, and each variant's meshes once.

    Args:
        made: gives the piece of a variant by its key.
        take: takes meshes that lie in the file at a path; the index of the first.
        box: whether colliders are boxes.
    """

    def __init__(
        self,
        builder: GlbBuilder,
        made: Callable[[str], Made],
        take: Callable[[Made, str, Outside], int],
        instancing: bool = True,
        box: bool = False,
    ) -> None:
        self.counts = Counts()
        self._builder = builder
        self._made = made
        self._take = take
        self._instancing = instancing
        self._box = box
        self._taken: dict[str, list[int]] = {}
        self._shared: dict[str, Meshes] = {}
        self._turning: dict[Spin, list[int]] = {}

    def _meshes_of(self, drawn: Drawn, made: Made, game: LayerGame, detail: int | None) -> Meshes:
        """What a variant is drawn with: a level alone, or all of them and the colliders."""
        if detail is not None:
            return Meshes(self._meshes(drawn, made, made.levels[detail]), [])
        if drawn.piece not in self._shared:
            levels = [self._meshes(drawn, made, level)[0] for level in made.levels]
            bodies = [] if made.bodies is None else self._meshes(drawn, made, made.bodies)
            self._shared[drawn.piece] = Meshes(levels, bodies)
            self.counts.meshes += len(levels)
        meshes = self._shared[drawn.piece]
        says = game.flags(made.says)
        if self._box:
            says |= {"collider": "box"}
        return replace(
            meshes, says=says, colliders=[] if game.colliders == "none" else meshes.colliders
        )

    def _meshes(self, drawn: Drawn, made: Made, of: tuple[str, Outside]) -> list[int]:
        """The meshes of a file, which is taken once."""
        path, outside = of
        key = f"{drawn.piece} {path}"
        if key not in self._taken:
            first = self._take(made, path, outside)
            self._taken[key] = list(range(first, first + len(outside.told["meshes"])))
        return self._taken[key]

    def add(
        self,
        layer: str,
        drawn: Drawn,
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
        made = self._made(drawn.piece)
        meshes = self._meshes_of(drawn, made, game, detail)
        self.counts.instances += placed.count
        self.counts.triangles += placed.count * made.triangles[detail or 0]
        self.counts.colliders += placed.count * len(meshes.colliders)
        name = f"{layer}-{drawn.label}"
        lights = self._lights(name, drawn, made.lamps, placed)
        extras: dict[str, Any] = {"asset": drawn.asset, "variant": drawn.seed, "layer": layer}
        if drawn.mirrored:
            extras["mirrored"] = True
        extras |= noted or {}
        if any(spin):
            extras["spin"] = list(spin)
        if self._instancing:
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
        self, name: str, drawn: Drawn, lamps: tuple[Lamp, ...], placed: Placements
    ) -> list[int]:
        """A node for each lamp of each placement."""
        self.counts.lamps += placed.count * len(lamps)
        out = []
        for k, lamp in enumerate(lamps):
            light = self._builder.add_light(lamp, f"{drawn.label}-{k}")
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
