"""What can be wrong with a mesh."""

from __future__ import annotations

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.mesh.value import Mesh


def triangle_areas(mesh: Mesh) -> Float64:
    """(m,) areas in square metres."""
    p = mesh.positions.astype(np.float64)
    a, b, c = (p[mesh.indices[:, k]] for k in range(3))
    return np.asarray(0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1))


def volume(mesh: Mesh) -> float:
    """Signed volume in cubic metres; positive for a closed mesh whose triangles face outwards."""
    p = mesh.positions.astype(np.float64)
    a, b, c = (p[mesh.indices[:, k]] for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6.0)


def welded(mesh: Mesh, tolerance: float = 1e-6) -> Int64:
    """(m, 3) triangles over vertices merged by position (seams of texture coordinates vanish)."""
    keys = np.round(mesh.positions.astype(np.float64) / tolerance).astype(np.int64)
    _, inverse = np.unique(keys, axis=0, return_inverse=True)
    return inverse.reshape(-1)[mesh.indices.astype(np.int64)]


def is_watertight(mesh: Mesh) -> bool:
    """True when every edge is shared by exactly two triangles that run along it in opposite directions."""
    faces = welded(mesh)
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    n = int(faces.max()) + 1 if faces.size else 0
    forward = np.sort(edges[:, 0] * n + edges[:, 1])
    backward = np.sort(edges[:, 1] * n + edges[:, 0])
    return bool(
        edges.size and np.array_equal(forward, backward) and np.unique(forward).size == forward.size
    )


def problems(mesh: Mesh, least_area: float = 1e-12) -> list[str]:
    """Sentences on what is wrong with `mesh`; empty when it is sound.

    Checked: finite values, indices in range, unit normals and tangents, parts that cover the triangles once, no triangle of zero area.
    """
    found: list[str] = []
    for name in ("positions", "normals", "uv0", "tangents"):
        array = getattr(mesh, name)
        if array is None:
            continue
        if array.shape[0] != mesh.vertices:
            found.append(f"{name} has {array.shape[0]} rows for {mesh.vertices} vertices")
        if not np.isfinite(array).all():
            found.append(f"{name} holds values that are not finite")
    if mesh.triangles and int(mesh.indices.max()) >= mesh.vertices:
        found.append(
            f"index {int(mesh.indices.max())} is out of range for {mesh.vertices} vertices"
        )
        return found
    lengths = np.linalg.norm(mesh.normals, axis=1)
    if mesh.vertices and np.abs(lengths - 1.0).max() > 1e-3:
        found.append("normals are not of unit length")
    if (
        mesh.tangents is not None
        and mesh.vertices
        and np.abs(np.linalg.norm(mesh.tangents[:, :3], axis=1) - 1.0).max() > 1e-3
    ):
        found.append("tangents are not of unit length")
    row = 0
    for part in mesh.parts:
        if part.first != row:
            found.append(f"part {part.material!r} starts at triangle {part.first}, expected {row}")
        row = part.first + part.count
    if row != mesh.triangles:
        found.append(f"parts cover {row} of {mesh.triangles} triangles")
    flat = int((triangle_areas(mesh) <= least_area).sum())
    if flat:
        found.append(f"{flat} triangles have no area")
    return found
