"""Forms of a few boxes whose corners hang on a width and a height: built three times, they are placed at any size by one sum."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from plough.core.arrays import Float64, Int64

_SIDES = ("left", "right", "under", "top", "back", "front")
_CORNERS = np.array(
    [
        [(0, 0, 0), (0, 0, 1), (0, 1, 1), (0, 1, 0)],
        [(1, 0, 1), (1, 0, 0), (1, 1, 0), (1, 1, 1)],
        [(0, 0, 0), (1, 0, 0), (1, 0, 1), (0, 0, 1)],
        [(0, 1, 1), (1, 1, 1), (1, 1, 0), (0, 1, 0)],
        [(1, 0, 0), (0, 0, 0), (0, 1, 0), (1, 1, 0)],
        [(0, 0, 1), (1, 0, 1), (1, 1, 1), (0, 1, 1)],
    ],
    np.float64,
)
"""Of a box from 0 to 1, side by side, seen from outside."""


@lru_cache(maxsize=64)
def _seen(without: str) -> Int64:
    return np.array([k for k, name in enumerate(_SIDES) if name not in without])


class Drawing:
    """Quads, seen from outside with the wall's right to the right: x right, y up, z out."""

    def __init__(self) -> None:
        self._batches: list[Float64] = []
        self.slots: list[str] = []

    @property
    def quads(self) -> Float64:
        """(q, 4, 3) all of them."""
        return np.concatenate(self._batches) if self._batches else np.empty((0, 4, 3))

    @property
    def drawn(self) -> Drawn:
        """All of them, with their slots."""
        return self.quads, tuple(self.slots)

    def box(
        self,
        x: tuple[float, float],
        y: tuple[float, float],
        z: tuple[float, float],
        slot: str,
        without: str = "",
    ) -> None:
        """A box; `without` names sides that nobody sees."""
        low = np.array([x[0], y[0], z[0]])
        size = np.array([x[1] - x[0], y[1] - y[0], z[1] - z[0]])
        seen = _seen(without)
        self._batches.append(low + _CORNERS[seen] * size)
        self.slots += [slot] * len(seen)

    def bar(
        self,
        a: tuple[float, float],
        b: tuple[float, float],
        wide: float,
        z: tuple[float, float],
        slot: str,
    ) -> None:
        """A straight bar over the wall from one place to another."""
        p, q = np.array(a), np.array(b)
        way = (q - p) / np.hypot(*(q - p))
        side = 0.5 * wide * np.array([-way[1], way[0]])
        ring = [p - side, q - side, q + side, p + side]
        self.prism(ring, z, slot)

    def prism(self, ring: Sequence[Float64], z: tuple[float, float], slot: str) -> None:
        """A quadrilateral (counter-clockwise) that is so thick."""
        near = [np.array([*p, z[1]]) for p in ring]
        far = [np.array([*p, z[0]]) for p in ring]
        sides = [[far[k], far[(k + 1) % 4], near[(k + 1) % 4], near[k]] for k in range(4)]
        self._batches.append(np.array([near, far[::-1], *sides]))
        self.slots += [slot] * 6


Drawn = tuple[Float64, tuple[str, ...]]
"""Quads (q, 4, 3) and their slots."""


@dataclass(frozen=True, eq=False)
class Form:
    """Quads whose corners are `base` + width x `wide` + height x `high`."""

    base: Float64  #: (q, 4, 3) metres
    wide: Float64  #: (q, 4, 3) for each metre of width
    high: Float64  #: (q, 4, 3) for each metre of height
    slots: tuple[str, ...]  #: (q,)

    @staticmethod
    def of(drawn: Callable[[Drawing, float, float], None]) -> Form:
        """The form that `drawn` draws of a width and a height, both of which it only multiplies and adds."""
        made = []
        for w, h in ((1.0, 1.0), (2.0, 1.0), (1.0, 2.0)):
            drawing = Drawing()
            drawn(drawing, w, h)
            made.append((drawing.quads, tuple(drawing.slots)))
        (one, slots), (wider, _), (higher, _) = made
        wide, high = wider - one, higher - one
        return Form(one - wide - high, wide, high, slots)

    def sized(self, wide: float, high: float) -> Float64:
        """(q, 4, 3) metres."""
        return np.asarray(self.base + wide * self.wide + high * self.high)


def placed(corners: Float64, origin: Float64, way: Float64, out: Float64) -> Float64:
    """Quads of a wall in the building: x along `way`, y up, z along `out` (each (2,) east and north)."""
    x, y, z = corners[..., 0], corners[..., 1], corners[..., 2]
    east = origin[0] + x * way[0] + z * out[0]
    north = origin[1] + x * way[1] + z * out[1]
    return np.stack([east, origin[2] + y, -north], axis=-1)
