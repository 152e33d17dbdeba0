"""A square height field centred on the origin."""

from __future__ import annotations

import math
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from pydantic import Field

from plough.core.arrays import Float32, Float64, Int64, UInt64
from plough.core.errors import TooLargeError
from plough.core.ground.rays import cast_rays
from plough.core.ground.surface import Hits, Samples
from plough.core.hashing import digest, key_of
from plough.core.kernels import kernel
from plough.core.noise import layered, octaves_of
from plough.core.parameters import Parameters, Seed, flag, number
from plough.core.rng import bits, stream
from plough.core.tiles import SIZE, Bounds, TileList, code_of, grid_hashes, tiles_in

MOST_SAMPLES = 2049  #: a side
_HILLS, _RIM = stream("terrain.hills"), stream("terrain.rim")


@dataclass(frozen=True, eq=False)
class HeightField:
    """Heights on a square grid; x and z run from -size/2 to size/2. A `Surface`."""

    heights: Float32  #: (n, n) metres, row = z, column = x
    size: float  #: metres a side

    @property
    def spacing(self) -> float:
        """Metres between samples."""
        return float(self.size / (self.heights.shape[0] - 1))

    @property
    def bounds(self) -> Bounds:
        """The square it covers, in metres."""
        half = self.size / 2
        return -half, -half, half, half

    @property
    def triangles(self) -> int:
        """Two for each square of samples."""
        return 2 * (len(self.heights) - 1) ** 2

    @property
    def nbytes(self) -> int:
        """Bytes of the heights."""
        return self.heights.nbytes

    @cached_property
    def key(self) -> str:
        """Tells heights and size from any others."""
        return key_of(digest(self.heights.tobytes()), self.size)

    def height(self, x: Float64, z: Float64) -> Float64:
        """(n,) heights in metres at (x, z), bilinear; points outside take the height of the edge."""
        return self.height_and_normal(x, z)[0]

    def height_and_normal(self, x: Float64, z: Float64) -> tuple[Float64, Float64]:
        """(n,) heights and (n, 3) unit normals of the bilinear surface at (x, z)."""
        east, south = np.asarray(x, np.float64), np.asarray(z, np.float64)
        return _surface(self.heights, self.size, east, south)

    def sample(self, x: Float64, z: Float64) -> Samples:
        """The bilinear surface at (x, z); there is none outside the square."""
        height, normal = self.height_and_normal(x, z)
        half = self.size / 2
        hit = (np.abs(x) <= half) & (np.abs(z) <= half)
        return Samples(np.stack([x, height, z], axis=1), normal, hit)

    def cast(self, origin: Float64, direction: Float64) -> Hits:
        """Where rays first meet the bilinear surface, from either side."""
        start = np.ascontiguousarray(origin, np.float64)
        along = np.ascontiguousarray(direction, np.float64)
        distance = cast_rays(self.heights, self.size, start, along)
        reach = np.where(np.isfinite(distance), distance, 0.0)
        position = start + reach[:, None] * along
        _, normal = self.height_and_normal(position[:, 0], position[:, 2])
        return Hits(distance, position, normal)

    def tiles(self) -> TileList:
        """All tiles of the square."""
        return tiles_in(self.bounds)

    @cached_property
    def _hashes(self) -> tuple[Int64, UInt64]:
        tiles = self.tiles()
        return code_of(tiles), grid_hashes(self.heights, self.size, tiles, SIZE)

    def tile_hashes(self, tiles: TileList) -> UInt64:
        """(t, 2) a hash of the samples that each tile can read; zero outside the square."""
        codes, hashes = self._hashes
        wanted = code_of(tiles)
        at = np.minimum(np.searchsorted(codes, wanted), len(codes) - 1)
        return np.where((codes[at] == wanted)[:, None], hashes[at], np.uint64(0))


