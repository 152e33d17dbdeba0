"""Shaping by path: a bed cut into a height field along a curve, or a causeway laid on it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from plough.core.arrays import Float64
from plough.core.ground.heightfield import HeightField
from plough.core.ground.lines import near_samples
from plough.core.ground.paths import Curve

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
    bank: float  #: tangent of the slope of its sides, where no knot has its own
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


def with_bed(field: HeightField, curve: Curve, bed: Bed) -> HeightField:
    """`field` with a bed cut, or a causeway laid, along `curve` at its width; what its banks do not reach is the same, bit for bit."""
    middle = bed_heights(field, curve, bed)
    bank = np.where(curve.bank > 0, np.tan(np.radians(curve.bank)), bed.bank)
    far = np.minimum(_MOST_BANK, (abs(bed.rise) + _MORE) / bank)
    near = near_samples(field, curve.line, float((curve.half + far).max()))
    if near is None:
        return field
    before = field.heights[near.rows, near.columns]
    place = np.where(np.isfinite(near.away), near.place, 0.0)
    half, bank, far, height = (_at(v, place) for v in (curve.half, bank, far, middle))
    reach = half + far
    there = near.away < reach
    away = np.where(there, near.away, reach)
    side = np.maximum(away - half, 0.0)
    made = np.minimum(before, height + side * bank)
    if bed.fills:
        made = np.maximum(made, height - side * bank)
    # a bank that has not met the ground by then does so now
    fade = ((reach - away) / (_FADE * far)).clip(0.0, 1.0)
    made = before + fade * (made - before)
    heights = field.heights.copy()
    heights[near.rows, near.columns] = np.where(there, made, before).astype(np.float32)
    return HeightField(heights, field.size)


def _at(values: Float64, place: Float64) -> Float64:
    """`values` (n,) of the points of a line at places along it: the number of a segment, and the share of it."""
    first = place.astype(np.int64).clip(0, len(values) - 2)
    return np.asarray(values[first] + (place - first) * (values[first + 1] - values[first]))
