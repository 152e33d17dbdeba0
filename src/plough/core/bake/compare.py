"""Two bakes of one scene side by side: what of layers, assets and placements is another, and what each weighs."""

from __future__ import annotations

import io
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
import orjson

from plough.core.arrays import Bool, Float32, Int64, UInt64
from plough.core.bake.frame import Frame
from plough.core.bake.table import NUMBERS
from plough.core.scene.document import Asset, Layer, SceneDocument

STILL = 1e-3  #: metres to a side; what is off by no more has not moved
SEATED = 0.05  #: metres up or down; by so much ground that is written anew may seat it otherwise
Change = Literal["same", "values", "result", "added", "removed"]


@dataclass(frozen=True, slots=True)
class Table:
    """The placements of a bake."""

    ids: UInt64  #: (n,)
    layer: Any  #: (n,) ids
    thing: Any  #: (n,) asset and variant
    numbers: Float32  #: (n, 10) position, rotation, scale


@dataclass(frozen=True, slots=True)
class Baked:
    """A bake: the document that it was made of, its manifest, and its table."""

    document: SceneDocument
    manifest: Mapping[str, Any]
    table: Table


@dataclass(frozen=True, slots=True)
class ValueChange:
    """A value that is another; None where it was left to its default."""

    path: str
    before: Any
    after: Any


@dataclass(frozen=True, slots=True)
class LayerChange:
    """What became of a layer."""

    id: str
    name: str
    kind: str
    change: Change  #: `result` where its own values are the same, and what it came to is not
    values: list[ValueChange] = field(default_factory=list)
    before: int = 0  #: placements
    after: int = 0
    added: int = 0
    removed: int = 0
    moved: int = 0
    altered: int = 0  #: turned, of another size or another variant, in the same place


@dataclass(frozen=True, slots=True)
class AssetChange:
    """What became of an asset."""

    id: str
    name: str
    change: Change
    values: list[ValueChange]
    before: int  #: triangles of the nearest level, over its variants
    after: int


@dataclass(frozen=True, slots=True)
class Compared:
    """What differs between two bakes."""

    layers: list[LayerChange]
    assets: list[AssetChange]
    weight: list[tuple[str, int, int]]  #: what, before, after
    added: Float32  #: (n, 3) places, in metres
    removed: Float32  #: (n, 3)
    moved: Float32  #: (n, 6) from and to


def read_table(data: bytes, path: str, frame: Frame = Frame()) -> Table:
    """A table of placements, in the format that its path ends with, that was written in `frame`."""
    import pyarrow as pa
    import pyarrow.csv as pc
    import pyarrow.json as pj
    import pyarrow.parquet as pq

    if path.endswith(".parquet"):
        found = pq.read_table(io.BytesIO(data))
    elif path.endswith(".csv"):
        text = {name: pa.string() for name in ("id", "layer", "asset", "variant", "notes")}
        numbers = {name: pa.float32() for name in NUMBERS}
        convert = pc.ConvertOptions(column_types=text | numbers)
        found = pc.read_csv(io.BytesIO(data), convert_options=convert)
    elif data:
        block = pj.ReadOptions(block_size=1 << 24)
        found = pj.read_json(io.BytesIO(data), read_options=block)
    else:
        return Table(
            np.empty(0, np.uint64),
            np.empty(0, object),
            np.empty(0, object),
            np.empty((0, 10), np.float32),
        )
    words = {
        n: np.array(found.column(n).to_pylist(), object) for n in ("layer", "asset", "variant")
    }
    ids = found.column("id").to_pylist()
    codes = [int(i, 16) if isinstance(i, str) else i for i in ids]
    if path.endswith(".jsonl"):
        groups = [found.column(n).to_pylist() for n in ("position", "rotation", "scale")]
        rows = np.concatenate(
            [np.array(g, np.float32).reshape(len(ids), -1) for g in groups], axis=1
        )
    else:
        rows = np.stack([found.column(n).to_numpy() for n in NUMBERS], axis=1).astype(np.float32)
    things = words["asset"] + " " + words["variant"]
    return Table(np.array(codes, np.uint64), words["layer"], things, frame.rows(rows))


def compare(before: Baked, after: Baked) -> Compared:
    """What is another in `after` than in `before`.

    Placements are told apart by their ids: what has the same id and stands elsewhere has moved.
    """
    a, b = before.table, after.table
    _, at_a, at_b = np.intersect1d(a.ids, b.ids, return_indices=True)
    gone, new = np.ones(len(a.ids), bool), np.ones(len(b.ids), bool)
    gone[at_a], new[at_b] = False, False
    step = np.abs(a.numbers[at_a, :3] - b.numbers[at_b, :3])
    away = (step > [STILL, SEATED, STILL]).any(axis=1)
    turned = np.abs(a.numbers[at_a, 3:] - b.numbers[at_b, 3:]).max(axis=1, initial=0.0) > 1e-5
    altered = ~away & (turned | (a.thing[at_a] != b.thing[at_b]))
    counts = _Counts(a, b, gone, new, at_b[away], at_b[altered])
    moved = np.concatenate([a.numbers[at_a[away], :3], b.numbers[at_b[away], :3]], axis=1)
    return Compared(
        layers=_layers(before, after, counts),
        assets=_assets(before, after),
        weight=_weight(before.manifest, after.manifest),
        added=b.numbers[new, :3],
        removed=a.numbers[gone, :3],
        moved=moved,
    )


