"""The table that is printed: what takes how long, beside a yardstick of the same run."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from typing import Any

from rich.table import Table


def median(work: Callable[[], Any], runs: int = 7) -> float:
    """Seconds, after one run that is not counted."""
    work()
    times = []
    for _ in range(runs):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return statistics.median(times)


def table() -> Table:
    return Table("what", "takes", "yardstick", "takes ", "ratio", "aim", box=None)


def row(
    into: Table, what: str, seconds: float, yardstick: str, other: float, aim: str = ""
) -> None:
    into.add_row(
        what,
        f"{seconds * 1e3:.1f} ms",
        yardstick,
        f"{other * 1e3:.2f} ms",
        f"{seconds / other:.2f}",
        aim,
    )
