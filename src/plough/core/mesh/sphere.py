"""Balls."""

from __future__ import annotations

import math
from functools import cache

import numpy as np

from plough.core.arrays import Float64, Int64


def icosphere(subdivisions: int) -> tuple[Float64, Int64]:
    """Corners (n, 3) on the unit sphere and faces (m, 3), counter-clockwise from outside: 20 faces, four times as many for each subdivision."""
    g = (1.0 + math.sqrt(5.0)) / 2.0
    points = [
        np.array(p, np.float64)
        for p in (
            (-1, g, 0),
            (1, g, 0),
            (-1, -g, 0),
            (1, -g, 0),
            (0, -1, g),
            (0, 1, g),
            (0, -1, -g),
            (0, 1, -g),
            (g, 0, -1),
            (g, 0, 1),
            (-g, 0, -1),
            (-g, 0, 1),
        )
    ]
    faces = [
        (0, 11, 5),
        (0, 5, 1),
        (0, 1, 7),
        (0, 7, 10),
        (0, 10, 11),
        (1, 5, 9),
        (5, 11, 4),
        (11, 10, 2),
        (10, 7, 6),
        (7, 1, 8),
        (3, 9, 4),
        (3, 4, 2),
        (3, 2, 6),
        (3, 6, 8),
        (3, 8, 9),
        (4, 9, 5),
        (2, 4, 11),
        (6, 2, 10),
        (8, 6, 7),
        (9, 8, 1),
    ]
    for _ in range(subdivisions):
        middle: dict[tuple[int, int], int] = {}
        finer = []
        for a, b, c in faces:
            edge = []
            for i, j in ((a, b), (b, c), (c, a)):
                key = (min(i, j), max(i, j))
                if key not in middle:
                    middle[key] = len(points)
                    points.append(0.5 * (points[i] + points[j]))
                edge.append(middle[key])
            ab, bc, ca = edge
            finer += [(a, ab, ca), (b, bc, ab), (c, ca, bc), (ab, bc, ca)]
        faces = finer
    unit = np.array(points)
    return unit / np.linalg.norm(unit, axis=1, keepdims=True), np.array(faces, np.int64)


@cache
def geodesic(frequency: int) -> tuple[Float64, Int64]:
    """Corners (n, 3) on the unit sphere and faces (m, 3) of an icosahedron whose edges are divided in `frequency`: 20 times its square."""
    corners, faces = icosphere(0)
    f = frequency
    i, j = (a.reshape(-1) for a in np.meshgrid(np.arange(f + 1), np.arange(f + 1), indexing="ij"))
    inside = i + j <= f
    i, j = i[inside], j[inside]
    row = np.full((f + 2, f + 2), -1, np.int64)
    row[i, j] = np.arange(len(i))
    share = np.stack([f - i - j, i, j], axis=1) / f
    points = np.einsum("pk,mkc->mpc", share, corners[faces]).reshape(-1, 3)
    low = i + j < f
    up = np.stack([row[i, j], row[i + 1, j], row[i, j + 1]], axis=1)[low]
    low = i + j < f - 1
    down = np.stack([row[i + 1, j], row[i + 1, j + 1], row[i, j + 1]], axis=1)[low]
    each = np.concatenate([up, down])
    every = (each[None] + len(i) * np.arange(len(faces))[:, None, None]).reshape(-1, 3)
    # corners and edges are shared by several faces
    _, first, same = np.unique(
        np.rint(points * 1e6).astype(np.int64), axis=0, return_index=True, return_inverse=True
    )
    points = points[first]
    return points / np.linalg.norm(points, axis=1, keepdims=True), same.reshape(-1)[every]
