"""How placements stand: turn, size, lean and depth, each drawn from the placement's own id."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64, UInt64
from plough.core.kernels import kernel
from plough.core.rng import stream, uniform, uniform_array

_TURN, _SIZE, _SINK = stream("place.turn"), stream("place.size"), stream("place.sink")
_PITCH, _ROLL = stream("place.pitch"), stream("place.roll")
_TILT, _WAY, _TALL = stream("place.tilt"), stream("place.way"), stream("place.tall")


class Pose(NamedTuple):
    """How placements of a layer stand."""

    lean: float = 0.0  #: 0 upright, 1 square to the slope
    turn: float = 1.0  #: 0 all face one way, 1 any way
    size_low: float = 1.0
    size_high: float = 1.0
    sink_low: float = 0.0  #: metres
    sink_high: float = 0.0  #: metres
    facing: float = 0.0  #: radians about the vertical, that turns lie about
    step: float = 0.0  #: radians that turns are whole numbers of; 0: any
    tilt: float = 0.0  #: radians away from how they lean, at most
    tall_low: float = 0.0  #: of the height alone; 0: as the rest
    tall_high: float = 0.0
    pitch: float = 0.0  #: radians about the level axis through both sides, either way at most
    roll: float = 0.0  #: radians about the level axis from back to front, either way at most


@kernel
def _tilt(q: Float32, seed: np.uint64, own: np.uint64, most: float) -> None:
    """Turn the quaternion `q` (4,) further by up to `most` about a level axis, evenly over the directions within."""
    half = 0.5 * most * math.sqrt(uniform(seed, _TILT, own))
    way = 2.0 * math.pi * uniform(seed, _WAY, own)
    ax, az, w = math.sin(half) * math.cos(way), math.sin(half) * math.sin(way), math.cos(half)
    x, y, z, r = q[0], q[1], q[2], q[3]
    # the tilt comes last: the axis is level whatever the turn
    q[0] = w * x + ax * r - az * y
    q[1] = w * y + az * x - ax * z
    q[2] = w * z + az * r + ax * y
    q[3] = w * r - ax * x - az * z


def widths(seed: int, ids: UInt64, pose: Pose) -> Float32:
    """(n,) the size to the sides that `set_up` gives each."""
    spread = pose.size_high - pose.size_low
    return np.asarray(pose.size_low + spread * uniform_array(seed, _SIZE, ids), np.float32)


def depths(seed: int, ids: UInt64, pose: Pose) -> Float64:
    """(n,) metres by which `set_up` sinks each."""
    spread = pose.sink_high - pose.sink_low
    return np.asarray(pose.sink_low + spread * uniform_array(seed, _SINK, ids))


@kernel
def _turn_own(q: Float32, bx: float, bz: float, bw: float) -> None:
    """Turn the quaternion `q` (4,) by (bx, 0, bz, bw) about its own axes."""
    x, y, z, w = q[0], q[1], q[2], q[3]
    q[0] = w * bx + x * bw + y * bz
    q[1] = y * bw + z * bx - x * bz
    q[2] = w * bz + z * bw - y * bx
    q[3] = w * bw - x * bx - z * bz


@kernel
def set_up(
    seed: np.uint64, ids: UInt64, ground: Float64, normal: Float64, pose: Pose, towards: Float64
) -> tuple[Float32, Float32, Float32]:
    """Positions (n, 3), rotations (n, 4) xyzw and scales (n, 3) of placements on `ground` (n, 3) with `normal` (n, 3).

    Args:
        towards: (n,) radians about the vertical that each faces, besides where all do; (1,): all alike.
    """
    n = ids.shape[0]
    position = np.empty((n, 3), np.float32)
    rotation = np.empty((n, 4), np.float32)
    scale = np.empty((n, 3), np.float32)
    for i in range(n):
        yaw = pose.turn * 2.0 * math.pi * (uniform(seed, _TURN, ids[i]) - 0.5)
        if pose.step > 0.0:
            yaw = round(yaw / pose.step) * pose.step
        yaw = 0.5 * (yaw + pose.facing + towards[min(i, towards.shape[0] - 1)])
        s, c = math.sin(yaw), math.cos(yaw)
        # tilt from the vertical towards the normal, about the level axis at right angles to both
        tilt = 0.5 * pose.lean * math.acos(min(1.0, max(-1.0, normal[i, 1])))
        ax, az = normal[i, 2], -normal[i, 0]
        length = math.sqrt(ax * ax + az * az)
        if length > 1e-9:
            ax, az = ax / length * math.sin(tilt), az / length * math.sin(tilt)
        else:  # level; overhead it turns about the axis from west to east
            ax, az = math.sin(tilt), 0.0
        w = math.cos(tilt)
        rotation[i, 0] = ax * c - az * s
        rotation[i, 1] = w * s
        rotation[i, 2] = az * c + ax * s
        rotation[i, 3] = w * c
        if pose.pitch > 0.0:
            half = 0.5 * pose.pitch * (2.0 * uniform(seed, _PITCH, ids[i]) - 1.0)
            _turn_own(rotation[i], math.sin(half), 0.0, math.cos(half))
        if pose.roll > 0.0:
            half = 0.5 * pose.roll * (2.0 * uniform(seed, _ROLL, ids[i]) - 1.0)
            _turn_own(rotation[i], 0.0, math.sin(half), math.cos(half))
        if pose.tilt > 0.0:
            _tilt(rotation[i], seed, ids[i], pose.tilt)
        spread = pose.size_high - pose.size_low
        scale[i, :] = pose.size_low + spread * uniform(seed, _SIZE, ids[i])
        if pose.tall_high > 0.0:
            spread = pose.tall_high - pose.tall_low
            scale[i, 1] = pose.tall_low + spread * uniform(seed, _TALL, ids[i])
        depth = pose.sink_high - pose.sink_low
        sink = pose.sink_low + depth * uniform(seed, _SINK, ids[i])
        position[i, 0], position[i, 2] = ground[i, 0], ground[i, 2]
        position[i, 1] = ground[i, 1] - sink
    return position, rotation, scale
