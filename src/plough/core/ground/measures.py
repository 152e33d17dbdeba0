"""What can be measured at a place of the ground, as numbers for many places at once; and what of it a tile can see."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np
from scipy.ndimage import map_coordinates
from scipy.special import ndtr

from plough.core.arrays import Float32, Float64, UInt64
from plough.core.ground.areas import Region
from plough.core.ground.hydrology import Hydrology
from plough.core.ground.paths import line_distance
from plough.core.ground.surface import Samples, Surface
from plough.core.hashing import digest
from plough.core.kernels import kernel
from plough.core.noise import Octaves, layered, octaves_of
from plough.core.rng import seed_for, stream, uniform
from plough.core.tiles import SIZE, Bounds, TileList, around, code_of, hash_of, line_hashes

_LEVEL = math.radians(1.0)  # below this slope ground faces nowhere
_ASPECT = 16.0 / 9.0  # of a still
_ACROSS = 2.0 * math.atan(_ASPECT * math.tan(math.radians(25.0)))  # the view is 50 degrees high
_EAST, _SOUTH = stream("clump.east"), stream("clump.south")
_S32 = np.uint64(32)
_NOISE_OCTAVES, _NOISE_GAIN = 3, 0.5
_NOISE_SPREAD = 0.199  # standard deviation of that noise


class Measure(Protocol):
    """Something that has a value at every place."""

    def values(self, at: Samples) -> Float64:
        """(n,) values, in the measure's unit."""
        ...

    def seen(self, tiles: TileList) -> UInt64:
        """(t, 2) a hash of all that `values` reads within each tile, but for the surface's own samples there."""
        ...


def _nothing(tiles: TileList) -> UInt64:
    return np.zeros((len(tiles), 2), np.uint64)


def _everywhere(tiles: TileList, value: object) -> UInt64:
    """The same hash in every tile, of what is set."""
    return np.tile(hash_of(value), (len(tiles), 1))


@dataclass(frozen=True, slots=True)
class Slope:
    """Degrees from level."""

    def values(self, at: Samples) -> Float64:
        """0 level, 90 upright, up to 180 overhead."""
        return np.degrees(np.arccos(np.clip(at.normal[:, 1], -1, 1)))

    def seen(self, tiles: TileList) -> UInt64:
        """Only the surface."""
        return _nothing(tiles)


@dataclass(frozen=True, slots=True)
class Height:
    """Metres above a level; infinite where there is no such level."""

    above: float | None = 0.0

    def values(self, at: Samples) -> Float64:
        """Metres."""
        if self.above is None:
            return np.full(len(at.position), np.inf)
        return at.position[:, 1] - self.above

    def seen(self, tiles: TileList) -> UInt64:
        """The level."""
        return _everywhere(tiles, self.above)


@dataclass(frozen=True, slots=True)
class Facing:
    """Degrees between where the ground faces and an azimuth, clockwise from north; level ground faces away from all."""

    azimuth: float

    def values(self, at: Samples) -> Float64:
        """0 to 180."""
        east, up, south = at.normal.T
        faced = np.degrees(np.arctan2(east, -south))
        off = np.abs((faced - self.azimuth + 180.0) % 360.0 - 180.0)
        return np.where(up > math.cos(_LEVEL), 180.0, off)

    def seen(self, tiles: TileList) -> UInt64:
        """Only the surface."""
        return _nothing(tiles)


@dataclass(frozen=True, slots=True)
class Rise:
    """Metres above the mean of the ground so far away on all sides: crests are above 0, hollows below (Weiss 2001)."""

    surface: Surface
    away: float  #: metres

    def values(self, at: Samples) -> Float64:
        """Metres; places at which there is no surface do not count."""
        x, y, z = at.position.T
        total, count = np.zeros(len(x)), np.zeros(len(x))
        for k in range(8):
            turn = 0.25 * math.pi * k
            there = self.surface.sample(
                x + self.away * math.cos(turn), z + self.away * math.sin(turn)
            )
            total += np.where(there.hit, there.position[:, 1], 0.0)
            count += there.hit
        return np.where(count > 0, y - total / np.maximum(count, 1), 0.0)

    def seen(self, tiles: TileList) -> UInt64:
        """The surface about each tile."""
        own = self.surface.tiles()
        order = np.argsort(code_of(own), kind="stable")
        hashes = self.surface.tile_hashes(own[order])
        return around(tiles, code_of(own[order]), hashes, math.ceil(self.away / SIZE))


