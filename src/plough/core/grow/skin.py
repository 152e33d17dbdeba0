"""Textures of bark and leaves, drawn from a few numbers.

Bark repeats seamlessly on both axes. Leaf images hold one sprig; outside the leaves the colour is spread over the transparent part, so that
smaller mip levels do not bleed.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from plough.core.arrays import Float32, Float64, UInt8
from plough.core.kernels import kernel
from plough.core.mesh.bleed import bleed
from plough.core.mesh.material import Maps
from plough.core.noise import tile
from plough.core.rng import stream, uniform_array

Color = tuple[float, float, float]  #: sRGB, 0 to 1


def parse_color(text: str) -> Color:
    """sRGB of ``#rrggbb``."""
    return (int(text[1:3], 16) / 255, int(text[3:5], 16) / 255, int(text[5:7], 16) / 255)


def _bytes(image: Any) -> UInt8:
    out: UInt8 = (np.clip(image, 0.0, 1.0) * 255.0 + 0.5).astype(np.uint8)
    return out


def _normal_map(height: Float32, strength: float) -> UInt8:
    """Tangent-space normals of a height image that repeats on both axes; green points up the image."""
    dx = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) * strength
    dy = (np.roll(height, 1, 0) - np.roll(height, -1, 0)) * strength
    normal = np.stack([-dx, -dy, np.ones_like(height)], axis=-1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    return _bytes(normal * 0.5 + 0.5)


@dataclass(frozen=True, slots=True)
class Bark:
    """Bark with furrows along the stem: ridges that part and join, cracks across them, lichen."""

    seed: int
    size: int  #: pixels a side
    light: Color  #: of the ridges
    dark: Color  #: of the furrows
    furrows: float  #: 0 smooth, 1 deep
    scale: int  #: ridges round one repeat
    lichen: float  #: 0 to 1

    def draw(self) -> Maps:
        """The images."""
        n, seed = self.size, np.uint64(self.seed)
        warp = tile(seed, n, n, 3, 2, 4, 0.55)
        grain = tile(seed + np.uint64(11), n, n, 64, 8, 3, 0.6)
        blotch = tile(seed + np.uint64(23), n, n, 4, 4, 5, 0.6)
        column = np.arange(n, dtype=np.float32)[None, :] / n
        row = np.arange(n, dtype=np.float32)[:, None] / n
        # ridges: distance to wandering furrow lines, which cross where the wander is strong
        across = column * self.scale + 1.15 * warp
        other = column * (self.scale - 1) - 0.9 * np.roll(warp, n // 3, 0) + 0.35
        ridge = np.minimum(np.abs(np.sin(np.pi * across)), 0.25 + np.abs(np.sin(np.pi * other)))
        cracks = np.abs(np.sin(np.pi * (row * self.scale * 2 + 1.8 * blotch + 0.7 * warp)))
        plates = np.clip(ridge * 1.5, 0, 1) * (0.72 + 0.28 * np.clip(cracks * 3.0, 0, 1))
        smooth = 0.75 + 0.12 * blotch
        height = self.furrows * plates + (1.0 - self.furrows) * smooth + 0.10 * grain + 0.05 * blotch
        height = np.clip(height, 0.0, 1.15).astype(np.float32)
        mix = np.clip(height * 0.95 + 0.12 * blotch, 0, 1)[..., None]
        color = np.array(self.dark) * (1 - mix) + np.array(self.light) * mix
        color = color * (1.0 + 0.16 * grain[..., None] + 0.10 * blotch[..., None])
        cover = np.clip((np.roll(blotch, n // 4, 1) - 0.55 + 0.75 * self.lichen) * 3.0, 0, 1)[..., None] * mix * min(1.0, self.lichen * 2)
        color = color * (1 - 0.75 * cover) + np.array([0.58, 0.62, 0.50]) * 0.75 * cover
        albedo = np.concatenate([_bytes(color), np.full((n, n, 1), 255, np.uint8)], axis=-1)
        occlusion = 0.45 + 0.55 * np.clip(height * 1.15, 0, 1)
        surface = np.stack([occlusion, 0.96 - 0.12 * mix[..., 0], np.zeros_like(height)], axis=-1)
        return Maps(albedo, _normal_map(height, n / 512 * 3.5), _bytes(surface))


@kernel
def _draw_leaf(
    color: Float32, alpha: Float32, normal: Float32, bx: float, by: float, angle: float, long: float, u: float, random: Float64,
    tones: Float64, width: float, widest: float, point: float, teeth: float,
) -> None:  # fmt: skip
    """Lay one leaf over the image; its stalk begins at (bx, by), x from the middle, y from the bottom, by the image's size."""
    n = alpha.shape[0]
    ca, sa = math.cos(angle), math.sin(angle)
    reach = long * 1.1
    c0, c1 = max(0, int((bx - reach + 0.5) * n)), min(n, int((bx + reach + 0.5) * n) + 1)
    r0, r1 = max(0, int((1 - by - reach) * n)), min(n, int((1 - by + reach) * n) + 1)
    a, b = 0.55 + 1.1 * widest, 0.55 + 1.1 * (1 - widest) + 1.3 * point
    peak = (a / (a + b)) ** a * (b / (a + b)) ** b
    young = u**3 * 0.6
    tone = 0.86 + 0.28 * random[3]
    stalk = 0.10
    edge = 1.0 / (n * long)
    for r in range(r0, r1):
        for c in range(c0, c1):
            dx, dy = (c + 0.5) / n - 0.5 - bx, 1.0 - (r + 0.5) / n - by
            s = (dx * sa + dy * ca) / long  # along
            w = (dx * ca - dy * sa) / long  # across
            w -= 0.10 * (random[2] - 0.5) * math.sin(min(1.0, max(0.0, s)) * math.pi)  # a gentle sideways bow
            t = min(1.0, max(0.0, (s - stalk) / (1 - stalk)))
            saw = abs((t * 17.0) % 1.0 - 0.5) * 2.0
            outline = 0.5 * width * (t**a * (1 - t) ** b) / peak * (1.0 - 0.22 * teeth * saw)
            cover = 0.0
            if stalk < s < 1.0:
                cover = min(1.0, max(0.0, (outline - abs(w)) / edge + 0.5))
            if 0.0 < s <= stalk + 0.05:
                cover = max(cover, min(1.0, max(0.0, (0.018 - abs(w)) / edge + 0.5)))
            if cover <= 0.0:
                continue
            rel = min(1.0, abs(w) / max(outline, 1e-4))
            vein = 0.30 * math.exp(-((w / 0.010) ** 2))
            slant = (t * 9.0 - rel * 1.35) % 1.0 - 0.5
            side_veins = 0.13 * (1 - rel) * math.exp(-((slant / 0.10) ** 2))
            shade = 0.80 + 0.22 * rel + 0.10 * t - 0.10 * (slant + 0.5) * (1 - 0.6 * rel) + side_veins
            tilt = (0.42 - 0.25 * rel) * (1.0 if w > 0 else -1.0) + 0.25 * slant
            nx, ny = tilt * ca + 0.18 * sa * (t - 0.5), -tilt * sa + 0.18 * ca * (t - 0.5)
            ln = 1.0 / math.sqrt(nx * nx + ny * ny + 1.0)
            for k in range(3):
                base = (tones[0, k] * (1 - young) + tones[1, k] * young) * tone
                vein_tone = 0.34 if k == 0 else (0.36 if k == 1 else 0.16)
                color[r, c, k] = color[r, c, k] * (1 - cover) + (base * shade + vein * vein_tone) * cover
            normal[r, c, 0] = normal[r, c, 0] * (1 - cover) + nx * ln * cover
            normal[r, c, 1] = normal[r, c, 1] * (1 - cover) + ny * ln * cover
            normal[r, c, 2] = normal[r, c, 2] * (1 - cover) + ln * cover
            alpha[r, c] = max(alpha[r, c], cover)


@dataclass(frozen=True, slots=True)
class Sprig:
    """A twig with leaves on both sides and one at its end."""

    seed: int
    size: int  #: pixels a side
    leaves: int  #: on the twig, the end leaf included
    length: float  #: of a leaf, by the image's height
    width: float  #: of a leaf, by its length
    widest: float  #: where along the leaf it is widest, 0 base, 1 tip
    point: float  #: 0 round tip, 1 long point
    teeth: float  #: depth of the teeth along the edge, 0 to 1
    color: Color
    tip_color: Color  #: of the youngest leaves, at the end
    twig: Color

    def draw(self) -> Maps:
        """The images."""
        n = self.size
        ys, xs = np.mgrid[0:n, 0:n].astype(np.float32)
        x, y = (xs + 0.5) / n - 0.5, 1.0 - (ys + 0.5) / n
        color = np.zeros((n, n, 3), np.float32)
        alpha = np.zeros((n, n), np.float32)
        normal = np.zeros((n, n, 3), np.float32)
        normal[..., 2] = 1.0
        edge = 1.0 / n
        reach = max(0.1, 0.97 - self.length)
        # the twig, a little curved
        bow = 0.035 * np.sin(y * math.pi)
        twig = np.clip((0.011 * (1.25 - y) - np.abs(x - bow)) / edge + 0.5, 0, 1) * (y < reach + 0.03)
        color += twig[..., None] * np.array(self.twig, np.float32)
        alpha = np.maximum(alpha, twig)
        ids = np.arange(self.leaves * 8, dtype=np.uint64)
        random = uniform_array(self.seed, stream("sprig"), ids).reshape(self.leaves, 8)
        shape = (self.width, self.widest, self.point, self.teeth)
        tones = np.array([self.color, self.tip_color])
        for k in range(self.leaves):
            last = k == self.leaves - 1
            u = 1.0 if last else (k + 0.5) / (self.leaves - 0.5)
            by = reach * (0.05 + 0.95 * u)
            bx = 0.035 * math.sin(by * math.pi)
            side = 1.0 if k % 2 else -1.0
            angle = 0.25 * (random[k, 0] - 0.5) if last else side * math.radians(62 - 24 * u + 22 * (random[k, 0] - 0.5))
            long = self.length * (0.72 + 0.28 * math.sin(math.pi * min(1.0, 0.25 + 0.6 * u)) + 0.16 * (random[k, 1] - 0.5))
            _draw_leaf(color, alpha, normal, bx, by, angle, long, u, random[k], tones, *shape)
        surface = np.stack([np.ones((n, n)), np.full((n, n), 0.62), np.zeros((n, n))], axis=-1)
        albedo = np.concatenate([_bytes(bleed(color, alpha)), _bytes(alpha)[..., None]], axis=-1)
        return Maps(albedo, _bytes(normal * 0.5 + 0.5), _bytes(surface))


@dataclass(frozen=True, slots=True)
class Blade:
    """Three columns: a living blade, a dead one, a plumed head; the root is at the bottom."""

    size: int  #: pixels a side
    green: Color
    dead: Color
    head: Color

    def draw(self) -> Maps:
        """The images."""
        n = self.size
        ys, xs = np.mgrid[0:n, 0:n].astype(np.float32)
        u, v = (xs + 0.5) / n * 3.0, 1.0 - (ys + 0.5) / n
        column = np.minimum(u.astype(np.int64), 2)
        across = u - column
        fibre = tile(np.uint64(9), n, n, 96, 3, 3, 0.6)
        tuftlets = tile(np.uint64(4), n, n, 48, 40, 3, 0.7)
        base = np.array([self.green, self.dead, self.head], np.float32)[column]
        root = np.array([self.dead, self.dead, self.green], np.float32)[column]
        k = np.clip(1.0 - v * 2.2, 0, 1)[..., None] * 0.55
        color = base * (1 - k) + root * k
        rib = np.abs(across - 0.5) * 2.0
        color = color * (0.86 + 0.22 * rib + 0.18 * fibre + 0.20 * np.where(column == 2, tuftlets, 0))[..., None]
        alpha = np.ones((n, n), np.float32)
        ragged = (tuftlets * 0.5 + 0.5) > 0.30 + 0.55 * rib**2
        alpha[(column == 2) & (v > 0.72)] = ragged[(column == 2) & (v > 0.72)]
        albedo = np.concatenate([_bytes(color), _bytes(alpha)[..., None]], axis=-1)
        tilt = (across - 0.5) * 0.9
        normal = np.stack([tilt, np.zeros_like(tilt), np.ones_like(tilt)], axis=-1)
        normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
        surface = np.stack([np.ones((n, n)), np.full((n, n), 0.7), np.zeros((n, n))], axis=-1)
        return Maps(albedo, _bytes(normal * 0.5 + 0.5), _bytes(surface))
