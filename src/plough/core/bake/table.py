"""The table of placements: one row each, in the order of layers and tiles; numbers read back as the same floats."""

from __future__ import annotations

import io
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import orjson

from plough.core.library.variants import Variant
from plough.core.place.placements import Placements

NUMBERS = ("px", "py", "pz", "rx", "ry", "rz", "rw", "sx", "sy", "sz")
COLUMNS = ",".join(("id", "layer", "asset", "variant", *NUMBERS))
NOTES = "notes"  #: one more column, where there are any
TableFormat = Literal["csv", "jsonl", "parquet"]


@dataclass(frozen=True, slots=True)
class Rows:
    """The placements of one tile of a layer."""

    layer: str
    variants: Sequence[Variant]
    placed: Placements
    notes: Sequence[Mapping[str, str]] | None  #: of each variant, where the table has notes

    def numbers(self) -> Any:
        """(n, 10) float32: position, rotation, scale."""
        p = self.placed
        return np.concatenate([p.position, p.rotation, p.scale], axis=1)


def quoted(notes: Mapping[str, str]) -> str:
    """Notes as one field of the table: JSON, quoted as in RFC 4180; empty where there are none."""
    return '"' + orjson.dumps(notes).decode().replace('"', '""') + '"' if notes else ""


def table_of(rows: Sequence[Rows], form: TableFormat, noted: bool) -> bytes:
    """The table as a file.

    Args:
        noted: whether it has a column of notes.
    """
    if form == "parquet":
        return _parquet(rows, noted)
    if form == "jsonl":
        return b"".join(line for r in rows for line in _json_lines(r))
    head = f"{COLUMNS},{NOTES}" if noted else COLUMNS
    return "".join(f"{line}\n" for line in (head, *(c for r in rows for c in _csv(r)))).encode()


def _csv(rows: Rows) -> Iterator[str]:
    """A line for each placement."""
    names = [f"{rows.layer},{v.asset},{v.called}" for v in rows.variants]
    notes = rows.notes
    ends = [""] * len(names) if notes is None else [f",{quoted(n)}" for n in notes]
    placed = rows.placed
    for code, row, values in zip(
        placed.ids.tolist(), placed.variant.tolist(), rows.numbers().tolist(), strict=True
    ):
        yield f"{code:016x},{names[row]},{','.join(f'{v:.9g}' for v in values)}{ends[row]}"


def _json_lines(rows: Rows) -> Iterator[bytes]:
    """A line for each placement: its names as in CSV, and position, rotation and scale as lists."""
    placed, notes = rows.placed, rows.notes
    names = [
        {"layer": rows.layer, "asset": v.asset, "variant": v.called}
        | ({NOTES: dict(notes[k])} if notes is not None and notes[k] else {})
        for k, v in enumerate(rows.variants)
    ]
    options = orjson.OPT_SERIALIZE_NUMPY | orjson.OPT_APPEND_NEWLINE
    for i, (code, row) in enumerate(zip(placed.ids.tolist(), placed.variant.tolist(), strict=True)):
        told = {
            "id": f"{code:016x}",
            **names[row],
            "position": placed.position[i],
            "rotation": placed.rotation[i],
            "scale": placed.scale[i],
        }
        yield orjson.dumps(told, option=options)


def _parquet(rows: Sequence[Rows], noted: bool) -> bytes:
    """Columns as in CSV; ids are unsigned 64-bit numbers, names dictionaries, numbers 32-bit floats."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    def named(of: Any) -> Any:
        known: dict[str, int] = {}
        codes = [
            np.array([known.setdefault(str(n), len(known)) for n in of(r)], np.int32)[
                r.placed.variant.astype(np.int64)
            ]
            for r in rows
        ]
        indices = np.concatenate([np.empty(0, np.int32), *codes])
        return pa.DictionaryArray.from_arrays(pa.array(indices), pa.array(list(known), pa.string()))

    ids = np.concatenate([np.empty(0, np.uint64), *(r.placed.ids for r in rows)])
    numbers = np.concatenate(
        [np.empty((0, len(NUMBERS)), np.float32), *(r.numbers() for r in rows)]
    )
    columns = {
        "id": pa.array(ids),
        "layer": named(lambda r: [r.layer] * len(r.variants)),
        "asset": named(lambda r: [v.asset for v in r.variants]),
        "variant": named(lambda r: [v.called for v in r.variants]),
        **{n: pa.array(np.ascontiguousarray(numbers[:, k])) for k, n in enumerate(NUMBERS)},
    }
    if noted:
        told = lambda n: orjson.dumps(dict(n)).decode() if n else ""  # noqa: E731
        columns[NOTES] = named(lambda r: [told(n) for n in r.notes or [{}] * len(r.variants)])  # type: ignore[no-untyped-call]
    out = io.BytesIO()
    pq.write_table(pa.table(columns), out, compression="zstd")
    return out.getvalue()
