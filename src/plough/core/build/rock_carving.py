"""What is carved into a rock besides its body: beds that stand out from each other, cracks, cavities."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from plough.core.arrays import Float64
from plough.core.kernels import kernel
from plough.core.rng import seed_for, stream, uniform, uniform_array
from plough.core.solid_noise import gradient_in_space, to_cell

_LEDGE, _CRACK = stream("rock.ledge"), stream("rock.crack")


class Carving(NamedTuple):
    """Beds, cracks and cavities; lengths in metres."""

    often: float  #: of noise: cells a metre
    size: float  #: of the rock, at its largest
    least: float  #: at its smallest
    gap: float  #: between two samples: nothing narrower is carved
    across: Float64  #: (3,) unit: across beds
    strata: float
    bed: float
    cracks: Float64  #: (c, 4) planes: unit normals, and how far from the middle
    crack_width: float
    crack_depth: float
    cavities: float
    cavity_size: float
    beds_seed: np.uint64
    cracks_seed: np.uint64
    pits_seed: np.uint64


class Carved(NamedTuple):
    """What is carved at a place."""

    by: float  #: metres outwards
    deep: float  #: 0 to 1: within a groove or a cavity
    bed: float  #: -1 to 1: a value of the bed


def across_beds(dip: float, strike: float) -> Float64:
    """(3,) the way across beds that dip by so many radians towards `strike`."""
    flat = math.sin(dip)
    return np.array([flat * math.cos(strike), math.cos(dip), flat * math.sin(strike)])


def crack_planes(count: int, half: Float64, seed: int) -> Float64:
    """(count, 4) upright planes through a rock; more of them leave the others as they are."""
    draw = uniform_array(seed, _CRACK, np.arange(3 * count, dtype=np.uint64)).reshape(-1, 3)
    turn, nod = math.pi * draw[:, 0], 0.5 * (draw[:, 1] - 0.5)
    normal = np.stack([np.cos(turn) * np.cos(nod), np.sin(nod), np.sin(turn) * np.cos(nod)], axis=1)
    wide = np.hypot(normal[:, 0] * half[0], normal[:, 2] * half[2])
    return np.concatenate([normal, (1.1 * wide * (draw[:, 2] - 0.5))[:, None]], axis=1)


def seeds_of(seed: int) -> tuple[np.uint64, np.uint64, np.uint64]:
    """Of beds, cracks and cavities."""
    beds, cracks, pits = (seed_for(seed, f"rock.{n}") for n in ("beds", "cracks", "pits"))
    return beds, cracks, pits


@kernel
def _ledge(number: float, seed: np.uint64) -> float:
    return 2.0 * uniform(seed, _LEDGE, np.uint64(np.int64(math.floor(number)) + 1000)) - 1.0


@kernel
def bed_at(c: Carving, x: float, y: float, z: float) -> float:
    """Which bed a place is in, and how far up in it; whole where two meet."""
    f = 1.1 * c.often
    s = (c.across[0] * x + c.across[1] * y + c.across[2] * z) / c.bed
    s += 0.22 * gradient_in_space(c.beds_seed, f * x, f * y, f * z)
    s += 0.3 * math.sin(2.1 * s + float(c.beds_seed % np.uint64(7)))  # thick ones and thin
    return float(s)


@kernel
def from_crack(c: Carving, k: int, x: float, y: float, z: float) -> float:
    """Metres from a crack to a place, less than 0 on its other side."""
    f = 2.3 * c.often
    plane = c.cracks[k]
    away = plane[0] * x + plane[1] * y + plane[2] * z - plane[3]
    away += 0.05 * c.size * gradient_in_space(c.cracks_seed, f * x, f * y, f * z + 9.0 * k)
    return float(away)


@kernel
def onto_lines(c: Carving, x: float, y: float, z: float, near: float) -> tuple[float, float, float]:
    """A place moved onto a crack, or to where two beds meet, that is within `near` metres of it."""
    for k in range(c.cracks.shape[0]):
        away = from_crack(c, k, x, y, z)
        if abs(away) < near:
            plane = c.cracks[k]
            return x - away * plane[0], y - away * plane[1], z - away * plane[2]
    if c.strata > 0.0 and c.bed > 3.0 * near:
        for _ in range(2):
            s = bed_at(c, x, y, z)
            off = (round(s) - s) * c.bed
            if abs(off) < near:
                x, y, z = x + off * c.across[0], y + off * c.across[1], z + off * c.across[2]
    return x, y, z


@kernel
def carved(c: Carving, d: Float64, x: float, y: float, z: float, rub: float) -> Carved:
    """What is carved at a place that is seen along `d` (3,); `rub` from -1 to 1 says where grooves are deep."""
    f = c.often
    by, deep, bed = 0.0, 0.0, 0.0
    if c.strata > 0.0:
        s = bed_at(c, x, y, z)
        here = s - math.floor(s)
        bed = _ledge(s, c.beds_seed)
        slope = c.across[0] * d[0] + c.across[1] * d[1] + c.across[2] * d[2]
        much = c.strata * (1.0 - slope * slope) * min(1.0, c.bed / (1.4 * c.gap))
        width = max(0.12, 1.1 * c.gap / c.bed)
        # towards the bed that is nearer, half of the way where they meet
        other = _ledge(s + (1.0 if here > 0.5 else -1.0), c.beds_seed)
        near = max(0.0, 1.0 - min(here, 1.0 - here) / width)
        groove = near * near * min(1.0, max(0.15, 0.7 + 1.5 * rub))
        ledge = bed + 0.5 * near * (other - bed)
        by += much * min(0.10 * c.least, 0.5 * c.bed) * (0.8 * ledge - 0.9 * groove)
        deep = groove * c.strata * (1.0 - slope * slope)
    for k in range(c.cracks.shape[0]):
        width = 1.6 * max(c.crack_width, 0.75 * c.gap)
        ends = gradient_in_space(c.cracks_seed, 1.2 * f * x + 31.0 * k, 1.2 * f * y, 1.2 * f * z)
        much = max(0.0, 1.0 - (from_crack(c, k, x, y, z) / width) ** 2) ** 2
        much *= min(1.0, max(0.0, 0.75 + 1.6 * ends)) * min(1.0, c.crack_width / (0.4 * c.gap))
        by -= min(c.crack_depth, 0.3 * c.least) * much
        deep = max(deep, much)
    if c.cavities > 0.0:
        per = 1.0 / c.cavity_size
        bowl = max(0.0, 1.0 - to_cell(c.pits_seed, per * x, per * y, per * z) / 0.62)
        here = gradient_in_space(c.pits_seed, f * x, f * y, f * z)
        bowl *= min(1.0, max(0.0, 0.35 + c.cavities + 1.2 * here))
        much = bowl * (2.0 - bowl) * min(1.0, c.cavity_size / (2.0 * c.gap))
        by -= c.cavities * min(0.32 * c.cavity_size, 0.2 * c.least) * much
        deep = max(deep, much * c.cavities)
    return Carved(by, min(1.0, deep), bed)
