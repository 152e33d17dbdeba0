"""The table of placements: one line each, in the order of layers and tiles; numbers read back as the same floats."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from plough.core.library.variants import Variant
from plough.core.place.placements import Placements

COLUMNS = "id,layer,asset,variant,px,py,pz,rx,ry,rz,rw,sx,sy,sz"


def table_lines(layer: str, variants: Sequence[Variant], placed: Placements) -> Iterable[str]:
    """A line for each placement."""
    names = [f"{layer},{v.asset},{v.seed}" for v in variants]
    numbers = np.concatenate([placed.position, placed.rotation, placed.scale], axis=1)
    for code, row, values in zip(
        placed.ids.tolist(), placed.variant.tolist(), numbers.tolist(), strict=True
    ):
        yield f"{code:016x},{names[row]},{','.join(f'{v:.9g}' for v in values)}"
