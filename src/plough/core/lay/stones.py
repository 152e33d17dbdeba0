"""Stones of a wall: outlines on its faces, by where they lie along it and above the ground."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.kernels import kernel

MOST_CORNERS = 12  #: of one outline
RIGHT, LEFT, THROUGH = 1, -1, 0  #: the face that a stone shows on; or it goes through to both
DEPTH = 0.44  #: of a wall's thickness that a stone of one face takes
FACE, JAMB, TIE, LINTEL, ARCH, COPE, SILL = range(7)  #: what a stone is


@kernel
def cut(ring: Float64, n: int, nx: float, ny: float, level: float, work: Float64) -> int:
    """`ring` (in place) where nx x + ny y <= level; the number of its corners, at most as many as it has room for."""
    m = 0
    most = ring.shape[0]
    px, py = ring[n - 1, 0], ring[n - 1, 1]
    f = nx * px + ny * py - level
    for k in range(n):
        qx, qy = ring[k, 0], ring[k, 1]
        g = nx * qx + ny * qy - level
        if (f <= 0) != (g <= 0) and m < most:
            t = f / (f - g)
            work[m, 0], work[m, 1] = px + t * (qx - px), py + t * (qy - py)
            m += 1
        if g <= 0 and m < most:
            work[m, 0], work[m, 1] = qx, qy
            m += 1
        px, py, f = qx, qy, g
    for k in range(m):
        ring[k, 0], ring[k, 1] = work[k, 0], work[k, 1]
    return m


@dataclass(frozen=True, slots=True)
class Stones:
    """Outlines of stones, counter-clockwise with the way along to the right and up upwards."""

    corners: Float64  #: (n, MOST_CORNERS, 2) metres along and above the ground
    count: Int64  #: (n,) corners of each
    side: Int64  #: (n,)
    role: Int64  #: (n,)
    id: UInt64  #: (n,) the same as long as it is the same stone

    @staticmethod
    def none() -> Stones:
        """No stones."""
        empty = np.empty(0, np.int64)
        return Stones(np.empty((0, MOST_CORNERS, 2)), empty, empty, empty, np.empty(0, np.uint64))

    def __len__(self) -> int:
        return len(self.count)

    def taken(self, rows: Int64) -> Stones:
        """Some of them."""
        return Stones(
            self.corners[rows], self.count[rows], self.side[rows], self.role[rows], self.id[rows]
        )

    @property
    def there(self) -> Bool:
        """(n, MOST_CORNERS) which corners there are."""
        return np.asarray(np.arange(MOST_CORNERS) < self.count[:, None])

    @property
    def middle(self) -> Float64:
        """(n, 2) the mean of the corners of each."""
        return _means(self.corners, self.count)

    @property
    def top(self) -> Float64:
        """(n,) metres of the highest corner of each."""
        return np.asarray(self.corners[..., 1].max(axis=1, initial=-np.inf, where=self.there))

    @property
    def wide(self) -> Float64:
        """(n,) metres of each along the wall."""
        x, there = self.corners[..., 0], self.there
        high = x.max(axis=1, initial=-np.inf, where=there)
        return np.asarray(high - x.min(axis=1, initial=np.inf, where=there))


@kernel
def _means(corners: Float64, count: Int64) -> Float64:
    out = np.zeros((count.shape[0], 2))
    for k in range(count.shape[0]):
        for i in range(count[k]):
            out[k, 0] += corners[k, i, 0]
            out[k, 1] += corners[k, i, 1]
        out[k, 0] /= count[k]
        out[k, 1] /= count[k]
    return out


def joined_stones(parts: list[Stones]) -> Stones:
    """All stones of several lists."""
    if not parts:
        return Stones.none()
    return Stones(
        *(
            np.concatenate([getattr(p, name) for p in parts])
            for name in ("corners", "count", "side", "role", "id")
        )
    )


def outlines(corners: list[Float64], side: int, role: int, ids: UInt64) -> Stones:
    """Stones of one kind from their outlines, each (k, 2)."""
    n = len(corners)
    out = np.zeros((n, MOST_CORNERS, 2))
    for row, own in zip(out, corners, strict=True):
        row[: len(own)] = own
    count = np.array([len(c) for c in corners], np.int64)
    return Stones(out, count, np.full(n, side), np.full(n, role), ids)
