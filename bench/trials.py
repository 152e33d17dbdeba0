"""Things on faces, in the air, and trials of a number."""

from __future__ import annotations

import time

import numpy as np
import trimesh
from rich.table import Table

from bench.table import median, row
from plough.core.cache import Cache
from plough.core.demo import demo_file, teasel_fen
from plough.core.ground import HeightField
from plough.core.library import Library
from plough.core.mesh.value import Mesh, Part
from plough.core.place import Placements
from plough.core.place.faces import faces_of
from plough.core.place.placements import cut
from plough.core.place.upon import Bearers, UponRule, upon
from plough.core.scene import Evaluator
from plough.core.scene.document import with_layer
from plough.core.scene.trials import trials_of

_YARDSTICK = "one pass of numpy.sqrt over 10 M"


def _stones(count: int) -> Bearers:
    ball = trimesh.creation.icosphere(4, 0.7)
    points = np.array(ball.vertices, np.float32)
    faces = np.array(ball.faces, np.uint32)
    mesh = Mesh(
        points,
        np.array(ball.vertex_normals, np.float32),
        np.zeros((len(points), 2), np.float32),
        faces,
        (Part("stone", 0, len(faces)),),
    )
    places = np.random.default_rng(1).uniform(-200, 200, (count, 3)).astype(np.float32)
    places[:, 1] = 0.2
    placed = Placements(
        np.arange(count, dtype=np.uint64),
        np.zeros(count, np.uint32),
        places,
        np.tile(np.array([0, 0, 0, 1], np.float32), (count, 1)),
        np.ones((count, 3), np.float32),
    )
    return Bearers((faces_of(mesh, {}),), tuple(cut(placed)))


def trial_rows(into: Table) -> None:
    """Faces of stones, and five values of a number."""
    numbers = np.arange(10_000_000, dtype=np.float64)
    passes = median(lambda: np.sqrt(numbers), 5)
    flat = HeightField(np.zeros((129, 129), np.float32), 512.0)
    rule = UponRule(7, 0.16, np.full(1, 0.08, np.float32))
    upon(rule, [_stones(3)], flat)  # the kernels are there
    stones, cache = _stones(400), Cache()
    began = time.perf_counter()
    tiles = upon(rule, [stones], flat, cache)
    cold = time.perf_counter() - began
    count = sum(t.placements.count for t in tiles)
    triangles = 400 * len(stones.faces[0].names)
    what = f"{count:,} on 400 stones of {triangles:,} triangles, cold"
    row(into, what, cold, _YARDSTICK, passes)
    warm = median(lambda: upon(rule, [stones], flat, cache), 5)
    row(into, "the same, nothing changed", warm, "the same, cold", cold)

    document = teasel_fen()
    evaluator = Evaluator(Library(load=demo_file))
    evaluator.evaluate(document)
    for name, path in (("reeds", "spacing"), ("pears", "spacing"), ("moss", "fill")):
        layer = next(x for x in document.layers if x.id == name)
        began = time.perf_counter()
        for trial in trials_of(layer.kind, layer.parameters, path, 5)[1]:
            values = {**layer.parameters, **trial.parameters}
            evaluator.evaluate(
                with_layer(document, layer.model_copy(update={"parameters": values})), until=name
            )
        took = time.perf_counter() - began
        row(into, f"five trials: {path} of {layer.name}", took, _YARDSTICK, passes, "≤ 1 s")