@dataclass(frozen=True, slots=True)
class Wetness:
    """Per cent, from dry to standing in water."""

    hydrology: Hydrology

    def values(self, at: Samples) -> Float64:
        """0 to 100."""
        return 100.0 * self.hydrology.wetness_at(at.position[:, 0], at.position[:, 2])

    def seen(self, tiles: TileList) -> UInt64:
        """The wetness in each tile."""
        return self.hydrology.wetness_hashes(tiles)


@dataclass(frozen=True, slots=True)
class Shore:
    """Metres on the map to the edge of standing water, below 0 within it."""

    hydrology: Hydrology

    def values(self, at: Samples) -> Float64:
        """Metres; infinite where there is no water."""
        return self.hydrology.shore_at(at.position[:, 0], at.position[:, 2])

    def seen(self, tiles: TileList) -> UInt64:
        """The distances in each tile."""
        return self.hydrology.shore_hashes(tiles)


@dataclass(frozen=True, slots=True)
class Noise:
    """Per cent of the ground that has less noise: 0 to 100, evenly spread."""

    seed: int
    width: float  #: metres of a patch

    def values(self, at: Samples) -> Float64:
        """0 to 100."""
        octaves = octaves_of(seed_for(self.seed, "condition.noise"), _NOISE_OCTAVES)
        east, south = (np.ascontiguousarray(at.position[:, k]) for k in (0, 2))
        found = _noise(octaves, 1.0 / self.width, east, south)
        return np.asarray(100.0 * ndtr(found / _NOISE_SPREAD))

    def seen(self, tiles: TileList) -> UInt64:
        """Nothing."""
        return _nothing(tiles)


@kernel
def _noise(octaves: Octaves, rate: float, x: Float64, z: Float64) -> Float64:
    out = np.empty(x.shape[0])
    for i in range(x.shape[0]):
        out[i] = layered(octaves, x[i] * rate, z[i] * rate, _NOISE_GAIN, 0.0)
    return out


@dataclass(frozen=True, slots=True)
class Clumps:
    """Per cent of a clump's width to the nearest middle of one: a jittered point in each cell of a grid (Worley 1996)."""

    seed: int
    width: float  #: metres of a clump and its share of the gaps

    def values(self, at: Samples) -> Float64:
        """0 and more."""
        east, south = (np.ascontiguousarray(at.position[:, k]) for k in (0, 2))
        seed = np.uint64(seed_for(self.seed, "condition.clump"))
        return 100.0 * _to_middles(seed, east / self.width, south / self.width)

    def seen(self, tiles: TileList) -> UInt64:
        """Nothing."""
        return _nothing(tiles)


@kernel
def _to_middles(seed: np.uint64, x: Float64, z: Float64) -> Float64:
    out = np.empty(x.shape[0])
    for i in range(x.shape[0]):
        ci, ck = math.floor(x[i]), math.floor(z[i])
        best = math.inf
        for k in range(ck - 2, ck + 3):
            for j in range(ci - 2, ci + 3):
                cell = (np.uint64(j) << _S32) ^ (np.uint64(k) & np.uint64(0xFFFFFFFF))
                dx = j + uniform(seed, _EAST, cell) - x[i]
                dz = k + uniform(seed, _SOUTH, cell) - z[i]
                best = min(best, dx * dx + dz * dz)
        out[i] = math.sqrt(best)
    return out


