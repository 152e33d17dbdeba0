"""Bodies from meshes: what a mesh measures at each height and to each side."""

from __future__ import annotations

import io
from typing import Any

import numpy as np

from plough.core.arrays import Float64
from plough.core.errors import FormatError, ParameterError
from plough.core.parameters import COLUMNS

ROWS = 24
FORMATS = ("obj", "glb", "stl", "ply")
MOST_BYTES, MOST_TRIANGLES = 20_000_000, 400_000
_SAMPLES = 40_000


def measured(data: bytes, kind: str) -> tuple[Float64, float, float]:
    """A mesh as a form: (ROWS, COLUMNS) radii about the vertical through its middle, the greatest being 1; its height and width in metres.

    Rows run from foot to top, columns from east by south. Where the surface lies several times in one direction the outermost counts.

    Raises:
        FormatError: the file cannot be read, or holds no triangles.
        ParameterError: it is too large.
    """
    import trimesh

    if kind not in FORMATS:
        raise ParameterError(
            "kind",
            f"{kind!r} is not read; meshes come as {', '.join(FORMATS)}",
            limit=", ".join(FORMATS),
            value=kind,
        )
    if len(data) > MOST_BYTES:
        raise ParameterError(
            "mesh",
            f"has {len(data):,} bytes; the limit is {MOST_BYTES:,}",
            limit=f"{MOST_BYTES:,} bytes",
        )
    try:
        mesh: Any = trimesh.load(io.BytesIO(data), file_type=kind, force="mesh")
        count = len(mesh.faces)
    except Exception as error:
        raise FormatError(
            f"the mesh cannot be read: {str(error).splitlines()[0] if str(error) else type(error).__name__}"
        ) from None
    if not count or not np.isfinite(mesh.vertices).all() or float(mesh.area) <= 0:
        raise FormatError("the mesh holds no triangles with an area")
    if count > MOST_TRIANGLES:
        raise ParameterError(
            "mesh",
            f"has {count:,} triangles; the limit is {MOST_TRIANGLES:,}",
            limit=f"{MOST_TRIANGLES:,} triangles",
        )
    points = np.asarray(trimesh.sample.sample_surface(mesh, _SAMPLES, seed=1)[0], np.float64)
    low, high = mesh.bounds
    height = float(high[1] - low[1])
    if height <= 0:
        raise FormatError("the mesh is flat: it has no height")
    x, z = points[:, 0] - 0.5 * (low[0] + high[0]), points[:, 2] - 0.5 * (low[2] + high[2])
    row = np.rint((points[:, 1] - low[1]) / height * (ROWS - 1)).astype(np.int64)
    column = np.rint(np.arctan2(z, x) / (2 * np.pi) * COLUMNS).astype(np.int64) % COLUMNS
    form = np.full((ROWS, COLUMNS), -1.0)
    np.maximum.at(form, (row, column), np.hypot(x, z))
    form = _filled(form)
    widest = float(form.max())
    if widest <= 0:
        raise FormatError("the mesh has no width about its middle")
    return np.round(form / widest, 3), height, 2.0 * widest


def _filled(form: Float64) -> Float64:
    """Gaps take the mean of what lies beside them."""
    out = form.copy()
    for _ in range(form.size):
        gaps = np.argwhere(out < 0)
        if not gaps.size:
            break
        before = out.copy()
        for r, c in gaps:
            around = [before[r, (c - 1) % COLUMNS], before[r, (c + 1) % COLUMNS]]
            around += [before[k, c] for k in (r - 1, r + 1) if 0 <= k < out.shape[0]]
            known = [v for v in around if v >= 0]
            if known:
                out[r, c] = sum(known) / len(known)
    return np.maximum(out, 0.0)
