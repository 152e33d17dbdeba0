"""Closed shells: an outline turned round the vertical, a band laid round it, a rod along a curve."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32, Float64, Int64
from plough.core.vectors import unit

_ON_AXIS = 1e-6  # metres


@dataclass(frozen=True, slots=True)
class Shell:
    """A closed surface, its triangles counter-clockwise from outside."""

    positions: Float64  #: (n, 3) metres
    faces: Int64  #: (m, 3)
    uv: Float32  #: (3 m, 2) texture coordinates of the corners of its triangles, in metres

    @property
    def corners(self) -> Int64:
        """(3 m,) the points of all triangles."""
        return self.faces.reshape(-1)


def turned(outline: Float64, angles: Float64, spread: Float64) -> Shell:
    """`outline` turned round the vertical.

    Args:
        outline: (r, 2) metres from the axis and up; runs so that the outside lies on its right, from the axis back to it, or round.
        angles: (a,) radians, ascending, within one turn.
        spread: (r, a) by which distances from the axis are multiplied at each angle.
    """
    radius, height = outline.T
    closed = bool(radius[0] > _ON_AXIS)
    rows, columns = len(outline), len(angles)
    x = radius[:, None] * spread * np.cos(angles)
    z = radius[:, None] * spread * np.sin(angles)
    y = np.repeat(height[:, None], columns, axis=1)
    positions = np.stack([x, y, z], axis=2).reshape(-1, 3)
    steps = np.hypot(*np.diff(outline, axis=0).T)
    length = np.concatenate([[0.0], np.cumsum(steps)])
    if closed:
        length = np.append(length, length[-1] + np.hypot(*(outline[0] - outline[-1])))
    bands = rows if closed else rows - 1
    i, j = (a.reshape(-1) for a in np.meshgrid(np.arange(bands), np.arange(columns), indexing="ij"))
    next_i, next_j = (i + 1) % rows, (j + 1) % columns
    a, b = i * columns + j, i * columns + next_j
    d, c = next_i * columns + j, next_i * columns + next_j
    faces = np.stack([a, d, c, a, c, b], axis=1).reshape(-1, 3)
    round_ = np.append(angles, angles[0] + 2 * math.pi) * float(radius.max())
    left, right, low, high = round_[j], round_[j + 1], length[i], length[i + 1]
    across = np.stack([left, left, right, left, right, right], axis=1).reshape(-1)
    down = -np.stack([low, high, high, low, high, low], axis=1).reshape(-1)
    # on the axis all points of a row are one
    row = np.arange(rows).repeat(columns)
    points = np.where(radius[row] > _ON_AXIS, np.arange(len(row)), row * columns)
    faces = points[faces]
    real = (
        (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 0] != faces[:, 2])
    )
    uv = np.stack([across, down], axis=1).reshape(-1, 3, 2)[real].reshape(-1, 2)
    used, faces = np.unique(faces[real], return_inverse=True)
    return Shell(positions[used], faces.reshape(-1, 3), uv.astype(np.float32))


def rod(line: Float64, side: Float64, wide: Float64, thick: Float64, sides: int) -> Shell:
    """A rod along a plane curve, its ends flat.

    Args:
        line: (k, 3) metres.
        side: (3,) unit: square to the plane of the curve.
        wide: (k,) metres from the middle outwards along `side`.
        thick: (k,) metres across that.
        sides: corners round it.
    """
    ahead = unit(np.gradient(line, axis=0))
    other = np.cross(ahead, side)
    angle = np.arange(sides) * (2 * math.pi / sides)
    ring = (
        np.cos(angle)[None, :, None] * (wide[:, None] * side)[:, None, :]
        + np.sin(angle)[None, :, None] * (thick[:, None] * other)[:, None, :]
    )
    k = len(line)
    positions = np.concatenate([(line[:, None, :] + ring).reshape(-1, 3), line[[0, -1]]])
    i, j = (a.reshape(-1) for a in np.meshgrid(np.arange(k - 1), np.arange(sides), indexing="ij"))
    following = (j + 1) % sides
    a, b, d, c = (
        i * sides + j,
        i * sides + following,
        (i + 1) * sides + j,
        (i + 1) * sides + following,
    )
    faces = np.stack([a, b, c, a, c, d], axis=1).reshape(-1, 3)
    length = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    about = np.arange(sides + 1) * (math.pi * float(wide.mean() + thick.mean()) / sides)
    across = np.stack(
        [about[j], about[j + 1], about[j + 1], about[j], about[j + 1], about[j]], axis=1
    )
    low, high = length[i], length[i + 1]
    down = -np.stack([low, low, high, low, high, high], axis=1)
    ends, end_uv = [], []
    for middle, first, turn in (
        (k * sides, 0, (0, 2, 1)),
        (k * sides + 1, (k - 1) * sides, (0, 1, 2)),
    ):
        own = np.stack(
            [
                np.full(sides, middle),
                first + np.arange(sides),
                first + (np.arange(sides) + 1) % sides,
            ],
            1,
        )
        ends.append(own[:, turn])
        flat = np.stack([ring[0] @ side, ring[0] @ other[0]], axis=1)
        corners = np.stack([np.zeros((sides, 2)), flat, np.roll(flat, -1, axis=0)], axis=1)
        end_uv.append(corners[:, turn].reshape(-1, 2))
    uv = np.stack([across.reshape(-1), down.reshape(-1)], axis=1)
    return Shell(
        positions,
        np.concatenate([faces, *ends]),
        np.concatenate([uv, *end_uv]).astype(np.float32),
    )
