"""Normal maps of drawn heights."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float32, UInt8
from plough.core.kernels import kernel


@kernel
def _byte(x: float) -> np.uint8:
    return np.uint8(min(1.0, max(0.0, x)) * 255.0 + 0.5)


@kernel
def normals_of_heights(height: Float32, strength: float) -> UInt8:
    """(n, m, 3) tangent-space normals of an (n, m) image of heights that repeats on both axes; green points up the image."""
    n, m = height.shape
    out = np.empty((n, m, 3), np.uint8)
    for r in range(n):
        above, below = height[(r - 1) % n], height[(r + 1) % n]
        for c in range(m):
            dx = (height[r, (c + 1) % m] - height[r, (c - 1) % m]) * strength
            dy = (above[c] - below[c]) * strength
            s = 0.5 / math.sqrt(dx * dx + dy * dy + 1.0)
            out[r, c, 0], out[r, c, 1], out[r, c, 2] = (
                _byte(0.5 - dx * s),
                _byte(0.5 - dy * s),
                _byte(0.5 + s),
            )
    return out
