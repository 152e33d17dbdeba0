"""The image of a tuft's blades: one alive, one dead, one with a plumed head."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plough.core.mesh.material import Maps, as_bytes
from plough.core.noise import tile

Color = tuple[float, float, float]  #: sRGB, 0 to 1


@dataclass(frozen=True, slots=True)
class Blade:
    """Three columns: a living blade, a dead one, a plumed head; the root is at the bottom."""

    size: int  #: pixels a side
    green: Color
    dead: Color
    head: Color

    def draw(self) -> Maps:
        """The images."""
        n = self.size
        ys, xs = np.mgrid[0:n, 0:n].astype(np.float32)
        u, v = (xs + 0.5) / n * 3.0, 1.0 - (ys + 0.5) / n
        column = np.minimum(u.astype(np.int64), 2)
        across = u - column
        fibre = tile(np.uint64(9), (n, n), (96, 3), 3, 0.6)
        tuftlets = tile(np.uint64(4), (n, n), (48, 40), 3, 0.7)
        base = np.array([self.green, self.dead, self.head], np.float32)[column]
        root = np.array([self.dead, self.dead, self.green], np.float32)[column]
        k = np.clip(1.0 - v * 2.2, 0, 1)[..., None] * 0.55
        color = base * (1 - k) + root * k
        rib = np.abs(across - 0.5) * 2.0
        color = (
            color
            * (0.86 + 0.22 * rib + 0.18 * fibre + 0.20 * np.where(column == 2, tuftlets, 0))[
                ..., None
            ]
        )
        alpha = np.ones((n, n), np.float32)
        ragged = (tuftlets * 0.5 + 0.5) > 0.30 + 0.55 * rib**2
        alpha[(column == 2) & (v > 0.72)] = ragged[(column == 2) & (v > 0.72)]
        albedo = np.concatenate([as_bytes(color), as_bytes(alpha)[..., None]], axis=-1)
        tilt = (across - 0.5) * 0.9
        normal = np.stack([tilt, np.zeros_like(tilt), np.ones_like(tilt)], axis=-1)
        normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
        surface = np.stack([np.ones((n, n)), np.full((n, n), 0.7), np.zeros((n, n))], axis=-1)
        return Maps(albedo, as_bytes(normal * 0.5 + 0.5), as_bytes(surface))
