"""Second texture coordinates for light maps of what is solid: without overlap, at one density in texels a metre.

What hangs together and looks to the same of six sides lies in one piece, seen from that side and scaled to its true area.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np

from plough.core.arrays import Float64, Int64
from plough.core.mesh.topology import edges_of, welded_points
from plough.core.mesh.unwrap import packed
from plough.core.mesh.value import Mesh
from plough.core.vectors import lengths, normals_of

_EVENED, _WELL = (
    4,
    0.45,
)  #: rounds in which neighbours are asked; cosine from which a face is seen well
_APART = 2.0  #: texels between two pieces
MOST_SIDE = 8192  #: texels of a light map


def with_light(mesh: Mesh, texels: float) -> tuple[Mesh, int]:
    """`mesh` with second coordinates in [0, 1], its vertices split where pieces meet, and the texels a side of a map that has `texels` a metre.

    A mesh that would need more than 8,192 a side is given as many, and fewer a metre.
    """
    if not mesh.triangles:
        return mesh, 0
    positions, indices = mesh.positions.astype(np.float64), mesh.indices.astype(np.int64)
    normal = normals_of(positions, indices)
    rows = np.arange(len(indices))
    size = float(np.ptp(positions, axis=0).max())
    one, other = _neighbours(welded_points(positions, size)[0][indices])
    side = _sides(normal / np.maximum(lengths(normal), 1e-30)[:, None], one, other)
    axis = side // 2
    piece, pieces = _pieces(side, one, other)
    corner = indices.reshape(-1)
    of = np.repeat(piece, 3)
    _, first, vertex = np.unique(corner * pieces + of, return_index=True, return_inverse=True)
    own, kept, facing = of[first], corner[first], np.repeat(axis, 3)[first]
    at = positions[kept]
    others = np.array([[1, 2], [2, 0], [0, 1]])[facing]
    flat = np.take_along_axis(at, others, axis=1)
    flat[:, 0] *= np.where(np.repeat(side, 3)[first] % 2 == 1, -1.0, 1.0)
    whole, seen = (
        np.bincount(piece, area, pieces) for area in (lengths(normal), np.abs(normal[rows, axis]))
    )
    flat *= np.sqrt(whole / np.maximum(seen, 1e-18))[own][:, None]
    uv, across = _laid(flat, own, pieces, texels)
    split: dict[str, Any] = {
        name: None if (array := getattr(mesh, name)) is None else np.ascontiguousarray(array[kept])
        for name in ("positions", "normals", "uv0", "tangents", "colors", "wind", "masks")
    }
    lit = replace(
        mesh,
        indices=vertex.reshape(-1, 3).astype(np.uint32),
        uv1=np.ascontiguousarray(uv, np.float32),
        **split,
    )
    return lit, across


def _neighbours(faces: Int64) -> tuple[Int64, Int64]:
    """Pairs of triangles that share an edge."""
    of = edges_of(faces).of
    order = np.argsort(of, kind="stable")
    same = of[order][1:] == of[order][:-1]
    return order[:-1][same] // 3, order[1:][same] // 3


def _sides(normal: Float64, one: Int64, other: Int64) -> Int64:
    """(m,) to which of six sides each triangle looks: the nearest, or that of most of its neighbours where it is seen well from there."""
    facing = np.stack([normal, -normal], axis=2).reshape(len(normal), 6)
    side: Int64 = facing.argmax(axis=1)
    for _ in range(_EVENED):
        votes = np.zeros((len(normal), 6))
        np.add.at(votes, (one, side[other]), 1.0)
        np.add.at(votes, (other, side[one]), 1.0)
        votes[facing < _WELL] = 0.0
        most = votes.argmax(axis=1)
        rows = np.arange(len(side))
        side = np.where(votes[rows, most] > votes[rows, side] + 0.5, most, side)
    return side


def _pieces(side: Int64, one: Int64, other: Int64) -> tuple[Int64, int]:
    """(m,) the piece of each triangle: those that share an edge and look to the same side are one."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    n, alike = len(side), side[one] == side[other]
    a, b = one[alike], other[alike]
    joined = coo_matrix((np.ones(len(a), np.int8), (a, b)), shape=(n, n))
    count, piece = connected_components(joined, directed=False)
    return piece.astype(np.int64), int(count)


def _laid(flat: Float64, piece: Int64, pieces: int, texels: float) -> tuple[Float64, int]:
    """(n, 2) places in [0, 1], and the texels a side."""
    for _ in range(8):
        laid, side = packed(flat, piece, pieces, gap=_APART / texels)
        across = math.ceil(side * texels)
        if across <= MOST_SIDE:
            return laid * texels / across, across
        texels *= 0.98 * MOST_SIDE / across
    return laid / side, MOST_SIDE
