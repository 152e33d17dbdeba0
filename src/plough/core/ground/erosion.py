"""Erosion of a height field: slopes that slide until they rest, and rain that cuts gullies and lays down what it carried.

Both look at the whole field, so each is a step of its own, and neither works by tile.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import ClassVar, NamedTuple

import numpy as np

from plough.core.arrays import Float32
from plough.core.ground.heightfield import HeightField
from plough.core.kernels import kernel, together
from plough.core.matters import Matters, above
from plough.core.parameters import Parameters, count, number
from plough.core.rng import seed_for, stream, uniform

_EAST, _SOUTH = stream("rain.east"), stream("rain.south")
_MOVED = 0.4  # share of the excess that slides in one round: more would swing to and fro
_DROPS = 20_000  # between two looks at whether somebody still waits


class ErosionParameters(Parameters):
    """What weather has done to the ground since it was made."""

    matters: ClassVar[Matters] = {"repose": above("slides"), "carving settling": above("rain")}

    slides: int = count(
        0,
        "Slopes slide, rounds",
        (0, 200),
        soft=(0, 100),
        group="Erosion",
        help="What is steeper than the angle of repose slides down by a little in each; 0: none.",
    )
    repose: float = number(
        34, "Angle of repose", (5, 80), soft=(20, 50), unit="°", step=1, group="Erosion"
    )
    rain: float = number(
        0,
        "Rain",
        (0, 0.5),
        unit="drops a sample",
        group="Erosion",
        help="Each runs downhill, carves where it is quick and settles where it slows; 0: none.",
    )
    carving: float = number(0.3, "Carves", (0.01, 1), group="Erosion")
    settling: float = number(0.3, "Settles", (0.01, 1), group="Erosion")


@kernel
def _excess(h: Float32, r: int, c: int, i: int, j: int, rest: float) -> float:
    """By how many metres (r, c) stands too high above its neighbour (i, j)."""
    far = 1.4142135623730951 if i != r and j != c else 1.0
    return max(0.0, float(h[r, c]) - float(h[i, j]) - rest * far)


@kernel
def _letting_go(
    h: Float32, rest: float, first: int, last: int, going: Float32, ratio: Float32
) -> None:
    """Of the rows `first` to `last`: metres that leave each sample, and their share of each metre of excess."""
    n, m = h.shape
    for r in range(first, last):
        for c in range(m):
            total = most = 0.0
            for i in range(max(0, r - 1), min(n, r + 2)):
                for j in range(max(0, c - 1), min(m, c + 2)):
                    e = _excess(h, r, c, i, j, rest)
                    total += e
                    most = max(most, e)
            going[r, c] = _MOVED * most
            ratio[r, c] = _MOVED * most / total if total > 0.0 else 0.0


@kernel
def _coming(
    h: Float32, rest: float, first: int, last: int, going: Float32, ratio: Float32, out: Float32
) -> None:
    n, m = h.shape
    for r in range(first, last):
        for c in range(m):
            come = 0.0
            for i in range(max(0, r - 1), min(n, r + 2)):
                for j in range(max(0, c - 1), min(m, c + 2)):
                    if ratio[i, j] > 0.0:
                        come += ratio[i, j] * _excess(h, i, j, r, c, rest)
            out[r, c] = h[r, c] - going[r, c] + come


def slid(
    field: HeightField, rounds: int, repose: float, check: Callable[[], None] = lambda: None
) -> HeightField:
    """`field` after slopes steeper than `repose` radians have slid for so many rounds; no metre of ground is lost.

    Thermal weathering (Musgrave, Kolb and Mace 1989), each sample gathering what its neighbours let
    go, so that neither order nor threads matter.

    Args:
        check: called between rounds; may raise to stop.
    """
    rest = math.tan(repose) * field.spacing
    now, after = field.heights.copy(), np.empty_like(field.heights)
    for _ in range(rounds):
        check()
        _slide(now, rest, after)
        now, after = after, now
    return HeightField(now, field.size)


def _slide(now: Float32, rest: float, after: Float32) -> None:
    """One round."""
    going, ratio = np.empty_like(now), np.empty_like(now)
    n, half = len(now), len(now) // 2
    together(
        lambda: _letting_go(now, rest, 0, half, going, ratio),
        lambda: _letting_go(now, rest, half, n, going, ratio),
    )
    together(
        lambda: _coming(now, rest, 0, half, going, ratio, after),
        lambda: _coming(now, rest, half, n, going, ratio, after),
    )


class Rain(NamedTuple):
    """How drops behave; lengths and heights are in steps of the samples."""

    carving: float  #: share of what it could still carry that it takes up in a step
    settling: float  #: share of what it cannot carry that it lays down in a step
    inertia: float = 0.08  #: how far it keeps its direction
    capacity: float = 3.0
    fastest: float = 2.0
    least: float = 0.01  #: slope that it carries for at least
    drying: float = 0.02  #: share that dries up in a step
    steps: int = 64  #: at most
    reach: int = 3  #: samples about it that it carves


@kernel
def _slope_at(h: Float32, x: float, z: float) -> tuple[float, float, float]:
    """Height and gradient (per step) of the bilinear surface."""
    c, r = int(x), int(z)
    u, v = x - c, z - r
    a, b, p, q = h[r, c], h[r, c + 1], h[r + 1, c], h[r + 1, c + 1]
    dx = (b - a) * (1.0 - v) + (q - p) * v
    dz = (p - a) * (1.0 - u) + (q - b) * u
    return (a * (1.0 - u) + b * u) * (1.0 - v) + (p * (1.0 - u) + q * u) * v, dx, dz


@kernel
def _brush(reach: int) -> Float32:
    """(k, k) shares of what is laid down about a sample, less of it farther off."""
    k = 2 * reach - 1
    out = np.empty((k, k), np.float32)
    total = 0.0
    for i in range(k):
        for j in range(k):
            away = math.sqrt((i - reach + 1.0) ** 2 + (j - reach + 1.0) ** 2)
            out[i, j] = max(0.0, reach - away)
            total += out[i, j]
    for i in range(k):
        for j in range(k):
            out[i, j] /= total
    return out


@kernel
def _add(h: Float32, x: float, z: float, amount: float, brush: Float32) -> None:
    """Lay `amount` down about (x, z); below 0 it is taken away. What would lie beyond the map is lost."""
    n, reach = h.shape[0], brush.shape[0] // 2
    r0, c0 = int(z + 0.5) - reach, int(x + 0.5) - reach
    for i in range(max(0, -r0), min(brush.shape[0], n - r0)):
        for j in range(max(0, -c0), min(brush.shape[1], n - c0)):
            h[r0 + i, c0 + j] += amount * brush[i, j]


@kernel
def _drops(h: Float32, seed: np.uint64, first: int, last: int, rain: Rain) -> None:
    """Let the drops `first` to `last` run over `h`, one after the other."""
    n, brush = h.shape[0], _brush(rain.reach)
    for k in range(first, last):
        x = uniform(seed, _EAST, np.uint64(k)) * (n - 1.001)
        z = uniform(seed, _SOUTH, np.uint64(k)) * (n - 1.001)
        ux = uz = 0.0
        speed, water, load = 1.0, 1.0, 0.0
        for _ in range(rain.steps):
            height, dx, dz = _slope_at(h, x, z)
            ux = ux * rain.inertia - dx * (1.0 - rain.inertia)
            uz = uz * rain.inertia - dz * (1.0 - rain.inertia)
            long = math.sqrt(ux * ux + uz * uz)
            if long < 1e-9:
                break
            ux, uz = ux / long, uz / long
            sx, sz = x + ux, z + uz
            if not (0.0 <= sx < n - 1 and 0.0 <= sz < n - 1):
                load = 0.0  # it leaves the map with what it carries
                break
            fall = height - _slope_at(h, sx, sz)[0]
            bears = max(fall, rain.least) * speed * water * rain.capacity
            if fall < 0.0:  # into a hollow: fill it, but not above where it stands
                laid = min(load, -fall)
                _add(h, x, z, laid, brush)
                load -= laid
            elif load > bears:
                laid = (load - bears) * rain.settling
                _add(h, x, z, laid, brush)
                load -= laid
            else:
                # never deeper than the fall: it would dig a hole for itself
                taken = min((bears - load) * rain.carving, fall)
                _add(h, x, z, -taken, brush)
                load += taken
            speed = min(rain.fastest, math.sqrt(max(0.0, speed * speed + fall)))
            water *= 1.0 - rain.drying
            x, z = sx, sz
        if load > 0.0:
            _add(h, x, z, load, brush)


def rained_on(
    field: HeightField,
    drops: int,
    rain: Rain,
    seed: int,
    check: Callable[[], None] = lambda: None,
) -> HeightField:
    """`field` after so many drops have run over it, one after the other (Beyer 2015); more drops begin with the same ones.

    Args:
        check: called now and then; may raise to stop.
    """
    spacing = np.float32(field.spacing)
    heights = field.heights / spacing
    own = seed_for(seed, "rain")
    for first in range(0, drops, _DROPS):
        check()
        _drops(heights, own, first, min(drops, first + _DROPS), rain)
    return HeightField(heights * spacing, field.size)
