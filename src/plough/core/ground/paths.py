"""Paths: smooth curves draped on the ground, the ribbon that shows them, and the distance to them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from plough.core.arrays import Bool, Float64
from plough.core.curves import spline
from plough.core.errors import ParameterError
from plough.core.ground.heightfield import HeightField
from plough.core.kernels import kernel
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part

Points = Sequence[tuple[float, float]]


def path_line(points: Points, spacing: float = 1.0) -> Float64:
    """(n, 2) points along the smooth path through `points`, about `spacing` metres apart.

    Raises:
        ParameterError: the path crosses itself, or two neighbouring points coincide.
    """
    for k, (a, b) in enumerate(zip(points, points[1:], strict=False)):
        if np.hypot(b[0] - a[0], b[1] - a[1]) < 0.05:
            raise ParameterError(f"points.{k + 1}", "lies on the point before it; neighbours must be 5 cm apart or more")
    line = spline(points, spacing)
    crossing = self_crossing(line)
    if crossing is not None:
        raise ParameterError("points", f"the path crosses itself near ({crossing[0]:.1f}, {crossing[1]:.1f}); move or remove a point there")
    return line


def self_crossing(line: Float64, closed: bool = False) -> tuple[float, float] | None:
    """Where the polyline (n, 2) first crosses or touches itself, if it does; neighbouring segments do not count."""
    from shapely import STRtree, linestrings

    ends = np.concatenate([line[1:], line[:1]]) if closed else line[1:]
    starts = line if closed else line[:-1]
    segments = linestrings(np.stack([starts, ends], axis=1))
    n = len(segments)
    i, j = STRtree(segments).query(segments, predicate="intersects")
    far = (j - i > 1) & ~((i == 0) & (j == n - 1) & closed)
    if not far.any():
        return None
    a, b = i[far][0], j[far][0]
    point = segments[a].intersection(segments[b]).centroid
    return float(point.x), float(point.y)


_BLOCK = 16  #: segments that share a bounding box


@kernel
def _near(x: Float64, z: Float64, line: Float64, limit: float) -> Bool:
    segments = line.shape[0] - 1
    blocks = (segments + _BLOCK - 1) // _BLOCK
    box = np.empty((blocks, 4))
    for b in range(blocks):
        first, last = b * _BLOCK, min(segments, (b + 1) * _BLOCK) + 1
        box[b, 0], box[b, 1] = line[first:last, 0].min() - limit, line[first:last, 0].max() + limit
        box[b, 2], box[b, 3] = line[first:last, 1].min() - limit, line[first:last, 1].max() + limit
    out = np.zeros(x.shape[0], np.bool_)
    for i in range(x.shape[0]):
        for b in range(blocks):
            if x[i] < box[b, 0] or x[i] > box[b, 1] or z[i] < box[b, 2] or z[i] > box[b, 3]:
                continue
            for k in range(b * _BLOCK, min(segments, (b + 1) * _BLOCK)):
                ax, az = line[k, 0], line[k, 1]
                bx, bz = line[k + 1, 0] - ax, line[k + 1, 1] - az
                t = ((x[i] - ax) * bx + (z[i] - az) * bz) / (bx * bx + bz * bz)
                t = min(1.0, max(0.0, t))
                dx, dz = x[i] - ax - t * bx, z[i] - az - t * bz
                if dx * dx + dz * dz < limit * limit:
                    out[i] = True
                    break
            if out[i]:
                break
    return out


def near_line(x: Float64, z: Float64, line: Float64, limit: float) -> Bool:
    """(n,) whether each point is nearer than `limit` metres to the polyline (m, 2)."""
    return _near(np.asarray(x, np.float64), np.asarray(z, np.float64), np.ascontiguousarray(line), limit)


def ribbon(line: Float64, width: float, field: HeightField, lift: float = 0.05) -> Mesh:
    """A strip of triangles along `line`, draped on the ground, part `path`; it follows the ground across its width too."""
    tangent = np.gradient(line, axis=0)
    tangent /= np.maximum(np.linalg.norm(tangent, axis=1, keepdims=True), 1e-12)
    side = np.stack([-tangent[:, 1], tangent[:, 0]], axis=1)
    across = np.linspace(-0.5, 0.5, 5)
    flat = line[:, None, :] + side[:, None, :] * (across * width)[None, :, None]
    height, normal = field.height_and_normal(flat[..., 0].ravel(), flat[..., 1].ravel())
    crown = lift * (1.0 - (2 * across[None, :]) ** 2 * 0.9) * np.ones((len(line), 1))
    positions = np.stack([flat[..., 0].ravel(), height + crown.ravel(), flat[..., 1].ravel()], axis=1).astype(np.float32)
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))]) / width
    uv = np.stack([np.broadcast_to(across + 0.5, flat.shape[:2]), np.broadcast_to(along[:, None], flat.shape[:2])], axis=-1)
    n, m = flat.shape[:2]
    corner = (np.arange(n - 1)[:, None] * m + np.arange(m - 1)[None, :]).ravel()
    quads = np.stack([corner, corner + m, corner + 1, corner + 1, corner + m, corner + m + 1], axis=1)
    indices = np.ascontiguousarray(quads.reshape(-1, 3), np.uint32)
    a, b, c = (positions[indices[0, k]] for k in range(3))
    if np.cross(b - a, c - a)[1] < 0:
        indices = np.ascontiguousarray(indices[:, ::-1])
    uvs = np.ascontiguousarray(uv.reshape(-1, 2), np.float32)
    return with_tangents(Mesh(positions, normal.astype(np.float32), uvs, indices, (Part("path", 0, indices.shape[0]),)))
