"""Shaping by path: a bed cut into a height field along a curve, or a causeway laid on it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from plough.core.arrays import Float64
from plough.core.ground.heightfield import HeightField
from plough.core.ground.paths import Curve
from plough.core.kernels import kernel

Flow = Literal["no", "falls", "balanced"]
FALL = 0.001  #: of a bed that flows, metres for each metre
_EVEN = 12.0  #: points of the line, about a metre apart, whose ground is taken together
_MOST_BANK = 80.0  #: metres that a bank reaches
_MORE = 12.0  #: metres of height that a bank may have to make up besides
_FADE = 0.25  #: share of the reach over which a bank that has not met the ground does


@dataclass(frozen=True, slots=True)
class Bed:
    """What a path makes of the ground."""

    rise: float  #: metres of its middle above the ground along it; below 0 it is cut in
    bank: float  #: tangent of the slope of its sides
    flow: Flow  #: whether it never rises: cut ever deeper, or with cut and fill in balance

    @property
    def fills(self) -> bool:
        """Whether it is laid up where the ground is lower: what flows would leave its bed there."""
        return self.rise > 0 or self.flow != "no"


def bed_heights(field: HeightField, curve: Curve, bed: Bed) -> Float64:
    """(n,) heights in metres of the bed's middle at the points of `curve`, from its first to its last."""
    from scipy.ndimage import gaussian_filter1d
    from scipy.optimize import isotonic_regression

    ground = field.height(curve.line[:, 0], curve.line[:, 1])
    steps = np.hypot(*np.diff(curve.line, axis=0).T)
    wanted: Float64 = gaussian_filter1d(ground, _EVEN, mode="nearest") + bed.rise
    if bed.flow == "no":
        return wanted
    # what falls by more than FALL everywhere is, over a line that falls by it, never rising
    fall = FALL * np.concatenate([[0.0], np.cumsum(steps)])
    tilted = wanted + fall
    if bed.flow == "falls":
        if bed.rise < 0:  # a hollow that lies deeper already is not filled
            tilted = np.minimum(tilted, ground + fall)
        return np.minimum.accumulate(tilted) - fall
    return np.asarray(isotonic_regression(tilted, increasing=False).x) - fall


@kernel
def _laid(
    line: Float64,
    middle: Float64,
    reach: float,
    x0: float,
    z0: float,
    spacing: float,
    out: Float64,
) -> None:
    """Fill `out` (rows, columns, 2) with the distance of each sample to the nearest piece of `line`, and the height of the bed there."""
    rows, columns = out.shape[:2]
    out[:, :, 0] = np.inf
    for k in range(line.shape[0] - 1):
        ax, az = line[k, 0], line[k, 1]
        dx, dz = line[k + 1, 0] - ax, line[k + 1, 1] - az
        long = dx * dx + dz * dz
        r0 = max(0, int(math.floor((min(az, az + dz) - reach - z0) / spacing)))
        r1 = min(rows, int(math.ceil((max(az, az + dz) + reach - z0) / spacing)) + 1)
        c0 = max(0, int(math.floor((min(ax, ax + dx) - reach - x0) / spacing)))
        c1 = min(columns, int(math.ceil((max(ax, ax + dx) + reach - x0) / spacing)) + 1)
        for r in range(r0, r1):
            z = z0 + r * spacing - az
            for c in range(c0, c1):
                x = x0 + c * spacing - ax
                t = min(1.0, max(0.0, (x * dx + z * dz) / long)) if long > 0.0 else 0.0
                px, pz = x - t * dx, z - t * dz
                d = px * px + pz * pz
                if d < out[r, c, 0]:
                    out[r, c, 0] = d
                    out[r, c, 1] = middle[k] + t * (middle[k + 1] - middle[k])


def with_bed(field: HeightField, curve: Curve, bed: Bed) -> HeightField:
    """`field` with a bed cut, or a causeway laid, along `curve` at its width; what its banks do not reach is the same, bit for bit."""
    middle = bed_heights(field, curve, bed)
    half = curve.width / 2
    far = min(_MOST_BANK, (abs(bed.rise) + _MORE) / bed.bank)
    reach = half + far
    n, spacing, edge = len(field.heights), field.spacing, field.size / 2
    low = np.floor((curve.line.min(axis=0) - reach + edge) / spacing).astype(int).clip(0, n)
    high = np.ceil((curve.line.max(axis=0) + reach + edge) / spacing).astype(int) + 1
    high = high.clip(0, n)
    if (high <= low).any():
        return field
    rows, columns = slice(low[1], high[1]), slice(low[0], high[0])
    found = np.empty((high[1] - low[1], high[0] - low[0], 2))
    x0, z0 = low[0] * spacing - edge, low[1] * spacing - edge
    _laid(curve.line, middle, reach, x0, z0, spacing, found)
    away = np.sqrt(found[..., 0])
    there = away < reach
    before = field.heights[rows, columns]
    height = np.where(there, found[..., 1], 0.0)
    side = np.maximum(np.where(there, away, 0.0) - half, 0.0)
    made = np.minimum(before, height + side * bed.bank)
    if bed.fills:
        made = np.maximum(made, height - side * bed.bank)
    # a bank that has not met the ground by then does so now
    fade = ((reach - np.where(there, away, reach)) / (_FADE * far)).clip(0.0, 1.0)
    made = before + fade * (made - before)
    heights = field.heights.copy()
    heights[rows, columns] = np.where(there, made, before).astype(np.float32)
    return HeightField(heights, field.size)
