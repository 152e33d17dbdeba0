"""Houses: raised from parameters, and roofs over outlines of any form."""

from __future__ import annotations

from itertools import count

import numpy as np
from rich.table import Table

from bench.table import median, row
from plough.core.house.roof import Piece, roof_over
from plough.core.kinds import make

_YARDSTICK = "one pass of numpy.sqrt over 10 M"
_HOUSE = {"kit": "flint", "body": "tee", "long": 16, "wide": 7, "wing": 6, "storeys": 2}


def house_rows(into: Table) -> None:
    """A house of some forty openings, and a hundred roofs."""
    numbers = np.arange(10_000_000, dtype=np.float64)
    passes = median(lambda: np.sqrt(numbers), 5)
    seeds = count(1)
    openings = make("building", _HOUSE, 1).counts["openings"]

    def raised() -> None:
        make("building", {**_HOUSE, "door": 0.4 + 1e-6 * next(seeds)}, 1)

    told = f"a house with {openings} openings, all of it in one mesh"
    row(into, told, median(raised, 15), _YARDSTICK, passes, "≤ 10 ms")
    rng = np.random.default_rng(1)
    outlines = []
    for _ in range(100):
        angle = np.sort(rng.uniform(0, 2 * np.pi, 12))
        outlines.append((rng.uniform(3, 9, 12) * np.stack([np.cos(angle), np.sin(angle)])).T)
    roof_over([outlines[0]], [[Piece(0.0, 1.0)]] * 12)

    def roofs() -> None:
        for outline in outlines:
            roof_over([outline], [[Piece(0.0, 1.0)]] * 12)

    row(into, "a hundred roofs over twelve corners each", median(roofs, 7), _YARDSTICK, passes)
