"""A square height field centred on the origin."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt64
from plough.core.ground.rays import cast_rays
from plough.core.ground.surface import Hits, Samples
from plough.core.hashing import digest, key_of
from plough.core.kernels import kernel
from plough.core.tiles import SIZE, Bounds, TileList, code_of, grid_hashes, tiles_in

MOST_SAMPLES = 2049  #: a side


@dataclass(frozen=True, eq=False)
class HeightField:
    """Heights on a square grid; x and z run from -size/2 to size/2. A `Surface`."""

    heights: Float32  #: (n, n) metres, row = z, column = x
    size: float  #: metres a side

    @property
    def own(self) -> None:
        """It is made of heights."""
        return None

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
