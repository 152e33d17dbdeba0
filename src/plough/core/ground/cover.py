"""What ground is covered with, seen close: images that repeat on both axes, with their height.

Grass is a sward of bent blades seen from above, drawn from the lowest to the highest; soil is crumbs
over layered noise; gravel is cells of two sizes, rounded; mud is smooth, with puddles; stone is flags
with worn edges and earth between them; rock is crags and blocks with crooked joints; sand is
ripples of grains; litter is fallen leaves, the last to fall on top.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.ndimage import gaussian_filter, map_coordinates

from plough.core.arrays import Float32
from plough.core.kernels import kernel
from plough.core.mesh.material import Maps, Material, as_bytes
from plough.core.mesh.relief import normals_of_heights
from plough.core.noise import cells, tile
from plough.core.rng import seed_for, stream, symmetric, uniform

CoverName = Literal["grass", "soil", "gravel", "mud", "stone", "rock", "sand", "litter"]
METRES: dict[CoverName, float] = {
    "grass": 1.6,
    "soil": 2.2,
    "gravel": 1.5,
    "mud": 2.6,
    "stone": 2.8,
    "rock": 4.5,
    "sand": 2.4,
    "litter": 1.4,
}
"""What one repeat of each image covers on the ground."""

TITLES: dict[str, str] = {
    "grass": "Grass",
    "soil": "Soil",
    "gravel": "Gravel",
    "mud": "Mud",
    "stone": "Stone flags",
    "rock": "Rock",
    "sand": "Sand",
    "litter": "Fallen leaves",
}

TONES: dict[CoverName, str] = {
    "grass": "#3d4a1c",
    "soil": "#56493a",
    "gravel": "#6b6459",
    "mud": "#4f4434",
    "stone": "#78766e",
    "rock": "#676054",
    "sand": "#a6936f",
    "litter": "#654929",
}
"""What each image comes to from far away: the mean of its light."""

_RELIEF: dict[CoverName, float] = {
    "grass": 2.2,
    "soil": 7.0,
    "gravel": 7.5,
    "mud": 3.0,
    "stone": 5.0,
    "rock": 9.0,
    "sand": 4.0,
    "litter": 4.0,
}
_BLADE, _LEAF = stream("cover.blade"), stream("cover.leaf")
_BLADES, _LEAVES = 5200, 1500
_GREENS = np.array(
    [[0.23, 0.33, 0.10], [0.30, 0.40, 0.13], [0.37, 0.43, 0.17], [0.52, 0.50, 0.27]], np.float32
)


@kernel
def _sward(seed: np.uint64, size: int, blades: int) -> tuple[Float32, Float32]:
    """Colour (n, n, 3) and height (n, n) of bent blades from above, on a dark floor of old leaves."""
    color = np.empty((size, size, 3), np.float32)
    height = np.zeros((size, size), np.float32)
    color[:, :, 0], color[:, :, 1], color[:, :, 2] = 0.155, 0.175, 0.075
    for b in range(blades):
        me = np.uint64(b * 16)
        low = b / blades
        x, y = uniform(seed, _BLADE, me) * size, uniform(seed, _BLADE, me + np.uint64(1)) * size
        angle = 2.0 * math.pi * uniform(seed, _BLADE, me + np.uint64(2))
        turn = 0.9 * symmetric(seed, _BLADE, me + np.uint64(3))
        long = size * (0.035 + 0.075 * uniform(seed, _BLADE, me + np.uint64(4)))
        half = size * (0.0022 + 0.0022 * uniform(seed, _BLADE, me + np.uint64(5)))
        pick = uniform(seed, _BLADE, me + np.uint64(6))
        tone = 3 if pick > 0.93 else int(pick / 0.93 * 2.999)
        light = 0.62 + 0.38 * low + 0.16 * symmetric(seed, _BLADE, me + np.uint64(7))
        steps = int(long / 0.7)
        for s in range(steps):
            t = s / steps
            a = angle + turn * t
            x += 0.7 * math.cos(a)
            y += 0.7 * math.sin(a)
            wide = half * (1.0 - 0.85 * t * t)
            up = low * (0.35 + 0.65 * math.sin(min(1.0, t * 1.3) * math.pi * 0.5))
            reach = int(wide + 1.0)
            for dy in range(-reach, reach + 1):
                for dx in range(-reach, reach + 1):
                    off = -dx * math.sin(a) + dy * math.cos(a)
                    if abs(off) > wide or dx * dx + dy * dy > (wide + 0.7) * (wide + 0.7):
                        continue
                    r, c = int(math.floor(y + dy)) % size, int(math.floor(x + dx)) % size
                    if up < height[r, c]:
                        continue
                    height[r, c] = up
                    rib = 1.0 - 0.25 * math.exp(-((off / (0.35 * wide + 0.2)) ** 2))
                    shade = light * rib * (0.8 + 0.3 * t)
                    for k in range(3):
                        color[r, c, k] = _GREENS[tone, k] * shade
    return color, height


_BROWNS = np.array(
    [[0.45, 0.30, 0.16], [0.55, 0.38, 0.20], [0.36, 0.24, 0.14], [0.60, 0.47, 0.27]], np.float32
)


@kernel
def _fallen(seed: np.uint64, size: int, leaves: int) -> tuple[Float32, Float32]:
    """Colour (n, n, 3) and height (n, n) of fallen leaves from above, on dark earth."""
    color = np.empty((size, size, 3), np.float32)
    height = np.zeros((size, size), np.float32)
    color[:, :, 0], color[:, :, 1], color[:, :, 2] = 0.17, 0.13, 0.09
    for b in range(leaves):
        me = np.uint64(b * 16)
        x, y = uniform(seed, _LEAF, me) * size, uniform(seed, _LEAF, me + np.uint64(1)) * size
        turn = 2.0 * math.pi * uniform(seed, _LEAF, me + np.uint64(2))
        sine, cosine = math.sin(turn), math.cos(turn)
        long = size * (0.022 + 0.022 * uniform(seed, _LEAF, me + np.uint64(3)))
        wide = long * (0.38 + 0.22 * uniform(seed, _LEAF, me + np.uint64(4)))
        curl = symmetric(seed, _LEAF, me + np.uint64(5))
        tone = int(uniform(seed, _LEAF, me + np.uint64(6)) * 3.999)
        light = 0.75 + 0.35 * uniform(seed, _LEAF, me + np.uint64(7))
        reach = int(long + 1.0)
        for dy in range(-reach, reach + 1):
            for dx in range(-reach, reach + 1):
                u, v = (dx * cosine + dy * sine) / long, (dy * cosine - dx * sine) / wide
                # pointed at both ends
                edge = abs(v) + u * u
                if edge >= 1.0:
                    continue
                r, c = int(math.floor(y + dy)) % size, int(math.floor(x + dx)) % size
                height[r, c] = 0.25 + 0.6 * b / leaves + 0.12 * (curl * u * u + 0.6 * abs(v))
                rib = 1.0 - 0.3 * math.exp(-((v / 0.09) ** 2))
                vein = 1.0 - 0.10 * (0.5 + 0.5 * math.cos(22.0 * (u + 0.5 * abs(v))))
                rim = 1.0 - 0.25 * max(0.0, edge - 0.75) * 4.0
                for k in range(3):
                    color[r, c, k] = _BROWNS[tone, k] * light * rib * vein * rim
    return color, height


@dataclass(frozen=True, slots=True)
class Cover:
    """The images of one class of ground; their depth is the height."""

    name: CoverName
    size: int = 512  #: pixels a side
    seed: int = 3

    def draw(self) -> Maps:
        """The images."""
        color, height, roughness = {
            "grass": self._grass,
            "soil": self._soil,
            "gravel": self._gravel,
            "mud": self._mud,
            "stone": self._stone,
            "rock": self._rock,
            "sand": self._sand,
            "litter": self._litter,
        }[self.name]()
        albedo = np.full((self.size, self.size, 4), 255, np.uint8)
        albedo[..., :3] = as_bytes(color)
        surface = np.zeros((self.size, self.size, 3), np.uint8)
        surface[..., 0], surface[..., 1] = 255, round(255 * roughness)
        normal = normals_of_heights(height.astype(np.float32), _RELIEF[self.name] * self.size / 512)
        return Maps(albedo, normal, surface, depth=as_bytes(height))

    def _noise(self, purpose: str, repeat: int, octaves: int, gain: float = 0.55) -> Float32:
        seed = seed_for(self.seed, f"cover.{self.name}.{purpose}")
        return tile(seed, (self.size, self.size), (repeat, repeat), octaves, gain)

    def _stones(
        self, purpose: str, repeat: int, round_: float, wear: float = 1.0
    ) -> tuple[Float32, Float32]:
        """Heights of rounded stones, 0 between them, and a value for each; `wear` takes off corners."""
        seed = seed_for(self.seed, f"cover.{self.name}.{purpose}")
        edge, value = cells(seed, (self.size, self.size), (repeat, repeat), 0.95)
        worn = gaussian_filter(edge, 0.13 * wear * self.size / repeat, mode="wrap")
        edge = np.clip(worn - 0.07 * wear, 0, 1)
        dome = np.sqrt(np.clip(1.0 - (1.0 - np.clip(edge * round_, 0.0, 1.0)) ** 2, 0.0, 1.0))
        return np.asarray(dome, np.float32), value

    def _grass(self) -> tuple[Float32, Float32, float]:
        color, height = _sward(seed_for(self.seed, "cover.sward"), self.size, _BLADES)
        broad = self._noise("broad", 3, 3)
        return color * (1.0 + 0.10 * broad)[..., None], height, 0.9

    def _soil(self) -> tuple[Float32, Float32, float]:
        broad, fine = self._noise("broad", 4, 4), self._noise("fine", 40, 3, 0.7)
        crumb, tone = self._stones("crumb", 46, 3.2)
        stone, grey = self._stones("stone", 42, 5.0)
        seen = np.clip((grey - 0.9) * 40.0, 0.0, 1.0) * stone
        height = 0.42 + 0.16 * broad + 0.14 * fine + 0.12 * crumb * (tone > 0.45) + 0.2 * seen
        shade = 0.62 + 0.75 * (height - 0.42) + 0.12 * broad
        earth = np.array([0.47, 0.385, 0.29], np.float32)
        color = earth * shade[..., None] * (0.92 + 0.16 * tone)[..., None]
        pale = np.array([0.58, 0.54, 0.47], np.float32) * (0.7 + 0.4 * grey)[..., None]
        mix = np.clip(seen * 1.4, 0, 1)[..., None]
        return (color * (1 - mix) + pale * mix).astype(np.float32), height.astype(np.float32), 0.95

    def _gravel(self) -> tuple[Float32, Float32, float]:
        small, a = self._stones("small", 72, 4.5)
        large, b = self._stones("large", 34, 4.5)
        grit = self._noise("grit", 90, 2)
        seen = (b > 0.6).astype(np.float32) * (large > 0.05)
        height = np.where(seen > 0, 0.35 + 0.55 * large, 0.12 + 0.42 * small)
        value = np.where(seen > 0, b, a)
        tones = np.array(
            [[0.56, 0.53, 0.48], [0.48, 0.44, 0.39], [0.63, 0.58, 0.49], [0.43, 0.42, 0.41]],
            np.float32,
        )
        color = tones[np.minimum((value * 97.0).astype(np.int64) % 4, 3)]
        shade = (0.45 + 0.62 * height + 0.10 * grit + 0.12 * (value - 0.5))[..., None]
        return (color * shade).astype(np.float32), height.astype(np.float32), 0.85

    def _mud(self) -> tuple[Float32, Float32, float]:
        broad, fine = self._noise("broad", 4, 4), self._noise("fine", 34, 3)
        height = np.clip(0.5 + 0.5 * broad + 0.08 * fine, 0.0, 1.0)
        wet = np.clip((0.42 - height) * 5.0, 0.0, 1.0)
        earth = np.array([0.36, 0.31, 0.235], np.float32)
        color = earth * (0.62 + 0.5 * height + 0.07 * fine - 0.22 * wet)[..., None]
        return color.astype(np.float32), height.astype(np.float32), 0.55

    def _stone(self) -> tuple[Float32, Float32, float]:
        flag, value = self._stones("flag", 6, 12.0, 0.4)
        broad, fine = self._noise("broad", 5, 4), self._noise("fine", 60, 3, 0.7)
        laid = np.clip(flag * 2.5 - 0.4, 0.0, 1.0)
        height = 0.2 + laid * (0.5 + 0.16 * value + 0.06 * broad) + 0.05 * fine
        grey = np.array([0.50, 0.49, 0.46], np.float32) * (0.82 + 0.34 * value)[..., None]
        grey = grey * (1.0 + 0.10 * broad + 0.09 * fine)[..., None]
        earth = np.array([0.33, 0.29, 0.20], np.float32) * (0.9 + 0.2 * fine)[..., None]
        mix = laid[..., None]
        color = earth * (1.0 - mix) + grey * mix
        return color.astype(np.float32), height.astype(np.float32), 0.8

    def _rock(self) -> tuple[Float32, Float32, float]:
        # crags: folded noise; blocks: cells with a height of their own, all drawn out of shape
        folds = 1.0 - 2.0 * np.abs(self._noise("folds", 3, 5, 0.55))
        fine = self._noise("fine", 40, 3, 0.7)
        large, a = self._broken("large", 4)
        small, b = self._broken("small", 11)
        height = 0.30 + 0.16 * folds + 0.22 * a + 0.10 * b + 0.04 * fine
        height = height - 0.10 * (1.0 - large) - 0.05 * (1.0 - small)
        shade = 0.62 + 0.62 * (height - 0.35) + 0.07 * fine
        shade = shade - 0.16 * (1.0 - large) - 0.06 * (1.0 - small)
        warm = np.clip(0.5 + 1.6 * self._noise("warm", 2, 4), 0.0, 1.0)[..., None]
        grey = np.array([0.52, 0.50, 0.465], np.float32)
        color = grey * shade[..., None] * (1.0 + warm * np.array([0.10, 0.03, -0.07], np.float32))
        lichen = np.clip(self._noise("lichen", 9, 5, 0.7) * 3.0 - 0.9, 0.0, 1.0)[..., None]
        pale = np.array([0.60, 0.60, 0.50], np.float32) * (0.8 + 0.4 * (height - 0.4))[..., None]
        color = color * (1.0 - 0.45 * lichen) + 0.45 * lichen * pale
        return color.astype(np.float32), np.clip(height, 0, 1).astype(np.float32), 0.9

    def _broken(self, purpose: str, repeat: int) -> tuple[Float32, Float32]:
        """Blocks with crooked joints: 0 in a joint and 1 beside it, and the height of each block."""
        seed = seed_for(self.seed, f"cover.{self.name}.{purpose}")
        edge, value = cells(seed, (self.size, self.size), (repeat, repeat), 0.95)
        far = 0.22 * self.size / repeat
        rows, columns = np.indices((self.size, self.size), np.float32)
        at = [
            rows + far * self._noise(f"{purpose} down", repeat, 4, 0.6),
            columns + far * self._noise(f"{purpose} across", repeat, 4, 0.6),
        ]
        joint = map_coordinates(edge, at, order=1, mode="grid-wrap")
        block = map_coordinates(value, at, order=0, mode="grid-wrap")
        width = 0.8 / self.size * repeat
        joint = np.clip(joint / (4.0 * width), 0.0, 1.0)
        return joint, gaussian_filter(block, 0.004 * self.size, mode="wrap")

    def _sand(self) -> tuple[Float32, Float32, float]:
        broad, grain = self._noise("broad", 3, 3), self._noise("grain", 128, 2, 0.8)
        warp = self._noise("warp", 4, 3)
        rows = np.arange(self.size, dtype=np.float32)[:, None] / self.size
        wave = (16.0 * rows + 0.9 * warp) % 1.0
        # gentle on one side, short on the other
        ripple = np.where(wave < 0.7, wave / 0.7, (1.0 - wave) / 0.3)
        ripple = ripple * ripple * (3.0 - 2.0 * ripple)
        height = 0.4 + 0.22 * ripple * (0.7 + 0.5 * broad) + 0.12 * broad + 0.04 * grain
        pale = np.array([0.74, 0.655, 0.495], np.float32)
        shade = 0.80 + 0.16 * ripple + 0.10 * grain + 0.06 * broad
        return (pale * shade[..., None]).astype(np.float32), height.astype(np.float32), 0.9

    def _litter(self) -> tuple[Float32, Float32, float]:
        color, height = _fallen(seed_for(self.seed, "cover.fallen"), self.size, _LEAVES)
        broad = self._noise("broad", 3, 3)
        return color * (1.0 + 0.12 * broad)[..., None], height, 0.9


def cover_material(name: CoverName) -> Material:
    """The material of a class of ground."""
    return Material(name, Cover(name), roughness=0.9)
