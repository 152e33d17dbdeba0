"""The skin of stone, drawn from a few numbers; it repeats seamlessly on both axes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32
from plough.core.kernels import together
from plough.core.mesh.material import Maps, as_bytes
from plough.core.mesh.relief import normals_of_heights
from plough.core.noise import cells, tile
from plough.core.rng import seed_for

Color = tuple[float, float, float]  #: sRGB, 0 to 1


@dataclass(frozen=True, slots=True)
class Stone:
    """Stone that repeats on both axes."""

    seed: int
    size: int  #: pixels a side
    light: Color
    dark: Color
    grain: int  #: grains along one repeat
    speckle: float  #: 0 one tone, 1 grains of many tones
    relief: float  #: 0 polished, 1 coarse
    veins: float  #: 0 to 1
    lichen: float  #: 0 to 1: share that is covered
    lichen_color: Color

    def draw(self) -> Maps:
        """The images."""
        n, seed = self.size, self.seed

        def noise(name: str, repeat: int, octaves: int, gain: float) -> Float32:
            return tile(seed_for(seed, f"stone.{name}"), (n, n), (repeat, repeat), octaves, gain)

        blotch, fine, cloud, (edge, own), (rim, crust) = together(
            lambda: noise("blotch", 3, 6, 0.6),
            lambda: noise("fine", 24, 5, 0.72),
            lambda: noise("cloud", 5, 7, 0.62),
            lambda: cells(seed_for(seed, "stone.grain"), (n, n), (self.grain, self.grain), 0.95),
            lambda: cells(seed_for(seed, "stone.crust"), (n, n), (9, 9), 0.9),
        )
        grains = (own - 0.5) * np.clip(edge * 6.0, 0.2, 1.0)
        mix = 0.55 + 0.62 * blotch + 0.30 * fine + self.speckle * 1.1 * grains
        height = 0.5 + 0.10 * blotch + self.relief * (0.20 * fine + 0.16 * cloud + 0.10 * grains)
        rough = 0.90 - 0.12 * np.clip(mix, 0, 1)
        if self.veins:
            line = np.clip(1.0 - np.abs(blotch + 0.35 * cloud) * 26.0, 0.0, 1.0)
            mix = mix + self.veins * line * 0.8
            height = height + 0.05 * self.veins * line
        color = _between(np.array(self.dark), np.array(self.light), mix)
        if self.lichen:
            # crusts: some of the cells, with a lobed rim, and thinner ones where it is blotched
            lobed = np.minimum(rim * 2.2, 1.0) + 0.55 * fine + 0.25 * cloud
            spot = np.clip((lobed - 0.30) * 7.0, 0.0, 1.0) * (crust < self.lichen)
            film = np.clip((blotch + 0.5 * fine - 0.75 + 0.7 * self.lichen) * 3.0, 0.0, 0.7)
            cover = np.maximum(spot, film * self.lichen)[..., None]
            tone = (
                np.array(self.lichen_color) * (0.86 + 0.22 * fine + 0.14 * (crust - 0.5))[..., None]
            )
            color = color + cover * (tone - color)
            height = height + 0.06 * spot
            rough = np.maximum(rough, 0.95 * cover[..., 0])
        alpha = np.ones((n, n, 1), np.float32)
        hollow = np.clip(1.0 - 1.6 * (height - 0.5), 0.0, 1.0)
        surface = np.stack([1.0 - 0.35 * self.relief * hollow, rough, 0.0 * rough], axis=2)
        return Maps(
            as_bytes(np.concatenate([color, alpha], axis=2)),
            normals_of_heights(height.astype(np.float32), n / 512 * 9.0),
            as_bytes(surface),
        )


def _between(dark: Float32, light: Float32, share: Float32) -> Float32:
    """(n, n, 3) colours from `dark` to `light`, a little beyond at both ends."""
    out: Float32 = dark + (light - dark) * np.clip(share, -0.25, 1.2)[..., None]
    return np.clip(out, 0.0, 1.0)
