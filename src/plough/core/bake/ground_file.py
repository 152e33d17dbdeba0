"""The ground alone as a file: a height map of 16 bits or of floats, or a mesh."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from plough.core.arrays import Float32
from plough.core.formats.glb import Images, mesh_glb, no_images
from plough.core.formats.heights import write_png, write_raw, write_tiff
from plough.core.ground import HeightField, Surface
from plough.core.ground.mesh import Network, fit_network, network_mesh
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh

GroundFormat = Literal["png", "tif", "raw", "glb"]
MEDIA: dict[GroundFormat, str] = {
    "png": "image/png",
    "tif": "image/tiff",
    "raw": "application/octet-stream",
    "glb": "model/gltf-binary",
}
_PLAIN = Material("ground", color=(0.12, 0.16, 0.055), roughness=0.97)
_TOLERANCE = 0.02  # metres that the mesh may miss


def heights_of(surface: Surface) -> tuple[Float32, float]:
    """(n, n) metres over a square about the origin that holds `surface`, north first, and the metres between them; where there is no surface, the lowest of it."""
    if isinstance(surface, HeightField):
        return surface.heights, surface.spacing
    assert surface.own is not None, "what is not made of heights is made of triangles"
    half = max(abs(v) for v in surface.bounds)
    n = min(1025, max(65, math.isqrt(max(surface.triangles, 1)) + 1))
    at = np.linspace(-half, half, n)
    x, z = (a.ravel() for a in np.meshgrid(at, at))
    found = surface.sample(x, z)
    # a wall is seen from above nowhere
    seen = found.position[found.hit] if found.hit.any() else surface.own.mesh.positions
    lowest = seen[:, 1].min()
    heights = np.where(found.hit, found.position[:, 1], lowest)
    return heights.reshape(n, n).astype(np.float32), 2 * half / (n - 1)


def ground_mesh(surface: Surface, network: Network | None) -> tuple[Mesh, dict[str, Material]]:
    """The ground as triangles: its own, or those of `network`."""
    own = surface.own
    if own is None:
        assert network is not None
        return network_mesh(network, surface), {"ground": _PLAIN}
    return own.mesh, own.materials or {p.material: _PLAIN for p in own.mesh.parts}


def ground_file(
    surface: Surface, form: GroundFormat, images: Images = no_images
) -> tuple[bytes, str]:
    """`surface` as a file, and what one must know to read it, in words."""
    if form == "glb":
        network, within = None, "as they are"
        if surface.own is None:
            n = round((surface.triangles / 2) ** 0.5) + 1
            network = fit_network(surface, n, _TOLERANCE, np.empty((0, 2)), _TOLERANCE)
            within = f"within {_TOLERANCE * 100:g} cm"
        mesh, materials = ground_mesh(surface, network)
        told = f"{mesh.triangles:,} triangles {within}"
        return mesh_glb(mesh, materials, "ground", images), told
    heights, spacing = heights_of(surface)
    n = len(heights)
    size = f"{n} x {n} samples, {spacing * (n - 1):g} m a side"
    if form == "tif":
        return write_tiff(heights, spacing), f"{size}, metres"
    data, low, high = write_png(heights) if form == "png" else write_raw(heights)
    return data, f"{size}, from {low:.3f} m (black) to {high:.3f} m (white)"
