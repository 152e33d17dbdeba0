"""Colours spread under transparent parts of images, so that smaller mip levels do not bleed."""

from __future__ import annotations

import numpy as np

from plough.core.arrays import Float32


def bleed(image: Float32, alpha: Float32) -> Float32:
    """Fill what is transparent with the colours nearby, by averaging coarser and coarser images.

    Args:
        image: (n, n, 3) laid over black, that is, times `alpha`; n is a power of two.
        alpha: (n, n) in [0, 1].

    Returns:
        (n, n, 3) not times `alpha`.
    """
    weight, total = alpha[..., None].copy(), image.copy()
    pyramid = []
    while weight.shape[0] > 1:
        pyramid.append((total, weight))
        total = 0.25 * (
            total[0::2, 0::2] + total[1::2, 0::2] + total[0::2, 1::2] + total[1::2, 1::2]
        )
        weight = 0.25 * (
            weight[0::2, 0::2] + weight[1::2, 0::2] + weight[0::2, 1::2] + weight[1::2, 1::2]
        )
    fill = total / np.maximum(weight, 1e-6)
    for total, weight in reversed(pyramid):
        fill = fill.repeat(2, 0).repeat(2, 1)
        known = np.clip(weight * 4.0, 0, 1)
        fill = fill * (1 - known) + total / np.maximum(weight, 1e-6) * known
    return np.asarray(fill, np.float32)
