"""Meshes of colliders."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float32, Float64
from plough.core.collider import Capsule, Collider
from plough.core.mesh.value import Mesh, Part
from plough.core.vectors import across

_SIDES, _RINGS = 8, 2


def _frame(capsule: Capsule) -> tuple[Float64, Float64, float]:
    a, b = np.array(capsule.start), np.array(capsule.end)
    axis = b - a
    length = float(np.linalg.norm(axis))
    y = axis / max(length, 1e-9)
    z, x = across(y)
    return a, np.stack([x, y, z]), length


def _closed(positions: Float64, faces: list[tuple[int, int, int]]) -> Mesh:
    p = positions.astype(np.float32)
    centre = p.mean(axis=0)
    normals = p - centre
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    indices = np.array(faces, np.uint32)
    return Mesh(
        p, normals, np.zeros((len(p), 2), np.float32), indices, (Part("collider", 0, len(indices)),)
    )


def capsule_mesh(capsule: Capsule) -> Mesh:
    """A watertight rounded rod; its surface is at most the capsule's."""
    a, (x, y, z), length = _frame(capsule)
    rows: list[tuple[float, float]] = []  # (height, radius)
    for k in range(1, _RINGS + 1):
        angle = 0.5 * math.pi * k / _RINGS
        rows.append((-capsule.radius * math.cos(angle), capsule.radius * math.sin(angle)))
    rows += [(length - h, r) for h, r in reversed(rows)]
    around = np.arange(_SIDES) * 2 * math.pi / _SIDES
    rings = [
        a + h * y + r * (np.cos(around)[:, None] * x + np.sin(around)[:, None] * z) for h, r in rows
    ]
    points = np.concatenate([*rings, [a - capsule.radius * y], [a + (length + capsule.radius) * y]])
    faces: list[tuple[int, int, int]] = []
    low, high = len(points) - 2, len(points) - 1
    for s in range(_SIDES):
        n = (s + 1) % _SIDES
        faces.append((low, s, n))
        for k in range(len(rows) - 1):
            i, j = k * _SIDES, (k + 1) * _SIDES
            faces += [(i + s, j + s, i + n), (i + n, j + s, j + n)]
        top = (len(rows) - 1) * _SIDES
        faces.append((high, top + n, top + s))
    return _closed(points, faces)


def box_mesh(capsule: Capsule) -> Mesh:
    """The box about the rod of `capsule`."""
    a, (x, y, z), length = _frame(capsule)
    r = capsule.radius
    corners = [
        a + sx * r * x + (length + r if top else -r) * y + sz * r * z
        for top in (0, 1)
        for sx, sz in ((-1, -1), (1, -1), (1, 1), (-1, 1))
    ]
    quads = [(0, 1, 2, 3), (7, 6, 5, 4), (0, 4, 5, 1), (1, 5, 6, 2), (2, 6, 7, 3), (3, 7, 4, 0)]
    return _closed(
        np.array(corners), [f for q in quads for f in ((q[0], q[1], q[2]), (q[0], q[2], q[3]))]
    )


def convex_mesh(corners: Float32) -> Mesh:
    """The convex hull of `corners` (n, 3), its faces outwards."""
    from scipy.spatial import ConvexHull

    hull = ConvexHull(corners.astype(np.float64))
    used, faces = np.unique(hull.simplices, return_inverse=True)
    points = hull.points[used]
    faces = faces.reshape(-1, 3)
    a, b, c = (points[faces[:, k]] for k in range(3))
    inward = np.einsum("ij,ij->i", np.cross(b - a, c - a), hull.equations[:, :3]) < 0
    faces[inward] = faces[inward][:, ::-1]
    return _closed(points, [(int(i), int(j), int(k)) for i, j, k in faces])


def collider_meshes(collider: Collider) -> list[Mesh]:
    """A closed mesh for every body of `collider`."""
    return [*map(capsule_mesh, collider.capsules), *map(convex_mesh, collider.pieces)]


def box_meshes(collider: Collider) -> list[Mesh]:
    """A box about every body of `collider`."""
    return [
        *map(box_mesh, collider.capsules),
        *(convex_mesh(_corners(piece)) for piece in collider.pieces),
    ]


def _corners(points: Float32) -> Float32:
    low, high = points.min(axis=0), points.max(axis=0)
    return np.array(
        [
            [(low, high)[i][0], (low, high)[j][1], (low, high)[k][2]]
            for i in (0, 1)
            for j in (0, 1)
            for k in (0, 1)
        ],
        np.float32,
    )
