"""A mesh as one card that faces the eye, with a picture for each of many directions of the upper half of the sky.

Directions are laid out on a square by the octahedral map of the hemisphere (Cigolle and others 2014): its middle
looks down on the mesh, its rim from the horizon. For a unit direction d with y up, and p = d / (|dx| + |dy| + |dz|),
the place in the square is (px + pz, px - pz), from -1 to 1; picture (i, j) of a grid of n a side stands at
(2 i / (n - 1) - 1, 2 j / (n - 1) - 1). Each picture is seen without perspective, its up as near to y as can be.
"""

from __future__ import annotations

import math
import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np

from plough.core.arrays import Float32, Float64, UInt8
from plough.core.kernels import kernel
from plough.core.mesh.bleed import bleed_planes
from plough.core.mesh.impostor import ImpostorMaps
from plough.core.mesh.material import Dome, Maps, Material, as_bytes
from plough.core.mesh.raster import Triangles, draw_triangles, empty_samples
from plough.core.mesh.value import Mesh, Part
from plough.core.vectors import unit

GRID = 8  #: pictures a side
SIZE, SMALL = 96, 48  #: pixels a side of each picture, of what is tall and of what is low
LOW = 2.5  #: metres
_OVER = 2  #: samples a pixel, on each axis
_FREE = 0.06  #: of each picture, about what it shows
_INSIDE = 0.65  #: of the light, what does not come where no sky is seen
_THICK = 1.6  #: thin twigs stay above the cut


def direction(i: int, j: int) -> Float64:
    """(3,) the unit direction from the mesh to the eye of picture (`i`, `j`)."""
    a, b = 2.0 * i / (GRID - 1) - 1.0, 2.0 * j / (GRID - 1) - 1.0
    x, z = 0.5 * (a + b), 0.5 * (a - b)
    return unit(np.array([x, 1.0 - abs(x) - abs(z), z]))


def view_axes(towards: Float64) -> Float64:
    """(3, 3) rows right, up and `towards` of a picture; straight from above, right is x."""
    flat = math.hypot(towards[0], towards[2])
    right = (
        np.array([towards[2], 0.0, -towards[0]]) / flat if flat > 1e-6 else np.array([1.0, 0, 0])
    )
    return np.stack([right, np.cross(towards, right), towards])


