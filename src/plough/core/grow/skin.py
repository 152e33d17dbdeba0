"""Textures of bark and leaves, drawn from a few numbers.

Bark repeats seamlessly on both axes. Leaf images hold one sprig; outside the leaves the colour is spread over the transparent part, so that
smaller mip levels do not bleed.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from plough.core.arrays import Float32, Float64, UInt8
from plough.core.mesh.material import Maps
from plough.core.noise import tile
from plough.core.rng import stream, uniform_array

Color = tuple[float, float, float]  #: sRGB, 0 to 1


def parse_color(text: str) -> Color:
    """sRGB of ``#rrggbb``."""
    return (int(text[1:3], 16) / 255, int(text[3:5], 16) / 255, int(text[5:7], 16) / 255)


def _bytes(image: Float64 | Float32) -> UInt8:
    return (np.clip(image, 0.0, 1.0) * 255.0 + 0.5).astype(np.uint8)


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
        for k in range(self.leaves):
            last = k == self.leaves - 1
            u = 1.0 if last else (k + 0.5) / (self.leaves - 0.5)
            by = reach * (0.05 + 0.95 * u)
            bx = 0.035 * math.sin(by * math.pi)
            side = 1.0 if k % 2 else -1.0
            angle = 0.25 * (random[k, 0] - 0.5) if last else side * math.radians(62 - 24 * u + 22 * (random[k, 0] - 0.5))
            long = self.length * (0.72 + 0.28 * math.sin(math.pi * min(1.0, 0.25 + 0.6 * u)) + 0.16 * (random[k, 1] - 0.5))
            self._leaf(color, alpha, normal, x, y, bx, by, angle, long, u, random[k])
        self._spread(color, alpha)
        occlusion = np.full((n, n), 1.0, np.float32)
        surface = np.stack([occlusion, np.full((n, n), 0.62), np.zeros((n, n))], axis=-1)
        return Maps(np.concatenate([_bytes(color), _bytes(alpha)[..., None]], axis=-1), _bytes(normal * 0.5 + 0.5), _bytes(surface))

    def _leaf(
        self, color: Float32, alpha: Float32, normal: Float32, x: Float32, y: Float32, bx: float, by: float, angle: float, long: float,
        u: float, random: Float64,
    ) -> None:  # fmt: skip
        n = self.size
        ca, sa = math.cos(angle), math.sin(angle)
        # only the pixels about the leaf
        reach = long * 1.1
        c0, c1 = max(0, int((bx - reach + 0.5) * n)), min(n, int((bx + reach + 0.5) * n) + 1)
        r0, r1 = max(0, int((1 - by - reach) * n)), min(n, int((1 - by + reach) * n) + 1)
        box = (slice(r0, r1), slice(c0, c1))
        dx, dy = x[box] - bx, y[box] - by
        stalk = 0.10
        s = (dx * sa + dy * ca) / long  # along
        w = (dx * ca - dy * sa) / long  # across
        w = w - 0.10 * (random[2] - 0.5) * np.sin(np.clip(s, 0, 1) * math.pi)  # a gentle sideways bow
        t = np.clip((s - stalk) / (1 - stalk), 0.0, 1.0)
        a, b = 0.55 + 1.1 * self.widest, 0.55 + 1.1 * (1 - self.widest) + 1.3 * self.point
        peak = (a / (a + b)) ** a * (b / (a + b)) ** b
        outline = 0.5 * self.width * (t**a * (1 - t) ** b) / peak
        saw = np.abs(((t * 17.0) % 1.0) - 0.5) * 2.0
        outline = outline * (1.0 - 0.22 * self.teeth * saw)
        edge = 1.0 / (n * long)
        blade = np.clip((outline - np.abs(w)) / edge + 0.5, 0, 1) * ((s > stalk) & (s < 1.0))
        stem = np.clip((0.018 - np.abs(w)) / edge + 0.5, 0, 1) * ((s > 0) & (s <= stalk + 0.05))
        cover = np.maximum(blade, stem).astype(np.float32)
        tone = np.array(self.color, np.float32) * (1 - u**3 * 0.6) + np.array(self.tip_color, np.float32) * (u**3 * 0.6)
        tone = tone * np.float32(0.86 + 0.28 * random[3])
        rel = np.minimum(np.abs(w) / np.maximum(outline, 1e-4), 1.0)
        vein = np.exp(-((w / 0.010) ** 2)) * 0.30
        slant = ((t * 9.0 - rel * 1.35) % 1.0) - 0.5
        side_veins = np.exp(-((slant / 0.10) ** 2)) * 0.13 * (1 - rel)
        shade = 0.80 + 0.22 * rel + 0.10 * t - 0.10 * (slant + 0.5) * (1 - 0.6 * rel)
        pixel = tone[None, None, :] * (shade + side_veins)[..., None] + (vein[..., None] * np.array([0.34, 0.36, 0.16], np.float32))
        under = 0.80 + 0.20 * np.clip(1.0 - cover, 0, 1)  # a leaf darkens what lies under its rim
        color[box] = (color[box] * under[..., None]) * (1 - cover[..., None]) + pixel * cover[..., None]
        tilt = np.sign(w) * (0.42 - 0.25 * rel) + 0.25 * slant
        nx, ny = tilt * ca + 0.18 * sa * (t - 0.5), -tilt * sa + 0.18 * ca * (t - 0.5)
        nn = np.stack([nx, ny, np.ones_like(nx)], axis=-1)
        nn /= np.linalg.norm(nn, axis=-1, keepdims=True)
        normal[box] = normal[box] * (1 - cover[..., None]) + nn * cover[..., None]
        alpha[box] = np.maximum(alpha[box], cover)

    @staticmethod
    def _spread(color: Float32, alpha: Float32) -> None:
        """Fill the transparent part with the colours nearby, by averaging coarser and coarser images."""
        weight, total = alpha[..., None].copy(), color * alpha[..., None]
        pyramid = []
        while weight.shape[0] > 1:
            pyramid.append((total, weight))
            h = weight.shape[0] // 2
            total = total.reshape(h, 2, h, 2, 3).mean(axis=(1, 3))
            weight = weight.reshape(h, 2, h, 2, 1).mean(axis=(1, 3))
        fill = total / np.maximum(weight, 1e-6)
        for total, weight in reversed(pyramid):
            fill = fill.repeat(2, 0).repeat(2, 1)
            known = np.clip(weight * 4.0, 0, 1)
            fill = fill * (1 - known) + total / np.maximum(weight, 1e-6) * known
        keep = alpha[..., None] > 0.98
        color[...] = np.where(keep, color, fill)


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
