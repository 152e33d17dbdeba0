"""The table of placements: one line each, in the order of layers and tiles; numbers read back as the same floats."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
import orjson

from plough.core.library.variants import Variant
from plough.core.place.placements import Placements

COLUMNS = "id,layer,asset,variant,px,py,pz,rx,ry,rz,rw,sx,sy,sz"
NOTES = "notes"  #: one more column, where there are any


def quoted(notes: Mapping[str, str]) -> str:
    """Notes as one field of the table: JSON, quoted as in RFC 4180; empty where there are none."""
    return '"' + orjson.dumps(notes).decode().replace('"', '""') + '"' if notes else ""


def table_lines(
    layer: str,
    variants: Sequence[Variant],
    placed: Placements,
    notes: Sequence[Mapping[str, str]] | None = None,
) -> Iterable[str]:
    """A line for each placement.

    Args:
        notes: of each variant, for one more column.
    """
    names = [f"{layer},{v.asset},{v.called}" for v in variants]
    ends = [""] * len(variants) if notes is None else [f",{quoted(n)}" for n in notes]
    numbers = np.concatenate([placed.position, placed.rotation, placed.scale], axis=1)
    for code, row, values in zip(
        placed.ids.tolist(), placed.variant.tolist(), numbers.tolist(), strict=True
    ):
        yield f"{code:016x},{names[row]},{','.join(f'{v:.9g}' for v in values)}{ends[row]}"
