"""A second set of texture coordinates without overlap, for light maps.

Every connected piece of a plant (a branch's tube, a leaf, a card) already lies flat in its first coordinates, once; the pieces are scaled to
their true size and laid side by side on shelves.
"""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, Int64
from plough.core.kernels import kernel
from plough.core.mesh.value import Mesh
from plough.core.vectors import across, unit

_GAP = 0.0012  # of the sheet, between two pieces


@kernel
def _shelves(
    width: Float64, height: Float64, order: Int64, across: float
) -> tuple[Float64, Float64, float]:
    """Lower left corners of rectangles laid on shelves `across` wide, in `order`, and the height they take."""
    x, y = np.empty(width.shape[0]), np.empty(width.shape[0])
    at, low, tall = 0.0, 0.0, 0.0
    for k in order:
        if at + width[k] > across and at > 0.0:
            low, at, tall = low + tall, 0.0, 0.0
        x[k], y[k] = at, low
        at += width[k]
        tall = max(tall, height[k])
    return x, y, low + tall


def second_uv(mesh: Mesh, between: float = _GAP) -> Float32:
    """(n, 2) coordinates in [0, 1] in which no two triangles overlap, at about even density.

    Pieces whose first coordinates hold no area are laid flat across their mean normal instead.

    Args:
        between: two pieces, of the sheet's side.
    """
    n, tri = mesh.vertices, mesh.indices.astype(np.int64)
    edges = np.concatenate([tri[:, :2], tri[:, 1:]])
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    graph = coo_matrix((np.ones(len(edges), np.int8), (edges[:, 0], edges[:, 1])), shape=(n, n))
    pieces, piece = connected_components(graph, directed=False)
    flat = mesh.uv0.astype(np.float64)
    if mesh.tangents is not None:
        flat[:, 0] = _unfolded(flat, mesh.tangents[:, 3] < 0, tri, piece, pieces)
    a, b, c = (mesh.positions[tri[:, k]].astype(np.float64) for k in range(3))
    cross = np.cross(b - a, c - a)
    real = np.bincount(piece[tri[:, 0]], 0.5 * np.linalg.norm(cross, axis=1), pieces)
    area = 0.5 * np.abs(_turn(flat, tri))
    drawn = np.bincount(piece[tri[:, 0]], area, pieces)
    blank = drawn < 1e-9
    if blank.any():
        flat = np.where(blank[piece][:, None], _projected(mesh, cross, piece, tri, pieces), flat)
        drawn = np.where(blank, real, drawn)
    scale = np.sqrt(np.maximum(real, 1e-12) / np.maximum(drawn, 1e-12))
    flat *= scale[piece][:, None]
    laid, whole = packed(flat, piece, pieces, between=between)
    return np.ascontiguousarray(laid / whole, np.float32)


def packed(
    flat: Float64, piece: Int64, pieces: int, between: float = 0.0, gap: float = 0.0
) -> tuple[Float64, float]:
    """Pieces laid side by side: the (n, 2) places of their vertices, and the side of the square that holds them, both in the unit of `flat`.

    Args:
        flat: (n, 2) where each vertex lies in its own piece.
        piece: (n,) its piece.
        between: two pieces, of the side that they would have without.
        gap: between two pieces, in the unit of `flat`.
    """
    low, high = np.full((pieces, 2), np.inf), np.full((pieces, 2), -np.inf)
    np.minimum.at(low, piece, flat)
    np.maximum.at(high, piece, flat)
    size = high - low
    side = math.sqrt(float((size[:, 0] * size[:, 1]).sum()) * 1.05) + 1e-9
    gap = gap + between * side
    wide, tall = size[:, 0] + gap, size[:, 1] + gap
    order = np.argsort(-tall, kind="stable")
    # as wide as leaves least of a square free
    least = max(side, float(wide.max()))
    laid = [(w, *_shelves(wide, tall, order, w)) for w in least * np.linspace(1.0, 1.6, 13)]
    across, x, y, used = min(laid, key=lambda found: max(found[0], found[3]))
    whole = max(across, used)
    corner = np.stack([x, y], axis=1) + 0.5 * gap
    return np.asarray(flat - low[piece] + corner[piece]), whole


def _turn(flat: Float64, tri: Int64) -> Float64:
    """(m,) twice the area of each triangle in `flat` (n, 2), negative where it is turned over."""
    u, v, w = (flat[tri[:, k]] for k in range(3))
    return np.asarray(
        (v[:, 0] - u[:, 0]) * (w[:, 1] - u[:, 1]) - (w[:, 0] - u[:, 0]) * (v[:, 1] - u[:, 1])
    )


def _unfolded(flat: Float64, back: Bool, tri: Int64, piece: Int64, pieces: int) -> Float64:
    """(n,) u with the half of a thin branch that is mirrored, where `back` is true, laid out behind the other."""
    turn, owner = _turn(flat, tri), piece[tri[:, 0]]
    folded = (np.bincount(owner, turn > 1e-12, pieces) > 0) & (
        np.bincount(owner, turn < -1e-12, pieces) > 0
    )
    fold = np.full(pieces, -np.inf)
    np.maximum.at(fold, piece, flat[:, 0])
    return np.where(back & folded[piece], 2.0 * fold[piece] - flat[:, 0], flat[:, 0])


def _projected(mesh: Mesh, cross: Float64, piece: Int64, tri: Int64, pieces: int) -> Float64:
    """(n, 2) places of all vertices across the mean normal of their piece."""
    normal: Float64 = np.stack(
        [np.bincount(piece[tri[:, 0]], cross[:, k], pieces) for k in range(3)], axis=1
    ).astype(np.float64)
    side, up = across(unit(normal))
    p = mesh.positions.astype(np.float64)
    return np.stack([(p * side[piece]).sum(axis=1), (p * up[piece]).sum(axis=1)], axis=1)