@dataclass(frozen=True, eq=False)
class FromImage:
    """Per cent of white that an image has, laid over a rectangle with north up; its edge goes on beyond."""

    shares: Float32  #: (h, w) 0 to 1
    bounds: Bounds

    def values(self, at: Samples) -> Float64:
        """0 to 100, evenly between the middles of its points."""
        x0, z0, x1, z1 = self.bounds
        h, w = self.shares.shape
        c = (at.position[:, 0] - x0) / (x1 - x0) * w - 0.5
        r = (at.position[:, 2] - z0) / (z1 - z0) * h - 0.5
        found = map_coordinates(self.shares, [r, c], order=1, mode="nearest", output=np.float64)
        return np.asarray(100.0 * found)

    def seen(self, tiles: TileList) -> UInt64:
        """The part of the image that lies over each tile, and a point more."""
        x0, z0, x1, z1 = self.bounds
        h, w = self.shares.shape
        out = np.empty((len(tiles), 2), np.uint64)
        for t, (i, k) in enumerate((tiles * SIZE).tolist()):
            c0, c1 = (int((x - x0) / (x1 - x0) * w) for x in (i, i + SIZE))
            r0, r1 = (int((z - z0) / (z1 - z0) * h) for z in (k, k + SIZE))
            part = self.shares[max(0, r0 - 2) : r1 + 3, max(0, c0 - 2) : c1 + 3]
            out[t] = hash_of([part.shape, h, w, self.bounds, digest(part.tobytes())])
        return out


@dataclass(frozen=True, slots=True)
class FromLines:
    """Metres on the map to the nearest of some lines, as far as it matters; infinite beyond."""

    lines: tuple[Float64, ...]  #: (n, 2) each
    reach: float  #: metres

    def values(self, at: Samples) -> Float64:
        """Metres."""
        x, z = at.position[:, 0], at.position[:, 2]
        out = np.full(len(x), np.inf)
        for line in self.lines:
            out = np.minimum(out, line_distance(x, z, line, self.reach))
        return out

    def seen(self, tiles: TileList) -> UInt64:
        """The pieces of lines within reach."""
        out = _nothing(tiles)
        for line in self.lines:
            out += line_hashes(np.ascontiguousarray(line), tiles, SIZE, self.reach)
        return out


@dataclass(frozen=True, slots=True)
class FromAreas:
    """Metres on the map to the nearest outline, below 0 within an area; as far as it matters, infinite beyond."""

    regions: tuple[Region, ...]
    reach: float  #: metres

    def values(self, at: Samples) -> Float64:
        """Metres: that of the area that it lies deepest in, or nearest to."""
        x, z = at.position[:, 0], at.position[:, 2]
        out = np.full(len(x), np.inf)
        for region in self.regions:
            away = self._outlines(region).values(at)
            out = np.minimum(out, np.where(region.holds(x, z), -away, away))
        return out

    def seen(self, tiles: TileList) -> UInt64:
        """The pieces of outlines within reach, and which side each tile lies on."""
        out = _nothing(tiles)
        for k, region in enumerate(self.regions):
            out += region.seen(tiles)[0] * np.uint64(2 * k + 1)
            out += self._outlines(region).seen(tiles)
        return out

    def _outlines(self, region: Region) -> FromLines:
        closed = tuple(np.concatenate([ring, ring[:1]]) for ring in region.rings)
        return FromLines(closed, self.reach)


@dataclass(frozen=True)
class InView:
    """Degrees by which a place lies beyond the frame of a camera; 0 within it, 180 behind."""

    eye: tuple[float, float, float]
    target: tuple[float, float, float]
    across: float = _ACROSS  #: angle of view from side to side
    aspect: float = _ASPECT  #: width by height of the frame

    @cached_property
    def _axes(self) -> Float64:
        ahead = np.array(self.target, np.float64) - np.array(self.eye, np.float64)
        ahead /= max(float(np.linalg.norm(ahead)), 1e-9)
        right = np.cross(ahead, [0.0, 1.0, 0.0])
        if np.linalg.norm(right) < 1e-6:
            right = np.array([1.0, 0.0, 0.0])
        right /= np.linalg.norm(right)
        return np.stack([right, np.cross(right, ahead), ahead])

    def values(self, at: Samples) -> Float64:
        """0 to 180."""
        x, y, z = self._axes @ (at.position - np.array(self.eye)).T
        half = math.tan(self.across / 2)
        beyond = np.zeros(len(x))
        for part, most in ((x, half), (y, half / self.aspect)):
            angle = np.degrees(np.arctan2(np.abs(part), z)) - math.degrees(math.atan(most))
            beyond = np.maximum(beyond, angle)
        return np.where(z <= 0, 180.0, beyond)

    def seen(self, tiles: TileList) -> UInt64:
        """The camera."""
        return _everywhere(tiles, [self.eye, self.target, self.across, self.aspect])
