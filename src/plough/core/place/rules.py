"""Rules that turn sampled points into placements on the ground."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, UInt32, UInt64
from plough.core.ground.areas import inside
from plough.core.ground.heightfield import HeightField
from plough.core.ground.paths import near_line
from plough.core.kernels import kernel
from plough.core.place.sampling import Points, sample
from plough.core.rng import stream, uniform, uniform_array

_VARIANT = stream("place.variant")
_TURN, _SIZE, _SINK = stream("place.turn"), stream("place.size"), stream("place.sink")


@dataclass(frozen=True, slots=True)
class Placements:
    """Instances of one layer, as arrays of n rows."""

    ids: UInt64  #: (n,) stable
    variant: UInt32  #: (n,) row in the layer's list of variants
    position: Float32  #: (n, 3) metres
    rotation: Float32  #: (n, 4) unit quaternion, xyzw
    scale: Float32  #: (n, 3)

    @property
    def count(self) -> int:
        """Number of placements."""
        return int(self.ids.shape[0])

    def kept(self, keep: Bool) -> Placements:
        """Those where `keep` (n,) is true."""
        return Placements(*(getattr(self, name)[keep] for name in Placements.__slots__))

    def to_bytes(self) -> bytes:
        """Little-endian, one array after the other: position 12 n bytes, rotation 16 n, scale 12 n, variant 4 n, id 8 n."""
        arrays = (self.position, self.rotation, self.scale, self.variant)
        return (
            b"".join(np.ascontiguousarray(a).astype(a.dtype.newbyteorder("<")).tobytes() for a in arrays) + self.ids.astype("<u8").tobytes()
        )


@dataclass(frozen=True, slots=True)
class ScatterRule:
    """What a scatter asks of a place and does with a placement."""

    seed: int
    spacing: float  #: metres between any two
    fill: float  #: share of what fits, 0 to 1
    areas: tuple[Float64, ...] = ()  #: polygons (m, 2); none: the whole ground
    height: tuple[float, float] = (-math.inf, math.inf)  #: metres
    slope: tuple[float, float] = (0.0, math.pi / 2)  #: radians
    clear_of: tuple[Float64, ...] = ()  #: paths as polylines (m, 2)
    clearance: float = 0.0  #: metres from those paths' middle
    weights: tuple[float, ...] = (1.0,)  #: of the variants
    lean: float = 0.0  #: 0 upright, 1 square to the slope
    turn: float = 1.0  #: 0 all face one way, 1 any way
    size: tuple[float, float] = (1.0, 1.0)
    sink: tuple[float, float] = (0.0, 0.0)  #: metres


@kernel
def _pose(
    seed: np.uint64, ids: UInt64, height: Float64, normal: Float64, x: Float64, z: Float64, lean: float, turn: float,
    size0: float, size1: float, sink0: float, sink1: float,
) -> tuple[Float32, Float32, Float32]:  # fmt: skip
    n = ids.shape[0]
    position = np.empty((n, 3), np.float32)
    rotation = np.empty((n, 4), np.float32)
    scale = np.empty((n, 3), np.float32)
    for i in range(n):
        yaw = 0.5 * turn * 2.0 * math.pi * (uniform(seed, _TURN, ids[i]) - 0.5)
        s, c = math.sin(yaw), math.cos(yaw)
        # tilt from the vertical towards the normal, about the level axis at right angles to both
        tilt = 0.5 * lean * math.acos(min(1.0, max(-1.0, normal[i, 1])))
        ax, az = normal[i, 2], -normal[i, 0]
        length = math.sqrt(ax * ax + az * az)
        if length > 1e-9:
            ax, az = ax / length * math.sin(tilt), az / length * math.sin(tilt)
        else:
            ax, az = 0.0, 0.0
        w = math.cos(tilt)
        rotation[i, 0] = ax * c - az * s
        rotation[i, 1] = w * s
        rotation[i, 2] = az * c + ax * s
        rotation[i, 3] = w * c
        k = size0 + (size1 - size0) * uniform(seed, _SIZE, ids[i])
        scale[i, 0], scale[i, 1], scale[i, 2] = k, k, k
        sink = sink0 + (sink1 - sink0) * uniform(seed, _SINK, ids[i])
        position[i, 0], position[i, 1], position[i, 2] = x[i], height[i] - sink, z[i]
    return position, rotation, scale


def _bounds(rule: ScatterRule, field: HeightField) -> tuple[float, float, float, float]:
    half = field.size / 2
    if not rule.areas:
        return -half, -half, half, half
    corners = np.concatenate(rule.areas)
    low, high = np.maximum(corners.min(axis=0), -half), np.minimum(corners.max(axis=0), half)
    return float(low[0]), float(low[1]), float(high[0]), float(high[1])


def _allowed(rule: ScatterRule, points: Points, height: Float64, normal: Float64) -> Bool:
    keep = (height >= rule.height[0]) & (height <= rule.height[1])
    if rule.areas:
        keep &= np.logical_or.reduce([inside(points.x, points.z, ring) for ring in rule.areas])
    if rule.slope != (0.0, math.pi / 2):
        steepness = np.arccos(np.clip(normal[:, 1], -1, 1))
        keep &= (steepness >= rule.slope[0]) & (steepness <= rule.slope[1])
    for line in rule.clear_of if rule.clearance > 0 else ():
        rows = np.nonzero(keep)[0]
        keep[rows[near_line(points.x[rows], points.z[rows], line, rule.clearance)]] = False
    return keep


def scatter(rule: ScatterRule, field: HeightField, check: Callable[[], None] | None = None) -> Placements:
    """Placements of `rule` on the ground `field`.

    Conditions sift the points of the infinite plane, so changing a condition, an area or the ground moves none that stays.

    Args:
        check: called now and then; may raise to stop.

    Raises:
        TooLargeError: more would be placed than the limit of `sample`.
    """
    points = sample(rule.seed, rule.spacing, _bounds(rule, field), rule.fill, check=check)
    height, normal = field.height_and_normal(points.x, points.z)
    keep = _allowed(rule, points, height, normal)
    x, z, ids = points.x[keep], points.z[keep], points.ids[keep]
    position, rotation, scale = _pose(
        np.uint64(rule.seed), ids, height[keep], normal[keep], x, z, rule.lean, rule.turn, *rule.size, *rule.sink
    )
    share = np.cumsum(np.array(rule.weights, np.float64))
    chosen = np.searchsorted(share / share[-1], uniform_array(rule.seed, _VARIANT, ids), side="right")
    variant = np.minimum(chosen, len(rule.weights) - 1).astype(np.uint32)
    return Placements(ids, variant, position, rotation, scale)


def give_way(placements: Placements, standing: Float32, apart: float) -> Placements:
    """`placements` without those nearer than `apart` metres to any of `standing` (m, 3), measured on the map."""
    if not placements.count or not len(standing) or apart <= 0:
        return placements
    from scipy.spatial import cKDTree

    tree = cKDTree(standing[:, [0, 2]])
    distance, _ = tree.query(placements.position[:, [0, 2]], distance_upper_bound=apart, workers=-1)
    return placements.kept(~np.isfinite(distance))
