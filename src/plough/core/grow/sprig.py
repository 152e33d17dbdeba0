"""A twig with leaves as an image, drawn from the leaves' own meshes.

Outside the leaves the colour is spread over the transparent part, so that smaller mip levels do not bleed.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from plough.core.arrays import Float32, Float64, UInt8
from plough.core.grow.blade import BladeImage
from plough.core.grow.lamina import LeafParameters
from plough.core.grow.leaf import leaf_shape
from plough.core.grow.shape import Shape, set_down
from plough.core.kernels import kernel, together
from plough.core.mesh.bleed import bleed_planes
from plough.core.mesh.material import Maps, as_bytes
from plough.core.mesh.raster import Samples, Triangles, draw_triangles
from plough.core.rng import stream, uniform_array

Color = tuple[float, float, float]  #: sRGB, 0 to 1


@dataclass(frozen=True, slots=True)
class Sprig:
    """A twig and its side twigs with leaves on both sides and one at each end, drawn from the leaves' own meshes."""

    leaf: LeafParameters
    size: int  #: pixels a side
    leaves: int  #: on all twigs, those at their ends included
    twigs: int  #: side twigs
    length: float  #: of a leaf, by the image's height
    angle: float  #: radians between leaf and twig, at the twig's foot
    rise: float  #: how far leaves stand up from the card, 0 flat
    twig: Color
    seed: int = 5

    def draw(self) -> Maps:
        """The images."""
        n = self.leaves
        random = (
            2.0
            * uniform_array(self.seed, stream("sprig"), np.arange(n * 8, dtype=np.uint64)).reshape(
                n, 8
            )
            - 1.0
        )
        reach = max(0.08, 0.96 - self.length)
        twigs = self._twigs(reach)
        # leaves are shared out over the twigs by their length; the last on each sits at its tip
        ends = np.cumsum([t[-1, 2] for t in twigs])
        at = ends[-1] * (np.arange(n) + 0.5) / n
        mine = np.minimum(np.searchsorted(ends, at), len(twigs) - 1)
        last = np.append(mine[1:] != mine[:-1], True)
        base, along, u = np.zeros((n, 3)), np.zeros((n, 2)), np.zeros(n)
        for j, twig in enumerate(twigs):
            rows = np.nonzero(mine == j)[0]
            far = np.where(last[rows], twig[-1, 2], at[rows] - (ends[j] - twig[-1, 2]))
            far = np.maximum(far, 0.05 * reach)
            base[rows, 0], base[rows, 1] = (np.interp(far, twig[:, 2], twig[:, i]) for i in (0, 1))
            ahead = np.minimum(far + 0.02, twig[-1, 2])
            for i in (0, 1):
                along[rows, i] = np.interp(ahead, twig[:, 2], twig[:, i]) - np.interp(
                    ahead - 0.03, twig[:, 2], twig[:, i]
                )
            u[rows] = far / twig[-1, 2]
        base[:, 2] = 0.012 * random[:, 4]
        side = np.where(np.arange(n) % 2 == 0, 1.0, -1.0)
        way = np.arctan2(along[:, 0], along[:, 1])
        turn = way + np.where(
            last, 0.12 * random[:, 0], side * (self.angle * (1.0 - 0.42 * u) + 0.2 * random[:, 0])
        )
        lift = self.rise * (0.25 + 0.45 * random[:, 1])
        along = np.stack(
            [np.sin(turn) * np.cos(lift), np.cos(turn) * np.cos(lift), np.sin(lift)], axis=1
        )
        up = np.stack(
            [0.35 * random[:, 2] * self.rise, 0.3 * random[:, 3] * self.rise, np.ones(n)], axis=1
        )
        up -= along * (up * along).sum(axis=1, keepdims=True)
        up /= np.linalg.norm(up, axis=1, keepdims=True)
        size = self.length * (
            0.74 + 0.26 * np.sin(math.pi * np.minimum(1.0, 0.25 + 0.6 * u)) + 0.09 * random[:, 5]
        )
        shape = leaf_shape(self.leaf, min(self.leaf.divisions, 6))
        v = shape.positions.shape[0]
        tone = np.clip(0.94 + 0.12 * random[:, 6], 0, 1)
        season = np.clip(self.leaf.season * (1.0 + 0.8 * random[:, 7]), 0.0, 1.0)
        blade = min(512, max(128, self.size // 2))
        image = {
            s: BladeImage(self.leaf.model_copy(update={"season": s}), blade).draw()
            for s in (0.0, 1.0)[: 1 + (self.leaf.season > 0)]
        }
        canvas = Canvas(self.size * 2)
        for j, twig in enumerate(twigs):
            canvas.stroke(
                twig[:, :2],
                (0.011 if j == 0 else 0.006) * (1.25 - twig[:, 2] / (twig[-1, 2] + 0.02)),
                self.twig,
            )
        # each leaf is wholly green or turned, by chance: a few mixed tones look alive, one mean tone does not
        turned = season > 0.5
        for s, maps in image.items():
            rows = np.nonzero(turned == (s > 0.5))[0]
            if rows.size:
                part = set_down(shape, base[rows], along[rows], up[rows], size[rows])
                canvas.draw(part, np.repeat(tone[rows], v), maps)
        return canvas.maps(self.leaf.roughness, self.leaf.translucency)

    def _twigs(self, reach: float) -> list[Float64]:
        """Courses of the twigs, each (12, 3): x, y and the way from its foot; the first is the middle one."""
        along = np.linspace(0.0, 1.0, 12)
        middle = reach * along
        lines = [np.stack([_bow(middle), middle], axis=1)]
        random = (
            2.0
            * uniform_array(
                self.seed, stream("sprig.twig"), np.arange(max(1, self.twigs) * 2, dtype=np.uint64)
            )
            - 1.0
        )
        for j in range(self.twigs):
            start = reach * (0.10 + 0.72 * (j + 0.5) / self.twigs)
            side = (1.0 if j % 2 == 0 else -1.0) * (0.75 + 0.12 * random[2 * j])
            # as long as there is room: to the edge at the foot, shorter towards the tip
            long = min((reach - start) * 1.05 + 0.06, 0.46) * (0.9 + 0.1 * random[2 * j + 1])
            bent = side * (1.0 - 0.35 * along)
            steps = np.cumsum(
                np.stack([np.sin(bent), np.cos(bent)], axis=1)[:-1] * (long / 11), axis=0
            )
            foot = np.array([_bow(start), start])
            lines.append(np.concatenate([foot[None], foot + steps]))
        out = []
        for line in lines:
            far = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
            out.append(np.concatenate([line, far[:, None]], axis=1))
        return out


def _bow(y: Any) -> Any:
    """How far the twig swings aside at the height `y`."""
    return 0.035 * np.sin(y * math.pi)


@kernel
def _stroke(line: Float64, half: Float64, color: Float64, samples: Samples) -> None:
    """Draw a tapering line through (n, 2) samples, `half` (n,) samples wide to each side, at depth 0."""
    depth, out, normal = samples
    n = depth.shape[0]
    for s in range(line.shape[0] - 1):
        ax, ay, bx, by = line[s, 0], line[s, 1], line[s + 1, 0], line[s + 1, 1]
        wide = max(half[s], half[s + 1])
        length = max(1e-12, (bx - ax) ** 2 + (by - ay) ** 2)
        lean = wide * math.sqrt(length) / max(1e-6, abs(by - ay))  # half its width along a row
        left, right = min(ax, bx) - wide, max(ax, bx) + wide
        for r in range(max(0, int(min(ay, by) - wide)), min(n, int(max(ay, by) + wide) + 2)):
            y = r + 0.5 - ay
            middle = ax + y * (bx - ax) / (by - ay) if abs(by - ay) > 1e-6 else ax
            first, last = max(left, middle - lean), min(right, middle + lean)
            for c in range(max(0, int(first)), min(n, int(last) + 2)):
                x = c + 0.5 - ax
                t = min(1.0, max(0.0, (x * (bx - ax) + y * (by - ay)) / length))
                dx, dy = x - t * (bx - ax), y - t * (by - ay)
                reach = half[s] + t * (half[s + 1] - half[s])
                if dx * dx + dy * dy <= reach * reach:
                    depth[r, c] = 0.0
                    for k in range(3):
                        out[r, c, k] = color[k]
                        normal[r, c, k] = 1.0 if k == 2 else 0.0


@kernel
def _thin(before: Float32, samples: Samples, much: float, thin: Float32) -> None:
    """Light comes through what has been drawn since `before`: `much` of what is brightest, less of the rest."""
    depth, color, _ = samples
    by = np.float32(much)
    for r in range(depth.shape[0]):
        for c in range(depth.shape[1]):
            if depth[r, c] > before[r, c]:
                thin[r, c] = by * max(color[r, c, 0], color[r, c, 1], color[r, c, 2])


@kernel
def _halved(samples: Samples, thin: Float32) -> Float32:
    """(8, n / 2, n / 2) means of blocks of two by two samples: colour, normal, thinness, cover."""
    depth, color, normal = samples
    n = depth.shape[0] // 2
    out = np.zeros((8, n, n), np.float32)
    part, nothing = np.float32(0.25), np.float32(-1e29)
    for r in range(n):
        i, j = 2 * r, 2 * r + 1
        for c in range(n):
            a, b = 2 * c, 2 * c + 1
            cover = (
                (depth[i, a] > nothing)
                + (depth[i, b] > nothing)
                + (depth[j, a] > nothing)
                + (depth[j, b] > nothing)
            )
            if cover == 0:
                continue
            # samples that hold nothing are 0
            for k in range(3):
                out[k, r, c] = part * (
                    color[i, a, k] + color[i, b, k] + color[j, a, k] + color[j, b, k]
                )
                out[3 + k, r, c] = part * (
                    normal[i, a, k] + normal[i, b, k] + normal[j, a, k] + normal[j, b, k]
                )
            out[6, r, c] = part * (thin[i, a] + thin[i, b] + thin[j, a] + thin[j, b])
            out[7, r, c] = part * cover
    return out


@kernel
def _finished(spread: Float32, cover: Float32, most: np.float32) -> tuple[UInt8, UInt8, UInt8]:
    """Albedo, normal and translucency, at most `most`, of colours, normals and thinness (7, n, n) that cover (n, n) of each pixel."""
    n = cover.shape[0]
    albedo, normal = np.empty((n, n, 4), np.uint8), np.empty((n, n, 3), np.uint8)
    through = np.empty((n, n), np.uint8)
    zero, half, one, byte = np.float32(0.0), np.float32(0.5), np.float32(1.0), np.float32(255.0)
    scale = np.empty(n, np.float32)
    for r in range(n):
        x, y, z = spread[3, r], spread[4, r], spread[5, r]
        for c in range(n):
            size = np.float32(math.sqrt(x[c] * x[c] + y[c] * y[c] + z[c] * z[c]))
            scale[c] = half * byte / max(np.float32(1e-6), size)
        for k in range(3):
            color, way = spread[k, r], spread[3 + k, r]
            for c in range(n):
                albedo[r, c, k] = np.uint8(min(one, max(zero, color[c])) * byte + half)
                normal[r, c, k] = np.uint8(half * byte + scale[c] * way[c] + half)
        for c in range(n):
            albedo[r, c, 3] = np.uint8(cover[r, c] * byte + half)
            through[r, c] = np.uint8(min(one, most, spread[6, r, c]) * byte + half)
    return albedo, normal, through


class Canvas:
    """An image of size x size samples over x in [-0.5, 0.5] and y in [0, 1], looked at along z; drawn finer by two, then shrunk."""

    def __init__(self, size: int) -> None:
        self.size = size
        self.samples = Samples(
            np.full((size, size), -1e30, np.float32),
            np.zeros((size, size, 3), np.float32),
            np.zeros((size, size, 3), np.float32),
        )
        self.thin = np.zeros((size, size), np.float32)

    def stroke(self, line: Float64, half: Float64, color: Color) -> None:
        """A tapering line through (n, 2) points, `half` (n,) wide to each side, at depth 0."""
        n = self.size
        at = np.stack([(line[:, 0] + 0.5) * n, (1.0 - line[:, 1]) * n], axis=1)
        wide = np.maximum(np.asarray(half) * n, 1.0)
        _stroke(at, wide, np.array(color, np.float64), self.samples)

    def draw(self, shape: Shape, tone: Any, maps: Maps) -> None:
        """`shape` in the image's own coordinates, its texture times `tone` (v,)."""
        n = self.size
        p = shape.positions
        points = np.stack([(p[:, 0] + 0.5) * n, (1.0 - p[:, 1]) * n, p[:, 2]], axis=1)
        turned = np.where(shape.normals[:, 2:] < 0, -shape.normals, shape.normals)
        tint = np.repeat(as_bytes(np.asarray(tone) ** 2.2)[:, None], 4, axis=1)
        before = self.samples.depth.copy()
        args = (points.astype(np.float32), turned.astype(np.float32), shape.uv, tint, shape.indices)
        triangles = Triangles(*args)
        together(
            lambda: draw_triangles(triangles, maps.albedo, True, self.samples, (0, n // 2)),
            lambda: draw_triangles(triangles, maps.albedo, True, self.samples, (n // 2, n)),
        )
        if maps.translucency is not None:
            leaf = maps.albedo[..., :3][maps.albedo[..., 3] >= 128]
            brightest = max(1e-3, leaf.max(initial=0) / 255.0 * float(np.max(tone)))
            much = float(maps.translucency.mean()) / 255.0 * 1.4
            _thin(before, self.samples, much / brightest, self.thin)

    def maps(self, roughness: float, translucency: float) -> Maps:
        """The images, at half the size."""
        mean = _halved(self.samples, self.thin)
        most = np.float32(1.5 * translucency)
        albedo, normal, through = _finished(bleed_planes(mean), mean[7], most)
        surface = np.zeros_like(normal)
        surface[..., 0], surface[..., 1] = 255, round(roughness * 255)
        return Maps(albedo, normal, surface, through)
