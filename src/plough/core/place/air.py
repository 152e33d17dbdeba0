"""Bodies of air: places within boxes, balls and tubes that hang over the ground."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from plough.core.arrays import Float64, Int64, UInt64
from plough.core.ground.paths import Curve
from plough.core.ground.surface import Surface
from plough.core.rng import bits_array, stream, symmetric_array, uniform_array

MOST = 100_000  #: of one layer
Form = Literal["box", "ball", "tube"]
_ID, _ALONG, _FAR = stream("air.id"), stream("air.along"), stream("air.far")
_ROUND, _UP = stream("air.round"), stream("air.up")
_AXES = tuple(stream(f"air.axis {k}") for k in range(3))


@dataclass(frozen=True, slots=True)
class Air:
    """What bodies are like, and how things are spread in them."""

    seed: int  #: of the layer, 64 bits
    count: int  #: in each
    form: Form = "box"
    size: tuple[float, float, float] = (1.0, 1.0, 1.0)  #: metres across: east, up, south
    above: float = 0.0  #: metres from the ground to its middle
    bias: float = 0.0  #: -1 most in the middle, 0 evenly, 1 most at the rim

    def drawn_out(self, share: Float64, axes: int) -> Float64:
        """Distances from the middle, of draws in [0, 1): even over `axes` of a body where there is no bias."""
        return np.asarray(share ** (8.0**-self.bias / axes))


@dataclass(frozen=True, slots=True)
class Afloat:
    """Places in the air."""

    ids: UInt64  #: (n,) stable: of the seed, the body and the number in it
    position: Float64  #: (n, 3) metres
    rank: Float64  #: (n,) lower is earlier: a higher count comes after

    def taken(self, rows: Int64) -> Afloat:
        """Those in `rows`."""
        return Afloat(self.ids[rows], self.position[rows], self.rank[rows])


def about_points(air: Air, points: Float64, surface: Surface) -> Afloat:
    """`air.count` places in a box or a ball about each of `points` (p, 2), so far above the ground there; a point without ground has none."""
    at = surface.sample(np.ascontiguousarray(points[:, 0]), np.ascontiguousarray(points[:, 1]))
    bodies = np.nonzero(at.hit)[0]
    body, number = (a.ravel() for a in np.meshgrid(bodies, np.arange(air.count), indexing="ij"))
    ids = _ids(air.seed, body.astype(np.uint64), number.astype(np.uint64))
    if air.form == "box":
        draws = np.stack([symmetric_array(air.seed, s, ids) for s in _AXES], axis=1)
        off = np.sign(draws) * air.drawn_out(np.abs(draws), 1)
    else:
        up = symmetric_array(air.seed, _UP, ids)
        turn = 2.0 * math.pi * uniform_array(air.seed, _ROUND, ids)
        level = np.sqrt(1.0 - up * up)
        way = np.stack([level * np.cos(turn), up, level * np.sin(turn)], axis=1)
        off = way * air.drawn_out(uniform_array(air.seed, _FAR, ids), 3)[:, None]
    middle = at.position + np.array([0.0, air.above, 0.0])
    return Afloat(ids, middle[body] + 0.5 * np.array(air.size) * off, number.astype(np.float64))


def along_line(air: Air, line: Curve, surface: Surface) -> Afloat:
    """`air.count` places in a tube along `line`, which follows the ground; parts without ground have none.

    The first and the second of `air.size` are the tube's width and height.
    """
    number = np.arange(air.count)
    ids = _ids(air.seed, np.zeros(air.count, np.uint64), number.astype(np.uint64))
    chain = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line.line, axis=0).T))])
    at = uniform_array(air.seed, _ALONG, ids) * chain[-1]
    span = np.clip(np.searchsorted(chain, at, side="right") - 1, 0, len(chain) - 2)
    way = np.diff(line.line, axis=0)[span]
    way /= np.maximum(np.hypot(*way.T), 1e-9)[:, None]
    x, z = (np.interp(at, chain, line.line[:, k]) for k in (0, 1))
    ground = surface.sample(x, z)
    far = air.drawn_out(uniform_array(air.seed, _FAR, ids), 2)
    turn = 2.0 * math.pi * uniform_array(air.seed, _ROUND, ids)
    aside, up = 0.5 * air.size[0] * far * np.cos(turn), 0.5 * air.size[1] * far * np.sin(turn)
    height = ground.position[:, 1] + air.above + up
    position = np.stack([x - way[:, 1] * aside, height, z + way[:, 0] * aside], axis=1)
    there = np.nonzero(ground.hit)[0]
    return Afloat(ids, position, number.astype(np.float64)).taken(there)


def _ids(seed: int, body: UInt64, number: UInt64) -> UInt64:
    return bits_array(seed, _ID, (body << np.uint64(32)) | number)
