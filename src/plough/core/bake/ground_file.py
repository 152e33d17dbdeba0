"""The ground alone as a file: a height map of 16 bits or of floats, a mesh, or splat maps of its classes."""

from __future__ import annotations

import io
import math
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import orjson

from plough.core.arrays import Float32, UInt8
from plough.core.formats.glb import Images, mesh_glb, no_images
from plough.core.formats.heights import write_png, write_raw, write_tiff
from plough.core.formats.images import png_rgba
from plough.core.ground import HeightField, Surface
from plough.core.ground.heightfield import MOST_SAMPLES
from plough.core.ground.mesh import Network, fit_network, network_mesh
from plough.core.ground.splat import shares_of_mesh, splat_maps
from plough.core.mesh.material import Material
from plough.core.mesh.value import Mesh
from plough.core.scene.facets import Ground

GroundFormat = Literal["png", "tif", "raw", "glb", "zip"]
MEDIA: dict[GroundFormat, str] = {
    "png": "image/png",
    "tif": "image/tiff",
    "raw": "application/octet-stream",
    "glb": "model/gltf-binary",
    "zip": "application/zip",
}
_PLAIN = Material("ground", color=(1.0, 1.0, 1.0), roughness=0.97)
SPLAT = 1024  #: pixels a side of splat maps, where nothing else is asked for
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


@dataclass(frozen=True, slots=True)
class GroundMesh:
    """The ground as it is written."""

    mesh: Mesh
    materials: dict[str, Material]
    shares: UInt8 | None  #: (vertices, 4 k) of the classes, where it is dressed by them


def ground_mesh(ground: Ground, network: Network | None) -> GroundMesh:
    """The ground as triangles: its own, or those of `network`; coloured by its classes where they dress it."""
    own = ground.surface.own
    if own is not None:
        return dressed(ground, own.mesh)
    assert network is not None
    return dressed(ground, network_mesh(network, ground.surface))


def dressed(ground: Ground, mesh: Mesh) -> GroundMesh:
    """A mesh of the ground, or of a piece of it, coloured by the classes where they dress it."""
    own = ground.surface.own
    if own is not None and own.materials:
        return GroundMesh(mesh, own.materials, None)
    shares = shares_of_mesh(ground.cover, mesh, paths=True)
    tones = ground.cover.tones
    colors = np.full((mesh.vertices, 4), 255, np.uint8)
    colors[:, :3] = np.clip(shares[:, : len(tones)].astype(np.float32) @ tones, 0, 255)
    return GroundMesh(
        replace(mesh, colors=colors), {p.material: _PLAIN for p in mesh.parts}, shares
    )


def class_facts(ground: Ground) -> list[dict[str, str]]:
    """The classes in their order, as whoever reads shares must know them."""
    return [
        {"key": c.key, "name": c.name, "look": c.look, "tint": c.tint} for c in ground.cover.classes
    ]


def splat_files(
    ground: Ground, pixels: int, check: Callable[[], None] = lambda: None
) -> dict[str, bytes]:
    """Splat maps as PNG, four classes in the channels of each, and what they hold as JSON."""
    surface = ground.surface
    maps = splat_maps(ground.cover, surface, pixels, check)
    half = max(abs(v) for v in surface.bounds)
    facts = {
        "classes": [
            {**c, "image": f"splat-{k // 4}.png", "channel": "RGBA"[k % 4]}
            for k, c in enumerate(class_facts(ground))
        ],
        "west": -half,
        "north": -half,
        "metres": 2 * half,
        "pixels": pixels,
    }
    files = {f"splat-{k}.png": png_rgba(image) for k, image in enumerate(maps)}
    return {**files, "classes.json": orjson.dumps(facts, option=orjson.OPT_INDENT_2)}


def height_files(surface: Surface, network: Network | None) -> dict[str, bytes]:
    """The ground that is written as a height map of 16 bits, from its lowest to its highest, and how it lies as JSON."""
    if network is None:
        heights, spacing = heights_of(surface)
    else:
        n = min(network.heights.shape[0], MOST_SAMPLES)
        x0, z0, x1, _ = surface.bounds
        at = np.arange(n) * ((x1 - x0) / (n - 1))
        x, z = np.meshgrid(x0 + at, z0 + at)
        heights = network.height(x.ravel(), z.ravel()).reshape(n, n).astype(np.float32)
        spacing = (x1 - x0) / (n - 1)
    data, low, high = write_png(heights)
    half = 0.5 * spacing * (len(heights) - 1)
    facts = {
        "image": "heights.png",
        "samples": len(heights),
        "spacing": spacing,
        "west": -half,
        "north": -half,
        "black": low,
        "white": high,
    }
    return {"heights.png": data, "heights.json": orjson.dumps(facts, option=orjson.OPT_INDENT_2)}


def ground_file(
    ground: Ground,
    form: GroundFormat,
    images: Images = no_images,
    check: Callable[[], None] = lambda: None,
) -> tuple[bytes, str]:
    """The ground as a file, and what one must know to read it, in words.

    Args:
        check: called now and then; may raise to stop.
    """
    surface = ground.surface
    if form == "zip":
        files = splat_files(ground, SPLAT, check)
        n = len(ground.cover.classes)
        return zipped(files), f"{n} classes in {len(files) - 1} images of {SPLAT} x {SPLAT}"
    if form == "glb":
        network, within = None, "as they are"
        if surface.own is None:
            n = round((surface.triangles / 2) ** 0.5) + 1
            network = fit_network(surface, n, _TOLERANCE, np.empty((0, 2)), _TOLERANCE)
            within = f"within {_TOLERANCE * 100:g} cm"
        made = ground_mesh(ground, network)
        told = f"{made.mesh.triangles:,} triangles {within}"
        extras = {"classes": class_facts(ground)} if made.shares is not None else None
        data = mesh_glb(
            made.mesh, made.materials, "ground", images, extras=extras, shares=made.shares
        )
        return data, told
    heights, spacing = heights_of(surface)
    n = len(heights)
    size = f"{n} x {n} samples, {spacing * (n - 1):g} m a side"
    if form == "tif":
        return write_tiff(heights, spacing), f"{size}, metres"
    data, low, high = write_png(heights) if form == "png" else write_raw(heights)
    return data, f"{size}, from {low:.3f} m (black) to {high:.3f} m (white)"


def zipped(files: Mapping[str, bytes]) -> bytes:
    """`files` in one archive, as they are: images are packed already."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for path, data in files.items():
            archive.writestr(zipfile.ZipInfo(path, (1980, 1, 1, 0, 0, 0)), data)
    return out.getvalue()
