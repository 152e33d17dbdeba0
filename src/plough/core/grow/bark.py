"""Bark in four characters, drawn from a few numbers; it repeats seamlessly on both axes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32, Float64, UInt8
from plough.core.kernels import kernel, together
from plough.core.mesh.material import Maps
from plough.core.mesh.relief import normals_of_heights
from plough.core.noise import cells, tile
from plough.core.rng import seed_for

Color = tuple[float, float, float]  #: sRGB, 0 to 1


@kernel
def _byte(x: float) -> np.uint8:
    return np.uint8(min(1.0, max(0.0, x)) * 255.0 + 0.5)


_LICHEN = np.array([0.56, 0.60, 0.49])


@kernel
def _colored(
    height: Float32,
    mix: Float32,
    grain: Float32,
    blotch: Float32,
    tone: tuple[Float64, Float64],
    lichen_relief: tuple[float, float],
) -> tuple[UInt8, UInt8]:
    """Albedo and surface of bark: from the dark to the light tone by `mix`, with spots of lichen on what stands out."""
    n, m = height.shape
    dark, light = tone
    lichen, relief = lichen_relief
    albedo, surface = np.empty((n, m, 4), np.uint8), np.zeros((n, m, 3), np.uint8)
    for r in range(n):
        for c in range(m):
            k = min(1.0, max(0.0, mix[r, c]))
            vary = 1.0 + 0.14 * grain[r, c] + 0.12 * blotch[r, c]
            spot = (blotch[r, (c - m // 4) % m] - 0.5 + 0.62 * lichen) * 4.0
            spot = min(1.0, max(0.0, spot)) * min(1.0, max(0.0, 0.6 + 0.9 * grain[r, c]))
            cover = 0.8 * spot * k * min(1.0, lichen * 1.6)
            for a in range(3):
                color = (dark[a] + (light[a] - dark[a]) * k) * vary
                albedo[r, c, a] = _byte(color + cover * (_LICHEN[a] - color))
            albedo[r, c, 3] = 255
            deep = 1.0 - min(1.0, max(0.0, height[r, c] * 1.1))
            surface[r, c, 0] = _byte(1.0 - 0.6 * relief * deep)
            surface[r, c, 1] = _byte(0.97 - 0.14 * k)
    return albedo, surface


@kernel
def _warped(image: Float32, warp: Float32) -> Float32:
    """`image`, which repeats on both axes, moved down by `warp` pixels and to the right by half as many."""
    n, m = image.shape
    out = np.empty_like(image)
    for r in range(n):
        for c in range(m):
            by = int(warp[r, c])
            out[r, c] = image[(r + by) % n, (c + by // 2) % m]
    return out


@dataclass(frozen=True, slots=True)
class Bark:
    """Bark that repeats on both axes, in one of four characters."""

    style: str  #: furrowed, plated, smooth or peeling
    seed: int
    size: int  #: pixels a side
    light: Color  #: of what stands out
    dark: Color  #: of what lies deep
    relief: float  #: 0 flat, 1 deep
    scale: int  #: ridges, plates or marks round one repeat
    lichen: float  #: 0 to 1

    def draw(self) -> Maps:
        """The images."""
        n = self.size
        grain, blotch = together(
            lambda: tile(seed_for(self.seed, "bark.grain"), (n, n), (64, 8), 3, 0.6),
            lambda: tile(seed_for(self.seed, "bark.blotch"), (n, n), (4, 4), 5, 0.6),
        )
        height, mix = {
            "furrowed": self._furrowed,
            "plated": self._plated,
            "smooth": self._smooth,
            "peeling": self._peeling,
        }[self.style](grain, blotch)
        height = np.clip(height, 0.0, 1.2).astype(np.float32)
        tone = (np.array(self.dark), np.array(self.light))
        look = (self.lichen, self.relief)
        (albedo, surface), normal = together(
            lambda: _colored(height, mix.astype(np.float32), grain, blotch, tone, look),
            lambda: normals_of_heights(height, n / 512 * 3.4),
        )
        return Maps(albedo, normal, surface)

    def _grid(self) -> tuple[Float32, Float32]:
        n = self.size
        steps = np.asarray(np.arange(n) / n, np.float32)
        return steps[None, :], steps[:, None]

    def _furrowed(self, grain: Float32, blotch: Float32) -> tuple[Float32, Float32]:
        """Ridges that part and join, with cracks across them."""
        n = self.size
        column, row = self._grid()
        warp = tile(seed_for(self.seed, "bark.warp"), (n, n), (3, 2), 4, 0.55)
        # distance to wandering furrow lines, which cross where the wander is strong
        across = column * self.scale + 1.15 * warp
        other = column * (self.scale - 1) - 0.9 * np.roll(warp, n // 3, 0) + 0.35
        ridge = np.minimum(np.abs(np.sin(np.pi * across)), 0.25 + np.abs(np.sin(np.pi * other)))
        cracks = np.abs(np.sin(np.pi * (row * self.scale * 2 + 1.8 * blotch + 0.7 * warp)))
        plates = np.clip(ridge * 1.5, 0, 1) * (0.72 + 0.28 * np.clip(cracks * 3.0, 0, 1))
        smooth = 0.75 + 0.12 * blotch
        height = self.relief * plates + (1.0 - self.relief) * smooth + 0.10 * grain + 0.05 * blotch
        return height, height * 0.95 + 0.12 * blotch

    def _plated(self, grain: Float32, blotch: Float32) -> tuple[Float32, Float32]:
        """Tall scales with flat faces, each at a height of its own, and finer ones in the gaps."""
        n = self.size
        wide = (self.scale, max(2, self.scale // 2))
        narrow = (self.scale * 3, self.scale * 2)
        warp, (edge, value), (fine, tone) = together(
            lambda: tile(seed_for(self.seed, "bark.warp"), (n, n), (5, 4), 3, 0.5) * (0.035 * n),
            lambda: cells(seed_for(self.seed, "bark.plates"), (n, n), wide, 0.85),
            lambda: cells(seed_for(self.seed, "bark.flakes"), (n, n), narrow, 0.9),
        )
        edge, value = together(lambda: _warped(edge, warp), lambda: _warped(value, warp))
        plate = np.clip(edge / 0.10, 0, 1) ** 0.6
        height = (
            plate * (0.62 + 0.30 * value) + 0.14 * np.clip(fine * 5.0, 0, 1) * plate + 0.05 * grain
        )
        height = self.relief * height + (1.0 - self.relief) * (0.75 + 0.1 * blotch)
        return height, 0.15 + plate * (0.50 + 0.35 * value + 0.15 * tone) + 0.10 * blotch

    def _smooth(self, grain: Float32, blotch: Float32) -> tuple[Float32, Float32]:
        """Taut skin with lenticels: short level marks, and faint rings."""
        n = self.size
        rings = tile(seed_for(self.seed, "bark.rings"), (n, n), (3, 24), 3, 0.5)
        edge, value = cells(
            seed_for(self.seed, "bark.marks"), (n, n), (self.scale, self.scale * 5), 0.95
        )
        distance = 0.5 - edge  # towards the middle of each cell
        mark = np.clip((0.22 - distance * 0.62) * 9.0, 0, 1) * (value > 0.55)
        height = 0.72 + 0.05 * rings + 0.03 * grain + self.relief * (0.25 * mark + 0.08 * blotch)
        return height, 0.80 + 0.20 * blotch + 0.12 * rings - 0.85 * mark

    def _peeling(self, grain: Float32, blotch: Float32) -> tuple[Float32, Float32]:
        """Thin sheets that come off in level bands and show what lies below."""
        n = self.size
        sheets = tile(seed_for(self.seed, "bark.sheets"), (n, n), (2, self.scale), 5, 0.55)
        steps = sheets * 2.4 + 0.5
        layer = np.floor(steps)
        lip = np.clip(1.0 - np.abs(steps - layer) * 9.0, 0, 1)
        edge, value = cells(
            seed_for(self.seed, "bark.marks"), (n, n), (self.scale, self.scale * 4), 0.95
        )
        mark = np.clip((0.2 - (0.5 - edge) * 0.62) * 9.0, 0, 1) * (value > 0.6)
        height = 0.5 + self.relief * (0.22 * layer + 0.18 * lip) + 0.04 * grain
        under = (layer < 0).astype(np.float32) + 0.45 * (layer == 0)
        return height, 1.0 - 0.55 * np.clip(under, 0, 1) - 0.35 * lip - 0.75 * mark + 0.12 * blotch
