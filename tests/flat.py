"""Texture coordinates, looked at texel by texel."""

from __future__ import annotations

import numpy as np


def areas(flat: np.ndarray) -> np.ndarray:
    a, b, c = flat[:, 0], flat[:, 1], flat[:, 2]
    return 0.5 * ((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0])


def painted_twice(flat: np.ndarray, indices: np.ndarray, size: int) -> int:
    """Middles of texels that lie well within two triangles, by shares of corners."""
    uv = flat[indices].astype(float) * size
    taken: dict[tuple[int, int], int] = {}
    for t, corners in enumerate(uv):
        low, high = np.floor(corners.min(0)).astype(int), np.ceil(corners.max(0)).astype(int)
        x, y = (
            v.ravel() for v in np.meshgrid(np.arange(low[0], high[0]), np.arange(low[1], high[1]))
        )
        at = np.column_stack([x + 0.5, y + 0.5])
        whole = areas(corners[None])[0]
        if abs(whole) < 1e-9:
            continue
        shares = [
            areas(
                np.stack(
                    [at, np.tile(corners[i], (len(at), 1)), np.tile(corners[j], (len(at), 1))],
                    axis=1,
                )
            )
            / whole
            for i, j in ((1, 2), (2, 0), (0, 1))
        ]
        for k in np.nonzero(np.min(shares, axis=0) > 1e-3)[0]:
            spot = (int(x[k]), int(y[k]))
            if spot in taken:
                return t
            taken[spot] = t
    return 0
