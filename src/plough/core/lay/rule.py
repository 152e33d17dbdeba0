"""How a wall is built, and what all its parts share."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np

from plough.core.arrays import Float64
from plough.core.lay.run import Span
from plough.core.lay.stones import THROUGH, Stones, outlines
from plough.core.rng import stream

Head = Literal["open", "lintel", "arch"]
Coping = Literal["none", "flat", "upright"]
JAMBS = (0.24, 0.46)  #: metres that short and long stones beside an opening are, at least
LEAST = 0.06  #: metres of a stone of its own


@dataclass(frozen=True, slots=True)
class WallRule:
    """How a wall is built; lengths in metres."""

    seed: int
    height: float
    thickness: float  #: at the ground
    batter: float  #: that a face leans back for each metre up
    footing: float  #: below the ground
    courses: bool  #: else rubble
    sizes: tuple[float, float]  #: heights of stones at the top and at the foot
    lengths: tuple[float, float]  #: of stones, by their heights
    uneven: float
    ties: float  #: between stones that go through, along a course; 0: none do
    coping: Coping
    cope: float  #: its height
    steps: float  #: it follows the ground in steps so long; 0: by its slope
    ruin: float  #: 0 whole to 1
    ruin_seed: int

    @property
    def half(self) -> float:
        """From its middle to a face, at the ground."""
        return 0.5 * self.thickness

    def thick(self, y: float) -> float:
        """How thick it is, so far above the ground."""
        return self.thickness - 2.0 * self.batter * y

    @property
    def mean(self) -> float:
        """Length of a stone."""
        return 0.25 * sum(self.sizes) * sum(self.lengths)


class Opening(NamedTuple):
    """A way through a wall, in the coordinates of a span."""

    id: str
    start: float
    end: float
    height: float  #: clear, above its base
    head: Head
    base: float = 0.0  #: metres of the level that is the ground there


def foot_of(span: Span, rule: WallRule, s: float) -> float:
    """Metres of its own heights at which a wall stands on the ground."""
    return span.height(s) if rule.steps else 0.0


def feet_of(span: Span, rule: WallRule, s: Float64) -> Float64:
    """(n,) of the same for places (n,) along a span."""
    return np.interp(s, span.at, span.ground) if rule.steps else np.zeros_like(s)


def number_of(span: Span, name: str) -> np.uint64:
    """The id of a stone of a span that has a name."""
    return stream(f"stone {span.number} {name}")


def block(
    span: Span, name: str, a: float, b: float, bottom: float, top: float, role: int
) -> Stones:
    """A stone that goes through, square on the faces."""
    ring = np.array([[a, bottom], [b, bottom], [b, top], [a, top]])
    return outlines([ring], THROUGH, role, np.array([number_of(span, name)], np.uint64))
