"""Colours spread under transparent parts of images, so that smaller mip levels do not bleed."""

from __future__ import annotations

import numpy as np

from plough.core.arrays import Float32
from plough.core.kernels import kernel


@kernel
def _coarser(image: Float32) -> Float32:
    """(n / 2, n / 2, k) means of blocks of two by two."""
    n = image.shape[0] // 2
    out = np.empty((n, n, image.shape[2]), np.float32)
    for r in range(n):
        for c in range(n):
            for k in range(image.shape[2]):
                top = image[2 * r, 2 * c, k] + image[2 * r, 2 * c + 1, k]
                low = image[2 * r + 1, 2 * c, k] + image[2 * r + 1, 2 * c + 1, k]
                out[r, c, k] = np.float32(0.25) * (top + low)
    return out


@kernel
def _finer(fill: Float32, image: Float32) -> Float32:
    """(n, n, k - 1) the colours of `image` (n, n, k), whose last channel is their weight, over those of `fill`, half as large."""
    n, channels = image.shape[0], image.shape[2] - 1
    out = np.empty((n, n, channels), np.float32)
    one = np.float32(1.0)
    for r in range(n):
        near = fill[r // 2]
        for c in range(n):
            weight = image[r, c, channels]
            if weight <= np.float32(0.0):
                for k in range(channels):
                    out[r, c, k] = near[c // 2, k]
                continue
            if weight >= np.float32(0.25):
                each = one / weight
                for k in range(channels):
                    out[r, c, k] = image[r, c, k] * each
                continue
            known = weight * np.float32(4.0)
            each, unknown = known / max(weight, np.float32(1e-6)), one - known
            for k in range(channels):
                out[r, c, k] = near[c // 2, k] * unknown + image[r, c, k] * each
    return out


def bleed(image: Float32, alpha: Float32) -> Float32:
    """Fill what is transparent with the colours nearby, by averaging coarser and coarser images.

    Args:
        image: (n, n, 3) laid over black, that is, times `alpha`; n is a power of two.
        alpha: (n, n) in [0, 1].

    Returns:
        (n, n, 3) not times `alpha`.
    """
    levels = [np.concatenate([image, alpha[..., None]], axis=-1).astype(np.float32)]
    while levels[-1].shape[0] > 1:
        levels.append(_coarser(levels[-1]))
    last = levels[-1]
    fill: Float32 = np.asarray(last[..., :-1] / np.maximum(last[..., -1:], 1e-6), np.float32)
    for level in reversed(levels[:-1]):
        fill = _finer(np.ascontiguousarray(fill), level)
    return fill
