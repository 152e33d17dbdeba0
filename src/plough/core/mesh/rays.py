"""Triangles that rays are cast at."""

from __future__ import annotations

from threading import Lock
from typing import Any

import numpy as np

from plough.core.arrays import Float32, Float64, UInt32

_lock = Lock()  # over the making of trees


def tree_of(positions: Float32, indices: UInt32) -> Any:
    """What finds the triangle that each ray meets first: `run(origins, ways)`, both (n, 3) float32, gives (n,) triangles or -1."""
    from embreex.mesh_construction import TriangleMesh
    from embreex.rtcore_scene import EmbreeScene

    with _lock:
        scene = EmbreeScene()
        TriangleMesh(scene, positions, indices.astype(np.int32))
        down = np.array([[0, -1, 0]], np.float32)
        scene.run(np.zeros((1, 3), np.float32), down)  # it builds the tree
    return scene


def shares_at(a: Float64, b: Float64, c: Float64, normal: Float64, at: Float64) -> Float64:
    """(n, 3) the share of each corner at places on triangles, by areas; `normal` is as long as twice the triangle's area."""
    size = np.maximum(np.einsum("ij,ij->i", normal, normal), 1e-30)
    u = np.einsum("ij,ij->i", np.cross(c - b, at - b), normal) / size
    v = np.einsum("ij,ij->i", np.cross(a - c, at - c), normal) / size
    return np.stack([u, v, 1.0 - u - v], axis=1).clip(0.0, 1.0)
