"""Footing: things are set down until no gap shows between their foot and the ground."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.ground.surface import Surface

STEP = 0.15  #: metres between the places at which the ground under a foot is measured
_MOST_RINGS = 24
_AT_ONCE = 200_000  # places


def foot_pattern(radius: float) -> Float64:
    """(k, 2) places over a disc of radius 1, as dense as a foot of `radius` metres asks for; the rim and the middle are among them."""
    rings = min(_MOST_RINGS, max(1, math.ceil(radius / STEP)))
    parts = [np.zeros((1, 2))]
    for ring in range(1, rings + 1):
        share = ring / rings
        turn = 2.0 * math.pi * np.arange(count := max(8, math.ceil(6.3 * ring))) / count
        parts.append(share * np.stack([np.cos(turn), np.sin(turn)], axis=1))
    return np.concatenate(parts)


def gaps(surface: Surface, position: Float32, rotation: Float32, radius: Float64) -> Float64:
    """(n,) metres by which each foot, a disc of `radius` (n,) square to what stands on it, hangs over the ground at most; below 0 where it is in it.

    Args:
        position: (n, 3) metres, the middle of each foot.
        rotation: (n, 4) unit quaternions xyzw.
    """
    out = np.zeros(len(radius))
    if not len(radius):
        return out
    pattern = foot_pattern(float(radius.max()))
    step = max(1, _AT_ONCE // len(pattern))
    for a in range(0, len(radius), step):
        rows = slice(a, a + step)
        x, y, z, w = rotation[rows].astype(np.float64).T
        east = np.stack([1 - 2 * (y * y + z * z), 2 * (x * y + w * z), 2 * (x * z - w * y)], axis=1)
        south = np.stack(
            [2 * (x * z + w * y), 2 * (y * z - w * x), 1 - 2 * (x * x + y * y)], axis=1
        )
        reach = radius[rows, None, None]
        on = pattern[None, :, :1] * east[:, None] + pattern[None, :, 1:] * south[:, None]
        places = position[rows, None, :].astype(np.float64) + reach * on
        flat = places.reshape(-1, 3)
        at = surface.sample(np.ascontiguousarray(flat[:, 0]), np.ascontiguousarray(flat[:, 2]))
        over = np.where(at.hit, flat[:, 1] - at.position[:, 1], -np.inf)
        out[rows] = over.reshape(places.shape[:2]).max(axis=1)
    return out
