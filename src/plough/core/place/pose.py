"""How placements stand: turn, size, lean and depth, each drawn from the placement's own id."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64, UInt64
from plough.core.kernels import kernel
from plough.core.rng import stream, uniform

_TURN, _SIZE, _SINK = stream("place.turn"), stream("place.size"), stream("place.sink")


class Pose(NamedTuple):
    """How placements of a layer stand."""

    lean: float = 0.0  #: 0 upright, 1 square to the slope
    turn: float = 1.0  #: 0 all face one way, 1 any way
    size_low: float = 1.0
    size_high: float = 1.0
    sink_low: float = 0.0  #: metres
    sink_high: float = 0.0  #: metres


@kernel
def set_up(
    seed: np.uint64, ids: UInt64, ground: Float64, normal: Float64, pose: Pose
) -> tuple[Float32, Float32, Float32]:
    """Positions (n, 3), rotations (n, 4) xyzw and scales (n, 3) of placements on `ground` (n, 3) with `normal` (n, 3)."""
    n = ids.shape[0]
    position = np.empty((n, 3), np.float32)
    rotation = np.empty((n, 4), np.float32)
    scale = np.empty((n, 3), np.float32)
    for i in range(n):
        yaw = 0.5 * pose.turn * 2.0 * math.pi * (uniform(seed, _TURN, ids[i]) - 0.5)
        s, c = math.sin(yaw), math.cos(yaw)
        # tilt from the vertical towards the normal, about the level axis at right angles to both
        tilt = 0.5 * pose.lean * math.acos(min(1.0, max(-1.0, normal[i, 1])))
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
        spread = pose.size_high - pose.size_low
        scale[i, :] = pose.size_low + spread * uniform(seed, _SIZE, ids[i])
        depth = pose.sink_high - pose.sink_low
        sink = pose.sink_low + depth * uniform(seed, _SINK, ids[i])
        position[i, 0], position[i, 2] = ground[i, 0], ground[i, 2]
        position[i, 1] = ground[i, 1] - sink
    return position, rotation, scale
