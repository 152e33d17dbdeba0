"""What a brush drew over a surface: where it acts and how strongly, and which tiles see it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from itertools import chain
from typing import Any, Generic, TypeVar

import numpy as np
from pydantic import Field

from plough.core.arrays import Float64, Int64, UInt64
from plough.core.ground.paths import line_distance
from plough.core.hashing import digest
from plough.core.parameters import Id, Parameters, Point
from plough.core.tiles import SIZE, TileList, hash_of, stroke_hashes

MOST_POINTS = 400


class Brushed(Parameters):
    """What a brush drew, whatever it does."""

    id: Id
    radius: float = Field(ge=0.5, le=400, description="Metres.")
    strength: float = Field(1.0, gt=0, le=1, description="Share of that which one stroke does.")
    falloff: float = Field(
        0.6, ge=0, le=1, description="Share of the radius over which it grows weaker."
    )
    points: tuple[Point, ...] = Field(
        min_length=1, max_length=MOST_POINTS, description="East and south, in metres."
    )

    @property
    def ends(self) -> tuple[Point, ...]:
        """Its points, a dab twice, so that it has a piece."""
        return self.points * 2 if len(self.points) == 1 else self.points

    @property
    def line(self) -> Float64:
        """(n, 2) its points, two at least."""
        return np.array(self.ends, np.float64)


B = TypeVar("B", bound=Brushed)


def eased(away: Float64, radius: float, falloff: float) -> Float64:
    """How strongly a brush acts at each distance from its line: 1 in the middle, 0 from its radius on."""
    outer = (1.0 - away / radius) / max(falloff, 1e-9)
    w = np.where(away < radius, outer, 0.0).clip(0.0, 1.0)
    return np.asarray(w * w * (3.0 - 2.0 * w))


@lru_cache(4096)
def _hash_of(said: tuple[Any, ...]) -> tuple[int, int]:
    a, b = hash_of(said).tolist()
    return a, b


@dataclass(frozen=True, eq=False)
class Strokes(Generic[B]):
    """Strokes of a brush, in order, made ready to be asked by place and by tile."""

    drawn: Sequence[B]

    @cached_property
    def _starts(self) -> Int64:
        """(s + 1,) the first of the points of each."""
        return np.cumsum([0, *(len(s.ends) for s in self.drawn)])

    @cached_property
    def _points(self) -> Float64:
        """(n, 2) metres, of all lines."""
        flat = chain.from_iterable(chain.from_iterable(s.ends for s in self.drawn))
        return np.fromiter(flat, np.float64, 2 * int(self._starts[-1])).reshape(-1, 2)

    @cached_property
    def _radii(self) -> Float64:
        return np.array([s.radius for s in self.drawn], np.float64)

    @cached_property
    def _boxes(self) -> tuple[Float64, Float64]:
        """(s, 2) the corners of the rectangle that each can act in."""
        first, reach = self._starts[:-1], self._radii[:, None]
        low, high = (f.reduceat(self._points, first) for f in (np.minimum, np.maximum))
        return low - reach, high + reach

    @cached_property
    def _said(self) -> UInt64:
        """(s, 2) hashes of what is set on each, besides its points."""
        if not self.drawn:
            return np.empty((0, 2), np.uint64)
        names = [n for n in type(self.drawn[0]).model_fields if n not in ("id", "points")]
        said = [_hash_of(tuple(getattr(s, n) for n in names)) for s in self.drawn]
        return np.array(said, np.uint64)

    @property
    def key(self) -> list[str]:
        """Tells them from any others that do otherwise."""
        arrays = (self._points, self._starts, self._said)
        return [digest(np.ascontiguousarray(a).data) for a in arrays]

    def meeting(self, places: Float64) -> list[int]:
        """Which of them, in order, may act at some of `places` (n, 2)."""
        if not len(places) or not self.drawn:
            return []
        low, high = self._boxes
        meets = (high >= places.min(axis=0)) & (low <= places.max(axis=0))
        found: list[int] = np.nonzero(meets.all(axis=1))[0].tolist()
        return found

    def reached(self, number: int, places: Float64) -> Int64:
        """The rows of `places` (n, 2) at which one of them may act."""
        low, high = (corner[number] for corner in self._boxes)
        return np.nonzero(((places >= low) & (places <= high)).all(axis=1))[0]

    def worth(self, number: int, places: Float64) -> Float64:
        """(n,) how strongly one of them acts at each of `places` (n, 2), 0 to 1."""
        stroke = self.drawn[number]
        line = self._points[self._starts[number] : self._starts[number + 1]]
        away = line_distance(places[:, 0], places[:, 1], line, stroke.radius)
        return stroke.strength * eased(away, stroke.radius, stroke.falloff)

    def seen(self, tiles: TileList, check: Callable[[], None] = lambda: None) -> UInt64:
        """(t, 2) a hash of what they do in each tile, in order; 0 where they do nothing.

        Args:
            check: called before; may raise to stop.
        """
        check()
        return stroke_hashes(self._points, self._starts, self._radii, self._said, tiles, SIZE)
