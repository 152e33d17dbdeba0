"""What a brush drew over a surface: where it acts and how strongly, and which tiles see it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from pydantic import Field

from plough.core.arrays import Bool, Float64, Int64, UInt64
from plough.core.ground.paths import line_distance
from plough.core.hashing import digest
from plough.core.parameters import Id, Parameters, Point
from plough.core.tiles import SIZE, TileList, combine, hash_of, line_hashes

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
    def line(self) -> Float64:
        """(n, 2) its points, a dab twice, so that it has a piece."""
        points = np.array(self.points, np.float64)
        return np.concatenate([points, points]) if len(points) == 1 else points


def eased(away: Float64, radius: float, falloff: float) -> Float64:
    """How strongly a brush acts at each distance from its line: 1 in the middle, 0 from its radius on."""
    outer = (1.0 - away / radius) / max(falloff, 1e-9)
    w = np.where(away < radius, outer, 0.0).clip(0.0, 1.0)
    return np.asarray(w * w * (3.0 - 2.0 * w))


@dataclass(frozen=True, eq=False)
class Drawn:
    """One stroke of a brush, made ready to be asked by place and by tile."""

    stroke: Brushed

    @cached_property
    def line(self) -> Float64:
        """(n, 2) metres."""
        return self.stroke.line

    @cached_property
    def _reach(self) -> tuple[Float64, Float64]:
        """The corners of the rectangle that it can act in."""
        radius = self.stroke.radius
        return self.line.min(axis=0) - radius, self.line.max(axis=0) + radius

    def meets(self, low: Float64, high: Float64) -> Bool:
        """Whether it can act in rectangles from `low` (..., 2) to `high`."""
        first, last = self._reach
        return np.asarray(((last >= low) & (first <= high)).all(axis=-1))

    def acts(self, places: Float64) -> tuple[Int64, Float64]:
        """The rows of `places` (n, 2) that it can reach, and how strongly it acts at each, 0 to 1."""
        s = self.stroke
        near = np.nonzero(self.meets(places, places))[0]
        away = line_distance(places[near, 0], places[near, 1], self.line, s.radius)
        return near, s.strength * eased(away, s.radius, s.falloff)

    def told(self) -> list[object]:
        """What it is, but for its id: strokes told alike do alike."""
        said = self.stroke.model_dump(mode="json", exclude={"id", "points"})
        return [said, digest(self.line.tobytes())]

    def touches(self, tiles: TileList) -> tuple[Int64, UInt64]:
        """The rows of the tiles (t, 2) that it acts in, and for each a hash of what it does there."""
        corner = np.asarray(tiles * SIZE, np.float64)
        rows = np.nonzero(self.meets(corner, corner + SIZE))[0]
        near = line_hashes(self.line, tiles[rows], SIZE, self.stroke.radius)
        touched = near.any(axis=1)  # elsewhere it is as if the stroke were not
        said = self.stroke.model_dump(mode="json", exclude={"id", "points"})
        return rows[touched], near[touched] * (hash_of(said) | np.uint64(1))


def seen_of(strokes: list[Drawn], tiles: TileList) -> UInt64:
    """(t, 2) a hash of what `strokes` do in each tile, in order; 0 where they do nothing."""
    out = np.zeros((len(tiles), 2), np.uint64)
    for stroke in strokes:
        rows, told = stroke.touches(tiles)
        out[rows] = combine(out[rows], told)
    return out
