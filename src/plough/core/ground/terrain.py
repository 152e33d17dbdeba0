"""Terrain from layered noise."""

from __future__ import annotations

import math
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import ClassVar, NamedTuple

import numpy as np

from plough.core.arrays import Float32
from plough.core.errors import TooLargeError
from plough.core.ground.heightfield import MOST_SAMPLES, HeightField
from plough.core.kernels import kernel
from plough.core.matters import Matters, above, among
from plough.core.noise import Octaves, layered, octaves_of
from plough.core.parameters import Parameters, Seed, flag, number, seeded
from plough.core.rng import bits, stream

_HILLS, _RIM = stream("terrain.hills"), stream("terrain.rim")


class TerrainParameters(Parameters):
    """Terrain from layered noise."""

    matters: ClassVar[Matters] = {
        "stretch_azimuth": above("stretch", 1),
        "basin_*": among("basin", True),
    }

    size: float = number(512, "Size", (64, 4096), unit="m", step=1, group="Terrain")
    resolution: float = number(
        2, "Sample spacing", (0.25, 32), soft=(0.5, 8), unit="m", step=0.25, group="Terrain"
    )
    seed: Seed = seeded(group="Terrain")
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
    stretch: float = number(
        1,
        "Drawn out",
        (1, 12),
        soft=(1, 6),
        unit="times",
        step=0.1,
        group="Terrain",
        help="How much longer than wide hills are: valleys side by side, dunes.",
    )
    stretch_azimuth: float = number(
        60,
        "Drawn out towards",
        (0, 360),
        unit="°",
        step=1,
        group="Terrain",
        help="Clockwise from north.",
    )
    lean: float = number(
        0,
        "Crests lean",
        (0, 1),
        group="Terrain",
        help="One side steep, the other gentle, as the wind makes dunes.",
    )
    terrace: float = number(
        0,
        "Terraces every",
        (0, 100),
        soft=(0, 20),
        unit="m",
        step=0.1,
        group="Terrain",
        help="Height of a step; 0: none.",
    )
    basin: bool = flag(False, "Flat-bottomed basin", group="Basin")
    basin_radius: float = number(
        140, "Radius", (5, 4000), soft=(20, 600), unit="m", step=1, group="Basin"
    )
    basin_depth: float = number(
        3, "Depth", (0, 200), soft=(0, 30), unit="m", step=0.1, group="Basin"
    )
    basin_rim: float = number(
        0,
        "Rim",
        (0, 200),
        soft=(0, 60),
        unit="m",
        step=0.1,
        group="Basin",
        help="How high its edge is thrown up, as about a crater.",
    )
    basin_x: float = number(
        0, "Middle, east", (-2048, 2048), soft=(-256, 256), unit="m", step=1, group="Basin"
    )
    basin_z: float = number(
        0, "Middle, south", (-2048, 2048), soft=(-256, 256), unit="m", step=1, group="Basin"
    )


class Shape(NamedTuple):
    """Terrain, as the kernel takes it."""

    seed: np.uint64
    size: float  #: metres a side
    relief: float
    feature: float  #: metres
    gain: float
    ridges: float
    stretch: float
    sine: float  #: of the direction in which hills are drawn out
    cosine: float
    lean: float
    terrace: float  #: metres
    radius: float  #: of the basin, metres; 0: none
    depth: float
    rim: float
    x: float
    z: float


@kernel
def _hills(shape: Shape, hills: Octaves, x: float, z: float) -> float:
    """Heights of the noise alone, in metres."""
    u, v = x / shape.feature, z / shape.feature
    if shape.stretch > 1.0:
        along = (u * shape.sine - v * shape.cosine) / shape.stretch
        u, v = u * shape.cosine + v * shape.sine, along
    h = layered(hills, u, v, shape.gain, shape.ridges)
    if shape.lean > 0.0:
        # the crest moves ahead of its foot
        h = layered(hills, u - 0.22 * shape.lean * h, v, shape.gain, shape.ridges)
    return 0.5 * shape.relief * h


@kernel
def stepped(h: float, step: float) -> float:
    """`h` on treads of the height `step`, nearly level, with risers between them."""
    k = math.floor(h / step)
    f = h / step - k
    rise = min(1.0, max(0.0, (f - 0.62) / 0.3))
    return step * (k + 0.1 * f + 0.9 * rise * rise * (3.0 - 2.0 * rise))


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
            h = _hills(shape, hills, x, z)
            if shape.terrace > 0.0:
                h = stepped(h, shape.terrace)
            if shape.radius > 0.0:
                u, v = x / shape.radius * 1.3, z / shape.radius * 1.3
                wobble = 0.28 * layered(rim, u, v, 0.5, 0.0)
                d = math.sqrt((x - shape.x) ** 2 + (z - shape.z) ** 2) / shape.radius + wobble
                k = min(1.0, max(0.0, (d - 0.72) / 0.42))
                k = k * k * (3.0 - 2.0 * k)
                h = h * (0.06 + 0.94 * k) - shape.depth * (1.0 - k)
                if shape.rim > 0.0:
                    h += shape.rim * math.exp(-(((d - 1.18) / 0.27) ** 2))
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
    basin = (radius, p.basin_depth, p.basin_rim, p.basin_x, p.basin_z)
    towards = math.radians(p.stretch_azimuth)
    drawn = (p.stretch, math.sin(towards), math.cos(towards), p.lean, p.terrace)
    noise = (p.relief, p.feature, p.roughness, p.ridges, *drawn)
    shape = Shape(np.uint64(p.seed), p.size, *noise, *basin)
    out = np.empty((n, n), np.float32)
    rows = max(1, 200_000 // n)

    def work(first: int) -> None:
        check()
        _terrain(shape, n, first, min(n, first + rows), out)

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(work, range(0, n, rows)))
    return HeightField(out, p.size)
