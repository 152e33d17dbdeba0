"""The skins of cloth: woven canvas and linen with stripes, and knotted nets; each repeats seamlessly on both axes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from plough.core.kernels import together
from plough.core.mesh.material import Maps, as_bytes
from plough.core.mesh.relief import normals_of_heights
from plough.core.noise import tile
from plough.core.rng import seed_for

Color = tuple[float, float, float]  #: sRGB, 0 to 1
Image = Any  #: (n, n) of floats
Stuff = Literal["canvas", "linen", "net"]


@dataclass(frozen=True, slots=True)
class Weave:
    """A skin of cloth; downwards is down the image."""

    stuff: Stuff
    seed: int
    size: int  #: pixels a side
    light: Color
    dark: Color
    threads: int  #: along one repeat, of a net: meshes
    stripes: int  #: along one repeat; none at 0
    stripe: Color
    worn: float  #: 0 new to 1 bleached and stained
    through: float  #: share of light that comes through

    def draw(self) -> Maps:
        """The images."""
        n = self.size
        at = ((np.arange(n) + 0.5) / n).astype(np.float32)
        x, y = at[None, :] + 0 * at[:, None], at[:, None] + 0 * at[None, :]

        def noise(name: str, repeat: int, octaves: int, gain: float) -> Image:
            return tile(
                seed_for(self.seed, f"weave.{name}"), (n, n), (repeat, repeat), octaves, gain
            )

        blotch, fine = together(
            lambda: noise("blotch", 3, 5, 0.6), lambda: noise("fine", 48, 3, 0.7)
        )
        if self.stuff == "net":
            u = self.threads * (x + y) + 0.05 * blotch
            v = self.threads * (x - y) + 0.05 * np.roll(blotch, n // 3, axis=0)
            a, b = np.abs(u - np.rint(u)), np.abs(v - np.rint(v))
            thread = np.clip(1.0 - np.minimum(a, b) / 0.085, 0.0, 1.0)
            knot = np.clip(1.0 - np.hypot(a, b) / 0.16, 0.0, 1.0)
            height = np.maximum(thread, np.sqrt(knot))
            alpha = np.clip(8.0 * height, 0.0, 1.0)
            mix = 0.5 + 0.4 * blotch + 0.35 * fine
        else:
            over = np.sin(np.pi * self.threads * x) ** 2
            under = np.sin(np.pi * self.threads * y) ** 2
            even = np.cos(np.pi * self.threads * x) * np.cos(np.pi * self.threads * y) > 0
            height = 0.5 + 0.35 * np.where(even, over, under) + 0.12 * fine
            alpha = np.ones((n, n), np.float32)
            mix = 0.55 + 0.25 * (height - 0.6) + 0.22 * fine + (0.15 + 0.4 * self.worn) * blotch
        color = (
            np.array(self.dark)
            + (np.array(self.light) - np.array(self.dark)) * np.clip(mix, -0.2, 1.2)[..., None]
        )
        if self.stripes and self.stuff != "net":
            edge = np.sin(2 * np.pi * self.stripes * x + 0.06 * fine)
            part = np.clip(0.5 + 9.0 * edge, 0.0, 1.0)[..., None]
            shade = (0.8 + 0.35 * np.clip(mix, 0, 1))[..., None]
            color = color + part * (np.array(self.stripe) * shade - color)
        stain = self.worn * np.clip(blotch - 0.15, 0.0, 1.0)[..., None]
        color = color * (1.0 - 0.55 * stain)
        whole = np.concatenate([color.clip(0.0, 1.0), alpha[..., None]], axis=2)
        surface = np.stack(
            [0.75 + 0.25 * np.clip(height, 0, 1), np.full((n, n), 0.92), np.zeros((n, n))], axis=2
        )
        return Maps(
            as_bytes(whole),
            normals_of_heights(
                height.astype(np.float32), n / 512 * (4.0 if self.stuff != "net" else 9.0)
            ),
            as_bytes(surface),
            as_bytes(np.full((n, n), self.through)),
        )
