"""A small rasteriser: textured triangles into an image, seen along an axis without perspective."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float32, UInt8, UInt32
from plough.core.kernels import kernel

_GAMMA = (np.arange(1024) / 1023.0) ** 0.4545  #: sRGB of linear light, about


@kernel
def _pixels(a: float, b: float, c: float, size: int) -> tuple[int, int]:
    """The first and the last pixel of a row or column of `size` that a triangle may touch."""
    first = max(0, int(math.floor(min(a, b, c))))
    return first, min(size - 1, int(math.ceil(max(a, b, c))))


@kernel
def draw_triangles(
    points: Float32,
    normals: Float32,
    uv: Float32,
    colors: UInt8,
    indices: UInt32,
    albedo: UInt8,
    cutout: bool,
    width: int,
    height: int,
    depth: Float32,
    color: Float32,
    normal: Float32,
) -> None:
    """Draw into `depth` (h, w), `color` (h, w, 3) and `normal` (h, w, 3), nearest first.

    Args:
        points: (n, 3) in pixels (x to the right, y down) and depth (greater is nearer).
        normals: (n, 3) in view axes (right, up, towards the eye).
        albedo: (th, tw, 4) sRGB texture, repeated.
        cutout: pixels of less than half alpha are left out.
    """
    th, tw = albedo.shape[0], albedo.shape[1]
    for t in range(indices.shape[0]):
        a, b, c = indices[t, 0], indices[t, 1], indices[t, 2]
        ax, ay, bx, by = points[a, 0], points[a, 1], points[b, 0], points[b, 1]
        cx, cy = points[c, 0], points[c, 1]
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if abs(area) < 1e-9:
            continue
        x0, x1 = _pixels(ax, bx, cx, width)
        y0, y1 = _pixels(ay, by, cy, height)
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                px, py = x + 0.5, y + 0.5
                u = ((bx - px) * (cy - py) - (cx - px) * (by - py)) / area
                v = ((cx - px) * (ay - py) - (ax - px) * (cy - py)) / area
                w = 1.0 - u - v
                if u < 0.0 or v < 0.0 or w < 0.0:
                    continue
                z = u * points[a, 2] + v * points[b, 2] + w * points[c, 2]
                if z <= depth[y, x]:
                    continue
                s = u * uv[a, 0] + v * uv[b, 0] + w * uv[c, 0]
                r = u * uv[a, 1] + v * uv[b, 1] + w * uv[c, 1]
                i = int((s - math.floor(s)) * tw) % tw
                j = int((r - math.floor(r)) * th) % th
                if cutout and albedo[j, i, 3] < 128:
                    continue
                depth[y, x] = z
                for k in range(3):
                    tint = (u * colors[a, k] + v * colors[b, k] + w * colors[c, k]) / 255.0
                    # the tint is linear, the image is not
                    step = min(1023, max(0, int(tint * 1023.0 + 0.5)))
                    color[y, x, k] = albedo[j, i, k] / 255.0 * _GAMMA[step]
                    normal[y, x, k] = u * normals[a, k] + v * normals[b, k] + w * normals[c, k]


@kernel
def draw_depth(
    points: Float32,
    uv: Float32,
    indices: UInt32,
    albedo: UInt8,
    cutout: bool,
    width: int,
    height: int,
    depth: Float32,
) -> None:
    """`draw_triangles` without colour: only `depth` (h, w), nearest first."""
    th, tw = albedo.shape[0], albedo.shape[1]
    for t in range(indices.shape[0]):
        a, b, c = indices[t, 0], indices[t, 1], indices[t, 2]
        ax, ay, bx, by = points[a, 0], points[a, 1], points[b, 0], points[b, 1]
        cx, cy = points[c, 0], points[c, 1]
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if abs(area) < 1e-9:
            continue
        x0, x1 = _pixels(ax, bx, cx, width)
        y0, y1 = _pixels(ay, by, cy, height)
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                px, py = x + 0.5, y + 0.5
                u = ((bx - px) * (cy - py) - (cx - px) * (by - py)) / area
                v = ((cx - px) * (ay - py) - (ax - px) * (cy - py)) / area
                w = 1.0 - u - v
                if u < 0.0 or v < 0.0 or w < 0.0:
                    continue
                z = u * points[a, 2] + v * points[b, 2] + w * points[c, 2]
                if z <= depth[y, x]:
                    continue
                if cutout:
                    s = u * uv[a, 0] + v * uv[b, 0] + w * uv[c, 0]
                    r = u * uv[a, 1] + v * uv[b, 1] + w * uv[c, 1]
                    i = int((s - math.floor(s)) * tw) % tw
                    j = int((r - math.floor(r)) * th) % th
                    if albedo[j, i, 3] < 128:
                        continue
                depth[y, x] = z
