"""Shaping by brush: strokes over a height field, one after the other, each on what the ones before have left."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Literal, get_args

import numpy as np
from pydantic import Field

from plough.core.arrays import Float32, Float64
from plough.core.ground.brushed import Brushed, eased
from plough.core.ground.heightfield import HeightField
from plough.core.ground.lines import near_samples
from plough.core.ground.terrain import stepped
from plough.core.kernels import kernel
from plough.core.noise import Octaves, layered, octaves_of
from plough.core.rng import seed_for

BrushName = Literal["raise", "lower", "level", "smooth", "roughen", "terrace"]
BRUSHES: tuple[BrushName, ...] = get_args(BrushName)
MOST_STROKES = 500
_BLUR = 0.3  #: of the radius, that smoothing reaches


class Stroke(Brushed):
    """One stroke of a brush that shapes the ground."""

    brush: BrushName
    amount: float = Field(
        1.0,
        ge=0.01,
        le=100,
        description="Metres: by how much it raises, lowers or roughens; the height of a terrace.",
    )


def _weight(away: Float64, stroke: Stroke) -> Float32:
    """How strongly a stroke acts at each distance from its line."""
    return (stroke.strength * eased(away, stroke.radius, stroke.falloff)).astype(np.float32)


@kernel
def _roughness(
    octaves: Octaves, feature: float, x0: float, z0: float, spacing: float, out: Float32
) -> None:
    for r in range(out.shape[0]):
        for c in range(out.shape[1]):
            u, v = (x0 + c * spacing) / feature, (z0 + r * spacing) / feature
            out[r, c] = layered(octaves, u, v, 0.55, 0.0)


@kernel
def _terraced(heights: Float32, step: float, out: Float32) -> None:
    for r in range(out.shape[0]):
        for c in range(out.shape[1]):
            out[r, c] = stepped(heights[r, c], step)


def with_stroke(field: HeightField, stroke: Stroke) -> HeightField:
    """`field` after a stroke; what lies beyond the stroke's radius is the same, bit for bit."""
    line = stroke.line
    near = near_samples(field, line, stroke.radius)
    if near is None:
        return field
    rows, columns = near.rows, near.columns
    before = field.heights[rows, columns]
    weight = _weight(near.away, stroke)
    heights = field.heights.copy()
    if stroke.brush == "roughen":
        noise = np.empty(before.shape, np.float32)
        octaves = octaves_of(seed_for(1, f"stroke {stroke.id}"), 4)
        _roughness(
            octaves,
            max(0.7 * stroke.radius, 4 * field.spacing),
            near.x0,
            near.z0,
            field.spacing,
            noise,
        )
        heights[rows, columns] = before + np.float32(stroke.amount) * weight * noise
    elif stroke.brush in ("raise", "lower"):
        sign = 1.0 if stroke.brush == "raise" else -1.0
        heights[rows, columns] = before + np.float32(sign * stroke.amount) * weight
    else:
        target = _target(field, stroke, rows, columns, line)
        heights[rows, columns] = before + weight * (target - before)
    # where it does nothing the very bytes stay
    still = weight == 0
    heights[rows, columns][still] = before[still]
    return HeightField(heights, field.size)


def _target(
    field: HeightField, stroke: Stroke, rows: slice, columns: slice, line: Float64
) -> Float32 | np.float32:
    """The heights that a stroke draws the ground towards."""
    before = np.ascontiguousarray(field.heights[rows, columns])
    if stroke.brush == "level":
        return np.float32(field.height(line[:1, 0], line[:1, 1])[0])
    if stroke.brush == "terrace":
        out = np.empty_like(before)
        _terraced(before, stroke.amount, out)
        return out
    from scipy.ndimage import gaussian_filter

    sigma = max(0.7, _BLUR * stroke.radius / field.spacing)
    margin = math.ceil(3.0 * sigma)
    r0, c0 = max(rows.start - margin, 0), max(columns.start - margin, 0)
    around = field.heights[r0 : rows.stop + margin, c0 : columns.stop + margin]
    smooth = gaussian_filter(around, sigma, mode="nearest", truncate=3.0)
    inner: Float32 = smooth[rows.start - r0 :, columns.start - c0 :][
        : before.shape[0], : before.shape[1]
    ]
    return inner


def shaped(
    field: HeightField,
    strokes: Sequence[Stroke],
    held: Callable[[int], HeightField | None],
    check: Callable[[], None] = lambda: None,
) -> HeightField:
    """`field` after all strokes, in order.

    Args:
        held: gives the field after the first `k` strokes where it is known; asked from the last back.
        check: called between strokes; may raise to stop.
    """
    first, start = 0, field
    for k in range(len(strokes), 0, -1):
        known = held(k)
        if known is not None:
            first, start = k, known
            break
    for stroke in strokes[first:]:
        check()
        start = with_stroke(start, stroke)
    return start
