"""A small rasteriser: textured triangles into an image, seen along an axis without perspective."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float32, UInt8, UInt32
from plough.core.kernels import kernel

_TINT = ((np.arange(1024) / 1020.0) ** 0.4545 / 255.0).astype(np.float32)
"""What a linear tint, in quarters of a byte's steps, makes of a byte of an sRGB image, about."""


@kernel
def _rows(a: float, b: float, c: float, size: int) -> tuple[int, int]:
    """The first and the last row of `size` that a triangle may touch."""
    first = max(0, int(math.floor(min(a, b, c))))
    return first, min(size - 1, int(math.ceil(max(a, b, c))))


@kernel
def _reach(px: float, py: float, qx: float, qy: float, y: float) -> tuple[float, float]:
    """Where an edge meets the level `y`: the least and the greatest x; nowhere is told by least above greatest."""
    if py == y and qy == y:
        return min(px, qx), max(px, qx)
    if min(py, qy) <= y <= max(py, qy):
        x = px + (y - py) / (qy - py) * (qx - px)
        return x, x
    return 1e30, -1e30


@kernel
def _row(
    ax: float, ay: float, bx: float, by: float, cx: float, cy: float, y: float, width: int
) -> tuple[int, int]:
    """The first and the last pixel of a row of `width` that the triangle a, b, c may touch, with one to spare at each end."""
    l0, h0 = _reach(ax, ay, bx, by, y)
    l1, h1 = _reach(bx, by, cx, cy, y)
    l2, h2 = _reach(cx, cy, ax, ay, y)
    low, high = min(l0, l1, l2), max(h0, h1, h2)
    if low > high:
        return 1, 0
    return max(0, int(math.floor(low)) - 1), min(width - 1, int(math.ceil(high)) + 1)


@kernel
def _texel(at: float, size: int) -> int:
    """The texel of a repeating image of `size` that a coordinate lies in."""
    return min(size - 1, int((at - math.floor(at)) * size))


class Triangles(NamedTuple):
    """Triangles as they are seen."""

    points: Float32  #: (n, 3) in pixels (x to the right, y down) and depth (greater is nearer)
    normals: Float32  #: (n, 3) in view axes (right, up, towards the eye)
    uv: Float32  #: (n, 2)
    colors: UInt8  #: (n, 4) linear tint
    indices: UInt32  #: (m, 3)


class Samples(NamedTuple):
    """What is drawn into."""

    depth: Float32  #: (h, w)
    color: Float32  #: (h, w, 3)
    normal: Float32  #: (h, w, 3)


def empty_samples(height: int, width: int) -> Samples:
    """Nothing drawn yet: depth is -1e30."""
    return Samples(
        np.full((height, width), -1e30, np.float32),
        np.zeros((height, width, 3), np.float32),
        np.zeros((height, width, 3), np.float32),
    )


