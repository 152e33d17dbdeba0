"""A mesh as crossed cards, drawn from the mesh itself: two that show both sides alike, or four with a picture of each side."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from plough.core.arrays import Float32, Float64, UInt8
from plough.core.mesh.bleed import bleed
from plough.core.mesh.material import Maps, Material, as_bytes
from plough.core.mesh.raster import Triangles, draw_triangles, empty_samples, halved
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part

_VIEWS = {"crossed": 2, "eight": 8}
_COLUMNS = {"crossed": 2, "eight": 4}  #: of the sheet of pictures
_OVER = 2  #: samples a pixel, on each axis; `halved` takes the mean of as many
_PADDING = 4  #: pixels left free about each picture


@dataclass(frozen=True, slots=True)
class ImpostorMaps:
    """Maps drawn from a mesh; told apart by the `key` of what was drawn."""

    key: str
    maps: Maps = field(repr=False, compare=False)

    @property
    def nbytes(self) -> int:
        """Bytes of the images."""
        return self.maps.nbytes

    def draw(self) -> Maps:
        """The images."""
        return self.maps


def _view(
    mesh: Mesh,
    albedo: dict[str, UInt8],
    materials: dict[str, Material],
    angle: float,
    half: float,
    low: float,
    high: float,
    size: int,
) -> tuple[Float32, Float32, Float32]:
    """Colour, normal and depth of the mesh seen from `angle`, at `size` x `size` samples; depth is -1e30 where there is nothing."""
    ca, sa = math.cos(angle), math.sin(angle)
    to_view: Float64 = np.array(
        [[ca, 0, -sa], [0, 1, 0], [sa, 0, ca]]
    )  # right, up, towards the eye
    p = mesh.positions @ to_view.T.astype(np.float32)
    n = mesh.normals @ to_view.T.astype(np.float32)
    points = np.empty_like(p)
    points[:, 0] = (p[:, 0] / (2 * half) + 0.5) * size
    points[:, 1] = (high - p[:, 1]) / (high - low) * size
    points[:, 2] = p[:, 2]
    samples, tint = empty_samples(size, size), mesh.tint
    for part in mesh.parts:
        rows = mesh.indices[part.first : part.first + part.count]
        cutout = materials[part.material].cutout
        triangles = Triangles(points, n, mesh.uv0, tint, rows)
        draw_triangles(triangles, albedo[part.material], cutout, samples, (0, size))
    return samples.color, samples.normal, samples.depth


def make_impostor(
    mesh: Mesh,
    materials: dict[str, Material],
    albedo: dict[str, UInt8],
    key: str,
    size: int = 256,
    form: str = "crossed",
) -> tuple[Mesh, dict[str, Material]]:
    """Quads that show `mesh` from several sides, with albedo, alpha, normals and depth drawn from it.

    Args:
        albedo: the drawn albedo image of each slot, (h, w, 4).
        key: tells what is drawn apart from everything else.
        size: pixels a side of each picture, a power of two.
        form: `crossed` for two double-sided cards, `eight` for four whose two faces have pictures of their own.
    """
    half, low, high = _extent(mesh, size)
    views, columns = _VIEWS[form], _COLUMNS[form]
    images, normals, depths = [], [], []
    for k in range(views):
        color, normal, depth = _view(
            mesh, albedo, materials, _angle(k, views), half, low, high, size * _OVER
        )
        cover = (depth > -1e29).astype(np.float32)
        alpha = halved(cover[..., None])[..., 0]
        # thin twigs stay above the cut
        images.append(
            np.concatenate(
                [bleed(halved(color), alpha), np.clip(alpha * 1.6, 0, 1)[..., None]], axis=-1
            )
        )
        small = bleed(halved(normal), alpha)
        small[..., 2] = np.abs(small[..., 2]) + 0.15
        normals.append(small / np.maximum(np.linalg.norm(small, axis=-1, keepdims=True), 1e-6))
        near = np.where(cover > 0, depth / (2.0 * half) + 0.5, 0.0).astype(np.float32)
        mean = halved(near[..., None]) / np.maximum(alpha, np.float32(1e-3))[..., None]
        depths.append(bleed(mean.astype(np.float32), alpha))
    surface = np.zeros((size * (views // columns), size * columns, 3), np.uint8)
    surface[..., 0], surface[..., 1] = 255, 230
    maps = Maps(
        _sheet(images, columns),
        _sheet([n * 0.5 + 0.5 for n in normals], columns),
        surface,
        depth=_sheet(depths, columns)[..., 0],
    )
    translucency = max((m.translucency for m in materials.values()), default=0.0)
    card = Material(
        "card",
        ImpostorMaps(key, maps),
        roughness=0.9,
        cutout=True,
        translucency=translucency,
        one_sided=views > 2,
    )
    return _quads(half, low, high, views, columns), {"card": card}


def impostor_quads(mesh: Mesh, size: int = 256, form: str = "crossed") -> Mesh:
    """The quads of `make_impostor`, without their pictures."""
    return _quads(*_extent(mesh, size), _VIEWS[form], _COLUMNS[form])


def _extent(mesh: Mesh, size: int) -> tuple[float, float, float]:
    """Half the width, and the lowest and highest metre, that pictures of `mesh` show."""
    low_corner, high_corner = mesh.bounds()
    margin = 1.0 + 2.0 * _PADDING / size
    reach = float(np.hypot(mesh.positions[:, 0], mesh.positions[:, 2]).max())
    low, high = max(float(low_corner[1]), -0.1), float(high_corner[1])
    return reach * margin, low, low + (high - low) * margin


def _angle(k: int, views: int) -> float:
    """The angle about the vertical from which picture `k` is drawn."""
    return 2.0 * math.pi * k / views if views > 2 else 0.5 * math.pi * k


def _sheet(pictures: list[Float32], columns: int) -> UInt8:
    rows = [
        np.concatenate(pictures[k : k + columns], axis=1) for k in range(0, len(pictures), columns)
    ]
    return as_bytes(np.concatenate(rows))


def _quads(half: float, low: float, high: float, views: int, columns: int) -> Mesh:
    positions, normals, uv, indices, wind = [], [], [], [], []
    rows = views // columns
    for k in range(views):
        angle = _angle(k, views)
        ca, sa = math.cos(angle), math.sin(angle)
        right, towards = np.array([ca, 0, -sa]), np.array([sa, 0, ca])
        for s, t in ((-1, 0), (1, 0), (-1, 1), (1, 1)):
            positions.append(right * s * half + np.array([0, low + (high - low) * t, 0]))
            normals.append(towards)
            uv.append([(k % columns + 0.5 + 0.5 * s) / columns, (k // columns + 1.0 - t) / rows])
            wind.append([255 * t, 0, 60 * t, 255])
        base = 4 * k
        indices += [[base, base + 1, base + 2], [base + 1, base + 3, base + 2]]
    return with_tangents(
        Mesh(
            np.array(positions, np.float32),
            np.array(normals, np.float32),
            np.array(uv, np.float32),
            np.array(indices, np.uint32),
            (Part("card", 0, 2 * views),),
            colors=np.full((4 * views, 4), 255, np.uint8),
            wind=np.array(wind, np.uint8),
        )
    )
