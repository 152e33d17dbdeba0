"""What a scene weighs, layer by layer, seen from one place, against a target profile."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt32
from plough.core.kernels import kernel
from plough.core.library.library import Library, switch_distances
from plough.core.scene.document import Settings
from plough.core.scene.evaluation import Evaluation
from plough.core.scene.facets import Output, Solid, TiledPlacements


@dataclass(frozen=True, slots=True)
class Profile:
    """What one frame may weigh on a class of machine."""

    name: str
    title: str
    triangles: int  #: around the viewpoint, at the levels of detail that the distances ask for
    instances: int
    draw_calls: int
    bytes: int  #: meshes and placements, without textures
    texture: int = 0  #: pixels a side that its textures have at most; 0 for as they are drawn


PROFILES: dict[str, Profile] = {
    p.name: p
    for p in (
        Profile("phone", "phone", 400_000, 4_000, 150, 48_000_000, 512),
        Profile("console", "mid-range console", 2_250_000, 40_000, 900, 256_000_000),
        Profile("high-end", "high-end", 8_000_000, 200_000, 2_500, 1_024_000_000),
        Profile("film", "film", 2_000_000_000, 50_000_000, 1_000_000, 64_000_000_000),
    )
}


def profile_of(settings: Settings) -> Profile:
    """The profile that a scene is made for."""
    own = settings.own_profile
    if own is None:
        return PROFILES[settings.profile]
    texture = 0 if own.texture == "drawn" else int(own.texture)
    limits = (own.triangles, own.instances, own.draw_calls, own.megabytes * 1_000_000)
    return Profile(own.id, own.name, *limits, texture)


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
        check()
        seen = solid.level(_level_of(solid, eye), library.cache)
        calls = max(1, len(solid.materials))
        total += Weight(seen.triangles, solid.mesh.triangles, 1, calls, solid.mesh.nbytes)
    if output.placements is not None:
        total += _weigh_placements(output.placements, library, eye, check)
    return total


def _level_of(solid: Solid, eye: Eye) -> int:
    """The level at which a solid is seen."""
    if not solid.coarser:
        return 0
    low, high = solid.mesh.bounds()
    away = np.linalg.norm(np.maximum(np.maximum(low - eye, np.array(eye) - high), 0.0))
    return int(np.searchsorted(solid.switch_distances, float(away), "right"))


def _weigh_placements(
    placed: TiledPlacements, library: Library, eye: Eye, check: Callable[[], None]
) -> Weight:
    counts = placed.per_variant
    used = np.nonzero(counts)[0].tolist()
    levels = {}
    for row in used:
        check()
        levels[row] = library.levels_of(placed.variants[row])
    limits = np.full((len(counts), max(levels.values(), default=1)), np.inf)
    for row in used:
        size = library.size(placed.variants[row], check)
        limits[row, : levels[row] - 1] = switch_distances(size, levels[row])
    at_level = np.zeros(limits.shape, np.int64)
    for tile in placed.tiles:
        p = tile.placements
        _count_levels(p.position, p.scale, p.variant, limits, np.array(eye, np.float64), at_level)
    total = Weight()
    for row in used:
        check()
        variant, count = placed.variants[row], int(counts[row])
        facts = [library.facts(variant, d, check) for d in range(levels[row])]
        seen = at_level[row, : levels[row]].tolist()
        total += Weight(
            triangles=sum(n * f.triangles for n, f in zip(seen, facts, strict=True)),
            triangles_near=count * facts[0].triangles,
            instances=count,
            draw_calls=sum(f.slots for n, f in zip(seen, facts, strict=True) if n),
            bytes=sum(f.bytes for f in facts) + count * 52,
        )
    return total


@kernel
def _count_levels(
    position: Float32, scale: Float32, variant: UInt32, limits: Float64, eye: Float64, into: Int64
) -> None:
    """Add to `into` (variants, levels) how many are seen at each level, whose `limits` (variants, levels) end with infinity."""
    for i in range(position.shape[0]):
        dx, dy = position[i, 0] - eye[0], position[i, 1] - eye[1]
        dz = position[i, 2] - eye[2]
        distance = math.sqrt(dx * dx + dy * dy + dz * dz) / scale[i, 1]
        v, level = variant[i], 0
        while distance > limits[v, level]:
            level += 1
        into[v, level] += 1


def weigh(
    evaluation: Evaluation, library: Library, eye: Eye, check: Callable[[], None] = lambda: None
) -> dict[str, Weight]:
    """The weight of every layer by its id, seen from `eye`."""
    return {r.layer.id: weigh_layer(r.output, library, eye, check) for r in evaluation.layers}