@kernel
def draw_triangles(
    triangles: Triangles, albedo: UInt8, cutout: bool, samples: Samples, rows: tuple[int, int]
) -> None:
    """Draw into the `rows` of `samples` from the first up to the second, nearest first.

    Args:
        albedo: (th, tw, 4) sRGB texture, repeated.
        cutout: pixels of less than half alpha are left out.
    """
    points, normals, uv, colors, indices = triangles
    depth, color, normal = samples
    width = depth.shape[1]
    th, tw = albedo.shape[0], albedo.shape[1]
    for t in range(indices.shape[0]):
        a, b, c = indices[t, 0], indices[t, 1], indices[t, 2]
        ax, ay, bx, by = points[a, 0], points[a, 1], points[b, 0], points[b, 1]
        cx, cy = points[c, 0], points[c, 1]
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if abs(area) < 1e-9:
            continue
        share = 1.0 / area
        # what the pixels of a triangle share is read once: the loop over them writes, so it would be read again for each
        za, zb, zc = points[a, 2], points[b, 2], points[c, 2]
        ia, ib, ic = uv[a, 0], uv[b, 0], uv[c, 0]
        ja, jb, jc = uv[a, 1], uv[b, 1], uv[c, 1]
        ra, rb, rc = colors[a, 0], colors[b, 0], colors[c, 0]
        ga, gb, gc = colors[a, 1], colors[b, 1], colors[c, 1]
        la, lb, lc = colors[a, 2], colors[b, 2], colors[c, 2]
        na, nb, nc = normals[a], normals[b], normals[c]
        y0, y1 = _rows(ay, by, cy, rows[1])
        for y in range(max(y0, rows[0]), y1 + 1):
            py = y + 0.5
            x0, x1 = _row(ax, ay, bx, by, cx, cy, py, width)
            for x in range(x0, x1 + 1):
                px = x + 0.5
                u = ((bx - px) * (cy - py) - (cx - px) * (by - py)) * share
                v = ((cx - px) * (ay - py) - (ax - px) * (cy - py)) * share
                w = 1.0 - u - v
                if u < 0.0 or v < 0.0 or w < 0.0:
                    continue
                z = u * za + v * zb + w * zc
                if z <= depth[y, x]:
                    continue
                i = _texel(u * ia + v * ib + w * ic, tw)
                j = _texel(u * ja + v * jb + w * jc, th)
                if cutout and albedo[j, i, 3] < 128:
                    continue
                depth[y, x] = z
                # the tint is linear, the image is not
                color[y, x, 0] = (
                    albedo[j, i, 0] * _TINT[int((u * ra + v * rb + w * rc) * 4.0 + 0.5)]
                )
                color[y, x, 1] = (
                    albedo[j, i, 1] * _TINT[int((u * ga + v * gb + w * gc) * 4.0 + 0.5)]
                )
                color[y, x, 2] = (
                    albedo[j, i, 2] * _TINT[int((u * la + v * lb + w * lc) * 4.0 + 0.5)]
                )
                for k in range(3):
                    normal[y, x, k] = u * na[k] + v * nb[k] + w * nc[k]


@kernel
def halved(image: Float32) -> Float32:
    """(h / 2, w / 2, k) the mean of each two by two samples of an image (h, w, k)."""
    h, w, k = image.shape[0] // 2, image.shape[1] // 2, image.shape[2]
    out = np.empty((h, w, k), np.float32)
    for y in range(h):
        for x in range(w):
            for c in range(k):
                over = image[2 * y, 2 * x, c] + image[2 * y, 2 * x + 1, c]
                under = image[2 * y + 1, 2 * x, c] + image[2 * y + 1, 2 * x + 1, c]
                out[y, x, c] = np.float32(0.25) * (over + under)
    return out


@kernel
def draw_depth(
    points: Float32,
    uv: Float32,
    indices: UInt32,
    albedo: UInt8,
    cutout: bool,
    depth: Float32,
) -> None:
    """`draw_triangles` without colour: only `depth` (h, w), nearest first."""
    height, width = depth.shape
    th, tw = albedo.shape[0], albedo.shape[1]
    for t in range(indices.shape[0]):
        a, b, c = indices[t, 0], indices[t, 1], indices[t, 2]
        ax, ay, bx, by = points[a, 0], points[a, 1], points[b, 0], points[b, 1]
        cx, cy = points[c, 0], points[c, 1]
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if abs(area) < 1e-9:
            continue
        y0, y1 = _rows(ay, by, cy, height)
        for y in range(y0, y1 + 1):
            x0, x1 = _row(ax, ay, bx, by, cx, cy, y + 0.5, width)
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
                    i = _texel(u * uv[a, 0] + v * uv[b, 0] + w * uv[c, 0], tw)
                    j = _texel(u * uv[a, 1] + v * uv[b, 1] + w * uv[c, 1], th)
                    if albedo[j, i, 3] < 128:
                        continue
                depth[y, x] = z