class TerrainParameters(Parameters):
    """Terrain from layered noise."""

    size: float = number(512, "Size", (64, 4096), unit="m", step=1, group="Terrain")
    resolution: float = number(
        2, "Sample spacing", (0.25, 32), soft=(0.5, 8), unit="m", step=0.25, group="Terrain"
    )
    seed: Seed = Field(
        1, title="Seed", json_schema_extra={"control": "seed", "unit": "", "group": "Terrain"}
    )
    relief: float = number(
        12,
        "Relief",
        (0, 600),
        soft=(0, 80),
        unit="m",
        step=0.1,
        group="Terrain",
        help="From the lowest to the highest ground, about.",
    )
    feature: float = number(
        180, "Hill width", (10, 4000), soft=(20, 800), unit="m", step=1, group="Terrain"
    )
    roughness: float = number(
        0.42,
        "Roughness",
        (0, 0.8),
        group="Terrain",
        help="Strength of each finer layer of noise by the one before.",
    )
    ridges: float = number(0, "Ridges", (0, 1), unit="share", group="Terrain")
    basin: bool = flag(False, "Flat-bottomed basin", group="Basin")
    basin_radius: float = number(
        140, "Radius", (5, 4000), soft=(20, 600), unit="m", step=1, group="Basin"
    )
    basin_depth: float = number(
        3, "Depth", (0, 200), soft=(0, 30), unit="m", step=0.1, group="Basin"
    )
    basin_x: float = number(
        0, "Middle, east", (-2048, 2048), soft=(-256, 256), unit="m", step=1, group="Basin"
    )
    basin_z: float = number(
        0, "Middle, south", (-2048, 2048), soft=(-256, 256), unit="m", step=1, group="Basin"
    )


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


class Shape(NamedTuple):
    """Terrain, as the kernel takes it."""

    seed: np.uint64
    size: float  #: metres a side
    relief: float
    feature: float  #: metres
    gain: float
    ridges: float
    radius: float  #: of the basin, metres; 0: none
    depth: float
    x: float
    z: float


@kernel
def _terrain(shape: Shape, n: int, first: int, last: int, out: Float32) -> None:
    """Rows `first` to `last` of `out` (n, n)."""
    spacing = shape.size / (n - 1)
    octaves = max(1, min(9, int(math.log2(max(2.0, shape.feature / spacing)))))
    hills = octaves_of(bits(shape.seed, _HILLS, np.uint64(0)), octaves)
    rim = octaves_of(bits(shape.seed, _RIM, np.uint64(0)), 3)
    for r in range(first, last):
        z = r * spacing - 0.5 * shape.size
        for c in range(n):
            x = c * spacing - 0.5 * shape.size
            # the noise is a function of the place, so that a larger or finer ground keeps its hills
            u, v = x / shape.feature, z / shape.feature
            h = 0.5 * shape.relief * layered(hills, u, v, shape.gain, shape.ridges)
            if shape.radius > 0.0:
                u, v = x / shape.radius * 1.3, z / shape.radius * 1.3
                wobble = 0.28 * layered(rim, u, v, 0.5, 0.0)
                d = math.sqrt((x - shape.x) ** 2 + (z - shape.z) ** 2) / shape.radius + wobble
                k = min(1.0, max(0.0, (d - 0.72) / 0.42))
                k = k * k * (3.0 - 2.0 * k)
                h = h * (0.06 + 0.94 * k) - shape.depth * (1.0 - k)
            out[r, c] = h


def samples(p: TerrainParameters) -> int:
    """Samples a side. Raises `TooLargeError` above `MOST_SAMPLES`."""
    n = math.ceil(p.size / p.resolution) + 1
    if n > MOST_SAMPLES:
        raise TooLargeError(
            "resolution",
            f"{p.size:g} m at {p.resolution:g} m would take {n:,} samples a side; the limit is {MOST_SAMPLES:,}: raise the sample spacing to {p.size / (MOST_SAMPLES - 1):.2f} m or lower the size",
        )
    return n


def make_terrain(p: TerrainParameters, check: Callable[[], None] = lambda: None) -> HeightField:
    """The height field of `p`.

    Args:
        check: called now and then; may raise to stop.

    Raises:
        TooLargeError: size and resolution ask for more than `MOST_SAMPLES` samples a side.
    """
    n = samples(p)
    radius = p.basin_radius if p.basin else 0.0
    basin = (radius, p.basin_depth, p.basin_x, p.basin_z)
    noise = (p.relief, p.feature, p.roughness, p.ridges)
    shape = Shape(np.uint64(p.seed), p.size, *noise, *basin)
    out = np.empty((n, n), np.float32)
    rows = max(1, 200_000 // n)

    def work(first: int) -> None:
        check()
        _terrain(shape, n, first, min(n, first + rows), out)

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(work, range(0, n, rows)))
    return HeightField(out, p.size)
