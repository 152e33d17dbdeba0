"""Flat shading."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh


def faceted(mesh: Mesh) -> Mesh:
    """`mesh` with three vertices of its own for every triangle, each with the normal of the face."""
    rows = mesh.indices.reshape(-1)
    p = mesh.positions[rows].reshape(-1, 3, 3)
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    size = np.linalg.norm(normal, axis=1, keepdims=True)
    normal = np.where(
        size > 1e-20, normal / np.maximum(size, 1e-20), np.array([0, 1, 0], np.float32)
    )
    flat = replace(
        mesh,
        positions=mesh.positions[rows],
        normals=np.repeat(normal, 3, axis=0).astype(np.float32),
        uv0=mesh.uv0[rows],
        indices=np.arange(rows.size, dtype=np.uint32).reshape(-1, 3),
        colors=None if mesh.colors is None else mesh.colors[rows],
        wind=None if mesh.wind is None else mesh.wind[rows],
        masks=None if mesh.masks is None else mesh.masks[rows],
        tangents=None,
    )
    return with_tangents(flat)
