"""What is amiss with how things stand: in the air, under the ground, into each other."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from plough.core.arrays import Bool, Float32, Float64, Int64, UInt32
from plough.core.ground.surface import Surface
from plough.core.kernels import kernel
from plough.core.place.bodies import Met, Shapes, Stood, apart_by, turned
from plough.core.place.placements import Placements

CLOSE = 0.05  #: metres: nearer than that a thing touches what is beneath it, and two may overlap by as much
BURIED = 0.8  #: of its height: a thing that is farther in the ground is lost there
_SINKS = 0.35  # of its height: what is sunk less is looked at no closer
_LEANS = 0.8  # height of the direction that is up: what leans farther is looked at closer
_FOOT = 0.15  # of how high it reaches as it lies, from its lowest corner: what it stands on the ground with
_BASE = 0.5  # and with what it may lean on others


@dataclass(frozen=True, eq=False)
class Outlines:
    """The corners of several variants, in their own coordinates."""

    points: Float64  #: (p, 3) metres
    starts: Int64  #: (variants + 1,)

    @staticmethod
    def of(variants: Sequence[Float64]) -> Outlines:
        """From the corners (k, 3) of each variant; at least one each."""
        points = [np.asarray(v, np.float64).reshape(-1, 3) for v in variants]
        starts = np.cumsum([0, *map(len, points)]).astype(np.int64)
        return Outlines(np.concatenate([np.empty((0, 3)), *points]), starts)

    @cached_property
    def low(self) -> Float64:
        """(variants,) metres of the lowest corner of each."""
        return np.minimum.reduceat(self.points[:, 1], self.starts[:-1])

    @cached_property
    def top(self) -> Float64:
        """(variants,) metres of the highest corner of each."""
        return np.maximum.reduceat(self.points[:, 1], self.starts[:-1])


@dataclass(frozen=True, eq=False)
class Crowd:
    """Things of all layers, n of them, in their order of precedence."""

    placed: Placements  #: its variants are rows of `outlines` and `shapes`
    own: Bool  #: (n,) those that are judged; the others are only near them
    free: Bool  #: (n,) those that need stand on nothing
    outlines: Outlines
    shapes: Shapes
    near: Stood | None = None  #: the bodies that matter; those of all, where it is not said

    @cached_property
    def stood(self) -> Stood:
        """The bodies that matter."""
        return self.shapes.stood(self.placed) if self.near is None else self.near

    def moved(self, row: int, by: Float64) -> Crowd:
        """With one thing moved by so many metres (3,)."""
        position = self.placed.position.copy()
        position[row] += by.astype(np.float32)
        it = np.arange(self.placed.count) == row
        placed = replace(self.placed, position=position)
        return replace(self, placed=placed, near=self.stood.moved(it, by))

    def meeting(self) -> Met:
        """Pairs that go into each other by more than `CLOSE`; of each the later comes second, and is judged."""
        order = np.arange(self.placed.count)
        return self.stood.meeting(order, self.own, CLOSE)

    def meets(self, row: int, by: Float64, least: float) -> bool:
        """Whether a thing would go more than `least` metres into another if it were moved by `by` (3,)."""
        stood = self.stood
        own = stood.blocks & (stood.thing == row)
        if not own.any():
            return False
        low, high = stood.low[own].min(axis=0) + by, stood.high[own].max(axis=0) + by
        near = stood.blocks & ~own & (stood.low <= high).all(axis=1)
        near &= (stood.high >= low).all(axis=1)
        if not near.any():
            return False
        it = np.arange(self.placed.count) == row
        both = stood.taken(np.nonzero(own | near)[0]).moved(it, by)
        return len(both.meeting(it.astype(np.int64), it, least).first) > 0

    def lying(self, rows: Int64) -> Bool:
        """(n,) whether each of `rows` would go into another if it were `CLOSE` lower: its body lies on that."""
        asked = np.zeros(self.placed.count, bool)
        asked[rows] = True
        lower = self.stood.moved(asked, np.array([0.0, -CLOSE, 0.0]))
        found = lower.meeting(asked.astype(np.int64), asked, 0.0)
        return np.isin(rows, found.second)


@dataclass(frozen=True, slots=True)
class Standing:
    """Things that do not stand as they should."""

    floating: Int64  #: (f,) rows
    above: Float64  #: (f,) metres of the lowest of each above what is beneath it
    buried: Int64  #: (b,) rows
    under: Float64  #: (b,) metres of each that are in the ground
    tall: Float64  #: (b,) metres that each reaches from its lowest to its highest corner


Under = Callable[[Float64], Float64]
"""Metres of the highest that is at or below each of n points (n, 3), besides the ground; -inf where nothing is."""


def amiss(crowd: Crowd, surface: Surface, water: float | None, under: Under | None) -> Standing:
    """Which of the judged float or are buried.

    What reaches into standing water floats on it, or stands in it.
    """
    placed, outlines = crowd.placed, crowd.outlines
    up = 1.0 - 2.0 * (placed.rotation[:, 0] ** 2 + placed.rotation[:, 2] ** 2)
    y, tall = placed.position[:, 1].astype(np.float64), placed.scale[:, 1].astype(np.float64)
    ask = np.nonzero(crowd.own & ~crowd.free)[0]
    at = placed.position[ask].astype(np.float64)
    found = surface.sample(np.ascontiguousarray(at[:, 0]), np.ascontiguousarray(at[:, 2]))
    ask, ground = ask[found.hit], found.position[found.hit, 1]
    variant = placed.variant[ask]
    low = y[ask] + tall[ask] * outlines.low[variant]
    height = tall[ask] * (outlines.top - outlines.low)[variant]
    floor = ground if water is None else np.maximum(ground, water)
    sunk = ground - low > _SINKS * height
    looked = ask[(low - floor > CLOSE) | sunk | (up[ask] < _LEANS)]
    return _closely(crowd, looked, surface, water, under)


def _closely(
    crowd: Crowd, rows: Int64, surface: Surface, water: float | None, under: Under | None
) -> Standing:
    """As `amiss`, of `rows`, by all their corners."""
    placed = crowd.placed.taken(rows)
    points, starts, part = _corners(
        crowd.outlines.points,
        crowd.outlines.starts,
        placed.variant,
        placed.position,
        placed.rotation,
        placed.scale,
    )
    foot = part <= _FOOT
    none = np.empty(0, np.int64)
    if not len(rows):
        return Standing(none, np.empty(0), none, np.empty(0), np.empty(0))
    found = surface.sample(*(np.ascontiguousarray(points[:, k]) for k in (0, 2)))
    ground = np.where(found.hit, found.position[:, 1], -np.inf)
    heads, begins = points[:, 1], starts[:-1]
    reach = np.maximum.reduceat(heads, begins) - np.minimum.reduceat(heads, begins)
    out = np.maximum(0.0, np.maximum.reduceat(heads - ground, begins))
    buried = np.nonzero(reach - np.minimum(out, reach) > BURIED * reach)[0]
    floor = ground if water is None else np.maximum(ground, water)
    above = np.minimum.reduceat(np.where(foot, heads - floor, np.inf), begins)
    floating = np.nonzero(above > CLOSE)[0]
    if len(floating):
        own = np.zeros(len(rows), bool)
        own[floating] = True
        carried = _carried(crowd.stood, points, starts, part <= _BASE, rows, own)
        floating = floating[~carried[floating]]
        floating = floating[~crowd.lying(rows[floating])]
    if len(floating) and under is not None:
        of = np.repeat(np.arange(len(rows)), np.diff(starts))
        told = np.nonzero(foot & np.isin(of, floating))[0]
        gap = np.full(len(rows), np.inf)
        np.minimum.at(gap, of[told], points[told, 1] - under(points[told]))
        above = np.minimum(above, gap)
        floating = floating[above[floating] > CLOSE]
    deep = reach[buried] - np.minimum(out, reach)[buried]
    return Standing(rows[floating], above[floating], rows[buried], deep, reach[buried])


def raised(crowd: Crowd, row: int, surface: Surface) -> float:
    """Metres by which one that is in the ground is to be raised to stand on it."""
    points, part = _one(crowd, row)
    foot = part <= _FOOT
    found = surface.sample(*(np.ascontiguousarray(points[foot, k]) for k in (0, 2)))
    gap = np.where(found.hit, points[foot, 1] - found.position[:, 1], np.inf)
    return max(0.0, -float(gap.min())) if np.isfinite(gap).any() else 0.0


def dropped(
    crowd: Crowd, row: int, surface: Surface, water: float | None, under: Under | None
) -> float:
    """Metres by which one falls until it touches the ground, water, a solid or the body of another thing; infinite over nothing."""
    points, part = _one(crowd, row)
    foot = part <= _FOOT
    found = surface.sample(*(np.ascontiguousarray(points[foot, k]) for k in (0, 2)))
    floor = np.where(found.hit, found.position[:, 1], -np.inf)
    floor = floor if water is None else np.where(found.hit, np.maximum(floor, water), -np.inf)
    if under is not None:
        floor = np.maximum(floor, under(points[foot]))
    down = float((points[foot, 1] - floor).min())
    if down <= 0 or not np.isfinite(down):
        return max(0.0, down)
    stood, base = crowd.stood, points[part <= _BASE]
    least, most = points.min(axis=0), points.max(axis=0)
    beneath = (stood.thing != row) & (stood.low[:, 1] < most[1])
    for axis in (0, 2):
        beneath &= (stood.low[:, axis] <= most[axis]) & (stood.high[:, axis] >= least[axis])
    if not beneath.any():
        return down
    near = replace(crowd, near=stood.taken(np.nonzero(beneath | (stood.thing == row))[0]))
    starts, rows, asked = np.array([0, len(base)]), np.array([row]), np.ones(1, bool)
    whole = np.ones(len(base), bool)

    def met(fall: float) -> bool:
        lower = np.array([0.0, -fall, 0.0])
        if near.meets(row, lower, 0.0):
            return True
        return bool(_carried(near.stood, base + lower, starts, whole, rows, asked)[0])

    # until its lowest is as low as their highest there is nothing to meet
    start = max(0.0, float(least[1] - stood.high[beneath, 1].max()) - 2.0 * CLOSE)
    falls = np.arange(start, down, CLOSE).tolist()
    return next((float(fall) for fall in falls if met(fall)), down)


def _one(crowd: Crowd, row: int) -> tuple[Float64, Float64]:
    """The corners of one thing, and how high each lies in it, 0 to 1."""
    own = crowd.placed.taken(np.array([row]))
    shape = crowd.outlines.points, crowd.outlines.starts
    points, _, part = _corners(*shape, own.variant, own.position, own.rotation, own.scale)
    return points, part


@kernel
def _corners(
    outline: Float64,
    first: Int64,
    variant: UInt32,
    position: Float32,
    rotation: Float32,
    scale: Float32,
) -> tuple[Float64, Int64, Float64]:
    """The corners (p, 3) of each thing where it stands, the first of each, and how high each lies in it as it stands or lies, 0 to 1."""
    n = variant.shape[0]
    starts = np.zeros(n + 1, np.int64)
    for i in range(n):
        starts[i + 1] = starts[i] + first[variant[i] + 1] - first[variant[i]]
    points, part = np.empty((starts[n], 3)), np.zeros(starts[n])
    own, there = np.empty(3), np.empty(3)
    for i in range(n):
        low, high = np.inf, -np.inf
        for j in range(starts[i + 1] - starts[i]):
            for axis in range(3):
                own[axis] = outline[first[variant[i]] + j, axis] * scale[i, axis]
            turned(rotation[i], own, there)
            for axis in range(3):
                points[starts[i] + j, axis] = there[axis] + position[i, axis]
            low, high = (
                min(low, points[starts[i] + j, 1]),
                max(high, points[starts[i] + j, 1]),
            )
        for j in range(starts[i], starts[i + 1]):
            part[j] = (points[j, 1] - low) / max(high - low, 1e-9)
    return points, starts, part


def _carried(
    stood: Stood, points: Float64, starts: Int64, foot: Bool, rows: Int64, asked: Bool
) -> Bool:
    """(n,) whether the corners `foot` of each of those that are asked of touch a body of another thing."""
    order = np.argsort(stood.low[:, 0], kind="stable")
    widest = float((stood.high[:, 0] - stood.low[:, 0]).max(initial=0.0))
    return _touching(
        stood.points,
        stood.starts,
        stood.round,
        stood.thing,
        stood.low[order],
        stood.high[order],
        order,
        widest,
        points,
        starts,
        foot,
        rows,
        asked,
        CLOSE,
    )


@kernel
def _touching(
    points: Float64,
    starts: Int64,
    about: Float64,
    thing: Int64,
    low: Float64,
    high: Float64,
    order: Int64,
    widest: float,
    corners: Float64,
    first: Int64,
    foot: Bool,
    rows: Int64,
    asked: Bool,
    close: float,
) -> Bool:
    out = np.zeros(len(rows), np.bool_)
    axis, least, most = np.empty(3), np.empty(3), np.empty(3)
    for i in range(len(rows)):
        if not asked[i]:
            continue
        count = 0
        for j in range(first[i], first[i + 1]):
            count += foot[j]
        feet = np.empty((count, 3))
        count = 0
        for j in range(first[i], first[i + 1]):
            if foot[j]:
                feet[count] = corners[j]
                count += 1
        for k in range(3):
            least[k], most[k] = feet[:, k].min() - close, feet[:, k].max() + close
        m = np.searchsorted(low[:, 0], least[0] - widest)
        while m < len(order) and low[m, 0] <= most[0]:
            b = order[m]
            apart = high[m, 0] < least[0] or low[m, 2] > most[2] or high[m, 2] < least[2]
            apart = apart or low[m, 1] > most[1] or high[m, 1] < least[1]
            if not apart and thing[b] != rows[i]:
                n = starts[b + 1] - starts[b]
                both = np.empty((n + count, 3))
                both[:n], both[n:] = points[starts[b] : starts[b + 1]], feet
                if apart_by(both, 0, n, about[b], n, n + count, 0.0, axis) <= close:
                    out[i] = True
                    break
            m += 1
    return out
