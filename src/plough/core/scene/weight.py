"""What a scene weighs, layer by layer, seen from one place, against a target profile."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from plough.core.arrays import Float32
from plough.core.library.library import Library, switch_distances
from plough.core.place.placements import PlacedTile
from plough.core.scene.evaluation import Evaluation
from plough.core.scene.facets import Output, TiledPlacements


@dataclass(frozen=True, slots=True)
class Profile:
    """What one frame may weigh on a class of machine."""

    name: str
    title: str
    triangles: int  #: around the viewpoint, at the levels of detail that the distances ask for
    instances: int
    draw_calls: int
    bytes: int  #: meshes and placements, without textures


PROFILES: dict[str, Profile] = {
    p.name: p
    for p in (
        Profile("phone", "phone", 400_000, 4_000, 150, 48_000_000),
        Profile("console", "mid-range console", 2_250_000, 40_000, 900, 256_000_000),
        Profile("high-end", "high-end", 8_000_000, 200_000, 2_500, 1_024_000_000),
    )
}


@dataclass(frozen=True, slots=True)
class Weight:
    """The weight of one layer or of a scene."""

    triangles: int = 0  #: seen from the viewpoint, all around
    triangles_near: int = 0  #: if everything were seen from close by
    instances: int = 0
    draw_calls: int = 0
    bytes: int = 0

    def __add__(self, other: Weight) -> Weight:
        return Weight(*(getattr(self, n) + getattr(other, n) for n in Weight.__slots__))


Eye = tuple[float, float, float]


def weigh_layer(
    output: Output, library: Library, eye: Eye, check: Callable[[], None] = lambda: None
) -> Weight:
    """The weight of what one layer came to, seen from `eye` (metres)."""
    total = Weight()
    if output.surface is not None:
        triangles = output.surface.triangles
        total += Weight(triangles, triangles, 1, 1, output.surface.nbytes)
    for solid in output.solids:
        triangles, calls = solid.mesh.triangles, max(1, len(solid.materials))
        total += Weight(triangles, triangles, 1, calls, solid.mesh.nbytes)
    if output.placements is not None:
        total += _weigh_placements(output.placements, library, eye, check)
    return total


def _weigh_placements(
    placed: TiledPlacements, library: Library, eye: Eye, check: Callable[[], None]
) -> Weight:
    counts = placed.per_variant()
    used = np.nonzero(counts)[0]
    shown = {}
    for row in used.tolist():
        check()
        variant = placed.variants[row]
        size, levels = library.size(variant, check), library.levels_of(variant)
        shown[row] = (np.array(switch_distances(size, levels)), np.zeros(levels, np.int64))
    for tile in placed.tiles:
        _count_levels(tile, shown, np.array(eye, np.float32))
    total = Weight()
    for row, (_, at_level) in shown.items():
        check()
        variant, count = placed.variants[row], int(counts[row])
        facts = [library.facts(variant, d, check) for d in range(len(at_level))]
        total += Weight(
            triangles=sum(int(n) * f.triangles for n, f in zip(at_level, facts, strict=True)),
            triangles_near=count * facts[0].triangles,
            instances=count,
            draw_calls=sum(f.slots for n, f in zip(at_level, facts, strict=True) if n),
            bytes=sum(f.bytes for f in facts) + count * 52,
        )
    return total


def _count_levels(tile: PlacedTile, shown: dict[int, tuple[Any, Any]], eye: Float32) -> None:
    """Add to `shown` how many of a tile's placements are seen at each level of detail."""
    p = tile.placements
    distance = np.linalg.norm(p.position - eye, axis=1) / p.scale[:, 1]
    present = np.unique(p.variant)
    for row in present.tolist():
        limits, at_level = shown[row]
        own = distance if len(present) == 1 else distance[p.variant == row]
        low, high = np.searchsorted(limits, [own.min(), own.max()])
        if low == high:
            at_level[low] += len(own)
        else:
            at_level += np.bincount(np.searchsorted(limits, own), minlength=len(at_level))


def weigh(
    evaluation: Evaluation, library: Library, eye: Eye, check: Callable[[], None] = lambda: None
) -> dict[str, Weight]:
    """The weight of every layer by its id, seen from `eye`."""
    return {r.layer.id: weigh_layer(r.output, library, eye, check) for r in evaluation.layers}
