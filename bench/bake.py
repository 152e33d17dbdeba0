"""Bakes: of the demo, by layout and by part, and of grounds of one, four and sixteen times the size.

``./plough bench bake`` prints these alone.
"""

from __future__ import annotations

import tempfile
import time
from collections import defaultdict
from pathlib import Path
from typing import Any

import numpy as np
from rich.console import Console
from rich.table import Table

from bench.sheets import sheet_rows
from bench.table import median, row, table
from plough.core.bake.bundle import Baker
from plough.core.bake.folder import opened, workers_of
from plough.core.bake.graph import Graph
from plough.core.bake.kept import Kept
from plough.core.cache import Cache
from plough.core.demo import demo_file, teasel_fen
from plough.core.library import Library
from plough.core.scene import Evaluation, Evaluator, SceneDocument, read_document

_KINDS = ("tuft", "shrub", "leaf", "rock", "plant")
_ASSETS = 40
_SIDES = (1024, 2048, 4096)  # metres: 1, 4 and 16 km²


def _baking(document: SceneDocument, **asked: Any) -> SceneDocument:
    *layers, last = document.layers
    last = last.model_copy(update={"parameters": {**last.parameters, **asked}})
    return document.model_copy(update={"layers": (*layers, last)})


def _baked(evaluation: Evaluation, library: Library) -> tuple[float, dict[str, float], Baker]:
    """Seconds, also by sort of part, and what baked."""
    baker = Baker(evaluation, library)
    parts: dict[str, float] = defaultdict(float)
    began = time.perf_counter()
    for name, _ in baker.run():
        if name in baker.done:
            parts[name.split(" ")[0].split("/")[0]] += baker.done[name].seconds
    return time.perf_counter() - began, parts, baker


def bake_rows(into: Table) -> None:
    """The demo in each layout, and tiles of larger and larger grounds."""
    document = teasel_fen()
    evaluator = Evaluator(Library(load=demo_file))
    evaluator.evaluate(document)
    library = evaluator.library
    files: dict[str, bytes] = {}
    for layout in ("whole", "tiles", "tileset"):
        evaluation = evaluator.evaluate(_baking(document, layout=layout))
        _baked(evaluation, library)  # textures are drawn
        seconds, parts, baker = _baked(evaluation, library)
        size = sum(s.bytes for s in baker.files.values())
        files = files or baker.contents
        data = np.zeros(size, np.uint8)
        copy = median(lambda data=data: data.copy(), 5)
        yardstick = f"a copy of its {size / 1e6:.0f} MB"
        row(into, f"the demo baked as {layout}, all made before", seconds, yardstick, copy)
        longest = sorted(parts.items(), key=lambda p: -p[1])[:3]
        for name, part in longest:
            row(into, f"  of it {name}", part, yardstick, copy)
    size = sum(map(len, files.values()))
    copy = median(lambda: np.zeros(size, np.uint8).copy(), 5)
    with tempfile.TemporaryDirectory() as folder:
        kept = Kept(Path(folder) / "kept")
        piece = kept.keep("demo", files)
        again = median(lambda: [kept.read(s) for s in piece.files.values()], 5)
    row(into, "the same from where it is kept", again, f"a copy of its {size / 1e6:.0f} MB", copy)
    sheet_rows(into)
    _size_rows(into)


def _fen(side: int) -> SceneDocument:
    """A square of hills with forty assets of a density that hangs on nothing."""
    assets = [
        {"id": f"a{k}", "name": f"Thing {k}", "kind": _KINDS[k % len(_KINDS)], "seeds": [1 + k]}
        for k in range(_ASSETS)
    ]
    ground = {"made_from": "noise", "size": side, "resolution": 2}
    layers = [("ground", "ground", ground)]
    for k in range(0, _ASSETS, 5):
        mix = [{"asset": a["id"]} for a in assets[k : k + 5]]
        layers.append((f"s{k}", "scatter", {"mix": mix, "spacing": 2.6, "fill": 60.0}))
    bake = {"layout": "tiles", "textures": False, "splat": "none", "table": "parquet"}
    layers.append(("bake", "bake", bake))
    return read_document(
        {
            "version": 4,
            "name": f"{side} m",
            "assets": assets,
            "layers": [
                {"id": i, "kind": k, "name": i.title(), "parameters": p} for i, k, p in layers
            ],
        }
    )


def _size_rows(into: Table) -> None:
    """What a scene and a tile of it cost two processes, however many tiles there are."""
    first = 0.0
    for side in _SIDES:
        with opened(None, shared=True) as (pieces, folder):
            workers = workers_of(folder, None, 2, "")
            assert isinstance(workers, Graph)
            workers.client()
            library = Library(Cache(600_000_000))
            began = time.perf_counter()
            evaluation = Evaluator(library).evaluate(_fen(side))
            evaluated = time.perf_counter() - began
            baker = Baker(evaluation, library, (), pieces, workers)
            began = time.perf_counter()
            for _ in baker.run():
                pass
            baked = time.perf_counter() - began
            workers.close()
        placed = [r.output.placements.count for r in evaluation.layers if r.output.placements]
        many = len(baker.tiles.squares)
        each = baked / many
        first = first or each
        told = f"{side**2 / 1e6:.0f} km², {sum(placed) / 1e6:.2f} M placements: baked in {baked:.0f} s after {evaluated:.0f} s, a tile of {many}"
        row(into, told, each, "a tile of the smallest", first, "≤ 1.2")


def main() -> None:
    """Print these rows alone."""
    out = table()
    bake_rows(out)
    Console(width=150).print(out)
