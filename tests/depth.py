"""How many random examples a test takes: few each time, all of them when asked for by `./plough test thorough`."""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import TypeVar

T = TypeVar("T")
THOROUGH = bool(os.environ.get("PLOUGH_THOROUGH"))
_SHARE = 6  #: of the examples, one each time


def examples(wanted: int) -> int:
    """So many examples, or a sixth of them and at least two."""
    return wanted if THOROUGH else max(min(2, wanted), -(-wanted // _SHARE))


def some(cases: Sequence[T], least: int = 4) -> list[T]:
    """All cases, or a sixth of them, evenly chosen, and at least `least`."""
    if THOROUGH or len(cases) <= least:
        return list(cases)
    wanted = max(least, -(-len(cases) // _SHARE))
    return [cases[k * len(cases) // wanted] for k in range(wanted)]
