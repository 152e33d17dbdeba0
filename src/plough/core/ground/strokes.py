"""Shaping by brush: strokes over a height field, one after the other, each on what the ones before have left."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from plough.core.arrays import Float32, Float64
from plough.core.ground.heightfield import HeightField
from plough.core.ground.terrain import stepped
from plough.core.kernels import kernel
from plough.core.noise import Octaves, layered, octaves_of
from plough.core.parameters import Parameters
from plough.core.rng import seed_for

BrushName = Literal["raise", "lower", "level", "smooth", "roughen", "terrace"]
MOST_STROKES, MOST_POINTS = 500, 400
_BLUR = 0.3  #: of the radius, that smoothing reaches
_At = Annotated[float, Field(ge=-4096, le=4096)]


class Stroke(Parameters):
    """One stroke of a brush."""

    id: str = Field(pattern=r"^[A-Za-z0-9_-]{1,64}$")
    brush: BrushName
    radius: float = Field(ge=0.5, le=400, description="Metres.")
    amount: float = Field(
        1.0,
        ge=0.01,
        le=100,
        description="Metres: by how much it raises, lowers or roughens; the height of a terrace.",
    )
    strength: float = Field(1.0, gt=0, le=1, description="Share of that which one stroke does.")
    falloff: float = Field(
        0.6, ge=0, le=1, description="Share of the radius over which it grows weaker."
    )
    points: tuple[tuple[_At, _At], ...] = Field(
        min_length=1, max_length=MOST_POINTS, description="East and south, in metres."
    )


@kernel
def _weights(
    line: Float64, radius: float, falloff: float, x0: float, z0: float, spacing: float, out: Float32
) -> None:
    """How strongly a stroke along `line` (n, 2) acts at each sample of `out`, whose first stands at (x0, z0): 1 in its middle, 0 beyond its radius."""
    rows, columns = out.shape
    out[:] = np.inf
    for k in range(max(1, line.shape[0] - 1)):
        m = min(k + 1, line.shape[0] - 1)
        ax, az = line[k, 0], line[k, 1]
        dx, dz = line[m, 0] - ax, line[m, 1] - az
        long = dx * dx + dz * dz
        # only the samples that this piece of the line can reach
        r0 = max(0, int(math.floor((min(az, az + dz) - radius - z0) / spacing)))
        r1 = min(rows, int(math.ceil((max(az, az + dz) + radius - z0) / spacing)) + 1)
        c0 = max(0, int(math.floor((min(ax, ax + dx) - radius - x0) / spacing)))
        c1 = min(columns, int(math.ceil((max(ax, ax + dx) + radius - x0) / spacing)) + 1)
        for r in range(r0, r1):
            z = z0 + r * spacing - az
            for c in range(c0, c1):
                x = x0 + c * spacing - ax
                t = 0.0
                if long > 0.0:
                    t = min(1.0, max(0.0, (x * dx + z * dz) / long))
                px, pz = x - t * dx, z - t * dz
                out[r, c] = min(out[r, c], px * px + pz * pz)
    inner = 1.0 - falloff
    for r in range(rows):
        for c in range(columns):
            u = math.sqrt(out[r, c]) / radius
            if u <= inner:
                out[r, c] = 1.0
            elif u < 1.0:
                w = (1.0 - u) / (1.0 - inner)
                out[r, c] = w * w * (3.0 - 2.0 * w)
            else:
                out[r, c] = 0.0


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
    line = np.array(stroke.points, np.float64)
    n, spacing, half = len(field.heights), field.spacing, field.size / 2
    low = np.floor((line.min(axis=0) - stroke.radius + half) / spacing).astype(int).clip(0, n)
    high = np.ceil((line.max(axis=0) + stroke.radius + half) / spacing).astype(int) + 1
    high = high.clip(0, n)
    if (high <= low).any():
        return field
    columns, rows = slice(low[0], high[0]), slice(low[1], high[1])
    x0, z0 = low[0] * spacing - half, low[1] * spacing - half
    before = field.heights[rows, columns]
    weight = np.empty(before.shape, np.float32)
    _weights(line, stroke.radius, stroke.falloff, x0, z0, spacing, weight)
    weight *= np.float32(stroke.strength)
    heights = field.heights.copy()
    if stroke.brush == "roughen":
        noise = np.empty(before.shape, np.float32)
        octaves = octaves_of(seed_for(1, f"stroke {stroke.id}"), 4)
        _roughness(octaves, max(0.7 * stroke.radius, 4 * spacing), x0, z0, spacing, noise)
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
