"""Vectors as rows of arrays: unit length, right angles."""

from __future__ import annotations

import numpy as np

from plough.core.arrays import Float64


def unit(v: Float64) -> Float64:
    """`v` (..., 3) scaled to length 1; where it has none, zero."""
    return np.asarray(v / np.maximum(np.linalg.norm(v, axis=-1, keepdims=True), 1e-12))


def across(v: Float64) -> tuple[Float64, Float64]:
    """Two unit vectors at right angles to the unit vectors `v` (..., 3) and to each other, turning right-handed about them.

    Method: Duff et al. 2017, without branches; it has one seam, where `v` points straight down.
    """
    x, y, z = v[..., 0], v[..., 2], v[..., 1]
    sign = np.where(z < 0, -1.0, 1.0)
    a = -1.0 / (sign + z)
    b = x * y * a
    one = np.stack([1.0 + sign * x * x * a, -sign * x, sign * b], axis=-1)
    other = np.stack([b, -y, sign + y * y * a], axis=-1)
    return one, -other
