"""Stones: one made, pushed apart, dropped; and a sheet laid over a thing."""

from __future__ import annotations

from itertools import count

import numpy as np
from rich.table import Table
from scipy.spatial import ConvexHull, cKDTree
from scipy.spatial.transform import Rotation

from bench.table import median, row
from plough.core.kinds import make
from plough.core.place.apart import push_apart
from plough.core.place.bodies import Body, Shapes, Stood
from plough.core.place.placements import Placements
from plough.core.presets import preset


def heaped(many: int) -> tuple[Placements, Stood]:
    """Stones thrown together, some two in each other."""
    rng = np.random.default_rng(1)
    stones = [rng.normal(size=(24, 3)) * rng.uniform(0.2, 0.5, 3) for _ in range(6)]
    hulls = [s[ConvexHull(s).vertices] for s in stones]
    wide = 8.0 * (many / 500) ** 0.5
    heap = Placements(
        np.arange(many, dtype=np.uint64),
        rng.integers(0, 6, many).astype(np.uint32),
        (rng.uniform(-1, 1, (many, 3)) * [wide, 1, wide]).astype(np.float32),
        Rotation.random(many, rng=rng).as_quat().astype(np.float32),
        np.ones((many, 3), np.float32),
    )
    return heap, Shapes.of([[Body(h)] for h in hulls]).stood(heap)


def heap_rows(into: Table) -> None:
    """Stones pushed apart, dropped, and made; a sheet laid."""
    for many, aim in ((500, ""), (2000, "≤ 2 s")):
        heap, stood = heaped(many)
        tree = cKDTree(heap.position)
        free = np.ones(many, bool)
        near = median(lambda tree=tree: tree.query_pairs(1.5), 9)
        pushed = median(lambda stood=stood, free=free: push_apart(stood, len(free), free), 3)
        told = "their neighbours, by a tree"
        row(into, f"{many:,} stones in a heap pushed apart", pushed, told, near, aim)
    lent = {"kind": "rock", "version": 1, "parameters": preset("scree").parameters}
    parts = [{"id": "p", "asset": "scree", "lent": lent}]
    seeds = count(1)

    def dropped() -> None:
        make("heap", {"parts": parts, "count": 200, "radius": 1.0}, next(seeds))

    row(into, "200 stones dropped and settled", median(dropped, 3), told, near, "≤ 5 s")
    boulder = {**preset("field-boulder").parameters, "triangles": 3000}

    def rock() -> None:
        make("rock", boulder, next(seeds))

    row(into, "a boulder of 3,000 triangles", median(rock, 15), told, near, "≤ 60 ms")
    barrel = {"kind": "vessel", "version": 1, "parameters": preset("barrel").parameters}
    under = [{"id": "p", "asset": "barrel", "lent": barrel}]

    def laid() -> None:
        own = {"hung": "over", "body": "things", "parts": under, "wide": 2 + 1e-4 * next(seeds)}
        make("cloth", own, 1)

    row(into, "a sheet of 40 points laid over a barrel", median(laid, 5), told, near)
