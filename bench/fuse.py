"""Fuse: a heap of rocks made one skin."""

from __future__ import annotations

from itertools import count
from typing import Any

import numpy as np
from rich.table import Table

from bench.table import median, row
from plough.core.kinds import make

_YARDSTICK = "one pass of numpy.sqrt over 10 M"
_ROCK = {"kind": "rock", "version": 1, "parameters": {"triangles": 3000}}
_PLACES = [(0.9 * (k % 2), 0.5 * (k // 4), 0.9 * (k // 2 % 2)) for k in range(8)]


def skin(**own: Any) -> int:
    """Triangles of eight rocks as one."""
    parts = [
        {"id": f"r{k}", "asset": "r", "seed": k, "at": list(at), "lent": _ROCK}
        for k, at in enumerate(_PLACES)
    ]
    return int(make("fused", {"parts": parts, **own}, 1).mesh.triangles)


def fuse_rows(into: Table) -> None:
    """Skins on grids of 128 and of 256 cells along the longest side."""
    numbers = np.arange(10_000_000, dtype=np.float64)
    passes = median(lambda: np.sqrt(numbers), 5)
    grow = count(1)
    for told, own, aim in (
        ("eight rocks fused, 128 cells along", {"steps": "medium"}, ""),
        ("the same, 256 cells, no fewer on flat parts", {"steps": "fine", "flat": 0}, "≤ 6 s"),
        ("the same, fewer on flat parts", {"steps": "fine"}, ""),
    ):

        def anew(own: Any = own) -> None:
            skin(**own, grow=0.5 + 1e-4 * next(grow))

        row(into, told, median(anew, 3), _YARDSTICK, passes, aim)
