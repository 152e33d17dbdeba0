"""The ribbon that shows a path: a strip of triangles draped on a surface, by tile."""

from __future__ import annotations

import numpy as np

from plough.core.arrays import Bool, Float64, Int64
from plough.core.ground.paths import Curve
from plough.core.ground.surface import Surface
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.tiles import code_of, tile_of

_ACROSS = np.linspace(-1.0, 1.0, 5)  #: where its points lie, from side to side


def ribbon(curve: Curve, surface: Surface, lift: float = 0.05) -> dict[tuple[int, int], Mesh]:
    """The strip along `curve`, by the tile in which each piece of it begins, part `path`.

    It follows the ground across its width, too. Texture coordinates run from side to side, and
    along it in widths; each span holds a whole number of them, so that a span that changes does
    not shift the rest.
    """
    flat = edges(curve.line, 2.0 * curve.half)
    n, m = flat.shape[:2]
    found = surface.sample(flat[..., 0].ravel(), flat[..., 1].ravel())
    crown = lift * (1.0 - 0.9 * _ACROSS**2)
    positions = found.position.reshape(n, m, 3) + crown[None, :, None] * np.array([0, 1, 0])
    normals = found.normal.reshape(n, m, 3)
    along = _along(curve)
    tiles = tile_of(*(0.5 * (curve.line[:-1] + curve.line[1:])).T)
    codes = code_of(tiles)
    out: dict[tuple[int, int], Mesh] = {}
    for code in np.unique(codes):
        rows = np.nonzero(codes == code)[0]
        i, k = tiles[rows[0]]
        out[int(i), int(k)] = _strip(curve, positions, normals, along, rows)
    return out


def _strip(curve: Curve, positions: Float64, normals: Float64, along: Float64, rows: Int64) -> Mesh:
    """Triangles of the segments `rows`; vertices are shared within a span, so that spans and tiles stand alone."""
    m = positions.shape[1]
    ends = np.stack([rows, rows + 1], axis=1)
    place = ends * (len(curve.line) + 1) + curve.spans[rows][:, None]
    _, first, shared = np.unique(place, return_index=True, return_inverse=True)
    points, down = ends.ravel()[first], along[rows].ravel()[first]
    uv = np.stack(np.broadcast_arrays(0.5 + 0.5 * _ACROSS[None, :], down[:, None]), axis=-1)
    here, ahead = m * shared.reshape(-1, 2).T[..., None] + np.arange(m - 1)
    quads = np.stack([here, here + 1, ahead, here + 1, ahead + 1, ahead], axis=-1)
    mesh = Mesh(
        np.ascontiguousarray(positions[points].reshape(-1, 3), np.float32),
        np.ascontiguousarray(normals[points].reshape(-1, 3), np.float32),
        np.ascontiguousarray(uv.reshape(-1, 2), np.float32),
        np.ascontiguousarray(quads.reshape(-1, 3), np.uint32),
        (Part("path", 0, 2 * here.size),),
    )
    return with_tangents(mesh)


def _along(curve: Curve) -> Float64:
    """(segments, 2) texture coordinates at the ends of each segment."""
    lengths = np.hypot(*np.diff(curve.line, axis=0).T)
    out = np.empty((len(lengths), 2))
    for span in np.unique(curve.spans[:-1]):
        rows = np.nonzero(curve.spans[:-1] == span)[0]
        run = np.concatenate([[0.0], np.cumsum(lengths[rows])])
        repeats = max(1, round(run[-1] / curve.width))
        out[rows, 0], out[rows, 1] = run[:-1] / run[-1] * repeats, run[1:] / run[-1] * repeats
    return out


def edges(line: Float64, width: Float64 | float) -> Float64:
    """(n, 5, 2) points across `line` (n, 2), `width` (n,) metres from side to side, drawn in where a bend is too tight.

    No quad between neighbours folds over.
    """
    tangent = np.gradient(line, axis=0)
    tangent /= np.maximum(np.linalg.norm(tangent, axis=1, keepdims=True), 1e-12)
    side = np.stack([-tangent[:, 1], tangent[:, 0]], axis=1)
    half = np.repeat(np.full(len(line), 0.5 * width)[:, None], 2, axis=1)  # left and right
    for _ in range(48):
        reach = np.where(_ACROSS[None, :] < 0, half[:, 1:], half[:, :1]) * _ACROSS[None, :]
        out: Float64 = line[:, None, :] + side[:, None, :] * reach[:, :, None]
        folded = _folded(out)
        if not folded.any():
            break
        tight = np.zeros_like(half, bool)
        tight[:-1] |= folded
        tight[1:] |= folded
        half = np.where(tight, 0.75 * half, half)
    return out


def _folded(points: Float64) -> Bool:
    """(n - 1, 2) whether a triangle to the left, and to the right, between neighbours across turns over."""
    a, b = points[:-1, :-1], points[:-1, 1:]
    c, d = points[1:, :-1], points[1:, 1:]
    turned = (_area(a, b, c) < 0) | (_area(b, d, c) < 0)
    middle = len(_ACROSS) // 2
    return np.stack([turned[:, middle:].any(axis=1), turned[:, :middle].any(axis=1)], axis=1)


def _area(a: Float64, b: Float64, c: Float64) -> Float64:
    """Twice the signed area of triangles, positive where they face up."""
    p, q = b - a, c - a
    return np.asarray(p[..., 1] * q[..., 0] - p[..., 0] * q[..., 1])
