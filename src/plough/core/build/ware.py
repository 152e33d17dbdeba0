"""The skins of turned things: fired clay, wood, iron, woven willow; each repeats seamlessly on both axes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from plough.core.kernels import together
from plough.core.mesh.material import Maps, as_bytes
from plough.core.mesh.relief import normals_of_heights
from plough.core.noise import cells, tile
from plough.core.rng import seed_for

Color = tuple[float, float, float]  #: sRGB, 0 to 1
Image = Any  #: (n, n) of floats


@dataclass(frozen=True, slots=True)
class Ware:
    """A skin of one of four stuffs; upwards is up the image."""

    stuff: str  #: clay, wood, iron or willow
    seed: int
    size: int  #: pixels a side
    light: Color
    dark: Color
    relief: float  #: 0 smooth, 1 rough
    count: int  #: turning rings, planks' grain, rods: along one repeat
    cracks: float  #: 0 to 1

    def draw(self) -> Maps:
        """The images."""
        n = self.size
        blotch, fine = together(
            lambda: self._noise("blotch", (4, 4), 5, 0.6),
            lambda: self._noise("fine", (40, 40), 4, 0.7),
        )
        draw = {"clay": self._clay, "wood": self._wood, "iron": self._iron, "willow": self._willow}
        height, mix, rough = draw[self.stuff](blotch, fine)
        if self.cracks:
            edge, own = cells(seed_for(self.seed, "ware.cracks"), (n, n), (7, 7), 0.95)
            wander = edge + 0.05 * self._noise("crack", (12, 12), 4, 0.6)
            line = np.clip(1.0 - np.abs(wander) * 55.0, 0.0, 1.0) * (own < self.cracks)
            height, mix = height - 0.35 * line, mix - 1.2 * line
        dark, light = np.array(self.dark), np.array(self.light)
        color = dark + (light - dark) * np.clip(mix, -0.3, 1.25)[..., None]
        alpha = np.ones((n, n, 1))
        deep = np.clip(1.0 - height, 0.0, 1.0)
        surface = np.stack([1.0 - 0.5 * self.relief * deep, rough, np.zeros((n, n))], axis=2)
        return Maps(
            as_bytes(np.concatenate([color.clip(0.0, 1.0), alpha], axis=2)),
            normals_of_heights(height.astype(np.float32), n / 512 * 7.0),
            as_bytes(surface),
        )

    def _noise(self, name: str, repeat: tuple[int, int], octaves: int, gain: float) -> Image:
        return tile(
            seed_for(self.seed, f"ware.{name}"), (self.size, self.size), repeat, octaves, gain
        )

    def _steps(self) -> tuple[Image, Image]:
        at = ((np.arange(self.size) + 0.5) / self.size).astype(np.float32)
        return at[None, :], at[:, None]

    def _clay(self, blotch: Image, fine: Image) -> tuple[Image, Image, Image]:
        """Rings from the wheel, and grit."""
        _, row = self._steps()
        drift = self._noise("drift", (2, 3), 3, 0.5)
        ring = np.sin(2 * np.pi * (row * self.count) + 1.2 * drift)
        height = 0.7 + 0.12 * self.relief * (ring + 0.8 * fine) + 0.03 * blotch
        mix = 0.6 + 0.35 * blotch + 0.22 * fine + 0.08 * self.relief * ring
        return height, mix, 0.82 + 0.10 * np.clip(fine, -1, 1)

    def _wood(self, blotch: Image, fine: Image) -> tuple[Image, Image, Image]:
        """Grain that runs up, with knots of darker wood and checks along it."""
        grain = self._noise("grain", (self.count, 2), 5, 0.65)
        check = self._noise("check", (self.count // 2 + 3, 1), 4, 0.6)
        split = np.clip((check - 0.42) * 6.0, 0.0, 1.0)
        height = 0.75 + self.relief * (0.18 * grain - 0.5 * split + 0.05 * fine)
        mix = 0.55 + 0.5 * grain + 0.35 * blotch - 0.9 * split * self.relief
        return height, mix, 0.86 + 0.08 * np.clip(grain, -1, 1)

    def _iron(self, blotch: Image, fine: Image) -> tuple[Image, Image, Image]:
        """Cast and pitted; the light tone is rust."""
        rust = np.clip((blotch + 0.35 * fine + 0.1) * 2.2, 0.0, 1.0)
        height = 0.7 + self.relief * (0.12 * fine + 0.10 * rust)
        return height, rust + 0.15 * fine, 0.55 + 0.38 * rust

    def _willow(self, blotch: Image, fine: Image) -> tuple[Image, Image, Image]:
        """Rods woven about stakes, over one and under the next."""
        column, row = self._steps()
        stakes = max(2, 2 * (self.count // 6))
        rods = 2 * self.count
        across, along = column * stakes, row * rods
        number = np.floor(along)
        phase = np.cos(np.pi * (across + number))  # 1 over, -1 under
        round_ = np.sqrt(np.clip(1.0 - (2.0 * (along - number) - 1.0) ** 2, 0.0, 1.0))
        over = 0.5 + 0.5 * phase
        stake = np.sqrt(np.clip(1.0 - (np.abs((across + 0.5) % 1.0 - 0.5) / 0.22) ** 2, 0.0, 1.0))
        woven = round_ * (0.35 + 0.65 * over)
        height = np.maximum(woven, 0.55 * stake) * self.relief + (1.0 - self.relief) * 0.7
        tone = self._noise("rod", (2, rods), 2, 0.5)
        mix = 0.25 + 0.55 * woven + 0.4 * tone + 0.2 * blotch + 0.1 * fine
        return height, mix - 0.6 * (height < 0.25), 0.75 + 0.1 * np.clip(tone, -1, 1)
