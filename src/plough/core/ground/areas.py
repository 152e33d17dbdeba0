"""Areas: simple polygons in the ground plane."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Bool, Float64
from plough.core.errors import ParameterError
from plough.core.ground.paths import self_crossing
from plough.core.hashing import digest
from plough.core.kernels import kernel


@dataclass(frozen=True, slots=True)
class Region:
    """A simple polygon on the map."""

    ring: Float64  #: (n, 2) metres

    @property
    def key(self) -> str:
        """Tells it from any other."""
        return digest(self.ring.tobytes())

    @property
    def area(self) -> float:
        """Square metres."""
        return polygon_area(self.ring)


def check_polygon(corners: Sequence[tuple[float, float]]) -> Float64:
    """(n, 2) corners.

    Raises:
        ParameterError: neighbouring corners coincide, or the outline crosses itself.
    """
    ring = np.array(corners, np.float64)
    gaps = np.linalg.norm(ring - np.roll(ring, 1, axis=0), axis=1)
    if gaps.min() < 0.05:
        raise ParameterError(
            f"corners.{int(gaps.argmin())}",
            "lies on the corner before it; neighbours must be 5 cm apart or more",
        )
    crossing = self_crossing(ring, closed=True)
    if crossing is not None:
        raise ParameterError(
            "corners",
            f"the outline crosses itself near ({crossing[0]:.1f}, {crossing[1]:.1f}); move or remove a corner there",
        )
    return ring


@kernel
def _inside(x: Float64, z: Float64, ring: Float64) -> Bool:
    out = np.zeros(x.shape[0], np.bool_)
    n = ring.shape[0]
    for i in range(x.shape[0]):
        within = False
        k = n - 1
        for j in range(n):
            if (ring[j, 1] > z[i]) != (ring[k, 1] > z[i]):
                cross = ring[j, 0] + (z[i] - ring[j, 1]) * (ring[k, 0] - ring[j, 0]) / (
                    ring[k, 1] - ring[j, 1]
                )
                if x[i] < cross:
                    within = not within
            k = j
        out[i] = within
    return out


def inside(x: Float64, z: Float64, ring: Float64) -> Bool:
    """(n,) whether each point lies in the polygon (m, 2), by the even-odd rule."""
    return _inside(np.asarray(x, np.float64), np.asarray(z, np.float64), np.ascontiguousarray(ring))


def polygon_area(ring: Float64) -> float:
    """Square metres."""
    x, z = ring.T
    return float(abs(np.dot(x, np.roll(z, -1)) - np.dot(z, np.roll(x, -1))) / 2)
