"""When the interpreter looks for circles among its objects that nothing holds any more."""

from __future__ import annotations

import gc

_ALLOCATIONS, _YOUNG, _MIDDLE = 50_000, 20, 50


def collect_seldom() -> None:
    """Leave out what is there by now, and look at the rest less often: for processes that hold large scenes, where a look takes longer than an edit."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(_ALLOCATIONS, _YOUNG, _MIDDLE)
