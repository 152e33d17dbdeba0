"""What a scene weighs, layer by layer, seen from one place, against a target profile."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plough.core.mesh.material import Material
from plough.core.scene.evaluation import Evaluation, Evaluator, LayerResult, switch_distances


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


def _slots(materials: dict[str, Material]) -> int:
    return max(1, len(materials))


def layer_weight(result: LayerResult, evaluator: Evaluator, eye: tuple[float, float, float]) -> Weight:
    """The weight of one layer seen from `eye` (metres)."""
    if result.layer.hidden:
        return Weight()
    if result.ground is not None:
        n = result.ground.heights.shape[0]
        triangles = 2 * (n - 1) ** 2 + (2 if result.layer.parameters.water else 0)  # type: ignore[union-attr]
        return Weight(triangles, triangles, 1, 1, result.ground.heights.nbytes)
    if result.path is not None:
        return Weight(result.path.mesh.triangles, result.path.mesh.triangles, 1, 1, result.path.mesh.nbytes)
    if result.scattered is None:
        return Weight()
    placements, total = result.scattered.placements, Weight()
    distance = np.linalg.norm(placements.position - np.array(eye, np.float32), axis=1)
    for row, variant in enumerate(result.scattered.variants):
        rows = placements.variant == row
        count = int(rows.sum())
        if not count:
            continue
        levels = evaluator.levels(variant)
        reach = distance[rows] / placements.scale[rows, 1]
        level = np.searchsorted(switch_distances(levels[0].height), reach)
        shown = np.bincount(level, minlength=len(levels))
        triangles = sum(int(n) * p.mesh.triangles for n, p in zip(shown, levels, strict=True))
        calls = sum(_slots(p.materials) for n, p in zip(shown, levels, strict=True) if n)
        size = sum(p.mesh.nbytes for p in levels) + count * 52
        total += Weight(triangles, count * levels[0].mesh.triangles, count, calls, size)
    return total


def weigh(evaluation: Evaluation, evaluator: Evaluator, eye: tuple[float, float, float]) -> dict[str, Weight]:
    """The weight of every layer by its id, seen from `eye`."""
    return {r.layer.id: layer_weight(r, evaluator, eye) for r in evaluation.layers}
