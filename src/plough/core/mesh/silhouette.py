"""Silhouettes: what of the picture a mesh covers, and by how much two of them differ."""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Bool, UInt8
from plough.core.mesh.material import Material
from plough.core.mesh.raster import draw_depth
from plough.core.mesh.value import Mesh

VIEWS = 8  #: about the vertical
_PIXELS = 96  #: along the longer side of the frame
_OVER = 2  #: samples a pixel, on each axis; a pixel is covered where half of them are


def silhouettes(
    mesh: Mesh, materials: dict[str, Material], albedo: dict[str, UInt8], like: Mesh
) -> Bool:
    """(VIEWS, h, w) whether a pixel is covered, seen from all sides; the frame is that of `like`, from the ground up.

    Args:
        albedo: the image of each slot, (th, tw, 4), for what is cut out.
    """
    reach = float(np.hypot(like.positions[:, 0], like.positions[:, 2]).max())
    low, high = max(0.0, float(like.positions[:, 1].min())), float(like.positions[:, 1].max())
    scale = _PIXELS * _OVER / max(2.0 * reach, high - low)
    w, h = (_OVER * max(8, math.ceil(size * scale / _OVER)) for size in (2.0 * reach, high - low))
    out = np.zeros((VIEWS, h // _OVER, w // _OVER), bool)
    for k in range(VIEWS):
        a = 2.0 * math.pi * k / VIEWS
        x = mesh.positions[:, 0] * math.cos(a) - mesh.positions[:, 2] * math.sin(a)
        z = mesh.positions[:, 0] * math.sin(a) + mesh.positions[:, 2] * math.cos(a)
        points = np.stack(
            [(x + reach) * scale, (high - mesh.positions[:, 1]) * scale, z], axis=1
        ).astype(np.float32)
        depth = np.full((h, w), -1e30, np.float32)
        for part in mesh.parts:
            rows = mesh.indices[part.first : part.first + part.count]
            draw_depth(
                points,
                mesh.uv0,
                rows,
                albedo[part.material],
                materials[part.material].cutout,
                depth,
            )
        out[k] = (depth > -1e29).reshape(h // _OVER, _OVER, w // _OVER, _OVER).mean(
            axis=(1, 3)
        ) >= 0.5
    return out


def difference(a: Bool, b: Bool) -> float:
    """Share of the pixels that one of two silhouettes covers and the other does not, over all views and the whole frame."""
    return float((a != b).mean())