def _views() -> list[Float64]:
    """The axes of every picture, row by row."""
    return [view_axes(direction(k % GRID, k // GRID)) for k in range(GRID * GRID)]


def _extent(mesh: Mesh) -> Dome:
    """What the pictures show: as little as holds the mesh in each of them."""
    low, high = mesh.bounds()
    centre = np.array([0.0, 0.5 * (low[1] + high[1]), 0.0])
    reach = np.abs(np.stack(_views()) @ (mesh.positions - centre).T).max(axis=(0, 2))
    reach = np.maximum(reach, 1e-3)
    half = (float(reach[0]) / (1.0 - _FREE), float(reach[1]) / (1.0 - _FREE))
    pixels = SIZE if high[1] - low[1] > LOW else SMALL
    return Dome(GRID, pixels, (0.0, float(centre[1]), 0.0), half, float(reach[2]))


@kernel
def _shrunk(depth: Float32, color: Float32, normal: Float32) -> Float32:
    """(8, n, n) means over `_OVER` x `_OVER` samples: colour, normal and depth times the cover, and the cover."""
    n = depth.shape[0] // _OVER
    out = np.zeros((8, n, n), np.float32)
    share = np.float32(1.0 / (_OVER * _OVER))
    for r in range(n * _OVER):
        for c in range(n * _OVER):
            if depth[r, c] < -1e29:
                continue
            y, x = r // _OVER, c // _OVER
            for k in range(3):
                out[k, y, x] += color[r, c, k] * share
                out[3 + k, y, x] += normal[r, c, k] * share
            out[6, y, x] += depth[r, c] * share
            out[7, y, x] += share
    return out


def _shaded(mesh: Mesh) -> UInt8:
    """(n, 4) the linear tint, darker where little sky is seen: at this distance nothing else tells of it."""
    if mesh.wind is None:
        return mesh.tint
    seen = 1.0 - _INSIDE * (1.0 - mesh.wind[:, 3:] / 255.0)
    return (mesh.tint * seen).astype(np.uint8)


def _picture(
    mesh: Mesh, materials: dict[str, Material], albedo: dict[str, UInt8], view: Float64, dome: Dome
) -> Float32:
    """(8, pixels, pixels) what `_shrunk` tells of one picture; depth is over the mesh's own, from 0 to 1."""
    n = dome.pixels * _OVER
    seen = (mesh.positions - np.array(dome.centre, np.float32)) @ view.T.astype(np.float32)
    points = np.empty_like(seen)
    points[:, 0] = (seen[:, 0] / dome.half[0] + 1) * (n / 2)
    points[:, 1] = (1 - seen[:, 1] / dome.half[1]) * (n / 2)
    points[:, 2] = seen[:, 2] / (2 * dome.depth) + 0.5
    samples = empty_samples(n, n)
    for part in mesh.parts:
        rows = mesh.indices[part.first : part.first + part.count]
        triangles = Triangles(points, mesh.normals, mesh.uv0, mesh.tint, rows)
        cutout = materials[part.material].cutout
        draw_triangles(triangles, albedo[part.material], cutout, samples, (0, n))
    return _shrunk(*samples)


def make_dome(
    mesh: Mesh, materials: dict[str, Material], albedo: dict[str, UInt8], key: str
) -> tuple[Mesh, dict[str, Material]]:
    """One quad, and the sheet of `GRID` x `GRID` pictures that is drawn on it as the eye stands.

    Normals are in the mesh's own axes, in half as many pixels a side; depth is nearness to the eye over the depth that
    the material tells. Whoever draws the quad turns it: its corners are those of a picture, in metres about the middle.

    Args:
        albedo: the drawn albedo image of each slot, (h, w, 4).
        key: tells what is drawn apart from everything else.
    """
    dome = _extent(mesh)
    size = dome.pixels
    side = GRID * size
    room = 1 << (side - 1).bit_length()  # bleeding halves and halves
    sheet = np.zeros((8, room, room), np.float32)

    views, shaded = _views(), replace(mesh, colors=_shaded(mesh))

    def draw(k: int) -> None:
        y, x = size * (k // GRID), size * (k % GRID)
        sheet[:, y : y + size, x : x + size] = _picture(shaded, materials, albedo, views[k], dome)

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        list(pool.map(draw, range(GRID * GRID)))
    filled = bleed_planes(sheet)[:, :side, :side]
    alpha = np.clip(sheet[7, :side, :side] * _THICK, 0.0, 1.0)
    # crowns turn slowly: normals of half as many pixels tell as much
    turned = filled[3:6].reshape(3, side // 2, 2, side // 2, 2).mean(axis=(2, 4))
    normal = turned / np.maximum(np.linalg.norm(turned, axis=0), 1e-6)
    maps = Maps(
        as_bytes(np.concatenate([filled[:3], alpha[None]]).transpose(1, 2, 0)),
        as_bytes(normal.transpose(1, 2, 0) * 0.5 + 0.5),
        np.full((1, 1, 3), (255, 230, 0), np.uint8),
        depth=as_bytes(filled[6]),
    )
    material = Material(
        "dome",
        ImpostorMaps(f"dome {key}", maps),
        roughness=0.9,
        cutout=True,
        translucency=max((m.translucency for m in materials.values()), default=0.0),
        dome=dome,
    )
    return dome_quad(dome), {"dome": material}


def dome_quad(dome: Dome) -> Mesh:
    """The quad of a dome, as it is seen from the south."""
    corner = np.array([(-1, -1), (1, -1), (-1, 1), (1, 1)], np.float32)
    positions = np.zeros((4, 3)) + dome.centre
    positions[:, :2] += corner * dome.half
    up = 255.0 * np.clip(positions[:, 1] / max(float(positions[:, 1].max()), 1e-6), 0, 1)
    wind = np.stack([up, np.zeros(4), up * 0.25, np.full(4, 255.0)], axis=1)
    return Mesh(
        positions.astype(np.float32),
        np.tile(np.array([0, 0, 1], np.float32), (4, 1)),
        np.stack([corner[:, 0] * 0.5 + 0.5, 0.5 - corner[:, 1] * 0.5], axis=1),
        np.array([[0, 1, 2], [1, 3, 2]], np.uint32),
        (Part("dome", 0, 2),),
        colors=np.full((4, 4), 255, np.uint8),
        wind=wind.astype(np.uint8),
    )