@dataclass(frozen=True, slots=True)
class _Counts:
    """Rows of two tables by what became of them."""

    a: Table
    b: Table
    gone: Bool
    new: Bool
    moved: Int64  # rows of b
    altered: Int64

    def of(self, layer: str) -> dict[str, int]:
        here, there = self.a.layer == layer, self.b.layer == layer
        return {
            "before": int(here.sum()),
            "after": int(there.sum()),
            "removed": int((here & self.gone).sum()),
            "added": int((there & self.new).sum()),
            "moved": int(there[self.moved].sum()),
            "altered": int(there[self.altered].sum()),
        }


def _layers(before: Baked, after: Baked, counts: _Counts) -> list[LayerChange]:
    old = {x.id: x for x in before.document.layers}
    new = {x.id: x for x in after.document.layers}
    keys = [{x["id"]: x["key"] for x in m["layers"]} for m in (before.manifest, after.manifest)]
    out = []
    for name in _in_order([*new], [*old]):
        a, b = old.get(name), new.get(name)
        told = b or a
        assert told is not None
        values = changes(_layer_values(a), _layer_values(b)) if a and b else []
        change: Change = "added" if a is None else "removed" if b is None else "same"
        if a and b and values:
            change = "values"
        elif a and b and keys[0].get(name) != keys[1].get(name):
            change = "result"
        out.append(LayerChange(name, told.name, told.kind, change, values, **counts.of(name)))
    return out


def _layer_values(layer: Layer) -> dict[str, Any]:
    plain = layer.model_dump(mode="json", exclude={"id", "kind", "parameters"})
    return plain | dict(layer.parameters)


def _asset_values(asset: Asset) -> dict[str, Any]:
    plain = asset.model_dump(mode="json", exclude={"id", "kind", "parameters"})
    return plain | dict(asset.parameters)


def _assets(before: Baked, after: Baked) -> list[AssetChange]:
    old = {x.id: x for x in before.document.assets}
    new = {x.id: x for x in after.document.assets}
    weights = [_triangles(m) for m in (before.manifest, after.manifest)]
    out = []
    for name in _in_order([*new], [*old]):
        a, b = old.get(name), new.get(name)
        told = b or a
        assert told is not None
        values = changes(_asset_values(a), _asset_values(b)) if a and b else []
        change: Change = "added" if a is None else "removed" if b is None else "same"
        if values:
            change = "values"
        weight = [w.get(name, 0) for w in weights]
        if change == "same" and weight[0] != weight[1]:
            change = "result"
        out.append(AssetChange(name, told.name, change, values, weight[0], weight[1]))
    return out


def _triangles(manifest: Mapping[str, Any]) -> dict[str, int]:
    out: dict[str, int] = {}
    for entry in manifest["assets"]:
        out[entry["asset"]] = out.get(entry["asset"], 0) + entry["triangles"][0]
    return out


def _weight(a: Mapping[str, Any], b: Mapping[str, Any]) -> list[tuple[str, int, int]]:
    """Counts, and bytes by folder."""
    counts = _in_order([*b["counts"]], [*a["counts"]])
    out = [(n, a["counts"].get(n, 0), b["counts"].get(n, 0)) for n in counts]
    sizes = [_bytes(m) for m in (a, b)]
    folders = _in_order([*sizes[1]], [*sizes[0]])
    return out + [(n, sizes[0].get(n, 0), sizes[1].get(n, 0)) for n in folders]


def _bytes(manifest: Mapping[str, Any]) -> dict[str, int]:
    out: dict[str, int] = {}
    for entry in manifest["files"]:
        path = entry["path"]
        name = f"bytes in {path.split('/', maxsplit=1)[0]}/" if "/" in path else f"bytes of {path}"
        out[name] = out.get(name, 0) + entry["bytes"]
    return out


def _in_order(new: Sequence[str], old: Sequence[str]) -> list[str]:
    """All of the new, then those that are not there any more."""
    return [*new, *(name for name in old if name not in new)]


def changes(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[ValueChange]:
    """The leaves of two trees that differ, by path."""
    a, b = dict(_leaves(before)), dict(_leaves(after))
    return [
        ValueChange(path, a.get(path), b.get(path))
        for path in _in_order([*b], [*a])
        if orjson.dumps(a.get(path)) != orjson.dumps(b.get(path))
    ]


def _leaves(tree: Mapping[str, Any], prefix: str = "") -> Iterator[tuple[str, Any]]:
    for key, value in tree.items():
        if isinstance(value, Mapping):
            yield from _leaves(value, f"{prefix}{key}.")
        else:
            yield f"{prefix}{key}", value
