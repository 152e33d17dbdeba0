"""How a run of blocks is laid."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from plough.core.arrays import Float64
from plough.core.lay.bonds import BONDS, CELLS, Bond, BondName

_NARROW = 0.12  # of half its thickness, the smallest radius that is left inside a bend


@dataclass(frozen=True)
class BrickRule:
    """How a run is laid; lengths in metres, turns in radians."""

    block: tuple[float, float, float]  #: long, wide, high
    gap: float  #: of joints along it
    bed: float  #: of joints between courses
    bond: BondName
    rows: int  #: side by side, in bonds without headers
    turns: tuple[float, float]  #: more, of the blocks of even and of odd courses
    courses: int
    level: bool  #: its top is level; else it follows the ground in steps
    step: float
    footing: float  #: below the lowest ground
    cap: bool

    @property
    def bonded(self) -> Bond:
        """Its bond."""
        return BONDS[self.bond]

    @cached_property
    def pitch(self) -> float:
        """From one course to the next."""
        return self.block[2] + self.bed

    @cached_property
    def turned(self) -> bool:
        """Whether blocks stand askew."""
        return any(abs(math.sin(t)) > 1e-4 for t in self.turns) and not self.bonded.headers

    @cached_property
    def across(self) -> tuple[float, ...]:
        """From the line to the middle of each row of stretchers, to the right."""
        long, wide, _ = self.block
        if self.bonded.headers:
            off = 0.5 * (long - self.wide)
            return (off, -off)
        each = max(_extent(long, wide, t) for t in self.turns) if self.turned else wide
        return tuple((k - 0.5 * (self.rows - 1)) * (each + self.gap) for k in range(self.rows))

    @cached_property
    def wide(self) -> float:
        """Of a stretcher: less than a block where two must lie behind each other in its length."""
        long, wide, _ = self.block
        return min(wide, max(0.5 * (long - self.gap), 0.3 * long)) if self.bonded.headers else wide

    @cached_property
    def thickness(self) -> float:
        """From face to face."""
        long, wide, _ = self.block
        if self.bonded.headers:
            return long
        each = max(_extent(long, wide, t) for t in self.turns) if self.turned else wide
        return 2.0 * max(self.across) + each

    @property
    def dense(self) -> float:
        """About how many blocks are in a metre of a straight course."""
        bond = self.bonded
        kinds = [kind for course in bond.courses for _, kind in course]
        mean = len(bond.courses) * bond.period / len(kinds)
        each = {"stretcher": len(self.across), "header": 1, "none": 0}
        cells = CELLS / float(self.pitch_at(np.zeros(1))[0])
        return cells / mean * sum(each[k] for k in kinds) / len(kinds)

    def pitch_at(self, bend: Float64) -> Float64:
        """(n,) metres from block to block, by 1 / metres of the radius."""
        long, wide, _ = self.block
        straight = long + self.gap
        if self.turned:
            straight = max(
                min((long + self.gap) / max(1e-6, c), (wide + self.gap) / max(1e-6, s))
                for c, s in ((abs(math.cos(t)), abs(math.sin(t))) for t in self.turns)
            )
        half = 0.5 * self.thickness
        radius = 1.0 / np.maximum(np.abs(bend), 1e-9)
        inner = np.maximum(radius - half, _NARROW * half)
        if self.turned:
            return np.asarray(straight * (inner + half) / inner)
        return np.asarray(2.0 * (inner + half) * np.arctan(0.5 * straight / inner))


def _extent(long: float, wide: float, turn: float) -> float:
    """How wide a block is across, so turned."""
    return long * abs(math.sin(turn)) + wide * abs(math.cos(turn))
