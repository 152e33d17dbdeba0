"""Bonds: how blocks lie over each other from course to course.

A bond is told in cells, twelve to a block and its joint, along each of the courses that it repeats.
"""

from __future__ import annotations

from typing import Literal, NamedTuple

import numpy as np

from plough.core.arrays import Float64, Int64

CELLS = 12  #: of a block and its joint
BondName = Literal["running", "third", "stack", "header", "english", "garden", "flemish", "pierced"]
Kind = Literal["stretcher", "header", "none"]


KINDS: tuple[Kind, ...] = ("stretcher", "header", "none")
Course = tuple[tuple[int, Kind], ...]
"""Where pieces begin, and what they are."""


class Bond(NamedTuple):
    """A bond."""

    period: int  #: cells after which each course repeats
    courses: tuple[Course, ...]
    snap: int = 6  #: openings and steps lie at multiples of so many cells
    headers: bool = False  #: it is one block thick, and some lie across it

    @property
    def whole(self) -> int:
        """Cells of which a stretch is a multiple where nothing of it is cut."""
        return max(CELLS, self.period)

    def begun(self, course: int, a: float, b: float) -> tuple[Float64, Int64]:
        """Cells where pieces of a course begin between two, the one before the first with them; and what they are, as rows of `KINDS`."""
        own = self.courses[course % len(self.courses)]
        first = self.period * (a // self.period - 1)
        many = int((b - first) // self.period) + 1
        start = np.array([s for s, _ in own], float)
        at = (first + self.period * np.arange(many)[:, None] + start).ravel()
        kind = np.tile([KINDS.index(kind) for _, kind in own], many)
        low = max(0, int(np.searchsorted(at, a + 1e-6)) - 1)
        high = int(np.searchsorted(at, b - 1e-6))
        return at[low:high], kind[low:high]


_STRETCHERS: Course = ((0, "stretcher"),)
_HALF: Course = ((6, "stretcher"),)
_THIRD: Course = ((4, "stretcher"),)
_HEADERS: tuple[Course, ...] = (((0, "header"),), ((3, "header"),))
_ACROSS: Course = ((3, "header"), (9, "header"))

BONDS: dict[BondName, Bond] = {
    "running": Bond(12, (_STRETCHERS, _HALF)),
    "third": Bond(12, (_STRETCHERS, _THIRD), 4),
    "stack": Bond(12, (_STRETCHERS,), 12),
    "header": Bond(6, _HEADERS, headers=True),
    "english": Bond(12, (_STRETCHERS, _ACROSS), headers=True),
    "garden": Bond(12, (_STRETCHERS, _HALF, _STRETCHERS, _ACROSS), headers=True),
    "flemish": Bond(
        18,
        (((0, "stretcher"), (12, "header")), ((3, "header"), (9, "stretcher"))),
        headers=True,
    ),
    "pierced": Bond(18, (((0, "stretcher"), (12, "none")), ((3, "none"), (9, "stretcher")))),
}
"""By name."""
