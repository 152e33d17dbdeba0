"""Walls and brick runs: all of one laid anew, one knot of it dragged, and a path across it moved."""

from __future__ import annotations

from itertools import count
from typing import Any

import numpy as np
from rich.table import Table

from bench.table import median, row
from plough.core.scene import Evaluator, SceneDocument, read_document

_YARDSTICK = "one pass of numpy.sqrt over 10 M"
_LINE = [[6.0 * k - 24.0, 1.5 * (k % 2)] for k in range(9)]


def scene(path: float = 90.0, kind: str = "wall", **own: Any) -> SceneDocument:
    """A wall of 48 m on hills, and a path across it or beyond."""
    return read_document(
        {
            "version": 4,
            "name": "Bench",
            "assets": [],
            "layers": [
                {
                    "id": "ground",
                    "kind": "ground",
                    "name": "Ground",
                    "parameters": {"size": 256, "resolution": 1},
                },
                {
                    "id": "way",
                    "kind": "path",
                    "name": "Way",
                    "parameters": {"points": [[path, -40], [path, 40]], "width": 2},
                },
                {
                    "id": "wall",
                    "kind": kind,
                    "name": "Wall",
                    "parameters": {"points": _LINE, **own},
                },
                {"id": "bake", "kind": "bake", "name": "Bake"},
            ],
        }
    )


def laid(evaluator: Evaluator, document: SceneDocument) -> int:
    """Triangles of the wall."""
    found = evaluator.evaluate(document).layer("wall").output
    return sum(s.mesh.triangles for s in found.solids)


def wall_rows(into: Table) -> None:
    """A wall of some 2,000 stones."""
    numbers = np.arange(10_000_000, dtype=np.float64)
    passes = median(lambda: np.sqrt(numbers), 5)
    seeds = count(1)
    for told, own in (
        ("a wall of 48 m, courses", {"bond": "courses", "sizes": [17, 30]}),
        ("a wall of 48 m, rubble", {"bond": "rubble", "sizes": [17, 30]}),
        ("a brick run of 48 m, 2,500 blocks", {"kind": "bricks", "bond": "running", "courses": 8}),
    ):
        evaluator = Evaluator()
        laid(evaluator, scene(**own))

        def anew(own: Any = own, evaluator: Evaluator = evaluator) -> None:
            laid(evaluator, scene(seed=next(seeds), **own))

        row(into, f"{told}, laid anew", median(anew, 7), _YARDSTICK, passes, "≤ 150 ms")

        def dragged(own: Any = own, evaluator: Evaluator = evaluator) -> None:
            moved = [list(p) for p in _LINE]
            moved[4][1] += 0.01 * next(seeds)
            laid(evaluator, scene(points=moved, **own))

        row(into, "one knot of it dragged", median(dragged, 9), _YARDSTICK, passes, "≤ 60 ms")

        def crossed(own: Any = own, evaluator: Evaluator = evaluator) -> None:
            laid(evaluator, scene(path=4.0 + 0.01 * next(seeds), **own))

        row(into, "a path across it moved", median(crossed, 9), _YARDSTICK, passes, "≤ 60 ms")
