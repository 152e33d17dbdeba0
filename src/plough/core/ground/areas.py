"""Areas: simple polygons in the ground plane."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Bool, Float64, UInt64
from plough.core.errors import ParameterError
from plough.core.ground.paths import self_crossing
from plough.core.hashing import digest, key_of
from plough.core.kernels import kernel
from plough.core.tiles import SIZE, TileList, region_hashes

Ring = Sequence[tuple[float, float]]


@dataclass(frozen=True, slots=True)
class Region:
    """A simple polygon on the map, with holes."""

    ring: Float64  #: (n, 2) metres
    holes: tuple[Float64, ...] = ()  #: (n, 2) each, within it, none over another

    @property
    def rings(self) -> tuple[Float64, ...]:
        """Its outline, then its holes."""
        return (self.ring, *self.holes)

    @property
    def key(self) -> str:
        """Tells it from any other."""
        return key_of([digest(ring.tobytes()) for ring in self.rings])

    @property
    def area(self) -> float:
        """Square metres."""
        return polygon_area(self.ring) - sum(polygon_area(hole) for hole in self.holes)

    @property
    def nbytes(self) -> int:
        """Bytes of its rings."""
        return sum(ring.nbytes for ring in self.rings)

    def holds(self, x: Float64, z: Float64) -> Bool:
        """(n,) whether each point lies in it."""
        within: Bool = np.logical_xor.reduce([inside(x, z, ring) for ring in self.rings])
        return within

    def seen(self, tiles: TileList) -> tuple[UInt64, Bool]:
        """What each tile sees of it: a hash (t, 2), and whether they meet (t,)."""
        out, meets = region_hashes(np.ascontiguousarray(self.ring), tiles, SIZE)
        for hole in self.holes:
            out += region_hashes(np.ascontiguousarray(hole), tiles, SIZE)[0]
        return out, meets


def check_region(corners: Ring, holes: Sequence[Ring] = ()) -> Region:
    """The area within `corners` and outside of `holes`.

    Raises:
        ParameterError: an outline crosses itself, or a hole lies beyond the outline or over another.
    """
    from shapely import Polygon, is_valid, is_valid_reason

    ring = check_polygon(corners)
    rings = tuple(check_polygon(hole, f"holes.{k}") for k, hole in enumerate(holes))
    for k in range(len(rings)):
        whole = Polygon(ring, rings[: k + 1])
        if not is_valid(whole):
            reason = is_valid_reason(whole).split("[")[0].strip().lower()
            where = "lies beyond the outline or over another hole"
            raise ParameterError(f"holes.{k}", f"{where} ({reason}); move or remove it")
    return Region(ring, rings)


def check_polygon(corners: Ring, field: str = "corners") -> Float64:
    """(n, 2) corners.

    Raises:
        ParameterError: neighbouring corners coincide, or the outline crosses itself.
    """
    ring = np.array(corners, np.float64)
    gaps = np.linalg.norm(ring - np.roll(ring, 1, axis=0), axis=1)
    if gaps.min() < 0.05:
        raise ParameterError(
            f"{field}.{int(gaps.argmin())}",
            "lies on the corner before it; neighbours must be 5 cm apart or more",
        )
    crossing = self_crossing(ring, closed=True)
    if crossing is not None:
        raise ParameterError(
            field,
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
