"""A square height field centred on the origin."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from pydantic import Field

from plough.core.arrays import Float32, Float64
from plough.core.errors import TooLargeError
from plough.core.kernels import kernel
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.value import Mesh, Part
from plough.core.noise import layered
from plough.core.parameters import Parameters, Seed, flag, number

MOST_SAMPLES = 2049  #: a side


@dataclass(frozen=True, slots=True)
class HeightField:
    """Heights on a square grid; x and z run from -size/2 to size/2."""

    heights: Float32  #: (n, n) metres, row = z, column = x
    size: float  #: metres a side

    @property
    def spacing(self) -> float:
        """Metres between samples."""
        return float(self.size / (self.heights.shape[0] - 1))

    def height(self, x: Float64, z: Float64) -> Float64:
        """(n,) heights in metres at (x, z), bilinear; points outside take the height of the edge."""
        return _surface(self.heights, self.size, np.asarray(x, np.float64), np.asarray(z, np.float64))[0]

    def height_and_normal(self, x: Float64, z: Float64) -> tuple[Float64, Float64]:
        """(n,) heights and (n, 3) unit normals of the bilinear surface at (x, z)."""
        return _surface(self.heights, self.size, np.asarray(x, np.float64), np.asarray(z, np.float64))


class TerrainParameters(Parameters):
    """Terrain from layered noise."""

    size: float = number(512, "Size", (64, 4096), unit="m", step=1, group="Terrain")
    resolution: float = number(2, "Sample spacing", (0.25, 32), soft=(0.5, 8), unit="m", step=0.25, group="Terrain")
    seed: Seed = Field(1, title="Seed", json_schema_extra={"control": "seed", "unit": "", "group": "Terrain"})
    relief: float = number(
        12, "Relief", (0, 600), soft=(0, 80), unit="m", step=0.1, group="Terrain", help="From the lowest to the highest ground, about."
    )
    feature: float = number(180, "Hill width", (10, 4000), soft=(20, 800), unit="m", step=1, group="Terrain")
    roughness: float = number(0.42, "Roughness", (0, 0.8), group="Terrain", help="Strength of each finer layer of noise by the one before.")
    ridges: float = number(0, "Ridges", (0, 1), unit="share", group="Terrain")
    basin: bool = flag(False, "Flat-bottomed basin", group="Basin")
    basin_radius: float = number(140, "Radius", (5, 4000), soft=(20, 600), unit="m", step=1, group="Basin")
    basin_depth: float = number(3, "Depth", (0, 200), soft=(0, 30), unit="m", step=0.1, group="Basin")
    basin_x: float = number(0, "Middle, east", (-2048, 2048), soft=(-256, 256), unit="m", step=1, group="Basin")
    basin_z: float = number(0, "Middle, south", (-2048, 2048), soft=(-256, 256), unit="m", step=1, group="Basin")
    water: bool = flag(False, "Standing water", group="Water")
    water_level: float = number(0, "Level", (-200, 600), soft=(-10, 20), unit="m", step=0.05, group="Water")


@kernel
def _surface(heights: Float32, size: float, x: Float64, z: Float64) -> tuple[Float64, Float64]:
    n = heights.shape[0]
    spacing = size / (n - 1)
    out = np.empty(x.shape[0])
    normal = np.empty((x.shape[0], 3))
    for i in range(x.shape[0]):
        u = min(max((x[i] + 0.5 * size) / spacing, 0.0), n - 1.0)
        v = min(max((z[i] + 0.5 * size) / spacing, 0.0), n - 1.0)
        c, r = min(int(u), n - 2), min(int(v), n - 2)
        f, g = u - c, v - r
        a, b, p, q = heights[r, c], heights[r, c + 1], heights[r + 1, c], heights[r + 1, c + 1]
        out[i] = (a + f * (b - a)) * (1 - g) + (p + f * (q - p)) * g
        dx = ((b - a) * (1 - g) + (q - p) * g) / spacing
        dz = ((p - a) * (1 - f) + (q - b) * f) / spacing
        s = 1.0 / math.sqrt(dx * dx + 1.0 + dz * dz)
        normal[i, 0], normal[i, 1], normal[i, 2] = -dx * s, s, -dz * s
    return out, normal


@kernel
def _terrain(
    seed: np.uint64, n: int, size: float, relief: float, feature: float, gain: float, ridges: float,
    radius: float, depth: float, cx: float, cz: float,
) -> Float32:  # fmt: skip
    out = np.empty((n, n), np.float32)
    spacing = size / (n - 1)
    octaves = max(1, min(9, int(math.log2(max(2.0, feature / spacing)))))
    for r in range(n):
        z = r * spacing - 0.5 * size
        for c in range(n):
            x = c * spacing - 0.5 * size
            # the noise is a function of the place, so that a larger or finer ground keeps its hills
            h = 0.5 * relief * layered(seed, x / feature, z / feature, octaves, gain, ridges, 0, 0)
            if radius > 0.0:
                wobble = 0.28 * layered(seed + np.uint64(77), x / radius * 1.3, z / radius * 1.3, 3, 0.5, 0.0, 0, 0)
                d = math.sqrt((x - cx) ** 2 + (z - cz) ** 2) / radius + wobble
                k = min(1.0, max(0.0, (d - 0.72) / 0.42))
                k = k * k * (3.0 - 2.0 * k)
                h = h * (0.06 + 0.94 * k) - depth * (1.0 - k)
            out[r, c] = h
    return out


def samples(p: TerrainParameters) -> int:
    """Samples a side. Raises `TooLargeError` above `MOST_SAMPLES`."""
    n = math.ceil(p.size / p.resolution) + 1
    if n > MOST_SAMPLES:
        raise TooLargeError(
            f"resolution: {p.size:g} m at {p.resolution:g} m would take {n:,} samples a side; the limit is {MOST_SAMPLES:,}: raise the sample spacing to {p.size / (MOST_SAMPLES - 1):.2f} m or lower the size"
        )
    return n


def make_terrain(p: TerrainParameters) -> HeightField:
    """The height field of `p`.

    Raises:
        TooLargeError: size and resolution ask for more than `MOST_SAMPLES` samples a side.
    """
    radius = p.basin_radius if p.basin else 0.0
    heights = _terrain(
        np.uint64(p.seed), samples(p), p.size, p.relief, p.feature, p.roughness, p.ridges, radius, p.basin_depth, p.basin_x, p.basin_z
    )
    return HeightField(heights, p.size)


def terrain_mesh(field: HeightField, step: int = 1, tile: float = 4.0) -> Mesh:
    """The field as triangles over every `step`-th sample (the last row and column included), part `ground`."""
    n = field.heights.shape[0]
    at = np.unique(np.concatenate([np.arange(0, n, step), [n - 1]]))
    coordinate = at * field.spacing - 0.5 * field.size
    x, z = np.meshgrid(coordinate, coordinate)
    heights, _ = field.height_and_normal(x.ravel(), z.ravel())
    dz, dx = np.gradient(field.heights.astype(np.float64), field.spacing)
    normals = np.stack([-dx, np.ones_like(dx), -dz], axis=-1)[np.ix_(at, at)].reshape(-1, 3)
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    positions = np.stack([x.ravel(), heights, z.ravel()], axis=1).astype(np.float32)
    m = at.size
    corner = (np.arange(m - 1)[:, None] * m + np.arange(m - 1)[None, :]).ravel()
    quads = np.stack([corner, corner + m, corner + 1, corner + 1, corner + m, corner + m + 1], axis=1)
    indices = np.ascontiguousarray(quads.reshape(-1, 3), np.uint32)
    uv = (positions[:, [0, 2]] / tile).astype(np.float32)
    return with_tangents(Mesh(positions, normals.astype(np.float32), uv, indices, (Part("ground", 0, indices.shape[0]),)))
