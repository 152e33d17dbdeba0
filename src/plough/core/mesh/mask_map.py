"""A mesh's masks as an image over its second texture coordinates."""

from __future__ import annotations

import numpy as np

from plough.core.arrays import UInt8
from plough.core.mesh.bleed import bleed
from plough.core.mesh.material import as_bytes
from plough.core.mesh.raster import Triangles, draw_triangles, empty_samples
from plough.core.mesh.unwrap import second_uv
from plough.core.mesh.value import Mesh


def mask_map(mesh: Mesh, pixels: int = 1024) -> UInt8 | None:
    """(pixels, pixels, 3) the first three of the masks: red what is worn, green what looks up (of turned pieces: glaze), blue hollows (dirt); None where there are none.

    Args:
        pixels: a side, a power of two.
    """
    if mesh.masks is None:
        return None
    uv = mesh.uv1 if mesh.uv1 is not None else second_uv(mesh)
    points = np.concatenate([uv * pixels, np.zeros((len(uv), 1))], axis=1).astype(np.float32)
    values = mesh.masks[:, :3].astype(np.float32) / 255.0
    drawn = empty_samples(pixels, pixels)
    # the masks are drawn in place of normals: those are carried over a triangle as they are
    triangles = Triangles(points, values, uv, mesh.tint, mesh.indices)
    draw_triangles(triangles, np.full((1, 1, 4), 255, np.uint8), False, drawn, (0, pixels))
    there = (drawn.depth > -1e29).astype(np.float32)
    return as_bytes(bleed(drawn.normal, there))
