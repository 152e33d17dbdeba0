"""Colours spread under transparent parts of images, so that smaller mip levels do not bleed.

Inside, images are planes, (k, n, n): loops along a row of one channel are what a processor does best.
"""

from __future__ import annotations

import numpy as np

from plough.core.arrays import Float32
from plough.core.kernels import kernel


@kernel
def _coarser(planes: Float32) -> Float32:
    """(k, n / 2, n / 2) means of blocks of two by two."""
    channels, n = planes.shape[0], planes.shape[1] // 2
    out = np.empty((channels, n, n), np.float32)
    for k in range(channels):
        for r in range(n):
            top, low, line = planes[k, 2 * r], planes[k, 2 * r + 1], out[k, r]
            for c in range(n):
                line[c] = np.float32(0.25) * (
                    top[2 * c] + top[2 * c + 1] + low[2 * c] + low[2 * c + 1]
                )
    return out


@kernel
def _finer(fill: Float32, planes: Float32) -> Float32:
    """(k - 1, n, n) the colours of `planes` (k, n, n), the last of which is their weight, over those of `fill`, half as large."""
    channels, n = planes.shape[0] - 1, planes.shape[1]
    out = np.empty((channels, n, n), np.float32)
    unknown, each = np.empty(n, np.float32), np.empty(n, np.float32)
    one, four, tiny = np.float32(1.0), np.float32(4.0), np.float32(1e-6)
    for r in range(n):
        weight = planes[channels, r]
        for c in range(n):
            known = four * weight[c]
            known = known if known < one else one
            unknown[c] = one - known
            each[c] = known / (weight[c] if weight[c] > tiny else tiny)
        for k in range(channels):
            near, mine, line = fill[k, r // 2], planes[k, r], out[k, r]
            for c in range(n // 2):
                a, b = 2 * c, 2 * c + 1
                line[a] = unknown[a] * near[c] + each[a] * mine[a]
                line[b] = unknown[b] * near[c] + each[b] * mine[b]
    return out


def bleed(image: Float32, alpha: Float32) -> Float32:
    """Fill what is transparent with the colours nearby, by averaging coarser and coarser images.

    Args:
        image: (n, n, k) laid over black, that is, times `alpha`; n is a power of two.
        alpha: (n, n) in [0, 1].

    Returns:
        (n, n, k) not times `alpha`.
    """
    planes = np.empty((image.shape[2] + 1, *alpha.shape), np.float32)
    planes[:-1], planes[-1] = np.moveaxis(image, 2, 0), alpha
    return np.ascontiguousarray(np.moveaxis(bleed_planes(planes), 0, 2))


def bleed_planes(planes: Float32) -> Float32:
    """`bleed` of planes (k, n, n), the last of which is alpha; gives (k - 1, n, n)."""
    levels = [planes]
    while levels[-1].shape[1] > 1:
        levels.append(_coarser(levels[-1]))
    last = levels[-1]
    fill: Float32 = np.asarray(last[:-1] / np.maximum(last[-1:], 1e-6), np.float32)
    for level in reversed(levels[:-1]):
        fill = _finer(fill, level)
    return fill
