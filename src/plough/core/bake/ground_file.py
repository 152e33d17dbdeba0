"""The ground alone as a file: a height map of 16 bits or of floats, or a mesh."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from plough.core.arrays import Float32
from plough.core.errors import PloughError
from plough.core.formats.glb import mesh_glb
from plough.core.formats.heights import write_png, write_raw, write_tiff
from plough.core.ground import HeightField, Surface
from plough.core.ground.mesh import fit_network, network_mesh
from plough.core.mesh.material import Material

GroundFormat = Literal["png", "tif", "raw", "glb"]
MEDIA: dict[GroundFormat, str] = {
    "png": "image/png",
    "tif": "image/tiff",
    "raw": "application/octet-stream",
    "glb": "model/gltf-binary",
}
_TOLERANCE = 0.02  # metres that the mesh may miss


def heights_of(surface: Surface) -> tuple[Float32, float]:
    """(n, n) metres over the square that `surface` lies in, north first, and the metres between them; where there is no surface, the lowest of it."""
    if isinstance(surface, HeightField):
        return surface.heights, surface.spacing
    x0, z0, x1, z1 = surface.bounds
    size = max(x1 - x0, z1 - z0)
    n = min(2049, math.isqrt(max(surface.triangles // 2, 1)) + 1)
    x, z = (a.ravel() for a in np.meshgrid(*(np.linspace(v, v + size, n) for v in (x0, z0))))
    found = surface.sample(x, z)
    if not found.hit.any():
        raise PloughError("the ground holds no surface to be written")
    heights = np.where(found.hit, found.position[:, 1], found.position[found.hit, 1].min())
    return heights.reshape(n, n).astype(np.float32), size / (n - 1)


def ground_file(surface: Surface, form: GroundFormat) -> tuple[bytes, str]:
    """`surface` as a file, and what one must know to read it, in words."""
    if form == "glb":
        n = round((surface.triangles / 2) ** 0.5) + 1
        network = fit_network(surface, n, _TOLERANCE, np.empty((0, 2)), _TOLERANCE)
        mesh = network_mesh(network, surface)
        material = Material("ground", color=(0.12, 0.16, 0.055), roughness=0.97)
        told = f"{mesh.triangles:,} triangles within {_TOLERANCE * 100:g} cm"
        return mesh_glb(mesh, {"ground": material}, "ground"), told
    heights, spacing = heights_of(surface)
    n = len(heights)
    size = f"{n} x {n} samples, {spacing * (n - 1):g} m a side"
    if form == "tif":
        return write_tiff(heights, spacing), f"{size}, metres"
    data, low, high = write_png(heights) if form == "png" else write_raw(heights)
    return data, f"{size}, from {low:.3f} m (black) to {high:.3f} m (white)"
