"""Textures, leaves and height maps of the stand-in, and pictures of them."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PIL import Image

from plough.core.arrays import Float32, Float64, UInt8
from plough.core.formats.images import jpeg
from plough.core.ground import TerrainParameters, make_terrain
from plough.core.mesh.material import Maps, as_bytes
from plough.core.mesh.relief import normals_of_heights
from plough.core.noise import cells, tile
from plough.core.rng import seed_for

Color = tuple[float, float, float]
PICTURE = (400, 360)  #: pixels


@dataclass(frozen=True, slots=True)
class Boards:
    """Weathered boards that run up the image, and repeat; with no gaps, one broad face of wood."""

    seed: int
    size: int  #: pixels a side
    boards: int  #: over the width; 0: no gaps
    tone: Color = (0.47, 0.42, 0.35)  #: sRGB

    def draw(self) -> Maps:
        """The images."""
        n = self.size

        def own(purpose: str, repeat: tuple[int, int], octaves: int) -> Float32:
            return tile(seed_for(self.seed, f"boards.{purpose}"), (n, n), repeat, octaves, 0.6)

        grain, streak, broad = (
            own("grain", (90, 3), 3),
            own("streak", (24, 1), 3),
            own("broad", (5, 3), 3),
        )
        height = 0.6 + 0.16 * grain + 0.08 * streak
        tint: Float32 = np.ones((1, n), np.float32)
        if self.boards:
            across = np.arange(n) / n * self.boards
            edge = np.abs(across % 1.0 - 0.5) * 2.0
            gap = np.clip((1.0 - edge) * n / self.boards / 9.0, 0.0, 1.0)
            height = (height * gap**0.6).astype(np.float32)
            draws = np.random.Generator(np.random.PCG64(self.seed)).random(self.boards)
            tint = np.float32(0.35 + 0.65 * gap) * (0.78 + 0.4 * draws[across.astype(np.int64)])[
                None, :
            ].astype(np.float32)
        shade = tint * (0.86 + 0.22 * streak + 0.2 * grain + 0.12 * broad)
        albedo = np.full((n, n, 4), 255, np.uint8)
        albedo[..., :3] = as_bytes(np.array(self.tone, np.float32) * shade[..., None])
        surface = np.zeros((n, n, 3), np.uint8)
        surface[..., 0], surface[..., 1] = 255, 225
        return Maps(albedo, normals_of_heights(height.astype(np.float32), 3.0 * n / 512), surface)


@dataclass(frozen=True, slots=True)
class Worn:
    """Grey stone with grains, pits and spots of lichen; it repeats."""

    seed: int
    size: int
    lichen: float  #: share of the spots that are grown over

    def draw(self) -> Maps:
        """The images."""
        n = self.size

        def own(purpose: str, repeat: int, octaves: int, gain: float = 0.55) -> Float32:
            return tile(
                seed_for(self.seed, f"worn.{purpose}"), (n, n), (repeat, repeat), octaves, gain
            )

        broad, fine, pits = own("broad", 3, 5), own("fine", 48, 3, 0.7), own("pits", 12, 3)
        height = 0.55 + 0.2 * broad + 0.1 * fine - 0.3 * np.clip(pits - 0.25, 0, 1)
        grey = np.array([0.53, 0.515, 0.48], np.float32)
        color = (
            grey * (0.86 + 0.24 * broad + 0.2 * fine - 0.35 * np.clip(pits - 0.2, 0, 1))[..., None]
        )
        edge, value = cells(seed_for(self.seed, "worn.lichen"), (n, n), (9, 9), 0.95)
        spot = np.clip((edge + 0.35 * broad + 0.25 * fine - 0.1) * 9.0, 0, 1) * (
            value < self.lichen
        )
        pale = np.where(
            (value * 41 % 1 < 0.4)[..., None],
            np.array([0.62, 0.6, 0.42], np.float32),
            np.array([0.6, 0.63, 0.56], np.float32),
        )
        color = color + 0.75 * spot[..., None] * (pale * (0.92 + 0.16 * fine)[..., None] - color)
        albedo = np.full((n, n, 4), 255, np.uint8)
        albedo[..., :3] = as_bytes(color)
        surface = np.zeros((n, n, 3), np.uint8)
        surface[..., 0], surface[..., 1] = 255, 235
        return Maps(albedo, normals_of_heights(height.astype(np.float32), 5.0 * n / 512), surface)


def picture_of(maps: Maps) -> bytes:
    """A flat piece lit from the upper left, as JPEG; what is cut out shows paper."""
    normal = maps.normal.astype(np.float32) / 127.5 - 1.0
    light = np.array([-0.5, 0.55, 0.67], np.float32)
    shade = 0.3 + 0.85 * np.clip(normal @ light, 0.0, 1.0)
    color = maps.albedo[..., :3].astype(np.float32) * shade[..., None]
    alpha = maps.albedo[..., 3:].astype(np.float32) / 255.0
    seen = color * alpha + np.array([243, 238, 224], np.float32) * (1.0 - alpha)
    return _framed(seen.clip(0, 255).astype(np.uint8))


def height_map(
    parameters: dict[str, float], samples: int = 513
) -> tuple[bytes, Callable[[], bytes]]:
    """A 16-bit PNG of a noise terrain from its lowest to its highest, and what draws a picture of it lit from the side."""
    size = 512.0
    shape = TerrainParameters(size=size, resolution=size / (samples - 1), **parameters)
    heights = make_terrain(shape).heights.astype(np.float64)
    share = (heights - heights.min()) / max(float(np.ptp(heights)), 1e-9)
    out = io.BytesIO()
    Image.fromarray(np.rint(share * 65535).astype(np.uint16)).save(out, "PNG", compress_level=6)
    return out.getvalue(), lambda: _lit(heights, size / (samples - 1))


def _lit(heights: Float64, spacing: float) -> bytes:
    share = (heights - heights.min()) / max(float(np.ptp(heights)), 1e-9)
    dz, dx = np.gradient(heights * 60.0 / max(float(np.ptp(heights)), 1e-9), spacing)
    normal = np.stack([-dx, -dz, np.ones_like(dx)], axis=-1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    lit = np.clip(normal @ np.array([-0.55, -0.5, 0.67]), 0.0, 1.0)
    low, high = np.array([118, 128, 86.0]), np.array([222, 208, 168.0])
    color = (low + (high - low) * share[..., None]) * (0.35 + 0.85 * lit[..., None])
    return _framed(color.clip(0, 255).astype(np.uint8))


def _framed(image: UInt8) -> bytes:
    h, w = image.shape[:2]
    part = min(h, round(w * PICTURE[1] / PICTURE[0]))
    cut = image[(h - part) // 2 : (h - part) // 2 + part]
    small = Image.fromarray(cut).resize(PICTURE, Image.Resampling.LANCZOS)
    return jpeg(np.asarray(small), 88)
